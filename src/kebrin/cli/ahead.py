"""Read ahead: the next workbook is opened and its first sheet parsed in a thread while this one is worked on.

The parser gives the interpreter free while it works, so the first workbook is parsed while NumPy and Arrow are still
being imported. Nothing here imports either.
"""

from __future__ import annotations

from concurrent.futures import Future
from functools import cache
from pathlib import Path
from queue import SimpleQueue
from threading import Thread
from typing import TYPE_CHECKING

from kebrin.cli.progress import Progress
from kebrin.errors import SourceError
from kebrin.sources import files
from kebrin.sources.inputs import choose

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.cells import Report
    from kebrin.sources.workbook import Workbook
    from kebrin.work.gathering import Aside

_READING_COMMANDS = frozenset({"tidy", "survey"})
# Who reads is another process then, and this one must have a single thread to make it.
_BY_OTHERS = frozenset({"--workers", "--scheduler"})
# Over smaller workbooks the two threads wait for each other.
_WORTH_BYTES = 400_000
_started: dict[Path, Future[Workbook | None]] = {}


def reports_ahead(inputs: Sequence[str], *, progress: bool) -> Iterator[Report]:
    """The reports that files, folders and patterns name, each opened ahead of its turn.

    Raises:
        SourceError: nothing is there, or a file can't be read.
    """
    from kebrin.cells import Report

    return (one for one in reports_of(choose(inputs).paths, progress=progress) if isinstance(one, Report))


def reports_of(paths: Sequence[Path], *, progress: bool, aside: bool = False) -> Iterator[Report | Aside]:
    """The reports in some files, each opened ahead of its turn; with `aside`, those of several that can't be are set aside."""
    first = _started.pop(paths[0]) if paths[0] in _started else _submit(paths[0])
    return _each(paths, first, progress=progress, aside=aside and len(paths) > 1)


def head_start(words: Sequence[str]) -> None:
    """Begin to parse the first workbook that a command line names, while the command line itself is still being read.

    It is a guess that costs nothing if wrong: what is not asked for later is dropped, and errors are told only then.
    """
    if len(words) > 1 and words[0] in _READING_COMMANDS and not _BY_OTHERS & set(words):
        named = next((Path(word) for word in words[1:] if not word.startswith("-")), None)
        if named is not None and named.suffix.lower() in files.WORKBOOK_ENDINGS and named.is_file():
            _started[named] = _submit(named)


def _submit(path: Path) -> Future[Workbook | None]:
    """Have a workbook opened by the thread that reads ahead."""
    future: Future[Workbook | None] = Future()
    _reader().put((path, future))
    return future


@cache
def _reader() -> SimpleQueue[tuple[Path, Future[Workbook | None]]]:
    """What the one thread that reads ahead is to open next; it does not hold up the end of the process."""
    asked: SimpleQueue[tuple[Path, Future[Workbook | None]]] = SimpleQueue()

    def work() -> None:
        while True:
            path, future = asked.get()
            try:
                future.set_result(_open(path))
            except BaseException as error:  # noqa: BLE001 - it is raised again where the result is asked for
                future.set_exception(error)
            del path, future  # what was read is not held while there is nothing to do

    Thread(target=work, daemon=True).start()
    return asked


def _each(
    paths: Sequence[Path], first: Future[Workbook | None], *, progress: bool, aside: bool
) -> Iterator[Report | Aside]:
    from kebrin.sources import read

    upcoming: Future[Workbook | None] | None = first
    with Progress(shown=progress, total=len(paths)) as line:
        for at, path in enumerate(paths):
            current, upcoming = upcoming, _submit(paths[at + 1]) if _is_worth_it(paths[at + 1 : at + 2]) else None
            line.at(path.name)
            try:
                report = read(path, opened=current.result() if current is not None else None)
            except SourceError as error:
                if not aside:
                    raise
                from kebrin.work.gathering import Aside

                yield Aside.of(str(path), error)
                continue
            yield report


def _is_worth_it(upcoming: Sequence[Path]) -> bool:
    """Whether there is a next file, and one of a size that two threads gain by: over small ones they wait for each other."""
    try:
        return any(path.stat().st_size >= _WORTH_BYTES for path in upcoming)
    except OSError:
        return False  # it is told when its turn comes


def _open(path: Path) -> Workbook | None:
    if path.suffix.lower() not in files.WORKBOOK_ENDINGS:
        return None
    try:
        if files.kind_of(path) != "workbook":
            return None
    except SourceError:
        return None  # it is told when its turn comes
    from kebrin.sources.budget import budget_of
    from kebrin.sources.workbook import open_workbook

    with budget_of(path):
        book = open_workbook(path)
        book.read_ahead()
    return book
