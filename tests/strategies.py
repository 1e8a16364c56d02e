"""Reports made from their truth: the tidy records come first, the messy sheet is built from them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
from hypothesis import strategies as st

from kebrin.address import Area
from kebrin.cells import Sheet
from kebrin.grammar.words import average_word, extreme_word, is_ratio, says_whole, total_word

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

Path = tuple[str, ...]
LETTERS = "abcdefghijkmnopqrstuvwxyz"


@dataclass
class Made:
    """A sheet and what it says: label paths of body rows and columns, and the body (None where empty)."""

    sheet: Sheet
    stub: list[Path]
    boxhead: list[Path]
    body: NDArray[np.object_]
    stub_names: list[str]
    boxhead_names: list[str]
    corner: str
    totals: int = 0
    records: list[tuple[Any, ...]] = field(default_factory=list)


def means_nothing(text: str) -> bool:
    """Whether a label is no word that says what its line is: "all", "share" and "mean" do."""
    return not any((total_word(text), average_word(text), extreme_word(text), is_ratio(text), says_whole(text)))


@st.composite
def trees(draw: st.DrawFn, depth: int, most: int = 4) -> list[Path]:
    """Label paths of the given depth, in order; labels differ among the children of one parent."""
    if depth == 0:
        return [()]
    plain = st.text(LETTERS, min_size=2, max_size=6).filter(means_nothing)
    names = draw(st.lists(plain, min_size=1, max_size=most, unique=True))
    return [(name, *rest) for name in names for rest in draw(trees(depth - 1, 3))]


@st.composite
def reports(draw: st.DrawFn, *, totals: bool | None = None, blanks: bool = True) -> Made:
    """A report: 1 to 4 heading rows, 1 to 3 label columns, merged or first-cell-only, with or without totals."""
    depth, width = draw(st.integers(1, 4)), draw(st.integers(1, 3))
    across, down = draw(trees(depth)), draw(trees(width))
    cells = st.integers(-999, 99_999).map(float)
    value = st.one_of(st.none(), cells, cells) if blanks else cells
    listed = draw(st.lists(value, min_size=len(down) * len(across), max_size=len(down) * len(across)))
    body = np.array(listed, dtype=object).reshape(len(down), len(across))
    body[0, :] = [5.0 if cell is None else cell for cell in body[0, :]]  # no column and no row is wholly blank
    body[:, 0] = [7.0 if cell is None else cell for cell in body[:, 0]]
    merged = draw(st.booleans())
    with_totals = draw(st.booleans()) if totals is None else totals
    return _built(draw, across, down, body, merged=merged, with_totals=with_totals)


def _built(
    draw: st.DrawFn, across: list[Path], down: list[Path], body: NDArray[np.object_], *, merged: bool, with_totals: bool
) -> Made:
    depth, width = len(across[0]), len(down[0])
    top, left = draw(st.integers(0, 3)), draw(st.integers(0, 2))
    rows, columns = top + depth + len(down) + with_totals, left + width + len(across)
    grid = np.full((rows, columns), "", dtype=object)
    stub_names = [f"Stub {at}" for at in range(width)]
    grid[top + depth - 1, left : left + width] = stub_names
    merges: list[Area] = []
    for level in range(depth):
        for first, last, label in _runs(across, level):
            at = top + level, left + width + first
            grid[at] = label
            if merged and last > first:
                merges.append(Area(at[0], at[1], at[0], left + width + last))
    for level in range(width):
        for first, last, label in _runs(down, level):
            at = top + depth + first, left + level
            grid[at] = label
            if merged and last > first:
                merges.append(Area(at[0], at[1], top + depth + last, at[1]))
    inner = grid[top + depth : top + depth + len(down), left + width :]
    inner[:] = [["" if cell is None else cell for cell in row] for row in body]
    if with_totals:
        grid[-1, left] = "Total"
        grid[-1, left + width :] = [sum(cell for cell in column if cell is not None) for column in body.T]
    sheet = Sheet.of(grid.tolist(), merges=merges)
    names = [f"Level {at}" for at in range(depth)]
    return Made(sheet, down, across, body, stub_names, names, stub_names[-1], int(with_totals))


def _runs(paths: Sequence[Path], level: int) -> list[tuple[int, int, str]]:
    """Runs of lines that share a path down to a level: first, last, label."""
    runs: list[tuple[int, int, str]] = []
    for at, path in enumerate(paths):
        if runs and paths[at - 1][: level + 1] == path[: level + 1] and level < len(path) - 1:
            first, _, label = runs[-1]
            runs[-1] = (first, at, label)
        else:
            runs.append((at, at, path[level]))
    return runs
