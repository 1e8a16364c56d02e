"""Workbooks for tests."""

from __future__ import annotations

import os
from typing import TYPE_CHECKING, Any

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


def die_once(path: Path) -> str:
    """A task that kills its worker the first time that it meets one file."""
    mark = path.with_suffix(".died")
    if path.name == "b" and not mark.exists():
        mark.write_text("")
        os._exit(1)
    if path.name == "d":
        os._exit(1)
    return path.name
