"""Memory between files: what one file needed for a while goes back to the system before the next ones ask for more.

What is kept of each of many files is small, but it lies among what was let go, and the C library then keeps whole pages of free
memory: 200 kB a workbook of three small sheets, 20 MB in a hundred.
"""

from __future__ import annotations

import ctypes
import sys
from contextlib import suppress
from functools import cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator
    from typing import TypeVar

    T = TypeVar("T")

# After so many files free pages are given back: it takes about a millisecond.
_EVERY = 16


def kept_low(found: Iterable[T]) -> Iterator[T]:
    """The same, one after the other, with free memory given back now and then.

    >>> list(kept_low(range(3)))
    [0, 1, 2]
    """
    for at, one in enumerate(found, 1):
        yield one
        if not at % _EVERY:
            _give_back()(0)


@cache
def _give_back() -> Callable[[int], object]:
    """The GNU C library's call for it (malloc_trim(3)); elsewhere nothing is done."""
    if sys.platform == "linux":
        with suppress(OSError, AttributeError):
            trim: Callable[[int], object] = ctypes.CDLL(None).malloc_trim
            return trim
    return lambda _: None
