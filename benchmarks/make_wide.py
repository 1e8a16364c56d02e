"""Write the benchmark's workbook: a 2,000 x 240 body under three merged heading rows, beside two label columns."""

from __future__ import annotations

import random
import sys
from pathlib import Path

import xlsxwriter

ROWS, YEARS, CLASSES = 2000, 5, ("foot", "cars", "freight t", "mail sacks")
MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]


def write(path: Path) -> None:
    """Write it; seeded, so that every run reads the same file."""
    chance = random.Random(2031)
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet("Sailings")
        head = book.add_format({"bold": True, "align": "center"})
        sheet.write(0, 0, "Skarrow Isles Ferry Board: carried by sailing", head)
        year_width = len(MONTHS) * len(CLASSES)
        for year in range(YEARS):
            left = 2 + year * year_width
            sheet.merge_range(2, left, 2, left + year_width - 1, f"{2027 + year}", head)
            for month, name in enumerate(MONTHS):
                first = left + month * len(CLASSES)
                sheet.merge_range(3, first, 3, first + len(CLASSES) - 1, name, head)
                sheet.write_row(4, first, CLASSES, head)
        sheet.write_row(4, 0, ("Route", "Sailing"), head)
        for row in range(ROWS):
            sheet.write_row(5 + row, 0, (f"Route {row // 40 + 1}", f"S{row % 40 + 1:02d}"))
            for column in range(YEARS * year_width):
                value = round(chance.uniform(0, 900), 1) if column % 4 == 2 else chance.randrange(5000)
                sheet.write_number(5 + row, 2 + column, value)


if __name__ == "__main__":
    write(Path(sys.argv[1]))
