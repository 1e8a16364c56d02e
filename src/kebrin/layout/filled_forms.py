"""Filled-in forms: a sheet of labels, each with what was filled in beside or below it, is one record.

Sheets of one form say which of their cells are labels: those that say the same on all of them. What differs was filled in.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.address import a1
from kebrin.cells import Kind, kinds_of
from kebrin.errors import LayoutError, Place, nearest
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import is_unit_said

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

# A form has so many labels, and what was filled in differs in so many of them from sheet to sheet.
FEWEST, MOST = 3, 80
_FEWEST_OTHERS = 2
Cell = tuple[int, int]
_NOWHERE: Cell = (-1, -1)


class Pair(NamedTuple):
    """A label of a form, the cell that it stands in, and the cell that is filled in (rows and columns from 0)."""

    name: str
    label: Cell
    value: Cell


def alike_forms(sheets: Sequence[Sheet]) -> tuple[str, ...]:
    """The labels of the form that some sheets are filled-in copies of; () where they are none.

    A list that is said anew on every sheet is none: its headings stand over columns of one kind, and say the same on each sheet.

    >>> from kebrin.cells import Sheet
    >>> pages = [Sheet.of([["Vessel", name, "Built", year], ["Hull", hull, "Port", "Brae"]])
    ...          for name, hull, year in (("Skua", "steel", 2001.0), ("Tern", "wood", 2011.0))]
    >>> alike_forms(pages)
    ('Vessel', 'Built', 'Hull', 'Port')
    """
    if len(sheets) < 2:
        return ()
    texts, figures = _texts_of(sheets)
    filled = (texts != "").any(axis=0)
    said, same = _said_alike(texts)
    same &= ~figures
    pairs = _pairs(said, filled, same)
    others = [pair for pair in pairs if not same[pair.value] and filled[pair.value]]
    if not FEWEST <= len(pairs) <= MOST or len(others) < _FEWEST_OTHERS or _is_list(texts, figures, same, pairs):
        return ()
    return tuple(pair.name for pair in _named(said, pairs))


def labels_of(sheet: Sheet, *, or_list: bool = False) -> tuple[str, ...]:
    """The labels of a form that stands alone: all end with a colon, or stand before what is of several kinds; () if it is none.

    With `or_list`, what may as well be a list under its heading (a word over figures) is none.

    >>> from kebrin.cells import Sheet
    >>> labels_of(Sheet.of([["Vessel:", "Skua", "Built:", 2001.0], ["Port:", "Brae", "Master:", None]]))
    ('Vessel', 'Built', 'Port', 'Master')
    """
    if int(sheet.filled.sum()) > 2 * MOST:
        return ()
    grid, figures = _texts_of([sheet])
    texts: NDArray[np.str_] = grid[0]
    filled = texts != ""
    several = filled & (filled.sum(axis=1) > 1)[:, None]
    same = _label_cells(sheet, texts, figures, several)
    pairs = [] if same is None else _named(texts, _pairs(texts, filled, same))
    if same is None or not pairs:
        return ()
    cells = sorted(pair.value for pair in pairs if filled[pair.value])
    inner = [cell for cell in cells if cell[0] > cells[0][0]]
    beside = {column: [cell for cell in inner if cell[1] == column] for _, column in inner}
    if any(_heads_figures(filled, figures, filled, cell, beside[cell[1]]) for cell in inner):
        return ()
    if or_list and _is_list(grid, figures, np.zeros(texts.shape, np.bool_), pairs):
        return ()
    names = [pair.name for pair in pairs]
    said = sum(bool(filled[pair.value]) for pair in pairs)
    sound = FEWEST <= len(names) <= MOST and len(set(names)) == len(names) and 2 * said > len(names)
    return tuple(names) if sound and int(several.sum()) <= int(same.sum()) + said else ()


def _label_cells(
    sheet: Sheet, texts: NDArray[np.str_], figures: NDArray[np.bool_], several: NDArray[np.bool_]
) -> NDArray[np.bool_] | None:
    """Where the labels of one form stand: texts with a colon, or every other column before what is of several kinds."""
    colons: NDArray[np.bool_] = np.char.endswith(texts, ":")
    if int(colons.sum()) >= FEWEST:
        near = colons | np.roll(colons, 1, axis=1) | np.roll(colons, 2, axis=1)
        return colons if (several <= near).all() else None
    columns = np.flatnonzero(several.any(axis=0))
    same = np.zeros(texts.shape, np.bool_)
    same[:, columns[::2]] = several[:, columns[::2]]
    kinds = sheet.kinds[:, columns[1::2]][several[:, columns[1::2]]]
    return None if len(columns) % 2 or len(np.unique(kinds)) < 2 or (figures & same).any() else same


def as_one_record(sheet: Sheet, names: Sequence[str]) -> Sheet:
    """A form as a row of headings and one of what was filled in; every cell knows where it stands in the file.

    What is no label and nothing filled in stands above them, as titles. A label that this copy lacks is a heading over nothing.

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
    rest = [cell for cell in zip(*(at.tolist() for at in np.nonzero(sheet.filled)), strict=True) if cell not in used]
    for cell in rest:
        _refuse_unlabelled(sheet, cell)
    top, width = len(rest), len(pairs)
    places = np.full((top + 2, width, 2), -1, np.int32)
    values = np.full((top + 2, width), None, dtype=object)
    for row, cell in enumerate(rest):
        places[row, 0], values[row, 0] = cell, sheet.values[cell]
    for column, pair in enumerate(pairs):
        places[top, column], values[top, column] = pair.label, pair.name
        places[top + 1, column] = pair.value
        if pair.label != _NOWHERE and pair.value[0] < sheet.shape[0] and pair.value[1] < sheet.shape[1]:
            values[top + 1, column] = sheet.values[pair.value]
    lacking = [f"this copy of the form has no {pair.name!r}" for pair in pairs if pair.label == _NOWHERE]
    return replace(
        sheet, values=values, kinds=kinds_of(values), merges=(), look_up_formats=None, has_hidden_lines=False, places=places,
        laid=sheet, told=(*sheet.told, *lacking), hints=replace(sheet.hints, codes=frozenset(), heads=top),
    )  # fmt: skip


