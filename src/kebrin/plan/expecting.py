"""Check what a plan expects of a finished table: each expectation is a check of the proof, with the cells that show it."""

from __future__ import annotations

from fnmatch import fnmatchcase
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, nearest
from kebrin.plan.choices import RangePlan
from kebrin.proof import Check
from kebrin.shape.groups import factor
from kebrin.sources.tidy_tables import read_table
from kebrin.table import arrays
from kebrin.values.gaps import missing_between

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from numpy.typing import NDArray

    from kebrin.plan.choices import ExpectPlan, RowsPlan
    from kebrin.proof import Source
    from kebrin.table import Table

_SHOWN = 6
_EQUAL = 1e-9


def checks_of(
    table: Table, expect: ExpectPlan, sources: Sequence[Source], base: Path, last_rows: int | None = None
) -> tuple[Check, ...]:
    """The checks of one table.

    Args:
        table: the finished table.
        expect: what the plan expects of it.
        sources: what was read for it.
        base: the folder of the files that control totals are read from.
        last_rows: the rows of the last run, if there was one.

    Raises:
        PlanError: a column that is named is not there.
        SourceError: a file with a control total can't be read.
    """
    for name in (*expect.key, *expect.values, *expect.every, *expect.no_gaps, *expect.sums):
        table.refuse_absent(name, "expect")
    found: list[Check] = []
    if expect.columns:
        found.append(_columns(table, expect.columns))
    if expect.rows is not None:
        found += _rows(len(table), expect.rows, last_rows)
    if expect.key:
        found.append(_key(table, expect.key))
    for name, wanted in expect.values.items():
        found.append(_range(table, name, wanted) if isinstance(wanted, RangePlan) else _values(table, name, wanted))
    found += [_every(table, name, wanted) for name, wanted in expect.every.items()]
    found += [_gaps(table, name) for name in expect.no_gaps]
    found += [_sum(table, name, wanted, base) for name, wanted in expect.sums.items()]
    used = [name for source in sources for name in source.used]
    read = [Path(source.file).name for source in sources if source.used]
    found += [_there("sheet", wanted, used) for wanted in expect.sheets]
    found += [_there("file", wanted, read) for wanted in expect.files]
    return tuple(found)


def _columns(table: Table, wanted: Sequence[str]) -> Check:
    gone = [name for name in wanted if name not in table.columns]
    more = [name for name in table.columns if name not in wanted]
    said = [f"there is no {_some(gone)}"] if gone else []
    said += [f"there is {_some(more)} besides"] if more else []
    near = nearest(gone[0], more) if gone else ""
    said += [f"{near!r} may be {gone[0]!r}"] if near else []
    return Check(f"the columns {', '.join(wanted)}", not said, "; ".join(said))


def _rows(rows: int, wanted: RowsPlan, last: int | None) -> list[Check]:
    found = f"there are {rows:,}"
    said = []
    if wanted.exactly is not None:
        said.append(Check(f"{wanted.exactly:,} rows", rows == wanted.exactly, found))
    if wanted.at_least is not None:
        said.append(Check(f"at least {wanted.at_least:,} rows", rows >= wanted.at_least, found))
    if wanted.at_most is not None:
        said.append(Check(f"at most {wanted.at_most:,} rows", rows <= wanted.at_most, found))
    if wanted.within is not None:
        what = f"about as many rows as last time, {wanted.within:.0%} more or less"
        if last is None:
            said.append(Check(what, holds=True, found=f"{found}, and there is no earlier run to compare it with"))
        else:
            said.append(Check(what, abs(rows - last) <= wanted.within * last, f"{found}, and there were {last:,}"))
    return said


def _key(table: Table, key: Sequence[str]) -> Check:
    again = arrays.repeated_rows(table.data.select(list(key)))
    blank = np.zeros(len(table), np.bool_)
    for name in key:
        blank |= arrays.nulls_of(table.data.column(name))
    said = [f"{len(again):,} rows say the same as another"] if len(again) else []
    said += [f"{int(blank.sum()):,} rows have an empty cell in it"] if blank.any() else []
    rows = np.concatenate((again, np.flatnonzero(blank)))
    return Check(f"{', '.join(key)} to tell every row from the others", not said, "; ".join(said), _cells(table, rows))


