"""Lists that stand under one another, each under a title of its own and with headings of its own.

Among the words of a list a row of headings looks like a record. What tells it is where it stands: behind a gap and a title, as
the headings of the first list do.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import MISSING_MARKS

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.cells import Sheet

# Headings of a list; narrower ones may be a label and what it says. Lines of fields above a list.
_FEWEST, _MOST_FIELDS = 3, 8
# A column holds figures if so many of its cells do.
_MOSTLY = 0.6


def heads_a_list(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], words: NDArray[np.bool_], data: NDArray[np.bool_],
    at: int,
) -> bool:  # fmt: skip
    """Whether the words of a row head another list: behind a gap and a title, over figures or where the first list has that too.

    Args:
        sheet: the sheet.
        rows: its rows in play, ascending.
        columns: its columns in play, ascending.
        words: rows x columns, which of these cells hold words.
        data: the same for figures.
        at: the row's place among `rows`.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Vessels"], ["Name", "Cars", "Crew"], ["Gull", 1, 2], [None], ["Berths"],
    ...                   ["Quay", "Berth", "Depth"], ["East", "A1", 3], ["West", "A2", 4]])
    >>> rows, columns = np.array([0, 1, 2, 4, 5, 6, 7]), np.arange(3)
    >>> words = sheet.filled[rows] & ~sheet.data[rows]
    >>> [at for at in range(7) if heads_a_list(sheet, rows, columns, words, sheet.data[rows], at)]
    [4]
    """
    own = np.flatnonzero(words[at])
    if at < 2 or at + 1 >= len(rows) or data[at].any() or len(own) < _FEWEST or own[-1] - own[0] + 1 > len(own):
        return False
    alone = not data[at - 1].any() and int(words[at - 1].sum()) == 1 and rows[at] - rows[at - 1] == 1
    if not alone or rows[at - 1] - rows[at - 2] < 2 or int(words[at - 2].sum() + data[at - 2].sum()) < 2:
        return False
    texts = [sheet.text(int(rows[at]), int(columns[place])) for place in own]
    if len(set(texts)) < len(texts) or any(text.casefold() in MISSING_MARKS for text in texts):
        return False
    below = slice(at + 1, _end_of_list(rows, at))
    under = np.asarray(data[below].any(axis=0))
    alike = (
        rows[1] - rows[0] == 1 and int(words[0].sum()) == 1 and int(words[1].sum()) >= _FEWEST and not data[:2].any()
    )
    if under[own[0]] or not (under[own].any() or alike) or not words[below, own[0]].all():
        return False
    return not any(_is_said(sheet, rows, int(columns[place]), at) for place in own)


def headed_below_a_gap(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether the headings of a list stand behind a gap, and what stands above it are labels and what they say.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Vessel", "Gull", "Port", "Brae"], ["Skipper", "Ann", "Crew", "Bo"], [None],
    ...                   ["Fish", "Boxes", "Kilos"], ["Cod", 12, 480], ["Sole", 7, 210]])
    >>> headed_below_a_gap(sheet, np.array([0, 1, 3, 4, 5]), np.arange(4))
    True
    """
    gaps = np.flatnonzero(np.diff(sheet.gaps[0][rows])) + 1
    at = int(gaps[0]) if len(gaps) else 0
    if not 0 < at <= _MOST_FIELDS or at + 1 >= len(rows):
        return False
    filled, data = sheet.filled[np.ix_(rows, columns)], sheet.data[np.ix_(rows, columns)]
    if not filled[at, 0] or data[at].any():
        return False
    # Columns that it heads, that hold figures below it and none above it.
    told = filled[at] & (data[at + 1 :].mean(axis=0) > _MOSTLY) & ~data[:at].any(axis=0)
    return bool(told[1:].any())


def _is_said(sheet: Sheet, rows: NDArray[np.intp], column: int, at: int) -> bool:
    """Whether the text of a cell stands on another row of its column."""
    text = sheet.text(int(rows[at]), column)
    return any(sheet.text(int(row), column) == text for row in np.delete(rows, at))


def _end_of_list(rows: NDArray[np.intp], at: int) -> int:
    """The place of the first row behind the gap below a row."""
    gaps = np.flatnonzero(np.diff(rows[at:]) > 1)
    return at + 1 + int(gaps[0]) if len(gaps) else len(rows)
