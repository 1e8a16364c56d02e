"""Columns at a block's edges that are no body: labels that stand right of it, marks that stand beside its values."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import average_word, is_ratio, says_note, says_rank, says_whole, total_word
from kebrin.layout.labels import label
from kebrin.layout.split import FIRST_YEAR, LAST_YEAR

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

    from kebrin.layout.frame import Frame

# A flag beside a value ("p" for provisional) is this short; a column of remarks is longer somewhere.
_LONGEST_MARK = 3
_FEWEST_PERIODS, _SERIES = 2, 4
_MOST_MARKS = 8


def beside_columns(
    sheet: Sheet,
    rows: NDArray[np.intp],
    columns: NDArray[np.intp],
    boxhead: Sequence[int],
    stated: Sequence[str] | None,
) -> list[int]:
    """Label columns right of the body: words only, beside columns that are headed by periods.

    Beside columns of other kinds a column of words is one more measure of a list.

    Args:
        sheet: the sheet.
        rows: the block's rows.
        columns: its columns right of the stub.
        boxhead: its heading rows.
        stated: their names, if these are stated; they go by the sheet's headings, or by place from the right.

    >>> sheet = Sheet.of([["Quay", "Jan", "Feb", "Remarks"], ["East", 1, 2, "as counted"], ["West", 3, 4, None]])
    >>> import numpy as np
    >>> beside_columns(sheet, np.arange(1, 3), np.arange(1, 4), [0], None)
    [3]
    """
    if stated is not None:
        wanted = {name.casefold() for name in stated}
        named = [
            column for column in columns.tolist() if boxhead and sheet.text(boxhead[-1], column).casefold() in wanted
        ]
        return named if len(named) == len(stated) else columns[len(columns) - len(stated) :].tolist() if stated else []
    if not boxhead or len(columns) < _FEWEST_PERIODS + 1:
        return []
    beside = _of_whole_rows(sheet, rows, columns.tolist(), boxhead)
    left = columns[~np.isin(columns, beside)]
    if not beside or len(left) < _FEWEST_PERIODS:
        return []
    row = _period_row(sheet, boxhead, left)
    if row is None:
        return []
    # A column of words that a period heads is one of the body in which nothing was counted.
    series = [label(sheet.at(row, int(column))) for column in left if sheet.filled[row, column]]
    plain = [text for text in series if not total_word(text) and not average_word(text)]
    return [
        column for column in beside
        if not period_name([*plain, sheet.text(row, column)])
        and (len(plain) >= _SERIES or _says_of_rows(sheet, rows, column, boxhead))
    ]  # fmt: skip


def labels_among(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> int:
    """The one column of a body that labels its rows, where nothing before it does: words, each said once, among figures; or -1.

    >>> sheet = Sheet.of([["2030", "Quay", "2031"], [12, "Brae", 13], [9, "Wick", 8]])
    >>> import numpy as np
    >>> labels_among(sheet, np.arange(1, 3), np.arange(3))
    1
    """
    cells = np.ix_(rows, columns)
    words = np.flatnonzero(np.asarray(~sheet.data[cells].any(axis=0) & sheet.filled[cells].all(axis=0)))
    if len(words) != 1 or len(rows) < _FEWEST_PERIODS or len(columns) < _FEWEST_PERIODS:
        return -1
    column = int(columns[words[0]])
    texts = sheet.texts(rows, column)
    return column if len(set(texts)) == len(texts) else -1


def _of_whole_rows(sheet: Sheet, rows: NDArray[np.intp], columns: list[int], boxhead: Sequence[int]) -> list[int]:
    """The columns that may speak of whole rows: words, and figures behind all others; none that is headed as another one is.

    Figures between the columns of a body, and what is said again for each of these, speak of these.
    """
    may = [column for column in columns if _may_stand_beside(sheet, rows, column, boxhead)]
    others = [column for column in columns if column not in may]
    heads = Counter(sheet.text(boxhead[-1], column) for column in columns)
    return [
        column
        for column in may
        if heads[sheet.text(boxhead[-1], column)] == 1
        and (not sheet.data[rows, column].any() or column > max(others, default=-1))
    ]


def _may_stand_beside(sheet: Sheet, rows: NDArray[np.intp], column: int, boxhead: Sequence[int]) -> bool:
    """Whether a column holds words only, or figures that say something of the values beside them: shares, ranks."""
    filled = rows[sheet.filled[rows, column]]
    if not len(filled) or not sheet.filled[list(boxhead), column].any():
        return False
    if not sheet.data[filled, column].any():
        return True
    return _says_of_rows(sheet, rows, column, boxhead) or _is_apart(sheet, column, boxhead)


def _is_apart(sheet: Sheet, column: int, boxhead: Sequence[int]) -> bool:
    """Whether a column of figures has a heading of its own that calls it no sum: beside a series of periods it is a label."""
    head = sheet.text(boxhead[-1], column)
    if period_name([head]):
        return False
    return (
        len(boxhead) == 1
        and any(map(str.isalpha, head))
        and not (total_word(head) or average_word(head) or says_whole(head))
    )


def _says_of_rows(sheet: Sheet, rows: NDArray[np.intp], column: int, boxhead: Sequence[int]) -> bool:
    """Whether a column holds words, or figures that its heading calls a share or a rank."""
    if not sheet.data[rows[sheet.filled[rows, column]], column].any():
        return True
    head = sheet.text(boxhead[-1], column)
    return len(boxhead) == 1 and (is_ratio(head) or says_rank(head)) and not total_word(head)


def _period_row(sheet: Sheet, boxhead: Sequence[int], columns: NDArray[np.intp]) -> int | None:
    """The heading row in which some columns are headed by periods."""
    for row in boxhead:
        texts = [label(sheet.at(row, int(column))) for column in columns if sheet.filled[row, column]]
        plain = [text for text in texts if not total_word(text) and not average_word(text) and not says_whole(text)]
        if len(plain) >= _FEWEST_PERIODS and period_name(plain):
            return row
    return None


def bare_marks(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[int]:
    """Columns of nothing but short marks, each right of figures that have a heading while it has none.

    They say nothing of where a body begins: dense ones would look like labels.

    >>> sheet = Sheet.of([["Quay", "Foot", None], ["East", 1, "p"], ["West", 3, "r"]])
    >>> bare_marks(sheet, np.arange(3), np.arange(3))
    [2]
    """
    found = []
    for before, column in zip(columns[:-1].tolist(), columns[1:].tolist(), strict=True):
        filled = rows[sheet.filled[rows, column]]
        if column != before + 1 or not len(filled) or not (sheet.kinds[filled, column] == Kind.TEXT).all():
            continue
        if sheet.data[filled, column].any() or not sheet.data[filled, before].all():
            continue
        above = rows[(rows < filled[0]) & sheet.filled[rows, before]]
        above = above[[_may_head(sheet, int(row), before) for row in above]] if len(above) else above
        merged = any(sheet.merge_at(int(row), column) for row in above)
        said = {sheet.text(int(row), column) for row in filled}
        figures = int(sheet.data[rows, before].sum())
        if len(above) and not merged and len(said) <= _MOST_MARKS and _are_marks(said, len(filled), figures):
            found.append(column)
    return found


def _are_marks(said: Collection[str], count: int, rows: int) -> bool:
    """Whether the texts of a column without a heading, so many of them on so many rows, are marks and no values.

    On every row a mark is a letter or a sign; words there ("yes", "no") are values whose heading is missing.

    >>> _are_marks({"p", "rev"}, 2, 9), _are_marks({"p"}, 9, 9), _are_marks({"yes", "no"}, 9, 9)
    (True, True, False)
    """
    longest = max(map(len, said))
    return longest <= _LONGEST_MARK and (count < rows or longest == 1 or not any(map(str.isalpha, said)))


def _may_head(sheet: Sheet, row: int, column: int) -> bool:
    """Whether a cell holds words, a date or a year."""
    if not sheet.data[row, column] or sheet.kinds[row, column] == Kind.DATE:
        return True
    number = sheet.numbers[row, column]
    return bool(FIRST_YEAR <= number <= LAST_YEAR and number % 1 == 0)


def mark_columns(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], boxhead: Sequence[int]
) -> list[tuple[int, int]]:
    """Columns of marks without a heading of their own, or one that says "Note" over and over, each with the values before it.

    >>> sheet = Sheet.of([["Quay", "2031", None], ["East", 1, "p"], ["West", 3, None]])
    >>> import numpy as np
    >>> mark_columns(sheet, np.arange(1, 3), np.arange(1, 3), [0])
    [(2, 1)]
    """
    found = []
    heads = [sheet.text(boxhead[-1], column) if boxhead else "" for column in columns.tolist()]
    again = {text for text, count in Counter(heads).items() if count > 1 and says_note(text)}
    for before, column, head in zip(columns[:-1].tolist(), columns[1:].tolist(), heads[1:], strict=True):
        headed = bool(boxhead) and bool(sheet.filled[list(boxhead), column].any())
        filled = rows[sheet.filled[rows, column]]
        if (headed and head not in again) or not len(filled) or not (sheet.kinds[filled, column] == Kind.TEXT).all():
            continue
        said = {sheet.text(int(row), column) for row in filled}
        words = not sheet.data[filled, column].any()
        if words and _are_marks(said, len(filled), len(rows)) and sheet.data[filled, before].all():
            found.append((column, before))
    return found


def with_sides(sheet: Sheet, frame: Frame | None) -> Frame | None:
    """A frame with the columns of sides ("DR", "CR") beside its figures among its marks: the figures' signs say what these do."""
    if frame is None or not sheet.readings.sides:
        return frame
    own = {*frame.columns.tolist(), *frame.stub}
    more = tuple((column, column - 1) for column in sheet.readings.sides if column - 1 in own)
    return replace(frame, marks=(*frame.marks, *more)) if more else frame