def _is_merged_over(sheet: Sheet, cell: Cell) -> bool:
    """Whether a text heads several columns of labels and what is filled in."""
    return any((area.top, area.left) == cell and area.right > area.left for area in sheet.merges)


def _texts_of(sheets: Sequence[Sheet]) -> tuple[NDArray[np.str_], NDArray[np.bool_]]:
    """What the cells say (sheets x rows x columns), and where some sheet has a figure or a date (rows x columns)."""
    height, width = (max(sheet.shape[axis] for sheet in sheets) for axis in (0, 1))
    texts = np.full((len(sheets), height, width), "", dtype=object)
    figures = np.zeros((height, width), np.bool_)
    for number, sheet in enumerate(sheets):
        rows, columns = sheet.shape
        for row, column in zip(*np.nonzero(sheet.filled), strict=True):
            texts[number, row, column] = sheet.text(row, column)
        figures[:rows, :columns] |= (sheet.kinds > Kind.TEXT) | (sheet.data & sheet.filled)
    return texts.astype(str), figures


def _said_alike(texts: NDArray[np.str_]) -> tuple[NDArray[np.str_], NDArray[np.bool_]]:
    """What the cells of most sheets say, and where all that have the cell say the same; a copy may lack a line."""
    order = np.sort(texts, axis=0)
    first = np.maximum((order == "").sum(axis=0), 0)
    most = len(texts) - first
    first = np.minimum(first, len(texts) - 1)
    said = np.take_along_axis(order, first[None], axis=0)[0]
    return said, (said == order[-1]) & (2 * most > len(texts))


def _pairs(texts: NDArray[np.str_], filled: NDArray[np.bool_], same: NDArray[np.bool_]) -> list[Pair]:
    """The labels with what is filled in; [] where something that is filled in has none."""
    given = filled & ~same
    columns = np.asarray(given.any(axis=0))
    pairs: list[Pair] = []
    labels_above: dict[int, Cell] = {}
    for row in np.flatnonzero(filled.any(axis=1)).tolist():
        cells = np.flatnonzero(filled[row]).tolist()
        if given[row, cells[0]]:
            found = _below(row, cells, labels_above, given)
            if found is None:
                return []
            pairs = [pair for pair in pairs if pair.label not in {label for label, _ in found}]
            pairs += [Pair(texts[label].rstrip(": "), label, value) for label, value in found]
            labels_above = {}
            continue
        beside = _beside(row, cells, same, columns, texts)
        if beside is None:
            return []
        labels_above = {column: (row, column) for column in cells} if all(same[row, column] for column in cells) else {}
        pairs += [Pair(texts[label].rstrip(": "), label, value) for label, value in beside]
    return pairs


def _below(
    row: int, cells: Sequence[int], above: dict[int, Cell], given: NDArray[np.bool_]
) -> list[tuple[Cell, Cell]] | None:
    """The pairs of a row that is filled in below a row of labels; a text alone is a title or a note."""
    if not above:
        return [] if len(cells) == 1 else None
    if not all(given[row, column] and column in above for column in cells):
        return None
    return [(label, (row, column)) for column, label in above.items()]


