"""A line of progress on standard error: after a second only, and on a terminal only."""

from __future__ import annotations

import sys
import time
from typing import Self

_QUIET_SECONDS = 1.0
_WIDTH = 78


class Progress:
    """Tells which file is being read.

    >>> with Progress(shown=False) as progress:
    ...     progress.at("traffic_2031.xlsx")
    """

    def __init__(self, *, shown: bool, total: int = 0) -> None:
        self.shown = shown and sys.stderr.isatty()
        self.total = total
        self.count = 0
        self.started = time.monotonic()
        self.dirty = False

    def at(self, file: str) -> None:
        """The next file is begun."""
        self.count += 1
        if self.shown and time.monotonic() - self.started > _QUIET_SECONDS:
            place = f"{self.count} of {self.total}" if self.total else f"file {self.count}"
            print(f"\r{f'{place}: {file}'[:_WIDTH]:<{_WIDTH}}", end="", file=sys.stderr, flush=True)
            self.dirty = True

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        if self.dirty:
            print(f"\r{'':<{_WIDTH}}\r", end="", file=sys.stderr, flush=True)
