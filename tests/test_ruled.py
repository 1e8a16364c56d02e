"""Pages of a PDF on which rules draw cells: spans, wrapped texts, grids beside one another, rules that tell no rows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from reportlab.lib import colors
from reportlab.lib.styles import getSampleStyleSheet
from reportlab.platypus import PageBreak, Paragraph, SimpleDocTemplate, Table, TableStyle

import kebrin as kb
from tidying import columns_of, rows_of

if TYPE_CHECKING:
    from pathlib import Path

GRID = ("GRID", (0, 0), (-1, -1), 0.5, colors.black)


def grid(rows: Any, *more: Any, **options: Any) -> Table:
    return Table(rows, style=TableStyle([GRID, *more]), **options)


def tidied_page(folder: Path, *parts: Any) -> kb.Run:
    SimpleDocTemplate(str(folder / "r.pdf")).build(list(parts))
    return kb.tidy(folder / "r.pdf")


def text(said: str) -> Paragraph:
    return Paragraph(said, getSampleStyleSheet()["Normal"])


def test_a_box_that_no_rule_parts_spans_rows_and_columns(tmp_path: Path) -> None:
    rows = [["Quay", "2030", "", "2031", ""], ["", "Foot", "Cars", "Foot", "Cars"], ["Brae", "120", "30", "131", "33"]]
    rows += [["Wick", "80", "12", "76", "14"], ["Total", "200", "42", "207", "47"]]
    spans = [("SPAN", (0, 0), (0, 1)), ("SPAN", (1, 0), (2, 0)), ("SPAN", (3, 0), (4, 0))]
    run = tidied_page(tmp_path, text("Calls by quay"), grid(rows, *spans))
    assert run.holds
    assert columns_of(run) == ("Quay", "year", "heading 2", "value")
    assert rows_of(run)[2] == ("Brae", "2031", "Foot", 131)
    assert len(rows_of(run)) == 8


def test_a_text_that_is_wrapped_in_its_box_stays_one(tmp_path: Path) -> None:
    rows = [
        ["Boat", "Remark", "Load"],
        ["Gull", text("late because of the storm of the day before and a long wait at the quay"), "12"],
        ["Tern", "", "9"],
        ["Skua", text("on time"), "4"],
    ]
    run = tidied_page(tmp_path, grid(rows, colWidths=[60, 120, 60]))
    assert run.holds
    assert rows_of(run)[:2] == [
        ("Gull", "late because of the storm of the day before and a long wait at the quay", 12), ("Tern", None, 9)
    ]  # fmt: skip


def test_grids_beside_one_another_are_tables_of_their_own(tmp_path: Path) -> None:
    left = grid([["Quay", "Calls"], ["Brae", "12"], ["Wick", "9"], ["Foss", "4"]])
    right = grid([["Class", "Dues"], ["Foot", "300"], ["Cars", "520"], ["Bikes", "20"]])
    run = tidied_page(tmp_path, Table([[left, right]]))
    assert run.holds
    assert [table.columns for table in run.tables.values()] == [("Quay", "Calls"), ("Class", "Dues")]


def test_rules_that_tell_no_rows_leave_them_to_the_places_of_the_texts(tmp_path: Path) -> None:
    rows = [["Boat", "Port", "Load"], ["Gull", "Brae", "12"], ["Tern", "Wick", "9"], ["Skua", "Brae", "4"]]
    style = [("BOX", (0, 0), (-1, -1), 1, colors.black), ("LINEBEFORE", (1, 0), (-1, -1), 0.5, colors.black)]
    run = tidied_page(
        tmp_path, Table(rows, style=TableStyle([*style, ("LINEBELOW", (0, 0), (-1, 0), 1, colors.black)]))
    )
    assert run.holds
    assert rows_of(run)[-1] == ("Skua", "Brae", 4)


def test_a_grid_goes_on_over_pages_with_its_headings_said_again(tmp_path: Path) -> None:
    rows = [["Boat", "Port", "Load"], *([f"Boat {at}", ("Brae", "Wick")[at % 2], str(at * 7 % 50)] for at in range(70))]
    run = tidied_page(tmp_path, grid(rows, repeatRows=1))
    assert run.holds
    assert len(rows_of(run)) == 70


def bare(rows: Any) -> Table:
    return Table(rows, colWidths=[90, 60, 60], style=TableStyle([("ALIGN", (1, 0), (-1, -1), "RIGHT")]))


def test_heads_that_each_page_says_again_are_set_aside_and_counted(tmp_path: Path) -> None:
    head = ["Boat", "Foot", "Cars"]
    first, second = (
        ([f"Boat {at}", str(at * 3 + 1), str(at + 2)] for at in range(9)),
        ([f"Boat {at}", str(at), "7"] for at in range(9, 15)),
    )
    pages = (
        text("Calls of the week"),
        bare([head, *first]),
        PageBreak(),
        text("Calls of the week"),
        bare([head, *second]),
    )
    run = tidied_page(tmp_path, *pages)
    assert run.holds
    assert len(rows_of(run)) == 30
    assert any("page heads that say the same again" in one.what for one in run.proof.findings)


def test_titles_of_tables_side_by_side_stand_over_their_own(tmp_path: Path) -> None:
    rows = [["Brae Pier", "", "", "Wick Pier", "", ""], ["Class", "Calls", "Tons", "Class", "Calls", "Tons"]]
    rows += [
        [one, str(at + 3), str(at * 7 + 20), one, str(at + 9), str(at * 5 + 90)]
        for at, one in enumerate(("Foot", "Cars", "Bikes"))
    ]
    table = Table(
        rows,
        colWidths=[80, 50, 50, 80, 50, 50],
        style=TableStyle([("ALIGN", (1, 1), (2, -1), "RIGHT"), ("ALIGN", (4, 1), (5, -1), "RIGHT")]),
    )
    run = tidied_page(tmp_path, text("Calls by class"), table)
    assert run.holds
    assert {row[0] for row in rows_of(run)} == {"Brae Pier", "Wick Pier"}
