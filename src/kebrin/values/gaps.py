"""Gaps: the dates or periods that a column lacks between its first and its last."""

from __future__ import annotations

import datetime as dt
import re
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.errors import ValuesError
from kebrin.grammar.periods import words_for
from kebrin.table import arrays
from kebrin.values.periods import read_period

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

# Parts of a year that periods of a kind have; a week has no year of a fixed number of them and is counted by its Monday.
_PARTS = {"M": 12, "Q": 4, "H": 2, "Y": 1}
_ISO = re.compile(r"(?P<year>\d{4}|\?)(?:-(?P<kind>[QHW]?)(?P<n>\d{1,2}))?(?:/\d\d)?")
_LANGUAGES = ("en", "de", "fr", "es", "it", "nl")


def missing_between(column: pa.ChunkedArray, name: str = "") -> list[str]:
    """The dates, months, quarters, weeks or years that are not there between the first and the last.

    Dates are taken by the step that is commonest between neighbours: days, weeks, or months.

    >>> missing_between(pa.chunked_array([["2031-01", "2031-02", "2031-05"]]))
    ['2031-03', '2031-04']
    >>> missing_between(pa.chunked_array([["Jan", "Mar", "Jan"]]))
    ['Feb']

    Raises:
        ValuesError: the column holds neither dates nor periods.
    """
    if pa.types.is_temporal(column.type):
        days = arrays.days_of(column.unique().drop_null().cast(pa.date32()))
        return [(dt.date(1970, 1, 1) + dt.timedelta(int(day))).isoformat() for day in _days_between(np.unique(days))]
    if pa.types.is_floating(column.type) or pa.types.is_integer(column.type):
        values = np.unique(arrays.floats_of(column.cast(pa.float64())))
        texts = [str(int(value)) for value in values[~np.isnan(values)]]
    else:
        texts = arrays.distinct_texts(column)
    return _periods_between(texts, name)


def _days_between(days: NDArray[np.int32]) -> list[int]:
    if len(days) < 3:
        return []
    steps = np.diff(days)
    whole = np.arange(int(days[0]), int(days[-1]) + 1)
    if (steps >= 28).all():  # months
        dates = days.astype("datetime64[D]")
        months = dates.astype("datetime64[M]").astype(int)
        gone = np.setdiff1d(np.arange(months[0], months[-1] + 1), months)
        return [int(np.datetime64(int(month), "M").astype("datetime64[D]").astype(int)) for month in gone]
    counts = np.bincount(steps)
    step = int(counts.argmax())
    wanted = np.arange(int(days[0]), int(days[-1]) + 1, step)
    if step == 1:
        # A weekday that is never there is no gap: the ferries that do not sail on Sundays leave none.
        weekdays = np.unique((days + 3) % 7)
        wanted = whole[np.isin((whole + 3) % 7, weekdays)]
    return [int(day) for day in np.setdiff1d(wanted, days)]


def _periods_between(texts: Sequence[str], name: str) -> list[str]:
    months = words_for("month", list(_LANGUAGES))
    read = {text: read_period(text.casefold(), months) for text in texts}
    places: dict[int, str] = {}
    kind = ""
    for text, said in read.items():
        match = _ISO.fullmatch(said or "")
        own = "" if match is None else ("Y" if match["n"] is None else match["kind"] or "M")
        if match is None or (kind and own != kind):
            raise ValuesError(
                f"{name or 'the column'} holds {text!r} among its periods, which is no period",
                why="gaps are found between dates, or periods of one kind", do="Read the column by a period step first",
            )  # fmt: skip
        kind = own
        year = 0 if match["year"] == "?" else int(match["year"])
        places[_place(year, int(match["n"] or 1), kind)] = text
    if not places:
        return []
    like = next(iter(places.values()))
    named = {number: word for word, number in reversed(months.items()) if len(word) == len(like.strip("."))}
    return [_word(place, kind, like, named) for place in range(min(places), max(places) + 1) if place not in places]


def _place(year: int, number: int, kind: str) -> int:
    if kind == "W":
        return dt.date.fromisocalendar(year or 2001, number, 1).toordinal() // 7
    return year * _PARTS[kind] + number - 1


def _word(place: int, kind: str, like: str, named: dict[int, str]) -> str:
    """A place as a period, spelled like one that is there."""
    if kind == "W":
        year, week, _ = dt.date.fromordinal(place * 7 + 1).isocalendar()
        return f"{year}-W{week:02d}"
    year, number = divmod(place, _PARTS[kind])
    if kind == "Y":
        return str(year)
    if kind == "M":
        if not any(map(str.isdigit, like)):
            return named.get(number + 1, f"month {number + 1}").capitalize()
        return f"{year}-{number + 1:02d}"
    return f"{year}-{kind}{number + 1}" if year else f"{kind}{number + 1}"
