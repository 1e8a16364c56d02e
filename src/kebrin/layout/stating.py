"""What a person states about where a block starts and ends, held against the sheet."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet, a1, neat, parse_a1, trailing_mark
from kebrin.errors import LayoutError, Place, nearest

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from numpy.typing import NDArray

    from kebrin.layout.model import Layout, Stated


@dataclass(frozen=True)
class Anchor:
    """A stated start: `row` is the last boxhead row known so far, or (if `exact`) the block's first row."""

    row: int
    column: int
    exact: bool
    said: str

    def check(self, sheet: Sheet, boxhead: tuple[int, ...], stub: tuple[int, ...]) -> None:
        """Refuse a boxhead that does not hold the stated heading: a plan never shifts by one quietly."""
        if self.exact or self.row in boxhead or not boxhead:
            return
        beyond = sheet.filled[self.row, max(stub, default=-1) + 1 :].any()
        if self.row == boxhead[-1] + 1 and stub and not beyond:
            return  # the headings of the label columns stand on a row of their own
        rows = ", ".join(str(row + 1) for row in boxhead)
        raise LayoutError(
            f"the heading {self.said!r} is not in the boxhead", Place(sheet.source, sheet.name, a1(self.row, self.column)),
            why=f"the body seems to start below row {boxhead[-1] + 1}, so the boxhead is row {rows}",
            do="State the block's top left cell as starts, and a name per boxhead row",
        )  # fmt: skip


@dataclass(frozen=True)
class End:
    """The last row and column that belong to a block."""

    row: int
    column: int


def find_anchor(sheet: Sheet, stated: Stated) -> Anchor | None:
    """The cell that `starts` names, or None if nothing was stated.

    Raises:
        LayoutError: no cell bears the text, or the address is outside the sheet.
    """
    if not stated.starts:
        return None
    cell = parse_a1(stated.starts)
    if cell is not None:
        if cell[0] >= sheet.shape[0] or cell[1] >= sheet.shape[1]:
            raise LayoutError(
                "starts names a cell beyond the sheet's end", Place(sheet.source, sheet.name, stated.starts),
                why=f"cells in use end at {_corner(sheet)}", do="Correct the address in the plan",
            )  # fmt: skip
        return Anchor(*cell, exact=True, said=stated.starts)
    row, column = find_text(sheet, stated.starts, "starts")
    bottom = area.bottom if (area := sheet.merge_at(row, column)) else row
    return Anchor(bottom, column, exact=False, said=stated.starts)


def find_end(sheet: Sheet, stated: Stated) -> End | None:
    """The end that `ends` names, or None if nothing was stated.

    Raises:
        LayoutError: no cell bears the text.
    """
    if not stated.ends:
        return None
    cell = parse_a1(stated.ends)
    if cell is not None:
        return End(*cell)
    row, _ = find_text(sheet, stated.ends, "ends")
    return End(row - 1, sheet.shape[1] - 1)


def find_text(sheet: Sheet, wanted: str, key: str) -> tuple[int, int]:
    """The first cell that says a text, its case, colon and marks aside.

    Raises:
        LayoutError: no cell does; the nearest text is told, and the key of the plan that names it.
    """
    sought = neat(wanted).casefold()
    near: set[str] = set()
    for row, column, text in texts_of(sheet):
        if sought in {text.casefold(), text.casefold().rstrip(" :*"), trailing_mark(text)[0].casefold().strip()}:
            return row, column
        near.add(text)
    likely = nearest(wanted, near)
    raise LayoutError(
        f"no cell says {wanted!r}, which the layout names as {key}", Place(sheet.source, sheet.name),
        why=f"the nearest text is {likely!r}" if likely else "",
        do=f"Correct {key} in the plan, or leave this sheet out",
    )  # fmt: skip


def texts_of(sheet: Sheet) -> Iterator[tuple[int, int, str]]:
    """The texts of a sheet with their row and column."""
    for row, column in np.argwhere(sheet.kinds == Kind.TEXT).tolist():
        yield row, column, sheet.text(row, column)


def refuse_without_effect(sheet: Sheet, layouts: Sequence[Layout], stated: Stated) -> None:
    """Refuse what is stated of a layout and changes nothing on a sheet that has a block.

    Raises:
        LayoutError: the reason, and what the sheet shows.
    """
    for layout in layouts:
        at = Place(sheet.source, sheet.name, layout.address)
        levels = len(layout.head_levels)
        if stated.cutins and levels < len(stated.cutins):
            raise LayoutError(
                f"cutins names {', '.join(stated.cutins)}, and no rows here head others", at,
                why=f"{levels} levels of heads were found" if levels else "every row with a label holds figures",
                do="Leave cutins out of the plan",
            )  # fmt: skip
        if stated.beside and len(layout.beside_columns) < len(stated.beside):
            raise LayoutError(
                f"beside names {', '.join(stated.beside)}, and no label columns stand right of the body here", at,
                do="Leave beside out of the plan",
            )  # fmt: skip
        if stated.joined and not any(level.joined for level in layout.boxhead):
            raise LayoutError(
                f"joined = {stated.joined!r} has no effect", at, why="there is one heading row only",
                do="Leave joined out of the plan, or name the row in boxhead",
            )  # fmt: skip
    end = parse_a1(stated.ends) if stated.ends else None
    if end is not None and layouts and all((one.area.bottom, one.area.right) != end for one in layouts):
        shown = ", ".join(a1(one.area.bottom, one.area.right) for one in layouts)
        raise LayoutError(
            f"the block does not end at {stated.ends}", Place(sheet.source, sheet.name, stated.ends),
            why=f"its last cell is {shown}", do="Correct ends in the plan, or leave it out",
        )  # fmt: skip


def refuse_depth(sheet: Sheet, above: NDArray[np.intp], anchor: Anchor | None, depth: int) -> None:
    """Refuse a boxhead of more rows than there are.

    Raises:
        LayoutError: the rows above the body are fewer than the boxhead rows that are stated.
    """
    if depth > len(above) or (anchor is not None and anchor.exact and depth >= len(above) > 0):
        at = Place(sheet.source, sheet.name, a1(anchor.row, anchor.column) if anchor else "")
        raise LayoutError(
            f"the boxhead is stated to be {depth} rows deep", at,
            why=f"only {_counted(len(above), 'row')} anything", do="State a name for each heading row, and no more",
        )  # fmt: skip


def refuse_width(sheet: Sheet, left: NDArray[np.intp], anchor: Anchor | None, width: int) -> None:
    """Refuse a stub of more columns than there are.

    Raises:
        LayoutError: the columns left of the body are fewer than the stub columns that are stated.
    """
    if width > len(left) or (anchor is not None and anchor.exact and width >= len(left) > 0):
        at = Place(sheet.source, sheet.name, a1(anchor.row, anchor.column) if anchor else "")
        raise LayoutError(
            f"the stub is stated to be {width} columns wide", at,
            why=f"only {_counted(len(left), 'column')} anything", do="State a name for each label column, and no more",
        )  # fmt: skip


def _corner(sheet: Sheet) -> str:
    return a1(sheet.shape[0] - 1, sheet.shape[1] - 1)


def _counted(lines: int, what: str) -> str:
    return f"1 {what} there holds" if lines == 1 else f"{lines} {what}s there hold"
