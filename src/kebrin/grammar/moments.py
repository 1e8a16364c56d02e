"""What one shape of a date says: where year, month and day stand, or that two of them may stand in either place."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping

_BLANKS = str.maketrans(dict.fromkeys("\u00a0\u2007\u2009\u202f\t", " ") | dict.fromkeys("‐‑–−", "-"))
_TIME = re.compile(
    r"(?:[T ]|,?\s+(?:at\s+)?)\s*(?P<h>0{1,2})[:h](?P<m>00)(?:[:.](?P<s>00)(?:[.,](?P<f>0{1,6}))?)?"
    r"\s*(?P<half>[ap]\.?m\.?)?\s*(?P<zone>Z|UTC|GMT|[+-]00:?00)?\s*$",
    re.IGNORECASE,
)
_WEEKDAY = re.compile(r"\s*(?P<word>[^\W\d_]+)\.?,?\s+(?=\S)")
_WORD = r"(?P<word>[^\W\d_]{3,15})\.?"
_FORMS = (
    ("numeric", re.compile(r"(?P<a>0{1,4})\s*(?P<sign>[/.\- ])\s*(?P<b>0{1,2})\s*(?P=sign)\s*(?P<c>0000|00)\.?")),
    ("compact", re.compile(r"(?P<y>0000)(?P<m>(?=0000$)00)(?P<d>00)")),
    ("words", re.compile(
        rf"(?P<d>0{{1,2}})(?:st|nd|rd|th|\.)?[\s\-/]*(?:of\s+|de\s+)?{_WORD}[\s\-/,]*(?:de\s+)?'?(?P<y>0000|00)"
    )),
    ("words", re.compile(rf"{_WORD}\s*(?P<d>0{{1,2}})(?:st|nd|rd|th)?,?\s+'?(?P<y>0000|00)")),
    ("words", re.compile(rf"(?P<y>0000)[\s\-/.]+{_WORD}[\s\-/]+(?P<d>0{{1,2}})")),
)  # fmt: skip

Span = tuple[int, int]  # offset in bytes, width

#: A date as eight digits: year, month, day (ISO 8601 calls it the basic format).
COMPACT_DATE = r"(?:19|20)[0-9]{2}(?:0[1-9]|1[0-2])(?:0[1-9]|[12][0-9]|3[01])"
_DOTTED_TIME = re.compile(r"(?:[01]?[0-9]|2[0-3])\.[0-5][0-9]")
_NAMES_TIME = re.compile(r"\b(?:times?|dep(?:art(?:s|ure)?)?|arr(?:iv(?:es|al))?|eta|etd)\b\.?", re.IGNORECASE)


@dataclass(frozen=True)
class Moment:
    """What a shape says.

    Attributes:
        parts: the digits of 'y', 'm', 'd', or 'a', 'b', 'c' where their order is the column's; of 'h', 'min', 's', 'f'.
        month: the month that a word names, 0 if none does.
        weekday: the weekday that a word names (0 is Monday), -1 if none does.
        half: 'am', 'pm' or ''.
        zone: '' for none, 'Z', or the sign of an offset whose digits are in the parts 'zh' and 'zm'.
    """

    parts: Mapping[str, Span]
    month: int = 0
    weekday: int = -1
    half: str = ""
    zone: str = ""

    @property
    def ordered(self) -> bool:
        """Whether year, month and day are told apart by the shape alone."""
        return "y" in self.parts

    @property
    def timed(self) -> bool:
        """Whether it has a time of day."""
        return "h" in self.parts


def understand_moment(shape: str, months: Mapping[str, int], weekdays: Mapping[str, int]) -> Moment | None:
    """What a shape says, or None if it is no date.

    >>> understand_moment("00/00/0000", {}, {}).parts
    {'a': (0, 2), 'b': (3, 2), 'c': (6, 4)}
    >>> understand_moment("Mon, 0 Jan 0000 00:00", {"jan": 1}, {"mon": 0}).month
    1
    >>> understand_moment("00-00", {}, {}), understand_moment("Jan 0000", {"jan": 1}, {})
    (None, None)
    """
    plain = shape.translate(_BLANKS)
    parts: dict[str, Span] = {}
    half = zone = ""
    day = plain
    time = _TIME.search(plain)
    if time is not None and "0" in plain[: time.start()]:
        day = plain[: time.start()]
        for name, group in (("h", "h"), ("min", "m"), ("s", "s"), ("f", "f")):
            if time[group]:
                parts[name] = _span(shape, time.start(group), time.end(group))
        half = (time["half"] or "").replace(".", "").lower()
        zone = _zone(shape, time, parts)
    weekday = -1
    skipped = 0
    named = _WEEKDAY.match(day)
    if named is not None and named["word"].casefold() in weekdays:
        weekday, skipped = weekdays[named["word"].casefold()], named.end()
    return _with_day(shape, day, skipped, parts, months, weekday=weekday, half=half, zone=zone)


def _zone(shape: str, time: re.Match[str], parts: dict[str, Span]) -> str:
    said = time["zone"] or ""
    if not said or said[0] not in "+-":
        return "Z" if said else ""
    start = time.start("zone")
    parts["zh"] = _span(shape, start + 1, start + 3)
    parts["zm"] = _span(shape, time.end("zone") - 2, time.end("zone"))
    return said[0]


def _with_day(
    shape: str,
    day: str,
    skipped: int,
    parts: dict[str, Span],
    months: Mapping[str, int],
    *,
    weekday: int,
    half: str,
    zone: str,
) -> Moment | None:
    lead = skipped + len(day[skipped:]) - len(day[skipped:].lstrip())
    bare = day[lead:].rstrip(" ,")
    for form, pattern in _FORMS:
        match = pattern.fullmatch(bare)
        if match is None:
            continue
        named = {name: match.span(name) for name in match.groupdict() if name in "abcymd" and match[name]}
        own = {name: _span(shape, lead + start, lead + stop) for name, (start, stop) in named.items()}
        month = 0
        if form == "words":
            month = months.get(match["word"].casefold(), 0)
            if not month:
                continue
        if form == "numeric":
            ordered = _by_width(match["a"], match["c"], own)
            if ordered is None:
                continue
            own = ordered
        return Moment({**own, **parts}, month, weekday, half, zone)
    return None


def _by_width(first: str, last: str, own: dict[str, Span]) -> dict[str, Span] | None:
    """Four digits in front are a year, and what follows is month and day; otherwise the column decides."""
    if len(first) == 4:
        return {"y": own["a"], "m": own["b"], "d": own["c"]} if len(last) == 2 else None
    return own if len(first) <= 2 else None


def _span(shape: str, start: int, stop: int) -> Span:
    """A span of characters as offset in bytes and width."""
    return len(shape[:start].encode()), stop - start


def may_be_times(name: str, texts: Collection[str]) -> bool:
    """Whether texts under a heading that speaks of a time of day may be times with a dot: "6.10" is ten past six, or a number.

    >>> may_be_times("Departs", ["6.10", "18.25"]), may_be_times("Fare", ["6.10"]), may_be_times("Time", ["6.75"])
    (True, False, False)
    """
    return (
        bool(texts) and _NAMES_TIME.search(name) is not None and all(map(_DOTTED_TIME.fullmatch, map(str.strip, texts)))
    )
