"""The ledger: every non-blank source cell, counted by what became of it. What nothing claims is listed by address."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import IntEnum
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.address import a1
from kebrin.table.findings import Finding, FindingKind, Settle

if TYPE_CHECKING:
    from collections.abc import Collection, Iterable, Mapping

    from numpy.typing import NDArray

_SHOWN = 6
# Of more cells no line of a plan is offered: they are no few that say nothing.
_MOST_OFFERED = 200


#: Rows whose cells are values of a table.
RECORDS = "records"


class Use(IntEnum):
    """What a source cell was used for, or why it was left out."""

    UNCLAIMED = 0
    VALUE = 1
    LABEL = 2
    HEADING = 3
    FIELD = 4
    TOTAL = 5
    TITLE = 6
    NOTE = 7
    HIDDEN = 8
    MARK = 9
    MARK_LEFT = 10
    REPEAT = 11
    STATED = 12
    ABOUT = 13
    DERIVED = 14

    @property
    def word(self) -> str:
        """The use for people."""
        return _WORDS[self]


_WORDS = {
    Use.UNCLAIMED: "unclaimed",
    Use.VALUE: "used as values",
    Use.LABEL: "used as labels (stub)",
    Use.HEADING: "used as labels (boxhead)",
    Use.FIELD: "fields",
    Use.TOTAL: "left out: total lines",
    Use.TITLE: "left out: titles",
    Use.NOTE: "left out: notes",
    Use.HIDDEN: "left out: hidden rows and columns",
    Use.MARK: "footnote marks beside values",
    Use.MARK_LEFT: "left out: footnote marks beside values",
    Use.REPEAT: "left out: headings said again",
    Use.STATED: "left out: by the plan",
    Use.DERIVED: "left out: derived lines",
    Use.ABOUT: "left out: lines about the columns",
}


#: What a row of a sheet is, by the first of these uses that one of its cells has.
_ROWS = (
    (Use.VALUE, RECORDS), (Use.HEADING, "headings"), (Use.TOTAL, "total lines"), (Use.DERIVED, "derived lines"),
    (Use.ABOUT, "lines about the columns"), (Use.REPEAT, "headings said again"), (Use.HIDDEN, "hidden"),
    (Use.STATED, "left out by the plan"),
    (Use.UNCLAIMED, "unclaimed"), (Use.LABEL, "heads of sections"),
)  # fmt: skip


def rows_by_use(uses: NDArray[np.uint8], filled: NDArray[np.bool_]) -> dict[str, int]:
    """How many rows of a sheet are records, headings, totals and so on, down to the last that holds something.

    Args:
        uses: codes of `Use` (rows x columns).
        filled: which cells hold something.

    >>> uses = np.array([[6, 0], [3, 3], [2, 1], [0, 0], [5, 5]], np.uint8)
    >>> rows_by_use(uses, uses > 0)
    {'records': 1, 'headings': 1, 'total lines': 1, 'other texts': 1, 'blank': 1}
    """
    any_filled = np.asarray(filled.any(axis=1))
    ends = int(np.flatnonzero(any_filled)[-1]) + 1 if any_filled.any() else 0
    at = np.where(any_filled[:ends], len(_ROWS), len(_ROWS) + 1)
    for place, (use, _) in reversed(list(enumerate(_ROWS))):
        at[((uses[:ends] == use) & filled[:ends]).any(axis=1)] = place
    counts = np.bincount(at, minlength=len(_ROWS) + 2).tolist()
    words = (*(word for _, word in _ROWS), "other texts", "blank")
    return {word: count for word, count in zip(words, counts, strict=True) if count}


@dataclass(frozen=True)
class LeftLine:
    """One line that was left out, for people: which, its label, why, its parts."""

    line: str
    label: str
    why: str
    cause: str
    parts: str

    def __str__(self) -> str:
        label = f" {self.label!r}" if self.label else ""
        parts = f", of {self.parts}" if self.parts else ""
        cause = f" ({self.cause})" if self.cause else ""
        return f"{self.line}{label}: {self.why}{parts}{cause}"


@dataclass(frozen=True)
class SheetLedger:
    """The account of one sheet.

    Attributes:
        file: the file.
        sheet: the sheet's name.
        counts: cells by use.
        unclaimed: addresses of cells that reach nothing (the first 200).
        unclaimed_count: how many there are.
        objections: what else the reach check found wrong.
        lines: the lines that were left out, one by one.
        notes: what is told of texts among the records, or over columns without values, that are in no table.
        via: for each column of the table that cells arrived in as labels or fields: how many, and the first of them.
        open_cells: all cells that reach nothing, for tables of one sheet to share their account.
        row_uses: rows by what they are (see `rows_by_use`); they add up to the rows of the sheet.
    """

    file: str
    sheet: str
    counts: dict[str, int]
    unclaimed: tuple[str, ...]
    unclaimed_count: int
    objections: tuple[Finding, ...] = ()
    lines: tuple[LeftLine, ...] = ()
    notes: tuple[Finding, ...] = ()
    via: dict[str, tuple[int, tuple[str, ...], str]] = field(default_factory=dict)
    open_cells: frozenset[tuple[int, int]] = frozenset()
    row_uses: dict[str, int] = field(default_factory=dict)

    def shared(self, others: Iterable[SheetLedger]) -> SheetLedger:
        """The account of a sheet that several tables are made of: what any of them claims is claimed."""
        still = self.open_cells
        for other in others:
            still &= other.open_cells
        taken = len(self.open_cells) - len(still)
        if not taken:
            return self
        counts = dict(self.counts)
        counts[Use.UNCLAIMED.word] = counts.get(Use.UNCLAIMED.word, 0) - taken
        counts["used by other tables of the plan"] = taken
        shown = tuple(a1(*cell) for cell in sorted(still)[:200])
        more = self.unclaimed_count - len(self.open_cells)  # cells that came by a column that is gone
        return replace(
            self, counts={use: count for use, count in counts.items() if count}, unclaimed=shown,
            unclaimed_count=len(still) + more, open_cells=still,
        )  # fmt: skip

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What breaks the proof of this sheet, cells that reach nothing first, and what is told of texts that are in no table."""
        if not self.unclaimed_count:
            return (*self.objections, *self.notes)
        cells = "source cell is" if self.unclaimed_count == 1 else "source cells are"
        what = f"{self.unclaimed_count:,} {cells} unclaimed"
        kind = FindingKind.UNCLAIMED
        own = Finding(
            kind, what, self.file, self.sheet, self.unclaimed[:_SHOWN], self.unclaimed_count, breaks=True, settle=self._answers
        )  # fmt: skip
        return (own, *self.objections, *self.notes)

    @property
    def _answers(self) -> tuple[Settle, ...]:
        """The line that leaves cells out which say nothing of the rows, as long as they are few and stand on the sheet alone."""
        if self.unclaimed_count != len(self.open_cells) or self.unclaimed_count > _MOST_OFFERED:
            return ()
        places = _rectangles(self.open_cells)
        says = "it says" if self.unclaimed_count == 1 else "they say"
        return (Settle("leave_out", places, says=f"{says} nothing of the rows"),) if 0 < len(places) <= _SHOWN else ()

    @property
    def cells(self) -> int:
        """Non-blank cells in all."""
        return sum(self.counts.values())

    def resolved(
        self, columns: Collection[str], *, constant: Collection[str] = (), renamed: Mapping[str, str] | None = None,
        by_plan: bool = False,
    ) -> SheetLedger:  # fmt: skip
        """The account held against the tables' final columns: cells that came by a column that is gone are unclaimed.

        Args:
            columns: the columns of the finished tables.
            constant: headings that say the same on every row, and are told.
            renamed: columns that bear another name than on the sheet.
            by_plan: whether a plan chose the columns; what it does not take is then left out by it.
        """
        names = renamed or {}
        there = {*columns, *constant}
        gone = {name: said for name, said in self.via.items() if name not in there and names.get(name) not in columns}
        if not gone:
            return self
        counts = dict(self.counts)
        into = Use.STATED if by_plan else Use.UNCLAIMED
        for count, _, use in gone.values():
            counts[use] = counts.get(use, 0) - count
            counts[into.word] = counts.get(into.word, 0) + count
        kept = replace(
            self, counts={use: count for use, count in counts.items() if count},
            via={name: said for name, said in self.via.items() if name not in gone},
        )  # fmt: skip
        if by_plan:
            return kept
        cells = tuple(cell for _, shown, _ in gone.values() for cell in shown)
        lost = sum(count for count, _, _ in gone.values())
        return replace(kept, unclaimed=(*self.unclaimed, *cells), unclaimed_count=self.unclaimed_count + lost)

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {
            "file": self.file,
            "sheet": self.sheet,
            "cells": self.cells,
            "counts": self.counts,
            "rows": self.row_uses,
            "unclaimed": list(self.unclaimed),
            "objections": [one.to_plain() for one in self.objections],
            "lines left out": [vars(line) for line in self.lines],
        }


def _rectangles(cells: Collection[tuple[int, int]]) -> list[str]:
    """Cells as a plan names them, neighbours in one: "cell B3", "cells A1:D1".

    >>> _rectangles({(0, 0), (0, 1), (1, 0), (1, 1), (4, 2)})
    ['cells A1:B2', 'cell C5']
    """
    runs: list[list[int]] = []  # row, first and last column
    for row, column in sorted(cells):
        if runs and runs[-1][0] == row and runs[-1][2] == column - 1:
            runs[-1][2] = column
        else:
            runs.append([row, column, column])
    found: list[list[int]] = []  # top, left, bottom, right
    for row, first, last in runs:
        above = next((one for one in found if one[1:] == [first, row - 1, last]), None)
        if above is not None:
            above[2] = row
        else:
            found.append([row, first, row, last])
    return [
        f"cell {a1(top, left)}" if (top, left) == (bottom, right) else f"cells {a1(top, left)}:{a1(bottom, right)}"
        for top, left, bottom, right in found
    ]
