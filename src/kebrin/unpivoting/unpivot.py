"""Unpivot: from a sheet and a layout to one row per observation. Labels cost index arithmetic, not strings."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, Sheet
from kebrin.errors import Place, PlanError
from kebrin.layout.model import UNNAMED
from kebrin.table import NO_CELL, Finding, FindingKind, Labels, Origin, Segment, Table, arrays
from kebrin.unpivoting.value_columns import Cells, column_of, marks_of

if TYPE_CHECKING:
    from collections.abc import Container, Sequence

    from numpy.typing import NDArray

    from kebrin.layout import Layout, Level

Choice = Literal["", "keep", "leave out"]
# In a text file that is this full, a blank cell is a value that is missing; where more are blank they only fill the grid.
_FULL = 0.75
VALUE = "value"


@dataclass(frozen=True)
class Keep:
    """What is kept beyond the values: rows for empty cells (they are counted either way), footnote marks in columns.

    `texts` names measures that stay texts where they are texts, since a step reads them.
    """

    blanks: Choice = ""
    marks: Choice = "leave out"
    texts: frozenset[str] = frozenset()

    @classmethod
    def of(cls, blanks: bool, marks: bool) -> Keep:  # noqa: FBT001 - the options of a command in order
        """The same from two answers."""
        return cls("keep" if blanks else "", "keep" if marks else "leave out")


@dataclass(frozen=True, eq=False)
class _Groups:
    """Column groups: each gives one record per body row, with a column for each measure."""

    levels: tuple[Level, ...]  # boxhead levels that stay dimensions, over the groups
    columns: dict[str, NDArray[np.int32]]
    heads: dict[str, tuple[tuple[int, int], ...]]  # per measure the cells of its headings


def unpivot(sheet: Sheet, layout: Layout, *, measure: str = "", keep: Keep | None = None) -> Table:
    """One row per observation.

    Args:
        sheet: the sheet that the layout describes.
        layout: its layout.
        measure: name of the value column (default 'value'); with `layout.measures` set, each of that row's labels
            names a column of its own.
        keep: whether records whose cells are all empty, and footnote marks, are kept; both are left out by default.

    Returns:
        A table with the stub's levels, the boxhead's levels and the measure columns, in the sheet's own order; a column
        of marks stands behind its measure.

    Raises:
        PlanError: two of the columns would bear one name.
    """
    keep = keep or Keep()
    groups = (
        _by_measure(sheet, layout, measure or VALUE)
        if layout.measures
        else _one_measure(sheet, layout, measure or VALUE)
    )
    _refuse_same_names(sheet, layout, groups)
    records = len(layout.body_rows) * len(next(iter(groups.columns.values()), ()))
    whole = Segment(sheet.source, sheet.name, layout.body_rows, groups.columns)
    # A record of a list stays one, whatever it lacks.
    kept = None if layout.listed or keep.blanks == "keep" else _not_empty(sheet, whole)
    labels = tuple(level.name for level in (*layout.stub, *groups.levels))
    segment = Segment(
        sheet.source, sheet.name, layout.body_rows, groups.columns, kept, labels,
        _sources(sheet, layout, groups), groups.heads,
    )  # fmt: skip
    columns: dict[str, pa.Array] = _dimensions(layout, groups, kept)
    remarks: list[Finding] = []
    explained = frozenset(mark for mark, _ in layout.notes)
    for name in groups.columns:
        cells = Cells.at(sheet, *segment.cells(name))
        columns[name], said = column_of(
            cells, name, listed=layout.listed, as_texts=name in keep.texts, explained=explained
        )
        remarks += said
        marks = marks_of(cells, {value: mark for mark, value in layout.mark_columns}, explained)
        if keep.marks == "keep" and any(marks):
            columns[_free(f"{name} mark", columns)] = _labels(marks)
    remarks = _with_meanings(sheet, layout, remarks)
    data = pa.Table.from_arrays(list(columns.values()), names=list(columns))
    table = Table(data, tuple(groups.columns), Origin((segment,)), (), tuple(remarks))
    empty = records - len(segment)
    note = f"{empty:,} empty cells left out" if empty else ""
    return table.step(f"unpivot {sheet.name}", records, note)


def _free(name: str, taken: Container[str]) -> str:
    return _free(f"{name} 2", taken) if name in taken else name


def _labels(texts: Sequence[str]) -> pa.Array:
    known = {text: at for at, text in enumerate(dict.fromkeys(filter(None, texts)))}
    return arrays.labels(np.array([known.get(text, -1) for text in texts], np.int32), list(known))


def _with_meanings(sheet: Sheet, layout: Layout, remarks: list[Finding]) -> list[Finding]:
    """The remarks, with what the notes say of the footnote marks."""
    if not layout.notes:
        return remarks
    said = "; ".join(f"{mark} stands for {text!r}" for mark, text in layout.notes)
    return [*remarks, Finding(FindingKind.FOOTNOTE, said, sheet.source, sheet.name, count=len(layout.notes))]


def _one_measure(sheet: Sheet, layout: Layout, measure: str) -> _Groups:
    """One column of values; a level of headings that says its name over every column, and nothing else, is that name."""
    levels, heads = layout.boxhead, {}
    if (
        levels
        and levels[-1].texts == (measure,)
        and (levels[-1].codes >= 0).all()
        and levels[-1].name.startswith(UNNAMED)
    ):
        cells = dict.fromkeys(levels[-1].cells.tolist())
        levels, heads = levels[:-1], {measure: tuple(divmod(cell, sheet.shape[1]) for cell in cells if cell >= 0)}
    return _Groups(levels, {measure: layout.body_columns}, heads)


def _by_measure(sheet: Sheet, layout: Layout, fallback: str) -> _Groups:
    """Group the body columns by all boxhead levels but the one that holds measures."""
    measures = layout.level(layout.measures)
    others = tuple(level for level in layout.boxhead if level is not measures)
    found: dict[tuple[int, ...], list[int]] = {}
    columns: dict[str, list[int]] = {(text or fallback): [] for text in measures.texts}
    if (measures.codes < 0).any():
        columns.setdefault(fallback, [])
    keys = list(zip(*(level.codes.tolist() for level in others), strict=True)) or [()] * len(measures.codes)
    firsts: list[int] = []
    for at, key in enumerate(keys):
        column, name = int(layout.body_columns[at]), measures.label(at) or fallback
        group = next((group for group in found.get(key, ()) if columns[name][group] == NO_CELL), None)
        if group is None:
            group = len(firsts)
            firsts.append(at)
            found.setdefault(key, []).append(group)
            for listed in columns.values():
                listed.append(NO_CELL)
        columns[name][group] = column
    levels = tuple(level.at(np.array(firsts, np.intp)) for level in others)
    heads: dict[str, tuple[tuple[int, int], ...]] = {}
    for part in measures.parts:
        for at, cell in enumerate(part.cells.tolist()):
            name = measures.label(at) or fallback
            heads[name] = (*heads.get(name, ()), *([divmod(cell, sheet.shape[1])] if cell >= 0 else []))
    return _Groups(levels, {name: np.array(listed, np.int32) for name, listed in columns.items()}, heads)


def _sources(sheet: Sheet, layout: Layout, groups: _Groups) -> tuple[Labels, ...]:
    """Where the labels come from: the stub's levels, then those of the boxhead, for each measure by itself."""
    width = sheet.shape[1]
    found = [_labels_of(level.name, 0, level.cells, level.head, width) for level in layout.stub]
    if not layout.measures:
        return (*found, *(
            replace(_labels_of(level.name, 1, one.cells, one.head, width), part=bool(level.joined), pattern=level.pattern)
            for level in groups.levels for one in level.parts
        ))  # fmt: skip
    of_column = {column: at for at, column in enumerate(layout.body_columns.tolist())}
    names = {level.name for level in groups.levels}
    for measure, columns in groups.columns.items():
        at = np.array([of_column.get(column, -1) for column in columns.tolist()], np.intp)
        for level in layout.boxhead:
            if level.name in names:
                cells = np.where(at >= 0, level.cells[at], -1)
                labels = _labels_of(level.name, 1, cells, level.head, sheet.shape[1], measure)
                found.append(replace(labels, pattern=level.pattern))
    return tuple(found)


