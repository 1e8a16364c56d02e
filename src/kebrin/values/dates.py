"""Dates and moments: a column of texts becomes dates by one order of day, month and year, stated or found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.cells import MISSING_MARKS
from kebrin.errors import PlanError, ValuesError
from kebrin.layout.periods import words_for
from kebrin.table import arrays
from kebrin.values.moments import Moment, understand_moment
from kebrin.values.outcome import Outcome, finished, unread_of
from kebrin.values.shapes import Shapes
from kebrin.values.texts import Texts, texts_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

    Whole = NDArray[np.int64]

Order = Literal["", "day first", "month first", "year first"]
_PLACES = {"day first": "dmy", "month first": "mdy", "year first": "ymd"}
_DAY = 86_400
_NONE = np.iinfo(np.int64).min
# Days from 1970-01-01 to the day before each serial number 1: the 1900 system counts a 29 February 1900 that never was.
_SERIALS = {"1900": -25_569, "1904": -24_107}


@dataclass(frozen=True, eq=False)
class Dates:
    """Dates by text: units since 1970 (a sentinel where there is none), missing marks, texts that can't be read.

    A unit is a second, or a microsecond where some time has a fraction (`per_second` is then a million).
    """

    units: Whole
    per_second: int
    missing: NDArray[np.bool_]
    unread: NDArray[np.bool_]
    timed: bool
    zoned: bool
    words: str
    evidence: str


def date(
    table: Table, column: str, *, order: Order = "", languages: Sequence[str] = ("en",), latest: int = 0,
    serial: Literal["", "1900", "1904"] = "", missing: Sequence[str] = (), unread: Literal["refuse", "blank"] = "refuse",
    written: str = "",
) -> Table:  # fmt: skip
    """Read a column of texts as dates, or as moments where it has times of day.

    Args:
        table: the table.
        column: the column.
        order: the order of day, month and year where digits alone don't tell; found over the column if not stated.
        languages: the languages of month and weekday names, by their two letters.
        latest: the latest year that two digits may mean (2031: `31` is 2031 and `32` is 1932).
        serial: read numbers as a spreadsheet's serial days, counted from 1900 or 1904.
        missing: texts that mean "no value", beside the usual marks.
        unread: whether texts that are no dates refuse the proof, or may be blank.
        written: a column to keep the texts in, as written.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"paid": ["03/04/2031", "25/04/2031", "5 May 2031"]}), ())
    >>> [str(day) for day in date(table, "paid").data.column("paid").to_pylist()]
    ['2031-04-03', '2031-04-25', '2031-05-05']

    Raises:
        ValuesError: the column reads in two ways, holds two orders, or two-digit years of an unstated century.
        PlanError: there is no such column, or an option is wrong.
    """
    if serial:
        return _from_serials(table, column, serial)
    texts = texts_of(table, column, "date", whole=True)
    read = read_dates(texts, column, order=order, languages=languages, latest=latest, missing=missing)
    full = np.asarray(texts.spread(read.units, _NONE), np.int64)
    known = full != _NONE
    columns: dict[str, pa.Array | pa.ChunkedArray] = {column: _array(full, known, read)}
    if written:
        columns[written] = table.data.column(column)
    ends = (full[known].min(), full[known].max()) if known.any() else ()
    span = ", " + " to ".join(_iso(int(end) // read.per_second) for end in ends) if ends else ""
    outcome = Outcome(
        "date", column, int((texts.codes >= 0).sum()), int(known.sum()), int(texts.counts[read.missing].sum()),
        unread_of(texts, np.flatnonzero(read.unread).tolist()), read.words, read.evidence,
        f"{int(known.sum()):,} dates{span}",
    )  # fmt: skip
    return finished(table, columns, outcome, lenient=unread == "blank")


def _array(units: Whole, known: NDArray[np.bool_], read: Dates) -> pa.Array:
    filled = np.where(known, units, 0)
    if not read.timed:
        return arrays.whole(filled // _DAY, pa.date32(), known)
    unit = "s" if read.per_second == 1 else "us"
    return arrays.whole(filled, pa.timestamp(unit, "UTC" if read.zoned else None), known)


def _iso(seconds: int) -> str:
    return str(np.datetime64(int(seconds) // _DAY, "D"))


def _from_serials(table: Table, column: str, serial: str) -> Table:
    if serial not in _SERIALS:
        raise PlanError(f"serial can't be {serial!r}", do="State 1900 or 1904")
    if column not in table.columns or not pa.types.is_floating(table.data.column(column).type):
        raise PlanError(f"serial days are numbers, and {column!r} holds none", do="Read it with the number step first")
    days = table.data.column(column).to_numpy()
    known = ~np.isnan(days)
    whole = np.where(known, np.floor(days), 0).astype(np.int64)
    if serial == "1900":
        whole += whole < 60  # before the day that never was
    if (known & (days % 1 != 0)).any():
        raise ValuesError(
            f"the column {column!r} has serial days with a fraction", why="a fraction of a day is a time",
            do="Round them first, or read the column without serial",
        )  # fmt: skip
    column_of = arrays.whole(whole + _SERIALS[serial], pa.date32(), known)
    said = Outcome("date", column, int(known.sum()), int(known.sum()), convention=f"serial days counted from {serial}")
    return finished(table, {column: column_of}, said)


def read_dates(
    texts: Texts, column: str, *, order: Order = "", languages: Sequence[str] = ("en",), latest: int = 0,
    missing: Sequence[str] = (),
) -> Dates:  # fmt: skip
    """The date that each text says, by the column's one order.

    Raises:
        ValuesError: the column reads in two ways, holds two orders, or two-digit years of an unstated century.
    """
    if order and order not in _PLACES:
        raise PlanError(f"order can't be {order!r}", do=f"State one of {', '.join(_PLACES)}")
    shapes = Shapes.of(texts.values)
    months, weekdays = words_for("month", languages), words_for("weekday", languages)
    moments = [understand_moment(shape, months, weekdays) if "0" in shape else None for shape in shapes.texts]
    groups = [(at, moments[at], rows) for at, rows in shapes.members() if len(rows)]
    stated = {mark.strip().casefold() for mark in missing}
    marks = np.isin(shapes.codes, [at for at, shape in enumerate(shapes.texts) if _is_mark(shape, stated)])
    _refuse_short_years(column, shapes, moments, latest)
    places, evidence = _order(column, texts, shapes, groups, order, latest)
    seconds = np.full(len(texts), _NONE, np.int64)
    for at, moment, rows in groups:
        if moment is not None and not marks[rows[0]]:
            seconds[rows] = _seconds(shapes, moment, rows, places, latest)
        del at
    used = [moment for moment in moments if moment is not None]
    zones = {bool(moment.zone) for moment in used if moment.timed}
    if len(zones) > 1:
        raise ValuesError(
            f"the column {column!r} has times with and without an offset from UTC", why="they do not compare",
            do="Part the rows first",
        )  # fmt: skip
    words = (
        next((name for name, letters in _PLACES.items() if letters == places), "")
        if places
        else "dates that read one way"
    )
    unread = (seconds == _NONE) & ~marks
    per_second = 1_000_000 if any("f" in moment.parts for moment in used) else 1
    units = np.where(seconds == _NONE, _NONE, seconds * per_second) if per_second > 1 else seconds
    for _, moment, rows in groups:
        if moment is not None and "f" in moment.parts:
            offset, width = moment.parts["f"]
            micros = shapes.digits(rows, offset, min(width, 6)) * 10 ** (6 - min(width, 6))
            units[rows] = np.where(seconds[rows] == _NONE, _NONE, units[rows] + micros)
    return Dates(units, per_second, marks, unread, any(moment.timed for moment in used), True in zones, words, evidence)


def _is_mark(shape: str, stated: set[str]) -> bool:
    bare = shape.strip().casefold()
    return not bare or bare in stated or bare in MISSING_MARKS


def _refuse_short_years(column: str, shapes: Shapes, moments: Sequence[Moment | None], latest: int) -> None:
    if latest:
        return
    full = [
        int(shapes.digits(rows, *span).max())
        for at, rows in shapes.members()
        if len(rows) and (moment := moments[at]) is not None
        and (span := moment.parts.get("y", moment.parts.get("c", (0, 2))))[1] == 4
    ]  # fmt: skip
    for at, moment in enumerate(moments):
        if moment is not None and moment.parts.get("y", moment.parts.get("c", (0, 4)))[1] == 2:
            year = max(full, default=2031)
            others = f"; the latest year written out is {year}" if full else ""
            raise ValuesError(
                f"the column {column!r} has years of two digits",
                why=f"cells such as {shapes.texts[at]!r} (0 stands for any digit){others}",
                do=f"State latest, the latest year that they may mean: latest = {year} makes {year % 100:02} the year {year} and "
                f"{(year + 1) % 100:02} {year - 99}",
                answers=[{"latest": year}] if full else (),
            )  # fmt: skip


def _order(
    column: str, texts: Texts, shapes: Shapes,
    groups: Sequence[tuple[int, Moment | None, NDArray[np.intp]]], stated: Order, latest: int,
) -> tuple[str, str]:  # fmt: skip
    """The places of day, month and year in dates that their digits alone don't tell, and why; '' if there are none."""
    open_groups = [(moment, rows) for _, moment, rows in groups if moment is not None and not moment.ordered]
    if not open_groups:
        return "", ""
    if stated:
        return _PLACES[stated], "as stated"
    counts = texts.counts
    against: dict[str, int] = dict.fromkeys(_PLACES.values(), 0)
    example: dict[str, str] = {}
    possible = dict.fromkeys(_PLACES.values(), 0)
    for moment, rows in open_groups:
        for places, good in _possible(shapes, moment, rows, latest).items():
            against[places] += int(counts[rows[~good]].sum())
            possible[places] += int(counts[rows[good]].sum())
            if not good.all():
                example.setdefault(places, str(texts.values[int(rows[np.flatnonzero(~good)[0]])].as_py()))
    total = sum(int(counts[rows].sum()) for _, rows in open_groups)
    fitting = [places for places in against if possible[places] == total]
    if len(fitting) == 1:
        others = [places for places in example if places != fitting[0]]
        return fitting[0], f"{example[others[0]]!r} reads in no other way" if others else "no other order fits"
    return _settled(column, texts, shapes, open_groups, fitting, possible, total, latest)


