"""Periods: whether labels name years, quarters, months, weekdays or dates, in the languages that reports come in.

The words come from the locale data of CLDR by way of Babel; `scripts/make_periods.py` makes the table.
"""

from __future__ import annotations

import json
import re
from functools import cache, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.errors import PlanError

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

_YEAR_TEXT = r"(?:1[89]|20|21)\d\d"
_YEAR = re.compile(rf"(?:fy ?|fiscal year |year )?(?P<first>{_YEAR_TEXT})(?:[/–-](?P<second>\d\d(?:\d\d)?))? ?[a-z*]?")
_NUMBERED = (
    ("quarter", re.compile(rf"(?:{_YEAR_TEXT}[ /-]?)?(?:q[1-4]|[1-4]q|quarter [1-4])(?:[ /'’-]{{0,2}}(?:\d\d)?\d\d)?")),
    ("half-year", re.compile(rf"(?:{_YEAR_TEXT}[ /-]?)?(?:h[12]|[12]h|(?:1st|2nd|first|second) half)(?:[ /]{_YEAR_TEXT})?")),
    ("week", re.compile(rf"(?:{_YEAR_TEXT}[ -]?)?(?:w|wk|week|kw)[ .-]?(?:0?[1-9]|[1-4]\d|5[0-3])(?:[ /]{_YEAR_TEXT})?")),
    ("date", re.compile(r"\d{4}-\d\d-\d\d")),
    ("month", re.compile(rf"{_YEAR_TEXT}[-/.](?:0[1-9]|1[0-2])|(?:0?[1-9]|1[0-2])[/.]{_YEAR_TEXT}")),
)  # fmt: skip
# A word for a period may stand with a year or a mark: "Jan 2031", "2031 January", "May-31", "Mai '31", "Jun (p)".
_WITH_YEAR = re.compile(
    rf"(?:{_YEAR_TEXT}[ ./-]+)?(?P<word>.*?[^\d ./'’-])(?: \(?[a-z]{{1,2}}\)?)?[ ./'’-]*(?:{_YEAR_TEXT}|(?<=[ ./'’-])\d\d)?"
)
# "Mon 2", "Tue 3 Jun", "Wed 04.06."; "2 Jun", "3. Juni".
_WEEKDAY_AND_DAY = re.compile(r"(?P<word>[^\W\d_]{2,10})[.,]? ?\d{1,2}\.?(?: ?[^\W\d_]{3,9}\.?|[./]\d{1,2}\.?)?")
_DAY_AND_MONTH = re.compile(r"(?:0?[1-9]|[12]\d|3[01])\.? ?(?P<word>[^\W\d_]{3,10})\.?")
_DAYS = 12
_KINDS = ("month", "weekday", "quarter")
_MOST_LABELS = 400
_FEW_LETTERS = 3

# A period of several months, as it heads a column beside months.
_SEVERAL_MONTHS = re.compile(
    r"quarter|half-year|semester|season"
    r"|(?:\d{4}[ /-]?)?"
    r"(?:(?:q|h|quarter |half |half-year )\d|\d(?:st|nd|rd|th)? (?:quarter|half(?:[- ]year)?)|\d{1,2} months)(?: \d{4})?"
    r"|(?:q\d|[^\W\d_]{3,9}\.?)\s*(?:[–—-]|to|bis|until|through)\s*"
    r"(?:jan|feb|mar|mär|apr|ma[iy]|jun|jul|aug|sep|o[ck]t|nov|de[cz])[^\W\d_]*\.?(?: \d{4})?",
    re.IGNORECASE,
)
# Footnote marks at the end of a label.
_MARKS = re.compile(r"\s*[*†‡§¹²³⁴⁵⁶⁷⁸⁹]+$|(?<=\D)\s*[(\[]?\d[)\]]$")


def period_name(labels: Sequence[str]) -> str:
    """The kind of period that all labels name ('year', 'quarter', 'month', 'weekday', 'date', ...), or ''.

    >>> period_name(["Q1", "Q2"]), period_name(["Jan", "February 2031"]), period_name(["Foot", "May"])
    ('quarter', 'month', '')
    >>> period_name(["Januar", "März"]), period_name(["2031/32", "2032/33"]), period_name(["lundi", "mardi"])
    ('month', 'year', 'weekday')
    >>> period_name(["Jan", "Feb*", "Mar 1)"])  # footnote marks are no part of a period
    'month'
    """
    bare = tuple(dict.fromkeys(_MARKS.sub("", label).strip(" .").casefold() for label in labels[:_MOST_LABELS]))
    return _named(bare) if bare and all(bare) else ""


