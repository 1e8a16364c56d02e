"""Lines whose figures follow from the others by arithmetic: what has run up so far, a change, shares, ranks, counts.

Among the columns of a crosstab such a line is no observation: it is left out and told, as totals are, and the rest is read as if
it were not there. A word proposes none: the figures of all its cells must follow. A person keeps one by `not_totals`. In a list
it is a measure of its own and stays.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.cells.arithmetic import (
    ABOVE,
    BELOW,
    CHANGE,
    COUNT,
    DIFFERENCE,
    MEAN,
    RANK,
    RUNNING,
    SHARE,
    follows,
    places_of,
)
from kebrin.grammar.words import is_ratio, says_difference, total_word
from kebrin.layout.model import Derived, Evidence

if TYPE_CHECKING:
    from collections.abc import Collection, Iterator, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.model import Layout

    Numbers = NDArray[np.float64]
    Axis = Literal["row", "column"]

# So many figures must follow; ranks of fewer lines follow one another by chance.
_FEWEST, _FEWEST_RANKED = 4, 5
# What counts the lines before it does so by chance less often than this, where it stands behind a total.
_BY_CHANCE = 5e-3
# All but what has run up stands at an edge of the block; of larger blocks only the first so many lines are held against it.
_EDGE, _MOST = 3, 400
# So many bits of a difference must match; a sheet has no more results than so many.
_RESULT_BITS, _MOST_RESULTS = 18.0, 20


@dataclass(frozen=True, eq=False)
class _Grid:
    """The figures of a block, a line to each row of it, whichever way its lines lie."""

    axis: Axis
    at: NDArray[np.int32]
    cross: NDArray[np.int32]
    numbers: Numbers
    totals: tuple[tuple[int, Numbers], ...]


def find_derived(sheet: Sheet, layout: Layout, kept: Collection[str] = ()) -> list[Derived]:
    """The lines of a crosstab whose figures follow from others.

    Args:
        sheet: the sheet.
        layout: its block.
        kept: labels of lines that a person says to be records, in small letters.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout.find import found_layouts
    >>> rows = [["Meter", "Oct", "Nov", "Dec", "Used"], ["A", 10, 30, 70, 60], ["B", 5, 25, 27, 22], ["C", 1, 2, 9, 8]]
    >>> sheet = Sheet.of([*rows, ["D", 4, 4, 15, 11]])
    >>> [(one.name, one.how) for one in find_derived(sheet, found_layouts(sheet)[0])]
    [('column E', 'last less first')]
    """
    if layout.listed or layout.pattern or not layout.boxhead:
        return []
    found = _results(sheet, layout)
    known = {one.at for one in found}
    for grid in _grids(sheet, layout) if not layout.measures or len(layout.boxhead) > 1 else ():
        found += [one for one in _of_grid(sheet, layout, grid) if one.axis == "column" or one.at not in known]
    return [one for one in found if one.label.casefold() not in kept]


def _results(sheet: Sheet, layout: Layout) -> list[Derived]:
    """Rows that say they are a difference and are one, of two lines of which one is a total at least: income less expenditure.

    Shares and rates beside the amounts need not be such.
    """
    totals = [line.at for line in layout.total_lines("row")]
    lines = sorted({*totals, *layout.body_rows.tolist()})
    if not totals or len(lines) > _MOST:
        return []
    heads = list(zip(*(level.labels() for level in layout.boxhead), strict=True))
    rate = np.array([any(is_ratio(text) for text in own if text) for own in heads], np.bool_)
    labels = {row: _label(sheet, layout, "row", row) for row in layout.body_rows.tolist()}
    said = [row for row, label in labels.items() if label and says_difference(label) and not total_word(label)]
    # Where most rows say so, it is what they are called.
    if len(said) > _MOST_RESULTS or 2 * len(said) > len(labels):
        return []
    numbers, found = sheet.numbers[np.ix_(lines, layout.body_columns)], list[Derived]()
    for row in said:
        known = [*totals, *(one.at for one in found)]
        if (
            pair := _less_another(numbers, lines, lines.index(row), [lines.index(at) for at in known], rate)
        ) is not None:
            found.append(Derived("row", row, DIFFERENCE, pair, labels[row], layout.body_columns))
    return found


def _less_another(
    numbers: Numbers, lines: Sequence[int], place: int, known: Sequence[int], rate: NDArray[np.bool_]
) -> tuple[int, int] | None:
    """The two lines of which a line is the one less the other beyond chance, one of them among those that are known."""
    own = numbers[place]
    for one in known:
        for sign in (1, -1):  # what is known less another, or another less what is known
            other = numbers[one] - sign * own
            telling = ~np.isnan(own) & ~np.isnan(numbers) & ~np.isnan(numbers[one]) & ~rate & (own != 0)
            ties = np.abs(numbers - other) <= 1e-9 * np.maximum(np.abs(own), 1.0)
            bits = np.where(telling, np.log2(np.abs(np.nan_to_num(own)) + 1), 0.0).sum(axis=1)
            fits = (ties | ~telling).all(axis=1) & (bits >= _RESULT_BITS) & (telling.sum(axis=1) > 1)
            fits[[place, one]] = False
            if fits.any():
                least = int(np.flatnonzero(fits)[0])
                return (lines[one], lines[least]) if sign == 1 else (lines[least], lines[one])
    return None


def _grids(sheet: Sheet, layout: Layout) -> Iterator[_Grid]:
    rows, columns = (
        layout.body_rows[:_MOST],
        np.concatenate((layout.body_columns, np.array(layout.beside_columns, np.int32))),
    )
    if len(columns) > _MOST or not len(rows) or not len(columns):
        return
    numbers = sheet.numbers[np.ix_(rows, columns)]
    across = tuple((line.at, sheet.numbers[rows, line.at]) for line in layout.total_lines("column"))
    yield _Grid("column", columns, rows, numbers.T, across)
    columns = layout.body_columns
    numbers = sheet.numbers[np.ix_(rows, columns)]
    if len(layout.body_rows) <= _MOST:
        down = tuple((line.at, sheet.numbers[line.at, columns]) for line in layout.total_lines("row"))
        yield _Grid("row", rows, columns, numbers, down)


def _of_grid(sheet: Sheet, layout: Layout, grid: _Grid) -> list[Derived]:
    found: list[Derived] = []
    out: set[int] = set()
    count = len(grid.at)
    for place in range(count):
        rest = [other for other in range(count) if other != place and other not in out]
        one = _derived(sheet, layout, grid, place, rest)
        if one is not None:
            found.append(one)
            out.add(place)
    # What is said again over other columns is a measure of each group, and none of the table.
    said = Counter(_label(sheet, layout, grid.axis, int(at)) for at in grid.at)
    alone = [one for one in found if said[one.label] == 1 or not one.label]
    return alone if len(found) * 2 <= count else []


def _derived(sheet: Sheet, layout: Layout, grid: _Grid, place: int, rest: Sequence[int]) -> Derived | None:
    own = grid.numbers[place]
    stated = ~np.isnan(own)
    if int(stated.sum()) < _FEWEST or len(np.unique(own[stated])) < _FEWEST - 1:
        return None

    def made(how: str, parts: Sequence[int]) -> Derived:
        label = _label(sheet, layout, grid.axis, int(grid.at[place]))
        return Derived(grid.axis, int(grid.at[place]), how, tuple(parts), label, grid.cross)

    before = [other for other in rest if other < place]
    if (how := _of_those_before(grid, place, before)) is not None:
        return made(how, grid.at[before].tolist())
    lines = [*grid.totals, *((int(grid.at[other]), grid.numbers[other]) for other in rest)]
    for at, part in lines if place >= len(grid.at) - _EDGE else ():
        if _is_share(own, part):
            return made(SHARE, [at])
        if grid.axis == "column" and _ranks(own, part):
            return made(RANK, [at])
    return None


def _of_those_before(grid: _Grid, place: int, before: Sequence[int]) -> str | None:
    """What a line says of all those before it: their sum, the change, the mean, how many there are; None if nothing."""
    own, parts = grid.numbers[place], grid.numbers[before]
    stated, edge = ~np.isnan(own), place >= len(grid.at) - _EDGE
    if grid.axis == "column" and len(before) > 1 and stated.all():
        for how in (RUNNING, CHANGE, MEAN) if edge and len(before) > 2 else (RUNNING,):
            if follows(how, own, parts).all():
                return how
    behind = any(at < grid.at[place] for at, _ in grid.totals)
    ways = (COUNT, ABOVE, BELOW) if edge and before else ()
    return next((how for how in ways if _counts(how, own[stated], parts[:, stated], behind=behind)), None)


def _counts(how: str, own: Numbers, parts: Numbers, *, behind: bool) -> bool:
    """Whether figures count those before them, beyond chance; less is asked of a line behind a total.

    A count is one of as many as there are lines, and a bound may lie anywhere among them.
    """
    if (own % 1 != 0).any() or (own < 0).any() or own.max() > len(parts) or not follows(how, own, parts).all():
        return False
    bounds = 1.0 if how == COUNT else float(parts.size)
    return bool(bounds / (len(parts) + 1.0) ** len(own) < (_BY_CHANCE if behind else _BY_CHANCE**2))


def _is_share(own: Numbers, part: Numbers) -> bool:
    alike = bool((np.isnan(part) == np.isnan(own)).all())
    return alike and places_of(own) >= 2 and bool(follows(SHARE, own, part[None, :]).all())


def _ranks(own: Numbers, part: Numbers) -> bool:
    if len(own) < _FEWEST_RANKED or np.isnan(own).any() or len(np.unique(part)) < _FEWEST_RANKED:
        return False
    return bool(follows(RANK, own, part[None, :]).all())


def _label(sheet: Sheet, layout: Layout, axis: Axis, at: int) -> str:
    cells = (
        [(row, at) for row in layout.boxhead_rows]
        if axis == "column"
        else [(at, column) for column in layout.stub_columns]
    )
    texts = [sheet.text(*cell) for cell in cells]
    return next((text for text in texts[::-1] if text), "")


def with_derived(layouts: Sequence[Layout], lines: Sequence[tuple[int, Derived]]) -> list[Layout]:
    """The blocks, read without some lines, with what is told of these; each line with the place of its block."""
    found = list(layouts)
    for place, line in lines if found else ():
        at = min(place, len(found) - 1)
        said = Evidence("derived", line.name, f"it holds {line.holds}")
        found[at] = replace(found[at], derived=(*found[at].derived, line), evidence=(*found[at].evidence, said))
    return found
