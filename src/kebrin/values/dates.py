"""Dates and moments: a column of texts becomes dates by one order of day, month and year, stated or found."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.cells import MISSING_MARKS
from kebrin.errors import PlanError, ValuesError
from kebrin.grammar.moments import Moment, understand_moment
from kebrin.grammar.periods import languages_of, words_for
from kebrin.table import arrays
from kebrin.values.instants import DAY, NONE, PLACES, seconds_of
from kebrin.values.ordering import Order, find_order, refuse_short_years
from kebrin.values.outcome import Outcome, finished, unread_of
from kebrin.values.shapes import Chunk, Shapes
from kebrin.values.texts import Texts, is_text, texts_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

    Whole = NDArray[np.int64]

# Days from 1970-01-01 to the day before each serial number 1: the 1900 system counts a 29 February 1900 that never was.
_SERIAL = re.compile(r"[1-9][0-9]{3,4}")
_WORD = re.compile(r"[^\W\d_]{2,}")
# So many texts show in which language months are named, in so many words at most.
_SAMPLE, _MOST_WORDS = 50, 40
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
    if column in table.columns and pa.types.is_temporal(table.data.column(column).type):
        return table  # it holds dates already
    if serial and not (column in table.columns and is_text(table, column)):
        return _from_serials(table, column, serial)
    texts = texts_of(table, column, "date", whole=True)
    read = read_dates(texts, column, order=order, languages=languages, latest=latest, missing=missing, serial=serial)
    full = np.asarray(texts.spread(read.units, NONE), np.int64)
    known = full != NONE
    count = int(np.count_nonzero(known))
    columns: dict[str, pa.Array | pa.ChunkedArray] = {column: _array(full, known, read)}
    if written:
        columns[written] = table.data.column(column)
    there = full if count == len(full) else full[known]
    ends = (there.min(), there.max()) if count else ()
    span = ", " + " to ".join(_iso(int(end) // read.per_second) for end in ends) if ends else ""
    outcome = Outcome(
        "date", column, texts.cells, count, texts.cells_of(read.missing),
        unread_of(texts, np.flatnonzero(read.unread).tolist()), read.words, read.evidence,
        f"{count:,} dates{span}",
    )  # fmt: skip
    return finished(table, columns, outcome, lenient=unread == "blank")


def _array(units: Whole, known: NDArray[np.bool_], read: Dates) -> pa.Array:
    filled = units if known.all() else np.where(known, units, 0)
    if not read.timed:
        return arrays.whole(filled // DAY, pa.date32(), known)
    unit = "s" if read.per_second == 1 else "us"
    return arrays.whole(filled, pa.timestamp(unit, "UTC" if read.zoned else None), known)


def _iso(seconds: int) -> str:
    return str(np.datetime64(int(seconds) // DAY, "D"))


def _from_serials(table: Table, column: str, serial: str) -> Table:
    if serial not in _SERIALS:
        raise PlanError(f"serial can't be {serial!r}", do="State 1900 or 1904")
    if column not in table.columns or not pa.types.is_floating(table.data.column(column).type):
        raise PlanError(f"serial days are numbers, and {column!r} holds none", do="Read it with the number step first")
    days = arrays.floats_of(table.data.column(column).cast(pa.float64()))
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
    count = int(known.sum())
    said = Outcome("date", column, count, count, convention=f"serial days counted from {serial}")
    return finished(table, {column: column_of}, said)


def read_dates(
    texts: Texts, column: str, *, order: Order = "", languages: Sequence[str] = ("en",), latest: int = 0,
    missing: Sequence[str] = (), serial: str = "",
) -> Dates:  # fmt: skip
    """The date that each text says, by the column's one order.

    Raises:
        ValuesError: the column reads in two ways, holds two orders, or two-digit years of an unstated century.
    """
    if order and order not in PLACES:
        raise PlanError(f"order can't be {order!r}", do=f"State one of {', '.join(PLACES)}")
    shapes = Shapes.of(texts.values)
    months, weekdays = words_for("month", languages), words_for("weekday", languages)
    moments = [understand_moment(shape, months, weekdays) if "0" in shape else None for shape in shapes.texts]
    stated = {mark.strip().casefold() for mark in missing}
    marks = [at for at, shape in enumerate(shapes.texts) if _is_mark(shape, stated)]
    found = {at: moment for at, moment in enumerate(moments) if moment is not None and at not in marks}
    refuse_short_years(column, shapes, found, latest)
    places, evidence = find_order(column, texts, shapes, found, order, latest)
    used = list(found.values())
    zones = {bool(moment.zone) for moment in used if moment.timed}
    if len(zones) > 1:
        raise ValuesError(
            f"the column {column!r} has times with and without an offset from UTC", why="they do not compare",
            do="Part the rows first",
        )  # fmt: skip
    words = (
        next((name for name, letters in PLACES.items() if letters == places), "")
        if places
        else "dates that read one way"
    )
    per_second = 1_000_000 if any("f" in moment.parts for moment in used) else 1
    units = np.full(len(texts), NONE, np.int64)

    def read(chunk: Chunk) -> None:
        units[chunk.rows] = _units(chunk, found[chunk.shape], places, latest, per_second)

    shapes.each(found, read)
    marked = shapes.are(marks)
    if serial:
        _read_serials(texts, units, serial, per_second)
    return Dates(
        units,
        per_second,
        marked,
        (units == NONE) & ~marked,
        any(moment.timed for moment in used),
        True in zones,
        words,
        evidence,
    )


def language_of(texts: Texts, column: str) -> str:
    """The language in which every text is a date, where some name a month in words; '' if there is none or they disagree.

    >>> language_of(Texts.of(pa.chunked_array([["1 juin 2031", "14 juillet 2031"]])), "due")
    'fr'
    """
    words = {word for text in texts.values.slice(0, _SAMPLE).to_pylist() for word in _WORD.findall(str(text))}
    read: dict[str, Dates] = {}
    for language in languages_of(words) if 0 < len(words) <= _MOST_WORDS else ():
        try:
            found = read_dates(texts, column, languages=(language,))
        except ValuesError:
            continue
        if not found.unread.any() and not found.missing.all():
            read[language] = found
    units = [found.units for found in read.values()]
    return next(iter(read), "") if all(np.array_equal(one, units[0]) for one in units) else ""


def _read_serials(texts: Texts, units: Whole, serial: str, per_second: int) -> None:
    """Put days into the places of figures that stand among texts of dates: they lost their format."""
    if serial not in _SERIALS:
        raise PlanError(f"serial can't be {serial!r}", do="State 1900 or 1904")
    for at in np.flatnonzero(units == NONE).tolist():
        text = str(texts.values[at].as_py()).strip()
        if _SERIAL.fullmatch(text):
            day = int(text) + (serial == "1900" and int(text) < 60) + _SERIALS[serial]
            units[at] = day * DAY * per_second


def _units(chunk: Chunk, moment: Moment, places: str, latest: int, per_second: int) -> Whole:
    """Seconds or microseconds since 1970."""
    seconds = seconds_of(chunk, moment, places, latest)
    if per_second == 1:
        return seconds
    units = seconds * per_second
    if "f" in moment.parts:
        offset, width = moment.parts["f"]
        units += chunk.digits(offset, min(width, 6)) * 10 ** (6 - min(width, 6))
    return np.where(seconds == NONE, NONE, units)


def _is_mark(shape: str, stated: set[str]) -> bool:
    bare = shape.strip().casefold()
    return not bare or bare in stated or bare in MISSING_MARKS
