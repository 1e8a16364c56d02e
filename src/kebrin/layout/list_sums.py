"""What sums up others in a list of records: labels that speak of all, and a figure alone below the last."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import says_whole, total_word, without_total_word

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

# So many letters of a heading tell that a label speaks of all that stands below it: "All ports" under "Port".
_STEM = 3


def sums_column(sheet: Sheet, rows: NDArray[np.intp], used: NDArray[np.intp]) -> bool:
    """Whether the last of some rows holds one figure, the sum of those above it, which are two or more.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["T1", 12.5], ["T2", 4], [None, 16.5]])
    >>> sums_column(sheet, np.arange(3), np.arange(2)), sums_column(sheet, np.arange(2), np.arange(1, 2))
    (True, False)
    """
    (column,) = used[sheet.filled[rows[-1], used]][:1].tolist()
    numbers = sheet.numbers[rows, column]
    above = numbers[:-1][~np.isnan(numbers[:-1])]
    slack = 1e-9 * max(float(np.abs(above).sum()), 1.0)
    return len(above) > 1 and numbers[-1] != 0 and abs(float(above.sum()) - float(numbers[-1])) <= slack


def name_totals(sheet: Sheet, rows: NDArray[np.intp], columns: Mapping[int, str]) -> bool:
    """Whether labels say "Total" or "All" and nothing else on several rows, or "All ports" under "Port": they sum up others.

    Args:
        sheet: the sheet.
        rows: the records.
        columns: the label columns with their headings.
    """
    found = 0
    for column, head in columns.items():
        name = head.casefold()[:_STEM]
        for text, count in Counter(sheet.texts(rows, column)).items():
            bare = total_word(text) and not without_total_word(text)
            whole = says_whole(text) and (" " not in text or (len(name) == _STEM and f" {name}" in text.casefold()))
            found += count if bare or whole else 0
    return found > 1
