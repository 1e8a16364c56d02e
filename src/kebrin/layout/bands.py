"""Bands: sections of a block that are told by the text above its headings, and sections that sum the others."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import KEYED
from kebrin.layout.framed_totals import paths_of
from kebrin.layout.model import Level, Role, Stated, TotalLine
from kebrin.layout.totals import find_bands

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kebrin.cells import Sheet
    from kebrin.layout.frame import Frame
    from kebrin.layout.heads import Heads
    from kebrin.layout.model import FieldCell


def with_first_band(sheet: Sheet, frame: Frame, heads: Heads, texts: dict[tuple[int, int], Role]) -> Heads:
    """The heads with the text right above the headings as that of the first rows, where later rows stand under heads.

    "Persons" above the headings and "Men", "Women" between the rows are bands of one kind.
    """
    first = int(frame.rows[0])
    if first in heads.rows or (len(heads.levels) > 1 and frame.heads):
        return heads  # several lines above headings may as well be titles
    until = next((place for place, row in enumerate(frame.rows.tolist()) if row in heads.rows), 0)
    top = (frame.heads[0] if frame.heads else first) - len(heads.levels)
    found = []
    for row, level in enumerate(heads.levels, start=top):
        cells = [at for at, role in texts.items() if role == Role.TITLE and at[0] == row]
        if len(cells) != 1 or int(sheet.filled[row].sum()) != 1 or not _goes_with(level, sheet.text(*cells[0]), until):
            return heads
        found.append(_with_first(level, sheet, cells[0], until))
    return replace(heads, levels=tuple(found))


def with_first_field(sheet: Sheet, heads: Heads, fields: Sequence[FieldCell]) -> Heads:
    """The heads with the field above the headings as that of the first rows, where all later heads say something of its name.

    "Depot: Wick" above the headings and "Depot: Brae" between the rows, as pages name it, are heads of one kind.
    """
    found = []
    for level in heads.levels:
        keys = {match["key"].casefold() if (match := KEYED.fullmatch(text)) else "" for text in level.texts}
        own = [one for one in fields if one.label_at == one.value_at and {one.name.casefold()} == keys]
        until = next((at for at, code in enumerate(level.codes.tolist()) if code >= 0), 0)
        found.append(_with_first(level, sheet, own[0].label_at, until) if len(own) == 1 and until else level)
    return replace(heads, levels=tuple(found))


def _goes_with(level: Level, text: str, until: int) -> bool:
    """Whether a text may head the first rows, up to one, as the others of a level head later ones: these have none."""
    blank = np.flatnonzero(level.codes[:until] < 0)
    longest = max(map(len, level.texts), default=0)
    return until > 0 and len(blank) == until and ":" not in text and len(text) <= 2 * longest


def _with_first(level: Level, sheet: Sheet, at: tuple[int, int], until: int) -> Level:
    """A level with a text as the label of its first rows, up to the next label of the level."""
    until = next((place for place in range(until, len(level.codes)) if level.codes[place] >= 0), until)
    cell = at[0] * sheet.shape[1] + at[1]
    labels = [sheet.text(*at) if place < until else level.label(place) for place in range(len(level.codes))]
    cells = [cell if place < until else int(level.cells[place]) for place in range(len(level.codes))]
    return replace(Level.of(level.name, labels, level.line, cells), head=level.head)


def closed_by_totals(sheet: Sheet, frame: Frame, heads: Heads, totals: Sequence[TotalLine]) -> Heads:
    """The heads without the rows that follow the totals of their sections, where each section ends with a total of its name.

    "Total costs" closes "Costs": a result below it is none of them.
    """
    if len(heads.levels) != 1 or frame.listed:
        return heads
    (level,) = heads.levels
    sums = {line.at: set(line.parts.tolist()) for line in totals if line.axis == "row" and not line.mean}
    rows = frame.rows.tolist()
    begins = [at for at, row in enumerate(rows) if row in heads.rows]
    closed: list[int] = []
    for first, end in pairwise([*begins, len(rows)]):
        own = range(first + 1, end)
        name = sheet.text(rows[first], level.line).casefold()
        last = next((at for at in own if rows[at] in sums and _sums_section(sheet, rows, own, at, sums, name)), -1)
        if last < 0:
            return heads  # a section that no total closes
        closed += [at for at in range(last + 1, end) if rows[at] not in sums]
    if not closed:
        return heads
    labels = [None if at in closed else label for at, label in enumerate(level.labels())]
    cells = np.where(np.isin(np.arange(len(rows)), closed), -1, level.cells)
    own_level = replace(Level.of(level.name, labels, level.line, cells.tolist()), head=level.head)
    return replace(
        heads, levels=(own_level,), why=f"{heads.why}; a total of its name closes each, and what is below it is of none"
    )


def _sums_section(
    sheet: Sheet, rows: Sequence[int], own: range, at: int, sums: Mapping[int, set[int]], name: str
) -> bool:
    """Whether a row sums all rows of a section above it and says the section's name."""
    above = {rows[one] for one in own if one < at and rows[one] not in sums}
    said = sheet.text(rows[at], int(np.flatnonzero(sheet.filled[rows[at]])[0])).casefold()
    return len(above) > 1 and sums[rows[at]] == above and name in said


def band_totals(
    sheet: Sheet, frame: Frame, down: Sequence[Level], out: set[int], stated: Stated
) -> tuple[TotalLine, ...]:
    """Sections that are the sum of the others."""
    if not stated.totals_found or frame.listed:
        return ()
    lines = np.array([at for at, row in enumerate(frame.rows.tolist()) if row not in out], np.intp)
    numbers = sheet.numbers[np.ix_(frame.rows[lines], frame.columns)]
    if not len(lines) or np.isnan(numbers).all():
        return ()
    paths = paths_of([level.at(lines) for level in down], len(lines))
    return find_bands(numbers, paths, frame.rows[lines].astype(np.int32))
