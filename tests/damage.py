"""Damages: layouts that are wrong in one way, to which the reach check must object."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.layout import Layout, Level, Role, Stated, TotalLine, find_layouts
from kebrin.table.arrays import repeated_rows
from kebrin.unpivoting import unpivot
from kebrin.work.leaving import verdict_of

if TYPE_CHECKING:
    from collections.abc import Iterator

    from kebrin.cells import Sheet

Damaged = tuple[str, Layout]


def damages(sheet: Sheet, layout: Layout) -> Iterator[Damaged]:
    """Every way in which this module knows how to damage a layout."""
    for at, level in enumerate(layout.stub):
        if level.texts:
            yield (
                f"label column {level.name} dropped",
                replace(layout, stub=(*layout.stub[:at], *layout.stub[at + 1 :])),
            )
    for at, level in enumerate(layout.boxhead):
        if len(level.texts) > 1 and level.name != layout.measures:
            rest = (*layout.boxhead[:at], *layout.boxhead[at + 1 :])
            yield f"heading row {level.name} dropped", replace(layout, boxhead=rest)
    if len(layout.stub) > 1:
        yield "two levels merged", replace(layout, stub=(_merged(*layout.stub[:2]), *layout.stub[2:]))
    for level in layout.stub[-1:]:
        if len(set(level.codes.tolist())) > 2:
            yield "labels off by one", replace(layout, stub=(*layout.stub[:-1], _rolled(level)))
    yield from _of_rows(layout)
    if not layout.listed:
        yield from _stated(sheet, layout)


def _of_rows(layout: Layout) -> Iterator[Damaged]:
    rows = layout.body_rows
    if len(rows) < 4:
        return
    for place in (0, len(rows) // 2, len(rows) - 1):
        row = int(rows[place])
        without = _without_row(layout, place)
        note = {(row, column): Role.NOTE for column in range(layout.area.left, layout.area.right + 1)}
        yield f"record {place} as a note", replace(without, texts={**without.texts, **note})
        yield f"record {place} gone", without
        parts = np.array([one for one in rows.tolist() if one != row][:2], np.int32)
        total = TotalLine("row", row, parts, "", cause="")
        yield f"record {place} as a total", replace(without, totals=(*without.totals, total))


def _stated(sheet: Sheet, layout: Layout) -> Iterator[Damaged]:
    """Damages that are made by stating what the sheet does not show."""
    depth, width = len(layout.boxhead_rows), len(layout.stub_columns)
    tries = {
        "corner lower": Stated(boxhead=("",) * (depth + 1)),
        "corner righter": Stated(stub=("",) * (width + 1)),
        "totals kept": Stated(totals_found=False) if layout.totals else None,
    }
    for name, stated in tries.items():
        if stated is None:
            continue
        try:
            found = find_layouts(sheet, stated)
        except Exception:  # noqa: BLE001, S112 - what can't be stated is no damage
            continue
        if len(found) == 1 and found[0].area == layout.area and found[0].shape != layout.shape:
            yield name, found[0]


def _without_row(layout: Layout, place: int) -> Layout:
    kept = np.array([at for at in range(len(layout.body_rows)) if at != place], np.intp)
    return replace(layout, body_rows=layout.body_rows[kept], stub=tuple(level.at(kept) for level in layout.stub))


def _merged(outer: Level, inner: Level) -> Level:
    labels = [" ".join(filter(None, pair)) or None for pair in zip(outer.labels(), inner.labels(), strict=True)]
    return replace(Level.of(inner.name, labels, inner.line, inner.cells.tolist()), head=inner.head)


def _rolled(level: Level) -> Level:
    return replace(level, codes=np.roll(level.codes, 1), cells=np.roll(level.cells, 1))


def is_objected_to(sheet: Sheet, layout: Layout) -> bool:
    """Whether the check finds something wrong: reach, or a key that repeats."""
    try:
        table = unpivot(sheet, layout)
    except Exception:  # noqa: BLE001 - it does not even become a table
        return True
    if not verdict_of(sheet, [layout], [table]).holds:
        return True
    listed = layout.listed or len(layout.body_columns) == 1
    names = list(table.columns if listed else table.dimensions)
    return bool(names) and bool(len(repeated_rows(table.data.select(names))))
