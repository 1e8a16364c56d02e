"""Threads: parts of one job done side by side."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, TypeVar

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

Part = TypeVar("Part")
Made = TypeVar("Made")

_MOST_THREADS = 4


def in_parallel(work: Callable[[Part], Made], parts: Sequence[Part]) -> list[Made]:
    """What some work makes of each part, in order; done by several threads, since NumPy lets go of the interpreter."""
    cores = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    threads = min(cores, _MOST_THREADS, len(parts))
    if threads < 2:
        return [work(part) for part in parts]
    from concurrent.futures import ThreadPoolExecutor

    with ThreadPoolExecutor(threads) as pool:
        return list(pool.map(work, parts))
