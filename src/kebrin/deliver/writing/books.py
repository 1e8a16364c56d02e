"""New workbooks: tables as sheets in a stated order, one sheet per value."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.cells import as_label

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence
    from pathlib import Path

    from kebrin.table import Table

_BATCH = 65_536
_LONGEST_NAME = 31
# Letters that no sheet's name may hold.
_NOT_IN_NAMES = re.compile(r"[\[\]:*?/\\\x00-\x1f]")
_WIDEST, _NARROWEST, _LOOKED_AT = 48, 8, 200


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


def write_book(pages: Sequence[Page], path: Path) -> None:
    """A new workbook with these sheets: a bold heading row that stays in view and can be filtered, widths that fit."""
    import xlsxwriter

    from kebrin.deliver.writing.bulk import BulkSheet

    options = {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    with xlsxwriter.Workbook(path, options) as book:
        book.set_properties({"created": dt.datetime(2000, 1, 1, tzinfo=dt.UTC)})  # the same tables give the same bytes
        bold = book.add_format({"bold": True}), book.add_format({"bold": True, "align": "right"})
        formats: dict[str, Any] = {}
        for page, name in zip(pages, page_names(page.name for page in pages), strict=True):
            _write_page(book, book.add_worksheet(name, BulkSheet), page, bold, formats)


def _write_page(book: Any, sheet: Any, page: Page, bold: tuple[Any, Any], formats: dict[str, Any]) -> None:
    table = page.table
    top = 2 if page.heading else 0
    for at, width in enumerate(widths(table)):
        sheet.set_column(at, at, width)
    if page.heading:
        sheet.write_string(0, 0, page.heading, bold[0])
    sheet.freeze_panes(top + 1, 0)
    for at, field in enumerate(table.data.schema):
        number = pa.types.is_floating(field.type) or pa.types.is_integer(field.type)
        sheet.write_string(top, at, field.name, bold[number])
    own = []
    for field in table.data.schema:
        code = number_format(field)
        if code and code not in formats:
            formats[code] = book.add_format({"num_format": code})
        own.append(formats[code] if code else None)
    row = sheet.put_rows(top + 1, table.data, own)
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


def widths(table: Table) -> list[int]:
    """Widths that fit a column's heading and its first texts."""
    import pyarrow.compute as pc

    longest = []
    for name, column in zip(table.columns, table.data.slice(0, _LOOKED_AT).columns, strict=True):
        plain = column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column
        if pa.types.is_string(plain.type):
            found = pc.max(pc.utf8_length(plain)).as_py() or 0
        else:
            found = max((len(as_label(value)) for value in plain.to_pylist() if value is not None), default=0)
        longest.append(max(len(name), found))
    return [min(max(length + 2, _NARROWEST), _WIDEST) for length in longest]
