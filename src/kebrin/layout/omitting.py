"""What a person leaves out of a sheet: rows and columns by place or label, blocks by number, place or title, cells by place."""

from __future__ import annotations

import re
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.address import column_number
from kebrin.cells import Sheet, a1, neat, parse_a1
from kebrin.errors import LayoutError, Place
from kebrin.layout.stating import find_text, texts_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.layout.model import Layout, Stated
    from kebrin.layout.play import Play

_SHEET = re.compile(r"sheets?\s+(.+)", re.IGNORECASE)
_BLOCK = re.compile(r"block\s+(.+)", re.IGNORECASE)
_CELLS = re.compile(r"cells?\s+(\$?[A-Za-z]{1,3}\$?\d+)(?:\s*[:–-]\s*(\$?[A-Za-z]{1,3}\$?\d+))?", re.IGNORECASE)
_ROWS = re.compile(r"rows?\s+(\d+)(?:\s*[-–]\s*(\d+))?", re.IGNORECASE)
_COLUMNS = re.compile(r"columns?\s+([A-Za-z]{1,3})(?:\s*[-–]\s*([A-Za-z]{1,3}))?", re.IGNORECASE)


def lines_left_out(sheet: Sheet, stated: Sequence[str]) -> tuple[tuple[Literal["row", "column"], int], ...]:
    """The rows and columns that a person leaves out, by place or by a label that one of their cells bears.

    >>> sheet = Sheet.of([["Quay", "Jan", "Notes"], ["East", 1, "x"], ["Test line", 9, "y"]])
    >>> lines_left_out(sheet, ["Test*", "column C"])
    (('row', 2), ('column', 2))

    Raises:
        LayoutError: nothing on the sheet is called so.
    """
    found: list[tuple[Literal["row", "column"], int]] = []
    for said in stated:
        if _SHEET.match(said.strip()) or _BLOCK.match(said.strip()) or _CELLS.fullmatch(said.strip()):
            continue
        rows, columns = _ROWS.fullmatch(said.strip()), _COLUMNS.fullmatch(said.strip())
        if rows is not None:
            first, last = int(rows[1]), int(rows[2] or rows[1])
            found += [("row", at - 1) for at in range(first, last + 1) if at <= sheet.shape[0]]
        elif columns is not None:
            first, last = (column_number(letters) for letters in (columns[1], columns[2] or columns[1]))
            found += [("column", at) for at in range(first, last + 1) if at < sheet.shape[1]]
        else:
            own = [_line_called(sheet, row, column) for row, column, text in texts_of(sheet)
                   if fnmatchcase(text.casefold(), neat(said).casefold())]  # fmt: skip
            if not own:
                find_text(sheet, said, "leave_out")
            found += own
    return tuple(dict.fromkeys(found))


def _line_called(sheet: Sheet, row: int, column: int) -> tuple[Literal["row", "column"], int]:
    """Whether a label names its row or its column: figures stand right of it, or below it."""
    beside = int(sheet.data[row, column + 1 :].sum())
    return ("row", row) if beside or not sheet.data[row + 1 :, column].any() else ("column", column)


def sheets_left_out(names: Sequence[str], stated: Sequence[str]) -> tuple[str, ...]:
    """The sheets that a person leaves out ("sheet Test*").

    >>> sheets_left_out(["Traffic", "Test 1", "Test 2"], ["sheet test*", "row 7"])
    ('Test 1', 'Test 2')
    """
    wanted = [match[1].casefold() for said in stated if (match := _SHEET.fullmatch(said.strip()))]
    return tuple(name for name in names if any(fnmatchcase(name.casefold(), pattern) for pattern in wanted))


def inside(sheet: Sheet, play: Play, within: str) -> Play:
    """The rows and columns in play inside a stated rectangle.

    Raises:
        LayoutError: it is no rectangle of the sheet.
    """
    corners = [parse_a1(corner) for corner in within.replace("$", "").upper().split(":")]
    first, last = corners[0], corners[-1]
    if first is None or last is None or first[0] >= sheet.shape[0] or first[1] >= sheet.shape[1]:
        raise LayoutError(
            f"within names {within!r}, which is no rectangle of this sheet", Place(sheet.source, sheet.name),
            do="State it as in C4:F7, or by the name of a table object or a named range",
        )  # fmt: skip
    rows = play.rows[(play.rows >= first[0]) & (play.rows <= last[0])]
    columns = play.columns[(play.columns >= first[1]) & (play.columns <= last[1])]
    return replace(play, rows=rows, columns=columns)


