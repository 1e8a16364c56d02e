"""Rows that are no part of a table wherever they stand: those that say which page it is, and those that count the columns."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.cells import Sheet

_PAGE_CELLS, _FEWEST_COUNTED, _REACH = 4, 3, 5
_PAGE = re.compile(
    r"\b(?:page|seite|pagina|página|sida|side|strona)\s*:?\s*\d+(?:\s*(?:of|/|von|de|av|z)\s*\d+)?\b", re.IGNORECASE
)


def page_lines(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> tuple[int, ...]:
    """Rows of few words that say which page this is, or that say a title again, a number in it apart.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["REGISTER", "Page 1 of 2"], ["Berth", "Fee"], ["A1", 3], ["REGISTER", "Page 2 of 2"], ["A2", 4]])
    >>> page_lines(sheet, np.arange(5), np.arange(2))
    (0, 3)
    """
    filled = sheet.filled[np.ix_(rows, columns)].sum(axis=1)
    few = np.flatnonzero((filled > 0) & (filled <= _PAGE_CELLS) & ~sheet.data[np.ix_(rows, columns)].any(axis=1))
    found: set[int] = set()
    for at in few.tolist():
        row = int(rows[at])
        texts = [sheet.text(row, int(column)) for column in columns if sheet.filled[row, column]]
        if any(_PAGE.search(text) for text in texts):
            found.add(row)
    return tuple(sorted(found))


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
    found = []
    for at in np.flatnonzero(counts[:-1]).tolist():
        above, own = np.arange(max(int(rows[at]) - _REACH, 0), int(rows[at])), int(columns[0])
        spanned = [any(area.holds(int(row), int(one)) for area in sheet.merges for row in above) for one in columns]
        named = sheet.filled[np.ix_(above, columns)].any(axis=0) | np.array(spanned)
        worded = (sheet.filled[above, own] & ~sheet.data[above, own]).any()
        follows = numbers[at + 1, 0]
        if worded and named.all() and (np.isnan(follows) or follows == numbers[at, 0]):
            found.append(int(rows[at]))
    return tuple(found)
