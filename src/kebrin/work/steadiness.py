"""Steady tables: what the first part of a long text shows, if it can be held against the rest row by row."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind
from kebrin.grammar.legend import read_key
from kebrin.table import FindingKind, arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.work.pieces import Piece, SheetWork

#: Remarks of the first part that are counted anew over the whole file.
COUNTED = frozenset({FindingKind.MISSING_MARK, FindingKind.READ})
# Of the rows of the first part so many must be of the table for it to be a steady one.
_FEWEST = 50


@dataclass(frozen=True)
class Steady:
    """A table that the first part of a long file shows: its layout, and the sheet's columns of its labels and values.

    Attributes:
        piece: what the first part gave.
        labels: the sheet's column of each label column, in the table's order.
        measures: the sheet's columns of each measure; several where they stand across.
        over: labels over these columns, as codes and texts, by name.
        keeps: whether records without a value stay.
    """

    piece: Piece
    labels: dict[str, int]
    measures: dict[str, NDArray[np.int32]]
    over: dict[str, tuple[NDArray[np.int32], list[str]]]
    keeps: bool

    @property
    def first(self) -> int:
        """The first row of the body."""
        return int(self.piece.layout.body_rows[0])

    @property
    def width(self) -> int:
        """The records that a row gives."""
        return len(next(iter(self.measures.values())))


def steady(head: Sheet, work: SheetWork, *, keeps: bool = False) -> Steady | None:
    """The one steady table that the first part of a file shows; None if there is none.

    `keeps` says whether a row for each empty cell was asked for.
    """
    told = all(one.kind == FindingKind.FILE for one in work.remarks)
    if len(work.pieces) != 1 or not told or work.ledger.unclaimed_count or work.ledger.objections:
        return None
    (piece,) = work.pieces
    layout, table = piece.layout, piece.table
    odd = (
        layout.totals,
        layout.label_rows,
        layout.repeats,
        any(page > layout.body_rows[0] for page in layout.pages) if len(layout.body_rows) else layout.pages,
        layout.mark_columns,
        layout.left_out,
        layout.notes,
    )
    rows = layout.body_rows
    if any(odd) or len(rows) < _FEWEST or int(rows[-1]) != head.shape[0] - 1 or (np.diff(rows) != 1).any():
        return None
    if (
        _has_key(head, int(rows[0]))
        or head.hints.none
        or any(level.pattern[0] for level in layout.boxhead)
        or layout.questions
        or piece.scale
        or head.readings.open
        or any(level.joined for level in layout.boxhead)
    ):
        return None
    (segment,) = table.origins.segments
    labels = {}
    for level in layout.stub:
        columns = level.cells % head.shape[1]
        own = (level.cells // head.shape[1] == rows).all() and (columns == level.line).all()
        if not own or (level.codes < 0).any():
            return None
        labels[level.name] = level.line
    over = _over(piece, tuple(name for name in table.dimensions if name not in labels))
    if over is None or any(remark.kind not in COUNTED for remark in table.remarks):
        return None
    return Steady(piece, labels, segment.columns, over, layout.listed or keeps)


def _has_key(head: Sheet, until: int) -> bool:
    """Whether a text above the body explains signs: the rest of the file may hold one that the first part does not."""
    return any(
        read_key(head.text(row, column)) for row, column in np.argwhere(head.kinds[:until] == Kind.TEXT).tolist()
    )


def _over(piece: Piece, names: Sequence[str]) -> dict[str, tuple[NDArray[np.int32], list[str]]] | None:
    """The labels over the columns, as codes and texts; None if the first row does not show them all."""
    layout, table = piece.layout, piece.table
    if not layout.measures:
        return {level.name: (level.codes, list(level.texts)) for level in layout.boxhead if level.name in names}
    (segment,) = table.origins.segments
    if segment.kept is not None:
        return None
    found = {}
    for name in names:
        column = table.data.column(name).chunk(0)
        found[name] = (arrays.codes_of(column)[: segment.width].astype(np.int32), column.dictionary.to_pylist())
    return found
