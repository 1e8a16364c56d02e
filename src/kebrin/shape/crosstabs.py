"""Crosstab: a long table wide again, with sums in its cells, totals that cross-foot, and gaps that stay gaps."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.shape.groups import ADD_UP, Groups, groups_of
from kebrin.shape.orders import Order, ordered
from kebrin.shape.summing import like_parts, numbers_of, parts_of
from kebrin.table import Finding, FindingKind, Origin, arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

    Numbers = NDArray[np.float64]

TOTAL = "Total"
#: Stands between the labels of several levels in the name of one column.
BETWEEN = " / "
# A table with more columns opens in no spreadsheet.
_MOST_COLUMNS = 16_384


def crosstab(
    table: Table, down: Sequence[str], across: Sequence[str], of: Sequence[str] = (), *, order: Order = "natural",
    totals: Literal["", "rows", "columns", "both"] = "", blank: Literal["missing", "zero"] = "missing",
    by: Literal["label", "measure"] = "label",
) -> Table:  # fmt: skip
    """A row for each group down, a column for each group across, the sums of a measure where they meet.

    Args:
        table: the table.
        down: the columns whose labels stand before the rows.
        across: the columns whose labels head the columns; several are joined with a stroke.
        of: the measures; the table's only one by default. Of several each has columns of its own.
        order: the natural order of periods, numbers and dates (other labels as they come), as they come, or A to Z.
        totals: whether a total column behind the rows, a total row below the columns, or both are added.
        blank: whether a pair of groups without rows is missing or zero.
        by: of several measures, whether the columns of one label or those of one measure stand together.

    >>> from kebrin.table import Table
    >>> data = {"port": ["Brae", "Wick", "Brae"], "month": ["Feb", "Jan", "Jan"], "boats": [3.0, 5.0, 4.0]}
    >>> crosstab(Table(pa.table(data), ("boats",)), ["port"], ["month"], totals="both").data.to_pylist()
    [{'port': 'Brae', 'Jan': 4.0, 'Feb': 3.0, 'Total': 7.0}, {'port': 'Wick', 'Jan': 5.0, 'Feb': None, 'Total': 5.0}, \
{'port': 'Total', 'Jan': 9.0, 'Feb': 3.0, 'Total': 12.0}]

    Raises:
        PlanError: a column is not known or no number, no measure is named of several, or the table would be too wide.
    """
    names = _measures_of(table, of)
    for name in (*down, *across):
        table.refuse_absent(name, "crosstab")
    numbers = {name: numbers_of(table, name, "crosstab") for name in names}
    lines, heads = _sorted(groups_of(table, down), order), _sorted(groups_of(table, across), order)
    labels = _labels(heads)
    if len(labels) * len(names) > _MOST_COLUMNS:
        raise PlanError(
            f"the crosstab would have {len(labels) * len(names):,} columns", why=f"a sheet holds {_MOST_COLUMNS:,} of them",
            do="Put the column with many labels down",
        )  # fmt: skip
    adding = _adding(table, names, lines, heads)
    cells = {name: _cells(own, lines, heads, blank) for name, own in numbers.items()}
    columns: dict[str, Any] = {}
    measure_of: dict[str, str] = {}
    place_of: dict[str, int] = {}
    for name, grid_name, at in _columns(labels, names, by=by):
        columns[name] = cells[grid_name][:, at]
        measure_of[name], place_of[name] = grid_name, at
    for name in adding if totals in {"rows", "both"} else ():
        total = TOTAL if len(names) == 1 else f"{TOTAL}{BETWEEN}{name}"
        columns[total], measure_of[total] = _total(cells[name], 1), name
    _refuse_twice([*down, *columns])
    below = totals in {"columns", "both"}
    if below:
        refuse_label(table, down[0], TOTAL)
    data = _laid(lines, columns, [name for name in columns if measure_of[name] in adding], below=below)
    parts = parts_of(table, lines.of, len(lines), measure_of)
    if parts is not None:
        parts = replace(parts, places=heads.of, at=place_of)
    ways = {name: table.made.get(measure_of[name], "sum") for name in columns}
    made = replace(
        table,
        data=data,
        measures=(),
        origins=Origin(),
        made=ways,
        parts=parts,
        totals={down[0]: TOTAL} if below else {},
    )
    said = [_held(name, numbers[name], cells[name]) for name in names]
    if totals and len(adding) < len(names):
        gone = ", ".join(name for name in names if name not in adding)
        said.append(
            Finding(FindingKind.CROSS_FOOTING, f"crosstab: {gone} does not add up, so that its totals are blank")
        )
    what = f"{len(table):,} rows in {len(lines):,} x {len(labels):,} cells"
    return made.remarked(said).step(f"crosstab {', '.join(down)} by {', '.join(across)}", len(table), what)


def _measures_of(table: Table, of: Sequence[str]) -> list[str]:
    """The measures to lay out: those named, or the only one."""
    names = list(of) or list(table.measures)
    if not names or (len(names) > 1 and not of):
        raise PlanError(
            "crosstab needs to know which column to sum", why=f"the table has {', '.join(table.measures) or 'no measure'}",
            do="State it as of",
        )  # fmt: skip
    return names


def _adding(table: Table, names: Sequence[str], lines: Groups, heads: Groups) -> list[str]:
    """The measures that add up; a mean, a rank or a rate may only be laid out, a row to a cell."""
    adding = [name for name in names if table.made.get(name, "sum") in ADD_UP]
    rest = [name for name in names if name not in adding]
    if rest and len(np.unique(lines.of * len(heads) + heads.of)) < len(table):
        raise PlanError(
            f"crosstab would sum {rest[0]!r}, which is a {table.made[rest[0]]}", why="several rows meet in one cell",
            do="Take what it was made of, or put more columns down",
        )  # fmt: skip
    return adding


def refuse_label(table: Table, column: str, label: str) -> None:
    """Refuse a total row under a label that records bear: they could not be told apart.

    Raises:
        PlanError: a record bears it.
    """
    if arrays.kind_of(table.data.column(column)) == "text" and label in arrays.distinct_texts(
        table.data.column(column)
    ):
        raise PlanError(
            f"a row of {column!r} is called {label!r} already", why="nothing would tell the total row from it",
            do="Rename it before, or leave it out",
        )  # fmt: skip


def _refuse_twice(names: Sequence[str]) -> None:
    twice = next((name for name in names if names.count(name) > 1), "")
    if twice:
        raise PlanError(f"two columns would be named {twice!r}", do="Rename the column down, or choose other labels")


def _laid(lines: Groups, columns: dict[str, Any], adding: Sequence[str], *, below: bool) -> pa.Table:
    """Labels and columns as a table, with a total row below if asked; of what does not add up it is blank."""
    arrow: dict[str, Any] = dict(lines.columns)
    if below:
        arrow = {name: _with_total(column, first=at == 0) for at, (name, column) in enumerate(arrow.items())}
        columns = {
            name: np.append(own, _total(own[:, None], 0) if name in adding else [np.nan])
            for name, own in columns.items()
        }
    arrow |= {name: arrays.numbers(own) for name, own in columns.items()}
    return pa.Table.from_arrays(list(arrow.values()), names=list(arrow))


def _sorted(groups: Groups, order: Order) -> Groups:
    """Groups in an order, level by level."""
    keys = []
    for column in groups.columns.values():
        values = column.to_pylist()
        distinct = list(dict.fromkeys(values))
        rank = {distinct[place]: at for at, place in enumerate(ordered(distinct, order))}
        keys.append([rank[value] for value in values])
    places = sorted(range(len(groups)), key=lambda at: tuple(key[at] for key in keys))
    number = np.empty(len(groups), np.int64)
    number[places] = np.arange(len(groups))
    take = arrays.whole(np.array(places, np.int64), pa.int64())
    return Groups(
        number[groups.of], groups.firsts[places], {name: one.take(take) for name, one in groups.columns.items()}
    )


def _labels(heads: Groups) -> list[str]:
    said = zip(*(column.to_pylist() for column in heads.columns.values()), strict=True)
    found = [BETWEEN.join("" if value is None else _text(value) for value in path) for path in said]
    return [label or "(blank)" for label in found]


def _text(value: Any) -> str:
    from kebrin.cells import as_label

    return as_label(value)


def _columns(labels: Sequence[str], names: Sequence[str], *, by: str) -> list[tuple[str, str, int]]:
    """The columns: their name, their measure, the place of their label."""
    if len(names) == 1:
        return [(label, names[0], at) for at, label in enumerate(labels)]
    pairs = [(label, name, at) for name in names for at, label in enumerate(labels)]
    if by == "label":
        pairs = [(label, name, at) for at, label in enumerate(labels) for name in names]
    return [(f"{label}{BETWEEN}{name}", name, at) for label, name, at in pairs]


def _cells(numbers: Numbers, lines: Groups, heads: Groups, blank: str) -> Numbers:
    """The sums of a measure, lines x heads; NaN where no value is."""
    known = ~np.isnan(numbers)
    at = (lines.of * len(heads) + heads.of)[known] if not known.all() else lines.of * len(heads) + heads.of
    size = len(lines) * len(heads)
    totals = np.bincount(at, numbers[known] if not known.all() else numbers, size).astype(np.float64)
    totals = like_parts(totals, numbers)
    if blank == "missing":
        totals[np.bincount(at, minlength=size) == 0] = np.nan
    return totals.reshape(len(lines), len(heads))


def _total(grid: Numbers, axis: int) -> Numbers:
    """Sums along an axis; missing where nothing is."""
    found = like_parts(np.asarray(np.nansum(grid, axis=axis)), grid)
    found[np.isnan(grid).all(axis=axis)] = np.nan
    return np.asarray(found)


def _with_total(column: pa.Array, *, first: bool) -> pa.Array:
    """A label column with the total row's label below it."""
    values = ["" if value is None else _text(value) for value in column.to_pylist()] if first else None
    if values is not None:
        return arrays.texts([*values, TOTAL])
    blank = pa.nulls(1, column.type.value_type if pa.types.is_dictionary(column.type) else column.type)
    plain = column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column
    return pa.concat_arrays([plain, blank])


def _held(name: str, numbers: Numbers, cells: Numbers) -> Finding:
    """The sum of the lines, the sum of the columns and the sum of the rows that came in: all three are one."""
    before = float(np.nansum(numbers))
    sides = (float(np.nansum(np.nansum(cells, axis=1))), float(np.nansum(np.nansum(cells, axis=0))))
    holds = all(abs(before - side) <= 1e-9 * max(float(np.nansum(np.abs(numbers))), 1.0) for side in sides)
    what = f"crosstab: {name} sums to {before:,.10g} over the rows that went in, the lines and the columns"
    return Finding(
        FindingKind.CROSS_FOOTING,
        what if holds else f"{what}: no, to {sides[0]:,.10g} and {sides[1]:,.10g}",
        breaks=not holds,
    )
