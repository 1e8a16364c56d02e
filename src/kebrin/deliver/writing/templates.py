"""Prepared workbooks: values put at a named place, all else left as it stands there."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any, NamedTuple

from kebrin.address import a1, parse_a1
from kebrin.cells import as_label
from kebrin.deliver.writing.books import rows_of
from kebrin.deliver.writing.renewing import not_kept, open_book
from kebrin.errors import OutputError, Place, nearest

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.table import Table

_ADDRESS = r"\$?[A-Za-z]{1,3}\$?\d+"
_PLACE = re.compile(rf"(?:'(?P<quoted>(?:[^']|'')+)'|(?P<plain>[^'!]+))!(?P<cell>{_ADDRESS})(?::(?P<last>{_ADDRESS}))?")


class Put(NamedTuple):
    """What came of putting a table into a template: what a person should look at, and where its values stand (1-based)."""

    said: list[str]
    sheet: str
    row: int
    column: int


def put_into(
    template: Path,
    at: str,
    table: Table,
    path: Path,
    *,
    turned: bool = False,
    headings: bool = False,
    insert: bool = False,
) -> Put:
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
        insert: whether rows are put in where the place is too short; what stands below moves down, and formulas with it.

    Returns:
        What a person should look at (values that would have been cut off by what stands there), and the cell of the
        first value.

    Raises:
        OutputError: the template can't be read, or has no such place.
    """
    book = open_book(template, "the template")
    sheet, (row, column), last = _place(book, template, at)
    rows = [tuple(table.columns), *rows_of(table)] if headings else list(rows_of(table))
    grid = [list(line) for line in zip(*rows, strict=True)] if turned else [list(line) for line in rows]
    said = [f"the template holds {what}, which the written workbook lacks" for what in not_kept(template)]
    size = len(grid), max(map(len, grid), default=0)
    last = last or _end_of_place(sheet, (row, column), size, turned=turned)
    if insert and size[0] > (height := last[0] - row + 1):
        from kebrin.deliver.writing.inserting import insert_rows  # openpyxl takes a while to load

        insert_rows(book, sheet, last[0], size[0] - height, own=(column, column + size[1] - 1))
        last = (row + size[0] - 1, last[1])
    _refuse_what_stands_there(sheet, (row, column), last, size, Place(str(template), sheet.title), at)
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
    _blank_rest(sheet, (row, column), last, size)
    book.save(path)
    return Put(said, sheet.title, row + (headings and not turned), column + (headings and turned))


def _place(book: Any, template: Path, at: str) -> tuple[Any, tuple[int, int], tuple[int, int] | None]:
    """The sheet and the first and last cell (1-based) that a name or an address means; one cell has no last."""
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
    last = parse_a1(match["last"].replace("$", "").upper()) if match["last"] else None
    end = (last[0] + 1, last[1] + 1) if last and last != cell else None
    return book[title], (cell[0] + 1, cell[1] + 1), end


def _end_of_place(sheet: Any, first: tuple[int, int], size: tuple[int, int], *, turned: bool) -> tuple[int, int]:
    """Where the place that one cell names ends: before the first line that is blank, or that holds a formula.

    What stands from the cell on is an earlier table's; what stands behind a gap is not.
    """
    row, column = first
    height, width = size
    for step in range(sheet.max_column + 1 if turned else sheet.max_row + 1):
        cells = [
            sheet.cell(row + at, column + step) if turned else sheet.cell(row + step, column + at)
            for at in range(height if turned else width)
        ]
        values = [cell.value for cell in cells]
        formula = any(isinstance(one, str) and one.startswith("=") for one in values)
        if all(value is None for value in values) or (formula and step >= (width if turned else height)):
            end = max(step - 1, 0)
            return (row + height - 1, column + end) if turned else (row + end, column + width - 1)
    return row + height - 1, column + width - 1


def _refuse_what_stands_there(
    sheet: Any, first: tuple[int, int], last: tuple[int, int], size: tuple[int, int], where: Place, at: str
) -> None:
    """Refuse a table that is larger than its place, where something stands outside of it that the table would replace.

    Raises:
        OutputError: a cell outside the place holds something.
    """
    for row in range(first[0], first[0] + size[0]):
        for column in range(first[1], first[1] + size[1]):
            cell = sheet.cell(row, column)
            value = cell.value
            formula = isinstance(value, str) and value.startswith("=")  # one is kept, and it is told
            if (row > last[0] or column > last[1]) and value is not None and not formula:
                raise OutputError(
                    f"a table of {size[0]:,} rows and {size[1]:,} columns does not fit into {at}",
                    Place(where.file, where.sheet, cell.coordinate),
                    why=f"behind the place, which ends with {a1(last[0] - 1, last[1] - 1)}, stands {as_label(value)!r}",
                    do='Make room in the template, or state more_rows = "insert" in the output',
                )


def _blank_rest(sheet: Any, first: tuple[int, int], last: tuple[int, int], size: tuple[int, int]) -> None:
    """Blank what an earlier table left in the place behind the new one, but for formulas."""
    for row in range(first[0], last[0] + 1):
        for column in range(first[1], last[1] + 1):
            cell = sheet.cell(row, column)
            inside = row < first[0] + size[0] and column < first[1] + size[1]
            if (
                not inside
                and cell.value is not None
                and not (isinstance(cell.value, str) and cell.value.startswith("="))
            ):
                cell.value = None
