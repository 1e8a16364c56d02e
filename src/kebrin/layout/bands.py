"""Bands: sections of a block that are told by the text above its headings, and sections that sum the others."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.layout.model import Level, Role, Stated, TotalLine
from kebrin.layout.summing import paths_of
from kebrin.layout.totals import find_bands

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kebrin.cells import Sheet
    from kebrin.layout.frame import Frame
    from kebrin.layout.heads import Heads


def with_first_band(sheet: Sheet, frame: Frame, heads: Heads, texts: dict[tuple[int, int], Role]) -> Heads:
    """The heads with the text right above the headings as that of the first rows, where later rows stand under heads.

    "Persons" above the headings and "Men", "Women" between the rows are bands of one kind.
    """
    level = heads.levels[0]
    first = int(frame.rows[0])
    top = (frame.heads[0] if frame.heads else first) - 1
    cells = [at for at, role in texts.items() if role == Role.TITLE and at[0] == top]
    if len(heads.levels) != 1 or first in heads.rows or len(cells) != 1 or int(sheet.filled[top].sum()) != 1:
        return heads
    (at,) = cells
    text = sheet.text(*at)
    blank = [place for place, code in enumerate(level.codes.tolist()) if code < 0]
    until = next((place for place, row in enumerate(frame.rows.tolist()) if row in heads.rows), 0)
    longest = max(map(len, level.texts), default=0)
    if ":" in text or len(text) > 2 * longest or not until or blank[:until] != list(range(until)):
        return heads
    cell = at[0] * sheet.shape[1] + at[1]
    labels = [text if place < until else level.label(place) for place in range(len(level.codes))]
    cells_of = [cell if place < until else int(level.cells[place]) for place in range(len(level.codes))]
    level = replace(Level.of(level.name, labels, level.line, cells_of), head=level.head)
    return replace(heads, levels=(level,))


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
    return replace(heads, levels=(own_level,))


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
