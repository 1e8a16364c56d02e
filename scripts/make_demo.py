"""Write the demo workbooks into the package: `python scripts/make_demo.py`. Seeded: the same files every time."""

from __future__ import annotations

import datetime as dt
import random
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import xlsxwriter

FOLDER = Path(__file__).parent.parent / "src" / "kebrin" / "demo" / "files"
QUARTERS = {
    "Q1": ("Jan", "Feb", "Mar"),
    "Q2": ("Apr", "May", "Jun"),
    "Q3": ("Jul", "Aug", "Sep"),
    "Q4": ("Oct", "Nov", "Dec"),
}
CLASSES = ("Foot", "Cars", "Freight t")
HEAD, STUB = 6, 2  # first boxhead row and width of the stub, 0-based rows


@dataclass(frozen=True)
class Route:
    """A route: its sheet's name, code, harbours and daily sailings per direction."""

    name: str
    code: str
    harbours: tuple[str, str]
    sailings: dict[str, tuple[str, ...]]
    scale: float


ROUTES = (
    Route("North Loop", "N4", ("Skarrow", "Hallan"),
          {"Outbound": ("07:15", "10:40", "14:05", "18:30"), "Inbound": ("08:50", "12:15", "15:40", "20:05")}, 1.0),
    Route("Skerry Line", "S2", ("Skarrow", "Tarn Skerry"),
          {"Outbound": ("06:30", "09:30", "16:45"), "Inbound": ("08:00", "11:00", "18:15")}, 0.45),
    Route("Outer Sound", "O7", ("Hallan", "Wick of Ness"),
          {"Outbound": ("09:00", "17:00"), "Inbound": ("11:30", "19:30")}, 0.7),
)  # fmt: skip


def columns() -> list[tuple[str, str, str]]:
    """Quarter, month ('Total' for the quarter's own columns) and class of each body column."""
    return [
        (quarter, month, kind)
        for quarter, months in QUARTERS.items()
        for month in (*months, "Total")
        for kind in CLASSES
    ]


def carried(chance: random.Random, month: int, kind: str, scale: float) -> float:
    """How much one sailing carried in one month."""
    season = 1.0 + 0.8 * (1 - abs(month - 6.5) / 6.5)
    if kind == "Freight t":
        return round(chance.uniform(8, 40) * scale, 1)
    return float(round(chance.uniform(60, 340) * season * scale * (1.0 if kind == "Foot" else 0.3)))


