"""Filled-in forms as records: a row of headings and one of what was filled in beside or below each label."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.address import a1
from kebrin.cells import Kind, kinds_of
from kebrin.errors import LayoutError, Place, nearest
from kebrin.layout.form_labels import NOWHERE, Pair, heads_box

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.form_labels import Cell

_UNIT = re.compile(r"(?P<label>.*\S) \((?P<unit>[^()]+)\)")
_NUMBERED = re.compile(r"(?P<label>.*\S) (?P<number>[2-9])")


def as_one_record(sheet: Sheet, names: Sequence[str]) -> Sheet:
    """A form as a row of headings and one of what was filled in; every cell knows where it stands in the file.

    What is no label and nothing filled in stands above them, as titles; what stands below a label and heads none is told. A label
    that this copy lacks is a heading over nothing.

    >>> from kebrin.cells import Sheet
    >>> record = as_one_record(Sheet.of([["Vessel", "Skua"], ["Built", 2001.0], ["Port", None]]), ["Vessel", "Built", "Port"])
    >>> record.values.tolist(), record.address(1, 1)
    ([['Vessel', 'Built', 'Port'], ['Skua', 2001.0, None]], 'B2')

    Raises:
        LayoutError: most labels stand nowhere on the sheet, a cell is neither a label nor beside one, or some are hidden.
    """
    if sheet.has_hidden_lines:
        raise LayoutError(
            "the form has hidden rows or columns", Place(sheet.source, sheet.name), why="what they hold may be filled in or not",
            do="Show them or take them out, or leave the sheet out in the plan (sheets = { except = [...] })",
        )  # fmt: skip
    pairs = _found(sheet, names)
    used = {cell for pair in pairs for cell in (pair.label, pair.value)}
    units = {pair.unit for pair in pairs}
    labels = np.zeros(sheet.shape, np.bool_)
    for pair in pairs:
        if pair.label != NOWHERE:
            labels[pair.label] = True
    rest = [cell for cell in zip(*(at.tolist() for at in np.nonzero(sheet.filled)), strict=True) if cell not in used]
    for cell in rest:
        if cell not in units and not heads_box(sheet, cell, labels):
            _refuse_unlabelled(sheet, cell)
    top, width = len(rest), len(pairs)
    places = np.full((top + 2, width, 2), -1, np.int32)
    values = np.full((top + 2, width), None, dtype=object)
    for row, cell in enumerate(rest):
        places[row, 0], values[row, 0] = cell, sheet.values[cell]
    for column, pair in enumerate(pairs):
        places[top, column], values[top, column] = pair.label, pair.name
        places[top + 1, column] = pair.value
        if pair.label != NOWHERE and pair.value[0] < sheet.shape[0] and pair.value[1] < sheet.shape[1]:
            values[top + 1, column] = sheet.values[pair.value]
    told = [f"this copy of the form has no {pair.name!r}" for pair in pairs if pair.label == NOWHERE]
    told += [
        f"{sheet.text(*cell)!r} on a line of its own has no label and is left out"
        for cell in rest
        if _heads_nothing(cell, labels)
    ]
    return replace(
        sheet, values=values, kinds=kinds_of(values), merges=(), look_up_formats=None, has_hidden_lines=False, places=places,
        laid=sheet, told=(*sheet.told, *told), hints=replace(sheet.hints, codes=frozenset(), heads=top, ends=-1, spanned=None),
    )  # fmt: skip


def _heads_nothing(cell: Cell, labels: NDArray[np.bool_]) -> bool:
    """Whether a text stands below the first labels, and none stand right below it: it may have been filled in."""
    row = cell[0]
    return bool(labels[:row].any()) and not labels[row : row + 3].any()


def _found(sheet: Sheet, names: Sequence[str]) -> list[Pair]:
    """Where stated labels stand on a sheet, and what is filled in beside or below each."""
    grid = np.full(sheet.shape, "", dtype=object)
    for row, column in zip(*np.nonzero(sheet.kinds == Kind.TEXT), strict=True):
        grid[row, column] = sheet.text(row, column).rstrip(": ").casefold()
    labels: dict[Cell, str] = {}
    absent: list[str] = []
    for name in names:
        cell = next((cell for cell in _places_of(grid, name.casefold()) if cell not in labels), None)
        if cell is None:
            absent.append(name)
        else:
            labels[cell] = name
    if 2 * len(absent) > len(names):
        raise _absent(sheet, absent[0], grid)
    found = {name: _with_unit(sheet, Pair(name, cell, _value_of(sheet, cell, labels))) for cell, name in labels.items()}
    return [found.get(name, Pair(name, NOWHERE, NOWHERE)) for name in names]


def _with_unit(sheet: Sheet, pair: Pair) -> Pair:
    """A pair with the cell of its unit, where its name has one that its label has not.

    Raises:
        LayoutError: another unit stands there.
    """
    match = _UNIT.fullmatch(pair.name)
    if match is None or sheet.text(*pair.label).casefold().rstrip(": ").endswith(f"({match['unit'].casefold()})"):
        return pair
    row, column = pair.value
    behind = (
        next((at for at in range(column + 1, sheet.shape[1]) if sheet.filled[row, at]), -1)
        if row < sheet.shape[0]
        else -1
    )
    said = sheet.text(row, behind) if behind >= 0 else ""
    if said == match["unit"]:
        return pair._replace(unit=(row, behind))
    raise LayoutError(
        f"the form gives {match['label']!r} in {said or 'no unit'}", Place(sheet.source, sheet.name, a1(*pair.value)),
        why=f"it is stated in {match['unit']!r}",
        do="Have a step convert it from a plan of its own for such sheets, or correct the unit in form",
    )  # fmt: skip


def _places_of(grid: NDArray[np.object_], name: str) -> list[Cell]:
    """The cells that say a label, which may be named with the text that stands over it, with its number, or with its unit."""
    cells = [(int(row), int(column)) for row, column in zip(*np.nonzero(grid == name), strict=True)]
    if cells:
        return cells
    found: list[Cell] = []
    over = [(row, text) for row in range(grid.shape[0]) for text in grid[row] if text and name.startswith(f"{text} ")]
    for row, text in over:
        below = np.nonzero(grid[row + 1 :] == name[len(text) + 1 :])
        found += [(row + 1 + int(at), int(column)) for at, column in zip(*below, strict=True)][:1]
    if found:
        return found
    if (match := _NUMBERED.fullmatch(name)) is not None:
        return _places_of(grid, match["label"])[int(match["number"]) - 1 :]
    match = _UNIT.fullmatch(name)
    return [] if match is None else _places_of(grid, match["label"])


def _value_of(sheet: Sheet, label: Cell, labels: dict[Cell, str]) -> Cell:
    row, column = label
    for at in range(column + 1, sheet.shape[1]):
        if (row, at) in labels:
            break
        if sheet.filled[row, at]:
            return row, at
    below = (row + 1, column)
    if row + 1 < sheet.shape[0] and sheet.filled[below] and below not in labels:
        return below
    return below if (row, column + 1) in labels else (row, column + 1)


def _absent(sheet: Sheet, name: str, grid: NDArray[np.object_]) -> LayoutError:
    near = nearest(name.casefold(), [text for text in grid.ravel() if text])
    return LayoutError(
        f"the form has no label {name!r}", Place(sheet.source, sheet.name), why="no cell of the sheet says it",
        do=f"Did you mean {near!r}? Change form in the plan" if near else "Change form in the plan, or leave the sheet out",
    )  # fmt: skip


def _refuse_unlabelled(sheet: Sheet, cell: Cell) -> None:
    """A cell that is no label, nothing that was filled in, no unit of it and no text on a line of its own would be lost."""
    text = sheet.text(*cell)
    if sheet.kinds[cell] == Kind.TEXT and int(sheet.filled[cell[0]].sum()) == 1:
        return
    raise LayoutError(
        f"{text!r} has no label of the form", Place(sheet.source, sheet.name, a1(*cell)),
        why="it is no label, and another cell is nearer to the label before it",
        do="Name its label too in form of the plan's layout; a unit is named with its label, as in 'Tonnes (t)'",
    )  # fmt: skip
