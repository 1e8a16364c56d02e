"""A plan drafted from one month's report runs on the next month's: exact, refused, or told; never wrong and held to be proved."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from corpus.making import Made, Sheet
from corpus.offices import OFFICE, make_office
from test_offices import same

if TYPE_CHECKING:
    from collections.abc import Callable


def moved(made: Made, down: int, right: int) -> Made:
    """The report with all its cells moved."""
    sheets = [
        Sheet(
            sheet.name,
            {(row + down, column + right): value for (row, column), value in sheet.cells.items()},
            [(top + down, left + right, bottom + down, end + right) for top, left, bottom, end in sheet.merges],
        )
        for sheet in made.sheets
    ]
    return Made(made.seed, made.kinds, sheets, made.tables)


def as_it_is(made: Made) -> Made:
    return made


def further_down(made: Made) -> Made:
    return moved(made, 2, 0)


def further_right(made: Made) -> Made:
    return moved(made, 0, 1)


def under_new_titles(made: Made) -> Made:
    """Two more title rows on every sheet."""
    lower = moved(made, 3, 0)
    for sheet in lower.sheets:
        sheet.put(0, 0, "Skarrow Isles Ferry Board")
        sheet.put(1, 0, "Return of the month")
    return lower


def with_a_sheet_of_notes(made: Made) -> Made:
    notes = Sheet("Notes")
    notes.put(0, 0, "Figures are provisional.")
    return Made(made.seed, made.kinds, [*made.sheets, notes], made.tables)


CHANGES = (as_it_is, further_down, further_right, under_new_titles, with_a_sheet_of_notes)


def outcome(kind: str, seeds: tuple[int, int], change: Callable[[Made], Made], folder: Path) -> str:
    """'right', 'refused', 'told' or 'wrong'."""
    report = folder / "report.xlsx"
    make_office(kind, seeds[0]).write(report)
    plan = kb.draft(report, base=folder)
    made = change(make_office(kind, seeds[1]))
    made.write(report)
    try:
        run = plan.run()
    except kb.KebrinError:
        return "refused"
    if len(run.tables) == 1 and all(same(table, made.tables[0]) for table in run.tables.values()):
        return "right"
    return "wrong" if run.holds else "told"


@pytest.mark.parametrize("change", CHANGES, ids=lambda change: change.__name__)
@pytest.mark.parametrize("kind", OFFICE)
def test_the_next_month_is_right_or_told(kind: str, change: Callable[[Made], Made], tmp_path: Path) -> None:
    assert outcome(kind, (21, 22), change, tmp_path) != "wrong"


def test_nearly_all_next_months_come_out_right(tmp_path: Path) -> None:
    found = [outcome(kind, (23, 24), as_it_is, tmp_path) for kind in OFFICE]
    assert found.count("right") >= len(found) - 3
    assert "wrong" not in found


def test_a_year_says_what_is_otherwise_each_month_and_nothing_else() -> None:
    example = Path(__file__).parent.parent / "examples" / "a_year.py"
    done = subprocess.run([sys.executable, str(example)], capture_output=True, text=True, check=True, encoding="utf-8")
    assert done.stdout == (Path(__file__).parent / "a_year.txt").read_text("utf-8")