def _possible(shapes: Shapes, moment: Moment, rows: NDArray[np.intp], latest: int) -> dict[str, NDArray[np.bool_]]:
    """For each order that a shape allows, which of its texts are dates in it: months up to 12, and the weekday right."""
    if moment.weekday >= 0:
        return {places: _seconds(shapes, moment, rows, places, latest) != _NONE for places in _allowed(moment)}
    part = {name: shapes.digits(rows, *moment.parts[name]) for name in "abc"}
    found = {}
    for places in _allowed(moment):
        month, day = part["abc"[places.index("m")]], part["abc"[places.index("d")]]
        found[places] = (month >= 1) & (month <= 12) & (day >= 1) & (day <= 31)
    return found


def _allowed(moment: Moment) -> list[str]:
    """The orders in which a numeric date can be read: a year of four digits stands last."""
    return ["dmy", "mdy"] if moment.parts["c"][1] == 4 else ["dmy", "mdy", "ymd"]


def _settled(
    column: str, texts: Texts, shapes: Shapes, groups: Sequence[tuple[Moment, NDArray[np.intp]]], fitting: Sequence[str],
    possible: Mapping[str, int], total: int, latest: int,
) -> tuple[str, str]:  # fmt: skip
    """The order where several fit every date, or none does: by the rows' own order, or a question."""
    names = {letters: name for name, letters in _PLACES.items()}
    if not fitting:
        best = max(possible, key=lambda places: possible[places])
        rest = {places: count for places, count in possible.items() if places != best and count}
        # A few impossible dates are mistakes of their writers; many mean that two orders are mixed.
        if total - possible[best] <= 0.01 * total or all(possible[best] > 50 * count for count in rest.values()):
            return best, f"{possible[best]:,} of {total:,} dates read in this order"
        told = ", ".join(f"{count:,} as {names[places]}" for places, count in possible.items() if count)
        raise ValuesError(
            f"the column {column!r} holds dates of two orders", why=f"of {total:,}, {told}",
            do="Part the rows by where they come from first, or state order",
            answers=[{"order": names[places]} for places, count in possible.items() if count],
        )  # fmt: skip
    steady = [places for places in fitting if _in_order(texts, shapes, groups, places, latest)]
    if len(steady) == 1:
        return steady[0], "in this order the rows go forward in time"
    shown = str(texts.values[int(groups[0][1][0])].as_py())
    raise ValuesError(
        f"the column {column!r} can be read in two ways", why=f"every date, such as {shown!r}, reads as "
        + " and as ".join(names[places] for places in fitting), do='State order = "day first" or order = "month first"',
        answers=[{"order": names[places]} for places in fitting],
    )  # fmt: skip


