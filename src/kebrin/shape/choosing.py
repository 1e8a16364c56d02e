"""Choose rows: those that fulfil a condition, all but those, each record once; every row that goes is counted."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.shape.conditions import fulfilled, said_of
from kebrin.shape.groups import groups_of
from kebrin.table import Finding, FindingKind, arrays
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table


def only(table: Table, where: Mapping[str, Any], *, alike: bool = False, into: str = "") -> Table:
    """The rows that fulfil a condition; with `into` all rows, and a column that says which do.

    Args:
        table: the table.
        where: the condition ([ten of them](conditions.md#ten-conditions)).
        alike: whether case and stray blanks of texts count for nothing.
        into: a column of yes and no to make instead.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"port": ["Brae", "Wick"], "boats": [3.0, 5.0]}), ())
    >>> only(table, {"port": "Wick"}).data.to_pylist()
    [{'port': 'Wick', 'boats': 5.0}]

    Raises:
        PlanError: a column or a test is not known, or `into` is a column already.
    """
    flags = fulfilled(table, where, alike=alike)
    if into:
        return _marked(table, flags, into, f"only {said_of(where)}")
    return _kept(table, flags, where, "only", alike=alike)


def leave_out(table: Table, where: Mapping[str, Any], *, alike: bool = False) -> Table:
    """The rows that do not fulfil a condition; a row without a value is never lost to it.

    Args:
        table: the table.
        where: the condition ([ten of them](conditions.md#ten-conditions)).
        alike: whether case and stray blanks of texts count for nothing.

    Raises:
        PlanError: a column or a test is not known.
    """
    return _kept(table, ~fulfilled(table, where, alike=alike), where, "leave_out", alike=alike)


def once(table: Table, by: Sequence[str] = (), *, keep: Literal["first", "last"] = "first") -> Table:
    """Each record once: the first or the last of rows that say the same in some columns, or in all.

    Args:
        table: the table.
        by: the columns; all of them if it is empty.
        keep: which of the rows stays.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"port": ["Brae", "Wick", "Brae"], "boats": [3.0, 5.0, 4.0]}), ())
    >>> once(table, ["port"], keep="last").data.column("boats").to_pylist()
    [5.0, 4.0]

    Raises:
        PlanError: there is no such column.
    """
    names = list(by) or list(table.columns)
    for name in names:
        table.refuse_absent(name, "once")
    groups = groups_of(table, names)
    flags = np.zeros(len(table), np.bool_)
    if keep == "first":
        flags[groups.firsts] = True
    else:
        last = np.zeros(len(groups), np.int64)
        last[groups.of] = np.arange(len(table))
        flags[last] = True
    gone = int((~flags).sum())
    repeated = int((np.bincount(groups.of) > 1).sum()) if len(table) else 0
    what = f"once by {', '.join(by) or 'all columns'}: {gone:,} of {len(table):,} rows say what another says"
    said = Finding(
        FindingKind.REPEATS,
        f"{what}, {repeated:,} record{'s' * (repeated != 1)}; the {keep} of each is kept",
        count=gone,
    )
    made = rows_of(table, np.flatnonzero(flags)).remarked([said])
    return made.step(f"once {', '.join(by)}".strip(), len(table), f"{gone:,} rows repeated others")


def rows_of(table: Table, rows: NDArray[np.intp]) -> Table:
    """Some rows of a table, in ascending order, with their origins."""
    data = table.data.take(arrays.whole(rows.astype(np.int64), pa.int64()))
    if len(rows) < len(table):  # labels of rows that are gone are gone with them
        columns = [arrays.compacted(column) for column in data.columns]
        data = pa.Table.from_arrays(columns, names=data.column_names)
    origins = table.origins.take(rows) if table.origins.segments else table.origins
    return replace(table, data=data, origins=origins, parts=table.parts and table.parts.take(rows))


def without_totals(table: Table, verb: str = "") -> Table:
    """The table without the total rows that a step has put below it: they are no records, and would count twice.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"port": ["Brae", "Total"], "boats": [3.0, 3.0]}), (), totals={"port": "Total"})
    >>> without_totals(table).data.to_pylist()
    [{'port': 'Brae', 'boats': 3.0}]
    """
    totals = table.total_rows if table.totals else np.zeros(0, np.bool_)
    if not totals.any():
        return table
    count = int(totals.sum())
    made = replace(rows_of(table, np.flatnonzero(~totals)), totals={})
    what = f"{verb}: {count:,} total row{'s' * (count > 1)} left out, which sum the others; take a total row behind it"
    return made.remarked([Finding(FindingKind.ROWS_LEFT_OUT, what, count=count)] if verb else [])


def _kept(table: Table, flags: NDArray[np.bool_], where: Mapping[str, Any], verb: str, *, alike: bool) -> Table:
    rows = np.flatnonzero(flags)
    gone = len(table) - len(rows)
    made = rows_of(table, rows)
    what = f"{verb} {said_of(where)}: {len(rows):,} of {len(table):,} rows kept, {gone:,} left out"
    for name in table.measures:
        if pa.types.is_floating(table.data.column(name).type):
            sums = [f"{arrays.sum_of(one.data.column(name)):,.10g}" for one in (made, table)]
            what += f"; sum of {name} {sums[0]} of {sums[1]}"
    said = [Finding(FindingKind.ROWS_LEFT_OUT, what, count=gone)]
    if not len(rows) and len(table):
        said.append(
            Finding(
                FindingKind.QUESTION,
                f"{verb} {said_of(where)} keeps no row{_why_none(table, where, alike=alike)}",
                count=gone,
            )
        )
    elif verb == "leave_out" and not gone:
        said.append(
            Finding(
                FindingKind.ROWS_LEFT_OUT,
                f"leave_out {said_of(where)} leaves out no row{_why_none(table, where, alike=alike)}",
            )
        )
    return made.remarked(said).step(f"{verb} {said_of(where)}", len(table), f"{gone:,} rows left out")


def _why_none(table: Table, where: Mapping[str, Any], *, alike: bool) -> str:
    """Why it may be that no row fulfils a condition: case, blanks, another spelling."""
    for name, said in where.items():
        wanted = said if isinstance(said, (list, tuple)) else [said]
        if name not in table.columns or not all(isinstance(one, str) for one in wanted):
            continue
        known = arrays.distinct_texts(table.data.column(name))
        if set(wanted) & set(known):
            continue
        near = [one for one in known if folded(one) in {folded(text) for text in wanted}]
        if near and not alike:
            return f": {name} says {near[0]!r}, which differs in case or blanks; state alike = true to pass over them"
        bare = [one for one in known if one.strip().lstrip("0") in {str(text).strip().lstrip("0") for text in wanted}]
        if bare:
            return f": {name} says {bare[0]!r}, which is another text"
        return f": {name} says {', '.join(map(repr, known[:4]))}" + (", ..." if len(known) > 4 else "")
    return ""


def _marked(table: Table, flags: NDArray[np.bool_], into: str, what: str) -> Table:
    if into in table.columns:
        raise PlanError(f"there is a column {into!r} already", do="State another name as into")
    data = table.data.append_column(into, arrays.flags(flags, np.ones(len(flags), np.bool_)))
    made = replace(table, data=data)
    said = Finding(
        FindingKind.MARKED, f"{into}: {int(flags.sum()):,} of {len(table):,} rows fulfil {what.removeprefix('only ')}"
    )
    return made.remarked([said]).step(what, len(table), f"marked in {into}")
