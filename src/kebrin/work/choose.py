"""Propose, prove, choose: where the first reading of a sheet is not clean, others are tried, and the proof judges them.

Each complaint has its own few tries, each of them one more thing stated. A try is taken only if it is clean where the first
was not: nothing unclaimed, nothing objected to, every label path once, every total a sum. So a sheet whose first reading is
clean costs nothing more, and no try can hide a cell that the first could not place.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind
from kebrin.grammar.periods import period_name
from kebrin.layout import Stated
from kebrin.table.arrays import repeated_rows

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.work.pieces import SheetWork

_DEEPEST, _WIDEST = 4, 4
# Records listed across have no more fields, a row each.
_MOST_FIELDS = 200
_SIGNS = {".": "point", ",": "comma"}


@dataclass(frozen=True, eq=False)
class Proposal:
    """One way to read a sheet: the sheet as it is read, what is stated, and what is said of it if it is taken."""

    sheet: Sheet
    stated: Stated
    said: str


def complaints(work: SheetWork) -> tuple[int, int, int, int]:
    """How far a reading is from clean: cells unclaimed, objections, repeated keys, totals that do not tie."""
    repeated = 0
    for piece in work.pieces:
        listed = piece.layout.listed or len(piece.layout.body_columns) == 1
        names = list(piece.table.dimensions)
        repeated += 0 if listed or not names else len(repeated_rows(piece.table.data.select(names)))
    return (
        work.ledger.unclaimed_count,
        len(work.ledger.objections),
        repeated,
        sum(piece.ties.failed for piece in work.pieces),
    )


def proposals(sheet: Sheet, stated: Stated | None, work: SheetWork) -> Iterator[Proposal]:
    """Other ways to read a sheet, by what is wrong with the first."""
    own = stated or Stated()
    unclaimed, _, repeated, _ = complaints(work)
    if not (unclaimed or repeated):
        return
    layouts = [piece.layout for piece in work.pieces]
    if len(layouts) != 1:
        return
    (layout,) = layouts
    depth, width = len(layout.boxhead_rows), len(layout.stub_columns)
    if own.boxhead is None and depth < _DEEPEST:
        yield Proposal(sheet, replace(own, boxhead=("",) * (depth + 1)), f"{depth + 1} rows are headings")
    if own.stub is None and width < _WIDEST:
        yield Proposal(sheet, replace(own, stub=("",) * (width + 1)), f"{width + 1} columns are labels")
    if own.fill == "" and repeated:
        yield Proposal(sheet, replace(own, fill="none"), "blank labels are not filled down")


def keeps_values(first: SheetWork, other: SheetWork) -> bool:
    """Whether another reading has every value cell of the first: it may place what was unclaimed, and nothing else."""
    cells = [
        {(row, column) for piece in work.pieces for row in piece.layout.body_rows.tolist()
         for column in piece.layout.body_columns.tolist()}
        for work in (first, other)
    ]  # fmt: skip
    return cells[0] <= cells[1]


def open_columns(sheet: Sheet, work: SheetWork) -> bool:
    """Whether the decimal sign of some body column is open."""
    opened = set(sheet.readings.open)
    return bool(opened) and any(opened & set(piece.layout.body_columns.tolist()) for piece in work.pieces)


def lies_across(sheet: Sheet) -> bool:
    """Whether a sheet lists its records across, a field to each row: rows of one kind each, columns of several.

    >>> from kebrin.cells import Sheet
    >>> rows = [["Vessel", "Gull", "Tern"], ["Built", 2001, 2011], ["Home port", "Hallan", "Brae"], ["Crew", 4, 5]]
    >>> lies_across(Sheet.of(rows)), lies_across(Sheet.of([list(row) for row in zip(*rows)]))
    (True, False)
    """
    rows = np.flatnonzero(sheet.filled.sum(axis=1) > 1)
    if not 3 <= len(rows) <= _MOST_FIELDS or (np.diff(rows) > 1).any():
        return False
    used = np.flatnonzero(sheet.filled[rows].any(axis=0))
    first, body = int(used[0]), used[1:]
    # What the records are called may be left out in the corner.
    if len(body) < 2 or not sheet.filled[np.ix_(rows, body)].all() or not sheet.filled[rows[1:], first].all():
        return False
    words = (sheet.kinds == Kind.TEXT) & ~sheet.data
    heads = [sheet.text(int(rows[0]), int(column)) for column in body]
    named = rows[sheet.filled[rows, first]]
    if not words[named, first].all() or not words[rows[0], body].all() or len(set(heads)) < len(heads):
        return False
    again = [[sheet.text(int(row), int(column)) for column in body] == heads for row in rows[1:]]
    cells = words[np.ix_(rows[1:], body)]
    if any(again) or period_name(heads):
        return False  # headings said again are no field
    alike = bool((cells.all(axis=1) | ~cells.any(axis=1)).all())
    said = cells.all(axis=1)
    # A word said of all ("free", "closed") stands for a figure.
    unlike = any(len({sheet.text(int(row), int(at)) for at in body}) > 1 for row in rows[1:][said])
    if not alike or not unlike or said.all():
        return False
    # One row of words before rows of figures may as well be a second row of headings: then columns are of one size, not rows.
    return int(said.sum()) > 1 or not said[0] or _of_one_size(sheet.numbers[np.ix_(rows[1:][~said], body)])


def _of_one_size(numbers: NDArray[np.float64]) -> bool:
    """Whether figures are more alike along their rows than down their columns."""
    if len(numbers) < 2 or np.isnan(numbers).any():
        return True
    sizes = np.log2(np.abs(numbers) + 1)
    return float(np.ptp(sizes, axis=1).mean()) < float(np.ptp(sizes, axis=0).mean())


def sign_by_ties(counts: dict[str, tuple[int, int]]) -> str:
    """The decimal sign under which totals tie while they do not under the other; '' if that is open too.

    >>> sign_by_ties({".": (12, 0), ",": (1, 11)}), sign_by_ties({".": (0, 0), ",": (0, 0)})
    ('.', '')
    """
    good = [sign for sign, (tied, failed) in counts.items() if tied and not failed]
    bad = [sign for sign, (tied, failed) in counts.items() if failed or not tied]
    return good[0] if len(good) == 1 and len(bad) == 1 else ""


def said_of_sign(sign: str, tied: int) -> str:
    """What is said of a sign that the totals show."""
    return f"a decimal {_SIGNS[sign]}: so {tied:,} stated totals tie, and with the other sign they do not"
