"""What a chart shows, as numbers: sums by one column or two, ordered as periods or by size; a spread; how full columns are."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, nearest
from kebrin.grammar.periods import period_name, words_for
from kebrin.shape.choosing import without_totals
from kebrin.shape.summing import numbers_of, sums
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

Kind = Literal["line", "bars", "multiples", "heat", "spread", "full"]
#: So many categories are shown one by one, the rest together; so many lines side by side; so many rows and columns of shades.
MOST_BARS, MOST_PANELS, MOST_SHADES = 20, 12, 40
_ODD = 3.0  # quartile ranges beyond the quartiles at which a value is odd (Tukey, Exploratory Data Analysis, 1977: "far out")
_ODD_TOLD = 5
_MANY = 2_000
_PLAIN, _KEY = r"^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$", r"^(?:(?:19|20|21)\d\d|0\d+)$"


@dataclass(frozen=True)
class Look:
    """What is drawn.

    Attributes:
        kind: how.
        of: the measure.
        by: the columns that it is summed by.
        rows: the labels down or along, in order.
        across: the labels of the second column.
        values: the sums (rows x across, or rows); NaN where there is nothing, which stays a gap.
        said: what a reader must know: what was left out, put together or is odd.
    """

    kind: Kind
    of: str
    by: tuple[str, ...]
    rows: tuple[str, ...]
    across: tuple[str, ...]
    values: NDArray[np.float64]
    said: tuple[str, ...] = ()


def look(table: Table, by: Sequence[str] = (), of: str = "", what: str = "") -> Look:
    """What to draw of a table.

    Args:
        table: the table.
        by: one column or two; if none is named, the first of periods, else one of few labels.
        of: the measure; the first of numbers by default.
        what: 'spread' for how its values are spread, 'full' for how full each column is; sums by default.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"month": ["2031-01", "2031-03", "2031-01"], "cars": [3.0, 5.0, 4.0]}), ("cars",))
    >>> found = look(table)
    >>> found.kind, found.rows, found.values.tolist()
    ('line', ('2031-01', '2031-02', '2031-03'), [7.0, nan, 5.0])

    Raises:
        PlanError: a column is not there or holds no numbers, or there is nothing to draw.
    """
    table = without_totals(table)
    if what == "full":
        return _fullness(table)
    if what not in {"", "sums", "spread"}:
        raise PlanError(f"there is no chart of {what!r}", do="Ask for sums, spread or full")
    for name in by:
        table.refuse_absent(name, "look")
    of = _measure(table, of)
    if what == "spread":
        return _spread(table, of)
    if len(by) > 2:
        raise PlanError("a chart shows a measure by one column or two", why=f"{len(by)} are named", do="Leave some out")
    names = tuple(by) or _likely(table, of)
    numbers = numbers_of(table, of, "look")
    odd = int(np.isinf(numbers).sum())
    if odd:
        table = _finite(table, of, numbers)
    if not np.isfinite(numbers).any():
        raise PlanError(
            f"there is nothing to draw of {of!r}", why="it has no value", do="Name another measure with --of"
        )
    said = [f"{odd:,} infinite values are left out"] if odd else []
    missing = int(np.isnan(numbers).sum())
    said += [f"{missing:,} of {len(table):,} rows have no value"] if missing else []
    made = sums(table, names, of=[of])
    values = numbers_of(made, of, "look")
    keys = [_texts(made, name) for name in names]
    if len(names) == 1:
        return _by_one(of, names, keys[0], values, said)
    return _by_two(of, names, keys, values, said)


def with_numbers(table: Table, measures: Sequence[str] = ()) -> Table:
    """A table read from a file, its columns of plain numbers as such; those that look like years or keys only if they are named.

    >>> from kebrin.table import Table
    >>> made = with_numbers(Table(pa.table({"year": ["2030", "2031"], "cars": ["3", "4.5"]}), ()))
    >>> str(made.data.column("year").type), str(made.data.column("cars").type)
    ('string', 'double')
    """
    import pyarrow.compute as pc

    data = table.data
    for at, name in enumerate(table.columns):
        column = data.column(name)
        column = column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column
        if not (pa.types.is_string(column.type) or pa.types.is_large_string(column.type)):
            continue
        said = column.drop_null().unique()
        plain = len(said) > 0 and pc.all(pc.match_substring_regex(said, _PLAIN)).as_py()
        if plain and (name in measures or not pc.all(pc.match_substring_regex(said, _KEY)).as_py()):
            data = data.set_column(at, name, column.cast(pa.float64()))
    return replace(table, data=data, measures=tuple(name for name in table.columns if name in measures))


def _measure(table: Table, of: str) -> str:
    numeric = [name for name in table.columns if _is_number(table, name)]
    if of:
        table.refuse_absent(of, "look")
        if of not in numeric:
            near = nearest(of, numeric)
            raise PlanError(
                f"{of!r} holds {arrays.kind_of(table.data.column(of))}s, and a chart needs numbers",
                why=f"the columns of numbers are {', '.join(numeric) or 'none'}",
                do=f"Did you mean {near!r}?" if near else "Name one of them with --of",
            )
        return of
    known = [name for name in table.measures if name in numeric] or numeric
    if not known:
        raise PlanError(
            "the table has no column of numbers", do="Read one first: kebrin values says which step does it"
        )
    return known[-1] if not table.measures else known[0]


def _is_number(table: Table, name: str) -> bool:
    kind = table.data.column(name).type
    return bool(pa.types.is_floating(kind) or pa.types.is_integer(kind))


def _finite(table: Table, of: str, numbers: NDArray[np.float64]) -> Table:
    kept = np.where(np.isfinite(numbers), numbers, np.nan)
    at = table.columns.index(of)
    return replace(table, data=table.data.set_column(at, of, arrays.numbers(kept)))


def _likely(table: Table, of: str) -> tuple[str, ...]:
    """The column to sum by where none is named: the first of periods, else the one of few labels, but more than one."""
    few = ""
    for name in table.columns:
        if name == of or _is_number(table, name):
            continue
        texts = _distinct(table, name)
        if len(texts) > 1 and _are_periods(texts):
            return (name,)
        if not few and 1 < len(texts) <= MOST_BARS:
            few = name
    others = [name for name in table.columns if name != of and not _is_number(table, name)]
    if not few and not others:
        raise PlanError("the table has no column to sum by", do="Name one with --by, or ask for --what spread")
    return (few or others[0],)


def _distinct(table: Table, name: str) -> list[str]:
    column = table.data.column(name)
    if pa.types.is_temporal(column.type):
        return [str(one) for one in column.unique().to_pylist() if one is not None]
    if _is_number(table, name):
        return [f"{one:g}" for one in column.unique().to_pylist() if one is not None]
    return arrays.distinct_texts(column, _MANY)


def _texts(table: Table, name: str) -> list[str]:
    return ["(missing)" if one is None else f"{one:g}" if isinstance(one, float) else str(one)
            for one in table.data.column(name).to_pylist()]  # fmt: skip


def _are_periods(texts: Sequence[str]) -> bool:
    return all(_order(text) for text in texts) and (bool(period_name(list(texts[:60]))) or all(map(_is_iso, texts)))


def _is_iso(text: str) -> bool:
    return re.fullmatch(r"\d{4}-\d\d(?:-\d\d)?(?:[ T].*)?", text) is not None


def _order(text: str) -> tuple[float, ...]:
    """A period as numbers that sort; empty if it is none."""
    months = words_for("month", ("en", "de", "fr"))
    parts: list[float] = []
    for word in re.findall(r"\d+|[^\W\d_]+", text):
        if word.isdigit():
            parts.append(float(word))
        elif word.casefold() in months:
            parts.append(float(months[word.casefold()]))
        elif not re.fullmatch(r"[QWHqwh]|week|quarter|T", word):
            return ()
    return tuple(reversed(parts)) if len(parts) > 1 and parts[-1] >= 1000 > parts[0] else tuple(parts)


def _between(texts: Sequence[str]) -> list[str]:
    """Periods in order, with those that lie between them and are not there: years, months and days of the ISO kind."""
    ordered = sorted(texts, key=_order)
    if all(re.fullmatch(r"\d{4}", one) for one in ordered):
        whole = [str(year) for year in range(int(ordered[0]), int(ordered[-1]) + 1)]
    elif all(re.fullmatch(r"\d{4}-\d\d", one) for one in ordered):
        whole = np.arange(ordered[0], np.datetime64(ordered[-1], "M") + 1, dtype="datetime64[M]").astype(str).tolist()
    elif all(re.fullmatch(r"\d{4}-\d\d-\d\d", one) for one in ordered):
        whole = np.arange(ordered[0], np.datetime64(ordered[-1], "D") + 1, dtype="datetime64[D]").astype(str).tolist()
    else:
        return ordered
    return whole if len(whole) <= _MANY else ordered


def _by_one(of: str, by: tuple[str, ...], keys: list[str], values: NDArray[np.float64], said: list[str]) -> Look:
    known = [key for key in keys if key != "(missing)"]
    if len(known) > 1 and _are_periods(known):
        rows = _between(known)
        own = dict(zip(keys, values.tolist(), strict=True))
        gone = [row for row in rows if row not in own]
        said += [f"no rows for {_some(gone)}"] if gone else []
        if "(missing)" in own:
            said.append(f"{own['(missing)']:,.6g} have no {by[0]}")
        return Look("line", of, by, tuple(rows), (), np.array([own.get(row, np.nan) for row in rows]), tuple(said))
    order = np.argsort(-np.nan_to_num(values, nan=-np.inf), kind="stable")
    rows, kept = [keys[at] for at in order], values[order]
    if len(rows) > MOST_BARS:
        rest = kept[MOST_BARS - 1 :]
        said.append(f"the {len(rest):,} smallest of {len(rows):,} are put together")
        rows, kept = (
            [*rows[: MOST_BARS - 1], f"{len(rest):,} others"],
            np.append(kept[: MOST_BARS - 1], np.nansum(rest)),
        )
    return Look("bars", of, by, tuple(rows), (), kept, tuple(said))


def _by_two(of: str, by: tuple[str, ...], keys: list[list[str]], values: NDArray[np.float64], said: list[str]) -> Look:
    orders = []
    for own in keys:
        distinct = list(dict.fromkeys(own))
        periods = len(distinct) > 1 and _are_periods(distinct)
        orders.append((_between(distinct) if periods else _largest_first(own, values), periods))
    (rows, down), (across, along) = orders
    if down and not along:  # periods run along
        rows, across, down, along = across, rows, along, down
        keys, by = keys[::-1], by[::-1]
    limit = MOST_PANELS if along and len(rows) <= MOST_PANELS else MOST_SHADES
    for name, own in ((by[0], rows), (by[1], across)):
        if len(own) > limit and not _are_periods(own):
            said.append(f"only the {limit} largest of {len(own):,} in {name} are shown")
    rows, across = rows[:limit], across if along else across[:limit]
    places = ({one: at for at, one in enumerate(rows)}, {one: at for at, one in enumerate(across)})
    grid = np.full((len(rows), len(across)), np.nan)
    for one, other, value in zip(*keys, values.tolist(), strict=True):
        if one in places[0] and other in places[1]:
            grid[places[0][one], places[1][other]] = value
    kind: Kind = "multiples" if along and len(rows) <= MOST_PANELS else "heat"
    return Look(kind, of, by, tuple(rows), tuple(across), grid, tuple(said))


def _largest_first(keys: Sequence[str], values: NDArray[np.float64]) -> list[str]:
    totals: dict[str, float] = {}
    for key, value in zip(keys, np.nan_to_num(values).tolist(), strict=True):
        totals[key] = totals.get(key, 0.0) + value
    return sorted(totals, key=lambda key: -totals[key])


def _spread(table: Table, of: str) -> Look:
    numbers = numbers_of(table, of, "look")
    known = numbers[np.isfinite(numbers)]
    if not len(known):
        raise PlanError(
            f"there is nothing to draw of {of!r}", why="it has no value", do="Name another measure with --of"
        )
    low, high = np.quantile(known, [0.25, 0.75])
    reach = _ODD * (high - low)
    odd = np.flatnonzero(np.isfinite(numbers) & ((numbers < low - reach) | (numbers > high + reach)))
    said = (
        [f"{len(numbers) - len(known):,} of {len(numbers):,} rows have no value"] if len(known) < len(numbers) else []
    )
    if len(odd) and high > low:
        first = odd[np.argsort(-np.abs(numbers[odd] - (low + high) / 2))][:_ODD_TOLD]
        where = ", ".join(f"row {at + 1:,} has {numbers[at]:,.6g}" for at in first.tolist())
        said.append(f"{len(odd):,} values are far from the others: {where}")
    return Look("spread", of, (), (), (), known, tuple(said))


def _fullness(table: Table) -> Look:
    shares = [1 - table.data.column(name).null_count / max(len(table), 1) for name in table.columns]
    return Look("full", "filled", (), tuple(table.columns), (), np.array(shares), (f"{len(table):,} rows",))


def _some(names: Sequence[str]) -> str:
    return ", ".join(names[:6]) + (f" and {len(names) - 6:,} more" if len(names) > 6 else "")
