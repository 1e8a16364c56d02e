"""Stack: tables of the same columns, one below the other."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.table import Origin, StepCount, Table, arrays

if TYPE_CHECKING:
    from collections.abc import Sequence


def stack(tables: Sequence[Table]) -> Table:
    """One table with the rows of all, in order. Labels share one list per column, as if they came from one sheet.

    A measure that is text in one table and numbers in another becomes text: the column decides.

    Raises:
        PlanError: there is no table, or their columns differ.
    """
    if not tables:
        raise PlanError("there is nothing to stack", do="Give at least one table")
    first = tables[0]
    tables = [first, *(_in_order(table, first) for table in tables[1:])]
    for table in tables[1:]:
        if table.columns != first.columns:
            raise PlanError(
                "these tables can't be stacked", why=f"one has the columns {', '.join(first.columns)}, "
                f"another {', '.join(table.columns)}", do="Tidy them as tables of their own",
            )  # fmt: skip
    # What is a value in one table and a label in another is a label in the stack: it has no origin everywhere.
    measures = tuple(name for name in first.measures if all(name in table.measures for table in tables))
    if len(tables) == 1:
        return first
    pieces = {name: [table.data.column(name) for table in tables] for name in first.columns}
    columns = [_joined(columns) for columns in pieces.values()]
    data = pa.Table.from_arrays(columns, names=list(pieces))
    steps = (*(step for table in tables for step in table.steps), StepCount("stack", len(data), len(data)))
    remarks = tuple(remark for table in tables for remark in table.remarks)
    origins = sum((table.origins for table in tables), Origin())
    return replace(first, data=data, measures=measures, origins=origins, steps=steps, remarks=remarks)


def _in_order(table: Table, first: Table) -> Table:
    """A table of the same columns in the first one's order."""
    if table.columns == first.columns or sorted(table.columns) != sorted(first.columns):
        return table
    return table.narrowed(first.columns)


def _joined(pieces: list[pa.ChunkedArray]) -> pa.ChunkedArray:
    if any(pa.types.is_dictionary(piece.type) for piece in pieces) and len({piece.type for piece in pieces}) > 1:
        # Labels in one table and values in another: the column is one of texts.
        pieces = [
            piece.cast(piece.type.value_type) if pa.types.is_dictionary(piece.type) else piece for piece in pieces
        ]
    if pa.types.is_dictionary(pieces[0].type):
        return pa.chunked_array([chunk for piece in pieces for chunk in piece.chunks]).unify_dictionaries()
    kinds = {piece.type for piece in pieces if piece.null_count < len(piece)} or {pieces[0].type}
    kind = kinds.pop() if len(kinds) == 1 else pa.string()
    return pa.chunked_array([chunk for piece in pieces for chunk in _cast(piece, kind).chunks], type=kind)


def _cast(piece: pa.ChunkedArray, kind: pa.DataType) -> pa.ChunkedArray:
    if piece.type == kind:
        return piece
    if piece.null_count == len(piece):
        return pa.chunked_array([pa.nulls(len(piece), kind)], type=kind)
    if pa.types.is_floating(piece.type) and pa.types.is_string(kind):
        from kebrin.cells import as_label

        texts = [None if value is None else as_label(value) for value in piece.to_pylist()]
        return pa.chunked_array([arrays.texts(texts)])
    return piece.cast(kind)
