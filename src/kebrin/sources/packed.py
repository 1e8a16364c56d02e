"""Reports that come packed: gzip, or a zip file with one report inside. They are unpacked beside, never where they stand."""

from __future__ import annotations

import gzip
import shutil
import zipfile
import zlib
from contextlib import ExitStack, contextmanager
from dataclasses import replace
from pathlib import Path, PurePosixPath
from tempfile import mkdtemp
from typing import IO, TYPE_CHECKING
from weakref import finalize

from kebrin.errors import Place, SourceError
from kebrin.sources import files

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from kebrin.cells import Report, Sheet

#: So many bytes are unpacked at most: far above any report, far below what a few bytes can be made to unpack to.
LIMIT = 2 << 30
_AT_ONCE = 1 << 20
_SHOWN = 4
_DO = "Ask for it again, or unpack it and name what is in it"


def read(path: Path, kind: str, reader: Callable[[Path], Report]) -> Report:
    """Read the one report that is packed in a file.

    Args:
        path: the file.
        kind: 'gzip archive' or 'zip archive'.
        reader: what reads the report inside.

    Raises:
        SourceError: it is damaged or locked, holds none or several, or far too much.
    """
    fixed = files.Fixed.of(path)
    folder = Path(mkdtemp(prefix="kebrin-"))
    with ExitStack() as on_failure:
        on_failure.callback(shutil.rmtree, folder, ignore_errors=True)
        with _told_of(path):
            inside = _unpacked(path, kind, folder)
            report = reader(inside)
        fixed.check()
        on_failure.pop_all()

    def load(name: str) -> Sheet:
        with _told_of(path):
            return replace(report.load(name), source=str(path))

    # Sheets are read when they are asked for: what was unpacked goes with the last that can ask.
    finalize(load, shutil.rmtree, folder, ignore_errors=True)
    noun = "gzip" if kind == "gzip archive" else "a zip file"
    said = (*report.said, f"it is packed ({noun}): what is in it, {inside.name}, is read")
    return replace(report, path=str(path), load=load, hashed=lambda: fixed.digest, said=said, open_long=None)


def _unpacked(path: Path, kind: str, folder: Path) -> Path:
    inside = (_from_gzip if kind == "gzip archive" else _from_zip)(path, folder)
    if files.kind_of(inside) in {"gzip archive", "zip archive"}:
        raise SourceError("this is packed more than once", Place(str(path)), why="what is in it is packed too", do=_DO)
    return inside


@contextmanager
def _told_of(path: Path) -> Iterator[None]:
    """Errors about what was unpacked speak of the file that it came from."""
    try:
        yield
    except SourceError as error:
        where = replace(error.where, file=str(path))
        raise SourceError(error.what, where, why=error.why, do=error.do, answers=error.answers) from error


def _from_gzip(path: Path, folder: Path) -> Path:
    bare = path.stem if path.suffix.lower() in {".gz", ".gzip"} else path.name
    try:
        with gzip.open(path) as packed:
            return _written(packed, folder / bare, path)
    except (EOFError, OSError, zlib.error) as error:
        raise _damaged(path, error) from error


def _from_zip(path: Path, folder: Path) -> Path:
    try:
        with zipfile.ZipFile(path) as package:
            members = [one for one in package.infolist() if not one.is_dir()]
            if len(members) != 1:
                raise _not_one(path, [one.filename for one in members])
            (member,) = members
            if member.flag_bits & 1:
                raise SourceError(
                    "this zip file is locked with a password", Place(str(path)), do="Unpack it, and name what is in it"
                )
            with package.open(member) as packed:
                return _written(packed, folder / (PurePosixPath(member.filename).name or "report"), path)
    except (zipfile.BadZipFile, EOFError, OSError, zlib.error, NotImplementedError) as error:
        raise _damaged(path, error) from error


def _written(packed: IO[bytes] | gzip.GzipFile, target: Path, path: Path) -> Path:
    """Unpack to a file, as far as the limit."""
    size = 0
    with target.open("wb") as out:
        while block := packed.read(_AT_ONCE):
            size += len(block)
            if size > LIMIT:
                raise SourceError(
                    "what is packed in this file is too large", Place(str(path)), why=f"it is more than {LIMIT:,} bytes",
                    do="Unpack it where there is room, look whether it is a report, and name it",
                )  # fmt: skip
            out.write(block)
    if not size:
        raise SourceError("this packed file has nothing in it", Place(str(path)), why="it unpacks to 0 bytes", do=_DO)
    return target


def _damaged(path: Path, error: Exception) -> SourceError:
    return SourceError(
        "this packed file is cut short or damaged", Place(str(path)), why=str(error), do="Ask for it again"
    )


def _not_one(path: Path, names: list[str]) -> SourceError:
    if not names:
        return SourceError("this packed file has nothing in it", Place(str(path)), why="no file is in it", do=_DO)
    shown = ", ".join(names[:_SHOWN]) + (f" and {len(names) - _SHOWN} more" if len(names) > _SHOWN else "")
    return SourceError(
        "more than one file is packed in this", Place(str(path)), why=f"there are {len(names)} files in it: {shown}",
        do="Unpack it into a folder, and name the folder",
    )  # fmt: skip
