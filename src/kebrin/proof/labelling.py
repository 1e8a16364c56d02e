"""Whether every label of a table stands where it may: on its values' line, merged over it, or before it with nothing between."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache, partial
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, Sheet, as_label, lettered_mark, neat, trailing_mark
from kebrin.grammar.words import KEYED, of_which, without_comment, without_continued, without_of_which
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Sequence

    from numpy.typing import NDArray

    from kebrin.table import Labels, Segment, Table

    Flags = NDArray[np.bool_]


_LETTERED = re.compile(r"([a-z])[.:)]?\s+[^\W\d_]")


@dataclass(frozen=True, eq=False)
class Checked:
    """One level of labels: the cells that arrived by it, and those that stand where they may not."""

    labels: Labels
    cells: NDArray[np.intp]
    what: str = ""
    broken: list[tuple[int, int]] | None = None
    carried: int = 0
    crosses: bool = False  # whether only a merge that the sheet has crosses another one: spanners may


def lines_in_use(segment: Segment) -> tuple[Flags, Flags]:
    """Which body rows and which column groups some record of the table uses."""
    rows, width = len(segment.rows), segment.width
    if segment.kept is None:
        return np.ones(rows, np.bool_), np.ones(width, np.bool_)
    used_rows, used_groups = np.zeros(rows, np.bool_), np.zeros(width, np.bool_)
    used_rows[segment.kept // max(width, 1)] = True
    used_groups[segment.kept % max(width, 1)] = True
    return used_rows, used_groups


def check_labels(sheet: Sheet, segment: Segment, table: Table, aside: tuple[Flags, Flags]) -> list[Checked]:
    """Check every level of labels of one block.

    Args:
        sheet: the sheet.
        segment: the block's origins.
        table: the block's table.
        aside: rows and columns that were left out as whole lines.
    """
    in_use = lines_in_use(segment)
    found = []
    for axis, measure in dict.fromkeys((one.axis, one.measure) for one in segment.sources):
        levels = [one for one in segment.sources if (one.axis, one.measure) == (axis, measure)]
        for at, labels in enumerate(levels):
            found.append(_check(sheet, segment, table, labels, levels[:at], levels[at + 1 :], in_use, aside))
    return found


def _check(
    sheet: Sheet, segment: Segment, table: Table, labels: Labels, outer: Sequence[Labels], inner: Sequence[Labels],
    in_use: tuple[Flags, Flags], aside: tuple[Flags, Flags],
) -> Checked:  # fmt: skip
    axis = labels.axis
    used = in_use[axis] & (labels.rows >= 0)
    lines = _lines(segment, labels)[used]
    rows, columns = labels.rows[used], labels.columns[used]
    flat = arrays.distinct(rows.astype(np.intp) * sheet.shape[1] + columns)
    cells = np.stack(np.divmod(flat, sheet.shape[1]), axis=1)
    wrong = _wrong_texts(sheet, segment, table, labels, used) if labels.column in table.columns else []
    if wrong:
        return Checked(labels, cells, f"{labels.column}: labels are not what their cells say", wrong)
    source = rows if axis == 0 else columns
    lane = columns if axis == 0 else rows
    direct = source == lines
    merged = ~direct & _covered(sheet, rows, columns, lines, axis)
    over = np.flatnonzero(merged)
    crossed = over[_outer_later(outer, used, over, lines, source, axis, sheet)]
    if len(crossed):
        broken = [(int(rows[at]), int(columns[at])) for at in crossed.tolist()]
        what = f"{labels.column}: a label is merged over lines of which the level outside it says unlike things"
        return Checked(labels, cells, what, list(dict.fromkeys(broken)), crosses=True)
    rest = np.flatnonzero(~direct & ~merged)
    if not len(rest):
        return Checked(labels, cells)
    bad = _not_carried(
        sheet, lines[rest], source[rest], lane[rest], axis, _own_sources(labels), _sources(inner) | _heads(segment), aside
    ) | _outer_later(outer, used, rest, lines, source, axis, sheet)  # fmt: skip
    broken = [(int(rows[at]), int(columns[at])) for at in rest[bad].tolist()]
    what = f"{labels.column}: labels are not on, over or before the lines that bear them with nothing between"
    return Checked(labels, cells, what if broken else "", list(dict.fromkeys(broken)) or None, int((~bad).sum()))


def _lines(segment: Segment, labels: Labels) -> NDArray[np.int32]:
    """The sheet's row of each body line, or the column of each group."""
    if labels.axis == 0:
        return segment.rows
    return segment.columns[labels.measure] if labels.measure else next(iter(segment.columns.values()))