def without_blocks(sheet: Sheet, layouts: list[Layout], said: Stated) -> list[Layout]:
    """The blocks that are not left out; the first of them bears the cells of those that are, and of what is not read at all.

    Raises:
        LayoutError: no block is meant by what is stated, or all are.
    """
    wanted = [match[1].strip() for one in said.leave_out if (match := _BLOCK.fullmatch(one.strip()))]
    if not layouts or not (wanted or said.within):
        return layouts
    gone: set[int] = set()
    for name in wanted:
        own = [at for at, layout in enumerate(layouts) if _is_meant(layout, at, name)]
        if not own:
            shown = ", ".join(
                f"{at + 1} at {one.address}" + f" ({one.title})" * bool(one.title) for at, one in enumerate(layouts)
            )
            raise LayoutError(
                f"leave_out names the block {name!r}, which is not on this sheet", Place(sheet.source, sheet.name),
                why=f"its blocks are {shown}", do="Correct leave_out in the plan",
            )  # fmt: skip
        gone.update(own)
    kept = [layout for at, layout in enumerate(layouts) if at not in gone]
    if not kept:
        raise LayoutError(
            "leave_out names every block of the sheet", Place(sheet.source, sheet.name),
            do="Leave the sheet out in the plan instead (sheets = { except = [...] })",
        )  # fmt: skip
    cells = {at for number in gone for at in _cells_of(sheet, layouts[number])}
    if said.within:
        cells |= _outside(sheet, said.within, kept)
    return [replace(kept[0], left_cells=tuple(sorted(cells))), *kept[1:]]


def without_cells(sheet: Sheet, layouts: list[Layout], said: Stated) -> list[Layout]:
    """The blocks, the first of them bearing the cells that a person leaves out ("cell A2", "cells A2:C2").

    Raises:
        LayoutError: one of them is a value, a label or a heading of a block.
    """
    places = [match for one in said.leave_out if (match := _CELLS.fullmatch(one.strip()))]
    if not places or not layouts:
        return layouts
    used = {cell for layout in layouts for cell in _read(sheet, layout)}
    gone: set[tuple[int, int]] = set()
    for place in places:
        first, last = (parse_a1(corner.replace("$", "").upper()) for corner in (place[1], place[2] or place[1]))
        if first is None or last is None:
            continue
        own = {
            (row, column)
            for row in range(first[0], min(last[0] + 1, sheet.shape[0]))
            for column in range(first[1], min(last[1] + 1, sheet.shape[1]))
        }
        taken = sorted(own & used)
        if taken:
            raise LayoutError(
                f"leave_out names {place[0]!r}, which the table is made of", Place(sheet.source, sheet.name, a1(*taken[0])),
                why="it is a value, a label or a heading", do="Leave out its row or its column, or correct leave_out in the plan",
            )  # fmt: skip
        gone |= {cell for cell in own if sheet.filled[cell]}
    first_layout = layouts[0]
    return [replace(first_layout, left_cells=tuple(sorted({*first_layout.left_cells, *gone}))), *layouts[1:]]


def _read(sheet: Sheet, layout: Layout) -> set[tuple[int, int]]:
    """The cells that a block's values and labels are read from."""
    flat = [cell for level in (*layout.stub, *layout.boxhead) for cell in set(level.cells.tolist()) if cell >= 0]
    body = {(row, column) for row in layout.body_rows.tolist() for column in layout.body_columns.tolist()}
    return body | {divmod(cell, sheet.shape[1]) for cell in flat}


def _outside(sheet: Sheet, within: str, layouts: Sequence[Layout]) -> set[tuple[int, int]]:
    """The filled cells outside a rectangle that are no field of a block."""
    first, last = (
        parse_a1(corner) for corner in (within.split(":", maxsplit=1)[0], within.rsplit(":", maxsplit=1)[-1])
    )
    filled = sheet.filled.copy()
    if first is not None and last is not None:
        filled[first[0] : last[0] + 1, first[1] : last[1] + 1] = False
    fields = {at for layout in layouts for field in layout.fields for at in (field.label_at, field.value_at)}
    return {(row, column) for row, column in np.argwhere(filled).tolist()} - fields


def _is_meant(layout: Layout, at: int, said: str) -> bool:
    """Whether a block is meant: by its number, its place or its title."""
    title = fnmatchcase(neat(layout.title).casefold(), neat(said).casefold())
    return title or said == str(at + 1) or said.replace("$", "").upper() == layout.address


def _cells_of(sheet: Sheet, layout: Layout) -> set[tuple[int, int]]:
    """The filled cells of a block, its title and notes among them."""
    area = layout.area
    inside = np.argwhere(sheet.filled[area.top : area.bottom + 1, area.left : area.right + 1])
    return {(row + area.top, column + area.left) for row, column in inside.tolist()} | set(layout.texts)
