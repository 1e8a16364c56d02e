"""Parts of a workbook's package: found whatever way their names are written, and damage told as what it is."""

from __future__ import annotations

import posixpath
import zipfile
import zlib
from contextlib import contextmanager
from typing import TYPE_CHECKING
from urllib.parse import unquote

from lxml import etree

from kebrin.errors import KebrinError, SourceError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from kebrin.errors import Place

_DAMAGES = (
    zipfile.BadZipFile, zlib.error, etree.XMLSyntaxError, EOFError, KeyError, ValueError, OverflowError, NotImplementedError,
    RuntimeError, TypeError, OSError,
)  # fmt: skip


def part_name(names: list[str], wanted: str) -> str:
    """The name under which a package holds a part; names differ in case, strokes and escapes at most.

    >>> part_name(["xl/Worksheets/Sheet1.xml"], "xl/../xl/worksheets/sheet1.xml")
    'xl/Worksheets/Sheet1.xml'

    Raises:
        KeyError: there is no such part.
    """
    if wanted in names:
        return wanted
    sought = _plain(wanted)
    for name in names:
        if _plain(name) == sought:
            return name
    raise KeyError(wanted)


def _plain(name: str) -> str:
    return posixpath.normpath(unquote(name).replace("\\", "/")).lstrip("/.").casefold()


@contextmanager
def telling(where: Place) -> Iterator[None]:
    """Tell whatever a damaged package raises as an error of ours.

    Raises:
        SourceError: a part is missing, cut short or damaged.
    """
    try:
        yield
    except KebrinError:
        raise
    except _DAMAGES as error:
        raise damaged(where, error) from error


def damaged(where: Place, error: Exception) -> SourceError:
    """What is said of a package that can't be read."""
    why = str(error).splitlines()[0] if str(error) else type(error).__name__
    said = f"it holds no part {why}" if isinstance(error, KeyError) else why.strip("'\"")
    return SourceError("the workbook is cut short or damaged", where, why=said, do="Copy, download or save it again")
