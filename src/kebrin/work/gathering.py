"""Gather what many files give: one after the other or by workers, in the stated order whatever is finished first.

A file that can't be read is set aside with its reason, and the rest is finished; the proof does not hold then and says which.
"""

from __future__ import annotations

from collections import deque
from concurrent.futures import BrokenExecutor, Executor, Future
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Generic, Protocol, TypeVar

from kebrin.errors import KebrinError, Place, PlanError, SourceError
from kebrin.table import Finding, FindingKind
from kebrin.work.memory import kept_low

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence
    from pathlib import Path

T = TypeVar("T")
_DEATHS = 2
#: So many files are with the workers, or finished and waiting for their turn, at a time: it bounds the memory.
IN_FLIGHT = 12


@dataclass(frozen=True)
class Aside:
    """A file or a sheet that was set aside: why it could not be read or laid out."""

    file: str
    said: str
    sheet: str = ""
    error: KebrinError | None = field(default=None, compare=False)

    @classmethod
    def of(cls, file: str, error: KebrinError) -> Aside:
        """A file with the error that it gave."""
        # The file is named by the remark already.
        said = str(
            type(error)(error.what, Place("", error.where.sheet, error.where.cell, error.where.line), why=error.why)
        )
        return cls(file, said, error.where.sheet, error)

    def remark(self) -> Finding:
        """What the proof says of it; it does not hold with one."""
        return Finding(FindingKind.SET_ASIDE, f"set aside: {self.file}: {self.said}", self.file, count=1, breaks=True)


class Crew(Protocol):
    """Who does the work: a pool of processes, a cluster; anything that gives an executor, and a new one after a death."""

    def executor(self) -> Executor:
        """The executor that takes tasks now."""

    def renew(self) -> Executor:
        """A new executor, after workers died."""


def gather(
    paths: Sequence[Path], task: Callable[[Path], T], *, crew: Crew | None = None,
    on_file: Callable[[str], None] | None = None,
) -> Iterator[T | Aside]:  # fmt: skip
    """What the task gives for each file, in order; a file that can't be read gives an `Aside`.

    A crew begins at once, before the first is asked for.

    Raises:
        SourceError: it is the only file, or none can be read.
    """
    return _sorted_out(
        paths, _in_turn(paths, task, on_file) if crew is None else _Crewed(paths, task, crew).each(on_file)
    )


def _sorted_out(paths: Sequence[Path], done: Iterator[tuple[Path, T | KebrinError]]) -> Iterator[T | Aside]:
    failed: list[KebrinError] = []
    for path, found in kept_low(done):
        if isinstance(found, KebrinError):
            failed.append(found)
            if len(failed) == len(paths):
                raise failed[0]
            yield Aside.of(str(path), found)
        else:
            yield found


def _in_turn(
    paths: Sequence[Path], task: Callable[[Path], T], on_file: Callable[[str], None] | None
) -> Iterator[tuple[Path, T | KebrinError]]:
    for path in paths:
        if on_file is not None:
            on_file(str(path))
        yield path, _tried(task, path)


def _tried(task: Callable[[Path], T], path: Path) -> T | KebrinError:
    try:
        return task(path)
    except SourceError as error:
        return error


class _Crewed(Generic[T]):
    """Files with a crew: the first of them are handed out at once."""

    def __init__(self, paths: Sequence[Path], task: Callable[[Path], T], crew: Crew) -> None:
        self._task, self._crew, self._executor = task, crew, crew.executor()
        self._waiting = deque(paths)
        self._running: deque[tuple[Path, Future[T | KebrinError]]] = deque()
        self._hand_out()

    def _hand_out(self) -> None:
        while self._waiting and len(self._running) < IN_FLIGHT:
            try:
                future = self._executor.submit(_tried, self._task, self._waiting[0])
            except BrokenExecutor:
                if self._running:
                    return  # that a worker has died is dealt with where one of these is waited for
                self._executor = self._crew.renew()
                future = self._executor.submit(_tried, self._task, self._waiting[0])
            self._running.append((self._waiting.popleft(), future))

    def each(self, on_file: Callable[[str], None] | None) -> Iterator[tuple[Path, T | KebrinError]]:
        """What each gives, in order."""
        while self._running:
            path, future = self._running.popleft()
            if on_file is not None:
                on_file(str(path))
            try:
                yield path, future.result()
            except BrokenExecutor:
                yield from self._again(path)
            except (ModuleNotFoundError, AttributeError) as error:
                raise PlanError(
                    "a worker can't do the work", why=f"it does not have what this process has: {error}",
                    do="Install this version of Kebrin, with the same extras, where the workers run",
                ) from error  # fmt: skip
            self._hand_out()

    def _again(self, path: Path) -> Iterator[tuple[Path, T | KebrinError]]:
        """Those under way when a worker died, each done again alone, so that the one that did it is known."""
        self._executor = self._crew.renew()
        for again in (path, *(one for one, _ in self._running)):
            found, self._executor = _alone(again, self._task, self._crew, self._executor)
            yield again, found
        self._running.clear()


def _alone(path: Path, task: Callable[[Path], T], crew: Crew, executor: Executor) -> tuple[T | KebrinError, Executor]:
    """A file done again by one worker, as often as one may die of it."""
    for _ in range(_DEATHS):
        try:
            return executor.submit(_tried, task, path).result(), executor
        except BrokenExecutor:
            executor = crew.renew()
    what = f"the worker that read it died, {_DEATHS} times in a row"
    return SourceError(what, Place(str(path)), do="Read it alone, without workers, to see why"), executor
