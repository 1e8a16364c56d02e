"""The rows and columns in play: those of a sheet that are neither blank nor hidden, and those of one region."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import KEYED, is_drawn
from kebrin.layout.fields import key_lines, leading_field_lines, trailing_field_lines

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.regions import Region
    from kebrin.layout.stating import Anchor


# A column with no more cells than this, all of them texts, may be remarks beside a table that has so many columns at least.
# Keys above a table stand in the first rows.
_FIRST_ROWS = 60
_ASIDE_CELLS, _FEWEST_COLUMNS = 2, 3
_COMMENT_SIGNS = ("#", "//", ";;", "--", "%")


@dataclass(frozen=True)
class Play:
    """The rows and columns in play: not blank, not hidden."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    hidden_rows: tuple[int, ...]
    hidden_columns: tuple[int, ...]
    repeats: tuple[int, ...] = ()
    pages: tuple[int, ...] = ()
    comments: tuple[int, ...] = ()
    several: bool = False  # whether other blocks stand on the sheet

    def without(self, lines: Sequence[tuple[str, int]]) -> Play:
        """What is left when some lines are left out."""
        rows = [at for axis, at in lines if axis == "row"]
        columns = [at for axis, at in lines if axis == "column"]
        return replace(
            self, rows=self.rows[~np.isin(self.rows, rows)], columns=self.columns[~np.isin(self.columns, columns)]
        )

    def within(self, region: Region) -> Play:
        """Only what lies in a region."""
        return replace(self, rows=region.rows, columns=region.columns, repeats=region.repeats, pages=region.pages)


def hidden_lines(play: Play) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """The hidden rows and the hidden columns."""
    return play.hidden_rows, play.hidden_columns


def in_play(sheet: Sheet) -> Play:
    """What is in play on a whole sheet."""
    hidden_rows: tuple[int, ...] = ()
    hidden_columns: tuple[int, ...] = ()
    if sheet.has_hidden_lines:
        formats = sheet.formats()
        hidden_rows = tuple(sorted(row for row in formats.hidden_rows if row < sheet.shape[0]))
        hidden_columns = tuple(sorted(column for column in formats.hidden_columns if column < sheet.shape[1]))
    rows = _but(np.flatnonzero(sheet.filled.any(axis=1)), hidden_rows)
    columns = _but(np.flatnonzero(sheet.filled.any(axis=0)), hidden_columns)
    if sheet.is_turned:  # a file's row of one cell is a title or a note, and no field of records that lie across
        columns = columns[sheet.filled[np.ix_(rows, columns)].sum(axis=0) > 1]
    columns = _but(columns, _asides(sheet, rows, columns))
    columns = _but(columns, _pairs_beside(sheet, rows, columns))
    comments = (*comment_lines(sheet, rows), *rule_lines(sheet, rows), *closing_lines(sheet, rows))
    rows = _but(rows, (*leading_field_lines(sheet, rows), *trailing_field_lines(sheet, rows), *key_lines(sheet, rows)))
    return Play(_but(rows, comments), columns, hidden_rows, hidden_columns, comments=comments)


def comment_lines(sheet: Sheet, rows: NDArray[np.intp]) -> tuple[int, ...]:
    """The lines of a text that are comments: one text behind a sign that the text begins with too.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["# as counted"], ["Quay", "Cars"], ["East", 3], ["# late"], ["West", 4]])
    >>> comment_lines(sheet, np.arange(5)), comment_lines(replace(sheet, textual=True), np.arange(5))
    ((), (0, 3))
    """
    if not sheet.textual or not len(rows) or not _comment_sign(sheet, int(rows[0])):
        return ()
    alone = rows[sheet.filled[rows].sum(axis=1) == 1].tolist()
    found = [row for row in alone if _comment_sign(sheet, row) == _comment_sign(sheet, int(rows[0]))]
    heads = _keyed_alike(sheet, found)
    return tuple(row for row in found if row not in heads)


def _keyed_alike(sheet: Sheet, rows: Sequence[int]) -> set[int]:
    """Comments that say unlike things under one key ("# Station: Brae", "# Station: Wick"): each heads what follows."""
    found: dict[str, dict[int, str]] = {}
    for row in rows:
        match = KEYED.fullmatch(sheet.text(row, int(sheet.filled[row].argmax())).lstrip("#/;-% "))
        if match is not None:
            found.setdefault(match["key"].casefold(), {})[row] = match["value"]
    return {row for said in found.values() if len(set(said.values())) > 1 for row in said}


def rule_lines(sheet: Sheet, rows: NDArray[np.intp]) -> tuple[int, ...]:
    """Rows of several cells that hold nothing but drawn lines.

    >>> from kebrin.cells import Sheet
    >>> rule_lines(Sheet.of([["Quay", "Cars"], ["---", "----"], ["East", "--"]]), np.arange(3))
    (1,)
    """
    if not len(rows):
        return ()
    filled = sheet.filled[rows]
    first = sheet.values[rows, filled.argmax(axis=1)].tolist()
    return tuple(
        int(rows[at])
        for at, text in enumerate(first)
        if isinstance(text, str) and is_drawn(text.strip()) and filled[at].sum() > 1
        and all(is_drawn(sheet.text(int(rows[at]), column)) for column in np.flatnonzero(filled[at]).tolist())
    )  # fmt: skip


