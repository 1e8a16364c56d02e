"""Columns at a block's edges that are no body: labels that stand right of it, marks that stand beside its values."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.cells.periods import period_name
from kebrin.layout.labels import label
from kebrin.layout.words import average_word, total_word

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy as np
    from numpy.typing import NDArray

# A flag beside a value ("p" for provisional) is this short; a column of remarks is longer somewhere.
_LONGEST_MARK = 3
_FEWEST_PERIODS = 2


def beside_columns(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], boxhead: Sequence[int], stated: int | None
) -> list[int]:
    """Label columns right of the body: words only, beside columns that are headed by periods.

    Beside columns of other kinds a column of words is one more measure of a list.

    Args:
        sheet: the sheet.
        rows: the block's rows.
        columns: its columns right of the stub.
        boxhead: its heading rows.
        stated: how many there are, if that is stated.

    >>> sheet = Sheet.of([["Quay", "Jan", "Feb", "Remarks"], ["East", 1, 2, "as counted"], ["West", 3, 4, None]])
    >>> import numpy as np
    >>> beside_columns(sheet, np.arange(1, 3), np.arange(1, 4), [0], None)
    [3]
    """
    if stated is not None:
        return [int(column) for column in columns[len(columns) - stated :]] if stated else []
    if not boxhead or len(columns) < _FEWEST_PERIODS + 1:
        return []
    beside: list[int] = []
    for column in columns[::-1].tolist():
        filled = rows[sheet.filled[rows, column]]
        if not len(filled) or sheet.data[filled, column].any() or not sheet.filled[list(boxhead), column].any():
            break
        beside.append(column)
    left = columns[: len(columns) - len(beside)]
    return beside[::-1] if beside and len(left) >= _FEWEST_PERIODS and _are_periods(sheet, boxhead, left) else []


def _are_periods(sheet: Sheet, boxhead: Sequence[int], columns: NDArray[np.intp]) -> bool:
    for row in boxhead:
        texts = [label(sheet.at(row, int(column))) for column in columns if sheet.filled[row, column]]
        plain = [text for text in texts if not total_word(text) and not average_word(text)]
        if len(plain) >= _FEWEST_PERIODS and period_name(plain):
            return True
    return False


def mark_columns(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], boxhead: Sequence[int]
) -> list[tuple[int, int]]:
    """Columns of marks without a heading of their own, each with the column of values that it stands beside.

    >>> sheet = Sheet.of([["Quay", "2031", None], ["East", 1, "p"], ["West", 3, None]])
    >>> import numpy as np
    >>> mark_columns(sheet, np.arange(1, 3), np.arange(1, 3), [0])
    [(2, 1)]
    """
    found = []
    for before, column in zip(columns[:-1].tolist(), columns[1:].tolist(), strict=True):
        headed = bool(boxhead) and bool(sheet.filled[boxhead[-1], column])
        filled = rows[sheet.filled[rows, column]]
        if headed or not len(filled) or not (sheet.kinds[filled, column] == Kind.TEXT).all():
            continue
        short = all(len(sheet.text(int(row), column)) <= _LONGEST_MARK for row in filled)
        words = not sheet.data[filled, column].any()
        if short and words and sheet.data[filled, before].all():
            found.append((column, before))
    return found
