"""Labels of filled-in forms: what all copies of a form say at the same place is a label, what differs was filled in.

A form that stands alone has labels with colons, or before what is of several kinds.
"""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.cells import Kind
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import is_unit_said

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

# A form has so many labels, and what was filled in differs in so many of them from sheet to sheet.
_FEWEST, _MOST = 3, 80
_FEWEST_OTHERS = 2
Cell = tuple[int, int]
#: The cell of what a copy of a form has not.
NOWHERE: Cell = (-1, -1)


class Pair(NamedTuple):
    """A label of a form, its cell, the cell that is filled in, and that of its unit (rows and columns from 0)."""

    name: str
    label: Cell
    value: Cell
    unit: Cell = NOWHERE


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
    pairs = [
        pair for pair in _pairs(said, filled, same)
        if filled[pair.value] or not any(heads_box(sheet, pair.label, filled) for sheet in sheets)
    ]  # fmt: skip
    others = [pair for pair in pairs if not same[pair.value] and filled[pair.value]]
    if not _FEWEST <= len(pairs) <= _MOST or len(others) < _FEWEST_OTHERS or _is_list(texts, figures, same, pairs):
        return ()
    return tuple(pair.name for pair in _named(said, pairs))


def labels_of(sheet: Sheet, *, or_list: bool = False) -> tuple[str, ...]:
    """The labels of a form that stands alone: all end with a colon, or stand before what is of several kinds; () if it is none.

    With `or_list`, what may as well be a list under its heading (a word over figures) is none.

    >>> from kebrin.cells import Sheet
    >>> labels_of(Sheet.of([["Vessel:", "Skua", "Built:", 2001.0], ["Port:", "Brae", "Master:", None]]))
    ('Vessel', 'Built', 'Port', 'Master')
    """
    if int(sheet.filled.sum()) > 2 * _MOST:
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
    sound = _FEWEST <= len(names) <= _MOST and len(set(names)) == len(names) and 2 * said > len(names)
    units = sum(pair.unit != NOWHERE for pair in pairs)
    return tuple(names) if sound and int(several.sum()) <= int(same.sum()) + said + units else ()


def _label_cells(
    sheet: Sheet, texts: NDArray[np.str_], figures: NDArray[np.bool_], several: NDArray[np.bool_]
) -> NDArray[np.bool_] | None:
    """Where the labels of one form stand: texts with a colon, or every other column before what is of several kinds."""
    colons: NDArray[np.bool_] = np.char.endswith(texts, ":")
    if int(colons.sum()) >= _FEWEST:
        near = colons | np.roll(colons, 1, axis=1) | np.roll(colons, 2, axis=1)
        return colons if (several <= near).all() else None
    columns = np.flatnonzero(several.any(axis=0))
    same = np.zeros(texts.shape, np.bool_)
    same[:, columns[::2]] = several[:, columns[::2]]
    kinds = sheet.kinds[:, columns[1::2]][several[:, columns[1::2]]]
    return None if len(columns) % 2 or len(np.unique(kinds)) < 2 or (figures & same).any() else same


def heads_box(sheet: Sheet, cell: Cell, labels: NDArray[np.bool_]) -> bool:
    """Whether a text is merged over columns in which labels stand below it: it heads a box."""
    area = sheet.merge_at(*cell)
    return (
        area is not None
        and area.right > area.left
        and bool(labels[area.bottom + 1 :, area.left : area.right + 1].any())
    )


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
    order = np.sort(texts, axis=0)  # blank ones first
    blank = (order == "").sum(axis=0)
    said = np.take_along_axis(order, np.minimum(blank, len(texts) - 1)[None], axis=0)[0]
    return said, (said == order[-1]) & (2 * blank < len(texts))


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
            pairs += [_pair(texts, label, value) for label, value in found]
            labels_above = {}
            continue
        beside = _beside(row, cells, same, columns, texts)
        if beside is None:
            return []
        labels_above = {column: (row, column) for column in cells} if all(same[row, column] for column in cells) else {}
        pairs += [_pair(texts, *cells) for cells in beside]
    return pairs


def _pair(texts: NDArray[np.str_], label: Cell, value: Cell, unit: Cell = NOWHERE) -> Pair:
    name = str(texts[label]).rstrip(": ")
    return Pair(name if unit == NOWHERE else f"{name} ({texts[unit]})", label, value, unit)


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
) -> list[tuple[Cell, Cell, Cell]] | None:
    """The labels, values and units of a row of labels before what is filled in; None if something there has no label."""
    found: list[tuple[Cell, Cell, Cell]] = []
    label: Cell | None = None
    open_unit = False  # whether the cell before was filled in
    for column, behind in zip(cells, [*cells[1:], -1], strict=True):
        if label is not None and (not same[row, column] or columns[column]):
            found.append((label, (row, column), NOWHERE))
            label, open_unit = None, True
        elif not same[row, column]:
            return None
        elif (
            open_unit
            and is_unit_said(str(texts[row, column]))
            and (behind < 0 or (same[row, behind] and not columns[behind]))
        ):
            found[-1] = (*found[-1][:2], (row, column))
            open_unit = False
        else:
            if label is not None and len(cells) > 2:  # a field that nobody filled in, or a heading of the labels
                found.append((label, (row, label[1] + 1), NOWHERE))
            label, open_unit = (row, column), False
    if label is not None and len(cells) > 1 and found:
        found.append((label, (row, label[1] + 1), NOWHERE))
    taken = {value for _, value, _ in found}
    return [one for one in found if one[0] not in taken]


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
        if len(rest) < _FEWEST - 1:
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
    """The pairs with names of their own: a label that comes twice bears the text alone on its line over it, or a number."""
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

    named = [own(pair) for pair in pairs]
    seen: Counter[str] = Counter()
    for at, pair in enumerate(named):
        seen[pair.name] += 1
        if seen[pair.name] > 1:
            named[at] = pair._replace(name=f"{pair.name} {seen[pair.name]}")
    return named
