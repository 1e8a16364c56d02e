"""Values that are merged over several cells of a body: a text stands for each of them, of a figure a person says so."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.table import Finding, FindingKind

if TYPE_CHECKING:
    from kebrin.cells import Area, Sheet
    from kebrin.layout import Layout, Stated
    from kebrin.work.pieces import SheetWork

_TOLD = 6
EACH, ONCE = "each", "once"


def inside(sheet: Sheet, layout: Layout) -> list[Area]:
    """The merges over several cells of a block's body that say something."""
    rows, columns = set(layout.body_rows.tolist()), set(layout.body_columns.tolist())
    return [
        area for area in sheet.merges
        if (area.top, area.left) != (area.bottom, area.right) and sheet.filled[area.top, area.left]
        and area.top in rows and area.left in columns
        and len(rows & set(range(area.top, area.bottom + 1))) * len(columns & set(range(area.left, area.right + 1))) > 1
    ]  # fmt: skip


def spread(sheet: Sheet, work: SheetWork, stated: Stated | None) -> Sheet | None:
    """The sheet with what is merged over cells of its bodies in each of them; None where nothing is, or once is meant."""
    said = stated.merged if stated is not None else ""
    if not sheet.merges or said == ONCE:
        return None
    areas = [area for piece in work.pieces for area in inside(sheet, piece.layout)] if work.pieces else _inner(sheet)
    areas = [area for area in areas if said == EACH or not sheet.data[area.top, area.left]]
    return sheet.spread(areas) if areas else None


def told(sheet: Sheet, other: Sheet) -> Finding:
    """What is told of a sheet whose merged texts stand in each of their cells."""
    areas = [area for area in sheet.merges if area not in other.merges]
    cells = tuple(sheet.address(area.top, area.left) for area in areas[:_TOLD])
    many = len(areas) > 1
    what = (
        f"{len(areas):,} value{'s' * many} merged over several cells {'stand' if many else 'stands'} for each of them"
    )
    return Finding(FindingKind.READING, what, sheet.source, sheet.name, cells, len(areas))


def _inner(sheet: Sheet) -> list[Area]:
    """Merges of texts on a sheet without a table, right of the first column and below the first row that says several things."""
    rows, columns = np.flatnonzero(sheet.filled.sum(axis=1) > 1), np.flatnonzero(sheet.filled.any(axis=0))
    if not len(rows):
        return []
    top, left = int(rows[0]), int(columns[0])
    return [area for area in sheet.merges if area.top > top and area.left > left and sheet.filled[area.top, area.left]]
