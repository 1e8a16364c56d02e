"""Workbooks that stand there: sheets of ours renewed or added to, all other sheets left as a person made them."""

from __future__ import annotations

import re
import zipfile
from typing import TYPE_CHECKING, Any

from kebrin.deliver.writing.appending import refuse_other_columns
from kebrin.deliver.writing.books import number_format, page_names, rows_of, widths
from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from kebrin.deliver.writing.books import Page
    from kebrin.table import Table


# Parts of a workbook, and marks within its sheets and drawings, that are gone when it is written again.
_PARTS = {
    "buttons and controls": re.compile(r"xl/(?:ctrlProps|activeX)/"),
    "threaded comments": re.compile(r"xl/threadedComments/"),
    "slicers": re.compile(r"xl/slicers/"),
}
_IN_SHEETS, _IN_DRAWINGS = re.compile(r"xl/worksheets/[^/]+\.xml$"), re.compile(r"xl/drawings/[^/]+\.xml$")
_MARKS = {"sparklines": b"sparklineGroup", "arrays that spill": b' cm="'}
_SHAPES = {"text boxes and shapes": b"<xdr:sp ", "groups of shapes": b"<xdr:grpSp>"}


def open_book(path: Path, what: str) -> Any:
    """A workbook with all that a person made of it.

    Raises:
        OutputError: it is not there, or can't be read.
    """
    import openpyxl

    try:
        return openpyxl.load_workbook(path, keep_vba=path.suffix.lower() == ".xlsm", rich_text=True)
    except FileNotFoundError:
        raise OutputError(
            f"there is no such {what.removeprefix('the ')}", Place(str(path)), do="Check the name and the folder"
        ) from None
    except Exception as error:
        raise OutputError(f"{what} can't be read", Place(str(path)), why=str(error).splitlines()[0]) from error


def not_kept(path: Path) -> list[str]:
    """What a workbook holds that is not in it any more when it is written again, for people; nothing where all is kept."""
    try:
        with zipfile.ZipFile(path) as package:
            names = package.namelist()
            found = {what for what, pattern in _PARTS.items() if any(pattern.search(name) for name in names)}
            for name in names:
                marks = _MARKS if _IN_SHEETS.search(name) else _SHAPES if _IN_DRAWINGS.search(name) else {}
                content = package.read(name) if marks else b""
                found |= {what for what, mark in marks.items() if mark in content}
    except (OSError, zipfile.BadZipFile):
        return []  # it is told when it is read
    return sorted(found)


def renew_sheets(pages: Sequence[Page], before: Path, path: Path, *, gone: Iterable[str] = ()) -> None:
    """A workbook that stands there with these sheets in place of those of the same names; all other sheets stay.

    Args:
        pages: the sheets.
        before: the workbook as it stands.
        path: where the new one goes.
        gone: sheets to take out.
    """
    book = open_book(before, "the workbook that stands there")
    for name in gone:
        if name in book.sheetnames and len(book.sheetnames) > 1:
            del book[name]
    for page, name in zip(pages, page_names(page.name for page in pages), strict=True):
        at = book.sheetnames.index(name) if name in book.sheetnames else len(book.sheetnames)
        if name in book.sheetnames:
            del book[name]
        _fill(book.create_sheet(name, at), page)
    book.save(path)


def add_rows(pages: Sequence[Page], before: Path, path: Path) -> None:
    """A workbook that stands there with the rows of each table below those of the sheet of its name.

    Raises:
        OutputError: a sheet has other headings than the table.
    """
    book = open_book(before, "the workbook that stands there")
    for page, name in zip(pages, page_names(page.name for page in pages), strict=True):
        if name not in book.sheetnames:
            _fill(book.create_sheet(name), page)
            continue
        sheet = book[name]
        top = 3 if page.heading else 1
        refuse_other_columns([cell.value for cell in sheet[top]], page.table.columns, str(before), name)
        _put_rows(sheet, page.table, sheet.max_row + 1)
    book.save(path)


def _fill(sheet: Any, page: Page) -> None:
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    top = 3 if page.heading else 1
    if page.heading:
        sheet.cell(1, 1, page.heading).font = Font(bold=True)
    for at, (name, width) in enumerate(zip(page.table.columns, widths(page.table), strict=True), start=1):
        cell = sheet.cell(top, at, name)
        cell.data_type, cell.font = "s", Font(bold=True)
        sheet.column_dimensions[get_column_letter(at)].width = width
    sheet.freeze_panes = f"A{top + 1}"
    _put_rows(sheet, page.table, top + 1)
    if len(page.table) and page.table.columns:
        sheet.auto_filter.ref = f"A{top}:{get_column_letter(len(page.table.columns))}{sheet.max_row}"


def _put_rows(sheet: Any, table: Table, row: int) -> None:
    codes = [number_format(field) for field in table.data.schema]
    for line in rows_of(table):
        for at, value in enumerate(line):
            cell = sheet.cell(row, at + 1, value)
            if isinstance(value, str):
                cell.data_type = "s"  # a text that begins with = is text
            elif codes[at]:
                cell.number_format = codes[at]
        row += 1
