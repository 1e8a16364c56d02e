"""Reports that come packed: gzip, or a zip file with reports inside. They are unpacked beside, never where they stand."""

from __future__ import annotations

import gzip
import zipfile
import zlib
from contextlib import ExitStack, contextmanager
from dataclasses import replace
from pathlib import PurePosixPath
from typing import IO, TYPE_CHECKING
from weakref import finalize

from kebrin.cells import Report
from kebrin.errors import Place, SourceError
from kebrin.sources import files, temporary
from kebrin.sources.limits import hold, hold_package, limits

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

    from kebrin.cells import Sheet

_AT_ONCE = 1 << 20
_PACKED = frozenset({"gzip archive", "zip archive"})
_DO = "Ask for it again, or unpack it and name what is in it"


def read(path: Path, kind: str, reader: Callable[[Path], Report]) -> Report:
    """Read what is packed in a file: one report, or the sheets of several.

    Args:
        path: the file.
        kind: 'gzip archive' or 'zip archive'.
        reader: what reads a report inside.

    Raises:
        SourceError: it is damaged or locked, holds no report, or far too much.
    """
    fixed = files.Fixed.of(path)
    folder = temporary.folder()
    with ExitStack() as on_failure:
        on_failure.callback(temporary.remove, folder)
        with _told_of(path):
            inside = _from_gzip(path, folder) if kind == "gzip archive" else _from_zip(path, folder)
            report = _one(inside[0], reader) if len(inside) == 1 else _several(inside, reader)
        fixed.check()
        on_failure.pop_all()

    def load(name: str) -> Sheet:
        with _told_of(path):
            return replace(report.load(name), source=str(path))

    # Sheets are read when they are asked for: what was unpacked goes with the last that can ask.
    finalize(load, temporary.remove, folder)
    noun = "gzip" if kind == "gzip archive" else "a zip file"
    what = f"what is in it, {inside[0].name}, is read" if len(inside) == 1 else f"{len(inside)} files are in it"
    said = (*report.said, f"it is packed ({noun}): {what}")
    return replace(report, path=str(path), load=load, hashed=lambda: fixed.digest, said=said, open_long=None)


def _one(inside: Path, reader: Callable[[Path], Report]) -> Report:
    if files.kind_of(inside) in _PACKED:
        raise SourceError(
            "this is packed more than once", Place(str(inside)), why="what is in it is packed too", do=_DO
        )
    return reader(inside)


def _is_none(path: Path) -> bool:
    """Whether a file is no report by its content: a picture, a program, nothing."""
    return not path.stat().st_size or files.kind_of(path) in {"picture", "unknown bytes"}


def _several(inside: list[Path], reader: Callable[[Path], Report]) -> Report:
    """The sheets of several files as those of one report; what is no report is passed over, and said."""
    sheets: dict[str, tuple[Report, str]] = {}
    said: list[str] = []
    lacks: list[str] = []
    first: SourceError | None = None
    for path in inside:
        try:
            report = _one(path, reader)
        except SourceError as error:
            # What may hold figures must not go unread without a word that counts.
            (said if _is_none(path) else lacks).append(f"passed over {path.name} in it: {error.what}")
            first = first or error
            continue
        for name in report.names:
            own = path.stem if len(report.names) == 1 else f"{path.stem} {name}"
            sheets[own if own not in sheets else f"{own} ({len(sheets) + 1})"] = (report, name)
        said += [f"{path.name}: {one}" for one in report.said]
        lacks += [f"{path.name}: {one}" for one in report.lacks]
    if not sheets and first is not None:
        raise first

    def load(name: str) -> Sheet:
        report, own = sheets[name]
        return replace(report.load(own), name=name)

    hidden = {name: report.hidden[own] for name, (report, own) in sheets.items() if own in report.hidden}
    return Report("", tuple(sheets), load, hidden, said=tuple(said), lacks=tuple(lacks))


@contextmanager
def _told_of(path: Path) -> Iterator[None]:
    """Errors about what was unpacked speak of the file that it came from."""
    try:
        yield
    except SourceError as error:
        where = replace(error.where, file=str(path))
        raise SourceError(error.what, where, why=error.why, do=error.do, answers=error.answers) from error


def _from_gzip(path: Path, folder: Path) -> list[Path]:
    bare = path.stem if path.suffix.lower() in {".gz", ".gzip"} else path.name
    try:
        with gzip.open(path) as packed:
            return [_written(packed, folder / bare, path, limits().unpacked)]
    except (EOFError, OSError, zlib.error) as error:
        raise _damaged(path, error) from error


def _from_zip(path: Path, folder: Path) -> list[Path]:
    found: list[Path] = []
    left = limits().unpacked
    try:
        with zipfile.ZipFile(path) as package:
            members = [one for one in package.infolist() if not _of_a_system(one.filename) and not one.is_dir()]
            if not members:
                raise SourceError(
                    "this packed file has nothing in it", Place(str(path)), why="no file is in it", do=_DO
                )
            hold("sheets", len(members), Place(str(path)))
            for number, member in enumerate(members):
                if member.flag_bits & 1:
                    raise SourceError(
                        "this zip file is locked with a password",
                        Place(str(path)),
                        do="Unpack it, and name what is in it",
                    )
                own = folder / str(number)  # two folders of it may hold files of one name
                own.mkdir()
                with package.open(member) as packed:
                    name = PurePosixPath(member.filename.replace("\\", "/")).name or "report"
                    found.append(_written(packed, own / name, path, left))
                left -= found[-1].stat().st_size
    except (zipfile.BadZipFile, EOFError, OSError, zlib.error, NotImplementedError) as error:
        raise _damaged(path, error) from error
    return found


def _of_a_system(name: str) -> bool:
    """Whether a packed file is one that a system adds of its own, beside what a person packed."""
    parts = PurePosixPath(name).parts
    return (
        not parts
        or "__MACOSX" in parts
        or parts[-1].startswith(".")
        or parts[-1].casefold() in {"thumbs.db", "desktop.ini"}
    )


def _written(packed: IO[bytes] | gzip.GzipFile, target: Path, path: Path, limit: int) -> Path:
    """Unpack to a file, as far as what is left of the limit."""
    size, whole = 0, path.stat().st_size
    with target.open("wb") as out:
        while block := packed.read(_AT_ONCE):
            size += len(block)
            hold("unpacked", limits().unpacked - limit + size, Place(str(path)))
            hold_package([(whole, size)], Place(str(path)))
            out.write(block)
    if not size:
        raise SourceError("this packed file has nothing in it", Place(str(path)), why="it unpacks to 0 bytes", do=_DO)
    return target


def _damaged(path: Path, error: Exception) -> SourceError:
    return SourceError(
        "this packed file is cut short or damaged", Place(str(path)), why=str(error), do="Ask for it again"
    )
