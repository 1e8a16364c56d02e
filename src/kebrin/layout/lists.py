"""Sheets that hold figures in name only, or none: calendars, and lists of words with a row for each observation."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.cells.periods import period_name

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.layout.model import Layout

_FEWEST_ROWS = 2
_FEWEST_DAYS = 10
# Header cells are short, and all of the columns below them are mostly filled.
_LONGEST_HEADING, _FILLED = 40, 0.5


def _is_bold(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    """Whether a row's cells are bold, and those of the row below it are not."""
    formats = sheet.formats(row + 2)
    return all(formats.is_bold(row, int(at)) and not formats.is_bold(row + 1, int(at)) for at in columns)


def is_calendar(sheet: Sheet, layout: Layout) -> bool:
    """Whether a block is a calendar: days of the month in order under the days of the week. It holds no values.

    >>> from kebrin.layout.find import find_layouts
    >>> rows = [["Mon", "Tue", "Wed", "Thu"], [None, None, 1, 2], [3, 4, 5, 6], [7, 8, 9, 10]]
    >>> find_layouts(Sheet.of(rows))
    []
    """
    if len(layout.boxhead) != 1 or period_name(layout.boxhead[0].texts) != "weekday":
        return False
    numbers = sheet.numbers[np.ix_(layout.body_rows, layout.body_columns)].ravel()
    days = numbers[~np.isnan(numbers)]
    return len(days) >= _FEWEST_DAYS and bool((days == np.arange(1, len(days) + 1)).all())


def find_word_list(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> tuple[int, int] | None:
    """The header row and the last row of a list of words among rows without figures, or None if they are no list.

    >>> sheet = Sheet.of([["Vessel", "Home port", "Crew"], ["Gull", "Hallan", "full"], ["Tern", "Brae", "short"]])
    >>> find_word_list(sheet, np.arange(3), np.arange(3))
    (0, 2)
    """
    if len(columns) < 2 or len(rows) < _FEWEST_ROWS + 1:
        return None
    filled = sheet.filled[np.ix_(rows, columns)]
    widest = int(filled.sum(axis=1).max())
    if widest < 2:
        return None
    at = int(np.argmax(filled.sum(axis=1) == widest))
    used = np.flatnonzero(filled[at])
    # The list ends at the first row that holds one text only: a note, or nothing.
    body = filled[at + 1 :, used]
    thin = np.flatnonzero(body.sum(axis=1) < 2)
    body = body[: thin[0]] if len(thin) else body
    if len(body) < _FEWEST_ROWS or (body.mean(axis=0) < _FILLED).any():
        return None
    header = [sheet.text(int(rows[at]), int(columns[column])) for column in used]
    plain = all(sheet.kinds[rows[at], columns[column]] == Kind.TEXT for column in used)
    short = all(len(text) <= _LONGEST_HEADING and not text.endswith((":", ".")) for text in header)
    if not plain or not short or len(set(header)) < len(header):
        return None
    if len(used) == 2 and not _is_bold(sheet, int(rows[at]), columns[used]):
        return None  # two columns of words may as well be labels and what they say
    labels = [sheet.text(int(row), int(columns[used[0]])) for row in rows[at + 1 : at + 1 + len(body)]]
    return None if any(text.endswith(":") for text in labels) else (int(rows[at]), int(rows[at + len(body)]))
