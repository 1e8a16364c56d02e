"""Cells that rules draw on a page: where lines go down and across, each box between them is a cell, whatever stands in it.

A text that is wrapped within its box stays in one cell, and a box that no line parts spans the columns or rows that others have.
Rules that go one way only, and boxes that hold whole columns, tell no rows: there the places of the texts tell more.
"""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

# Edges nearer than this, in points, are one line; an edge covers a side of a box if it goes along so much of it.
_NEAR, _COVERS = 2.0, 0.8
_FEWEST_COLUMNS, _FEWEST_ROWS = 2, 3
# So many edges on a page are a drawing.
_MOST_EDGES = 10_000


class Edge(NamedTuple):
    """A line that is drawn down or across, in points: where it begins and ends."""

    x0: float
    y0: float
    x1: float
    y1: float

    @property
    def is_across(self) -> bool:
        """Whether it goes across."""
        return self.x1 - self.x0 >= self.y1 - self.y0


class Box(NamedTuple):
    """A cell: its first and last row and column, counted from above and from the left."""

    top: int
    left: int
    bottom: int
    right: int


@dataclass(frozen=True)
class Ruled:
    """The cells between rules: the places of the lines down (ascending) and across (from above), and the boxes they draw."""

    xs: tuple[float, ...]
    ys: tuple[float, ...]
    boxes: tuple[Box, ...]

    @cached_property
    def _box_of(self) -> dict[tuple[int, int], Box]:
        return {
            (row, column): box
            for box in self.boxes
            for row in range(box.top, box.bottom + 1)
            for column in range(box.left, box.right + 1)
        }

    @cached_property
    def _downward(self) -> list[float]:
        return [-y for y in self.ys]

    def box_at(self, x: float, y: float) -> Box | None:
        """The box around a place; None outside of them."""
        return self._box_of.get((bisect_right(self._downward, -y) - 1, bisect_right(self.xs, x) - 1))


def edges_of(x0: float, y0: float, x1: float, y1: float, *, outlined: bool) -> list[Edge]:
    """The lines that a drawn shape is, by its bounds: a thin one is a line itself, an outlined box has four.

    >>> len(edges_of(0, 0, 100, 0.5, outlined=False)), len(edges_of(0, 0, 100, 20, outlined=True))
    (1, 4)
    >>> edges_of(0, 0, 100, 20, outlined=False)
    []
    """
    if y1 - y0 <= _NEAR or x1 - x0 <= _NEAR:
        across = x1 - x0 >= y1 - y0
        middle = (y0 + y1) / 2 if across else (x0 + x1) / 2
        return [Edge(x0, middle, x1, middle) if across else Edge(middle, y0, middle, y1)]
    if not outlined:
        return []  # a coloured band behind a text
    return [Edge(x0, y0, x1, y0), Edge(x0, y1, x1, y1), Edge(x0, y0, x0, y1), Edge(x1, y0, x1, y1)]


def find_ruled(edges: Sequence[Edge]) -> list[Ruled]:
    """The grids of cells that edges draw, from above.

    >>> down = [Edge(x, 0, x, 60) for x in (0, 50, 100)]
    >>> across = [Edge(0, y, 100, y) for y in (0, 20, 40)]
    >>> (found,) = find_ruled([*down, *across, Edge(0, 60, 100, 60)])
    >>> found.ys, len(found.boxes), found.box_at(60, 50)
    ((60, 40, 20, 0), 6, Box(top=0, left=1, bottom=0, right=1))
    """
    if len(edges) > _MOST_EDGES:
        return []
    found = [ruled for group in _connected(edges) if (ruled := _ruled(group)) is not None]
    return sorted(found, key=lambda one: (-one.ys[0], one.xs[0]))