def closing_lines(sheet: Sheet, rows: NDArray[np.intp]) -> tuple[int, ...]:
    """Rows of keys with what they say right below figures, with a gap behind them: they speak of what stands above.

    >>> from kebrin.cells import Sheet
    >>> grid = [["Quay", "Fee"], ["East", 3], ["let: 5", "free: 2"], [None, None], ["Quay: West", None], ["Wick", 4]]
    >>> closing_lines(Sheet.of(grid), np.array([0, 1, 2, 4, 5]))
    (2,)
    """
    found: list[int] = []
    filled = sheet.filled[rows]
    firsts = sheet.values[rows, filled.argmax(axis=1)].tolist()
    begins = _keys_above(sheet, rows)
    for at, text in enumerate(firsts):
        row = int(rows[at])
        if not at or not isinstance(text, str) or ":" not in text or int(rows[at - 1]) != row - 1:
            continue
        cells = np.flatnonzero(filled[at]).tolist()
        above = found[-1:] == [row - 1] or sheet.data[row - 1].any()
        said = [KEYED.fullmatch(sheet.text(row, column)) for column in cells]
        if above and all(said) and not {match["key"].casefold() for match in said if match} & begins:
            found.append(row)
    ends = {int(row) for row, below in zip(rows, [*rows[1:], -1], strict=True) if below != row + 1}
    return tuple(row for row in found if _run_ends(found, row) in ends)


def _keys_above(sheet: Sheet, rows: NDArray[np.intp]) -> set[str]:
    """The keys that stand above the first figures, in small letters: where one comes again, it begins the next block."""
    found: set[str] = set()
    for row in rows[:_FIRST_ROWS].tolist():
        texts = [sheet.text(row, column) for column in np.flatnonzero(sheet.filled[row]).tolist()]
        matches = [match for text in texts if (match := KEYED.fullmatch(text))]
        if sheet.data[row].any() and not matches:
            break
        found |= {match["key"].casefold() for match in matches}
    return found


def _run_ends(rows: Sequence[int], row: int) -> int:
    """The last of the rows that follow one without a gap."""
    while row + 1 in rows:
        row += 1
    return row


def _comment_sign(sheet: Sheet, row: int) -> str:
    """The sign that a line's first text begins with, if it is one for comments; ''."""
    text = str(sheet.values[row, int(sheet.filled[row].argmax())]).lstrip()
    return next((sign for sign in _COMMENT_SIGNS if text.startswith(sign)), "")


def _but(lines: NDArray[np.intp], others: Sequence[int]) -> NDArray[np.intp]:
    """Lines without some of them."""
    if not len(others):
        return lines
    out = set(others)
    return lines[[line not in out for line in lines.tolist()]]


def _asides(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[int]:
    """Columns that hold a text or two beside a gap and nothing else: remarks beside a table, a unit between two.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Quay", "Boats", None, "as counted"], ["East", 3, None, None], ["West", 4, None, None]])
    >>> _asides(sheet, np.arange(3), np.array([0, 1, 3]))
    [3]
    """
    if len(columns) < _FEWEST_COLUMNS or len(rows) < _FEWEST_COLUMNS:
        return []
    filled = sheet.filled[np.ix_(rows, columns)]
    data = sheet.data[np.ix_(rows, columns)]
    few = (filled.sum(axis=0) <= _ASIDE_CELLS) & ~data.any(axis=0)
    found = []
    for at in np.flatnonzero(few).tolist():
        column = int(columns[at])
        alone = not at or sheet.gaps[1][column] > sheet.gaps[1][columns[at - 1]]
        own = np.flatnonzero(filled[:, at])
        over = bool(at) and bool((data[own[-1] + 1 :, at - 1]).any()) and at + 1 < len(columns)
        # Between two blocks: nothing stands below it, and it is in none of the rows that head both sides.
        between = (
            over and own[-1] < 3 and filled[own].sum() <= _ASIDE_CELLS * (_ASIDE_CELLS + 2) and _is_gap(filled, at)
        )
        merged = any(
            area.holds(int(rows[one]), column) and area.right > area.left for one in own for area in sheet.merges
        )
        if not merged and at and (alone or between):
            found.append(column)
    return found


def _pairs_beside(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[int]:
    """The last two columns if they are names with a colon and what they say, beside a table, though no gap parts them.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Quay", "Jan", "Feb", "Port:", "Wick"], ["East", 3, 4, "Status:", "final"], ["West", 4, 5]])
    >>> _pairs_beside(sheet, np.arange(3), np.arange(5))
    [3, 4]
    """
    if len(columns) < _FEWEST_COLUMNS + 2 or len(rows) < _FEWEST_COLUMNS:
        return []
    names, said = (int(column) for column in columns[-2:])
    named, own = sheet.filled[rows, names], sheet.filled[rows, said]
    if named.sum() < 2 or (own & ~named).any() or not own.any():
        return []
    colons = all(sheet.text(int(row), names).endswith(":") for row in rows[named])
    return [names, said] if colons and not any(area.right >= names > area.left for area in sheet.merges) else []


def _is_gap(filled: NDArray[np.bool_], at: int) -> bool:
    """Whether most rows are filled on both sides of a column, and blank in it."""
    both = filled[:, at - 1] & filled[:, at + 1]
    return bool(both.sum() >= 3 and not filled[both, at].any())


def from_anchor(play: Play, anchor: Anchor) -> Play:
    """Only what lies at or below a stated first cell; a stub head leaves what is left of it in play."""
    if not anchor.exact:
        return play
    return replace(play, rows=play.rows[play.rows >= anchor.row], columns=play.columns[play.columns >= anchor.column])
