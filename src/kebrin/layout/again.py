"""Rows that say the headings above them again: on a new page, or above each part of a list."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

# A heading that is said once ("No.") may be left out the second time, if so many of the others are said again.
_SAID_AGAIN = 0.7
# A row of fields holds a few pairs; longer rows need not be read for them.
_MOST_FIELDS = 12


class Again:
    """Some rows and columns of a sheet, of which rows may say others again.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Quay", "Boats"], ["East", 3], ["QUAY", "Boats"], ["West", 4]])
    >>> [Again(sheet, np.arange(4), np.arange(2)).says([0], at) for at in (1, 2, 3)]
    [False, True, False]
    """

    def __init__(self, sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> None:
        """Take the rows and the columns to look at."""
        self._sheet, self._rows, self._columns = sheet, rows, columns
        self._heads: dict[tuple[int, int], str] = {}

    @cached_property
    def _first(self) -> NDArray[np.intp]:
        """The first filled column of each row."""
        first: NDArray[np.intp] = self._columns[self._sheet.filled[np.ix_(self._rows, self._columns)].argmax(axis=1)]
        return first

    @cached_property
    def _begins(self) -> list[str]:
        """What the first filled cell of each row says, in small letters: that tells of nearly all that they say nothing again."""
        found = np.full(len(self._rows), "", dtype=object)
        for column in sorted(set(self._first.tolist())):
            own = np.flatnonzero(self._first == column)
            found[own] = [text.casefold() for text in self._sheet.texts(self._rows[own], column)]
        return found.tolist()

    def says(self, head: Sequence[int], at: int) -> bool:
        """Whether a row says what some row of a head says, in any case; rows are counted among those that are looked at."""
        column = int(self._first[at])
        return any(self._head(place, column) == self._begins[at] and self._says(place, at) for place in head)

    def _head(self, place: int, column: int) -> str:
        key = place, column
        if key not in self._heads:
            self._heads[key] = self._sheet.text(int(self._rows[place]), column).casefold()
        return self._heads[key]

    def _says(self, place: int, at: int) -> bool:
        sheet, first, row = self._sheet, int(self._rows[place]), int(self._rows[at])
        kinds, before = sheet.kinds[row, self._columns], sheet.kinds[first, self._columns]
        said = kinds != Kind.BLANK
        if (before[said] != kinds[said]).any() or said.sum() < _SAID_AGAIN * (before != Kind.BLANK).sum():
            return False
        return all(
            sheet.text(row, column).casefold() == sheet.text(first, column).casefold()
            for column in self._columns[said].tolist()
        )


def lines_of_its_own(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], at: int, first: tuple[int, int]
) -> int:
    """How many lines above a heading that is said again speak of what follows it; none if it only goes on."""
    start, head = first
    return _field_lines(sheet, rows, columns, at) or _pairs_again(sheet, rows[start:at], columns, int(rows[head]))


def _field_lines(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], at: int) -> int:
    """How many rows right above one hold fields ("Label: value"), with the title above them that stands behind a gap.

    >>> from kebrin.cells import Sheet
    >>> lines = [["Q1. Which quay?"], ["Base: all"], [None, "n"], ["Ness", 3], [None], ["Q2. Why?"], ["Base: some"], [None, "n"]]
    >>> _field_lines(Sheet.of(lines), np.array([0, 1, 2, 3, 5, 6, 7]), np.arange(2), 6)
    2
    """
    above = at
    while above > 1 and holds_fields(sheet, int(rows[above - 1]), columns):
        above -= 1
    alone = at > above > 1 and sheet.filled[rows[above - 1], columns].sum() == 1
    titled = alone and rows[above] - rows[above - 1] == 1 and rows[above - 1] - rows[above - 2] > 1
    return at - above + bool(titled and not sheet.data[rows[above - 1], columns].any())


def _pairs_again(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], head: int) -> int:
    """How many lines above a heading that is said again are pairs with the labels of those above the first one.

    >>> from kebrin.cells import Sheet
    >>> lines = [["Quay", "East"], ["Boats", "Jan"], ["Gull", 3], ["Quay", "West"]]  # then ["Boats", "Jan"] again
    >>> _pairs_again(Sheet.of(lines), np.arange(4), np.arange(2), 1)
    1
    """
    count = 0
    for place, again in zip(
        range(int(np.searchsorted(rows, head)) - 1, -1, -1), range(len(rows) - 1, -1, -1), strict=False
    ):
        one, other = int(rows[place]), int(rows[again])
        cells, others = columns[sheet.filled[one, columns]], columns[sheet.filled[other, columns]]
        if len(cells) != 2 or cells.tolist() != others.tolist() or other <= head:
            break
        if sheet.text(one, int(cells[0])).casefold() != sheet.text(other, int(cells[0])).casefold():
            break
        count += 1
    return count


def holds_fields(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    """Whether a row has a "Label:" among its few texts; a time of day is none."""
    texts = columns[sheet.kinds[row, columns] == Kind.TEXT].tolist()
    # Hardly any cell holds a colon: most rows are done with before their texts are made neat.
    if len(texts) > _MOST_FIELDS or not any(":" in str(sheet.values[row, column]) for column in texts):
        return False
    return any(text.endswith(":") or ": " in text for text in (sheet.text(row, column) for column in texts))
