"""Instants: the seconds that the digits of one chunk of dates make, and which of these dates exist."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

    from kebrin.grammar.moments import Moment
    from kebrin.values.shapes import Chunk

    Whole = NDArray[np.int64]

#: The order of day, month and year, and the letters of its places.
PLACES = {"day first": "dmy", "month first": "mdy", "year first": "ymd"}
DAY = 86_400
#: Stands where there is no date.
NONE = np.iinfo(np.int64).min


def seconds_of(chunk: Chunk, moment: Moment, places: str, latest: int) -> Whole:
    """Seconds since 1970 for texts of one shape; `NONE` where the date does not exist.

    Args:
        chunk: the texts.
        moment: what their shape says.
        places: the order of day, month and year where the shape does not tell it.
        latest: the latest year that two digits may mean.
    """
    part = {name: chunk.digits(*span) for name, span in moment.parts.items() if name != "f"}
    if moment.ordered:
        year, day = part["y"], part["d"]
        month = part["m"] if "m" in part else np.full(len(chunk.rows), moment.month, np.int64)
        width = moment.parts["y"][1]
    else:
        named = dict(zip(places, ("a", "b", "c"), strict=True))
        year, month, day = (part[named[letter]] for letter in "ymd")
        width = moment.parts[named["y"]][1]
        if width == 1 or max(moment.parts[named[letter]][1] for letter in "md") > 2:
            return np.full(len(chunk.rows), NONE, np.int64)
    if width <= 2:
        year = year + latest // 100 * 100
        year = np.where(year > latest, year - 100, year)
    days, good = _days(year, month, day)
    if moment.weekday >= 0:
        good &= (days + 3) % 7 == moment.weekday
    days *= DAY
    if moment.timed:
        seconds, timed = _time(moment, part)
        good &= timed
        days += seconds
    days[~good] = NONE
    return days


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
    hour, minute = part["h"], part["min"]
    second = part["s"] if "s" in part else np.zeros(len(hour), np.int64)
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
