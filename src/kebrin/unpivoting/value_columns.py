"""One Arrow column from body cells: the column decides on a kind, every cell obeys, and what does not fit is said.

Numbers with a footnote mark give the number; missing marks ("n/a", "–") and error cells give null; each is remarked
on with its cells. A column in which anything else stands beside numbers stays text as a whole: nothing is coerced.
"""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, Look, Sheet, as_label, read_text, trailing_mark
from kebrin.grammar.amounts import MAY_SCALE, is_scaled
from kebrin.grammar.legend import Means, means
from kebrin.grammar.moments import COMPACT_DATE, may_be_times
from kebrin.grammar.reading import HEDGED
from kebrin.grammar.words import is_unit, leading_zero
from kebrin.table import Finding, FindingKind, Settle, arrays

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping

    from numpy.typing import NDArray

_LONGEST_FLAG = 2
_SHOWN = 5
_COMPACT = re.compile(COMPACT_DATE)


@dataclass(frozen=True, eq=False)
class Cells:
    """The body cells of one measure in record order: their places, and what the sheet knows of them."""

    sheet: Sheet
    rows: NDArray[np.int32]
    columns: NDArray[np.int32]
    kinds: NDArray[np.uint8]
    looks: NDArray[np.uint8]

    @classmethod
    def at(cls, sheet: Sheet, rows: NDArray[np.int32], columns: NDArray[np.int32]) -> Cells:
        """The cells at these places; column -1 stands for no cell and counts as blank."""
        kinds, looks = sheet.kinds[rows, columns], sheet.looks[rows, columns]
        absent = columns < 0
        if absent.any():
            kinds[absent], looks[absent] = Kind.BLANK, Look.WORDS
        return cls(sheet, rows, columns, kinds, looks)

    def values(self) -> list[Any]:
        """The values as they stand."""
        return list(self.sheet.values[self.rows, self.columns])


def column_of(
    cells: Cells, name: str, *, listed: bool = False, as_texts: bool = False, explained: Collection[str] = ()
) -> tuple[pa.Array, list[Finding]]:
    """The column of one measure, and what is to be said about its cells.

    Texts that read as numbers in one way become numbers, unless they are wanted as they stand (`as_texts`: a step reads
    them). In a list plain whole numbers that stand as text in a workbook may be names, and stay. Footnote marks behind texts go
    where notes explain them (`explained`).
    """
    kinds, looks = cells.kinds, cells.looks
    nothing = (kinds == Kind.BLANK) | (looks == Look.MISSING) | (kinds == Kind.ERROR)
    remarks = _said(cells, FindingKind.ERROR_CELL, kinds == Kind.ERROR, "{count} error cells ({texts}) gave no value")
    if not (kinds[~nothing] != Kind.NUMBER).any():
        # Numbers throughout, the common case.
        return _numbers(cells, nothing), [*remarks, *_about_numbers(cells)]
    numeric = (looks == Look.NUMBER) | (looks == Look.MARKED) | (looks == Look.FIGURE)
    if _says_when(cells, name, nothing):
        return _texts(cells), [*remarks, *_missing(cells)]
    figures = cells.sheet.numbers[cells.rows, cells.columns]
    if not as_texts and (numeric | nothing).all() and not np.isnan(figures[numeric & ~nothing]).any():
        said = _read_in_one_way(cells, name, numeric & ~nothing, listed=listed)
        if said is not None:
            return _numbers(cells, nothing), [*remarks, *_about_numbers(cells), *said]
    for kind, make in ((Kind.DATE, _dates), (Kind.FLAG, _flags), (Kind.TIME, _times)):
        if ((kinds == kind) | nothing).all() and (kinds == kind).any():
            array = make(cells, kinds == kind)
            if array is not None:
                return array, [*remarks, *_missing(cells)]
    noted = {} if as_texts else noted_texts(cells, explained)
    said = _question(cells, name, numeric & ~_hedged(cells))
    return _texts(cells, noted), [*remarks, *_missing(cells), *_about_noted(cells, noted), *said]


