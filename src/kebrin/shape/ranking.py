"""Rows in an order, ranked, the first of them and the rest; shares, running sums, changes on the period before, a total row."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.shape.choosing import rows_of
from kebrin.shape.crosstabs import TOTAL, refuse_label
from kebrin.shape.groups import ADD_UP, Groups, factor, groups_of
from kebrin.shape.orders import Order, ordered
from kebrin.shape.summing import like_parts, numbers_of
from kebrin.table import Finding, FindingKind, Origin, arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

    Numbers = NDArray[np.float64]


def sort(table: Table, by: Sequence[str], *, falling: Sequence[str] = (), order: Order = "natural") -> Table:
    """The rows in the order of some columns; those that say the same stay as they come, those without a value come last.

    Args:
        table: the table.
        by: the columns, the one that counts most first.
        falling: those of them that go from the largest down.
        order: the natural order of periods, numbers and dates (other texts A to Z), or A to Z throughout.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"month": ["Mar", "Jan"], "boats": [3.0, 5.0]}), ())
    >>> sort(table, ["month"]).data.column("boats").to_pylist()
    [5.0, 3.0]

    Raises:
        PlanError: there is no such column.
    """
    for name in (*by, *falling):
        table.refuse_absent(name, "sort")
    keys = [_rank_of(table, name, order, falls=name in falling) for name in reversed(by)]
    rows = np.lexsort(keys) if keys else np.arange(len(table))
    return rows_of(table, rows).step(f"sort {', '.join(by)}", len(table))


def _rank_of(table: Table, name: str, order: Order, *, falls: bool) -> NDArray[np.int64]:
    """The place of each row's value among all values; those without one are last either way."""
    one = factor(table.data.column(name))
    values = one.values.to_pylist()
    if order == "natural" and values and isinstance(values[0], str) and ordered(values) == list(range(len(values))):
        order = "a to z"  # no periods: their names
    places = ordered(values, order)
    rank = np.full(len(values) + 1, len(values), np.int64)
    rank[places] = np.arange(len(places))
    if falls:
        rank[:-1] = len(values) - 1 - rank[:-1]
    return rank[one.codes]


def rank(table: Table, of: str, into: str, *, within: Sequence[str] = (), rising: bool = False) -> Table:
    """A column with the place of each row by a column of numbers, 1 for the largest; equal numbers share the better place.

    Args:
        table: the table.
        of: the column of numbers.
        into: the column to make.
        within: columns whose groups are ranked by themselves.
        rising: whether the least is 1.

    >>> from kebrin.table import Table
    >>> rank(Table(pa.table({"boats": [3.0, 5.0, 5.0]}), ()), "boats", "place").data.column("place").to_pylist()
    [3, 1, 1]

    Raises:
        PlanError: a column is not known or no number, or `into` is one already.
    """
    numbers = numbers_of(table, of, "rank")
    groups = _within(table, within, "rank")
    key = numbers if rising else -numbers
    rows = np.lexsort((key, groups.of))
    own, sorted_key = groups.of[rows], key[rows]
    first = np.r_[True, own[1:] != own[:-1]] if len(rows) else np.zeros(0, np.bool_)
    starts = np.maximum.accumulate(np.where(first, np.arange(len(rows)), 0)) if len(rows) else rows
    fresh = first | np.r_[True, sorted_key[1:] != sorted_key[:-1]] if len(rows) else first
    place = np.maximum.accumulate(np.where(fresh, np.arange(len(rows)), 0)) - starts + 1 if len(rows) else rows
    found = np.empty(len(rows), np.int64)
    found[rows] = place
    return _with(table, into, arrays.whole(found, pa.int64(), ~np.isnan(numbers)), "rank", of)


