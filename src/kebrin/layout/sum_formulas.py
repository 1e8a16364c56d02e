"""Formulas as evidence: a SUM over the cells above or beside it says what a line is, with or without a word."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from kebrin.cells import parse_a1
from kebrin.layout.depths import SMALL

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from kebrin.cells import Sheet

_SUM = re.compile(
    r"(?:SUM|SUBTOTAL)\(\s*(?:\d+\s*[,;]\s*)?(?P<first>\$?[A-Z]{1,3}\$?\d+):(?P<last>\$?[A-Z]{1,3}\$?\d+)",
    re.IGNORECASE,
)


def summing_lines(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> tuple[set[int], set[int]]:
    """Rows with a formula that sums cells of its own column, and columns with one that sums cells of its own row.

    Formulas are read for small blocks only: in large ones the figures themselves leave no doubt.

    >>> import numpy as np
    >>> from kebrin.cells import Formats, Sheet
    >>> look = lambda rows: Formats(formulas={(2, 1): "SUM(B1:B2)"})
    >>> values = np.array([["a", 1.0], ["b", 2.0], ["c", 3.0]], dtype=object)
    >>> sheet = Sheet("S", values, Sheet.of(values).kinds, look_up_formats=look)
    >>> summing_lines(sheet, np.arange(3), np.array([1]))
    ({2}, set())
    """
    if sheet.textual or len(rows) * len(columns) > SMALL:
        return set(), set()
    own_rows, own_columns = set(rows.tolist()), set(columns.tolist())
    down: set[int] = set()
    across: set[int] = set()
    for (row, column), formula in sheet.formats().formulas.items():
        match = _SUM.search(formula) if row in own_rows and column in own_columns else None
        if match is None:
            continue
        first, last = parse_a1(match["first"].replace("$", "")), parse_a1(match["last"].replace("$", ""))
        if first is None or last is None:
            continue
        if first[1] == last[1] == column and row not in range(first[0], last[0] + 1):
            down.add(row)
        elif first[0] == last[0] == row and column not in range(first[1], last[1] + 1):
            across.add(column)
    return down, across
