"""Workbooks: tables as sheets in a stated order, one sheet per value, values put into a prepared workbook."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.address import parse_a1
from kebrin.cells import as_label
from kebrin.errors import OutputError, Place, nearest

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence
    from pathlib import Path

    from kebrin.table import Table

_BATCH = 65_536
_LONGEST_NAME = 31
# Letters that no sheet's name may hold.
_NOT_IN_NAMES = re.compile(r"[\[\]:*?/\\\x00-\x1f]")
_WIDEST, _NARROWEST, _LOOKED_AT = 48, 8, 200
_PLACE = re.compile(r"(?:'(?P<quoted>(?:[^']|'')+)'|(?P<plain>[^'!]+))!(?P<cell>\$?[A-Za-z]{1,3}\$?\d+)(?::.*)?")


@dataclass(frozen=True)
class Page:
    """One sheet to write: its name, its table, and a heading above it."""

    name: str
    table: Table
    heading: str = ""


def page_names(wanted: Iterable[str]) -> list[str]:
    """Names that sheets may bear, like the ones wanted and each its own.

    >>> page_names(["North/South", "north south", "", "North/South"])
    ['North South', 'north south 2', 'Sheet', 'North South 3']
    """
    taken: set[str] = set()
    names = []
    for one in wanted:
        bare = " ".join(_NOT_IN_NAMES.sub(" ", one).split()).strip("'")[:_LONGEST_NAME].strip() or "Sheet"
        name, count = bare, 1
        while name.casefold() in taken:
            count += 1
            end = f" {count}"
            name = bare[: _LONGEST_NAME - len(end)].rstrip() + end
        taken.add(name.casefold())
        names.append(name)
    return names


def file_word(value: str) -> str:
    """A value as a part of a file's name: no letter that means something to a file system, and never empty.

    >>> file_word("../../etc"), file_word("North / South"), file_word("")
    ('etc', 'North_South', 'blank')
    """
    bare = re.sub(r"[^\w.-]+", "_", value.replace("..", "_")).strip("._-")
    return bare[:80] or "blank"


def write_book(pages: Sequence[Page], path: Path) -> None:
    """A new workbook with these sheets: a bold heading row that stays in view and can be filtered, widths that fit."""
    import xlsxwriter

    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(path, options) as book:
        book.set_properties({"created": dt.datetime(2000, 1, 1, tzinfo=dt.UTC)})  # the same tables give the same bytes
        bold = book.add_format({"bold": True}), book.add_format({"bold": True, "align": "right"})
        formats: dict[str, Any] = {}
        for page, name in zip(pages, page_names(page.name for page in pages), strict=True):
            _write_page(book, book.add_worksheet(name), page, bold, formats)


def _write_page(book: Any, sheet: Any, page: Page, bold: tuple[Any, Any], formats: dict[str, Any]) -> None:
    table = page.table
    top = 2 if page.heading else 0
    for at, width in enumerate(_widths(table)):
        sheet.set_column(at, at, width)
    if page.heading:
        sheet.write_string(0, 0, page.heading, bold[0])
    sheet.freeze_panes(top + 1, 0)
    for at, field in enumerate(table.data.schema):
        number = pa.types.is_floating(field.type) or pa.types.is_integer(field.type)
        sheet.write_string(top, at, field.name, bold[number])
    codes = [number_format(field) for field in table.data.schema]
    own = [formats.setdefault(code, book.add_format({"num_format": code})) if code else None for code in codes]
    row = top + 1
    for values in rows_of(table):
        for column, value in enumerate(values):
            if value is not None:
                sheet.write(row, column, value, own[column])
        row += 1
    if len(table) and table.columns:
        sheet.autofilter(top, 0, row - 1, len(table.columns) - 1)


def rows_of(table: Table) -> Iterator[tuple[Any, ...]]:
    """The rows of a table, labels written out."""
    for batch in table.data.to_batches(max_chunksize=_BATCH):
        plain = [
            column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column
            for column in batch.columns
        ]
        yield from zip(*(column.to_pylist() for column in plain), strict=True)


def number_format(field: pa.Field) -> str:
    """The number format of a column's kind; '' for plain."""
    if pa.types.is_date(field.type):
        return "yyyy-mm-dd"
    if pa.types.is_timestamp(field.type):
        return "yyyy-mm-dd hh:mm:ss"
    return "hh:mm:ss" if pa.types.is_time(field.type) else ""


def _widths(table: Table) -> list[int]:
    """Widths that fit a column's heading and its first texts."""
    shown = table.data.slice(0, _LOOKED_AT).to_pydict()
    longest = [
        max([len(name), *(len(as_label(value)) for value in shown[name] if value is not None)])
        for name in table.columns
    ]
    return [min(max(length + 2, _NARROWEST), _WIDEST) for length in longest]


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
    import openpyxl

    try:
        book = openpyxl.load_workbook(template, keep_vba=template.suffix.lower() == ".xlsm")
    except FileNotFoundError:
        raise OutputError("no such template", Place(str(template)), do="Check the name and the folder") from None
    except Exception as error:
        raise OutputError("the template can't be read", Place(str(template)), why=str(error).splitlines()[0]) from error
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
