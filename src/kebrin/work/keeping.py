"""Keep what files gave, so that a run on files of which few have changed reads these only.

A kept part is found by what it depends on: the file's bytes, its name, what is asked of it, and Kebrin's version. The folder may
be deleted at any time, two runs may use it at once, and what is damaged in it is made again.
"""

from __future__ import annotations

import hashlib
import os
import pickle
import stat
import sys
import tempfile
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from kebrin.errors import OutputError, Place
from kebrin.sources.files import digest
from kebrin.version import VERSION

if TYPE_CHECKING:
    from collections.abc import Callable

T = TypeVar("T")
_SIGN = b"kebrin part 1\n"
_SHA = 32
_KEPT_DAYS = 60


def kept_folder() -> Path:
    """The folder of kept parts: `KEBRIN_KEEP` if it is set, else `kebrin` in the user's folder for caches."""
    stated = os.environ.get("KEBRIN_KEEP")
    if stated:
        return Path(stated)
    if sys.platform == "win32":
        return Path(os.environ.get("LOCALAPPDATA", Path.home() / "AppData" / "Local")) / "kebrin" / "kept"
    if sys.platform == "darwin":
        return Path.home() / "Library" / "Caches" / "kebrin"
    return Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "kebrin"


def made_private(folder: Path) -> None:
    """Make a folder for kept parts that nobody else may write to, whatever the user's own setting for new files is.

    Raises:
        OSError: it can't be made.
    """
    folder.parent.mkdir(parents=True, exist_ok=True)
    with suppress(FileExistsError):
        folder.mkdir(mode=0o700)


def refuse_shared(folder: Path) -> None:
    """Refuse to keep parts in a folder that others may write to: what is kept is taken up again as it is, and could be code.

    Raises:
        OutputError: it belongs to somebody else, or its group or everybody may write to it.
    """
    if not hasattr(os, "geteuid") or not folder.exists():
        return
    state = folder.stat()
    if state.st_uid == os.geteuid() and not state.st_mode & (stat.S_IWGRP | stat.S_IWOTH):
        return
    raise OutputError(
        "parts are not kept where others may write", Place(str(folder)), why="what they put there would be run as yours",
        do=f"Take the right to write from others (chmod go-w {folder}), or set KEBRIN_KEEP to a folder of your own",
    )  # fmt: skip


@dataclass(frozen=True)
class Kept(Generic[T]):
    """A task whose results are kept in a folder.

    Attributes:
        task: what is done for a file that is new or changed.
        asked: what is asked of each file, in words that change when it does.
        folder: where results are kept.
    """

    task: Callable[[Path], T]
    asked: str
    folder: Path

    def __call__(self, path: Path) -> T:
        """What the file gives, from the folder if it was kept there."""
        if not path.is_file():
            return self.task(path)
        place = self.folder / f"{self._key(path)}.part"
        found: T | None = _read(place)
        if found is not None:
            with suppress(OSError):
                os.utime(place)
            return found
        found = self.task(path)
        _write(place, found)
        return found

    def _key(self, path: Path) -> str:
        said = "\0".join((VERSION, sys.version, digest(path), str(path), self.asked))
        return hashlib.sha256(said.encode()).hexdigest()


def _read(place: Path) -> Any:
    """A kept part; None if there is none, or it is damaged."""
    try:
        content = place.read_bytes()
    except OSError:
        return None
    body = content[len(_SIGN) + _SHA :]
    if not content.startswith(_SIGN) or hashlib.sha256(body).digest() != content[len(_SIGN) : len(_SIGN) + _SHA]:
        return None
    try:
        return pickle.loads(body)  # noqa: S301 - it is our own, from the user's own folder
    except Exception:  # noqa: BLE001 - whatever is wrong with it, it is made again
        return None


def _write(place: Path, found: Any) -> None:
    """Keep a part; a folder that can't be written to keeps nothing, and the run goes on."""
    body = pickle.dumps(found, pickle.HIGHEST_PROTOCOL)
    with suppress(OSError):
        made_private(place.parent)
        handle, name = tempfile.mkstemp(dir=place.parent, prefix="new-")
        with os.fdopen(handle, "wb") as file:
            file.write(_SIGN + hashlib.sha256(body).digest() + body)
        Path(name).replace(place)


def clear_old(folder: Path) -> None:
    """Take away parts that no run has asked for in two months, and what a run that was stopped left half written."""
    now = time.time()
    with suppress(OSError):
        for one in folder.iterdir():
            age = now - one.stat().st_mtime
            if age > _KEPT_DAYS * 86_400 or (one.name.startswith("new-") and age > 3_600):
                one.unlink(missing_ok=True)
