"""Boxhead and stub repair: what each body column and body row is called, level by level.

Both are the same job on two axes: a grid of label cells (levels x lines), outermost level first, in which merges and
"blank means same as before" are to be filled, never past the label of the level outside. Only the boxhead's innermost
level is not filled: there a blank is a column without a heading.
"""

from __future__ import annotations

import itertools
from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.cells import Area, Kind, Sheet, as_label, lettered_mark, neat, trailing_mark
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import says_note, total_word
from kebrin.layout.model import MISSING, NO_COLUMN, Level

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

# Marks that stand for a footnote wherever they end a label; others count only if a note begins with them.
_SURE_MARKS = frozenset("*†‡§")
# So many notes that begin with a letter make a key.
# Of so many rows less than one is without a number where numbers are the rows' own.
_FEW_BLANKS = 4
_SERIES = 2


class Grid(NamedTuple):
    """Label cells as rows of levels.

    A text, None where blank; where a merge covers a cell from before it; the cell that each text comes from, counted row by
    row over the sheet, -1 for none.
    """

    texts: list[list[str | None]]
    merged: list[list[bool]]
    cells: list[list[int]]


def boxhead_levels(
    sheet: Sheet, rows: Sequence[int], columns: Sequence[int], names: Sequence[str], marks: Collection[str] = (),
    *, inner: bool = False,
) -> tuple[Level, ...]:  # fmt: skip
    """Repair a boxhead: one level per boxhead row over the body columns.

    Args:
        sheet: the sheet.
        rows: the boxhead rows, outermost first.
        columns: the body columns, spacers left out.
        names: a name per row; '' asks for one from the labels.
        marks: footnote marks that the notes explain.
        inner: put a heading merged downwards at its lowest level (measures) and not at its highest.
    """
    grid = _grid(sheet, rows, columns, marks, across=False, inner=inner)
    _centre(grid, columns)
    _fill(grid, levels=range(len(rows) - 1))
    return _levels(grid, rows, names)


def stub_levels(
    sheet: Sheet,
    rows: Sequence[int],
    columns: Sequence[int],
    names: Sequence[str],
    marks: Collection[str] = (),
    *,
    fill: bool = True,
) -> tuple[Level, ...]:
    """Repair a stub: one level per stub column over the given rows; blanks mean "same as above" unless `fill` is false.

    The number of a note speaks of its own row, and so do numbers that each row but a few has, each its own.
    """
    grid = _grid(sheet, columns, rows, marks, across=True, inner=False)
    if fill:
        _fill(
            grid, levels=[at for at, name in enumerate(names) if not (says_note(name) or _number_rows(grid.texts[at]))]
        )
    return _levels(grid, columns, names)


def _number_rows(texts: Sequence[str | None]) -> bool:
    """Whether labels are numbers, each said once, on nearly all rows: they number these.

    >>> _number_rows(["1", "2", "3", "4", None]), _number_rows(["2030", None, None, "2031", None, None])
    (True, False)
    """
    said = [text for text in texts if text is not None]
    return (
        len(said) * _FEW_BLANKS >= len(texts) * (_FEW_BLANKS - 1)
        and all(map(str.isdigit, said))
        and len(set(said)) == len(said)
    )


def _grid(
    sheet: Sheet,
    levels: Sequence[int],
    lines: Sequence[int],
    marks: Collection[str],
    *,
    across: bool,
    inner: bool,
) -> Grid:
    """Label cells with merges spread over the lines that they cover; `across` reads levels as columns (a stub)."""
    values = sheet.values[:, list(levels)].T if across else sheet.values[list(levels), :]
    kinds = sheet.kinds[:, list(levels)].T if across else sheet.kinds[list(levels), :]
    known: dict[object, str] = {}
    texts: list[list[str | None]] = []
    places: list[list[int]] = []
    own = np.array(lines, np.int64)
    for at, level in enumerate(levels):
        cells, blank = values[at, list(lines)].tolist(), kinds[at, list(lines)] == Kind.BLANK
        texts.append(
            [None if empty else _once(known, cell, marks) for cell, empty in zip(cells, blank.tolist(), strict=True)]
        )
        texts[-1] = _without_letters(texts[-1], marks)
        flat = own * sheet.shape[1] + level if across else level * sheet.shape[1] + own
        places.append(np.where(blank, MISSING, flat).tolist())
    merged = [[False] * len(lines) for _ in levels]
    level_of = {line: at for at, line in enumerate(levels)}
    line_of = {line: at for at, line in enumerate(lines)}
    for area in sheet.merges:
        _spread(sheet, area, level_of, line_of, Grid(texts, merged, places), marks, across=across, inner=inner)
    return Grid(texts, merged, places)