def _labels_of(name: str, axis: int, cells: NDArray[np.int64], head: int, width: int, measure: str = "") -> Labels:
    rows, columns = (np.where(cells >= 0, one, -1).astype(np.int32) for one in np.divmod(cells, width))
    return Labels(name, axis, rows, columns, divmod(head, width) if head >= 0 else (-1, -1), measure)


def _refuse_same_names(sheet: Sheet, layout: Layout, groups: _Groups) -> None:
    names = [level.name for level in (*layout.stub, *groups.levels)] + list(groups.columns)
    twice = sorted(name for name, count in Counter(names).items() if count > 1)
    if twice:
        raise PlanError(
            f"two columns would be named {twice[0]!r}", Place(sheet.source, sheet.name, layout.address),
            why=f"the columns are {', '.join(names)}", do="State other names for the boxhead rows, the stub or the measure",
        )  # fmt: skip


def _not_empty(sheet: Sheet, segment: Segment) -> NDArray[np.int64] | None:
    """The records with something in at least one of their cells, and those of rows that have nothing; None if that is all."""
    kept = np.zeros((len(segment.rows), segment.width), np.bool_)
    for columns in segment.columns.values():
        there = columns != NO_CELL
        kept[:, there] |= sheet.kinds[np.ix_(segment.rows, columns[there])] != Kind.BLANK
    kept[~kept.any(axis=1)] = True  # or what labels the row would be lost
    return None if kept.all() else np.flatnonzero(kept.ravel())


def _dimensions(layout: Layout, groups: _Groups, kept: NDArray[np.int64] | None) -> dict[str, pa.Array]:
    rows, width = len(layout.body_rows), len(next(iter(groups.columns.values()), ()))
    columns: dict[str, pa.Array] = {}
    for level in layout.stub:
        codes = np.repeat(level.codes, width)
        columns[level.name] = arrays.labels(codes if kept is None else codes[kept], level.texts)
    for level in groups.levels:
        codes = np.tile(level.codes, rows)
        columns[level.name] = arrays.labels(codes if kept is None else codes[kept], level.texts)
    return columns
