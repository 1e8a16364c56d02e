"""How full each column is by source: the sheet of which a column came out empty stands out among its siblings."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.proof import Fill
from kebrin.table import Finding, FindingKind

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.work.pieces import Piece

# A column stands out where it holds less than the first share in one source and more than the second in the middle of all.
_HARDLY, _MOSTLY, _FEWEST = 0.1, 0.8, 3
_SHOWN = 4


def fills_of(pieces: Sequence[Piece]) -> tuple[Fill, ...]:
    """What each block gave: the cells that went in, the rows that came out, the share of these that each column is filled in."""
    found = []
    for piece in pieces:
        rows = len(piece.table)
        data = piece.table.data
        own = [name for name in piece.table.columns if name not in piece.lacks]  # of what it lacks it says so itself
        shares = {name: 1 - data.column(name).null_count / rows if rows else 0.0 for name in own}
        cells = sum(account.cells for account in piece.body.values())
        found.append(Fill(piece.file, piece.sheet, piece.layout.address, cells, rows, shares))
    return tuple(found)


def emptier(fills: Sequence[Fill]) -> list[Finding]:
    """Sources that gave no row, and those in which a column is hardly filled that is mostly filled in the others."""
    if len(fills) < _FEWEST:
        return []
    full = {(one.file, one.sheet) for one in fills if one.rows}
    bare = [one for one in fills if not one.rows and (one.file, one.sheet) not in full]
    what = f"no row came of {_some(bare)}, and some came of the others"
    said = [Finding(FindingKind.EMPTY_COLUMN, what, bare[0].file, count=len(bare))] if bare and full else []
    fills = [one for one in fills if one.rows]
    for name in dict.fromkeys(name for one in fills for name in one.shares):
        shares = sorted(one.shares[name] for one in fills if name in one.shares)
        low = [one for one in fills if one.shares.get(name, 1.0) < _HARDLY]
        if low and shares[len(shares) // 2] > _MOSTLY:
            what = f"{name} is empty on nearly all rows of {_some(low)}, and filled elsewhere"
            said.append(Finding(FindingKind.EMPTY_COLUMN, what, low[0].file, count=len(low)))
    return said


def _some(fills: Sequence[Fill]) -> str:
    more = f" and {len(fills) - _SHOWN} more" if len(fills) > _SHOWN else ""
    return ", ".join(f"{one.sheet} of {Path(one.file).name}" for one in fills[:_SHOWN]) + more