def of_several_months(label: str) -> bool:
    """Whether a label names a period of several months: a quarter, a half-year, a span.

    >>> [of_several_months(label) for label in ("Q1", "2031 H2", "Jan–Mar", "Q1 to Feb", "9 months", "Feb", "Quay 1")]
    [True, True, True, True, True, False, False]
    """
    return _SEVERAL_MONTHS.fullmatch(label.strip()) is not None


@lru_cache(maxsize=4096)
def _named(bare: tuple[str, ...]) -> str:
    if all(map(_is_year, bare)):
        return "year"
    for name, pattern in _NUMBERED:
        if all(map(pattern.fullmatch, bare)):
            return name
    if days := _named_days(bare):
        return days
    matches = [_WITH_YEAR.fullmatch(label) for label in bare]
    words = {match["word"].strip(" .") for match in matches if match}
    if None in matches or any(len(word) > 20 for word in words):
        return ""
    for language, kinds in _table().items():
        # One short word of a foreign language proves nothing: "so", "do" and "mar" are words of many. Nor do a few letters.
        if language == "en" or (len(words) > 1 and (len(bare) > _FEW_LETTERS or max(map(len, words)) > 1)):
            for kind in _KINDS:
                if words <= kinds[kind].keys():
                    return kind
    return ""


def _named_days(bare: tuple[str, ...]) -> str:
    """'weekday' for labels like "mon 2" and "tue 3 jun", 'date' for those like "2 jun"; else ''."""
    for kind, pattern in (("weekday", _WEEKDAY_AND_DAY), ("date", _DAY_AND_MONTH)):
        matches = [pattern.fullmatch(label) for label in bare]
        words = {match["word"] for match in matches if match}
        if None not in matches and len(words) <= _DAYS:
            known = "weekday" if kind == "weekday" else "month"
            if any(words <= kinds[known].keys() for kinds in _table().values()):
                return kind
    return ""


def _is_year(label: str) -> bool:
    """Whether a label is a year, or two that follow one another ("2031/32"); "2031-01" is a month."""
    match = _YEAR.fullmatch(label)
    if match is None:
        return False
    first, second = match["first"], match["second"]
    return second is None or int(second) == (int(first) + 1) % (100 if len(second) == 2 else 10_000)


@cache
def _table() -> dict[str, dict[str, dict[str, int]]]:
    table: dict[str, dict[str, dict[str, int]]] = json.loads(
        Path(__file__).with_name("periods.json").read_text("utf-8")
    )
    # Spellings of English that the locale data lacks.
    table["en"]["month"]["sept"] = 9
    for number, day in enumerate(("mon", "tues", "weds", "thurs", "fri", "sat", "sun")):
        table["en"]["weekday"][day] = number
    table["en"]["weekday"] |= {"tue": 1, "wed": 2, "thu": 3, "thur": 3}
    return table


def words_for(kind: str, languages: Sequence[str]) -> dict[str, int]:
    """The words for months (1 to 12) or weekdays (0 is Monday) in some languages, in one case and without dots.

    >>> words_for("month", ["de"])["märz"], words_for("weekday", ["en"])["tues"]
    (3, 1)

    Raises:
        PlanError: a language is not known.
    """
    words: dict[str, int] = {}
    for language in languages:
        if language not in _table():
            raise PlanError(
                f"no period words are known for the language {language!r}", why=f"known are {', '.join(_table())}",
                do="Name one of these by its two letters",
            )  # fmt: skip
        words |= _table()[language][kind]
    return words


def languages_of(words: Collection[str]) -> list[str]:
    """The languages that all of some words are months or weekdays in.

    >>> languages_of(["juin", "juillet"]), languages_of(["Gull"])
    (['fr'], [])
    """
    plain = [word.casefold().rstrip(".") for word in words]
    return [
        language
        for language, kinds in _table().items()
        if plain and all(word in kinds["month"] or word in kinds["weekday"] for word in plain)
    ]
