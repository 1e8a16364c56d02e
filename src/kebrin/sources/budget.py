"""The budget of work on one file: cells by its size, and seconds of processor where a command or a worker does the work.

What makes more than was counted beforehand, or takes longer than anybody foresaw, ends here with a word.
"""

from __future__ import annotations

import signal
import stat
import threading
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.errors import Place, SourceError
from kebrin.sources.limits import Budget, limits, spending

if TYPE_CHECKING:
    from collections.abc import Iterator

# What is packed is larger than it looks.
_PACKED, _PACKED_TIMES = {".gz", ".zip", ".bz2", ".xz"}, 10
_MB = 1 << 20
_is_timed: list[bool] = []


class _SpentError(BaseException):
    """No error that a package beneath would catch."""


def time_it() -> None:
    """Have processor time counted in this process from now on: its timer for that is ours."""
    if hasattr(signal, "setitimer") and not _is_timed:
        _is_timed.append(True)


@contextmanager
def budget_of(path: str | Path) -> Iterator[None]:
    """Work on one file within its budget; what is read inside of it, as a part of an archive, may add to it.

    >>> with budget_of("traffic.xlsx"):
    ...     limits().seconds
    20

    Raises:
        SourceError: it took more than its limits allow.
    """
    size = size_of(Path(path))
    outer = spending()
    if outer is not None:
        outer.size = max(outer.size, size)
        _arm(outer)
        yield
        return
    own = Budget(size, str(path))
    try:
        with own:
            try:
                _arm(own)
                yield
            finally:  # what the timer says from now on comes too late
                _disarm(own)
    except _SpentError:
        least, all_of_it = limits().seconds, _seconds(own)
        raise SourceError(
            "it took longer than a report of its size takes", Place(str(path)),
            why=f"{all_of_it:,} seconds of processor are gone; the limit 'seconds' is {least:,}, and 2 for each MB",
            do=f"If you trust the file, raise it: kebrin --limit seconds={10 * least} ...",
        ) from None  # fmt: skip


def size_of(path: Path) -> int:
    """The bytes of a file, or of the archive that it lies in; 0 where there is none."""
    for one in (path, *path.parents):
        try:
            state = one.stat()
        except (FileNotFoundError, NotADirectoryError):
            continue
        except (OSError, ValueError):
            return 0
        if stat.S_ISREG(state.st_mode):
            return state.st_size * (_PACKED_TIMES if one.suffix.lower() in _PACKED else 1)
    return 0


def _seconds(budget: Budget) -> int:
    return limits().seconds + 2 * budget.size // _MB


def _arm(budget: Budget) -> None:
    """Set the timer to what is left, where this process may; only its first thread can be stopped."""
    if not _is_timed or threading.current_thread() is not threading.main_thread():
        return

    def stop(_number: int, _frame: object) -> Any:
        if spending() is budget:
            raise _SpentError

    left: float = _seconds(budget)
    if budget.before is None:
        budget.before = signal.signal(signal.SIGPROF, stop)
    elif budget.armed >= left:
        return
    else:
        left = max(left - budget.armed + signal.getitimer(signal.ITIMER_PROF)[0], 1)
    budget.armed = _seconds(budget)
    # A package may swallow what is raised: it is raised again every second.
    signal.setitimer(signal.ITIMER_PROF, left, 1.0)


def _disarm(budget: Budget) -> None:
    if budget.before is not None:
        signal.setitimer(signal.ITIMER_PROF, 0)
        signal.signal(signal.SIGPROF, budget.before)
