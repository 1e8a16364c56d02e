"""Write the Board's prepared form into the package: `python scripts/make_board.py`. The same file every time."""

from __future__ import annotations

import datetime as dt
from pathlib import Path

import openpyxl
from openpyxl.chart import BarChart, Reference
from openpyxl.styles import Alignment, Border, Font, PatternFill, Side
from openpyxl.utils import get_column_letter
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.worksheet.properties import PageSetupProperties

TARGET = Path(__file__).parent.parent / "src" / "kebrin" / "demo" / "files" / "board_form.xlsx"
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
FIRST, LAST = 6, 9  # rows for three routes and their total


def main() -> None:
    """A formatted sheet with a heading, a place for figures, a mean below it, and a chart."""
    book = openpyxl.Workbook()
    book.properties.created = book.properties.modified = dt.datetime(2031, 1, 2, tzinfo=dt.UTC).replace(tzinfo=None)
    sheet = book.active
    assert sheet is not None  # noqa: S101 - a new workbook has a sheet
    sheet.title = "Board"
    sheet["A1"] = "Skarrow Isles Ferry Board"
    sheet["A1"].font = Font(size=18, bold=True, color="1F3B57")
    sheet["A2"] = "Foot passengers by route and month, 2031"
    sheet["A2"].font = Font(size=12, italic=True)
    sheet.merge_cells("A1:N1")
    sheet.merge_cells("A2:N2")
    thin = Side(style="thin", color="9AA7B4")
    for column, name in enumerate(("Route", *MONTHS, "Year"), 1):
        cell = sheet.cell(FIRST - 1, column, name)
        cell.font, cell.fill = Font(bold=True, color="FFFFFF"), PatternFill("solid", fgColor="1F3B57")
        cell.alignment = Alignment(horizontal="left" if column == 1 else "right")
        for row in range(FIRST, LAST + 1):
            body = sheet.cell(row, column, "…")
            body.number_format = "#,##0"
            body.border = Border(bottom=thin)
            body.font = Font(bold=row == LAST or column == len(MONTHS) + 2)
    sheet.cell(LAST + 2, 1, "Mean of a month").font = Font(italic=True)
    sheet.cell(LAST + 2, 2, f"=AVERAGE(B{LAST}:M{LAST})").number_format = "#,##0"
    sheet.column_dimensions["A"].width = 20
    for column in range(2, len(MONTHS) + 3):
        sheet.column_dimensions[get_column_letter(column)].width = 8.5
    chart = BarChart()
    chart.type, chart.grouping, chart.overlap = "col", "stacked", 100
    chart.title, chart.height, chart.width = "Foot passengers a month", 8.5, 24
    figures = Reference(sheet, min_col=1, max_col=13, min_row=FIRST, max_row=LAST - 1)
    chart.add_data(figures, from_rows=True, titles_from_data=True)
    chart.set_categories(Reference(sheet, min_col=2, max_col=13, min_row=FIRST - 1))
    sheet.add_chart(chart, f"A{LAST + 4}")
    book.defined_names["Figures"] = DefinedName("Figures", attr_text=f"Board!$A${FIRST}")
    sheet.page_setup.orientation, sheet.page_setup.fitToWidth = "landscape", 1
    sheet.sheet_properties.pageSetUpPr = PageSetupProperties(fitToPage=True)
    book.save(TARGET)


if __name__ == "__main__":
    main()
