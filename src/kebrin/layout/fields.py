"""Fields: single values beside a label outside the block ("Route code: N4")."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Kind, Sheet, neat
from kebrin.layout.model import FieldCell

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

_IN_ONE = re.compile(r"(?P<name>[^:0-9][^:]{0,39}?)\s*:\s*(?P<value>\S.*)", re.DOTALL)
_LABEL = re.compile(r"[^:]*[^\W\d_][^:]*:\s*")
# A value further to the right than this belongs to something else.
_REACH = 4


def find_fields(sheet: Sheet, block: Area | None, around: NDArray[np.bool_] | None = None) -> tuple[FieldCell, ...]:
    """The fields outside a block, in reading order.

    A label ends with a colon, its value in the same cell, in the next filled cell to the right, or in the cell below.

    Args:
        sheet: the sheet.
        block: the block's rectangle, or None if there is none.
        around: the cells to look at; all outside the block by default.

    >>> sheet = Sheet.of([["Route code:", "N4"], ["Season: summer", None]])
    >>> [(field.name, field.value, field.address) for field in find_fields(sheet, None)]
    [('Route code', 'N4', 'B1'), ('Season', 'summer', 'A2')]
    """
    found: list[FieldCell] = []
    taken: set[tuple[int, int]] = set()
    for row, column in _texts_outside(sheet, block):
        if around is not None and not around[row, column]:
            continue
        if (row, column) in taken:
            continue
        # Below a block, "Note: ..." and "Source: ..." are the rule and fields the exception.
        above = block is None or row < block.top
        text = str(sheet.at(row, column)).strip()
        if _LABEL.fullmatch(text):
            at = _value_beside(sheet, block, row, column)
            if at is not None:
                name = neat(text).rstrip(" :")
                found.append(FieldCell(name, sheet.text(*at), (row, column), at))
                taken.add(at)
        elif above and (match := _IN_ONE.fullmatch(text)) and "\n" not in text:
            found.append(FieldCell(neat(match["name"]), neat(match["value"]), (row, column), (row, column)))
    return tuple(found)


def _texts_outside(sheet: Sheet, block: Area | None) -> Iterator[tuple[int, int]]:
    """Text cells above or below the block (its own rows hold labels, not fields)."""
    limits = (0, -1) if block is None else (block.top, block.bottom)
    above = sheet.kinds[: limits[0]] == Kind.TEXT
    below = sheet.kinds[limits[1] + 1 :] == Kind.TEXT
    yield from ((int(row), int(column)) for row, column in zip(*above.nonzero(), strict=True))
    yield from ((int(row) + limits[1] + 1, int(column)) for row, column in zip(*below.nonzero(), strict=True))


def stated_field(sheet: Sheet, name: str, label: str, *, below: bool = False) -> FieldCell | None:
    """The field beside (or below) a stated label; None if no cell bears the label or nothing stands there.

    The label may stand in a cell of its own or before the value in one cell; its colon may be left out.

    >>> sheet = Sheet.of([["Route code: N4"]])
    >>> stated_field(sheet, "route code", "Route code:").value
    'N4'
    """
    sought = neat(label).rstrip(" :").casefold()
    for row, column in np.argwhere(sheet.kinds == Kind.TEXT).tolist():
        text = neat(str(sheet.at(row, column)))
        if text.rstrip(" :").casefold() == sought:
            at = _value_below(sheet, None, row, column) if below else _value_beside(sheet, None, row, column)
            if at is not None:
                return FieldCell(name, sheet.text(*at), (row, column), at)
        elif not below and text.casefold().startswith(sought) and text[len(sought) :].lstrip().startswith(":"):
            return FieldCell(name, text[len(sought) :].lstrip()[1:].strip(), (row, column), (row, column))
    return None


def _value_beside(sheet: Sheet, block: Area | None, row: int, column: int) -> tuple[int, int] | None:
    merge = _merge_at(sheet, row, column)
    for right in range(merge.right + 1, min(merge.right + 1 + _REACH, sheet.shape[1])):
        if sheet.filled[row, right]:
            return None if _is_label(sheet, row, right) else (row, right)
    return _value_below(sheet, block, row, column)


def _value_below(sheet: Sheet, block: Area | None, row: int, column: int) -> tuple[int, int] | None:
    below = _merge_at(sheet, row, column).bottom + 1
    inside = block is not None and block.holds(below, column)
    if below < sheet.shape[0] and not inside and sheet.filled[below, column] and not _is_label(sheet, below, column):
        return below, column
    return None


def _merge_at(sheet: Sheet, row: int, column: int) -> Area:
    return next((area for area in sheet.merges if area.holds(row, column)), Area(row, column, row, column))


def _is_label(sheet: Sheet, row: int, column: int) -> bool:
    return sheet.kinds[row, column] == Kind.TEXT and _LABEL.fullmatch(str(sheet.at(row, column)).strip()) is not None
