"""Prepared workbooks: values put at a named place, all else left as it stands there."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from kebrin.address import parse_a1
from kebrin.cells import as_label
from kebrin.deliver.writing.books import rows_of
from kebrin.deliver.writing.renewing import open_book
from kebrin.errors import OutputError, Place, nearest

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.table import Table

_PLACE = re.compile(r"(?:'(?P<quoted>(?:[^']|'')+)'|(?P<plain>[^'!]+))!(?P<cell>\$?[A-Za-z]{1,3}\$?\d+)(?::.*)?")


def put_into(
    template: Path, at: str, table: Table, path: Path, *, turned: bool = False, headings: bool = False
) -> list[str]:
    """A prepared workbook with a table's values put at a named place; formats and all else stay.

    Values go into the cells right and below of the place, one after the other; what an earlier, longer table left below (or
    beside, if turned) in the same columns is blanked, up to the first cell that holds a formula.

    Args:
        template: the prepared workbook; it is not changed.
        at: a name defined in the workbook, or a cell as in `Board!B4`.
        table: the table.
        path: where the filled workbook goes.
        turned: whether rows of the table go into columns.
        headings: whether the column names are put first.

    Returns:
        What a person should look at: values that would have been cut off by what stands there.

    Raises:
        OutputError: the template can't be read, or has no such place.
    """
    book = open_book(template, "the template")
    sheet, (row, column) = _place(book, template, at)
    rows = [tuple(table.columns), *rows_of(table)] if headings else list(rows_of(table))
    grid = [list(line) for line in zip(*rows, strict=True)] if turned else [list(line) for line in rows]
    said = []
    merged = {cell for area in sheet.merged_cells.ranges for cell in list(area.cells)[1:]}
    for down, line in enumerate(grid):
        for right, value in enumerate(line):
            cell = sheet.cell(row + down, column + right)
            if (cell.row, cell.column) in merged or (isinstance(cell.value, str) and cell.value.startswith("=")):
                what = "a merge" if (cell.row, cell.column) in merged else "a formula"
                said.append(f"{sheet.title}!{cell.coordinate} holds {what}: {as_label(value)!r} was not put there")
                continue
            cell.value = value
            if isinstance(value, str):
                cell.data_type = "s"  # a text that begins with = is text
    _blank_rest(sheet, row, column, len(grid), max(map(len, grid), default=0), turned=turned)
    book.save(path)
    return said


def _place(book: Any, template: Path, at: str) -> tuple[Any, tuple[int, int]]:
    """The sheet and the cell (1-based) that a name or an address means."""
    names = {name.casefold(): defined.attr_text for name, defined in book.defined_names.items()}
    said = names.get(at.casefold(), at)
    match = _PLACE.fullmatch(said.strip())
    title = (match["plain"] or match["quoted"].replace("''", "'")) if match else ""
    cell = parse_a1(match["cell"].replace("$", "").upper()) if match else None
    if match is None or cell is None or title not in book.sheetnames:
        near = nearest(at, [*book.defined_names, *book.sheetnames])
        raise OutputError(
            f"the template has no place {at!r}", Place(str(template)),
            why=f"its names are {', '.join(book.defined_names) or 'none'}, its sheets {', '.join(book.sheetnames)}",
            do=f"Did you mean {near!r}?" if near else "Name a defined name, or a cell as in Board!B4",
        )  # fmt: skip
    return book[title], (cell[0] + 1, cell[1] + 1)


def _blank_rest(sheet: Any, row: int, column: int, height: int, width: int, *, turned: bool) -> None:
    """Blank what an earlier table left behind the new one, up to a formula or a blank line."""
    for step in range(sheet.max_column if turned else sheet.max_row):
        cells = [
            sheet.cell(row + at, column + width + step) if turned else sheet.cell(row + height + step, column + at)
            for at in range(height if turned else width)
        ]
        values = [cell.value for cell in cells]
        if all(value is None for value in values) or any(
            isinstance(one, str) and one.startswith("=") for one in values
        ):
            return
        for cell in cells:
            cell.value = None