def top(table: Table, count: int, of: str, *, by: Sequence[str], rest: str = "other") -> Table:
    """The groups with the largest sums, one row each, and one row for the rest: they add up to the whole.

    Args:
        table: the table.
        count: how many groups stay.
        of: the column of numbers.
        by: the columns to group by.
        rest: what the row for the rest is called.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"port": ["Brae", "Wick", "Ness"], "boats": [3.0, 5.0, 4.0]}), ())
    >>> top(table, 1, "boats", by=["port"]).data.to_pylist()
    [{'port': 'Wick', 'boats': 5.0}, {'port': 'other', 'boats': 7.0}]

    Raises:
        PlanError: a column is not known or no number, or the count is below 1.
    """
    if count < 1:
        raise PlanError(f"top needs at least one row, not {count}", do="State a whole number above zero")
    numbers = np.nan_to_num(numbers_of(table, of, "top"))
    groups = _within(table, by, "top")
    totals = like_parts(np.bincount(groups.of, numbers, len(groups)), numbers)
    places = np.argsort(-totals, kind="stable")
    kept, others = places[:count], places[count:]
    columns: dict[str, Any] = {}
    for at, (name, column) in enumerate(groups.columns.items()):
        said = [None if (value := column[int(place)].as_py()) is None else str(value) for place in kept]
        columns[name] = arrays.texts([*said, *([rest if at == 0 else None] if len(others) else [])])
    own = [*totals[kept], *([float(like_parts(np.array([totals[others].sum()]), numbers)[0])] if len(others) else [])]
    columns[of] = arrays.numbers(np.array(own, np.float64))
    data = pa.Table.from_arrays(list(columns.values()), names=list(columns))
    made = replace(table, data=data, measures=(), origins=Origin(), parts=None, made={of: "sum"})
    what = f"top {count} of {len(groups):,} by {of}: {len(others):,} are {rest!r}; the sum stays {totals.sum():,.10g}"
    return made.remarked([Finding(FindingKind.TOP, what, count=len(others))]).step(f"top {count} {of}", len(table))


def share(
    table: Table, of: str, into: str, *, within: Sequence[str] = (), percent: bool = False, places: int | None = None
) -> Table:
    """A column with each row's share of the sum of a column, over all rows or within groups.

    Args:
        table: the table.
        of: the column of numbers.
        into: the column to make.
        within: columns whose groups are wholes of their own.
        percent: whether a whole is 100 and not 1.
        places: decimals to round to; the rounded shares of a whole add up to it, by the largest remainder.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"boats": [1.0, 1.0, 1.0]}), ())
    >>> share(table, "boats", "share", percent=True, places=0).data.column("share").to_pylist()
    [34.0, 33.0, 33.0]

    Raises:
        PlanError: a column is not known or no number, or `into` is one already.
    """
    numbers = numbers_of(table, of, "share")
    groups = _within(table, within, "share")
    wholes = np.bincount(groups.of, np.nan_to_num(numbers), len(groups))[groups.of] if len(table) else numbers
    whole = 100.0 if percent else 1.0
    shares = np.divide(numbers * whole, wholes, out=np.full(len(numbers), np.nan), where=wholes != 0)
    if places is not None:
        shares = _rounded(shares, groups.of, whole, places)
    return _with(table, into, arrays.numbers(shares), "share", of)


def _rounded(shares: Numbers, groups: NDArray[np.int64], whole: float, places: int) -> Numbers:
    """Shares rounded down, and the units that are then missing given to the largest remainders, group by group."""
    unit = 10.0**-places
    units = shares / unit
    floor = np.floor(units + 1e-9)
    remainder = np.where(np.isnan(units), -1.0, units - floor)
    size = int(groups.max(initial=-1)) + 1
    missing = np.rint(whole / unit - np.bincount(groups, np.nan_to_num(floor), size)).astype(np.int64)
    missing[np.bincount(groups, ~np.isnan(units), size) == 0] = 0
    rows = np.lexsort((-remainder, groups))
    starts = np.searchsorted(groups[rows], np.arange(size))
    for group in np.flatnonzero(missing > 0).tolist():
        floor[rows[starts[group] : starts[group] + missing[group]]] += 1
    return np.asarray(np.round(floor * unit, max(places, 0)))


def running(table: Table, of: str, into: str, *, within: Sequence[str] = ()) -> Table:
    """A column with the sum of a column up to each row, as the rows come, over all or within groups.

    Args:
        table: the table.
        of: the column of numbers.
        into: the column to make.
        within: columns whose groups are summed by themselves.

    >>> from kebrin.table import Table
    >>> running(Table(pa.table({"boats": [1.0, None, 4.0]}), ()), "boats", "so far").data.column("so far").to_pylist()
    [1.0, 1.0, 5.0]

    Raises:
        PlanError: a column is not known or no number, or `into` is one already.
    """
    numbers = np.nan_to_num(numbers_of(table, of, "running"))
    groups = _within(table, within, "running")
    rows = np.argsort(groups.of, kind="stable")
    sums = np.cumsum(numbers[rows])
    own = groups.of[rows]
    first = np.flatnonzero(np.r_[True, own[1:] != own[:-1]]) if len(rows) else rows
    before = np.repeat(sums[first] - numbers[rows][first], np.diff(np.r_[first, len(rows)])) if len(rows) else sums
    found = np.empty(len(rows))
    found[rows] = sums - before
    return _with(table, into, arrays.numbers(like_parts(found, numbers)), "running", of)


