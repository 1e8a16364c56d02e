"""Reports at addresses (`s3://`, `sftp://`, `zip://`, ...): each is brought into a folder of our own, and named by its address.

Any file system that fsspec knows can be read; the package that speaks its protocol must be there.
"""

from __future__ import annotations

import datetime as dt
import os
import re
from contextlib import contextmanager, suppress
from pathlib import Path
from shutil import copyfileobj
from tempfile import gettempdir
from typing import TYPE_CHECKING, Any

from kebrin.errors import Place, SourceError
from kebrin.sources import temporary

if TYPE_CHECKING:
    from collections.abc import Iterator

# Two letters at least: "C:/" is a drive. A path type takes one of the two strokes away.
_ADDRESS = re.compile(r"(?P<scheme>[a-z][a-z0-9+.]+):/{1,3}(?=[^/])", re.IGNORECASE)
_SIGN = ".address"
_TIMES = ("mtime", "LastModified", "last_modified", "modified", "updated", "created")
_MARKS = "*?["
# What is at an address, as it was when it was brought.
_known: dict[str, tuple[object, Path]] = {}
_folders: dict[str, Path] = {}


def is_address(text: str | Path) -> bool:
    """Whether a text is an address and no path.

    >>> is_address("s3://port/traffic.xlsx"), is_address(Path("sftp://port/x.csv")), is_address("C:/x.csv"), is_address("x.csv")
    (True, True, False, False)
    """
    return _ADDRESS.match(str(text)) is not None


def here(text: str | Path) -> str | Path:
    """The path that an address of this machine stands for; anything else as it is.

    >>> here("file:///srv/x.csv"), here("s3://port/x.csv"), here("x.csv")
    ('/srv/x.csv', 's3://port/x.csv', 'x.csv')
    """
    match = _ADDRESS.match(str(text))
    if match is None or match["scheme"].casefold() not in {"file", "local"}:
        return text
    return "/" + str(text)[match.end() :]


def whole_address(text: str | Path) -> str:
    """An address with both strokes behind its colon.

    >>> whole_address(Path("s3://port/x.csv"))
    's3://port/x.csv'
    """
    scheme, _, rest = str(text).partition(":/")
    return f"{scheme}://{rest.lstrip('/')}"


def file_system(address: str) -> tuple[Any, str]:
    """The file system of an address, and the path there.

    Raises:
        SourceError: a package is missing, or no such protocol is known.
    """
    try:
        import fsspec
    except ImportError:
        raise SourceError(
            "addresses need a package that is not installed", Place(address), do="pip install 'kebrin[remote]'"
        ) from None
    with telling(address):
        found: tuple[Any, str] = fsspec.core.url_to_fs(whole_address(address))
        return found


@contextmanager
def telling(address: str) -> Iterator[None]:
    """Tell what goes wrong at an address in our words: each protocol's package has errors of its own.

    Raises:
        SourceError: anything did.
    """
    where = Place(address)
    try:
        yield
    except SourceError:
        raise
    except ImportError as error:
        raise SourceError(
            "this kind of address needs a package that is not installed",
            where,
            why=str(error),
            do="Install it, and run this again",
        ) from None
    except FileNotFoundError:
        raise SourceError("no such file", where, do="Check the address") from None
    except Exception as error:
        why = str(error) or type(error).__name__
        raise SourceError("what is at this address can't be reached", where, why=why, do="Check the address") from error


def brought(address: str | Path) -> list[Path]:
    """The files at an address, a folder or a pattern there, each copied into a folder of our own; in the order of their names.

    A file that was brought before and has not changed is not brought again.

    Raises:
        SourceError: nothing is there, or it can't be reached.
    """
    address = whole_address(address)
    system, path = file_system(address)
    with telling(address):
        if any(mark in path for mark in _MARKS) and not system.exists(path):
            paths = sorted(system.glob(path))
        elif system.isdir(path):
            paths = sorted(system.ls(path, detail=False))
        else:
            paths = [path]
        chain = "".join(address.partition("::")[1:])
        found = [_one(system, one, chain) for one in paths if not system.isdir(one)]
    if not found:
        raise SourceError("no report found", Place(address), why="nothing there fits", do="Check the address")
    return found


def _one(system: Any, path: str, chain: str) -> Path:
    """A file, copied; its time is what the file system says."""
    address = str(system.unstrip_protocol(path))
    state = system.ukey(path)
    before = _known.get(address + chain)
    if before is not None and before[0] == state and before[1].is_file():
        return before[1]
    parent, _, name = address.rpartition("/")
    target = _folder(parent, chain) / (name or "report")
    with system.open(path, "rb") as there, target.open("wb") as here:
        copyfileobj(there, here, 1 << 20)
    with suppress(OSError, ValueError, TypeError, StopIteration):
        moment = _moment(system.info(path))
        os.utime(target, (moment, moment))
    _known[address + chain] = (state, target)
    return target


def _folder(parent: str, chain: str) -> Path:
    """Our folder for what is in one there; a file in it says which that is, also to other processes."""
    folder = _folders.get(parent + chain)
    if folder is None or not folder.is_dir():
        folder = _folders[parent + chain] = temporary.folder()
        mark(folder, parent, chain)
    return folder


def _moment(info: dict[str, Any]) -> float:
    """When a file was changed last, in seconds, by what a file system says of it."""
    said = next(info[key] for key in _TIMES if info.get(key) is not None)
    if isinstance(said, dt.datetime):
        return said.timestamp()
    return float(said) if isinstance(said, int | float) else dt.datetime.fromisoformat(str(said)).timestamp()


def address_of(path: Path) -> str:
    """The address that a file was brought from; '' if it is one of this machine.

    >>> address_of(Path("traffic.xlsx"))
    ''
    """
    # Only our own folders count: a file of that name elsewhere may be anybody's.
    if not path.parent.name.startswith("kebrin-") or path.parent.parent != Path(gettempdir()):
        return ""
    try:
        parent, _, chain = path.with_name(_SIGN).read_text("utf-8").partition("\n")
    except OSError:
        return ""
    return f"{parent}/{path.name}{chain}"


def mark(folder: Path, parent: str, chain: str = "") -> None:
    """Note which folder elsewhere one of ours stands for."""
    (folder / _SIGN).write_text(f"{parent}\n{chain}", "utf-8")
