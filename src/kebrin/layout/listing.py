"""Frames of lists: one header row, each row below it a record; nothing else is to be worked out."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kebrin.cells import Sheet, a1
from kebrin.layout.build import Frame
from kebrin.layout.lists import find_records, find_word_list
from kebrin.layout.model import Evidence, Stated
from kebrin.layout.play import Play, hidden_lines

if TYPE_CHECKING:
    from kebrin.layout.stating import Anchor


def as_records(sheet: Sheet, play: Play, anchor: Anchor | None, stated: Stated) -> Frame | None:
    """The frame of a list of records, unless something else is stated."""
    heads = stated.boxhead
    other = heads is not None and (len(heads) != 1 or stated.measures != heads[0])
    if other or stated.beside or stated.cutins or (anchor is not None and anchor.exact):
        return None
    width = 1 if stated.stub is None else len(stated.stub)
    found = find_records(sheet, play.rows, play.columns)
    if found is None or not 0 < width < len(play.columns) or (anchor is not None and anchor.row != found[0]):
        return None
    head, last = found
    why = "one row of headings, each over a column of its own kind"
    return Frame(
        (head,), (head,), tuple(play.columns[:width].tolist()), play.rows[(play.rows > head) & (play.rows <= last)],
        play.columns[width:], (Evidence("list", f"from {a1(head, int(play.columns[0]))}", why, 0.9),), *hidden_lines(play),
        play.repeats, listed=True,
    )  # fmt: skip


def as_list(sheet: Sheet, play: Play, stated: Stated) -> Frame | None:
    """The frame of a list of words, where no figure shows a body."""
    found = find_word_list(sheet, play.rows, play.columns)
    if found is None or (stated.boxhead is not None and len(stated.boxhead) != 1):
        return None
    head, last = found
    used = play.columns[sheet.filled[head, play.columns]]
    width = 1 if stated.stub is None else len(stated.stub)
    if width >= len(used):
        return None
    why = "one row of short headings over rows of words, each column mostly filled"
    return Frame(
        (head,), (head,), tuple(used[:width].tolist()), play.rows[(play.rows > head) & (play.rows <= last)], used[width:],
        (Evidence("list", f"from {a1(head, int(used[0]))}", why, 0.8),), *hidden_lines(play), play.repeats, listed=True,
    )  # fmt: skip
