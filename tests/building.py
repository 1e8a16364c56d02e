"""Workbooks for tests."""

from __future__ import annotations

import datetime as dt
import os
import zipfile
from typing import TYPE_CHECKING, Any
from xml.sax.saxutils import escape

import openpyxl

if TYPE_CHECKING:
    from pathlib import Path


def write_book(path: Path, sheets: dict[str, Any], merges: dict[str, list[str]] | None = None) -> Path:
    """A workbook with these rows; blanks are ''."""
    book = openpyxl.Workbook()
    book.remove(book.worksheets[0])
    for name, rows in sheets.items():
        sheet = book.create_sheet(name)
        for row in rows:
            sheet.append([None if value == "" else value for value in row])
        for area in (merges or {}).get(name, []):
            sheet.merge_cells(area)
    book.save(path)
    return path


DOCUMENT = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<office:document-content '
    'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" '
    'xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" office:version="1.3"><office:body><office:spreadsheet>'
    "{tables}</office:spreadsheet></office:body></office:document-content>"
)


def document_cell(value: Any, dress: str = "") -> str:
    """A cell of a spreadsheet document."""
    if value is None or value == "":
        return f"<table:table-cell{dress}/>"
    if isinstance(value, bool):
        kind, said = f'office:value-type="boolean" office:boolean-value="{str(value).lower()}"', str(value).upper()
    elif isinstance(value, dt.time):
        kind, said = f'office:value-type="time" office:time-value="PT{value.hour}H{value.minute}M0S"', f"{value:%H:%M}"
    elif isinstance(value, dt.date):
        kind, said = f'office:value-type="date" office:date-value="{value.isoformat()}"', f"{value:%d.%m.%Y}"
    elif isinstance(value, (int, float)):
        kind, said = f'office:value-type="float" office:value="{value!r}"', f"{value:,.2f}"
    else:
        kind, said = 'office:value-type="string"', escape(value)
    return f"<table:table-cell{dress} {kind}><text:p>{said}</text:p></table:table-cell>"


def document_row(cells: Any) -> str:
    """A row of a spreadsheet document."""
    return f"<table:table-row>{''.join(map(document_cell, cells))}</table:table-row>"


def write_document(path: Path, tables: dict[str, str]) -> Path:
    """A spreadsheet document of these tables, given as what stands in them."""
    said = "".join(f'<table:table table:name="{name}">{rows}</table:table>' for name, rows in tables.items())
    with zipfile.ZipFile(path, "w") as package:
        package.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        package.writestr("content.xml", DOCUMENT.format(tables=said))
    return path


def die_once(path: Path) -> str:
    """A task that kills its worker the first time that it meets one file."""
    mark = path.with_suffix(".died")
    if path.name == "b" and not mark.exists():
        mark.write_text("")
        os._exit(1)
    if path.name == "d":
        os._exit(1)
    return path.name
