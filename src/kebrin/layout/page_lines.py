"""Rows that are no part of a table wherever they stand: those that say which page it is, and those that count the columns."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind

if TYPE_CHECKING:
    from collections.abc import Iterable

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

_PAGE_CELLS, _FEWEST_COUNTED, _REACH = 4, 3, 5
_PAGE = re.compile(
    r"\b(?:page|seite|pagina|página|sida|side|strona)\s*:?\s*\d+(?:\s*(?:of|/|von|de|av|z)\s*\d+)?\b", re.IGNORECASE
)

_STAMP = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}:\d{2}(?::\d{2})?")


def beside_page(texts: Iterable[str]) -> str:
    """What a line says beside which page it is and when it was printed.

    >>> beside_page(["REGISTER", "Page 1 of 2"]), beside_page(["Vessel: Tern  Page 2"])
    ('REGISTER', 'Vessel: Tern')
    """
    return " ".join(_STAMP.sub("", _PAGE.sub("", " ".join(texts))).split())


def page_lines(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> tuple[int, ...]:
    """Rows of few words that say which page this is, and beside it the same, or nothing, on every page.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["REGISTER", "Page 1 of 2"], ["Berth", "Fee"], ["A1", 3], ["REGISTER", "Page 2 of 2"], ["A2", 4]])
    >>> page_lines(sheet, np.arange(5), np.arange(2))
    (0, 3)
    """
    found: dict[int, str] = {}
    several: set[int] = set()
    for row in _few_words(sheet, rows, columns):
        texts = [sheet.text(row, int(column)) for column in columns if sheet.filled[row, column]]
        if any(_PAGE.search(text) for text in texts):
            found[row] = beside_page(texts)
            several |= {row} if len(texts) > 1 else set()
    # What is otherwise from page to page says something of what stands below it; what is said once beside it is a record.
    said = Counter(filter(None, found.values()))
    apart = {row for row in several if said[found[row]] > 1 and not {row - 1, row + 1} & several}
    found = {row: text for row, text in found.items() if not text or row not in several or row in apart}
    return tuple(found) if len(set(filter(None, found.values()))) < 2 else ()


def page_cells(sheet: Sheet) -> tuple[tuple[int, int], ...]:
    """Cells that say which page it is, beside texts that are otherwise from page to page: these texts stay.

    >>> from kebrin.cells import Sheet
    >>> rows = [["Quay: East", "Page 1"], ["Berth", "Fee"], ["A1", 3], ["Quay: West", "Page 2"], ["A2", 4]]
    >>> page_cells(Sheet.of(rows))
    ((0, 1), (3, 1))
    """
    rows, columns = np.arange(sheet.shape[0]), np.arange(sheet.shape[1])
    filled = np.flatnonzero(sheet.filled.any(axis=1)).tolist()
    found: dict[tuple[int, int], str] = {}
    for row in _few_words(sheet, rows, columns):
        texts = {column: sheet.text(row, column) for column in np.flatnonzero(sheet.filled[row]).tolist()}
        own = [column for column, text in texts.items() if _PAGE.fullmatch(text)]
        if len(own) == 1 < len(texts):
            found[row, own[0]] = beside_page(texts.values())
    heads = [row for row, _ in found]
    if len(set(found.values())) > 1 and all(below > above + 1 for above, below in pairwise(heads)):
        return tuple(found)
    # The head or the foot of the only page.
    return tuple(found) if len(found) == 1 and heads[0] in {filled[0], filled[-1]} else ()


def without_page_cells(sheet: Sheet) -> Sheet:
    """The sheet without these cells."""
    cells = page_cells(sheet)
    if not cells:
        return sheet
    values, kinds = sheet.values.copy(), sheet.kinds.copy()
    for cell in cells:
        values[cell], kinds[cell] = None, Kind.BLANK
    return replace(sheet, values=values, kinds=kinds)


def _few_words(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[int]:
    """The rows of few words and no figures."""
    filled = sheet.filled[np.ix_(rows, columns)].sum(axis=1)
    few = (filled > 0) & (filled <= _PAGE_CELLS) & ~sheet.data[np.ix_(rows, columns)].any(axis=1)
    return [int(row) for row in rows[few]]


def counting_lines(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> tuple[int, ...]:
    """Rows that count the columns from the first on, as forms do under their headings ("1", "2", "3"; "(1)", "(2)", "(3)").

    Where the next row bears a number too, it must count from the first on again: else both are records.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Fish", "2030", "2031"], [1, 2, 3], ["Cod", 60, 65], ["Sole", 20, 22]])
    >>> counting_lines(sheet, np.arange(4), np.arange(3))
    (1,)
    """
    if len(columns) < _FEWEST_COUNTED:
        return ()
    numbers = np.abs(sheet.numbers[np.ix_(rows, columns)])
    counts = (np.diff(numbers, axis=1) == 1).all(axis=1) & (numbers[:, 0] <= 1)
    counts |= [_counts_in_brackets(sheet, int(row), columns) for row in rows]
    found = []
    for at in np.flatnonzero(counts[:-1]).tolist():
        above, own = np.arange(max(int(rows[at]) - _REACH, 0), int(rows[at])), int(columns[0])
        spanned = [any(sheet.merge_at(int(row), int(one)) for row in above) for one in columns]
        named = sheet.filled[np.ix_(above, columns)].any(axis=0) | np.array(spanned)
        worded = (sheet.filled[above, own] & ~sheet.data[above, own]).any()
        follows = numbers[at + 1, 0]
        plain = np.isnan(follows) or follows == numbers[at, 0] or _counts_in_brackets(sheet, int(rows[at]), columns)
        if worded and named.all() and plain:
            found.append(int(rows[at]))
    return tuple(found)


def _counts_in_brackets(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    """Whether a row counts the last columns in brackets, and says nothing else: "(1)", "(2)", "(3)"."""
    last = sheet.values[row, columns[-1]]
    if not isinstance(last, str) or not last.startswith("("):
        return False
    texts = [sheet.text(row, int(column)) for column in columns if sheet.filled[row, column]]
    counted = [f"({at})" for at in range(1, len(texts) + 1)]
    return len(texts) >= _FEWEST_COUNTED and texts == counted