def _covered(
    sheet: Sheet, rows: NDArray[np.int32], columns: NDArray[np.int32], lines: NDArray[np.int32], axis: int
) -> Flags:
    """Which labels are merged over their line."""
    covered = np.zeros(len(rows), np.bool_)
    if not sheet.merges:
        return covered
    areas = {(area.top, area.left): area for area in sheet.merges}
    for at, (row, column, line) in enumerate(zip(rows.tolist(), columns.tolist(), lines.tolist(), strict=True)):
        area = areas.get((row, column))
        if area is not None:
            covered[at] = area.top <= line <= area.bottom if axis == 0 else area.left <= line <= area.right
    return covered


def _sources(levels: Sequence[Labels]) -> set[tuple[int, int]]:
    return {cell for one in levels for cell in zip(one.rows.tolist(), one.columns.tolist(), strict=True)}


def _heads(segment: Segment) -> set[tuple[int, int]]:
    """The cells that name columns: they label no line."""
    return {one.head for one in segment.sources}


def _own_sources(labels: Labels) -> set[tuple[int, int]]:
    return _sources([labels])


def _not_carried(
    sheet: Sheet, lines: NDArray[np.int32], source: NDArray[np.int32], lane: NDArray[np.int32], axis: int,
    own: set[tuple[int, int]], inner: set[tuple[int, int]], aside: tuple[Flags, Flags],
) -> Flags:  # fmt: skip
    """Which labels are not carried to their line with nothing between: filled cells of the lane that are no inner labels."""
    bad = np.zeros(len(lines), np.bool_)
    for one in sorted(set(lane.tolist())):
        here = lane == one
        filled = (sheet.filled[:, one] if axis == 0 else sheet.filled[one, :]).copy()
        filled[aside[axis][: len(filled)]] = False
        for at in np.flatnonzero(filled).tolist():
            cell = (at, one) if axis == 0 else (one, at)
            if cell in inner and cell not in own:
                filled[at] = False
        before = np.concatenate(([0], np.cumsum(filled)))
        low, high = np.minimum(source[here], lines[here]), np.maximum(source[here], lines[here])
        # Between them, the line's own cell in the lane included where the label stands before it.
        forward = source[here] < lines[here]
        between = np.where(forward, before[high + 1] - before[low + 1], before[high] - before[low])
        bad[here] = between > 0
    return bad


def _outer_later(
    outer: Sequence[Labels], used: Flags, rest: NDArray[np.intp], lines: NDArray[np.int32], source: NDArray[np.int32],
    axis: int, sheet: Sheet,
) -> Flags:  # fmt: skip
    """Which carried labels stand before a label of an outer level that says something else than where they come from."""
    bad = np.zeros(len(rest), np.bool_)
    for level in outer if len(rest) else ():
        theirs = (level.rows if axis == 0 else level.columns)[used]
        said = [
            sheet.text(row, column) if row >= 0 else ""
            for row, column in zip(level.rows[used].tolist(), level.columns[used].tolist(), strict=True)
        ]
        at_line = dict(zip(lines.tolist(), said, strict=True))
        for number, at in enumerate(rest.tolist()):
            first, last = sorted((int(source[at]), int(lines[at])))
            if first < theirs[at] <= last and said[at] != at_line.get(int(source[at])):
                bad[number] = True
    return bad


