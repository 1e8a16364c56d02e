"""Crews: who works on the files of a run. A pool of processes on this machine, or the workers of a cluster."""

from __future__ import annotations

import multiprocessing
import signal
import sys
import threading
from concurrent.futures import Executor, ProcessPoolExecutor
from contextlib import contextmanager, suppress
from typing import TYPE_CHECKING, Any, cast

from kebrin.errors import PlanError
from kebrin.sources.budget import time_it

if TYPE_CHECKING:
    from collections.abc import Iterator

    from kebrin.work.gathering import Crew

_CONNECT_SECONDS = 5


class Pool:
    """A pool of so many processes on this machine; after one has died a new pool takes over."""

    def __init__(self, workers: int) -> None:
        self.workers = workers
        self._pool: ProcessPoolExecutor | None = None

    def executor(self) -> Executor:
        """The pool, started when it is first asked for."""
        if self._pool is None:
            context = multiprocessing.get_context("fork" if _may_fork() else "spawn")
            self._pool = ProcessPoolExecutor(self.workers, mp_context=context, initializer=_leave_stops_to_us)
        return self._pool

    def renew(self) -> Executor:
        """A new pool in place of the broken one."""
        self.close()
        return self.executor()

    def close(self) -> None:
        """Let all processes go at once, whatever they are doing."""
        if self._pool is not None:
            _let_go(self._pool)
            self._pool = None


def _let_go(pool: ProcessPoolExecutor) -> None:
    processes = list((getattr(pool, "_processes", None) or {}).values())
    pool.shutdown(wait=False, cancel_futures=True)
    for process in processes:
        with suppress(OSError, ValueError):
            process.terminate()
    pool.shutdown(wait=True)


def _may_fork() -> bool:
    """Whether processes may begin as copies of this one, which spares them all loading: it runs one thread, on Linux."""
    return sys.platform == "linux" and threading.active_count() == 1


def _leave_stops_to_us() -> None:
    """Ctrl-C stops the process that was started by hand, and that one stops its workers."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    time_it()


class Cluster:
    """The workers of a Dask scheduler; it has work of a worker that died done again by another."""

    def __init__(self, address: str) -> None:
        try:
            from distributed import Client
        except ModuleNotFoundError:
            raise PlanError(
                "a cluster needs Dask's distributed, which is not installed",
                do="Install kebrin[cluster] here and where the workers run",
            ) from None
        try:
            self._client: Any = cast("Any", Client)(address, timeout=_CONNECT_SECONDS, set_as_default=False)
        except (OSError, ValueError) as error:
            raise PlanError(
                f"no scheduler answers at {address!r}", why=str(error).partition("\n")[0][:200] or type(error).__name__,
                do="Start one (dask scheduler), or correct the address",
            ) from error  # fmt: skip
        if not self._client.scheduler_info()["workers"]:
            self.close()
            raise PlanError(
                f"the scheduler at {address!r} has no workers",
                do=f"Start some where Kebrin is installed: dask worker {address}",
            )

    def executor(self) -> Executor:
        """The cluster as an executor."""
        executor: Executor = self._client.get_executor(pure=False, retries=2)
        return executor

    def renew(self) -> Executor:
        """The same cluster: it looks after its workers itself."""
        return self.executor()

    def close(self) -> None:
        """Let the cluster go; it goes on running for others."""
        self._client.close()


@contextmanager
def crew_of(workers: int = 1, scheduler: str = "") -> Iterator[Crew | None]:
    """The crew that was asked for: None for this process alone.

    Raises:
        PlanError: both are asked for, or no scheduler answers.
    """
    if workers > 1 and scheduler:
        raise PlanError("name workers or a scheduler, not both", do="Leave one of the two out")
    crew = Cluster(scheduler) if scheduler else Pool(workers) if workers > 1 else None
    try:
        yield crew
    finally:
        if crew is not None:
            crew.close()