def _beside(
    row: int, cells: Sequence[int], same: NDArray[np.bool_], columns: NDArray[np.bool_], texts: NDArray[np.str_]
) -> list[tuple[Cell, Cell]] | None:
    """The pairs of a row in which labels stand before what is filled in; None if something there has no label."""
    pairs: list[tuple[Cell, Cell]] = []
    label: Cell | None = None
    unit = False
    for column, behind in zip(cells, [*cells[1:], -1], strict=True):
        is_value = label is not None and (not same[row, column] or bool(columns[column]))
        if is_value and label is not None:
            pairs.append((label, (row, column)))
            label, unit = None, True
        elif not same[row, column]:
            return None
        elif (
            unit
            and is_unit_said(str(texts[row, column]))
            and (behind < 0 or (same[row, behind] and not columns[behind]))
        ):
            unit = False
        else:
            if label is not None and len(cells) > 2:  # a field that nobody filled in, or a heading of the labels
                pairs.append((label, (row, label[1] + 1)))
            label, unit = (row, column), False
    if label is not None and len(cells) > 1 and pairs:
        pairs.append((label, (row, label[1] + 1)))
    taken = {value for _, value in pairs}
    return [(own, value) for own, value in pairs if own not in taken]


def _is_list(
    texts: NDArray[np.str_], figures: NDArray[np.bool_], same: NDArray[np.bool_], pairs: Sequence[Pair]
) -> bool:
    """Whether what seems filled in is a column below its heading: a word or a period over figures, or over what is said anew."""
    by_column: dict[int, list[Cell]] = {}
    for pair in pairs:
        by_column.setdefault(pair.value[1], []).append(pair.value)
    said = (texts != "").any(axis=0)
    for cells in by_column.values():
        own_cells = sorted(cell for cell in cells if said[cell])
        if any(_heads_figures(said, figures, same, cell, own_cells) for cell in own_cells):
            return True
        first, *rest = own_cells or [(0, 0)]
        if len(rest) < FEWEST - 1:
            continue
        heads = texts[(slice(None), *first)].tolist()
        own = [bool(figures[cell]) for cell in rest]
        if not figures[first] and (same[first] or all(own)):
            return True
        series = all(period_name([text]) for text in heads) or len({_letters(text) for text in heads}) == 1
        if len(by_column) == 1 and len(set(own)) == 1 and series:
            return True
    return False


def _heads_figures(
    said: NDArray[np.bool_], figures: NDArray[np.bool_], same: NDArray[np.bool_], cell: Cell, cells: Sequence[Cell]
) -> bool:
    """Whether a word that all copies say begins a section of nothing but figures: a list stands there under its heading."""
    row = cell[0]
    if not same[cell] or figures[cell] or (row and said[row - 1].any()):
        return False
    below = [other for at, other in enumerate(other for other in cells if other[0] > row) if other[0] == row + 1 + at]
    return len(below) >= _FEWEST_OTHERS and all(bool(figures[other]) for other in below)


def _letters(text: str) -> str:
    return "".join(letter for letter in text if letter.isalpha())


def _named(texts: NDArray[np.str_], pairs: Sequence[Pair]) -> list[Pair]:
    """The pairs with names of their own: a label that comes twice bears the text alone on its line that stands over it."""
    names = [pair.name for pair in pairs]
    labels = {pair.label for pair in pairs}

    def own(pair: Pair) -> Pair:
        if names.count(pair.name) < 2:
            return pair
        above = [
            texts[row, column]
            for row in range(pair.label[0])
            for column in np.flatnonzero(texts[row] != "").tolist()[:1]
            if (texts[row] != "").sum() == 1 and (row, column) not in labels and column <= pair.label[1]
        ]
        return pair._replace(name=f"{above[-1].rstrip(': ')} {pair.name}") if above else pair

    return [own(pair) for pair in pairs]


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
    found = {name: Pair(name, cell, _value_of(sheet, cell, labels)) for cell, name in labels.items()}
    return [found.get(name, Pair(name, _NOWHERE, _NOWHERE)) for name in names]


def _places_of(grid: NDArray[np.object_], name: str) -> list[Cell]:
    """The cells that say a label; one that comes twice is named with the text that stands over it."""
    cells = [(int(row), int(column)) for row, column in zip(*np.nonzero(grid == name), strict=True)]
    if cells:
        return cells
    found: list[Cell] = []
    over = [(row, text) for row in range(grid.shape[0]) for text in grid[row] if text and name.startswith(f"{text} ")]
    for row, text in over:
        below = np.nonzero(grid[row + 1 :] == name[len(text) + 1 :])
        found += [(row + 1 + int(at), int(column)) for at, column in zip(*below, strict=True)][:1]
    return found


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
    """A cell that is no label, nothing that was filled in, no unit beside it and no text on a line of its own would be lost."""
    text = sheet.text(*cell)
    alone = int(sheet.filled[cell[0]].sum()) == 1
    if sheet.kinds[cell] == Kind.TEXT and (alone or is_unit_said(text) or _is_merged_over(sheet, cell)):
        return
    raise LayoutError(
        f"{text!r} has no label of the form", Place(sheet.source, sheet.name, a1(*cell)),
        why="it is no label, and another cell is nearer to the label before it",
        do="Name its label too in form of the plan's layout",
    )  # fmt: skip
