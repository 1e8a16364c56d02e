"""Folders for what is unpacked or comes through a pipe: each goes when nobody needs it, and all when the process ends."""

from __future__ import annotations

from atexit import register
from pathlib import Path
from shutil import rmtree
from tempfile import mkdtemp

_made: set[Path] = set()


def folder() -> Path:
    """A new empty folder that only this user can look into."""
    path = Path(mkdtemp(prefix="kebrin-"))
    _made.add(path)
    return path


def remove(path: Path) -> None:
    """Take a folder away, with all that is in it."""
    rmtree(path, ignore_errors=True)
    _made.discard(path)


def remove_all() -> None:
    """Take all away that are still there."""
    for path in tuple(_made):
        remove(path)


register(remove_all)
