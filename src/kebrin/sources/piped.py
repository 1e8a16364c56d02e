"""What comes through a pipe: kept in a file of its own until the process ends, and named for what it is."""

from __future__ import annotations

import sys
from functools import cache
from shutil import copyfileobj
from typing import TYPE_CHECKING

from kebrin.errors import Place, SourceError
from kebrin.sources import temporary

if TYPE_CHECKING:
    from pathlib import Path

#: How a command line names it, and what it is called.
SIGN, NAME = "-", "standard input"


@cache
def spooled() -> Path:
    """The file that holds what came through standard input; it is read once.

    Raises:
        SourceError: a person sits at the other end.
    """
    if sys.stdin.isatty():
        raise SourceError("nothing is piped in", Place(NAME), do="Name a file, or pipe one in: kebrin tidy - < FILE")
    path = temporary.folder() / NAME
    with path.open("wb") as out:
        copyfileobj(sys.stdin.buffer, out, 1 << 20)
    return path


def is_spooled(path: Path) -> bool:
    """Whether a file holds what came through standard input."""
    return path.name == NAME and spooled.cache_info().currsize > 0 and path == spooled()