def _connected(edges: Sequence[Edge]) -> Iterator[list[Edge]]:
    """The edges that touch one another, in groups."""
    groups: list[tuple[list[float], list[Edge]]] = []
    for one in sorted(edges, key=lambda one: -one.y1):
        # What ends above this edge is touched by none that follows.
        yield from (own for bounds, own in groups if bounds[1] > one.y1 + _NEAR)
        groups = [group for group in groups if group[0][1] <= one.y1 + _NEAR]
        bounds, own = [*one], [one]
        apart = []
        for group in groups:
            (x0, y0, x1, y1), others = group
            if x0 - _NEAR <= one.x1 and one.x0 <= x1 + _NEAR:
                bounds = [min(bounds[0], x0), min(bounds[1], y0), max(bounds[2], x1), max(bounds[3], y1)]
                own = [*others, *own] if len(others) < len(own) else _added(others, own)
            else:
                apart.append(group)
        groups = [*apart, (bounds, own)]
    yield from (own for _, own in groups)


def _added(others: list[Edge], own: list[Edge]) -> list[Edge]:
    """A longer list with a shorter one behind it, without a copy of the longer one."""
    others += own
    return others


def _ruled(edges: Sequence[Edge]) -> Ruled | None:
    across, down = ([one for one in edges if one.is_across == way] for way in (True, False))
    xs, ys = _places([one.x0 for one in down]), _places([one.y0 for one in across])[::-1]
    columns, rows = len(xs) - 1, len(ys) - 1
    if columns < _FEWEST_COLUMNS or rows < _FEWEST_ROWS:
        return None
    along_x = _runs([(one.x0, one.y0, one.y1) for one in down], xs)
    along_y = _runs([(one.y0, one.x0, one.x1) for one in across], ys)
    beside = [[_covered(along_x[x], ys[row + 1], ys[row]) for x in xs] for row in range(rows)]
    below = [[_covered(along_y[y], xs[at], xs[at + 1]) for at in range(columns)] for y in ys]
    boxes: list[Box] = []
    taken: set[tuple[int, int]] = set()
    for row in range(rows):
        for column in range(columns):
            if (row, column) in taken:
                continue
            right, bottom = column, row
            while right + 1 < columns and not beside[row][right + 1]:
                right += 1
            while bottom + 1 < rows and not below[bottom + 1][column]:
                bottom += 1
            taken |= {(down_, along) for down_ in range(row, bottom + 1) for along in range(column, right + 1)}
            boxes.append(Box(row, column, bottom, right))
    return Ruled(tuple(xs), tuple(ys), tuple(boxes))


def _places(found: Sequence[float]) -> list[float]:
    """Where lines are, those that are near one another once, ascending."""
    places: list[float] = []
    for one in sorted(found):
        if not places or one - places[-1] > _NEAR:
            places.append(one)
    return places


def _runs(
    edges: Sequence[tuple[float, float, float]], places: Sequence[float]
) -> dict[float, list[tuple[float, float]]]:
    """How far lines go along each place: edges that touch or overlap are one run."""
    ascending = sorted(places)
    found: dict[float, list[tuple[float, float]]] = {place: [] for place in places}
    for at, first, last in sorted(edges):
        # A place is the first of the edges near it.
        found[ascending[max(bisect_right(ascending, at) - 1, 0)]].append((first, last))
    for place, own in found.items():
        runs: list[tuple[float, float]] = []
        for first, last in sorted(own):
            if runs and first <= runs[-1][1] + _NEAR:
                runs[-1] = (runs[-1][0], max(runs[-1][1], last))
            else:
                runs.append((first, last))
        found[place] = runs
    return found


def _covered(runs: Sequence[tuple[float, float]], low: float, high: float) -> bool:
    """Whether lines go along nearly all of a side."""
    at = max(bisect_right(runs, (low, float("inf"))) - 1, 0)
    covered = 0.0
    for first, last in runs[at:]:
        if first >= high:
            break
        covered += max(min(last, high) - max(first, low), 0.0)
    return covered >= _COVERS * (high - low)
