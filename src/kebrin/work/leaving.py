"""What a layout leaves out, as claims for the reach check; and the verdict on a sheet's layouts and tables."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.layout import PLACED, STATED, Role, page_cells
from kebrin.layout.model import UNIT_ROW
from kebrin.proof import FieldAt, Left, Said, Verdict, Why, reach

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.cells import Sheet
    from kebrin.layout import Layout, Stated, TotalLine
    from kebrin.layout.model import Counted, Derived
    from kebrin.table import Table


def verdict_of(
    sheet: Sheet, layouts: Sequence[Layout], tables: Sequence[Table], stated: Stated | None = None
) -> Verdict:
    """What became of each cell of a sheet: the tables' origins, and what the layouts left out, checked.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout import find_layouts
    >>> from kebrin.unpivoting import unpivot
    >>> sheet = Sheet.of([["Sailing", "Foot"], ["08:00", 12.0], [None, None], [None, None], [None, None], [7.0, None]])
    >>> layouts = find_layouts(sheet)
    >>> verdict_of(sheet, layouts, [unpivot(sheet, layouts[0])]).unclaimed.tolist()
    [[5, 0]]
    """
    left = left_of(sheet, layouts)
    said = Said() if stated is None else Said(
        (*stated.not_totals, *stated.records), stated.boxhead is not None, stated.stub is not None, stated.cutins is not None
    )  # fmt: skip
    if any({f"{measure} mark" for measure in table.measures} & set(table.columns) for table in tables):
        return reach(sheet, tables, left, fields_of(layouts), said)
    verdict = reach(sheet, tables, left, fields_of(layouts), said)
    return verdict.without_marks()


def fields_of(layouts: Sequence[Layout]) -> list[FieldAt]:
    """The fields around some blocks."""
    found = [FieldAt(one.name, one.label_at, one.value_at) for layout in layouts for one in layout.fields]
    # A title that names a period is a column too.
    titles = [(one.title_name, one.title_at) for one in layouts if one.title_name and one.title_at]
    return [*found, *(FieldAt(name, at, at) for name, at in titles)]


def left_of(sheet: Sheet, layouts: Sequence[Layout]) -> list[Left]:
    """What some layouts leave out, with the reasons."""
    pages = page_cells(sheet) if layouts else ()
    left: list[Left] = [Left(Why.PAGE, "cells", cells=pages)] if pages else []
    for layout in layouts:
        left += [Left(Why.HIDDEN, "row", row) for row in layout.hidden_rows]
        left += [Left(Why.HIDDEN, "column", column) for column in layout.hidden_columns]
        left += [_total(sheet, layout, line) for line in layout.totals]
        left += [Left(Why.REPEAT, "row", row, like=layout.boxhead_rows) for row in layout.repeats]
        left += [Left(Why.PAGE, "row", row) for row in layout.pages]
        left += [Left(Why.STATED, axis, at) for axis, at in layout.left_out]
        left += [Left(Why.STATED, "cells", cells=layout.left_cells)] if layout.left_cells else []
        left += [*_unit_lines(layout), *_corner_units(sheet, layout)]
        left += _marks(layout)
        left += [_count(sheet, layout, one) for one in layout.counts]
        left += [Left(Why.ABOUT, "row", one.row, one.cells, stated=one.stated, label=one.label) for one in layout.about]
        left += [_derived(one) for one in layout.derived]
        left += _bands_left(sheet, layout)
        for role, why in ((Role.TITLE, Why.TITLE), (Role.NOTE, Why.NOTE)):
            cells = tuple(at for at, own in layout.texts.items() if own == role)
            left += [Left(why, "cells", cells=cells)] if cells else []
    if not layouts:
        plain = np.argwhere(sheet.filled & (~sheet.data | (sheet.data.sum() == 1)))
        left.append(Left(Why.NOTE, "cells", cells=tuple((int(row), int(column)) for row, column in plain)))
    return left


def _total(sheet: Sheet, layout: Layout, line: TotalLine) -> Left:
    why = Why.MEAN if line.mean else Why.TOTAL if len(line.parts) else Why.CARRIED
    labels = (
        [sheet.text(line.at, column) for column in layout.stub_columns]
        if line.axis == "row"
        else [sheet.text(row, line.at) for row in layout.boxhead_rows]
    )
    label = " / ".join(filter(None, labels))
    return Left(
        why, line.axis, line.at, parts=line.parts, cause=line.cause, placed=line.cause in PLACED, stated=line.cause == STATED,
        label=label,
    )  # fmt: skip


def _unit_lines(layout: Layout) -> list[Left]:
    """Heading rows that became no level."""
    used = {part.line for level in layout.boxhead for part in level.parts}
    columns = [*layout.body_columns.tolist(), *(line.at for line in layout.total_lines("column"))]
    columns += layout.stub_columns if layout.listed else []
    return [
        Left(
            Why.STATED if row in layout.silent_rows else Why.UNIT,
            "cells",
            cells=tuple((row, column) for column in columns),
        )
        for row in layout.boxhead_rows
        if row not in used
    ]


def _corner_units(sheet: Sheet, layout: Layout) -> list[Left]:
    """Units over the label columns, on a row of units."""
    heads = {level.head for level in layout.stub}
    rows = {*layout.unit_rows, *(level.line for level in layout.boxhead if level.name == UNIT_ROW)}
    cells = [(row, at) for row in rows for at in layout.stub_columns if sheet.filled[row, at]]
    own = tuple(cell for cell in cells if cell[0] * sheet.shape[1] + cell[1] not in heads)
    return [Left(Why.UNIT, "cells", cells=own)] if own else []


def _count(sheet: Sheet, layout: Layout, one: Counted) -> Left:
    """A line that counts the signs of a body, its label and what it counts over all included."""
    area = layout.area
    down, across = slice(area.top, area.bottom + 1), slice(area.left, area.right + 1)
    places = (
        [(one.at, area.left + int(at)) for at in np.flatnonzero(sheet.filled[one.at, across])]
        if one.axis == "row"
        else [(area.top + int(at), one.at) for at in np.flatnonzero(sheet.filled[down, one.at])]
    )
    parts, columns = one.rows.astype(np.int32), one.columns.astype(np.int32)
    return Left(Why.COUNT, one.axis, one.at, tuple(places), parts, columns, one.signs)


def _bands_left(sheet: Sheet, layout: Layout) -> list[Left]:
    """Heads over nothing but rows that sum others: "Persons" over the sums of "Men" and "Women" is left out with them."""
    totals = {line.at: line for line in layout.total_lines("row")}
    starts = sorted(set(layout.label_rows))
    rows = np.array(sorted([*layout.body_rows.tolist(), *totals]), np.intp)
    found = []
    for row, end in zip(starts, [*starts[1:], layout.area.bottom + 1], strict=False):
        own = rows[(rows > row) & (rows < end)].tolist()
        if own and all(at in totals for at in own):
            first = _total(sheet, layout, totals[own[0]])
            cells = tuple((row, column) for column in layout.stub_columns if sheet.filled[row, column])
            found.append(replace(first, axis="cells", cells=cells, placed=False))
    return found


def _derived(one: Derived) -> Left:
    parts = np.array(one.parts, np.int32)
    return Left(Why.DERIVED, one.axis, one.at, parts=parts, across=one.cross, cause=one.how, label=one.label)


def _marks(layout: Layout) -> list[Left]:
    rows = [*layout.body_rows.tolist(), *(line.at for line in layout.total_lines("row")), *layout.boxhead_rows]
    return [Left(Why.MARK, "cells", cells=tuple((row, column) for row in rows)) for column, _ in layout.mark_columns]
