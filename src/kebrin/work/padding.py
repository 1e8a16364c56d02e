"""Lists of one form of which some lack a column: one table, the column missing on their rows, and it is said."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.table import Finding, FindingKind, arrays

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from kebrin.table import Table
    from kebrin.work.pieces import Piece, SheetWork

# Two lists are of one form if so many of the columns of the larger are those of the smaller.
_MOSTLY = 0.6


def with_lacking(works: Sequence[SheetWork]) -> list[SheetWork]:
    """The work on some sheets, lists that lack a column or two of others with these, missing on all rows; each sheet says so.

    What is lacking must be a measure of the others: a table without one of its labels is another table.
    """
    forms: dict[frozenset[str], Piece] = {}
    for work in works:
        for piece in work.pieces:
            forms.setdefault(frozenset(piece.table.columns), piece)
    if len(forms) < 2:
        return list(works)
    wider = {own: other for own in forms if (other := _wider(own, forms)) is not None}
    return [_padded(work, wider) for work in works] if wider else list(works)


def _wider(own: frozenset[str], forms: dict[frozenset[str], Piece]) -> Piece | None:
    """The widest list of other sheets that has all columns of a form, and measures besides; None if there is no such one."""
    listed = forms[own].layout.measures
    fits = [
        piece for columns, piece in forms.items()
        if own < columns and len(own) >= _MOSTLY * len(columns) and listed and piece.layout.measures
        and columns - own <= set(piece.table.measures)
        and (piece.file, piece.sheet) != (forms[own].file, forms[own].sheet)
    ]  # fmt: skip
    return max(fits, key=lambda piece: len(piece.table.columns), default=None)


def _padded(work: SheetWork, wider: dict[frozenset[str], Piece]) -> SheetWork:
    pieces, said = [], []
    for piece in work.pieces:
        other = wider.get(frozenset(piece.table.columns))
        if other is None:
            pieces.append(piece)
            continue
        gone = tuple(name for name in other.table.columns if name not in piece.table.columns)
        table = with_columns(piece.table, other.table.columns, other.table.measures)
        pieces.append(replace(piece, table=table, lacks=gone))
        said.append(lacking(piece, gone))
    return replace(work, pieces=tuple(pieces), remarks=(*work.remarks, *said))


def lacking(piece: Piece, gone: Sequence[str]) -> Finding:
    """What is told of a list that lacks columns of its table."""
    what = f"it has no {', '.join(gone)}: missing on its {len(piece.table):,} rows"
    return Finding(FindingKind.MISSING_COLUMN, what, piece.file, piece.sheet, count=len(piece.table))


def with_columns(table: Table, every: tuple[str, ...], measures: Collection[str]) -> Table:
    """The table with all columns in one order, missing where it has none; a measure that is missing has no cells.

    Args:
        table: the table.
        every: the columns that it is to have, its own among them.
        measures: those of them that are measures.
    """
    gone = [name for name in every if name not in table.columns]
    if not gone:
        return table.narrowed(every) if table.columns != every else table
    blank = arrays.numbers(np.full(len(table), np.nan))
    labels = arrays.labels(np.full(len(table), -1, np.int32), [])
    columns = [
        table.data.column(name) if name in table.columns else blank if name in measures else labels for name in every
    ]
    lost = [name for name in gone if name in measures]
    segments = tuple(
        replace(one, columns=one.columns | {name: np.full(one.width, -1, np.int32) for name in lost})
        for one in table.origins.segments
    )
    origins = replace(table.origins, segments=segments)
    own = tuple(name for name in every if name in table.measures or name in lost)
    return replace(table, data=pa.Table.from_arrays(columns, names=list(every)), measures=own, origins=origins)
