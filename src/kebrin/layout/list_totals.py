"""The rows of a list that sum up others: arithmetic over its columns of figures, and a sign that says so.

In a list any row may be a record, so figures alone take none out. A row is a total where its figures are the sums of those of
the records above it, since the last total or from the first on, and it shows that it is none of them: it bears no label, or
lacks what nearly all records say, or is called a total, all of something, or so many of them, or a formula sums them. Where
its figures alone say so it stays, and is put to a person, unless it stands last and several columns leave no room for chance.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import average_word, carried_word, is_ratio, names_a_key, says_rank, says_whole, total_word
from kebrin.layout.model import CARRIES, STATED, TotalLine
from kebrin.layout.sum_formulas import summing_lines
from kebrin.layout.unlike import balance_of, states_balance

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

    Numbers = NDArray[np.float64]

# A column is one of figures, or one that records fill, if so many of its cells are such.
_FIGURES, _FILLED = 0.6, 0.9
# So many bits must match for a row that shows a sign, and for one that shows none; places tried come on top.
_SIGNED_BITS, _BARE_BITS = 4.0, 14.0
# So many columns whose sums tie show a total where no column holds anything but figures.
_FEWEST_FIGURES = 3
# Figures alone show that the last row sums all others if so many columns tie, and so many bits match.
_FEWEST_TIED, _SURE_BITS = 3, 20.0
_FEWEST_PARTS = 2
# So many cells show how a column is written; formats are looked up in lists of no more rows.
_LOOKED_AT, _SMALL = 5, 3_000
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
    figures: NDArray[np.intp]  # these columns
    ratio: NDArray[np.bool_]  # which of these need not add up by their names: shares and rates
    formulas: Collection[int]
    balance: int  # which of these columns keeps the balance of others, -1 for none


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
    search = _Search(found, {label.casefold() for label in named}, {label.casefold() for label in kept})
    begin = {int(np.searchsorted(rows, row)) for row in begins}
    also = set(several)
    for at in range(len(rows)):
        search.since = at if at in begin else search.since
        search.look_at(at, "it names several of the months beside it" if int(rows[at]) in also else "")
    return ListTotals(tuple(search.totals.values()), tuple(search.doubted))


class _Search:
    """The rows of a list while its totals are looked for, from the first to the last."""

    def __init__(self, found: _List, named: Collection[str], kept: Collection[str]) -> None:
        self.found, self.named, self.kept = found, named, kept
        own = np.cumsum(np.nan_to_num(found.numbers), axis=0)
        self.sums = np.concatenate((np.zeros((1, found.numbers.shape[1])), own))
        self.totals: dict[int, TotalLine] = {}
        self.doubted: list[tuple[int, str]] = []
        self.since = 0

    def look_at(self, at: int, why: str) -> None:
        """Whether one row is a total, and of which rows; `why` is what is known to show it."""
        texts = _texts(self.found, at)
        stated = not {text.casefold() for text in texts}.isdisjoint(self.named)
        why = STATED if stated else why or _sign(self.found, at)
        carries = any(map(carried_word, texts))
        if carries and self._opens(at):
            self._carry(at)
            return
        if any(text.casefold() in self.kept for text in texts) or not (
            why or carries or at == len(self.found.rows) - 1
        ):
            return
        for start in dict.fromkeys((self.since, 0)):
            parts = [part for part in range(start, at) if part not in self.totals]
            if len(parts) < (1 if stated else _FEWEST_PARTS):
                continue
            gone = [self.found.numbers[part] for part in self.totals if part >= start]
            own = (
                self.sums[at] - self.sums[start] - np.nan_to_num(gone).sum(axis=0)
                if gone
                else self.sums[at] - self.sums[start]
            )
            if _adds_up(self.found, at, parts, own, signed=bool(why)):
                self._take(at, parts, why or self._beyond_chance(at, start, own))
                return
        if any(text.casefold() in self.named for text in texts[1:]):
            # One that is named in the first column is looked for by its words, and its difference is told.
            self._take_stated(at, texts)

    def _beyond_chance(self, at: int, start: int, sums: Numbers) -> str:
        """What shows that the last row is a total whatever it is called: it sums all others in several columns."""
        if at < len(self.found.rows) - 1 or start or self.totals:
            return ""
        own = self.found.numbers[at]
        tied = ~np.isnan(own) & ~self.found.ratio & (own != 0) & np.isclose(own, sums, rtol=1e-9, atol=0)
        bits = float(np.log2(np.abs(own[tied]) + 1).sum())
        several = int(tied.sum()) >= _FEWEST_TIED and len(self.found.rows) > _FEWEST_TIED + 1
        return "it stands last, and sums all others in every column" if several and bits >= _SURE_BITS else ""

    def _opens(self, at: int) -> bool:
        """Whether a row states the balance that the next one goes on from, or what stands last above it, and nothing else."""
        return states_balance(self.found.numbers, at, self.found.balance, begins=at in {self.since, 0})

    def _carry(self, at: int) -> None:
        rows = self.found.rows
        cause = f"it only carries a balance over: {_texts(self.found, at)[-1]!r}"
        self.totals[at] = TotalLine("row", int(rows[at]), rows[:0].astype(np.int32), CARRIES, 1.0, cause=cause)

    def _take(self, at: int, parts: Sequence[int], why: str) -> None:
        rows = self.found.rows
        carried = [part for part in (*parts[:1], at) if any(map(carried_word, _texts(self.found, part)))]
        for part in carried:  # what it carries is in the sum already, or begins it
            cause = f"it only carries a sum over: {_texts(self.found, part)[0]!r}"
            self.totals[part] = TotalLine("row", int(rows[part]), rows[:0].astype(np.int32), CARRIES, 1.0, cause=cause)
        if at in carried:
            return
        said = f"equals the sum of the {len(parts)} records above it"
        if why:
            line = rows[parts].astype(np.int32)
            self.totals[at] = TotalLine("row", int(rows[at]), line, f"it {said}; {why}", 1.0, cause=why)
            self.since = at + 1
        else:
            self.doubted.append((int(rows[at]), f"{said}, and nothing else says that it is a total"))

    def _take_stated(self, at: int, texts: Sequence[str]) -> None:
        rows = self.found.rows
        parts = rows[[part for part in range(len(rows)) if part != at and part not in self.totals]].astype(np.int32)
        label = next(text for text in texts if text.casefold() in self.named)
        said = f"{label!r} is stated to be a total; its figures are the sum of no records here"
        self.totals[at] = TotalLine("row", int(rows[at]), parts, said, 0.0, loose=True, cause=STATED)


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
    ratio = np.array([is_ratio(head) or bool(average_word(head)) for head in heads.values()], np.bool_)[figures]
    balance = balance_of(numbers[:, figures])
    if balance >= 0:
        ratio[balance] = True  # what is left is no part of a sum
    down, _ = summing_lines(sheet, rows, columns)
    return _List(
        sheet, rows, columns[~figures], filled[:, ~figures], numbers[:, figures], columns[figures], ratio, down, balance
    )


def _texts(found: _List, at: int) -> Sequence[str]:
    row = int(found.rows[at])
    return [found.sheet.text(row, int(column)) for column in found.texts[found.filled[at]]]


def _sign(found: _List, at: int) -> str:
    """What shows that a row is none of the records; '' if nothing does."""
    texts = _texts(found, at)
    usual = found.filled.mean(axis=0) >= _FILLED
    lacks = int((usual & ~found.filled[at]).sum())
    word = next((text for text in texts if total_word(text)), "")
    whole = next((text for text in texts if says_whole(text)), "")
    counted = next((text for text in texts[:1] if (match := _COUNTED.fullmatch(text)) and _is_count(match[1], at)), "")
    signs = (
        (int(found.rows[at]) in found.formulas, "a formula sums them"),
        (word, f"called {word!r}"),
        (not texts and usual.any(), "it has no label of its own"),
        (whole, f"{whole!r} speaks of a whole"),
        (at == len(found.rows) - 1 and _lacks_key(found, at), "it alone has no key"),
        (at == len(found.rows) - 1 and _says_sums_alone(found, at), "no column could say more of it"),
        (counted, f"{counted!r} counts them"),
        (
            lacks and len(texts) <= 1 and lacks >= min(len(usual) - 1, _FEWEST_PARTS),
            "it lacks what nearly all of them say",
        ),
    )
    return next((said for shown, said in signs if shown), "")


def _lacks_key(found: _List, at: int) -> bool:
    """Whether a row says nothing in the first column, where each of the others says something of its own."""
    column = int(min([*found.texts, *found.figures]))
    if found.sheet.filled[found.rows[at], column] or len(found.rows) > _SMALL:
        return False
    first = found.sheet.texts(found.rows, column)
    others = [text for place, text in enumerate(first) if place != at]
    return not first[at] and all(others) and len(set(others)) == len(others) >= _FEWEST_PARTS


def _says_sums_alone(found: _List, at: int) -> bool:
    """Whether a row of a list of nothing but figures has one in each of several columns."""
    return not len(found.texts) and len(found.figures) >= _FEWEST_FIGURES and not np.isnan(found.numbers[at]).any()


def _is_count(said: str, records: int) -> bool:
    digits = re.sub(r"\D", "", said)
    return bool(digits) and len(digits) < 10 and 1 < int(digits) <= records


def _adds_up(found: _List, at: int, parts: Sequence[int], sums: Numbers, *, signed: bool) -> bool:
    """Whether a row's figures are the sums of others beyond chance; shares and rates among them need not be."""
    own = found.numbers[at]
    stated = ~np.isnan(own)
    scale = np.abs(np.nan_to_num(found.numbers[parts])).sum(axis=0)
    ties = stated & (np.abs(sums - np.nan_to_num(own)) <= 1e-9 * np.maximum(scale, 1.0))
    # What need not add up and does shows as much of a row that bears a sign: a "Change" in litres is no rate.
    telling = ties & (own != 0) if signed else ties & ~found.ratio & (own != 0)
    off = np.flatnonzero(stated & ~ties & ~found.ratio).tolist() if telling.any() else []
    # What is written in per cent need not add up either; how it is written is looked up only where it matters.
    if not telling.any() or not all(signed and _in_per_cent(found, column) for column in off):
        return False
    bits = float(np.log2(np.abs(own[telling]) + 1).sum())
    return bits >= (_SIGNED_BITS if signed else _BARE_BITS + np.log2(len(found.rows)))


def _in_per_cent(found: _List, column: int) -> bool:
    """Whether a column's figures are written with a sign for per cent."""
    sheet, own = found.sheet, int(found.figures[column])
    at = [int(row) for row in found.rows[:_LOOKED_AT] if not np.isnan(sheet.numbers[row, own])]
    if not at or len(found.rows) > _SMALL:
        return False
    if sheet.textual:
        return all("%" in sheet.text(row, own) for row in at)
    formats = sheet.formats(max(at) + 1)
    return all(formats.family(row, own) == "percent" for row in at)