def _once(known: dict[object, str], value: object, marks: Collection[str]) -> str:
    """The label of a value, worked out once per distinct value (1.0 and True are two)."""
    key = value if isinstance(value, str) else (type(value), value)
    if key not in known:
        known[key] = label(value, marks)
    return known[key]


def _without_letters(texts: list[str | None], marks: Collection[str]) -> list[str | None]:
    """Labels without the letter behind a blank that notes explain ("Brae c" where notes begin with a, b and c).

    Not where the letter may be part of the name: most labels bear one ("Berth a", "Berth b"), or one would be said twice.
    """
    letters = {mark for mark in marks if len(mark) == 1 and mark.isascii() and mark.islower()}
    if len(letters) < _SERIES:
        return texts
    said = {text for text in texts if text}
    lettered = {text: text[:-2].rstrip() for text in said if text[-1] in letters and text[-2:-1] == " "}
    bare = [lettered.get(text, text) for text in said]
    if not lettered or 2 * len(lettered) > len(said) or len(set(bare)) < len(bare):
        return texts
    return [lettered.get(text, text) if text else text for text in texts]


def _spread(
    sheet: Sheet, area: Area, level_of: dict[int, int], line_of: dict[int, int], grid: Grid, marks: Collection[str],
    *, across: bool, inner: bool,
) -> None:  # fmt: skip
    if across:
        area = Area(area.left, area.top, area.right, area.bottom)
    levels = [level_of[at] for at in range(area.top, area.bottom + 1) if at in level_of]
    if not levels:
        return
    lines = [line_of[at] for at in range(area.left, area.right + 1) if at in line_of]
    anchor = (area.left, area.top) if across else (area.top, area.left)
    if not lines or sheet.kinds[anchor] == Kind.BLANK:
        return
    text = label(sheet.at(*anchor), marks)
    for at in levels:
        bears = at == (levels[-1] if inner else levels[0])
        for line in lines:
            grid.texts[at][line] = text if bears else None
            grid.cells[at][line] = anchor[0] * sheet.shape[1] + anchor[1] if bears else MISSING
            grid.merged[at][line] = True


def _centre(grid: Grid, columns: Sequence[int]) -> None:
    """Give headings that were centred by hand over their columns to all of these.

    The columns part at gaps, or where the headings below begin to repeat; a level of which each part holds one heading, not
    always the first of its columns, was centred.
    """
    for at in range(len(grid.texts) - 1):
        texts, cells = grid.texts[at], grid.cells[at]
        known = [line for line, text in enumerate(texts) if text is not None]
        if len(known) < 2 or known[0] == 0 or any(grid.merged[at]):
            continue
        below = list(zip(*grid.texts[at + 1 :], strict=True))
        for parts in (_at_gaps(columns), _at_repeats(below), _at_last_cycle(grid.texts[-1])):
            inside = [[line for line in known if first <= line < stop] for first, stop in parts]
            if len(parts) > 1 and all(len(found) == 1 for found in inside):
                for (first, stop), (line,) in zip(parts, inside, strict=True):
                    text, cell = texts[line], cells[line]
                    texts[first:stop] = [text] * (stop - first)
                    cells[first:stop] = [cell] * (stop - first)
                break


def _at_gaps(columns: Sequence[int]) -> list[tuple[int, int]]:
    """The parts of some columns between gaps."""
    starts = [at for at in range(len(columns)) if not at or columns[at] - columns[at - 1] > 1]
    return list(itertools.pairwise([*starts, len(columns)]))


