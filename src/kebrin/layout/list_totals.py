"""The rows of a list that sum up others: arithmetic over its columns of figures, and a sign that says so.

In a list any row may be a record, so figures alone take none out. A row is a total where its figures are the sums of those of
the records above it, since the last total or from the first on, and it shows that it is none of them: it bears no label, or
lacks what nearly all records say, or is called a total, all of something, or so many of them, or a formula sums them. Where
its figures alone say so it stays, and is put to a person.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import carried_word, is_ratio, names_a_key, says_rank, says_whole, total_word
from kebrin.layout.formulas import summing_lines
from kebrin.layout.model import CARRIES, STATED, TotalLine

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

    Numbers = NDArray[np.float64]

# A column is one of figures, or one that records fill, if so many of its cells are such.
_FIGURES, _FILLED = 0.6, 0.9
# So many bits must match for a row that shows a sign, and for one that shows none; places tried come on top.
_SIGNED_BITS, _BARE_BITS = 4.0, 14.0
_FEWEST_PARTS = 2
_COUNTED = re.compile(r"\(?(\d[\d,. ]*)\)?\s+[^\W\d_][\w ]*")


@dataclass(frozen=True)
class ListTotals:
    """The totals of a list, and the rows that may be such, with what is to be said of them."""

    totals: tuple[TotalLine, ...] = ()
    doubted: tuple[tuple[int, str], ...] = ()


@dataclass(frozen=True, eq=False)
class _List:
    """A list's records: their texts and figures, side by side."""

    sheet: Sheet
    rows: NDArray[np.intp]
    texts: NDArray[np.intp]  # columns of words, dates and keys
    filled: NDArray[np.bool_]  # rows x texts
    numbers: Numbers  # rows x columns of figures
    ratio: NDArray[np.bool_]  # which of these need not add up
    formulas: Collection[int]


def list_totals(
    sheet: Sheet, rows: NDArray[np.intp], heads: Mapping[int, str], *, kept: Collection[str] = (),
    begins: Collection[int] = (), named: Collection[str] = (), several: Collection[int] = (),
) -> ListTotals:  # fmt: skip
    """The totals among a list's rows.

    Args:
        sheet: the sheet.
        rows: the list's rows, in order.
        heads: its columns with their headings.
        kept: labels, in small letters, that a person states to be no totals.
        begins: rows before which a section begins.
        named: labels that a person states to be totals.
        several: rows whose label names several of the months beside it.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["T1", "Brae", 12.5], ["T2", "Wick", 4.0], ["All quays", "", 16.5]])
    >>> found = list_totals(sheet, np.arange(3), {0: "Ticket", 1: "Port", 2: "Due"})
    >>> [(line.name, line.parts.tolist(), line.cause) for line in found.totals]
    [('row 3', [0, 1], "'All quays' speaks of a whole")]
    """
    found = _list(sheet, rows, heads)
    if found is None:
        return ListTotals()
    sums = np.concatenate((np.zeros((1, found.numbers.shape[1])), np.cumsum(np.nan_to_num(found.numbers), axis=0)))
    totals: dict[int, TotalLine] = {}
    doubted: list[tuple[int, str]] = []
    since = 0
    starts = {int(np.searchsorted(rows, row)) for row in begins}
    stated = {label.casefold() for label in named}
    for at in range(len(rows)):
        since = at if at in starts else since
        why = STATED if stated & {text.casefold() for text in _texts(found, at)} else _sign(found, at)
        why = why or ("it names several of the months beside it" if int(rows[at]) in several else "")
        if not why and at < len(rows) - 1 and not any(map(carried_word, _texts(found, at))):
            continue
        if any(text.casefold() in kept for text in _texts(found, at)):
            continue
        for start in dict.fromkeys((since, 0)):
            parts = [part for part in range(start, at) if part not in totals]
            own = sums[at] - sums[start] - sum((np.nan_to_num(found.numbers[part]) for part in totals if part >= start), 0.0)
            if not parts or (len(parts) < _FEWEST_PARTS and why != STATED) or not _adds_up(found, at, parts, own, signed=bool(why)):
                continue
            carried = [part for part in (*parts[:1], at) if any(map(carried_word, _texts(found, part)))]
            for part in carried:  # what it carries is in the sum already, or begins it
                cause = f"it only carries a sum over: {_texts(found, part)[0]!r}"
                totals[part] = TotalLine("row", int(rows[part]), rows[:0].astype(np.int32), CARRIES, 1.0, cause=cause)
            if at in carried:
                pass
            elif why:
                line = rows[parts].astype(np.int32)
                said = f"it equals the sum of the {len(parts)} records above it; {why}"
                totals[at] = TotalLine("row", int(rows[at]), line, said, 1.0, cause=why)
                since = at + 1
            else:
                what = f"equals the sum of the {len(parts)} records above it, and nothing else says that it is a total"
                doubted.append((int(rows[at]), what))
            break
        else:
            label = next((text for text in _texts(found, at)[1:] if text.casefold() in stated), "")
            if why == STATED and label:  # one in the first column is looked for by its words, and its difference is told
                parts = rows[[part for part in range(len(rows)) if part != at and part not in totals]].astype(np.int32)
                said = f"{label!r} is stated to be a total; its figures are the sum of no records here"
                totals[at] = TotalLine("row", int(rows[at]), parts, said, 0.0, loose=True, cause=STATED)
    return ListTotals(tuple(totals.values()), tuple(doubted))


