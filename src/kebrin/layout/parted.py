"""Headings that say several things in one ("Sales 2031", "foot_out"), parted by a pattern such as `{measure} {year}`."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, replace
from itertools import product
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.periods import period_name
from kebrin.layout.frame import Frame
from kebrin.layout.model import Evidence, Level

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.cells import Sheet
    from kebrin.layout.play import Play

#: The name of the part that becomes a column for each of its labels.
MEASURE = "measure"
#: The name of a part that numbers groups of columns.
NUMBER = "number"
_PERIODS = frozenset({"year", "quarter", "half-year", "month", "week", "date", "weekday"})
_NAME = re.compile(r"\{([^{}]+)\}")
# The periods that headings are parted by unaided; days of the week stand over other kinds of headings too often.
_TAKEN = frozenset({"year", "quarter", "half-year", "month", NUMBER})
_MOSTLY = 0.8
_HEADING_ROWS = 30
# What may stand between the parts of a heading, the longest first; nothing stands before a number at its end.
_BETWEEN = (" - ", " / ", ": ", "_", ".", " ", "-", "/", "")
_FEWEST_COLUMNS, _MOST_COLUMNS = 4, 500


@dataclass(frozen=True)
class Pattern:
    """How a heading is parted: a name for each part, and what stands around them."""

    names: tuple[str, ...]
    around: tuple[str, ...]

    @classmethod
    def of(cls, said: str) -> Pattern:
        """The pattern that a plan states.

        >>> Pattern.of("{measure} {year}").names
        ('measure', 'year')

        Raises:
            ValueError: it names fewer than two parts, or one of them twice.
        """
        pieces = _NAME.split(said)
        names = tuple(name.strip() for name in pieces[1::2])
        if len(names) < 2 or len(set(names)) < len(names) or not all(names):
            raise ValueError(f"headings {said!r} must name two parts or more, each once, as in '{{measure}} {{year}}'")
        return cls(names, tuple(pieces[::2]))

    def __str__(self) -> str:
        return "".join(f"{sign}{{{name}}}" for sign, name in zip(self.around, (*self.names, ""), strict=True))[:-2]

    def parted(self, headings: Sequence[str]) -> list[tuple[str, ...] | None]:
        """The parts of each heading, None of one that does not fit; where several ways fit, that with the fewest labels.

        A part that is called a year, a month or another period must be one, and a number must be one.

        >>> Pattern.of("{measure} {year}").parted(["Net sales 2031", "Cost 2031", "Part no."])
        [('Net sales', '2031'), ('Cost', '2031'), None]
        """
        ways = [self._parted(headings, greedy) for greedy in product(("+", "+?"), repeat=len(self.names) - 1)]
        return min(ways, key=_labels)

    def _parted(self, headings: Sequence[str], greedy: Sequence[str]) -> list[tuple[str, ...] | None]:
        text = re.escape(self.around[0])
        for at, sign in enumerate(self.around[1:]):
            much = greedy[at] if at < len(greedy) else "+"
            digits = at and not self.around[at]  # nothing parts it from what stands before: it is a number
            text += (rf"(\d{much})" if digits else f"(.{much})") + re.escape(sign)
        pattern = re.compile(text)
        found = (pattern.fullmatch(" ".join(heading.split())) for heading in headings)
        parts = [tuple(part.strip() for part in match.groups()) if match else () for match in found]
        return [one if one and all(map(_fits, self.names, one)) else None for one in parts]


def _fits(name: str, part: str) -> bool:
    """Whether a part of a heading is what it is called, where that is a number or a period."""
    if name == NUMBER:
        return part.isdigit()
    return bool(part) and (name not in _PERIODS or period_name([part]) == name)


def _labels(parts: Sequence[tuple[str, ...] | None]) -> tuple[int, int]:
    known = [one for one in parts if one is not None]
    return len(parts) - len(known), math.prod(len(set(own)) for own in zip(*known, strict=True)) if known else 0


def pattern_of(headings: Sequence[str]) -> Pattern | None:
    """The pattern by which headings say each of several things in each of several periods, or numbered groups; None if none does.

    All that the one part says must stand with all that the other says, once each: chance does not make that. Other headings may
    stand beside them.

    >>> str(pattern_of(["Shop", "Sales 2031", "Sales 2032", "Cost 2031", "Cost 2032"]))
    '{measure} {year}'
    >>> str(pattern_of(["Boat 1", "Load 1", "Boat 2", "Load 2"]))
    '{measure} {number}'
    >>> pattern_of(["Foot 1", "Foot 2", "Cars 1", "Remarks 2"]) is None
    True
    """
    if not _FEWEST_COLUMNS <= len(headings) <= _MOST_COLUMNS or len(set(headings)) < len(headings):
        return None
    for sign in _BETWEEN:
        for kind in sorted({name for one in headings for part in _ends(one, sign) if (name := _kind_of(part))}):
            for names in ((MEASURE, kind), (kind, MEASURE)):
                found = Pattern(names, ("", sign, ""))
                if (sign or names[1] == NUMBER) and _crosses(found, headings):
                    return found
    return None


def likely_pattern(headings: Sequence[str]) -> str:
    """The pattern by which most of some headings name a number or a period beside something else; '' where none does for two.

    >>> likely_pattern(["Test 1", "Test 2", "Oral"]), likely_pattern(["Sales 2031", "Sales 2032", "Cost 2032"])
    ('{measure} {number}', '{measure} {year}')
    """
    best = (1, "")
    for sign in _BETWEEN:
        for kind in sorted({name for one in headings for part in _ends(one, sign) if (name := _kind_of(part))}):
            for names in ((MEASURE, kind), (kind, MEASURE)):
                found = Pattern(names, ("", sign, ""))
                if sign or names[1] == NUMBER:
                    fits = sum(one is not None for one in found.parted(headings))
                    best = max(best, (fits, str(found)), key=lambda one: one[0])
    return best[1]


def _ends(heading: str, sign: str) -> tuple[str, ...]:
    """What stands before and behind a sign in a heading, the first or the last one; the digits at its end where none does."""
    if not sign:
        return (heading[len(heading.rstrip("0123456789")) :],)
    first, last = heading.partition(sign), heading.rpartition(sign)
    return first[0], last[0], first[2], last[2]


def _crosses(pattern: Pattern, headings: Sequence[str]) -> bool:
    known = [one for one in pattern.parted(headings) if one is not None]
    if len(known) < _FEWEST_COLUMNS or 2 * len(known) < len(headings):
        return False
    said = {name: set(own) for name, own in zip(pattern.names, zip(*known, strict=True), strict=True)}
    measures = said.pop(MEASURE)
    (others,) = said.values()
    numbered = NUMBER not in said or sorted(map(int, others)) == list(range(1, len(others) + 1))
    bare = not any(any(map(str.isdigit, one)) for one in measures)
    # One thing said of several periods crosses too; of numbers it may be names: "Room 1", "Room 2".
    several = min(len(measures), len(others)) > 1 or (len(measures) == 1 and NUMBER not in pattern.names)
    return several and len(measures) * len(others) == len(set(known)) and numbered and bare


def _kind_of(part: str) -> str:
    """What a part of a heading is, if it is a number or a period."""
    name = period_name([part]) if part else ""
    return NUMBER if part.isdigit() and len(part) < 3 else name if name in _PERIODS else ""


def self_parted(sheet: Sheet, play: Play, frame: Frame) -> Frame:
    """The block with its headings parted, where they cross wholly and nobody has stated how they are read."""
    if len(frame.boxhead) != 1:
        return frame
    columns = sorted((*frame.stub, *frame.columns.tolist(), *frame.beside))
    pattern = pattern_of([sheet.text(frame.boxhead[0], at) for at in columns])
    if pattern is None or not set(pattern.names) & _TAKEN:
        return frame
    parted = parted_frame(sheet, play, str(pattern), head=frame.boxhead[0])
    if parted is None or (NUMBER in pattern.names and not _unlike(sheet, parted, pattern)):
        return frame  # A1, A2, B1, B2 are names of places as well
    # Figures that one table lays long stay one column of values, called by the one thing that they are.
    at = pattern.names.index(MEASURE)
    said = {one[at] for one in pattern.parted([sheet.text(frame.boxhead[0], column) for column in columns]) if one}
    return (
        parted
        if frame.listed or len(said) == 1
        else replace(parted, pattern=str(pattern).replace(f"{{{MEASURE}}}", "{heading}"))
    )


def _unlike(sheet: Sheet, frame: Frame, pattern: Pattern) -> bool:
    """Whether what stands below headings of one name is words, and below those of another figures."""
    at = pattern.names.index(MEASURE)
    names = [
        one and one[at] for one in pattern.parted([sheet.text(frame.boxhead[0], int(one)) for one in frame.columns])
    ]
    figures = sheet.data[np.ix_(frame.rows, frame.columns)].sum(axis=0)
    filled = sheet.filled[np.ix_(frame.rows, frame.columns)].sum(axis=0)
    kinds = set()
    for name in dict.fromkeys(names):
        own = [place for place, one in enumerate(names) if one == name]
        share = figures[own].sum() / max(int(filled[own].sum()), 1)
        kinds |= {share > _MOSTLY} if not 1 - _MOSTLY <= share <= _MOSTLY else set()
    return len(kinds) > 1


def parted_frame(sheet: Sheet, play: Play, said: str, head: int = -1) -> Frame | None:
    """The block whose headings a pattern parts: these stand over its body, all other headings over labels."""
    pattern = Pattern.of(said)
    best: tuple[int, int, list[bool]] = (0, -1, [])
    for row in play.rows[:_HEADING_ROWS].tolist() if head < 0 else [head]:
        fits = [one is not None for one in pattern.parted([sheet.text(row, int(at)) for at in play.columns])]
        if sum(fits) > best[0]:
            best = (sum(fits), row, fits)
    count, head, fits = best
    if count < 2:
        return None
    columns = play.columns[np.array(fits)]
    rows = play.rows[play.rows > head]
    used = np.flatnonzero(sheet.filled[np.ix_(rows, columns)].any(axis=1))
    if not len(used):
        return None
    rows = rows[: int(used[-1]) + 1]
    others = [int(at) for at in play.columns if at not in columns and sheet.filled[[head, *rows], at].any()]
    stub, beside = (tuple(at for at in others if (at < columns[0]) == left) for left in (True, False))
    why = f"{count} headings say {' and '.join(pattern.names)} in one: they are parted by {said!r}"
    return Frame(
        (head,), (head,), stub, rows, columns, (Evidence("headings", f"row {head + 1}", why),), play.hidden_rows,
        play.hidden_columns, tuple(one for one in play.repeats if one > head), play.pages, beside=beside, pattern=said,
    )  # fmt: skip


def with_parts(levels: Sequence[Level], pattern: Pattern) -> tuple[Level, ...]:
    """The level of headings as a level for each part, all from the same cells.

    >>> level = Level.of("heading", ["Sales 2031", "Cost 2031"], 0)
    >>> [(one.name, one.labels()) for one in with_parts([level], Pattern.of("{measure} {year}"))]
    [('measure', ['Sales', 'Cost']), ('year', ['2031', '2031'])]
    """
    (level,) = levels if len(levels) == 1 else (Level.join("heading", levels),)
    parts = pattern.parted([label or "" for label in level.labels()])
    return tuple(
        replace(
            Level.of(name, [one[at] if one else None for one in parts], level.line, level.cells.tolist()),
            pattern=(str(pattern), name),
        )
        for at, name in enumerate(pattern.names)
    )
