"""Which rows above a body are its headings, and which are titles, fields and heads of its rows."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.layout.fields import is_field_line, names_and_says

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.layout.play import Play

_DEEPEST = 4
# Lines left blank between parts of one block; more than this ends it.
MOST_SPACERS = 2
# Cut-in heads that can stand one inside another above the first body row.
_MOST_CUTINS = 2


def boxhead_rows(
    sheet: Sheet, play: Play, body_row: int, body_column: int, depth: int | None, anchor_row: int = 1 << 30
) -> tuple[int, ...]:
    """The heading rows above the body, outermost first; below a stated heading a lone label heads rows, not columns."""
    above = [int(row) for row in play.rows[play.rows < body_row]][::-1]
    columns = play.columns[play.columns >= body_column]
    above = [
        row for row in above if row <= anchor_row or sheet.filled[row].sum() > 1 or sheet.filled[row, columns].any()
    ]
    if depth is not None:
        usable = [row for row in above if sheet.filled[row, columns].any() or _spans_body(sheet, row, columns)]
        return tuple(sorted(usable[:depth]))
    taken: list[int] = []
    if is_stub_head_row(sheet, above, columns, body_row):
        body_row = above.pop(0)
    cutins = next((at for at, row in enumerate(above) if sheet.filled[row, columns].any()), 0)
    if cutins <= _MOST_CUTINS:
        # Heads that label the first rows of the body stand between it and the headings.
        body_row = above[cutins - 1] if cutins else body_row
        above = above[cutins:]
    for row in above:
        gap = int(sheet.gaps[0][taken[-1] if taken else body_row] - sheet.gaps[0][row]) + 1
        if len(taken) == _DEEPEST or gap > MOST_SPACERS or not _is_heading(sheet, row, columns, has_inner=bool(taken)):
            break
        if taken and _are_fields(sheet, row, taken[0], columns):
            break
        if gap > 1 and taken and all(sheet.filled[one, : columns[0]].any() for one in (row, taken[-1])):
            break  # the labels have their head below the gap: what stands above it says something else
        taken.append(row)
    return tuple(sorted(taken))


def _are_fields(sheet: Sheet, row: int, inner: int, columns: NDArray[np.intp]) -> bool:
    """Whether a row above the headings holds fields: pairs that begin left of the body, over a heading of their own there."""
    first = int(sheet.filled[row].argmax())
    return first < int(columns[0]) and bool(sheet.filled[inner, first]) and is_field_line(sheet, row)


def is_stub_head_row(sheet: Sheet, above: list[int], columns: NDArray[np.intp], body_row: int) -> bool:
    """Whether the row above the body holds stub heads alone, the headings standing above it.

    A cut-in head looks alike; it comes below headings that have their stub heads beside them.
    """
    if len(above) < 2 or body_row - above[0] != 1 or sheet.filled[above[0], columns].any():
        return False
    if sheet.filled[above[0], : columns[0]].sum() > 1:
        return bool(sheet.filled[above[1], columns].any())  # a cut-in head is one label
    below = np.arange(body_row, sheet.shape[0])
    labelled = np.asarray(sheet.filled[below, : columns[0]].any(axis=1))
    bare = labelled & ~np.asarray(sheet.filled[np.ix_(below, columns)].any(axis=1))
    if bare[: last_with_data(sheet, below, columns)].any():
        return False  # other labels stand alone too: they are cut-in heads all
    heading = [row for row in above[1 : 1 + _DEEPEST] if sheet.filled[row, columns].any()]
    return above[1] in heading and not sheet.filled[heading, : columns[0]].any()


def last_with_data(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> int:
    """How many of the rows there are up to the last that holds data."""
    with_data = np.flatnonzero(sheet.data[np.ix_(rows, columns)].any(axis=1))
    return int(with_data[-1]) + 1 if len(with_data) else 0


def _is_heading(sheet: Sheet, row: int, columns: NDArray[np.intp], *, has_inner: bool) -> bool:
    """Whether a row above the body heads its columns, and is not a title or a line of fields."""
    filled = columns[sheet.filled[row, columns]]
    if not len(filled) or names_and_says(sheet, row):
        return False
    beside = [sheet.text(row, column) for column in range(int(columns[0])) if sheet.filled[row, column]]
    named = sum(sheet.text(row, int(column)).endswith(":") for column in filled)
    if beside and beside[-1].endswith(":") and (len(filled) == 1 or named):
        return False  # fields and their values
    texts = [sheet.text(row, int(column)) for column in filled]
    if len(filled) == len(columns) > 1 and any(":" not in text for text in texts):
        return True  # "of which: foot" beside plain headings; a line of fields has gaps, or colons throughout
    if any(":" in text and sheet.kinds[row, column] == Kind.TEXT for text, column in zip(texts, filled, strict=True)):
        return all(text.replace(":", "").isdigit() for text in texts)  # times of day head columns, "Code: N4" does not
    if len(filled) == 1 and has_inner:
        merge = sheet.merge_at(row, int(filled[0]))
        # One heading over everything: a spanner if it is merged over body columns only, else a title.
        left_of_body = bool(sheet.filled[row, : columns[0]].any())
        return (merge is not None and merge.left == int(columns[0])) or (
            int(filled[0]) == int(columns[0]) and left_of_body
        )
    return True


def _spans_body(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    return sheet.merge_at(row, int(columns[0])) is not None
