"""Rows put into a prepared sheet: what stands below moves down, and all that names it moves along.

Formulas on every sheet, merges, defined names, conditional formats, rules for entries, filters, table objects, print areas,
charts and pictures. A range that goes over the new rows grows by them, so that a sum below sums them too.
"""

from __future__ import annotations

import re
from copy import copy
from typing import TYPE_CHECKING, Any

from openpyxl.formula import Tokenizer
from openpyxl.formula.tokenizer import Token
from openpyxl.formula.translate import Translator
from openpyxl.worksheet.cell_range import CellRange, MultiCellRange

if TYPE_CHECKING:
    from collections.abc import Iterator

_CELL = r"(?P<{0}column>\$?[A-Za-z]{{1,3}})(?P<{0}fixed>\$?)(?P<{0}row>\d{{1,7}})"
_REFERENCE = re.compile(
    r"(?P<sheet>(?:'(?:[^']|'')+'|[^\s'!,:;()&=<>+*/^-]+)!)?"
    + _CELL.format("")
    + "(?::"
    + _CELL.format("to_")
    + r")?(?![\w(!])"
)
_ROWS = re.compile(r"(?P<sheet>(?:'(?:[^']|'')+'|[^\s'!]+)!)?(?P<a>\$?)(?P<first>\d+):(?P<b>\$?)(?P<last>\d+)")


def insert_rows(book: Any, sheet: Any, behind: int, count: int, *, own: tuple[int, int]) -> None:
    """Rows behind one of a sheet, in its look and with its formulas.

    Args:
        book: the workbook.
        sheet: the sheet.
        behind: the row (1-based) that the new ones stand behind.
        count: how many.
        own: the first and the last column (1-based) that are filled later, and need no formula.
    """
    row = behind + 1
    _move_cells(sheet, row, count)
    for one in book.worksheets:
        _move_formulas(one, sheet.title, row, count)
        _move_charts(one, sheet.title, row, count, here=one is sheet)
    for defined in _names(book):
        defined.attr_text = moved(defined.attr_text, "", sheet.title, row, count)
    _move_ranges(sheet, row, count)
    for cell in list(sheet[behind]):
        if not own[0] <= cell.column <= own[1] and isinstance(cell.value, str) and cell.data_type == "f":
            for at in range(row, row + count):
                new = sheet.cell(at, cell.column)
                new.value = Translator(cell.value, cell.coordinate).translate_formula(new.coordinate)


def moved(text: str, own: str, sheet: str, row: int, count: int) -> str:
    """A text of references with those to a sheet moved, by rows put in before one of it; ranges that end right above grow.

    Args:
        text: the references, as in a formula or a defined name.
        own: the sheet that a reference without one means.
        sheet: the sheet that got the rows.
        row: the row (1-based) that they stand before.
        count: how many.

    >>> moved("Board!$B$4:$B$6", "", "Board", 7, 3), moved("B7*B5", "Board", "Board", 7, 3)
    ('Board!$B$4:$B$9', 'B10*B5')
    >>> moved("B6:D6", "Board", "Board", 7, 3)
    'B6:D6'
    """

    def means(said: str | None) -> bool:
        title = said[:-1] if said else own
        return title.strip("'").replace("''", "'").casefold() == sheet.casefold()

    def one(match: re.Match[str]) -> str:
        if not means(match["sheet"]):
            return match[0]
        first, last = _span(int(match["row"]), int(match["to_row"] or match["row"]), row, count)
        found = f"{match['sheet'] or ''}{match['column']}{match['fixed']}{first}"
        return found + (f":{match['to_column']}{match['to_fixed']}{last}" if match["to_row"] else "")

    def rows(match: re.Match[str]) -> str:
        if not means(match["sheet"]):
            return match[0]
        first, last = _span(int(match["first"]), int(match["last"]), row, count)
        return f"{match['sheet'] or ''}{match['a']}{first}:{match['b']}{last}"

    whole = _ROWS.fullmatch(text)
    return rows(whole) if whole else _REFERENCE.sub(one, text)


def _span(first: int, last: int, row: int, count: int) -> tuple[int, int]:
    """The first and the last row of a range after it moved; one of several rows that ends above the new ones takes them in."""
    grows = first < last and last == row - 1
    return _later(first, row, count), last + count if grows else _later(last, row, count)


def _later(own: int, row: int, count: int) -> int:
    return own + count if own >= row else own


