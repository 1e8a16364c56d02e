"""Read ahead: the next workbook is opened and its first sheet parsed in a thread while this one is worked on.

The parser gives the interpreter free while it works, so the first workbook is parsed while NumPy and Arrow are still
being imported. Nothing here imports either.
"""

from __future__ import annotations

import sys
import time
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TYPE_CHECKING

from kebrin.sources import files

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from kebrin.cells import Report
    from kebrin.sources.workbook import Workbook

_QUIET_SECONDS = 1.0


def reports_ahead(inputs: Sequence[str], *, progress: bool) -> Iterator[Report]:
    """The reports that files, folders and patterns name, each opened ahead of its turn.

    Raises:
        SourceError: nothing is there, or a file can't be read.
    """
    paths = list(dict.fromkeys(path for item in inputs for path in files.listed(item)))
    pool = ThreadPoolExecutor(1)
    first = pool.submit(_open, paths[0])
    return _each(paths, pool, first, progress=progress)


def _each(
    paths: list[Path], pool: ThreadPoolExecutor, first: Future[Workbook | None], *, progress: bool
) -> Iterator[Report]:
    from kebrin.sources import read

    upcoming: Future[Workbook | None] | None = first
    started = time.monotonic()
    with pool:
        for at, path in enumerate(paths):
            opened = upcoming.result() if upcoming is not None else None
            upcoming = pool.submit(_open, paths[at + 1]) if at + 1 < len(paths) else None
            if progress and sys.stderr.isatty() and time.monotonic() - started > _QUIET_SECONDS:
                print(f"\r{at + 1} of {len(paths)}: {path.name[:60]:<60}", end="", file=sys.stderr, flush=True)
            yield read(path, opened=opened)
    if progress and sys.stderr.isatty() and time.monotonic() - started > _QUIET_SECONDS:
        print(f"\r{'':<80}\r", end="", file=sys.stderr, flush=True)


def _open(path: Path) -> Workbook | None:
    if path.suffix.lower() not in files.WORKBOOK_ENDINGS:
        return None
    from kebrin.sources.workbook import open_workbook

    book = open_workbook(path)
    book.read_ahead()
    return book
