"""Atomic writing: a file is whole or not there; a source is never written to."""

from __future__ import annotations

import os
import tempfile
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A temporary file beside `path` that takes its place when the block ends well, and goes when it does not.

    Raises:
        OutputError: the folder can't be made or written to.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        os.close(handle)
    except OSError as error:
        raise OutputError("the output can't be written", Place(str(path)), why=error.strerror or str(error)) from error
    part = Path(name)
    try:
        yield part
        part.chmod(_usual_mode())
        part.replace(path)
    except OSError as error:
        raise OutputError("the output can't be written", Place(str(path)), why=error.strerror or str(error)) from error
    finally:
        part.unlink(missing_ok=True)


def _usual_mode() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


def refuse_sources(path: Path, sources: Iterable[str]) -> None:
    """Refuse to write over a file that was read.

    Raises:
        OutputError: the output is one of the sources.
    """
    if any(path.resolve() == Path(source).resolve() for source in sources):
        raise OutputError(
            "the output would be written over a source", Place(str(path)), why="a source is never written to",
            do="Name another file",
        )  # fmt: skip