def noted_texts(cells: Cells, explained: Collection[str]) -> dict[int, tuple[str, str]]:
    """Texts that bear a footnote mark which some note explains: by place the text without it, and the mark.

    A unit is one with its raised figure ("m²"), and a mark that most of the texts bear stays: it may be part of what they say.
    """
    if not explained:
        return {}
    found: dict[int, tuple[str, str]] = {}
    at = np.flatnonzero((cells.kinds == Kind.TEXT) & (cells.looks == Look.WORDS))
    for place, value in zip(at.tolist(), cells.sheet.values[cells.rows[at], cells.columns[at]].tolist(), strict=True):
        said, marks = _without_marks(value, explained)
        if marks and not is_unit(value.strip()):
            found[place] = said, " ".join(marks)
    often = Counter(mark for _, mark in found.values())
    return {place: one for place, one in found.items() if 2 * often[one[1]] <= len(at)}


def _without_marks(text: str, explained: Collection[str]) -> tuple[str, list[str]]:
    marks: list[str] = []
    bare, mark = trailing_mark(text)
    while mark in explained and bare.strip():
        text, marks = bare.rstrip(), [mark, *marks]
        bare, mark = trailing_mark(text)
    return text, marks


def _about_noted(cells: Cells, noted: Mapping[int, tuple[str, str]]) -> list[Finding]:
    where = np.zeros(len(cells.rows), np.bool_)
    where[list(noted)] = True
    return _said(cells, FindingKind.FOOTNOTE, where, "{count} texts bear footnote marks ({texts}), now apart")


def _says_when(cells: Cells, name: str, nothing: NDArray[np.bool_]) -> bool:
    """Whether texts of digits are dates, or may be times of day: they are for others to read."""
    there = ~nothing
    if not (cells.kinds[there] == Kind.TEXT).all():
        return False
    texts = set(cells.sheet.values[cells.rows[there], cells.columns[there]].tolist())
    return len(texts) > 1 and (all(_COMPACT.fullmatch(text.strip()) for text in texts) or may_be_times(name, texts))


def _missing(cells: Cells) -> list[Finding]:
    said = "{count} missing marks ({texts}) gave no value"
    return _said(cells, FindingKind.MISSING_MARK, cells.looks == Look.MISSING, said)


def _hedged(cells: Cells) -> NDArray[np.bool_]:
    """Where a figure is hedged or in company ("<10", "12 (8–16)"): it is one of the body, and no number."""
    found = np.zeros(len(cells.rows), np.bool_)
    at = np.flatnonzero(cells.looks == Look.FIGURE)
    texts = cells.sheet.values[cells.rows[at], cells.columns[at]]
    found[at] = [read_text(str(text)).unit == HEDGED for text in texts]
    return found


