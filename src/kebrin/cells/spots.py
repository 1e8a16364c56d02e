"""Spots: where each row of a sheet stands in a file that has no cells of its own, put into words when one is asked for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, overload

if TYPE_CHECKING:
    from collections.abc import Callable


@dataclass(frozen=True)
class Spots(Sequence[tuple[str, str]]):
    """A place and a text for each row.

    >>> Spots(2, lambda row: (f"line {row + 1}", "Hallan  12"))[1]
    ('line 2', 'Hallan  12')

    Attributes:
        rows: how many rows there are.
        of: what is said of one.
    """

    rows: int
    of: Callable[[int], tuple[str, str]]

    def __len__(self) -> int:
        return self.rows

    @overload
    def __getitem__(self, at: int) -> tuple[str, str]: ...
    @overload
    def __getitem__(self, at: slice) -> list[tuple[str, str]]: ...
    def __getitem__(self, at: int | slice) -> tuple[str, str] | list[tuple[str, str]]:
        if isinstance(at, slice):
            return [self.of(one) for one in range(*at.indices(self.rows))]
        if not -self.rows <= at < self.rows:
            raise IndexError(at)
        return self.of(at % self.rows)
