"""OpenDocument spreadsheets (ISO/IEC 26300): tables as sheets, real dates and numbers, a bold heading row."""

from __future__ import annotations

import io
import zipfile
from typing import TYPE_CHECKING, Any

import pyarrow as pa
from lxml import etree

from kebrin.deliver.writing.books import page_names, rows_of, widths
from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from kebrin.deliver.writing.books import Page

_INCHES_A_LETTER = 0.085
# The same tables give the same bytes: nothing in the file tells when it was made.
_MADE = (2000, 1, 1, 0, 0, 0)


def write_document(pages: Sequence[Page], path: Path) -> None:
    """A new OpenDocument spreadsheet with these sheets.

    Raises:
        OutputError: the extra that writes them is not installed.
    """
    try:
        from odf.opendocument import OpenDocumentSpreadsheet
    except ImportError:
        raise OutputError(
            "this installation does not write .ods", Place(str(path)), why="the package odfpy is not there",
            do="Install kebrin[ods], or write .xlsx",
        ) from None  # fmt: skip
    book = OpenDocumentSpreadsheet()
    styles = _Styles(book)
    for page, name in zip(pages, page_names(page.name for page in pages), strict=True):
        book.spreadsheet.addElement(_sheet(page, name, styles))
    written = io.BytesIO()
    book.write(written)
    with zipfile.ZipFile(written) as parts, zipfile.ZipFile(path, "w") as out:
        for part in parts.infolist():
            kept = zipfile.ZipInfo(part.filename, _MADE)
            kept.compress_type = part.compress_type
            out.writestr(kept, _canonical(parts.read(part)) if part.filename.endswith(".xml") else parts.read(part))


def _canonical(part: bytes) -> bytes:
    """The XML of a part in its canonical form: the writer's namespaces are in the order in which it met them first."""
    root = etree.fromstring(part)
    etree.cleanup_namespaces(root)
    return bytes(etree.tostring(root, method="c14n"))


class _Styles:
    """The styles of a document: bold headings, dates, moments and times as people write them, widths."""

    def __init__(self, book: Any) -> None:
        from odf.number import DateStyle as Dates
        from odf.number import Day, Hours, Minutes, Month, Seconds, Text, Year
        from odf.number import TimeStyle as Times
        from odf.style import Style, TextProperties

        self.book = book
        self.bold = Style(name="heading", family="table-cell")
        self.bold.addElement(TextProperties(fontweight="bold"))
        book.automaticstyles.addElement(self.bold)
        day: list[Any] = [Year(style="long"), "-", Month(style="long"), "-", Day(style="long")]
        clock: list[Any] = [Hours(style="long"), ":", Minutes(style="long"), ":", Seconds(style="long")]
        self.of = {}
        for kind, maker, parts in (
            ("date", Dates, day),
            ("moment", Dates, [*day, " ", *map(_again, clock)]),
            ("time", Times, clock),
        ):
            shown = maker(name=f"{kind}-format")
            for part in map(_again, parts):
                shown.addElement(Text(text=part) if isinstance(part, str) else part)
            style = Style(name=kind, family="table-cell", datastylename=shown)
            book.automaticstyles.addElement(shown)
            book.automaticstyles.addElement(style)
            self.of[kind] = style
        self._widths: dict[int, Any] = {}

    def width(self, letters: int) -> Any:
        """The style of a column of so many letters."""
        from odf.style import Style, TableColumnProperties

        if letters not in self._widths:
            style = Style(name=f"width-{letters}", family="table-column")
            style.addElement(TableColumnProperties(columnwidth=f"{letters * _INCHES_A_LETTER:.2f}in"))
            self.book.automaticstyles.addElement(style)
            self._widths[letters] = style
        return self._widths[letters]


def _again(part: Any) -> Any:
    """A part of a format of its own: an element has one place in a document."""
    return part if isinstance(part, str) else type(part).__call__(qname=part.qname, qattributes=dict(part.attributes))


def _sheet(page: Page, name: str, styles: _Styles) -> Any:
    from odf.table import Table as Sheet
    from odf.table import TableCell, TableColumn, TableRow
    from odf.text import P

    def worded(text: str, **options: Any) -> Any:
        cell = TableCell(valuetype="string", **options)
        for line in text.split("\n"):
            cell.addElement(P(text=line))
        return cell

    sheet = Sheet(name=name)
    for width in widths(page.table):
        sheet.addElement(TableColumn(stylename=styles.width(width)))
    heads = [[page.heading], []] if page.heading else []
    for line in [*heads, list(page.table.columns)]:
        row = TableRow()
        for text in line:
            row.addElement(worded(text, stylename=styles.bold))
        sheet.addElement(row)
    kinds = [_kind(field.type) for field in page.table.data.schema]
    for values in rows_of(page.table):
        row = TableRow()
        for value, kind in zip(values, kinds, strict=True):
            if value is None:
                row.addElement(TableCell())
            elif kind == "text":
                row.addElement(worded(value))
            else:
                row.addElement(_cell(value, kind, styles))
        sheet.addElement(row)
    return sheet


def _cell(value: Any, kind: str, styles: _Styles) -> Any:
    from odf.table import TableCell

    if kind == "number":
        return TableCell(valuetype="float", value=repr(value))
    if kind == "yes":
        return TableCell(valuetype="boolean", booleanvalue="true" if value else "false")
    if kind == "time":
        return TableCell(
            valuetype="time",
            timevalue=f"PT{value.hour:02}H{value.minute:02}M{value.second:02}S",
            stylename=styles.of[kind],
        )
    return TableCell(valuetype="date", datevalue=value.isoformat(), stylename=styles.of[kind])


def _kind(kind: pa.DataType) -> str:
    if pa.types.is_boolean(kind):
        return "yes"
    if pa.types.is_floating(kind) or pa.types.is_integer(kind):
        return "number"
    if pa.types.is_date(kind):
        return "date"
    if pa.types.is_timestamp(kind):
        return "moment"
    return "time" if pa.types.is_time(kind) else "text"
