"""The order of day, month and year in a column of dates: stated, shown by some dates, or by the order of the rows."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.errors import ValuesError
from kebrin.values.instants import NONE, PLACES, seconds_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.grammar.moments import Moment
    from kebrin.values.shapes import Chunk, Shapes
    from kebrin.values.texts import Texts

Order = Literal["", "day first", "month first", "year first"]
_NAMES = {letters: name for name, letters in PLACES.items()}
_DOTTED = re.compile(r"0{1,2}\.\s?0{1,2}\.\s?0000\.?(?:,?\s+0{1,2}[:.]00(?:[:.]00)?)?")
# The days of each month at most; none is the month 0.
_LONGEST = np.array([0, 31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
# Rows show an order only if they hold at least so many different days.
_DAYS_IN_ORDER = 8
# So many different first parts are days, where the last part is always the same.
_FEWEST_DAYS = 5


def refuse_short_years(column: str, shapes: Shapes, found: Mapping[int, Moment], latest: int) -> None:
    """Refuse years of two digits without a stated latest year.

    Raises:
        ValuesError: there are some; the latest year that is written out is proposed.
    """
    years = {at: moment.parts.get("y", moment.parts.get("c", (0, 4))) for at, moment in found.items()}
    short = [at for at, (_, width) in years.items() if width == 2]
    if latest or not short:
        return
    long = {at: span for at, span in years.items() if span[1] == 4}
    full = [int(chunk.digits(*long[chunk.shape]).max()) for chunk in shapes.chunks(long)]
    year = max(full, default=2031)
    others = f"; the latest year written out is {year}" if full else ""
    raise ValuesError(
        f"the column {column!r} has years of two digits",
        why=f"cells such as {shapes.texts[short[0]]!r} (0 stands for any digit){others}",
        do=f"State latest, the latest year that they may mean: latest = {year} makes {year % 100:02} the year {year} and "
        f"{(year + 1) % 100:02} {year - 99}",
        answers=[{"latest": year}] if full else (),
    )  # fmt: skip


def find_order(
    column: str, texts: Texts, shapes: Shapes, found: Mapping[int, Moment], stated: Order, latest: int
) -> tuple[str, str]:
    """The places of day, month and year in dates that their digits alone don't tell, and why; '' if there are none.

    Raises:
        ValuesError: the column reads in two ways, or holds dates of two orders.
    """
    open_shapes = {at: moment for at, moment in found.items() if not moment.ordered}
    if not open_shapes:
        return "", ""
    if stated:
        return PLACES[stated], "as stated"

    def judge(chunk: Chunk) -> dict[str, tuple[int, int, int]]:
        judged = {}
        for places, good in _possible(chunk, open_shapes[chunk.shape], latest).items():
            bad = np.flatnonzero(~good)
            first = int(chunk.rows[bad[0]]) if len(bad) else -1
            judged[places] = texts.cells_at(chunk.rows), texts.cells_at(chunk.rows[bad]), first
        return judged

    possible, total = dict.fromkeys(PLACES.values(), 0), 0
    example: dict[str, str] = {}
    for judged in shapes.each(open_shapes, judge):
        total += next(iter(judged.values()))[0]
        for places, (every, bad, row) in judged.items():
            possible[places] += every - bad
            if row >= 0:
                example.setdefault(places, str(texts.values[row].as_py()))
    fitting = [places for places in possible if possible[places] == total]
    if len(fitting) == 1:
        others = [places for places in example if places != fitting[0]]
        return fitting[0], f"{example[others[0]]!r} reads in no other way" if others else "no other order fits"
    if not fitting:
        return _best(column, possible, total)
    return _by_the_rows(column, texts, shapes, open_shapes, fitting, latest)


def _possible(chunk: Chunk, moment: Moment, latest: int) -> dict[str, NDArray[np.bool_]]:
    """For each order that a shape allows, which of its texts are dates in it: no 31 April, and the weekday right."""
    if moment.weekday >= 0:
        return {places: seconds_of(chunk, moment, places, latest) != NONE for places in _allowed(moment)}
    part = {name: chunk.digits(*moment.parts[name]) for name in "abc"}
    found = {}
    for places in _allowed(moment):
        month, day = part["abc"[places.index("m")]], part["abc"[places.index("d")]]
        found[places] = (month >= 1) & (month <= 12) & (day >= 1)
        found[places] &= day <= _LONGEST[np.clip(month, 1, 12)]
    return found


def _allowed(moment: Moment) -> list[str]:
    """The orders in which a numeric date can be read: a year of four digits stands last, and one of one digit is none."""
    return ["dmy", "mdy"] if moment.parts["c"][1] == 4 or moment.parts["a"][1] == 1 else ["dmy", "mdy", "ymd"]


def _best(column: str, possible: Mapping[str, int], total: int) -> tuple[str, str]:
    """The order where none fits every date: a few impossible dates are mistakes, many mean that two orders are mixed."""
    best = max(possible, key=lambda places: possible[places])
    rest = {places: count for places, count in possible.items() if places != best and count}
    if total - possible[best] <= 0.01 * total or all(possible[best] > 50 * count for count in rest.values()):
        return best, f"{possible[best]:,} of {total:,} dates read in this order"
    told = ", ".join(f"{count:,} as {_NAMES[places]}" for places, count in possible.items() if count)
    raise ValuesError(
        f"the column {column!r} holds dates of two orders", why=f"of {total:,}, {told}",
        do="Part the rows by where they come from first, or state order",
        answers=[{"order": _NAMES[places]} for places, count in possible.items() if count],
    )  # fmt: skip


def _by_the_rows(
    column: str, texts: Texts, shapes: Shapes, open_shapes: Mapping[int, Moment], fitting: Sequence[str], latest: int
) -> tuple[str, str]:
    """The order where several fit every date: the one in which the rows go forward in time, or a question."""
    if "dmy" in fitting and all(_DOTTED.fullmatch(shapes.texts[at].strip()) for at in open_shapes):
        return "dmy", "dates with dots are written day first"
    if len(fitting) > 1 and "ymd" in fitting and _ends_in_one_year(shapes, open_shapes):
        fitting = [places for places in fitting if places != "ymd"]
        if len(fitting) == 1:
            return fitting[0], "their last part is always the same, as a year is"
    steady = [places for places in fitting if _goes_forward(texts, shapes, open_shapes, places, latest)]
    if len(steady) == 1:
        return steady[0], "in this order the rows go forward in time"
    first = next(iter(shapes.chunks(open_shapes)))
    shown = str(texts.values[int(first.rows[0])].as_py())
    raise ValuesError(
        f"the column {column!r} can be read in two ways", why=f"every date, such as {shown!r}, reads as "
        + " and as ".join(_NAMES[places] for places in fitting), do='State order = "day first" or order = "month first"',
        answers=[{"order": _NAMES[places]} for places in fitting],
    )  # fmt: skip


def _ends_in_one_year(shapes: Shapes, open_shapes: Mapping[int, Moment]) -> bool:
    """Whether the last part of several dates is always the same, and the first is not: read as a day, all years would share it.

    23/05/31 among days of May 2031 is none of 31 days of May in many years.
    """
    parts: dict[str, set[int]] = {"a": set(), "c": set()}
    for chunk in shapes.chunks(open_shapes):
        for name, found in parts.items():
            found.update(np.unique(chunk.digits(*open_shapes[chunk.shape].parts[name])).tolist())
    return len(parts["c"]) == 1 and len(parts["a"]) >= _FEWEST_DAYS


def _goes_forward(texts: Texts, shapes: Shapes, open_shapes: Mapping[int, Moment], places: str, latest: int) -> bool:
    """Whether the column's dates, several different days, never go back in time in the order in which they first stand."""
    seconds = np.full(len(texts), NONE, np.int64)
    for chunk in shapes.chunks(open_shapes):
        seconds[chunk.rows] = seconds_of(chunk, open_shapes[chunk.shape], places, latest)
    seconds = seconds[seconds != NONE]
    return len(np.unique(seconds)) >= _DAYS_IN_ORDER and bool((np.diff(seconds) >= 0).all())