class Writer:
    """One workbook being written."""

    def __init__(self, year: int) -> None:
        self.year, self.chance = year, random.Random(year)
        self.book = xlsxwriter.Workbook(str(FOLDER / f"traffic_{year}.xlsx"))
        self.book.set_properties({"created": dt.datetime(2032, 1, 20, tzinfo=dt.UTC), "title": f"Traffic {year}"})
        make = self.book.add_format
        self.title = make({"bold": True, "font_size": 14})
        self.label = make({"italic": True})
        self.box = make({"bold": True, "border": 1, "align": "center"})
        self.date = make({"num_format": "d mmm yyyy", "border": 1, "align": "center"})
        self.head = make(
            {
                "bold": True,
                "align": "center",
                "valign": "vcenter",
                "border": 1,
                "bg_color": "#DCE6EC",
                "text_wrap": True,
            }
        )
        self.side = make({"bold": True, "valign": "top", "border": 1})
        self.plain = make({"num_format": "#,##0", "align": "right"})
        self.tonnes = make({"num_format": "#,##0.0", "align": "right"})
        self.sum = make({"num_format": "#,##0", "bold": True, "top": 1})
        self.sum_tonnes = make({"num_format": "#,##0.0", "bold": True, "top": 1})

    def write(self) -> None:
        """Cover, a sheet per route, Notes."""
        cover = self.book.add_worksheet("Cover")
        cover.write(1, 1, "Skarrow Isles Ferry Board", self.title)
        cover.write(2, 1, f"Traffic returns {self.year}")
        cover.write(4, 1, "One sheet per route. Figures are by scheduled sailing and month.")
        for route in ROUTES:
            self.route(route)
        notes = self.book.add_worksheet("Notes")
        notes.write(0, 0, "Notes", self.title)
        notes.write(1, 0, "Foot: passengers on foot. Cars: vehicles up to 6 m. Freight in tonnes.")
        notes.write(2, 0, "n/a: not recorded. – : the sailing did not run that month.")
        self.book.close()

    def route(self, route: Route) -> None:
        """One route's sheet: fields in boxes, a boxhead of three merged rows, subtotals, footnotes."""
        sheet = self.book.add_worksheet(route.name)
        sheet.set_column(0, 1, 12)
        sheet.set_column(2, 60, 7)
        sheet.freeze_panes(HEAD + 3, STUB)
        sheet.write(0, 0, "Skarrow Isles Ferry Board", self.title)
        sheet.write(1, 0, f"Traffic by sailing and month, {self.year}")
        sheet.write(3, 0, "Route:", self.label)
        sheet.merge_range(3, 1, 3, 3, f"{route.harbours[0]} – {route.harbours[1]}", self.box)
        sheet.write(3, 5, "Route code:", self.label)
        sheet.merge_range(3, 7, 3, 8, route.code, self.box)
        sheet.write(4, 0, "Season: all year")
        sheet.write(4, 5, "Prepared on:", self.label)
        sheet.merge_range(4, 7, 4, 9, "", self.box)
        sheet.write_datetime(4, 7, dt.date(self.year + 1, 1, 14), self.date)
        self.boxhead(sheet)
        last = self.body(sheet, route)
        sheet.write(last + 2, 0, "* Includes an extra sailing for the harbour festival.")
        sheet.write(last + 3, 0, "n/a: not recorded. – : the sailing did not run that month.")
        sheet.write(last + 4, 0, "Source: pursers' returns.")

    def boxhead(self, sheet: Any) -> None:
        """Quarter over month over class; the stub heads are merged downwards."""
        sheet.merge_range(HEAD, 0, HEAD + 2, 0, "Direction", self.head)
        sheet.merge_range(HEAD, 1, HEAD + 2, 1, "Sailing", self.head)
        width = len(CLASSES)
        for at, quarter in enumerate(QUARTERS):
            left = STUB + at * 4 * width
            sheet.merge_range(HEAD, left, HEAD, left + 4 * width - 1, quarter, self.head)
            for place, month in enumerate((*QUARTERS[quarter], "Total")):
                first = left + place * width
                sheet.merge_range(HEAD + 1, first, HEAD + 1, first + width - 1, month, self.head)
                for number, kind in enumerate(CLASSES):
                    sheet.write(HEAD + 2, first + number, "Freight\nt" if kind == "Freight t" else kind, self.head)

    def body(self, sheet: Any, route: Route) -> int:
        """The figures by direction and sailing, with subtotals and a grand total; returns the last row."""
        row = HEAD + 3
        grand = [0.0] * len(columns())
        for direction, sailings in route.sailings.items():
            sums = [0.0] * len(columns())
            sheet.merge_range(row, 0, row + len(sailings) - 1, 0, direction, self.side)
            for sailing in sailings:
                sheet.write_string(row, 1, sailing)
                sums = [sum(pair) for pair in zip(sums, self.sailing(sheet, row, route), strict=True)]
                row += 1
            self.totals(sheet, row, f"{direction} total", sums)
            grand = [sum(pair) for pair in zip(grand, sums, strict=True)]
            row += 1
        self.totals(sheet, row, "Total, both directions", grand)
        return row

    def sailing(self, sheet: Any, row: int, route: Route) -> list[float]:
        """One row; some cells bear a footnote mark, some a missing mark."""
        values: list[float] = []
        month = 0
        quarter_sums = dict.fromkeys(CLASSES, 0.0)
        for at, (_, name, kind) in enumerate(columns()):
            style = self.tonnes if kind == "Freight t" else self.plain
            if name == "Total":
                values.append(round(quarter_sums[kind], 1))
                sheet.write(row, STUB + at, values[-1], self.sum_tonnes if kind == "Freight t" else self.sum)
                if kind == CLASSES[-1]:
                    quarter_sums = dict.fromkeys(CLASSES, 0.0)
                continue
            month += kind == CLASSES[0]
            value = carried(self.chance, month, kind, route.scale)
            luck = self.chance.random()
            if luck < 0.012:
                sheet.write_string(row, STUB + at, self.chance.choice(("n/a", "–")), style)
                value = 0.0
            elif luck < 0.03 and kind == "Foot":
                sheet.write_string(row, STUB + at, f"{value:.0f}*", style)
            elif luck < 0.036:
                value = 0.0  # left empty
            else:
                sheet.write(row, STUB + at, value, style)
            quarter_sums[kind] += value
            values.append(value)
        return values

    def totals(self, sheet: Any, row: int, label: str, sums: list[float]) -> None:
        """A total row, its label over both stub columns."""
        sheet.merge_range(row, 0, row, 1, label, self.side)
        for at, (value, (_, _, kind)) in enumerate(zip(sums, columns(), strict=True)):
            sheet.write(row, STUB + at, round(value, 1), self.sum_tonnes if kind == "Freight t" else self.sum)


if __name__ == "__main__":
    FOLDER.mkdir(parents=True, exist_ok=True)
    for year in (2030, 2031):
        Writer(year).write()
        print(f"traffic_{year}.xlsx written")
