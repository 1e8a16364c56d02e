"""Heading rows that give units: dropped where all say the same, kept where they differ, for figures need them then.

Units that differ say that the columns hold unlike things: each becomes a column of its own, with its unit in its name.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from kebrin.grammar.periods import period_name
from kebrin.grammar.words import are_units
from kebrin.layout.model import UNIT_ROW, Level

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.frame import Frame


def without_units(boxhead: Sequence[Level]) -> tuple[list[Level], list[Level]]:
    """The levels without those that only give units, and the latter; units that tell columns apart stay.

    >>> levels = [Level.of("", ["Volume", "Depth"], 0), Level.of("", ["m³", "m"], 1)]
    >>> [[level.texts for level in part] for part in without_units(levels)]
    [[('Volume', 'Depth')], [('m³', 'm')]]
    """
    units: list[Level] = []
    for level in boxhead:
        rest = [other for other in boxhead if other is not level and other not in units]
        paths = set(zip(*(other.codes.tolist() for other in rest), strict=True))
        if rest and are_units(level.texts) and len(paths) == len(level.codes):
            units.append(level)
    return [level for level in boxhead if level not in units], units


def named_units(levels: Sequence[Level], measures: str | None) -> tuple[list[Level], list[Level]]:
    """The levels that a person names without those called "unit" that give units, where other headings name the measures."""
    own = [level for level in levels if measures and level.name == UNIT_ROW != measures and are_units(level.texts)]
    return [level for level in levels if level not in own], own


def units_below(sheet: Sheet, frame: Frame, columns: NDArray[np.intp]) -> list[Level]:
    """The units that a row right below the headings of a list gives."""
    rows = [row for row in frame.heads if frame.listed and row not in frame.boxhead]
    return [
        Level.of(UNIT_ROW, [sheet.text(row, int(column)) or None for column in columns], row)
        for row in rows
        if any(sheet.filled[row, column] for column in columns)
    ]


def units_tell_measures(boxhead: Sequence[Level], units: Sequence[Level]) -> str:
    """The heading row whose columns hold unlike things, since their units differ; '' if they do not, or periods head them."""
    for level in boxhead if any(len(one.texts) > 1 for one in units) else ():
        if len(level.texts) < 2 or period_name(list(level.texts)):
            continue
        # One heading has one unit, wherever it stands; the outermost row of which that is so tells the measures.
        said = {(text, *path) for text, *path in zip(level.labels(), *(one.labels() for one in units), strict=True)}
        if len(said) == len({text for text, *_ in said}) and _share_records(level, boxhead):
            return level.name
    return ""


def _share_records(level: Level, boxhead: Sequence[Level]) -> bool:
    """Whether a record could hold two of the measures: not where another heading row numbers the columns of each, A1 and B1."""
    rest = [other.labels() for other in boxhead if other is not level]
    records = set(zip(*rest, strict=True)) if rest else {()}
    return len(records) < len(level.codes)


def with_units(boxhead: Sequence[Level], measures: str, units: Sequence[Level]) -> tuple[Level, ...]:
    """The levels with units that differ: behind the names of the measures, or as a level of their own.

    >>> levels = [Level.of("heading", ["Volume", "Depth"], 0)]
    >>> with_units(levels, "heading", [Level.of("", ["m³", "m"], 1)])[0].texts
    ('Volume (m³)', 'Depth (m)')
    >>> [level.name for level in with_units(levels, "", [Level.of("", ["m³", "m"], 1)])]
    ['heading', 'unit']
    """
    found = list(boxhead)
    for level in units:
        if len(level.texts) < 2 and (level.codes >= 0).all():
            continue
        if not measures:
            taken = any(one.name == UNIT_ROW for one in found)
            found.append(replace(level, name=f"{UNIT_ROW} {len(found)}" if taken else UNIT_ROW))
            continue
        at = next(at for at, one in enumerate(found) if one.name == measures)
        found[at] = _named_with(found[at], level)
    return tuple(found)


def _named_with(level: Level, unit: Level) -> Level:
    """A level with the unit of each column behind its label, where it does not say it already."""
    pairs = zip(level.labels(), unit.labels(), strict=True)
    labels = [
        text if text is None or not one or one.casefold() in text.casefold().split() else f"{text} ({one.strip('()[]')})"
        for text, one in pairs
    ]  # fmt: skip
    said = Level.of(level.name, labels, level.line, level.cells.tolist())
    return replace(said, head=level.head, joined=level.joined)