def _list(sheet: Sheet, rows: NDArray[np.intp], heads: Mapping[int, str]) -> _List | None:
    columns = np.array(list(heads), np.intp)
    if len(rows) <= _FEWEST_PARTS or not len(columns):
        return None
    filled, numbers = sheet.filled[np.ix_(rows, columns)], sheet.numbers[np.ix_(rows, columns)]
    share = (~np.isnan(numbers)).sum(axis=0) / np.maximum(filled.sum(axis=0), 1)
    keys = np.array([names_a_key(head) or says_rank(head) for head in heads.values()], np.bool_)
    figures = (share >= _FIGURES) & ~keys
    if not figures.any():
        return None
    ratio = np.array([is_ratio(head) for head in heads.values()], np.bool_)[figures]
    down, _ = summing_lines(sheet, rows, columns)
    return _List(sheet, rows, columns[~figures], filled[:, ~figures], numbers[:, figures], ratio, down)


def _texts(found: _List, at: int) -> Sequence[str]:
    row = int(found.rows[at])
    return [found.sheet.text(row, int(column)) for column in found.texts[found.filled[at]]]


def _sign(found: _List, at: int) -> str:
    """What shows that a row is none of the records; '' if nothing does."""
    texts = _texts(found, at)
    if int(found.rows[at]) in found.formulas:
        return "a formula sums them"
    word = next((text for text in texts if total_word(text)), "")
    if word:
        return f"called {word!r}"
    usual = found.filled.mean(axis=0) >= _FILLED
    lacks = usual & ~found.filled[at]
    if not texts and usual.any():
        return "it has no label of its own"
    whole = next((text for text in texts if says_whole(text)), "")
    if whole:
        return f"{whole!r} speaks of a whole"
    counted = next((text for text in texts[:1] if (match := _COUNTED.fullmatch(text)) and _is_count(match[1], at)), "")
    if counted:
        return f"{counted!r} counts them"
    if lacks.any() and len(texts) <= 1 and lacks.sum() >= min(len(usual) - 1, _FEWEST_PARTS):
        return "it lacks what nearly all of them say"
    return ""


def _is_count(said: str, records: int) -> bool:
    digits = re.sub(r"\D", "", said)
    return bool(digits) and len(digits) < 10 and 1 < int(digits) <= records


def _adds_up(found: _List, at: int, parts: Sequence[int], sums: Numbers, *, signed: bool) -> bool:
    """Whether a row's figures are the sums of others beyond chance; shares and rates among them need not be."""
    own = found.numbers[at]
    stated = ~np.isnan(own)
    scale = np.abs(np.nan_to_num(found.numbers[parts])).sum(axis=0)
    ties = stated & (np.abs(sums - np.nan_to_num(own)) <= 1e-9 * np.maximum(scale, 1.0))
    telling = ties & ~found.ratio & (own != 0)
    if not telling.any() or (stated & ~ties & ~found.ratio & ~_lies_between(found, at, parts)).any():
        return False
    bits = float(np.log2(np.abs(own[telling]) + 1).sum())
    return bits >= (_SIGNED_BITS if signed else _BARE_BITS + np.log2(len(found.rows)))


def _lies_between(found: _List, at: int, parts: Sequence[int]) -> NDArray[np.bool_]:
    """Which figures lie between the least and the largest of those below them, strictly: as a mean or a rate does."""
    own = found.numbers[parts]
    known = ~np.isnan(own)
    least = np.where(known, own, np.inf).min(axis=0)
    most = np.where(known, own, -np.inf).max(axis=0)
    return np.asarray((least < found.numbers[at]) & (found.numbers[at] < most))