def _in_order(
    texts: Texts, shapes: Shapes, groups: Sequence[tuple[Moment, NDArray[np.intp]]], places: str, latest: int
) -> bool:
    """Whether the column's rows, eight different days or more, never go back in time when read in this order."""
    seconds = np.full(len(texts), _NONE, np.int64)
    for moment, rows in groups:
        seconds[rows] = _seconds(shapes, moment, rows, places, latest)
    full = np.asarray(texts.spread(seconds, _NONE), np.int64)
    full = full[full != _NONE]
    return len(np.unique(full)) >= 8 and bool((np.diff(full) >= 0).all())


def _seconds(shapes: Shapes, moment: Moment, rows: NDArray[np.intp], places: str, latest: int) -> Whole:
    """Seconds since 1970 for texts of one shape; the sentinel where the date does not exist."""
    part = {name: shapes.digits(rows, *span) for name, span in moment.parts.items()}
    if moment.ordered:
        year, day = part["y"], part["d"]
        month = part["m"] if "m" in part else np.full(len(rows), moment.month, np.int64)
        width = moment.parts["y"][1]
    else:
        named = dict(zip(places, ("a", "b", "c"), strict=True))
        year, month, day = (part[named[letter]] for letter in "ymd")
        width = moment.parts[named["y"]][1]
        if width == 1 or max(moment.parts[named[letter]][1] for letter in "md") > 2:
            return np.full(len(rows), _NONE, np.int64)
    if width <= 2:
        year = year + latest // 100 * 100
        year = np.where(year > latest, year - 100, year)
    days, good = _days(year, month, day)
    if moment.weekday >= 0:
        good &= (days + 3) % 7 == moment.weekday
    seconds, timed = _time(moment, part)
    return np.where(good & timed, days * _DAY + seconds, _NONE)


