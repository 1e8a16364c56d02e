"""Periods: years, halves, quarters, months and weeks, read from texts or made from dates, written in ISO 8601 form.

A period stays a period: `2031-01` is a month and never the first of January. Quarters and halves, for which ISO 8601
has no form, are written `2031-Q1` and `2031-H1`; fiscal years `2031/32`.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, ValuesError
from kebrin.grammar.periods import words_for
from kebrin.table import Finding, FindingKind, arrays
from kebrin.values.keys import clean
from kebrin.values.marking import labels_of
from kebrin.values.outcome import Outcome, finished, unread_of
from kebrin.values.texts import texts_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

Kind = Literal["", "year", "half-year", "quarter", "month", "week", "fiscal year"]
_YEAR = r"(?P<year>(?:1[89]|20|21)\d\d)"
_FORMS: tuple[tuple[str, re.Pattern[str]], ...] = tuple(
    (kind, re.compile(pattern, re.IGNORECASE))
    for kind, pattern in (
        ("fiscal", rf"(?:fy ?)?{_YEAR}\s*[/–-]\s*(?P<next>\d\d(?:\d\d)?)"),
        ("month", rf"{_YEAR}[-./](?P<n>0?[1-9]|1[0-2])"),
        ("month", rf"(?P<n>0?[1-9]|1[0-2])[/.]{_YEAR}"),
        ("quarter", rf"{_YEAR}[ /-]?q(?P<n>[1-4])"),
        ("quarter", rf"(?:q(?P<n>[1-4])|(?P<m>[1-4])q|quarter (?P<o>[1-4]))(?:[ /-]?{_YEAR})?"),
        ("half", rf"{_YEAR}[ /-]?h(?P<n>[12])"),
        ("half", rf"(?:h(?P<n>[12])|(?P<m>[12])h)(?:[ /-]?{_YEAR})?"),
        ("week", rf"{_YEAR}[ /-]?(?:w|wk|week) ?(?P<n>0?[1-9]|[1-4]\d|5[0-3])"),
        ("week", rf"(?:w|wk|week) ?(?P<n>0?[1-9]|[1-4]\d|5[0-3])(?:[ /-]{_YEAR})?"),
        ("year", rf"(?:fy ?)?{_YEAR}"),
    )
)
_RANGE = re.compile(
    rf"(?P<first>[^\W\d_]+)\.?\s*(?:[–—-]|to|until|bis)\s*(?P<last>[^\W\d_]+)\.?\s*,?\s*{_YEAR}?", re.IGNORECASE
)
_NAMED = re.compile(rf"(?P<word>[^\W\d_]+)\.?[ ,./'’-]*(?:{_YEAR}|(?P<short>\d\d))?", re.IGNORECASE)
_YEAR_FIRST = re.compile(rf"{_YEAR}[ ./-]*(?P<word>[^\W\d_]+)\.?", re.IGNORECASE)
_EPOCH_MONTHS = 1970 * 12


def period(
    table: Table, column: str, *, of: Kind = "", first_month: int = 1, year: str = "", languages: Sequence[str] = ("en",),
    into: str = "", unread: Literal["refuse", "blank"] = "refuse", written: str = "",
) -> Table:  # fmt: skip
    """Read a column of texts as periods; or, from a column of dates, make the periods that the dates are in.

    Args:
        table: the table.
        column: a column of texts or of dates.
        of: the kind of period to make, from dates or from texts of shorter periods ("2031-05" is in 2031-Q2).
        first_month: the fiscal year's first month (4: April).
        year: the column that holds the year where the period's text has none ("Jan" in the boxhead, 2031 in a field).
        languages: the languages of month names, by their two letters.
        into: a column to put the periods into; the column itself by default.
        unread: whether texts that are no periods refuse the proof, or may be blank.
        written: a column to keep the texts in, as written.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"month": ["Jan", "Feb"], "year": ["2031", "2031"]}), ())
    >>> period(table, "month", year="year").data.column("month").to_pylist()
    ['2031-01', '2031-02']

    Raises:
        ValuesError: a period has no year, and no column is named that holds it.
        PlanError: there is no such column, or an option is wrong.
    """
    if column in table.columns and pa.types.is_temporal(table.data.column(column).type):
        return _from_dates(table, column, of, first_month, into or column)
    texts = texts_of(table, column, "period")
    months = words_for("month", languages)
    said = [clean(str(one)) for one in texts.values.to_pylist()]
    read = [read_period(one, months, first_month) if one else None for one in said]
    open_texts = [at for at, one in enumerate(read) if one is not None and one.startswith("?")]
    lost = [at for at, one in enumerate(read) if one is None and said[at]]
    columns: dict[str, pa.Array | pa.ChunkedArray] = {}
    if open_texts and not year:
        raise ValuesError(
            f"the column {column!r} has periods without a year", why=f"{said[open_texts[0]]!r} may be of any",
            do='Name the column that holds it: year = "year"',
        )  # fmt: skip
    made = _with_year(table, texts.codes, read, year) if open_texts else labels_of(texts, read)
    known = len(made) - made.null_count
    said_of_kind: list[Finding] = []
    if of:
        made, said_of_kind = _of_kind(made, column, of, first_month, breaks=unread != "blank")
    columns[into or column] = made
    # A period whose year can't be read in the other column is lost as well as one that is no period.
    waiting = int(sum(int(texts.counts[at]) for at, one in enumerate(read) if one)) - known
    if written:
        columns[written] = table.data.column(column)
    outcome = Outcome(
        "period", column, texts.cells, known, unread=unread_of(texts, lost),
        convention=f"a fiscal year from month {first_month}" if any("/" in (one or "") for one in read) else "",
        note=f"{len({one for one in read if one}):,} periods",
    )  # fmt: skip
    done = finished(table, columns, outcome, lenient=unread == "blank").remarked(said_of_kind)
    if not waiting:
        return done
    what = f"period {column}: {waiting:,} cells have no year, since {year!r} holds none of four digits there"
    return done.remarked([Finding(FindingKind.PERIOD_UNREAD, what, count=waiting, breaks=unread != "blank")])


# What joins the parts of a name.
_JOINED = re.compile(r"(?<=\w)_(?=\w)")


def read_period(text: str, months: Mapping[str, int], first_month: int = 1) -> str | None:
    """One text as a period in ISO form, `?` in place of a year that it does not say; None if it is no period.

    >>> months = {"jan": 1, "mar": 3}
    >>> [read_period(text, months) for text in ("Jan 2031", "Q2/2031", "2031-W07", "2031/32", "Jan–Mar 2031", "Jan")]
    ['2031-01', '2031-Q2', '2031-W07', '2031/32', '2031-01/2031-03', '?-01']
    >>> read_period("Gull", months), read_period("2031-13", months)
    (None, None)
    >>> read_period("mar_2031", months), read_period("2031_01", months)  # as names of files have them
    ('2031-03', '2031-01')
    """
    text = _JOINED.sub(" " if any(map(str.isalpha, text)) else "-", text)
    for kind, pattern in _FORMS:
        match = pattern.fullmatch(text)
        if match is None:
            continue
        parts = match.groupdict()
        year = parts.get("year") or "?"
        number = parts.get("n") or parts.get("m") or parts.get("o") or ""
        if kind == "fiscal":
            after = int(parts["next"])
            if after != (int(year) + 1) % (100 if len(parts["next"]) == 2 else 10_000):
                continue
            return f"{year}/{(int(year) + 1) % 100:02d}"
        forms = {"month": f"{year}-{int(number or 0):02d}", "quarter": f"{year}-Q{number}", "half": f"{year}-H{number}",
                 "week": f"{year}-W{int(number or 0):02d}", "year": year}  # fmt: skip
        return forms[kind]
    del first_month
    return _by_words(text, months)


def _by_words(text: str, months: Mapping[str, int]) -> str | None:
    span = _RANGE.fullmatch(text)
    if span is not None:
        first, last = months.get(span["first"].casefold()), months.get(span["last"].casefold())
        if first and last:
            year = span["year"] or "?"
            return f"{year}-{first:02d}/{year}-{last:02d}"
    named = _NAMED.fullmatch(text) or _YEAR_FIRST.fullmatch(text)
    month = months.get(named["word"].casefold()) if named else None
    if named is None or month is None:
        return None
    if named.groupdict().get("short"):
        return None  # two digits: a day or a year, nothing says which
    return f"{named['year'] or '?'}-{month:02d}"


def _with_year(table: Table, codes: NDArray[np.int64], read: Sequence[str | None], year: str) -> pa.Array:
    """Periods whose year stands in another column."""
    years = texts_of(table, year, "period")
    said = [clean(str(one)) for one in years.values.to_pylist()]
    places: dict[str, int] = {}
    pairs = np.stack([codes, np.asarray(years.codes)], axis=1)
    distinct, inverse = np.unique(pairs, axis=0, return_inverse=True)
    made = []
    for at, other in distinct.tolist():
        one = read[at] if at >= 0 else None
        if one is not None and "?" in one:
            one = one.replace("?", said[other]) if other >= 0 and re.fullmatch(r"\d{4}", said[other]) else None
        made.append(-1 if one is None else places.setdefault(one, len(places)))
    return arrays.labels(np.array(made, np.int32)[inverse.ravel()], list(places))


_MONTH = re.compile(r"(?P<year>\d{4})-(?P<n>\d\d)")
_PART = re.compile(r"(?P<year>\d{4})-(?P<kind>[QH])(?P<n>\d)")
_MONTHS_IN = {"Q": 3, "H": 6}
_SIZES: Mapping[str, int] = {"year": 12, "half-year": 6, "quarter": 3, "month": 1}


def _of_kind(
    made: pa.Array, column: str, of: Kind, first_month: int, *, breaks: bool
) -> tuple[pa.Array, list[Finding]]:
    """Periods as the longer ones that they are in; those that lie in no single one are told."""
    said = made.dictionary.to_pylist()
    longer = {one: longer_period(one, of, first_month) for one in said}
    places = {word: at for at, word in enumerate(dict.fromkeys(word for word in longer.values() if word))}
    by_code = np.array([places.get(longer[one], -1) for one in said] + [-1], np.int32)
    codes = arrays.codes_of(made)
    done = arrays.labels(by_code[codes], list(places))
    count = int((codes >= 0).sum()) - (len(done) - done.null_count)
    if not count:
        return done, []
    odd = ", ".join(repr(one) for one, word in longer.items() if not word)[:80]
    what = f"period {column}: {count:,} cells lie in no single {of}: {odd}"
    return done, [Finding(FindingKind.PERIOD_UNREAD, what, count=count, column=column, breaks=breaks)]


def longer_period(text: str, of: Kind, first_month: int = 1) -> str:
    """The period of a kind that a period in ISO form lies in; '' if it lies in no single one.

    >>> [longer_period(text, "quarter") for text in ("2031-05", "2031-Q2", "2031-H1", "2031")]
    ['2031-Q2', '2031-Q2', '', '']
    >>> longer_period("2031-05", "fiscal year", 4), longer_period("2031-W07", "week"), longer_period("2031", "year")
    ('2031/32', '2031-W07', '2031')
    """
    if month := _MONTH.fullmatch(text):
        first, size = int(month["year"]) * 12 + int(month["n"]) - 1, 1
    elif part := _PART.fullmatch(text):
        size = _MONTHS_IN[part["kind"]]
        first = int(part["year"]) * 12 + size * (int(part["n"]) - 1)
    elif text.isdigit():
        first, size = int(text) * 12, 12
    else:
        return text if of == "week" and "W" in text else text if of == "fiscal year" and "/" in text else ""
    if of == "fiscal year":
        start = (first - first_month + 1) // 12
        return f"{start}/{(start + 1) % 100:02d}" if (first + size - first_month) // 12 == start else ""
    wanted = _SIZES.get(of, 0)
    return _word(first // wanted, wanted) if wanted >= size else ""


def _from_dates(table: Table, column: str, of: Kind, first_month: int, into: str) -> Table:
    if not of:
        raise PlanError(
            f"period of the dates in {column!r} needs a kind", do='State of = "month", "quarter", "week", ...'
        )
    days = table.data.column(column).cast(pa.date32()).combine_chunks()
    known = arrays.truths_of(days.is_valid())
    numbers = arrays.days_of(days).astype("datetime64[D]")
    months = numbers.astype("datetime64[M]").astype(np.int64) + _EPOCH_MONTHS
    year, month = months // 12, months % 12 + 1
    if of == "week":
        keys, words = _weeks(numbers)
    elif of == "fiscal year":
        start = np.where(month >= first_month, year, year - 1)
        keys, words = start, {int(one): f"{one}/{(one + 1) % 100:02d}" for one in np.unique(start).tolist()}
    else:
        size = _SIZES[of]
        keys = months // size
        words = {int(one): _word(int(one), size) for one in np.unique(keys).tolist()}
    distinct, inverse = np.unique(keys, return_inverse=True)
    codes = np.where(known, inverse, -1).astype(np.int32)
    made = arrays.labels(codes, [words[int(one)] for one in distinct.tolist()])
    said = Outcome("period", column, int(known.sum()), int(known.sum()), convention=f"the {of} of each date",
                   note=f"{len(distinct):,} periods")  # fmt: skip
    return finished(table, {into: made}, said)


def _word(key: int, size: int) -> str:
    year, part = divmod(key * size, 12)
    return {12: f"{year}", 6: f"{year}-H{part // 6 + 1}", 3: f"{year}-Q{part // 3 + 1}", 1: f"{year}-{part + 1:02d}"}[
        size
    ]


def _weeks(days: NDArray[np.datetime64]) -> tuple[NDArray[np.int64], dict[int, str]]:
    """ISO 8601 weeks: a week belongs to the year that its Thursday is in."""
    number = days.astype(np.int64)
    thursday = number - (number + 3) % 7 + 3
    words = {}
    for one in np.unique(thursday).tolist():
        moment = np.datetime64(one, "D")
        year = int(str(moment)[:4])
        week = (one - int(np.datetime64(f"{year}-01-01", "D").astype(np.int64))) // 7 + 1
        words[one] = f"{year}-W{week:02d}"
    return thursday, words
