"""Sheets as offices make them: a rota drawn as a calendar, a timetable, and dues with a box of fields beside the table.

Run it with a folder to write to (a temporary one by default): `python examples/office_sheets.py [FOLDER]`. It writes the
workbook, tidies it unaided, and prints what came of each sheet.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path
from typing import Any

import openpyxl

import kebrin as kb

ROTA: list[list[Any]] = [
    ["Rota of the Gull, April 2031"], [],
    ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"],
    [None, 1, 2, 3, 4, 5, 6], [None, "Ada", "Bo", "Ada", "Cy", "Cy", "Bo"],
    [7, 8, 9, 10, 11, 12, 13], ["Ada", "Ada", "Bo", None, "Cy", "Bo", "Bo"],
]  # fmt: skip
TIMETABLE: list[list[Any]] = [
    ["North Loop, summer"], [],
    ["Sailing", "Skarrow", "Hallan", "Garth", "Wick"],
    ["N101", "07:15", "07:50", "–", "08:40"], ["N103", "09:30", "10:05", "10:25", "10:55"],
]  # fmt: skip
DUES: list[list[Any]] = [
    ["Harbour dues, first quarter"], ["Grand total:", 102], [],
    ["Berth", "Jan", "Feb", "Mar", "Q1", None, "Harbour master:", "Ada Holm"],
    ["B1", 10, 12, 11, 33, None, "Prepared on:", "2 April 2031"],
    ["B2", 9, 8, 7, 24, None, "Status:", "draft"], ["B3", 14, 15, 16, 45],
    ["Total", 33, 35, 34, 102], [], ["* as counted by the quay"],
]  # fmt: skip


def write_workbook(path: Path) -> None:
    """The three sheets."""
    book = openpyxl.Workbook()
    for sheet, (name, rows) in zip(
        [book.active, book.create_sheet(), book.create_sheet()],
        {"Rota": ROTA, "Timetable": TIMETABLE, "Dues": DUES}.items(), strict=True,
    ):  # fmt: skip
        sheet.title = name
        for row in rows:
            sheet.append(row)
    book.save(path)


def main() -> None:
    """Write, tidy, tell."""
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp())
    folder.mkdir(parents=True, exist_ok=True)
    write_workbook(folder / "office.xlsx")
    run = kb.tidy(folder / "office.xlsx")
    for name, table in run.tables.items():
        print(f"{name}: {len(table)} rows of {', '.join(table.columns)}")
        for record in table.to_arrow().slice(0, 3).to_pylist():
            print("   ", record)
        print("   ", run.proofs[name].headline)
    (folder / "dues.png").write_bytes(kb.read(folder / "office.xlsx")["Dues"].map().png)
    print(f"the map of the third sheet is in {folder / 'dues.png'}")


if __name__ == "__main__":
    main()
