"""Columns: several joined into one, a fixed one, one computed from others, a table on its side."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.cells import as_label
from kebrin.errors import PlanError
from kebrin.shape.formulas import computed
from kebrin.shape.groups import factor
from kebrin.shape.summing import numbers_of, without_tails
from kebrin.table import Finding, FindingKind, Origin, arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

_MOST_COLUMNS = 16_384


def join(table: Table, columns: Sequence[str], into: str, *, between: str = " / ", keep: bool = False) -> Table:
    """Several columns joined into one, empty parts skipped.

    Args:
        table: the table.
        columns: the columns, in order.
        into: the new column; it stands where the first of them stood.
        between: what stands between the parts.
        keep: whether the columns stay.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"kind": ["Dues", "Fuel"], "of": ["Berths", None]}), ())
    >>> join(table, ["kind", "of"], "path").data.to_pylist()
    [{'path': 'Dues / Berths'}, {'path': 'Fuel'}]

    Raises:
        PlanError: there is no such column, or `into` is another one already.
    """
    if not columns:
        raise PlanError("join needs columns", do="Name two at least")
    for name in columns:
        table.refuse_absent(name, "join")
    if into in table.columns and (keep or into not in columns):
        raise PlanError(f"there is a column {into!r} already", do="State another name as into")
    factors = [factor(table.data.column(name)) for name in columns]
    parts = [[*("" if value is None else as_label(value) for value in one.values.to_pylist()), ""] for one in factors]
    sizes = [len(part) for part in parts]
    key = np.zeros(len(table), np.int64)
    for one, size in zip(factors, sizes, strict=True):
        key = key * size + np.where(one.codes < 0, size - 1, one.codes)
    distinct, codes = np.unique(key, return_inverse=True)
    said = []
    for place in distinct.tolist():
        path, rest = [], place
        for part, size in zip(reversed(parts), reversed(sizes), strict=True):
            rest, at = divmod(rest, size)
            path.append(part[at])
        said.append(between.join(filter(None, reversed(path))))
    labels = arrays.labels(codes.astype(np.int32), said)
    at = table.columns.index(columns[0])
    data = table.data.add_column(at, into if into not in table.columns else f"{into}\0", labels)
    data = data if keep else data.drop_columns(list(columns))
    data = data.rename_columns([name.rstrip("\0") for name in data.column_names])
    measures = tuple(name for name in table.measures if name in data.column_names and name != into)
    return replace(table, data=data, measures=measures).step(f"join {', '.join(columns)}", len(table), f"in {into}")


def fixed(table: Table, into: str, value: str | float | bool) -> Table:  # noqa: FBT001 - it is the value itself
    """A column that says the same on every row.

    Args:
        table: the table.
        into: the column to make.
        value: what it says.

    >>> from kebrin.table import Table
    >>> fixed(Table(pa.table({"boats": [3.0]}), ()), "unit", "boats a day").data.to_pylist()
    [{'boats': 3.0, 'unit': 'boats a day'}]

    Raises:
        PlanError: there is a column of that name.
    """
    rows = len(table)
    if into in table.columns:
        raise PlanError(f"there is a column {into!r} already", do="State another name")
    column: pa.Array
    if isinstance(value, bool):
        column = arrays.flags(np.full(rows, value), np.ones(rows, np.bool_))
    elif isinstance(value, (int, float)):
        column = arrays.numbers(np.full(rows, float(value)))
    else:
        column = arrays.labels(np.zeros(rows, np.int32), [str(value)])
    return replace(table, data=table.data.append_column(into, column)).step(
        f"fixed {into}", rows, f"{value!r} on every row"
    )


def compute(table: Table, into: str, formula: str, *, places: int | None = None) -> Table:
    """A column computed from others: numbers, columns, `+ - * /` and brackets.

    Args:
        table: the table.
        into: the column to make.
        formula: the formula ([how they are written](conditions.md#formulas)).
        places: the decimal places to round to; halves go to the even digit.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"amount": [2.0, None], "rate": [1.5, 2.0]}), ())
    >>> compute(table, "due", "amount * rate").data.column("due").to_pylist()
    [3.0, None]

    Raises:
        PlanError: the formula can't be read, names no column, or one without numbers; or there is a column of that name.
    """
    if into in table.columns:
        raise PlanError(f"there is a column {into!r} already", do="State another name as into")
    used: dict[str, str] = {}

    def operand(name: str) -> NDArray[np.float64]:
        used[name] = name
        return numbers_of(table, name, "the formula")

    made = without_tails(computed(formula, operand, len(table)))
    made = made if places is None else np.round(made, places)
    gaps = int(np.isnan(made).sum())
    way = "ratio" if "/" in formula else "compute"
    after = replace(table, data=table.data.append_column(into, arrays.numbers(made)))
    after = after.with_made(**{into: way}).with_way(f"it was computed: {formula}", used, into)
    said = f"{into} = {formula}: {len(made) - gaps:,} values, {gaps:,} missing; sum {float(np.nansum(made)):,.10g}"
    return after.remarked([Finding(FindingKind.COMPUTED, said, count=gaps)]).step(
        f"compute {into}", len(table), formula
    )


def turn(table: Table, heads: str, *, into: str = "field") -> Table:
    """The table on its side: a column for each row, named by its text in one column; a row for each other column.

    Args:
        table: the table.
        heads: the column whose texts name the new columns.
        into: the column for the names of the old ones.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"vessel": ["Gull", "Tern"], "crew": [4.0, 7.0]}), ())
    >>> turn(table, "vessel").data.to_pylist()
    [{'field': 'crew', 'Gull': 4.0, 'Tern': 7.0}]

    Raises:
        PlanError: there is no such column, two rows would head columns of one name, or there are too many rows.
    """
    table.refuse_absent(heads, "turn")
    if len(table) > _MOST_COLUMNS:
        raise PlanError(
            f"turn would make {len(table):,} columns", why=f"a sheet holds {_MOST_COLUMNS:,} of them", do="Sum it first"
        )
    names = ["(blank)" if one is None else as_label(one) for one in table.data.column(heads).to_pylist()]
    twice = next((name for name in [into, *names] if [into, *names].count(name) > 1), "")
    if twice:
        raise PlanError(f"two columns would be named {twice!r}", do="Turn by a column that tells the rows apart")
    others = [name for name in table.columns if name != heads]
    listed = [table.data.column(name).to_pylist() for name in others]
    numbers = all(pa.types.is_floating(table.data.column(name).type) for name in others)
    columns: dict[str, Any] = {into: arrays.texts(others)}
    for at, name in enumerate(names):
        values = [own[at] for own in listed]
        if numbers:
            columns[name] = arrays.numbers(
                np.array([np.nan if value is None else value for value in values], np.float64)
            )
        else:
            columns[name] = arrays.texts([None if value is None else as_label(value) for value in values])
    data = pa.Table.from_arrays(list(columns.values()), names=list(columns))
    made = replace(table, data=data, measures=(), origins=Origin(), parts=None)
    return made.step(f"turn by {heads}", len(table), f"{len(names):,} columns")
