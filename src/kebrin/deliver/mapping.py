"""The map of a sheet in the reading that was taken: what it is made of, what the proof objects to, what is asked."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.address import parse_a1
from kebrin.deliver.picture import draw_map
from kebrin.table import FindingKind
from kebrin.work.leaving import verdict_of

if TYPE_CHECKING:
    from kebrin.work.weighing import Weighed


def map_of(weighed: Weighed) -> bytes:
    """The map as PNG bytes, as the sheet lies in its file.

    Raises:
        OutputError: matplotlib is not installed.
    """
    work, sheet = weighed.work, weighed.sheet
    layouts = [piece.layout for piece in work.pieces]
    tables = [piece.table for piece in work.pieces]
    uses = verdict_of(sheet, layouts, tables).uses
    if sheet.laid is not None and sheet.places is not None:
        own = np.full(sheet.laid.shape, uses.dtype.type(0))
        there = ((sheet.places >= 0) & (sheet.places < sheet.laid.shape)).all(axis=2)
        own[tuple(sheet.places[there].T)] = uses[there]
        sheet, layouts, uses = sheet.laid, [], own
    elif sheet.is_turned:
        sheet, layouts, uses = sheet.turned(), [], uses.T
    said = [f"✗ {one}" for one in work.ledger.objections]
    said += [f"weighed   {one}" for one in weighed.readings] if len(weighed.readings) > 1 else []
    remarks = [*work.remarks, *(one for table in tables for one in table.remarks)]
    cells = [cell for one in remarks if one.kind == FindingKind.QUESTION for cell in one.cells]
    cells += [gap.cell for piece in work.pieces for gap in piece.ties.gaps]
    return draw_map(
        sheet, layouts, uses, said=said,
        objected=[place for one in work.ledger.objections for place in one.places],
        asked=[place for cell in cells if (place := parse_a1(cell)) is not None],
    )  # fmt: skip
