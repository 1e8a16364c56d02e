"""Sums: one row for each group of rows, with sums, counts, means and the like of their columns."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, nearest
from kebrin.shape.groups import Groups, factor, groups_of
from kebrin.table import Finding, FindingKind, Origin, Parts, arrays

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

_MOST_PLACES = 9
# Decimal digits that every float64 holds, and the largest power of ten that one holds exactly.
_DIGITS, _EXACT_POWER = 15, 22
#: The ways to make one value of a group's.
WAYS = ("sum", "count", "distinct", "mean", "least", "largest", "first", "last")


@dataclass(frozen=True)
class Wanted:
    """One column to make: its name, the way, the column that it is made of."""

    name: str
    way: str
    column: str


def sums(
    table: Table, by: Sequence[str] = (), *, of: Sequence[str] | Mapping[str, str] = (), per: str = "", rows: str = ""
) -> Table:
    """One row for each group of rows that bear the same labels, in the order in which they first appear.

    Args:
        table: the table.
        by: the columns to group by; none for one row over all.
        of: the columns to sum, all measures of numbers by default; or new names with a way and a column, as in
            `{"boats": "sum carried", "ports": "distinct port"}`. The ways are sum, count, distinct, mean, least, largest,
            first and last. A value that is missing counts for nothing; a group without any has none.
        per: for means, a column of periods: the sum over the group by the number of its periods that have data.
        rows: a column to count each group's rows in.

    >>> from kebrin.table import Table
    >>> data = {"port": ["Brae", "Wick", "Brae"], "boats": [3.0, 5.0, None]}
    >>> sums(Table(pa.table(data), ("boats",)), ["port"], rows="rows").data.to_pylist()
    [{'port': 'Brae', 'boats': 3.0, 'rows': 2}, {'port': 'Wick', 'boats': 5.0, 'rows': 1}]

    Raises:
        PlanError: a column or a way is not known, a column is no number, or two columns would bear one name.
    """
    for name in (*by, *([per] if per else [])):
        table.refuse_absent(name, "sums")
    wanted = _wanted(table, of)
    names = [*by, *(one.name for one in wanted), *([rows] if rows else [])]
    twice = next((name for name in names if names.count(name) > 1), "")
    if twice:
        raise PlanError(
            f"two columns would be named {twice!r}",
            why=f"the columns are {', '.join(names)}",
            do="Give them other names",
        )
    groups = groups_of(table, by) if by else Groups(
        np.zeros(len(table), np.int64), np.zeros(min(len(table), 1), np.int64), {}
    )  # fmt: skip
    columns: dict[str, Any] = dict(groups.columns)
    for one in wanted:
        columns[one.name] = made_of(table, groups, one, per)
    if rows:
        columns[rows] = arrays.whole(np.bincount(groups.of, minlength=len(groups)), pa.int64())
    data = pa.Table.from_arrays(list(columns.values()), names=list(columns))
    ways = {one.name: one.way for one in wanted if one.way not in {"first", "last"}} | ({rows: "count"} if rows else {})
    parts = parts_of(table, groups.of, len(groups), {one.name: one.column for one in wanted if one.name in ways})
    made = replace(table, data=data, measures=(), origins=Origin(), made=ways, parts=parts)
    return made.remarked(_held(table, made, wanted)).step(
        f"sums by {', '.join(by) or 'nothing'}", len(table), f"{len(table):,} rows in {len(groups):,} groups"
    )


def parts_of(table: Table, rows: NDArray[np.int64], lines: int, of: Mapping[str, str]) -> Parts | None:
    """What made columns are made of; None where the rows do not know their cells."""
    columns = {name: measure for name, measure in of.items() if measure in table.measures}
    return Parts(table.origins, rows, lines, columns) if columns and len(table.origins) == len(table) else None


def _wanted(table: Table, of: Sequence[str] | Mapping[str, str]) -> list[Wanted]:
    if not of:
        of = [name for name in table.measures if pa.types.is_floating(table.data.column(name).type)]
    if not hasattr(of, "items"):
        found = [Wanted(str(name), "sum", str(name)) for name in of]
    else:
        found = []
        for name, said in of.items():
            way, _, column = said.partition(" ")
            if way not in WAYS or (not column and way != "count"):
                near = nearest(way, WAYS)
                raise PlanError(
                    f"{name} = {said!r} is no way and column", why=f"the ways are {', '.join(WAYS)}",
                    do=f"Did you mean {near!r}?" if near and near != way else "Write it as in 'sum carried'",
                )  # fmt: skip
            found.append(Wanted(name, way, column.strip()))
    for one in found:
        if one.column:
            table.refuse_absent(one.column, "sums")
    return found


def made_of(table: Table, groups: Groups, wanted: Wanted, per: str = "") -> pa.Array:
    """One column over the groups.

    Raises:
        PlanError: sums, means and extremes of a column that holds no numbers.
    """
    if wanted.way in {"first", "last"}:
        return _one_of(table.data.column(wanted.column), groups, last=wanted.way == "last")
    if wanted.way == "distinct":
        codes = factor(table.data.column(wanted.column)).codes
        there = codes >= 0
        pairs = arrays.distinct(groups.of[there] * (int(codes.max(initial=0)) + 1) + codes[there])
        counts = np.bincount((pairs // (int(codes.max(initial=0)) + 1)).astype(np.int64), minlength=len(groups))
        return arrays.whole(counts, pa.int64())
    if wanted.way == "count":
        known = ~arrays.nulls_of(table.data.column(wanted.column)) if wanted.column else np.ones(len(table), np.bool_)
        return arrays.whole(np.bincount(groups.of[known], minlength=len(groups)), pa.int64())
    numbers = numbers_of(table, wanted.column, "sums")
    known = ~np.isnan(numbers)
    of, own = groups.of[known], numbers[known]
    counts = np.bincount(of, minlength=len(groups))
    if wanted.way in {"least", "largest"}:
        return arrays.numbers(_extreme(of, own, len(groups), largest=wanted.way == "largest"))
    totals = like_parts(np.bincount(of, own, len(groups)), own)
    if wanted.way == "mean":
        over = _periods(table, groups, known, per) if per else counts
        totals = np.divide(totals, over, out=np.full(len(groups), np.nan), where=over > 0)
    return arrays.numbers(np.where(counts > 0, totals, np.nan))


def places_of(numbers: NDArray[np.float64]) -> int | None:
    """The decimal places that all of some numbers need; None if they need more than nine.

    >>> places_of(np.array([1.0, 2.25])), places_of(np.array([1 / 3]))
    (2, None)
    """
    values = numbers[np.isfinite(numbers)]
    for places in range(_MOST_PLACES + 1):
        shifted = values * 10.0**places
        if (np.abs(shifted - np.rint(shifted)) <= np.maximum(1e-6, 8 * np.spacing(np.abs(shifted)))).all():
            return places
    return None


def like_parts(totals: NDArray[Any], parts: NDArray[np.float64]) -> NDArray[np.float64]:
    """Sums without the noise of adding binary fractions: a sum needs no more places than its parts.

    >>> like_parts(np.array([0.1 + 0.2]), np.array([0.1, 0.2])).tolist()
    [0.3]
    """
    places = places_of(parts)
    return totals if places is None else np.asarray(np.round(totals, places))


def without_tails(values: NDArray[np.float64]) -> NDArray[np.float64]:
    """Products and quotients without the noise of binary fractions: fifteen digits, as many as a float64 holds for sure.

    >>> without_tails(np.array([1.1 * 1.1, 0.7 * 1.1, 2 / 3, np.nan, 0.0])).tolist()
    [1.21, 0.77, 0.666666666666667, nan, 0.0]
    """
    known = np.isfinite(values) & (values != 0)
    places = np.full(len(values), -1)
    places[known] = _DIGITS - 1 - np.floor(np.log10(np.abs(values[known]))).astype(int)
    known &= (places >= 0) & (places <= _EXACT_POWER)
    found = values.copy()
    power = 10.0 ** places[known]
    found[known] = np.rint(values[known] * power) / power
    return found


def numbers_of(table: Table, name: str, by: str) -> NDArray[np.float64]:
    """A column of numbers, NaN where there is none.

    Raises:
        PlanError: there is no such column, or it holds no numbers.
    """
    table.refuse_absent(name, by)
    column = table.data.column(name)
    if pa.types.is_integer(column.type):
        column = column.cast(pa.float64())
    if not pa.types.is_floating(column.type):
        raise PlanError(
            f"{by} needs numbers, and {name!r} holds {arrays.kind_of(column)}", do="Read it with the number step first"
        )
    return arrays.floats_of(column)


def _extreme(of: NDArray[np.int64], numbers: NDArray[np.float64], size: int, *, largest: bool) -> NDArray[np.float64]:
    found = np.full(size, np.nan)
    order = np.argsort(of, kind="stable")
    if len(order):
        own = of[order]
        starts = np.flatnonzero(np.r_[True, own[1:] != own[:-1]])
        found[own[starts]] = (np.maximum if largest else np.minimum).reduceat(numbers[order], starts)
    return found


def _periods(table: Table, groups: Groups, known: NDArray[np.bool_], per: str) -> NDArray[np.int64]:
    """How many periods of each group have data."""
    codes = factor(table.data.column(per)).codes[known]
    size = int(codes.max(initial=0)) + 2
    pairs = arrays.distinct(groups.of[known] * size + codes + 1)
    return np.bincount((pairs // size).astype(np.int64), minlength=len(groups))


def _one_of(column: pa.ChunkedArray, groups: Groups, *, last: bool) -> pa.Array:
    """The first or the last value of each group that is there."""
    one = factor(column)
    known = np.flatnonzero(one.codes >= 0)
    found = np.full(len(groups), -1, np.int64)
    rows = known if last else known[::-1]
    found[groups.of[rows]] = one.codes[rows]
    return one.taken(found)


def _held(table: Table, made: Table, wanted: Sequence[Wanted]) -> list[Finding]:
    """What is said of sums: as much comes out as went in."""
    said = []
    for one in wanted:
        if one.way != "sum":
            continue
        before, after = (arrays.sum_of(part.data.column(name).cast(pa.float64())) for part, name in (
            (table, one.column), (made, one.name),
        ))  # fmt: skip
        holds = abs(before - after) <= 1e-9 * max(abs(before), 1.0)
        what = f"sums: {one.name} sums to {after:,.10g} over {len(made):,} groups, as {one.column} does over {len(table):,} rows"
        said.append(Finding(FindingKind.SUMS, what if holds else f"{what}: no, to {before:,.10g}", breaks=not holds))
    return said
