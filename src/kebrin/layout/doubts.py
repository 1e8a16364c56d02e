"""Doubts: decisions that the sheet alone can't settle, each with the line of a plan that would."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.layout.model import Evidence
from kebrin.layout.split import are_labels, lone_year

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray


def first_row_doubt(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], boxhead: Sequence[int]
) -> list[Evidence]:
    """A first row of plain figures over rows of figures: it may be data of a block without headings.

    Years, dates, and numbers in even steps (days of a month, classes) head columns as words do.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["North", 10, 27], ["South", 30, 41]])
    >>> first_row_doubt(sheet, np.arange(2), np.array([1, 2]), [0])[0].settle
    'boxhead = []'
    """
    if len(boxhead) != 1 or boxhead[0] != int(rows[0]):
        return []
    row = boxhead[0]
    if len(columns) == 1 and lone_year(sheet, row, int(columns[0]), rows[1:]):
        return []
    filled = columns[sheet.filled[row, columns]]
    figures = [int(column) for column in filled if sheet.data[row, column] and sheet.kinds[row, column] != Kind.DATE]
    if not figures or len(figures) < len(filled):
        return []
    numbers = sheet.numbers[row, figures]
    even = len(figures) >= 3 and len(set(np.diff(numbers).tolist())) == 1
    if even or are_labels(sheet, [(row, column) for column in figures], running=True):
        return []
    why = "it holds figures, so it may be the first row of a body without headings"
    return [Evidence("first row", f"row {row + 1}", why, 0.3, "boxhead = []")]


def lone_year_doubt(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[Evidence]:
    """A year on top of the one column of a body without headings: it may head the figures below, or be one of them.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Route", 2031], ["North", 1500], ["South", 2900]])
    >>> lone_year_doubt(sheet, np.arange(3), np.array([1]))[0].settle
    'boxhead = ["year"]'
    """
    if len(columns) != 1 or lone_year(sheet, int(rows[0]), int(columns[0]), rows[1:]) is not None:
        return []
    why = "its year may head the figures below, or be one of them"
    return [Evidence("first row", f"row {rows[0] + 1}", why, 0.3, 'boxhead = ["year"]')]
