"""Frames of lists: one header row, each row below it a record; nothing else is to be worked out."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.layout.doubts import record_doubt
from kebrin.layout.fields import is_field_line
from kebrin.layout.frame import Frame
from kebrin.layout.lists import (
    Listing,
    begins_with_amounts,
    find_records,
    heads_periods,
    labels_last,
    rows_across,
    without_foot,
)
from kebrin.layout.model import Evidence, Stated
from kebrin.layout.play import Play, hidden_lines
from kebrin.layout.word_lists import find_word_list

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.stating import Anchor

# So many cells of a row head columns of a table of words.
_FEWEST_HEADS = 2


def known_records(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Listing | None:
    """A list of records whose headings the file's format tells: every row below them is a record; None if it tells none.

    Columns that periods head are left to others: they may as well be a dimension.
    """
    head = sheet.hints.heads
    if head not in rows or len(columns) < 2 or rows[-1] <= head:
        return None
    heads = [sheet.text(head, int(column)) for column in columns]
    if not all(heads) or heads_periods(heads[1:]):
        return None
    ends = sheet.hints.ends if sheet.hints.ends >= 0 else int(rows[-1])
    over = rows_across(sheet, len(columns))
    below = without_foot(rows[(rows > head) & (rows <= ends)], over).tolist()
    if not below:
        return None
    sections = tuple(row for row in below if row in over) if below[0] in over else ()
    return Listing(head, tuple(columns.tolist()), tuple(row for row in below if row not in sections), sections=sections)


def as_records(sheet: Sheet, play: Play, anchor: Anchor | None, stated: Stated) -> Frame | None:
    """The frame of a list of records, unless something else is stated."""
    heads = stated.boxhead
    if (heads is not None and len(heads) != 1) or stated.beside or (anchor is not None and anchor.exact):
        return None
    width = 1 if stated.stub is None else len(stated.stub)
    known = known_records(sheet, play.rows, play.columns)
    found = known or find_records(sheet, play.rows, play.columns, balance=not play.several)
    if found is None or not 0 < width < len(play.columns) or (anchor is not None and anchor.row != found.head):
        return None
    if heads is not None and (stated.measures or None) != (None if found.across else heads[0]):
        return None  # another layout is stated
    if stated.cutins and not found.sections:
        return None
    if stated.stub is None and known is None and labels_last(sheet, found):
        found = replace(found, columns=(found.columns[-1], *found.columns[:-1]))
    elif stated.stub is None and known is None and begins_with_amounts(sheet, found):
        width = 0
    why = "the file says so" if known else "one row of headings, each over a column of its own kind"
    sure = 1.0 if known else 0.9
    doubts = () if known or heads is not None else _doubts(sheet, found)
    return _frame(
        play, found, width, Evidence("list", f"from {sheet.address(found.head, found.columns[0])}", why, sure), doubts
    )


def as_list(sheet: Sheet, play: Play, stated: Stated) -> Frame | None:
    """The frame of a list of words, where no figure shows a body."""
    found = find_word_list(sheet, play.rows, play.columns)
    if found is None:
        return None
    width = max(found.grouped, 1) if stated.stub is None else len(stated.stub)
    if width >= len(found.columns):
        return None
    outer = _outer_heads(sheet, play, found, width) if found.across else ()
    if stated.boxhead is not None and len(stated.boxhead) not in {1, len(outer) + 1}:
        return None
    outer = outer if stated.boxhead is None or len(stated.boxhead) > 1 else ()
    why = "one row of short headings over rows of words, each column mostly filled"
    doubts = () if stated.boxhead is not None else _doubts(sheet, found)
    where = f"from {sheet.address(found.head, found.columns[0])}"
    frame = _frame(play, found, width, Evidence("list", where, why, 0.8), doubts)
    return replace(frame, boxhead=(*outer, *frame.boxhead), heads=(*outer, *frame.heads))


def as_told(sheet: Sheet, play: Play, stated: Stated) -> Frame | None:
    """The frame of a table of words whose several rows of headings the file's format tells."""
    told = sheet.hints.spanned
    if told is None or stated.boxhead is not None:
        return None
    first, count, width = told
    width = width if stated.stub is None else len(stated.stub)
    rows = play.rows[play.rows >= first + count]
    rows = without_foot(rows, rows_across(sheet, len(play.columns)))
    heads = tuple(range(first, first + count))
    if not set(heads) <= set(play.rows.tolist()) or not len(rows) or not 0 < width < len(play.columns):
        return None
    evidence = Evidence("list", f"from {sheet.address(first, int(play.columns[0]))}", "the file says so")
    stub = tuple(play.columns[:width].tolist())
    return Frame(
        heads, heads, stub, rows, play.columns[width:], (evidence,), *hidden_lines(play), play.repeats, play.pages
    )


def _outer_heads(sheet: Sheet, play: Play, found: Listing, width: int) -> tuple[int, ...]:
    """Rows right above the headings of a table of words that head its body too: words from its first column on, no labels."""
    labels, body = np.array(found.columns[:width]), np.array(found.columns[width:])
    outer: list[int] = []
    for row in play.rows[play.rows < found.head][::-1].tolist():
        filled = sheet.filled[row, body]
        if row != found.head - len(outer) - 1 or not filled[0] or filled.sum() < _FEWEST_HEADS:
            break
        merged = {area.left for area in sheet.merges if area.top <= row <= area.bottom and area.right > area.left}
        spans = set(body[filled].tolist()) <= merged
        if sheet.filled[row, labels].any() or sheet.data[row, body].any() or (is_field_line(sheet, row) and not spans):
            break
        outer.insert(0, row)
    return tuple(outer)


def as_bare_list(sheet: Sheet, play: Play, stated: Stated) -> Frame | None:
    """The frame of a list of words that is stated to have no headings: every row is a record, its last cell the value."""
    if stated.boxhead != () or len(play.columns) < 2 or not len(play.rows):
        return None
    rows = play.rows[sheet.filled[np.ix_(play.rows, play.columns)].sum(axis=1) > 1]
    evidence = Evidence(
        "list", f"from {sheet.address(int(play.rows[0]), int(play.columns[0]))}", "no headings are stated"
    )
    stub = tuple(play.columns[:-1].tolist())
    return Frame(
        (), (), stub, rows, play.columns[-1:], (evidence,), *hidden_lines(play), play.repeats, play.pages, listed=True
    )


def _doubts(sheet: Sheet, found: Listing) -> tuple[Evidence, ...]:
    return record_doubt(sheet, found.head, np.array(found.records, np.intp), np.array(found.columns, np.intp))


def _frame(play: Play, found: Listing, width: int, evidence: Evidence, doubts: Sequence[Evidence]) -> Frame:
    rows = np.array(sorted({*found.records, *found.sections}), np.intp)
    boxhead = (found.head, *found.inner)
    heads = (*boxhead, found.units) if found.units >= 0 else boxhead
    return Frame(
        boxhead, heads, found.columns[:width], rows, np.array(found.columns[width:], np.intp),
        (evidence, *doubts),
        *hidden_lines(play), tuple(sorted({*play.repeats, *found.repeats})), play.pages,
        listed=not found.across, grouped=found.grouped > 0, sections=found.sections,
        comments=tuple(sorted({*found.comments, *(row for row in play.comments if found.head < row < rows[-1])})),
    )  # fmt: skip
