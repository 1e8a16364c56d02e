"""Rebuild: from the tidy table back to the block's body, by labels alone. It is the proof that unpivoting lost nothing."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.errors import PlanError
from kebrin.table import NO_CELL, Segment, Table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.layout import Layout, Level


def rebuild(table: Table, layout: Layout) -> NDArray[np.object_]:
    """The body of one block (body rows x body columns), total lines left out; None where there was nothing.

    Each value is put where its labels say. Lines that bear the same labels are told apart by the values' origin.

    Raises:
        PlanError: the table has lost a label column, or the layout is another block's.
    """
    body = np.full(layout.shape, None, dtype=object)
    start = 0
    for segment in table.origins.segments:
        stop = start + len(segment)
        if segment.sheet == layout.sheet:
            _refuse_other_labels(table, layout, segment)
            _put_back(table, layout, segment, slice(start, stop), body)
        start = stop
    return body


def _refuse_other_labels(table: Table, layout: Layout, segment: Segment) -> None:
    """Labels are matched by their order, so that they may have other names in the table than in the layout."""
    gone = [name for name in segment.labels if name not in table.columns]
    if gone:
        raise PlanError(
            f"the table has no column {gone[0]!r}", why="without its labels a value can't be put back",
            do="Rebuild before label columns are left out",
        )  # fmt: skip
    levels = [*layout.stub, *(level for level in layout.boxhead if level.name != layout.measures)]
    if len(levels) != len(segment.labels):
        raise PlanError(
            f"the layout has {len(levels)} levels of labels, the table has {len(segment.labels)}",
            why="they differ in which heading row holds measures", do="State measures in the same way for both",
        )  # fmt: skip


def _put_back(table: Table, layout: Layout, segment: Segment, part: slice, body: NDArray[np.object_]) -> None:
    across = [level for level in layout.boxhead if level.name != layout.measures]
    measures = layout.level(layout.measures) if layout.measures else None
    stub, head = segment.labels[: len(layout.stub)], segment.labels[len(layout.stub) :]
    rows = _places(table, part, layout.stub, stub, None, "")
    for name in table.measures:
        columns = _places(table, part, across, head, measures, name)
        values = table.data.column(name).slice(part.start, part.stop - part.start).to_pylist()
        at_rows, at_columns = segment.cells(name)
        for record, value in enumerate(values):
            if at_columns[record] == NO_CELL:
                continue
            row = _one(rows[record], layout.body_rows, int(at_rows[record]))
            column = _one(columns[record], layout.body_columns, int(at_columns[record]))
            body[row, column] = value


def _places(
    table: Table, part: slice, levels: Sequence[Level], names: Sequence[str], measures: Level | None, measure: str
) -> list[tuple[int, ...]]:
    """For each record, the body lines that bear its labels."""
    every = [*levels, measures] if measures is not None else list(levels)
    lines = len(every[0].codes) if every else 0
    by_path: dict[tuple[str | None, ...], list[int]] = {}
    for line, path in enumerate(zip(*(level.labels() for level in every), strict=True) if every else ()):
        by_path.setdefault(path, []).append(line)
    columns = [table.data.column(name).slice(part.start, part.stop - part.start).to_pylist() for name in names]
    count = part.stop - part.start
    paths = list(zip(*columns, strict=True)) if columns else [()] * count
    if measures is not None:
        own = measure if measure in measures.texts else None
        paths = [(*path, own) for path in paths]
    if not every:
        return [tuple(range(lines))] * count
    return [tuple(by_path[path]) for path in paths]


def _one(lines: tuple[int, ...], sheet_lines: NDArray[np.int32], wanted: int) -> int:
    if len(lines) == 1:
        return lines[0]
    return int(np.searchsorted(sheet_lines, wanted))
