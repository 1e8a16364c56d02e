"""The reports of the corpus as other kinds of file: a page, a spreadsheet document, a print report, a PDF. One sheet each."""

from __future__ import annotations

import datetime as dt
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Callable

    from corpus.making import Sheet

_INDENT = 3


def shown(sheet: Sheet, at: tuple[int, int]) -> str:
    """A cell as people see it."""
    value = sheet.cells.get(at)
    if value is None:
        return ""
    if isinstance(value, dt.datetime):
        return value.date().isoformat() if value.time() == dt.time() else value.isoformat(sep=" ")
    if isinstance(value, (dt.date, dt.time)):
        return value.isoformat()
    if isinstance(value, (int, float)) and not isinstance(value, bool):
        pattern = sheet.formats.get(at, "")
        if "%" in pattern:
            return f"{value * 100:.{pattern.count('0') - 1}f}%"
        if "." in pattern:
            return f"{value:.{len(pattern.partition('.')[2])}f}"
        return str(int(value)) if float(value).is_integer() else repr(value)
    return str(value)


def _size(sheet: Sheet) -> tuple[int, int]:
    rows = [row for row, _ in sheet.cells] + [bottom for _, _, bottom, _ in sheet.merges]
    columns = [column for _, column in sheet.cells] + [right for *_, right in sheet.merges]
    return max(rows, default=0) + 1, max(columns, default=0) + 1


def _spans(sheet: Sheet) -> tuple[dict[tuple[int, int], tuple[int, int]], set[tuple[int, int]]]:
    """How far merged cells reach, and the cells that they cover."""
    spans, covered = {}, set()
    for top, left, bottom, right in sheet.merges:
        spans[top, left] = (bottom - top + 1, right - left + 1)
        covered |= {(row, column) for row in range(top, bottom + 1) for column in range(left, right + 1)} - {
            (top, left)
        }
    return spans, covered


def _is_figures(sheet: Sheet, column: int, rows: int) -> bool:
    return sum(isinstance(sheet.cells.get((row, column)), (int, float)) for row in range(rows)) > 2


def as_page(sheet: Sheet, path: Path) -> None:
    """HTML, merges as spans."""
    rows, columns = _size(sheet)
    spans, covered = _spans(sheet)
    out = ['<!doctype html><html><head><meta charset="utf-8"></head><body><table>']
    for row in range(rows):
        out.append("<tr>")
        for column in range(columns):
            at = row, column
            if at in covered:
                continue
            down, across = spans.get(at, (1, 1))
            text = shown(sheet, at)
            lead = len(text) - len(text.lstrip(" ")) + _INDENT * sheet.indents.get(at, 0)
            said = "&nbsp;" * lead + escape(text.lstrip(" ")).replace("\n", "<br>")
            said = f"<b>{said}</b>" if at in sheet.bold and text else said
            over = f' rowspan="{down}"' * (down > 1) + f' colspan="{across}"' * (across > 1)
            out.append(f"<td{over}>{said or '&nbsp;'}</td>")
        out.append("</tr>")
    path.write_text("\n".join(out) + "</table></body></html>", "utf-8")


def as_document(sheet: Sheet, path: Path) -> None:
    """OpenDocument, typed cells, covered ones under merges."""
    from odf.opendocument import OpenDocumentSpreadsheet
    from odf.table import CoveredTableCell, Table, TableCell, TableRow
    from odf.text import P

    rows, columns = _size(sheet)
    spans, covered = _spans(sheet)
    book: Any = OpenDocumentSpreadsheet()
    table = Table(name=sheet.name)
    for row in range(rows):
        line = TableRow()
        for column in range(columns):
            at = row, column
            value = sheet.cells.get(at)
            options: dict[str, Any] = {}
            if at in spans:
                options = {"numberrowsspanned": spans[at][0], "numbercolumnsspanned": spans[at][1]}
            if isinstance(value, (int, float)) and not isinstance(value, bool):
                options |= {"valuetype": "float", "value": repr(value)}
            elif isinstance(value, (dt.date, dt.datetime)):
                options |= {"valuetype": "date", "datevalue": value.isoformat()}
            elif value is not None:
                options |= {"valuetype": "string"}
            cell = CoveredTableCell() if at in covered else TableCell(**options)
            for part in shown(sheet, at).split("\n") if at not in covered and value is not None else ():
                cell.addElement(P(text=" " * (_INDENT * sheet.indents.get(at, 0)) + part))
            line.addElement(cell)
        table.addElement(line)
    book.spreadsheet.addElement(table)
    book.save(str(path))


def as_print(sheet: Sheet, path: Path) -> None:
    """Text laid out by blanks: figures flush right, what is merged in the middle over its columns."""
    rows, columns = _size(sheet)
    spans, _ = _spans(sheet)
    texts = [
        [" " * (_INDENT * sheet.indents.get((row, column), 0)) + shown(sheet, (row, column)).replace("\n", " ")
         for column in range(columns)]
        for row in range(rows)
    ]  # fmt: skip
    full = [line for line in texts if sum(bool(text.strip()) for text in line) > 1]
    wide = [max((len(line[at]) for line in full), default=1) for at in range(columns)]
    lines = []
    for row, line in enumerate(texts):
        if sum(bool(text.strip()) for text in line) == 1 and len(line[0]) > wide[0]:
            lines.append(line[0])
            continue
        out, column = "", 0
        while column < columns:
            last = column + spans.get((row, column), (1, 1))[1] - 1
            room = sum(wide[column : last + 1]) + 3 * (last - column)
            text = line[column]
            flush = text.rjust if _is_figures(sheet, column, rows) else text.ljust
            out += (text.center(room) if last > column else flush(room)) + "   "
            column = last + 1
        lines.append(out.rstrip())
    path.write_text("\n".join(lines) + "\n", "utf-8")


def as_pdf(sheet: Sheet, path: Path) -> None:
    """A PDF with text, no ruling lines."""
    import matplotlib as mpl
    from reportlab.lib.pagesizes import A3, landscape
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont
    from reportlab.platypus import SimpleDocTemplate, Table

    rows, columns = _size(sheet)
    texts = [
        [
            "\u00a0" * (2 * sheet.indents.get((row, column), 0)) + shown(sheet, (row, column))
            for column in range(columns)
        ]
        for row in range(rows)
    ]
    pdfmetrics.registerFont(TTFont("DejaVuSans", Path(mpl.get_data_path()) / "fonts" / "ttf" / "DejaVuSans.ttf"))
    style: list[tuple[Any, ...]] = [("FONT", (0, 0), (-1, -1), "DejaVuSans", 6)]
    style += [("ALIGN", (at, 0), (at, -1), "RIGHT") for at in range(columns) if _is_figures(sheet, at, rows)]
    for top, left, bottom, right in sheet.merges:
        style.append(("SPAN", (left, top), (right, bottom)))
        style += [("ALIGN", (left, top), (right, bottom), "CENTER")] if right > left else []
    page = SimpleDocTemplate(str(path), pagesize=landscape(A3), leftMargin=20, rightMargin=20)
    page.build([Table(texts, style=style, repeatRows=0)])


#: A writer and a file's ending for each kind.
KINDS: dict[str, tuple[str, Callable[[Sheet, Path], None]]] = {
    "page": (".html", as_page), "document": (".ods", as_document), "print": (".prn", as_print), "pdf": (".pdf", as_pdf),
}  # fmt: skip
