"""Detail: the entries of a column become a table of their own, joined to the records by a key; no amount is repeated."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, ValuesError
from kebrin.shape.splitting import split
from kebrin.table import Finding, FindingKind, arrays
from kebrin.table.origin import Origin

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

#: The column that numbers the records where no key is named.
RECORD = "record"


def detail(
    table: Table, column: str, *, key: str = "", at: Sequence[str] = (",", ";"), along: Sequence[str] = (),
    position: str = "", keep_empty: bool = False,
) -> tuple[Table, Table]:  # fmt: skip
    """Move the entries of a column to a table of their own, a row for each entry, with the key of their record.

    The records keep their rows and all their amounts; a record without an entry has no row among the entries.

    Args:
        table: the table.
        column: the column with several entries in a cell.
        key: a column that tells the records apart; they are numbered in a new column `record` if none is named.
        at: the delimiters.
        along: columns that are split in step and move along (names and amounts that pair up); unequal counts are told.
        position: a column to put each entry's place in its cell into, counted from 1.
        keep_empty: whether empty entries get a row.

    Returns:
        The records without the columns that moved, and the entries.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"crew": ["Ann", "Bo"], "papers": ["A1; B2", ""], "fee": [6.0, 1.0]}), ("fee",))
    >>> records, entries = detail(table, "papers", key="crew")
    >>> records.data.to_pydict(), entries.data.to_pydict()
    ({'crew': ['Ann', 'Bo'], 'fee': [6.0, 1.0]}, {'crew': ['Ann', 'Ann'], 'papers': ['A1', 'B2']})

    Raises:
        ValuesError: the key does not tell the records apart.
        PlanError: there is no such column, or the column `record` is taken.
    """
    moved = [column, *along]
    for name in (*moved, *([key] if key else [])):
        table.refuse_absent(name, "detail")
    if key in moved:
        raise PlanError(f"detail can't move its key {key!r}", do="Name another column as key, or none")
    keyed = table if key or _is_numbered(table) else _numbered(table)
    key = key or RECORD
    _refuse_unclear(keyed, key)
    records = keyed.narrowed([name for name in keyed.columns if name not in moved])
    measures = tuple(name for name in table.measures if name in moved)
    alone = replace(
        keyed, data=keyed.data.select([key, *moved]), measures=measures, remarks=(),
        parts=None,
        origins=table.origins if measures else Origin(),
    )  # fmt: skip
    entries = split(alone, column, at=at, position=position, along=along, keep_empty=keep_empty)
    filled = _filled(entries, moved)
    entries = _kept(entries, filled)
    without = len(table) - len(arrays.distinct(arrays.codes_of(_as_labels(entries, key))))
    what = f"detail {column}: {len(table):,} records hold {len(entries):,} entries" + (
        f"; {without:,} record{'s hold' if without > 1 else ' holds'} none" if without else ""
    )
    said = Finding(FindingKind.DETAIL, what, count=len(entries))
    about = [
        one for one in entries.remarks if one.kind != FindingKind.SPLIT
    ]  # rows of records without an entry are gone again
    # What is said of a column goes where the column goes.
    mine = [one for one in table.remarks if not one.column or one.column in moved]
    told = replace(entries, remarks=(*mine, *about, said), steps=table.steps)
    records = records.with_remarks([one for one in table.remarks if one.column not in moved])
    records = records.remarked([said, *(one for one in entries.remarks if one.breaks)])
    return records.step(f"detail {column}", len(table)), told.step(f"detail {column}", len(table))


def _is_numbered(table: Table) -> bool:
    """Whether another step has numbered the records already."""
    return RECORD in table.columns and pa.types.is_integer(table.data.column(RECORD).type)


def _numbered(table: Table) -> Table:
    if RECORD in table.columns:
        raise PlanError(
            f"there is a column {RECORD!r} already", do="Name the column that tells the records apart as key"
        )
    numbers = arrays.whole(np.arange(1, len(table) + 1, dtype=np.int64), pa.int64())
    return replace(table, data=table.data.add_column(0, RECORD, numbers))


def _refuse_unclear(table: Table, key: str) -> None:
    column = table.data.column(key)
    if column.null_count:
        raise ValuesError(
            f"the key {key!r} is missing in {column.null_count:,} of {len(column):,} records", why="their entries would be lost",
            do="Name another key, or none: the records are numbered then",
        )  # fmt: skip
    again = len(column) - len(column.unique())
    if again:
        counts = column.value_counts().to_pylist()
        shown = max(counts, key=lambda one: one["counts"])
        raise ValuesError(
            f"the key {key!r} does not tell the records apart", why=f"{again:,} records bear another's, such as "
            f"{shown['values']!r} ({shown['counts']:,})", do="Name another key, or none: the records are numbered then",
        )  # fmt: skip


def _filled(entries: Table, moved: Sequence[str]) -> NDArray[np.bool_]:
    return np.asarray(
        np.logical_or.reduce([arrays.truths_of(entries.data.column(name).is_valid()) for name in moved]), np.bool_
    )


def _kept(entries: Table, filled: NDArray[np.bool_]) -> Table:
    rows = np.flatnonzero(filled)
    return replace(
        entries,
        data=entries.data.take(arrays.whole(rows, pa.int64())),
        parts=None,
        origins=entries.origins.take(rows) if entries.measures else Origin(),
    )


def _as_labels(entries: Table, key: str) -> pa.DictionaryArray:
    column = entries.data.column(key).combine_chunks()
    return column if pa.types.is_dictionary(column.type) else column.dictionary_encode()
