"""A line of progress on standard error: after a second only, and on a terminal only."""

from __future__ import annotations

import sys
import time
from typing import Self

_QUIET_SECONDS = 1.0
_BETWEEN_SECONDS = 0.1
_WIDTH, _BAR = 78, 20


class Progress:
    """Tells which file is being read, how many are done, the rows so far, and about how long it will still take.

    >>> with Progress(shown=False) as progress:
    ...     progress.at("traffic_2031.xlsx")
    """

    def __init__(self, *, shown: bool, total: int = 0) -> None:
        self.shown = shown and sys.stderr.isatty()
        self.total = total
        self.count = 0
        self.started = time.monotonic()
        self.last = 0.0
        self.dirty = False

    def at(self, file: str) -> None:
        """The next file is begun."""
        if "kebrin.cli.journal" in sys.modules:
            sys.modules["kebrin.cli.journal"].say("reads", file=file)
        self.count += 1
        done = self.count - 1
        place = f"{self.count} of {self.total}" if self.total else f"file {self.count}"
        self._show(f"{place}: {file}", done / self.total if self.total > 1 else 0.0)

    def inside(self, file: str, rows: int, of_rows: int) -> None:
        """So many rows of a long file have passed, of about so many."""
        self._show(f"{file}: {rows:,} rows", min(rows / max(of_rows, 1), 1.0))

    def _show(self, said: str, share: float) -> None:
        now = time.monotonic()
        if not self.shown or now - self.started < _QUIET_SECONDS or now - self.last < _BETWEEN_SECONDS:
            return
        self.last = now
        ahead = ""
        if share > 0:
            left = (now - self.started) * (1 - share) / share
            filled = round(share * _BAR)
            ahead = f"[{'#' * filled}{'.' * (_BAR - filled)}] {_left(left)}  "
        print(f"\r{f'{ahead}{said}'[:_WIDTH]:<{_WIDTH}}", end="", file=sys.stderr, flush=True)
        self.dirty = True

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        if self.dirty:
            print(f"\r{'':<{_WIDTH}}\r", end="", file=sys.stderr, flush=True)


def _left(seconds: float) -> str:
    """A time that is left, as people say it.

    >>> _left(4.2), _left(190), _left(7300)
    ('4 s left', '3 min left', '2 h left')
    """
    if seconds < 90:
        return f"{seconds:.0f} s left"
    return f"{seconds / 60:.0f} min left" if seconds < 5_400 else f"{seconds / 3600:.0f} h left"