def _move_cells(sheet: Any, row: int, count: int) -> None:
    """The cells from a row on moved down with their looks, links and comments, and the new rows in the look of the one above."""
    width = sheet.max_column
    look = [copy(sheet.cell(row - 1, column)._style) for column in range(1, width + 1)]  # noqa: SLF001 - no public copy of a look
    height = sheet.row_dimensions[row - 1].height
    heights = {at: one.height for at, one in sheet.row_dimensions.items() if at >= row}
    hidden = {at: one.hidden for at, one in sheet.row_dimensions.items() if at >= row}
    sheet.move_range(f"A{row}:{sheet.cell(max(sheet.max_row, row), width).coordinate}", rows=count)
    for at in range(row, row + count):
        for column, style in enumerate(look, 1):
            sheet.cell(at, column)._style = copy(style)  # noqa: SLF001
    for at in heights:
        sheet.row_dimensions[at].height, sheet.row_dimensions[at].hidden = None, False
    for at, own in heights.items():
        sheet.row_dimensions[at + count].height, sheet.row_dimensions[at + count].hidden = own, hidden[at]
    for at in range(row, row + count):
        sheet.row_dimensions[at].height = height


def _move_formulas(one: Any, sheet: str, row: int, count: int) -> None:
    for line in one.iter_rows():
        for cell in line:
            if isinstance(cell.value, str) and cell.value.startswith("=") and cell.data_type == "f":
                cell.value = _formula(cell.value, one.title, sheet, row, count)


def _formula(text: str, own: str, sheet: str, row: int, count: int) -> str:
    """A formula with its references moved; what stands in quotes is text and stays."""
    parts = Tokenizer(text)
    for token in parts.items:
        if token.type == Token.OPERAND and token.subtype == Token.RANGE:
            token.value = moved(token.value, own, sheet, row, count)
    return str(parts.render())


def _names(book: Any) -> Iterator[Any]:
    yield from book.defined_names.values()
    for sheet in book.worksheets:
        yield from sheet.defined_names.values()


def _move_ranges(sheet: Any, row: int, count: int) -> None:
    """What a sheet says of its own ranges: merges, formats, rules for entries, filter, table objects, print area."""
    for area in sheet.merged_cells.ranges:
        _move(area, row, count)
    formats = sheet.conditional_formatting
    for one in list(formats):
        rules = formats._cf_rules.pop(one)  # noqa: SLF001 - the only way to move one
        one.sqref = _all_moved(one.sqref, row, count)
        for rule in rules:
            rule.formula = [moved(text, sheet.title, sheet.title, row, count) for text in rule.formula]
            formats.add(str(one.sqref), rule)
    for rule in sheet.data_validations.dataValidation:
        rule.sqref = _all_moved(rule.sqref, row, count)
    if sheet.auto_filter.ref:
        sheet.auto_filter.ref = moved(sheet.auto_filter.ref, "s", "s", row, count)
    for table in sheet.tables.values():
        table.ref = moved(table.ref, "s", "s", row, count)
        if table.autoFilter is not None and table.autoFilter.ref:
            table.autoFilter.ref = moved(table.autoFilter.ref, "s", "s", row, count)
    if sheet.print_area:
        areas = sheet.print_area if isinstance(sheet.print_area, str) else ",".join(sheet.print_area)
        sheet.print_area = moved(areas, sheet.title, sheet.title, row, count)


def _move(area: CellRange, row: int, count: int) -> None:
    first, last = _span(area.min_row, area.max_row, row, count)
    area.max_row, area.min_row = last, first


def _all_moved(areas: MultiCellRange, row: int, count: int) -> MultiCellRange:
    return MultiCellRange(moved(str(areas), "s", "s", row, count))


def _move_charts(one: Any, sheet: str, row: int, count: int, *, here: bool) -> None:
    """Charts and pictures of a sheet: where they stand, and which cells charts draw."""
    for drawn in (*one._charts, *one._images):  # noqa: SLF001 - openpyxl has no other list of them
        anchor = drawn.anchor
        for marker in (getattr(anchor, "_from", None), getattr(anchor, "to", None)) if here else ():
            if marker is not None and marker.row + 1 >= row:
                marker.row += count
    for chart in one._charts:  # noqa: SLF001
        for series in chart.series:
            for source in (
                series.val,
                series.cat,
                getattr(series, "xVal", None),
                getattr(series, "yVal", None),
                series.tx,
            ):
                for reference in (getattr(source, "numRef", None), getattr(source, "strRef", None)):
                    if reference is not None:
                        reference.f = moved(reference.f, one.title, sheet, row, count)
