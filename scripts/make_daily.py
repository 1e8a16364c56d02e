"""Write the demo's daily sailings (March, and April with what changed) and its crew-hours forms.

python scripts/make_daily.py
"""

from __future__ import annotations

import datetime as dt
import random
from pathlib import Path

import xlsxwriter

FOLDER = Path(__file__).parent.parent / "src" / "kebrin" / "demo" / "files"
CLASSES = ("Foot", "Cars", "Freight t")
MARCH = ("North Loop", "Skerry Line")
CREW = {
    "skarrow": ("Skarrow", "Ada Holm", ("A. Holm", "B. Lisk", "C. Orre", "D. Vale")),
    "hallan": ("Hallan", "Edda Marr", ("E. Marr", "F. Skene", "G. Torr")),
    "ness": ("Wick of Ness", "Hans Quoy", ("H. Quoy", "I. Rusk", "J. Sund", "K. Tolm", "L. Ure")),
}
WEEK = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def days(last: dt.date) -> list[dt.date]:
    """The days of the year up to one, from the first of March on."""
    first = dt.date(2031, 3, 1)
    return [first + dt.timedelta(at) for at in range((last - first).days + 1)]


def daily(path: Path, until: dt.date, *, changed: bool) -> None:
    """The Board's daily returns, the year to date: a sheet per route, a row per day."""
    book = xlsxwriter.Workbook(str(path), {"default_date_format": "yyyy-mm-dd"})
    bold, day = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
    for route in (*MARCH, *(("Outer Sound",) if changed else ())):
        sheet = book.add_worksheet(route)
        sheet.write(0, 0, "Skarrow Isles Ferry Board, carried by day", bold)
        sheet.write_row(2, 0, ["Day", *CLASSES, *(("Bicycles",) if changed and route == "North Loop" else ())], bold)
        draw, bicycles = random.Random(route), random.Random(7)
        row = 3
        for one in days(until):
            figures = [draw.randint(80, 520), draw.randint(9, 120), round(draw.uniform(2, 40), 1)]
            if changed and route == "Skerry Line" and one == dt.date(2031, 3, 12):
                figures[1] += 14  # stated anew
            if changed and one == dt.date(2031, 4, 17):
                continue  # nobody sent that day
            sheet.write_datetime(row, 0, dt.datetime.combine(one, dt.time()), day)
            sheet.write_row(row, 1, figures)
            if changed and route == "North Loop":
                sheet.write(row, 4, bicycles.randint(0, 30))
            row += 1
        sheet.set_column(0, 0, 12)
    book.close()


def form(path: Path, harbour: str, master: str, crew: tuple[str, ...]) -> None:
    """A week's hours of one harbour's crew, as a form: fields above, a line for each of the crew, a total."""
    book = xlsxwriter.Workbook(str(path))
    bold = book.add_format({"bold": True})
    sheet = book.add_worksheet("Hours")
    sheet.write(0, 0, "Crew hours", bold)
    sheet.write_row(2, 0, ["Harbour:", harbour])
    sheet.write_row(3, 0, ["Harbour master:", master])
    sheet.write_row(3, 4, ["Week:", "2031-W14"])
    sheet.write_row(5, 0, ["Name", *WEEK, "Total"], bold)
    draw = random.Random(harbour)
    sums = [0.0] * 7
    for at, name in enumerate(crew):
        hours = [draw.choice((0, 6, 7.5, 8, 8, 10)) for _ in WEEK]
        sums = [one + other for one, other in zip(sums, hours, strict=True)]
        sheet.write_row(6 + at, 0, [name, *hours, sum(hours)])
    sheet.write_row(6 + len(crew), 0, ["All", *sums, sum(sums)])
    sheet.write(8 + len(crew), 0, "Signed: ____________________")
    book.close()


def main() -> None:
    """Write all of them."""
    daily(FOLDER / "daily_2031-03.xlsx", dt.date(2031, 3, 31), changed=False)
    daily(FOLDER / "daily_2031-04.xlsx", dt.date(2031, 4, 30), changed=True)
    for name, (harbour, master, crew) in CREW.items():
        form(FOLDER / f"crew_{name}.xlsx", harbour, master, crew)


if __name__ == "__main__":
    main()
