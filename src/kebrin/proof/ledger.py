"""The ledger: every non-blank source cell, counted by what became of it. What nothing claims is listed by address."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.cells import Kind, Sheet, a1
from kebrin.layout import Layout, Role

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

_LISTED = 200


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
}
_USE_OF = {Role.TITLE: Use.TITLE, Role.NOTE: Use.NOTE, Role.FIELD: Use.FIELD}


@dataclass(frozen=True)
class SheetLedger:
    """The account of one sheet.

    `unclaimed` lists addresses (the first 200), `unclaimed_count` counts them all.
    """

    file: str
    sheet: str
    counts: dict[str, int]
    unclaimed: tuple[str, ...]
    unclaimed_count: int

    @property
    def cells(self) -> int:
        """Non-blank cells in all."""
        return sum(self.counts.values())

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {
            "file": self.file,
            "sheet": self.sheet,
            "cells": self.cells,
            "counts": self.counts,
            "unclaimed": list(self.unclaimed),
        }


def account(sheet: Sheet, layouts: Sequence[Layout], tables: Iterable[Table]) -> SheetLedger:
    """The account of a sheet: values are claimed by the tables' own origins, all else by the layouts.

    >>> from kebrin.layout import find_layouts
    >>> from kebrin.tidy import unpivot
    >>> sheet = Sheet.of([["Sailing", "Foot"], ["08:00", 12.0], [None, None], [None, None], [None, None], [7.0, None]])
    >>> layouts = find_layouts(sheet)
    >>> account(sheet, layouts, [unpivot(sheet, layouts[0])]).unclaimed
    ('A6',)
    """
    uses = uses_of(sheet, layouts, tables)
    open_cells = np.argwhere((uses == Use.UNCLAIMED) & sheet.filled)
    tally = np.bincount(uses[sheet.filled], minlength=len(Use))
    counts = {use.word: int(tally[use]) for use in Use if tally[use]}
    listed = tuple(a1(int(row), int(column)) for row, column in open_cells[:_LISTED])
    return SheetLedger(sheet.source, sheet.name, counts, listed, len(open_cells))


def uses_of(sheet: Sheet, layouts: Sequence[Layout], tables: Iterable[Table]) -> NDArray[np.uint8]:
    """The `Use` of each cell (rows x columns); blank cells are unclaimed."""
    uses = np.zeros(sheet.shape, np.uint8)
    for layout in layouts:
        _claim_lines(uses, sheet, layout)
    if not layouts:
        plain_text = (sheet.kinds == Kind.TEXT) & ~sheet.data
        uses[plain_text] = Use.NOTE
    kept = False
    for table in tables:
        _claim_values(uses, sheet, table)
        kept |= any(f"{measure} mark" in table.columns for measure in table.measures)
    if not kept:
        uses[uses == Use.MARK] = Use.MARK_LEFT
    uses[~sheet.filled] = Use.UNCLAIMED
    return uses


def _claim_lines(uses: NDArray[np.uint8], sheet: Sheet, layout: Layout) -> None:
    for (row, column), role in layout.texts.items():
        uses[row, column] = _USE_OF.get(role, Use.NOTE)
    total_rows = [line.at for line in layout.total_lines("row")]
    total_columns = [line.at for line in layout.total_lines("column")]
    stub = [*layout.stub_columns, *layout.beside_columns]
    marks = [column for column, _ in layout.mark_columns]
    columns = [*stub, *marks, *layout.body_columns.tolist(), *total_columns]
    label_rows = [*layout.body_rows.tolist(), *layout.label_rows]
    uses[np.ix_((*layout.boxhead_rows, *layout.repeats), columns)] = Use.HEADING
    _leave_strays(uses, sheet, layout, stub)
    uses[np.ix_(label_rows, stub)] = Use.LABEL
    uses[np.ix_(layout.body_rows, np.array(marks, np.int32))] = Use.MARK
    uses[np.ix_(layout.body_rows, np.array(total_columns, np.int32))] = Use.TOTAL
    uses[np.ix_(total_rows, columns)] = Use.TOTAL
    uses[list(layout.hidden_rows), :] = Use.HIDDEN
    uses[:, list(layout.hidden_columns)] = Use.HIDDEN


def _leave_strays(uses: NDArray[np.uint8], sheet: Sheet, layout: Layout, stub: Sequence[int]) -> None:
    """A figure in the corner over the stub heads nothing, unless a label column is called by it: nothing claims it."""
    names = {*layout.names, layout.stub_head}
    for row in layout.boxhead_rows:
        for column in stub:
            if sheet.data[row, column] and sheet.text(row, column) not in names:
                uses[row, column] = Use.UNCLAIMED


def _claim_values(uses: NDArray[np.uint8], sheet: Sheet, table: Table) -> None:
    for segment in table.origins.segments:
        if segment.sheet == sheet.name and segment.file == sheet.source:
            for measure in segment.columns:
                rows, columns = segment.cells(measure)
                there = columns >= 0
                uses[rows[there], columns[there]] = Use.VALUE
