"""The first of several columns that says something, and what is said where none does."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import as_label
from kebrin.errors import PlanError
from kebrin.table import Finding, FindingKind, arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table


def first_of(table: Table, columns: Sequence[str], *, into: str = "", otherwise: str | float | None = None) -> Table:
    """What the first of some columns says that says anything; where none does, what is stated, or nothing.

    Columns of one kind stay of that kind; of several kinds they become texts. How many rows took what they say from which column
    is told.

    Args:
        table: the table.
        columns: the columns, the one that counts most first; one alone is filled where it is missing.
        into: the column to make; the first of `columns` itself by default.
        otherwise: what is said where all of them are missing: a text, or a number where they hold numbers.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"desk": ["12", None, None], "mobile": [None, "77", None]}), ())
    >>> first_of(table, ["desk", "mobile"], into="call", otherwise="none").data.column("call").to_pylist()
    ['12', '77', 'none']

    Raises:
        PlanError: there is no such column, `into` is another one already, or a text is to stand among numbers.
    """
    if not columns:
        raise PlanError("first_of needs columns", do="Name one at least")
    for name in columns:
        table.refuse_absent(name, "first_of")
    into = into or columns[0]
    if into in table.columns and into != columns[0]:
        raise PlanError(f"there is a column {into!r} already", do="State another name as into")
    taken = _alike([table.data.column(name) for name in columns])
    if otherwise is not None:
        taken.append(_said(otherwise, taken[0], into))
    # Which column each row takes what it says from; the last stands for none.
    known = np.stack([~arrays.nulls_of(column) for column in taken[: len(columns)]])
    at = np.where(known.any(axis=0), known.argmax(axis=0), len(columns))
    table = _with(table, into, _chosen(taken, at, len(columns)))
    counts = np.bincount(at, minlength=len(columns) + 1).tolist()
    said = [f"{count:,} from {name}" for name, count in zip(columns, counts, strict=False) if count]
    rest = counts[-1]
    said += [f"{rest:,} {otherwise!r}" if otherwise is not None else f"{rest:,} missing"] if rest else []
    what = f"{into} is the first of {', '.join(columns)}: {', '.join(said)}"
    return table.remarked([Finding(FindingKind.COMPUTED, what, count=rest)]).step(f"first_of {into}", len(table), what)


def _alike(columns: Sequence[pa.ChunkedArray]) -> list[pa.ChunkedArray]:
    """Columns of one kind with their labels written out; as texts where they are of several kinds."""
    plain = [one.cast(one.type.value_type) if pa.types.is_dictionary(one.type) else one for one in columns]
    if len({one.type for one in plain}) == 1:
        return plain
    said = [[None if value is None else as_label(value) for value in one.to_pylist()] for one in plain]
    return [pa.chunked_array([arrays.texts(texts)]) for texts in said]


def _said(otherwise: str | float, like: pa.ChunkedArray, into: str) -> pa.ChunkedArray:
    """What is said where nothing is, once, in the kind of the others."""
    if pa.types.is_string(like.type):
        return pa.chunked_array([[as_label(otherwise)]], like.type)
    if pa.types.is_floating(like.type) and isinstance(otherwise, (int, float)) and not isinstance(otherwise, bool):
        return pa.chunked_array([[float(otherwise)]], like.type)
    raise PlanError(
        f"{otherwise!r} can't stand in {into!r}", why=f"the column holds {arrays.kind_of(like)}s",
        do="State a value of that kind, or make the column text before",
    )  # fmt: skip


def _chosen(taken: Sequence[pa.ChunkedArray], at: NDArray[np.intp], columns: int) -> pa.ChunkedArray:
    """The value of each row from the column that it takes it from; behind these stands what is said where there is none."""
    whole = pa.chunked_array([chunk for one in taken for chunk in one.chunks], taken[0].type).combine_chunks()
    starts = np.cumsum([0, *map(len, taken)])
    none = starts[columns] if len(taken) > columns else -1
    place = np.where(at < columns, starts[at] + np.arange(len(at)), none)
    return pa.chunked_array([whole.take(pa.array(place, mask=place < 0))])


def _with(table: Table, into: str, column: pa.ChunkedArray) -> Table:
    if into not in table.columns:
        return replace(table, data=table.data.append_column(into, column))
    return replace(table, data=table.data.set_column(table.columns.index(into), into, column))
