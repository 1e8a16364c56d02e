"""What was left out of a table, and why: the claims that the reach check verifies before it believes them."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import column_letters

if TYPE_CHECKING:
    from numpy.typing import NDArray


class Why(StrEnum):
    """Why cells were left out."""

    TOTAL = "total"
    MEAN = "mean"
    CARRIED = "carried over"
    REPEAT = "repeated heading"
    UNIT = "unit line"
    PAGE = "page line"
    TITLE = "title"
    NOTE = "note"
    MARK = "footnote marks"
    HIDDEN = "hidden"
    STATED = "left out by the plan"
    COUNT = "count"
    DERIVED = "derived"
    ABOUT = "line about the columns"


@dataclass(frozen=True, eq=False)
class Left:
    """Some cells that were left out.

    Attributes:
        why: the reason.
        axis: 'row' or 'column' for a whole line of a block, 'cells' for single ones.
        at: the line.
        cells: the cells (n x 2), where no line is meant or only a part of it.
        parts: the lines that a total sums, or the rows whose signs are counted.
        across: the columns whose signs are counted.
        signs: the signs.
        cause: what beside arithmetic shows that a line is a total, in words.
        placed: whether that is its place in a hierarchy or among the others: then its label must label its parts.
        stated: whether a person states it.
        like: the rows that a repeated heading repeats.
        label: the line's label, for people.
    """

    why: Why
    axis: str
    at: int = -1
    cells: tuple[tuple[int, int], ...] = ()
    parts: NDArray[np.int32] = field(default_factory=lambda: np.empty(0, np.int32))
    across: NDArray[np.int32] = field(default_factory=lambda: np.empty(0, np.int32))
    signs: tuple[str, ...] = ()
    cause: str = ""
    placed: bool = False
    stated: bool = False
    like: tuple[int, ...] = ()
    label: str = ""

    @property
    def line(self) -> str:
        """The line for people."""
        return f"row {self.at + 1}" if self.axis == "row" else f"column {column_letters(self.at)}"
