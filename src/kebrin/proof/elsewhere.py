"""Totals that stand away from their table ("Total carried: 1,234" above it), held against the sheet's figures."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import neat
from kebrin.grammar.reading import read_text
from kebrin.grammar.words import total_word, without_total_word
from kebrin.proof.ties import Gap, TieOut
from kebrin.table import Finding, FindingKind

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.cells import Sheet
    from kebrin.layout import Layout

# "Grand total: 1,234" in one cell; the label must say so, the rest must be a number.
_SAID = re.compile(r"(?P<label>[^\d:=]{3,60}?)\s*[:=]?\s+(?P<number>[-+(]?\d.*)")
# A word of a total's label that says no more than that it is the whole.
_PLAIN = frozenset({"grand", "overall", "all", "sum", "of", "the", "in", "general", "report", "this", "for", "control"})
_SAME = 1e-9


@dataclass(frozen=True)
class _Said:
    """A total that is said outside the bodies: its label, its number under either sign, its cell."""

    label: str
    numbers: tuple[float, ...]
    at: tuple[int, int]


def totals_elsewhere(sheet: Sheet, layouts: Sequence[Layout]) -> tuple[TieOut, tuple[Finding, ...]]:
    """Hold totals said in fields and notes against the sums of the bodies, and against how many records there are.

    A number that is one of these ties. One that is none, and whose label speaks of the table, is a gap; any other is told.

    Args:
        sheet: the sheet.
        layouts: the layouts of its blocks.

    Returns:
        The comparison, and what is told of totals whose label speaks of something else.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout import find_layouts
    >>> rows = [["Grand total:", 9.0], [None], [None], ["Quay", "Jan", "Feb"], ["East", 1.0, 2.0], ["West", 3.0, 4.0]]
    >>> sheet = Sheet.of(rows)
    >>> tie, _ = totals_elsewhere(sheet, find_layouts(sheet))
    >>> tie.gaps[0].said
    'Grand total states 9, its 4 parts sum to 10, a difference of -1'
    """
    said = list(_said(sheet, layouts))
    if not said or not layouts:
        return TieOut(sheet.source, sheet.name, 0, 0, 0), ()
    sums = _sums(sheet, layouts)
    whole, parts = sums[0]
    words = _words_of(sheet, layouts)
    exact, rounded, gaps, told = 0, 0, [], []
    for one in said:
        off = min(abs(own - number) / max(1.0, abs(own)) for own, _ in sums for number in one.numbers)
        if off <= _SAME:
            exact += 1
        elif any(abs(own - number) <= 0.5 * 10.0 ** -_decimals(number) for own, _ in sums for number in one.numbers):
            rounded += 1
        elif _speaks_of(one.label, words):
            gaps.append(Gap(sheet.address(*one.at), one.numbers[0], whole, parts, 0.0, one.label))
        else:
            what = f"{one.label} is stated as {one.numbers[0]:,.10g}: no sum of the figures here, nor their number"
            told.append(Finding(FindingKind.STATED_TOTAL, what, sheet.source, sheet.name, (sheet.address(*one.at),), 1))
    return TieOut(sheet.source, sheet.name, len(said), exact, rounded, tuple(gaps), len(gaps)), tuple(told)


def _said(sheet: Sheet, layouts: Sequence[Layout]) -> Iterator[_Said]:
    """Fields and texts around the blocks whose label bears a word for a total."""
    seen: set[tuple[int, int]] = set()
    for layout in layouts:
        for field in layout.fields:
            if field.value_at not in seen and total_word(field.name):
                seen.add(field.value_at)
                yield from _one(field.name, _numbers_at(sheet, field.value_at, field.value), field.value_at)
        for at in layout.texts:
            match = _SAID.fullmatch(sheet.text(*at)) if at not in seen else None
            if match is not None and total_word(match["label"]):
                seen.add(at)
                yield from _one(match["label"], _numbers_in(match["number"]), at)


def _one(label: str, numbers: tuple[float, ...], at: tuple[int, int]) -> Iterator[_Said]:
    if numbers:
        yield _Said(neat(label), numbers, at)


def _numbers_at(sheet: Sheet, at: tuple[int, int], value: str) -> tuple[float, ...]:
    number = float(sheet.numbers[at])
    return (number,) if number == number else _numbers_in(value)  # noqa: PLR0124 - NaN is not itself


def _numbers_in(text: str) -> tuple[float, ...]:
    found = read_text(text.strip(" ."))
    return tuple(dict.fromkeys(one for one in (found.number, found.comma) if not np.isnan(one)))


def _decimals(number: float) -> int:
    """The decimal places that a number needs."""
    return len(f"{number:.6f}".rstrip("0").partition(".")[2])


def _sums(sheet: Sheet, layouts: Sequence[Layout]) -> list[tuple[float, int]]:
    """What a total of the sheet may be, with the number of parts: the whole first, then its blocks, columns and headings."""
    grids = [sheet.numbers[np.ix_(one.body_rows, one.body_columns)] for one in layouts]
    found = [(float(sum(np.nansum(grid) for grid in grids)), int(sum((~np.isnan(grid)).sum() for grid in grids)))]
    found.append((float(sum(len(one.body_rows) for one in layouts)), 0))
    for layout, grid in zip(layouts, grids, strict=True):
        there = ~np.isnan(grid)
        found += [(float(np.nansum(grid)), int(there.sum())), (float(len(layout.body_rows)), 0)]
        columns, counts = np.nansum(grid, axis=0), there.sum(axis=0)
        found += list(zip(columns.tolist(), counts.tolist(), strict=True))
        for level in layout.boxhead:
            by_label = np.bincount(level.codes + 1, columns, len(level.texts) + 1)
            found += [(float(total), 0) for total in by_label.tolist()]
        for level in layout.stub:
            by_label = np.bincount(level.codes + 1, np.nansum(grid, axis=1), len(level.texts) + 1)
            found += [(float(total), 0) for total in by_label.tolist()]
    return found


def _words_of(sheet: Sheet, layouts: Sequence[Layout]) -> frozenset[str]:
    """The words of titles and headings: a total whose label bears one speaks of the table."""
    texts = [text for one in layouts for level in (*one.boxhead, *one.stub) for text in (level.name, *level.texts)]
    texts += [one.title for one in layouts]
    texts += [sheet.text(row, column) for one in layouts for row in one.boxhead_rows for column in one.stub_columns]
    return frozenset(word for text in texts for word in re.findall(r"[^\W\d_]+", text.casefold()))


def _speaks_of(label: str, words: frozenset[str]) -> bool:
    """Whether a total's label speaks of the table: of nothing else, or in words that stand in its title and headings."""
    own = set(re.findall(r"[^\W\d_]+", without_total_word(label).casefold())) - _PLAIN
    return own <= words