def _read_in_one_way(cells: Cells, name: str, numeric: NDArray[np.bool_], *, listed: bool) -> list[Finding] | None:
    """What is said of texts that all read as numbers in one way and go together; None if a person must look first."""
    texts = numeric & (cells.kinds == Kind.TEXT)
    said = [str(text) for text in cells.sheet.values[cells.rows[texts], cells.columns[texts]]]
    legend = cells.sheet.readings.legend
    zeros = {text.strip() for text in said if text.strip() in legend and means(legend[text.strip()]) is Means.ZERO}
    readings = {read_text(text) for text in said if text.strip() not in zeros}
    currencies, units = ({getattr(one, key) for one in readings} - {""} for key in ("currency", "unit"))
    percents = {one.percent for one in readings} | ({False} if (cells.kinds == Kind.NUMBER).any() else set())
    if units & MAY_SCALE and (
        currencies or any(is_scaled(str(text)) for text in cells.sheet.values[cells.rows[texts], cells.columns[texts]])
    ):
        return None  # "m" may be millions beside "k", or behind a currency
    flags = all(len(unit) <= _LONGEST_FLAG and unit.islower() for unit in units)
    if len(currencies) > 1 or len(percents) > 1 or (len(units) > 1 and not flags):
        return None
    sheet = cells.sheet
    signs = {sign: column for column in sorted(set(cells.columns[texts].tolist()))
             if (sign := sheet.readings.decimals.get(column, "")) not in {"", "?"}}  # fmt: skip
    negatives = sorted({one.negative for one in readings} - {""})
    shown = bool(signs or negatives or currencies or True in percents) or any(
        one.look == Look.FIGURE for one in readings
    )
    shown |= any("." in str(text) for text in sheet.values[cells.rows[texts], cells.columns[texts]])
    if not (shown or sheet.textual or (cells.kinds == Kind.NUMBER).any() or not listed):
        return None  # a workbook whose author made the whole column text meant text
    if not (signs or negatives or currencies or units or zeros or True in percents):
        return []
    told = [f"{sign!r} as 0, for the sheet's key says {legend[sign]!r}" for sign in sorted(zeros)]
    told += [
        f"{sign!r} is the decimal {'comma' if sign == ',' else 'point'} ({sheet.readings.whys[at]})"
        for sign, at in signs.items()
    ]
    told += [f"negative ones by {', '.join(negatives)}"] * bool(negatives)
    told += [f"{', '.join(sorted(currencies))} as their currency"] * bool(currencies)
    told += ["per cent as fractions of one"] * (True in percents)
    told += [f"{', '.join(map(repr, sorted(units)))} set apart"] * bool(units)
    what = f"{name}: {int(texts.sum()):,} texts were read as numbers: {'; '.join(told)}"
    return [Finding(FindingKind.READ, what, sheet.source, sheet.name, count=int(texts.sum()), column=name)]


def _numbers(cells: Cells, nothing: NDArray[np.bool_]) -> pa.Array:
    numbers = cells.sheet.numbers[cells.rows, cells.columns]
    if nothing.any():
        numbers[nothing] = np.nan
    return arrays.numbers(numbers)


def _about_numbers(cells: Cells) -> list[Finding]:
    if not (cells.kinds == Kind.TEXT).any():
        return _missing(cells)
    text = cells.kinds == Kind.TEXT
    kept = text & (cells.looks == Look.NUMBER) & (not cells.sheet.textual)
    return [
        *_missing(cells),
        *_said(
            cells,
            FindingKind.FOOTNOTE,
            cells.looks == Look.MARKED,
            "{count} numbers bear footnote marks ({texts}), now apart",
        ),
        *_said(cells, FindingKind.TEXT_NUMBER, kept, "{count} numbers kept as text ({texts}) were read as numbers"),
    ]


def _said(cells: Cells, kind: FindingKind, where: NDArray[np.bool_], sentence: str, column: str = "") -> list[Finding]:
    at = np.flatnonzero(where)
    if not len(at):
        return []
    distinct = dict.fromkeys(as_label(cells.sheet.values[cells.rows[i], cells.columns[i]]).strip() for i in at)
    shown = list(distinct)[:_SHOWN]
    texts = ", ".join(map(repr, shown)) + (", ..." if len(distinct) > _SHOWN else "")
    # A column's own name may stand in the sentence, with any signs.
    what = sentence.replace("{count}", f"{len(at):,}", 1).replace("{texts}", texts, 1)
    if len(at) == 1:
        what = _singular(what)
    addresses = tuple(cells.sheet.address(int(cells.rows[i]), int(cells.columns[i])) for i in at[:_SHOWN])
    settle = (Settle(column, "text", "kinds", says="it is text"),) if kind is FindingKind.QUESTION else ()
    return [Finding(kind, what, cells.sheet.source, cells.sheet.name, addresses, len(at), column=column, settle=settle)]