def _wrong_texts(sheet: Sheet, segment: Segment, table: Table, labels: Labels, used: Flags) -> list[tuple[int, int]]:
    """Cells whose labels are not what they say, footnote marks set apart."""
    column = table.data.column(labels.column).combine_chunks()
    if not pa.types.is_dictionary(column.type) or len(column) != len(segment) or not len(column):
        return []
    width = max(segment.width, 1)
    records = np.arange(len(column)) if segment.kept is None else segment.kept
    line = records // width if labels.axis == 0 else records % width
    codes = arrays.codes_of(column)
    if segment.kept is None:
        return _wrong_in_grid(sheet, segment, column, codes, labels, used)
    texts = np.array([*column.dictionary.to_pylist(), None], dtype=object)
    first = np.full(len(labels.rows), -1)
    first[line[::-1]] = np.arange(len(line))[::-1]
    wrong_line = np.zeros(len(labels.rows), np.bool_)
    notes = cache(partial(_letters_of_notes, sheet))
    wrong_line[line[codes != codes[first[line]]]] = True
    lines = np.flatnonzero(used)
    said = texts[codes[first[lines]]]
    values = sheet.values[labels.rows[lines], labels.columns[lines]]
    wrong = lines[wrong_line[lines]].tolist()
    for at in np.flatnonzero(values != said).tolist():
        if not _says(values[at], said[at], labels) and not _but_for_a_letter(values[at], said[at], notes):
            wrong.append(int(lines[at]))
    return [(int(labels.rows[at]), int(labels.columns[at])) for at in dict.fromkeys(wrong)]


def _wrong_in_grid(
    sheet: Sheet, segment: Segment, column: pa.DictionaryArray, codes: NDArray[np.int64], labels: Labels, used: Flags
) -> list[tuple[int, int]]:
    """The same where every record is there: the codes are a grid of lines by groups, looked at without counting records."""
    grid = codes.reshape(len(segment.rows), segment.width)
    grid = grid if labels.axis == 0 else grid.T
    lines = np.flatnonzero(used)
    notes = cache(partial(_letters_of_notes, sheet))
    same = (grid == grid[:, :1]).all(axis=1)
    said = np.array([*column.dictionary.to_pylist(), None], dtype=object)[grid[lines, 0]]
    values = sheet.values[labels.rows[lines], labels.columns[lines]]
    wrong = [int(at) for at in lines[~same[lines]].tolist()]
    wrong += [
        int(lines[at])
        for at in np.flatnonzero(values != said).tolist()
        if not _says(values[at], said[at], labels) and not _but_for_a_letter(values[at], said[at], notes)
    ]
    return [(int(labels.rows[at]), int(labels.columns[at])) for at in dict.fromkeys(wrong)]


def _but_for_a_letter(value: object, text: str | None, notes: Callable[[], Collection[str]]) -> bool:
    """Whether a cell says a label and, behind a blank, a letter that a note on the sheet begins with."""
    bare, _, letter = neat(as_label(value)).rpartition(" ")
    return text == bare and len(letter) == 1 and letter.islower() and letter in notes()


def _letters_of_notes(sheet: Sheet) -> frozenset[str]:
    """The small letters that texts of a sheet begin with, before a word: notes explain them."""
    texts = (sheet.text(*at) for at in np.argwhere(sheet.kinds == Kind.TEXT).tolist())
    return frozenset(match[1] for text in texts if (match := _LETTERED.match(text)))


def _is_part(own: str, text: str, pattern: str, name: str) -> bool:
    """Whether a cell says a text where a pattern has this name, and something where it has others."""
    parts = re.split(r"(\{[^{}]+\})", pattern)
    sought = "".join(
        re.escape(text) if part == f"{{{name}}}" else ".+" if part.startswith("{") else re.escape(part)
        for part in parts
    )
    return re.fullmatch(sought, own) is not None


def _says(value: object, text: str | None, labels: Labels) -> bool:
    """Whether a cell says a label; before it may stand the column's name and a colon, or "of which", behind it "continued"."""
    own = as_label(value)
    if text is not None and (bare := without_continued(own)) != own and _says(bare, text, labels):
        return True
    if text is not None and of_which(own) and without_of_which(neat(own)) == text:
        return True
    if text is not None and (keyed := KEYED.fullmatch(without_comment(neat(own)))) and keyed["key"] == labels.column:
        return keyed["value"] == text
    if labels.pattern[0] and text is not None:
        return _is_part(neat(own), text, *labels.pattern)
    if labels.part and text is not None:
        bare = neat(trailing_mark(own)[0])
        return f" {bare} " in f" {text} " or f" {neat(own)} " in f" {text} "
    said = {own, neat(own), neat(trailing_mark(own)[0]), lettered_mark(own)[0]}
    return text is not None and (text in said or neat(text) == neat(own))