def _days(year: Whole, month: Whole, day: Whole) -> tuple[Whole, NDArray[np.bool_]]:
    """Days since 1970, and whether each date exists (proleptic Gregorian, as ISO 8601 has it)."""
    good = (month >= 1) & (month <= 12) & (day >= 1) & (year >= 1)
    if not good.any():
        return np.zeros(len(year), np.int64), good
    # A table of first days over the years that occur: looking a month up is cheaper than working it out.
    since = int(year[good].min())
    months = np.arange((since - 1970) * 12, (int(year[good].max()) + 1 - 1970) * 12 + 1).astype("datetime64[M]")
    first = months.astype("datetime64[D]").astype(np.int64)
    at = np.where(good, (year - since) * 12 + month - 1, 0)
    begin = first[at]
    good &= begin + day <= first[at + 1]
    return begin + day - 1, good


def _time(moment: Moment, part: Mapping[str, Whole]) -> tuple[Whole, NDArray[np.bool_]]:
    count = len(next(iter(part.values())))
    if not moment.timed:
        return np.zeros(count, np.int64), np.ones(count, np.bool_)
    zero = np.zeros(count, np.int64)
    hour, minute, second = part["h"], part["min"], part.get("s", zero)
    good = (minute < 60) & (second < 60)
    if moment.half:
        good &= (hour >= 1) & (hour <= 12)
        hour = hour % 12 + (12 if moment.half == "pm" else 0)
    good &= hour < 24
    seconds = hour * 3600 + minute * 60 + second
    if moment.zone in {"+", "-"}:
        offset = part["zh"] * 3600 + part["zm"] * 60
        seconds = seconds - offset if moment.zone == "+" else seconds + offset
    return seconds, good