def _singular(sentence: str) -> str:
    for many, one in (
        ("of its cells are neither numbers nor known missing marks", "of its cells is neither a number nor a known missing mark"),
        ("error cells", "error cell"), ("missing marks", "missing mark"),
        ("numbers bear footnote marks", "number bears a footnote mark"),
        ("texts bear footnote marks", "text bears a footnote mark"),
        ("numbers kept as text", "number kept as text"), ("were read as numbers", "was read as a number"),
    ):  # fmt: skip
        sentence = sentence.replace(many, one)
    return sentence


def _question(cells: Cells, name: str, numeric: NDArray[np.bool_]) -> list[Finding]:
    """Numbers and words in one column: the column stays text, and a person is asked."""
    if not numeric.any():
        return []
    odd = ~numeric & (cells.kinds != Kind.BLANK) & (cells.looks != Look.MISSING) & (cells.kinds != Kind.ERROR)
    texts = {str(cells.sheet.values[cells.rows[at], cells.columns[at]]).strip() for at in np.flatnonzero(odd)}
    if texts and all(map(leading_zero, texts)):
        return []  # with leading zeros among them the others are names too
    if not odd.any():
        return _said(
            cells, FindingKind.QUESTION, numeric,
            f"{name} stays text: {{count}} cells hold numbers as text ({{texts}}), and nothing shows that they are amounts",
            name,
        )  # fmt: skip
    return _said(
        cells, FindingKind.QUESTION, odd,
        f"{name} stays text: {{count}} of its cells are neither numbers nor known missing marks ({{texts}})",
        name,
    )  # fmt: skip


def _texts(cells: Cells, noted: Mapping[int, tuple[str, str]] | None = None) -> pa.Array:
    blank = (cells.kinds == Kind.BLANK) | (cells.looks == Look.MISSING) | (cells.kinds == Kind.ERROR)
    # In a text laid out by blanks these only say where a cell stands.
    laid_out = bool(cells.sheet.spots)
    values = [
        None if empty else (value.strip() if laid_out else value) if isinstance(value, str) else as_label(value)
        for value, empty in zip(cells.values(), blank.tolist(), strict=True)
    ]
    for at, (bare, _) in (noted or {}).items():
        values[at] = bare
    return arrays.texts(values)


def _dates(cells: Cells, known: NDArray[np.bool_]) -> pa.Array:
    return arrays.moments(cells.values(), known)


def _flags(cells: Cells, known: NDArray[np.bool_]) -> pa.Array:
    return arrays.flags(np.array([value is True for value in cells.values()], np.bool_), known)


def _times(cells: Cells, known: NDArray[np.bool_]) -> pa.Array | None:
    values = [value if know else dt.time() for value, know in zip(cells.values(), known.tolist(), strict=True)]
    if not all(isinstance(value, dt.time) for value in values):
        return None  # durations over a day have no Arrow type that every program reads
    seconds = [value.hour * 3600 + value.minute * 60 + value.second for value in values]
    return arrays.whole(np.array(seconds, np.int64), pa.time32("s"), known)


def marks_of(cells: Cells, beside: dict[int, int], explained: Collection[str] = ()) -> list[str]:
    """The footnote mark of each cell, '' for none: at the number's or text's end, or in the column of marks beside it."""
    marks = [""] * len(cells.rows)
    for at, (_, mark) in noted_texts(cells, explained).items():
        marks[at] = mark
    for at in np.flatnonzero((cells.looks == Look.MARKED) | (cells.looks == Look.FIGURE)).tolist():
        reading = read_text(str(cells.sheet.at(int(cells.rows[at]), int(cells.columns[at]))))
        marks[at] = reading.mark or (
            reading.unit if len(reading.unit) <= _LONGEST_FLAG and reading.unit != HEDGED else ""
        )
    for value, column in beside.items():
        for at in np.flatnonzero(cells.columns == value).tolist():
            marks[at] = cells.sheet.text(int(cells.rows[at]), column) or marks[at]
    return marks
