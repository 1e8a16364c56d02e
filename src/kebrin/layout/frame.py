"""Frames: the lines of a block before its totals and labels are known."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from kebrin.cells import Area

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from kebrin.layout.model import Counted, Evidence, FieldCell


@dataclass(frozen=True)
class Frame:
    """The lines of a block before its totals and labels are known."""

    boxhead: tuple[int, ...]
    heads: tuple[int, ...]  # the boxhead rows and those that hold stub heads only
    stub: tuple[int, ...]
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    evidence: tuple[Evidence, ...]
    hidden_rows: tuple[int, ...]
    hidden_columns: tuple[int, ...]
    repeats: tuple[int, ...] = ()
    pages: tuple[int, ...] = ()
    beside: tuple[int, ...] = ()
    marks: tuple[tuple[int, int], ...] = ()
    listed: bool = False  # one header row over a list, whose columns are measures
    grouped: bool = False  # the labels of a list are said once for several records
    sections: tuple[int, ...] = ()  # rows of a list that head the records below them
    comments: tuple[int, ...] = ()  # rows of a list that are no records
    counts: tuple[Counted, ...] = ()  # lines that count the signs of the body
    pattern: str = ""  # how each heading says several things in one

    @property
    def area(self) -> Area:
        """The rectangle over boxhead, stub and body."""
        rows = (*self.heads, *self.rows.tolist())
        columns = (*self.stub, *self.columns.tolist(), *self.beside, *(column for column, _ in self.marks))
        rows = (*rows, *(one.at for one in self.counts if one.axis == "row"))
        columns = (*columns, *(one.at for one in self.counts if one.axis == "column"))
        return Area(min(rows), min(columns), max(rows), max(columns))


@dataclass(frozen=True, eq=False)
class Around:
    """What surrounds a block: the filled cells that are its own but outside every block, and fields from above."""

    cells: NDArray[np.bool_]
    inherited: tuple[FieldCell, ...] = ()