def _values(table: Table, name: str, wanted: Sequence[str]) -> Check:
    own = factor(table.data.column(name))
    texts = [_text(value) for value in own.values.to_pylist()]
    other = np.array([*(text not in wanted for text in texts), False])
    rows = np.flatnonzero(other[own.codes])
    odd = sorted({texts[code] for code in own.codes[rows].tolist()})
    return Check(
        f"{name} to be one of {_some(wanted)}",
        not len(rows),
        f"{len(rows):,} rows say {_some(odd)}",
        _cells(table, rows),
    )


def _range(table: Table, name: str, wanted: RangePlan) -> Check:
    low, high = wanted.smallest, wanted.largest
    what = f"{name} from {low:,g} to {high:,g}" if low is not None and high is not None else (
        f"{name} at least {low:,g}" if low is not None else f"{name} at most {high:,g}"
    )  # fmt: skip
    column = table.data.column(name)
    if not (pa.types.is_floating(column.type) or pa.types.is_integer(column.type)):
        return Check(what, holds=False, found=f"it holds {arrays.kind_of(column)}")
    values = arrays.floats_of(column.cast(pa.float64()))
    out = np.zeros(len(values), np.bool_)
    out |= values < low if low is not None else out
    out |= values > high if high is not None else out
    rows = np.flatnonzero(out)
    odd = [f"{value:,.10g}" for value in values[rows][:_SHOWN].tolist()]
    return Check(what, not len(rows), f"{len(rows):,} rows say {_some(odd)}" if len(rows) else "", _cells(table, rows))


def _every(table: Table, name: str, wanted: Sequence[str]) -> Check:
    there = {_text(value) for value in table.data.column(name).unique().to_pylist() if value is not None}
    gone = [text for text in wanted if text not in there]
    return Check(f"{name} to have each of {_some(wanted)}", not gone, f"there is no {_some(gone)}" if gone else "")


def _gaps(table: Table, name: str) -> Check:
    gone = missing_between(table.data.column(name), name)
    return Check(f"no gap in {name}", not gone, f"there is no {_some(gone)}" if gone else "")


def _sum(table: Table, name: str, wanted: float | str, base: Path) -> Check:
    column = table.data.column(name)
    own = arrays.sum_of(column) if pa.types.is_floating(column.type) else float("nan")
    stated, where = (wanted, "") if isinstance(wanted, (int, float)) else _control(wanted, base)
    holds = abs(own - stated) <= _EQUAL * max(abs(stated), 1.0)
    return Check(f"{name} to sum to {stated:,.10g}{where}", holds, f"its sum is {own:,.10g}, {own - stated:+,.10g}")


def _control(said: str, base: Path) -> tuple[float, str]:
    """The sum of a column of another table, named as "FILE, COLUMN"."""
    file, comma, column = (part.strip() for part in said.rpartition(","))
    if not comma:
        raise PlanError(
            f"sums says {said!r}", why='a control total is a number, or "FILE, COLUMN"', do="Correct it in the plan"
        )
    table = read_table(base / file)
    table.refuse_absent(column, "sums")
    values = table.data.column(column)
    if not pa.types.is_floating(values.type):
        from kebrin.values.numbers import number

        values = number(table, column).data.column(column)
    return arrays.sum_of(values), f" as {file} has it"


def _there(what: str, wanted: str, names: Iterable[str]) -> Check:
    found = any(fnmatchcase(name, wanted) for name in names)
    return Check(f"the {what} {wanted}", found, "" if found else "it was not read: it is not there, or was left out")


def _cells(table: Table, rows: NDArray[np.intp]) -> tuple[str, ...]:
    if not table.measures:
        return ()
    origins = (
        [table.origins.of(int(row), table.measures[0]) for row in rows[:_SHOWN]]
        if len(table.origins) == len(table)
        else []
    )
    return tuple(f"{origin.sheet} {origin.cell}" for origin in origins if origin is not None)


def _text(value: object) -> str:
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)


def _some(texts: Sequence[str]) -> str:
    more = f" and {len(texts) - _SHOWN} more" if len(texts) > _SHOWN else ""
    return ", ".join(texts[:_SHOWN]) + more