def _at_repeats(below: Sequence[tuple[str | None, ...]]) -> list[tuple[int, int]]:
    """The parts of some columns whose headings repeat in turn: as long as the shortest run that says all of them."""
    for size in range(2, len(below) // 2 + 1):
        if len(below) % size == 0 and all(below[at] == below[at % size] for at in range(len(below))):
            return [(first, first + size) for first in range(0, len(below), size)]
    return []


def _at_last_cycle(inner: Sequence[str | None]) -> list[tuple[int, int]]:
    """The same by the innermost headings alone."""
    return _at_repeats([(text,) for text in inner])


def _fill(grid: Grid, levels: Sequence[int]) -> None:
    """Let blanks mean "same as before", bounded by the level outside; a level that has merges says its extent itself."""
    for at in levels:
        texts, merged, cells = grid.texts[at], grid.merged[at], grid.cells[at]
        if any(merged[line] and texts[line] is not None for line in range(len(texts))) and _spans(merged, texts):
            continue
        carried: str | None = None
        source = MISSING
        for line in range(len(texts)):
            if line and _starts_anew(grid, at, line):
                carried, source = None, MISSING
            if texts[line] is not None:
                carried, source = texts[line], cells[line]
            elif not merged[line]:
                texts[line], cells[line] = carried, source


def _spans(merged: list[bool], texts: list[str | None]) -> bool:
    """Whether some merge covers two neighbouring lines with one label."""
    return any(
        merged[line] and merged[line + 1] and texts[line] is not None and texts[line] == texts[line + 1]
        for line in range(len(texts) - 1)
    )


def _starts_anew(grid: Grid, at: int, line: int) -> bool:
    """Whether the levels outside have another label here than on the line before."""
    return any(grid.texts[outer][line] != grid.texts[outer][line - 1] for outer in range(at))


def _levels(grid: Grid, lines: Sequence[int], names: Sequence[str]) -> tuple[Level, ...]:
    return tuple(
        Level.of(name, labels, line, cells)
        for labels, cells, line, name in zip(grid.texts, grid.cells, lines, names, strict=True)
    )


def named(levels: Sequence[Level], fallback: str) -> tuple[Level, ...]:
    """The levels with a name each: its own, else the kind of period that its labels are, else the fallback.

    >>> [level.name for level in named([Level.of("", ["Q1", "Q2"], 5), Level.of("", ["Foot", "Cars"], 6)], "heading")]
    ['quarter', 'heading 2']
    """
    seen: dict[str, int] = {}
    told = []
    for at, level in enumerate(levels):
        ordinal = f" {at + 1}" if len(levels) > 1 else ""
        name = level.name or period_name(list(level.texts)) or f"{fallback}{ordinal}"
        seen[name] = seen.get(name, 0) + 1
        again = seen[name] > 1 and name != NO_COLUMN
        told.append(replace(level, name=f"{name} {seen[name]}" if again else name))
    return tuple(told)


def label(value: object, marks: Collection[str] = ()) -> str:
    """A cell's value as a label, without the footnote mark at its end.

    >>> label("Cars*"), label("Freight m³"), label("Freight³", marks={"³"}), label(2031.0), label("2031 p", marks={"p"})
    ('Cars', 'Freight m³', 'Freight', '2031', '2031')
    """
    text = as_label(value)
    bare, mark = trailing_mark(text)
    bare, mark = (bare, mark) if mark else lettered_mark(text)
    return neat(bare) if mark and (set(mark) <= _SURE_MARKS or mark in marks) else text


def are_series(labels: Sequence[str]) -> bool:
    """Whether labels are periods of one kind, each said once: days of a week, months; totals aside.

    >>> are_series(["Mon", "Tue", "Total"]), are_series(["Mon", "Late"]), are_series(["Jan", "Feb", "Jan"])
    (True, False, False)
    """
    plain = [text for text in labels if text and not total_word(text)]
    return len(set(plain)) == len(plain) > 1 and bool(period_name(plain))
