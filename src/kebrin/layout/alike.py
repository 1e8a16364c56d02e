"""Tables of words whose columns are alike: timetables, matrices of crosses. What heads their columns is a dimension."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.cells import Sheet

_FEWEST_COLUMNS = 3
_TIME = re.compile(r"(?:[01]?\d|2[0-3])[:.][0-5]\d(?:\s?[ap]\.?m\.?)?", re.IGNORECASE)
# So few marks fill a matrix of crosses.
_FEW_MARKS = 2
# Rows that are looked at before all are.
_LOOKED_AT = 50


def alike_texts(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether three columns or more, behind one of labels, hold times of day only or one same short mark only.

    Then what heads them is a dimension: the piers of a timetable, the skills of a crew.

    >>> import numpy as np
    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["N1", "07:15", "07:50", "08:40"], ["N3", "09:30", "|", "10:55"]])
    >>> alike_texts(sheet, np.arange(2), np.arange(4)), alike_texts(sheet, np.arange(2), np.arange(3))
    (True, False)
    """
    first = np.ix_(rows[:_LOOKED_AT], columns[1:])
    if (sheet.kinds[first] > Kind.TEXT).any():
        return False  # a figure or a date: words throughout are meant
    if len(rows) > _LOOKED_AT and not alike_texts(sheet, rows[:_LOOKED_AT], columns):
        return False
    keys = [sheet.text(row, int(columns[0])) for row in rows.tolist()]
    if len(columns) <= _FEWEST_COLUMNS or len(set(filter(None, keys))) < len(list(filter(None, keys))):
        return False
    said = [
        {
            sheet.text(row, column)
            for row, key in zip(rows.tolist(), keys, strict=True)
            if key and sheet.filled[row, column]
        }
        for column in columns[1:].tolist()
    ]
    every = set().union(*said)
    marks = {text for text in every if not any(map(str.isalnum, text)) or len(text) == 1}
    if any(map(str.isdigit, "".join(marks))):
        return False
    times = every - marks
    if times:
        return all(map(_TIME.fullmatch, times)) and 2 * sum(any(map(_TIME.fullmatch, own)) for own in said) >= len(said)
    marked = sum(bool(own) for own in said)
    return 0 < len(marks) <= _FEW_MARKS and (marked * 2 >= len(said) or (len(marks) == 1 and marked > 1))