def change(
    table: Table, of: str, into: str, *, on: str, within: Sequence[str] = (),
    way: Literal["difference", "percent"] = "difference", places: int | None = None,
) -> Table:  # fmt: skip
    """A column with the change of a column on the period before, within groups; missing where there is none before.

    Args:
        table: the table, one row for each period of a group.
        of: the column of numbers.
        into: the column to make.
        on: the column of periods.
        within: columns whose groups have periods of their own.
        way: the difference, or per cent of the value before.
        places: decimals to round to.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"month": ["Feb", "Jan"], "boats": [6.0, 4.0]}), ())
    >>> change(table, "boats", "more", on="month").data.column("more").to_pylist()
    [2.0, None]

    Raises:
        PlanError: a column is not known or no number, a period stands twice in a group, or `into` is a column already.
    """
    numbers = numbers_of(table, of, "change")
    table.refuse_absent(on, "change")
    groups = _within(table, within, "change")
    periods = _rank_of(table, on, "natural", falls=False)
    rows = np.lexsort((periods, groups.of))
    own, when, values = groups.of[rows], periods[rows], numbers[rows]
    same = np.r_[False, own[1:] == own[:-1]] if len(rows) else np.zeros(0, np.bool_)
    if (same & np.r_[False, when[1:] == when[:-1]] if len(rows) else same).any():
        raise PlanError(f"change: a period of {on!r} stands twice in a group", do="Sum the rows first, or state within")
    before = np.where(same, np.r_[np.nan, values[:-1]] if len(rows) else values, np.nan)
    made = values - before
    if way == "percent":
        made = np.divide(100 * made, np.abs(before), out=np.full(len(made), np.nan), where=before != 0)
    found = np.empty(len(rows))
    found[rows] = made if way == "percent" else like_parts(made, numbers)
    found = found if places is None else np.round(found, places)
    return _with(table, into, arrays.numbers(found), "change", of)


def total_row(table: Table, *, label: str = TOTAL) -> Table:
    """The table with a row of sums below it: the label in the first column, sums in all columns of numbers that add up.

    Counts add up too; means, shares, ranks, rates and what was looked up do not, and stay blank.

    Args:
        table: the table.
        label: what the row is called.

    >>> from kebrin.table import Table
    >>> total_row(Table(pa.table({"port": ["Brae", "Wick"], "boats": [3.0, 5.0]}), ())).data.to_pylist()[-1]
    {'port': 'Total', 'boats': 8.0}

    Raises:
        PlanError: the first column holds numbers, so that there is no place for the label.
    """
    first = table.columns[0] if table.columns else ""
    if not first or arrays.kind_of(table.data.column(first)) != "text":
        raise PlanError(
            "there is no place for the total's label",
            why="the first column holds no texts",
            do="Move a text column first",
        )
    refuse_label(table, first, label)
    import pyarrow.compute as pc

    columns = []
    for name in table.columns:
        column = table.data.column(name)
        plain = column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column
        one = plain.combine_chunks()
        if name == first:
            last = arrays.texts([label])
        elif table.made.get(name, "sum") not in ADD_UP:
            last = pa.nulls(1, one.type)
        elif pa.types.is_integer(one.type):
            last = arrays.whole(np.array([pc.sum(one).as_py() or 0], np.int64), pa.int64()).cast(one.type)
        elif pa.types.is_floating(one.type):
            last = arrays.numbers(like_parts(np.array([arrays.sum_of(column)]), arrays.floats_of(column)))
        else:
            last = pa.nulls(1, one.type)
        columns.append(pa.chunked_array([*plain.chunks, last], type=plain.type))
    data = pa.Table.from_arrays(columns, names=list(table.columns))
    made = replace(table, data=data, measures=(), origins=Origin(), parts=None, totals={**table.totals, first: label})
    return made.step("total row", len(table))


def _within(table: Table, names: Sequence[str], by: str) -> Groups:
    for name in names:
        table.refuse_absent(name, by)
    if names:
        return groups_of(table, names)
    return Groups(np.zeros(len(table), np.int64), np.zeros(min(len(table), 1), np.int64), {})


def _with(table: Table, into: str, column: pa.Array, verb: str, of: str) -> Table:
    """The table with one more column.

    Raises:
        PlanError: there is a column of that name.
    """
    if into in table.columns:
        raise PlanError(f"there is a column {into!r} already", do="State another name as into")
    made = replace(table, data=table.data.append_column(into, column)).with_made(**{into: verb})
    return made.step(f"{verb} {of}", len(table), f"in {into}")
