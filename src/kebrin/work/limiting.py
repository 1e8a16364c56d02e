"""Steps that are limited to some rows: the texts of two branches, each in its own convention, in one column."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.cells import as_label
from kebrin.errors import PlanError
from kebrin.shape.choosing import rows_of
from kebrin.shape.conditions import fulfilled, said_of
from kebrin.table import Finding, FindingKind, Table, arrays

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from numpy.typing import NDArray

# How a column is read that some steps have written out plainly, once all its rows are.
_FINAL: dict[str, dict[str, Any]] = {
    "number": {"decimal": "point"},
    "date": {"order": "year first"},
    "period": {},
    "flag": {},
}
#: The verbs that can be limited: they read one column.
LIMITED = frozenset({"number", "date", "period", "recode", "flag", "missing", "text"})


class Limited:
    """Takes steps on some rows of a table, and knows which rows of a column have been read so far."""

    def __init__(self, read: Mapping[tuple[str, str], NDArray[np.bool_]] | None = None) -> None:
        self.read = dict(read or {})

    def take(
        self,
        table: Table,
        column: str,
        verb: str,
        taken: Callable[..., Table],
        options: dict[str, Any],
        where: Mapping[str, Any],
    ) -> Table:
        """The table after a step on the rows that fulfil a condition.

        What is read is written out plainly (`1234.5`, `2031-04-01`) beside the texts of the other rows; when steps of one verb
        have read every row that says something, the column becomes what they read.

        Raises:
            PlanError: the step makes more columns, or no row fulfils the condition.
        """
        table.refuse_absent(column, verb)
        flags = fulfilled(table, where)
        rows = np.flatnonzero(flags)
        if not len(rows):
            raise PlanError(
                f"{verb} {column}: no row fulfils where", why=said_of(where), do="Correct where in the step"
            )
        part = taken(rows_of(table.with_remarks(()), rows), column, **options)
        if part.columns != table.columns:
            raise PlanError(
                f"{verb} {column} makes columns of its own", why="where limits steps that change one column and no other",
                do="Leave out where, or the options that make columns",
            )  # fmt: skip
        at = table.columns.index(column)
        was, made = table.data.column(column), part.data.column(column)
        alike = pa.types.is_floating(was.type) and pa.types.is_floating(made.type)
        data = table.data.set_column(at, column, _scattered(was, made, rows) if alike else _written(was, made, rows))
        note = Finding(
            FindingKind.LIMITED,
            f"{verb} {column}: on {len(rows):,} of {len(table):,} rows, where {said_of(where)}",
            count=len(rows),
        )
        after = replace(table, data=data).remarked([*part.remarks, note])
        after = after.step(f"{verb} {column}", len(table), f"where {said_of(where)}")
        return self._finished(after, column, verb, taken, flags)

    def _finished(
        self, table: Table, column: str, verb: str, taken: Callable[..., Table], flags: NDArray[np.bool_]
    ) -> Table:
        """The column as what was read, once no row is left that says something and was not read."""
        key = (verb, column)
        before = self.read.get(key)
        read = flags if before is None or len(before) != len(flags) else before | flags
        self.read[key] = read
        left = ~read & ~arrays.nulls_of(table.data.column(column))
        if verb not in _FINAL or left.any() or not pa.types.is_string(table.data.column(column).type):
            return table
        done = taken(table.with_remarks(()), column, **_FINAL[verb])
        return done.with_remarks(table.remarks)


def _scattered(was: pa.ChunkedArray, made: pa.ChunkedArray, rows: NDArray[np.intp]) -> pa.Array:
    """A column of numbers with those of some rows in place of its own."""
    numbers = arrays.floats_of(was).copy()
    numbers[rows] = arrays.floats_of(made)
    return arrays.numbers(numbers)


def _written(was: pa.ChunkedArray, made: pa.ChunkedArray, rows: NDArray[np.intp]) -> pa.Array:
    """A column as texts, with what was read on some rows written out plainly."""
    texts: list[str | None] = [None if one is None else as_label(one) for one in was.to_pylist()]
    for row, value in zip(rows.tolist(), made.to_pylist(), strict=True):
        texts[row] = None if value is None else value.isoformat() if hasattr(value, "isoformat") else as_label(value)
    return arrays.texts(texts)
