"""Where labels stand: none, in the middle, at the right, among figures; headings said twice; trees that small figures show."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import openpyxl
from openpyxl.styles import Alignment

import kebrin as kb
from building import write_book
from settling import open_findings, run_with
from tidying import columns_of, drafted, rows_of, tidied

if TYPE_CHECKING:
    from pathlib import Path


def test_rows_that_nothing_labels_are_numbered(tmp_path: Path) -> None:
    run = tidied(tmp_path, [["Jan", "Feb", "Mar"], [12, 14, 15], [9, 8, 7]])
    assert run.holds
    assert columns_of(run) == ("row", "month", "value")
    assert rows_of(run)[2:4] == [("1", "Mar", 15), ("2", "Jan", 9)]
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_labels_in_the_middle_speak_of_both_sides(tmp_path: Path) -> None:
    rows = [
        ["Out", "", "Quay", "Home", ""],
        ["Foot", "Cars", "", "Foot", "Cars"],
        [12, 3, "Brae", 11, 4],
        [9, 1, "Wick", 8, 2],
    ]
    run = tidied(tmp_path, rows, ["A1:B1", "C1:C2", "D1:E1"])
    assert run.holds
    assert rows_of(run)[:3] == [("Brae", "Out", "Foot", 12), ("Brae", "Out", "Cars", 3), ("Brae", "Home", "Foot", 11)]


def test_labels_at_the_right_of_a_list_leave_its_figures_numbers(tmp_path: Path) -> None:
    run = tidied(tmp_path, [["Foot", "Cars", "Quay"], [12, 3, "Brae"], [9, 1, "Wick"], [14, 5, "Foss"]])
    assert run.holds
    assert rows_of(run)[0] == ("Brae", 12, 3)


def test_a_list_that_begins_with_amounts_keeps_them_numbers(tmp_path: Path) -> None:
    rows = [
        ["Dues", "Paid on", "Boat"],
        [12.5, "2031-05-01", "Gull"],
        [9, "2031-05-02", "Tern"],
        [-3.2, "2031-05-02", "Lark"],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert [row[0] for row in rows_of(run)] == [12.5, 9, -3.2]


def test_headings_said_twice_are_numbered_and_asked_about(tmp_path: Path) -> None:
    rows = [
        ["Boat", "Date", "Load", "Seen", "Load"],
        ["Gull", "2031-05-01", 12, "yes", 13],
        ["Tern", "2031-05-02", 2, "no", 3],
    ]
    run = tidied(tmp_path, [*rows, ["Lark", "2031-05-03", 8, "no", 4]])
    assert columns_of(run) == ("Boat", "Date", "Load", "Seen", "Load 2")
    ((_, asked),) = open_findings(run)
    assert "'Load' heads 2 columns" in asked.what
    assert asked.cells == ("E1",)
    assert not list(open_findings(run_with(tmp_path / "r.xlsx", "S", asked.settle[0])))


def test_a_crosstab_with_a_heading_said_twice_keeps_its_columns(tmp_path: Path) -> None:
    rows = [["Quay", "Calls", "vs plan", "Tons", "vs plan"], ["Brae", 12, 2, 340, -20], ["Wick", 9, -1, 120, 15]]
    run = tidied(tmp_path, rows)
    assert columns_of(run) == ("Quay", "Calls", "vs plan", "Tons", "vs plan 2")
    assert rows_of(run)[0] == ("Brae", 12, 2, 340, -20)


def test_words_among_the_figures_next_to_the_labels_are_asked_about(tmp_path: Path) -> None:
    rows = [["Day", "Gull", "Tern", "Lark"], ["Mon", "service", 12, 9], ["Tue", "", 11, 8], ["Wed", 10, 13, 7]]
    run = tidied(tmp_path, rows, ["B2:B3"])
    asked = next(one for _, one in open_findings(run) if "holds 'service' and figures" in one.what)
    assert columns_of(run_with(tmp_path / "r.xlsx", "S", asked.settle[1]))[:2] == ("Day", "heading")


CARGO: list[list[Any]] = [
    ["Cargo", "Jan", "Feb"], ["Dry", 30, 41], ["Grain", 10, 21], ["Ore", 20, 20],
    ["Liquid", 15, 12], ["Oil", 9, 8], ["Wine", 6, 4],
]  # fmt: skip


def test_a_total_of_the_outer_lines_alone_shows_that_the_others_are_their_parts(tmp_path: Path) -> None:
    run = tidied(tmp_path, [*CARGO, ["All cargo", 45, 53]])
    assert run.holds
    assert [row[:2] for row in rows_of(run)[::2]] == [
        ("Dry", "Grain"),
        ("Dry", "Ore"),
        ("Liquid", "Oil"),
        ("Liquid", "Wine"),
    ]


def test_intervals_are_figures_and_their_parting_is_offered(tmp_path: Path) -> None:
    rows = [["Quay", "Foot", "Cars"], ["Brae", "12 (9–15)", "3 (2–4)"], ["Wick", "8 (6–11)", "5 (4–7)"]]
    run = tidied(tmp_path, rows)
    assert rows_of(run)[0] == ("Brae", "Foot", "12 (9–15)")
    ((_, asked),) = open_findings(run)
    step = asked.what.partition("step ")[2]
    plan = f"{kb.draft(tmp_path / 'r.xlsx', base=tmp_path).text}\n[[table.s.step]]\n" + step.replace(
        ", into", "\ninto"
    ).replace(", pattern", "\npattern")
    (tmp_path / "q.toml").write_text(plan, "utf-8")
    assert columns_of(kb.load_plan(tmp_path / "q.toml").run())[-3:] == ("value", "lower", "upper")


def test_what_other_sheets_say_besides_does_not_hide_a_sheet_of_sums(tmp_path: Path) -> None:
    head = ["Kind", "Q1", "Q2", "Q3", "Q4"]
    sheets: dict[str, Any] = {
        "All": [head, ["Slip", 7, 5, 9, 11], ["Cut", 4, 6, 8, 3]],
        "Brae": [head, ["Slip", 3, 1, 4, 9], ["Cut", 2, 2, 5, 1]],
        "Wick": [head, ["Slip", 2, 3, 3, 1], ["Cut", 1, 3, 2, 1]],
        "Foss": [[*head, "Injured"], ["Slip", 2, 1, 2, 1, 1], ["Cut", 1, 1, 1, 1, 0]],
    }
    run = kb.tidy_reports(write_book(tmp_path / "r.xlsx", sheets))
    rows = [row for table in run.tables.values() for row in table.to_arrow().to_pylist()]
    assert "All" not in {row.get("sheet") for row in rows}
    assert len(rows) == 24


def test_a_word_said_of_all_in_place_of_figures_is_a_row_of_the_body(tmp_path: Path) -> None:
    run = tidied(
        tmp_path, [["Fare", "Single", "Return"], ["Adult", 12.5, 20], ["Child", 6.25, 10], ["Dog", "free", "free"]]
    )
    assert columns_of(run) == ("Fare", "heading", "value")
    assert rows_of(run)[-1] == ("Dog", "Return", "free")
    ((_, asked),) = open_findings(run)
    assert rows_of(run_with(tmp_path / "r.xlsx", "S", asked.settle[0]))[-1] == ("Dog", "Return", None)


def test_notes_beside_each_series_are_marks_of_its_figures(tmp_path: Path) -> None:
    rows = [
        ["Quay", "2030", "Note", "2031", "Note"],
        ["Brae", 12, "", 13, "a"],
        ["Wick", 9, "b", 8, ""],
        ["a new pier"],
        ["b storm"],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert rows_of(run)[:2] == [("Brae", "2030", 12), ("Brae", "2031", 13)]


def test_a_count_at_the_end_of_numbered_records_is_none_of_them(tmp_path: Path) -> None:
    run = tidied(tmp_path, [["No", "Boat", "Load"], [1, "Gull", 12], [2, "Tern", 9], [3, "Lark", 4], ["", "Noted", 7]])
    assert rows_of(run)[-1] == (None, "Noted", 7)


def test_what_heads_the_first_week_is_no_title_of_all(tmp_path: Path) -> None:
    week = [["", "Mon", "Tue"], ["Gull", "E", "L"], ["Tern", "L", ""]]
    run = tidied(tmp_path, [["Week 20"], *week, ["Week 21"], *week])
    assert run.holds
    assert columns_of(run)[0] == "week"
    assert [row[0] for row in rows_of(run)] == ["Week 20"] * 3 + ["Week 21"] * 3


def test_what_scores_are_out_of_is_no_score_however_few_there_are(tmp_path: Path) -> None:
    run = tidied(tmp_path, [["Name", "Knots", "Charts"], ["Out of", 20, 30], ["Ada", 18, 25], ["Bo", 12, 28]])
    assert run.holds
    assert rows_of(run)[0] == ("Ada", "Knots", "20", 18)


def test_the_last_row_of_figures_alone_is_their_sum_where_all_columns_tie(tmp_path: Path) -> None:
    flows = [[80.4, 50.7, 57.9, 34.5], [59.4, 53.5, 14.2, 70.3], [50.9, 46, 74.6, 14], [76, 10.4, 61.6, 70.4]]
    sums = [round(sum(column), 1) for column in zip(*flows, strict=True)]
    run = tidied(tmp_path, [["Bore", "Well", "Spring", "Brook"], *flows, sums])
    assert run.holds
    assert len(rows_of(run)) in {4, 16}
    assert 1018.9 not in {row[-1] for row in rows_of(run)}


def test_a_mark_may_stand_before_its_figure(tmp_path: Path) -> None:
    rows = [["Quay", "Jan", "Feb"], ["Brae", 12, "(p) 14"], ["Wick", "(p) 9", 10], [], ["(p) = provisional"]]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert [row[2] for row in rows_of(run)] == [12, 14, 9, 10]


def test_a_row_that_says_how_many_records_there_are_is_none_of_them(tmp_path: Path) -> None:
    rows = [
        ["Day", "Boat", "Load", "Crew"],
        ["Mon", "Gull", 12, "TB"],
        ["Tue", "Tern", 30, "Mo"],
        ["Wed", "Skua", 9, "TB"],
    ]
    run = tidied(tmp_path, [*rows, ["Thu", "Gull", 14, "Mo"], ["Landings", "", "", 4]])
    assert run.holds
    assert [row[0] for row in rows_of(run)] == ["Mon", "Tue", "Wed", "Thu"]
    wrong = tidied(tmp_path, [*rows, ["Thu", "Gull", 14, "Mo"], ["Landings", "", "", 5]])
    assert wrong.proof.questions


def test_a_text_centred_across_blank_cells_stands_over_these_alone(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    body: list[list[Any]] = [["East", 4, 2, 6, 1, 3], ["West", 5, 3, 7, 2, 8], ["Pier", 9, 4, 8, 1, 2]]
    for row in [["", "On foot", "", "In cars", "", ""], ["Quay", "Out", "In", "Out", "In", "Bicycles"], *body]:
        sheet.append([cell or None for cell in row])
    for cell in sheet["B1:E1"][0]:
        cell.alignment = Alignment(horizontal="centerContinuous")
    book.save(tmp_path / "r.xlsx")
    run = kb.tidy(tmp_path / "r.xlsx")
    assert run.holds
    heads = {(row[1], row[2]) for row in rows_of(run)}
    assert (None, "Bicycles") in heads
    assert ("In cars", "In") in heads


def test_a_mean_of_several_blocks_is_no_record(tmp_path: Path) -> None:
    head = ["Crew", "Rowing", "Knots"]
    first = [["Team A"], head, ["Ane", 7, 5.5], ["Bo", 8, 6.5], ["Cai", 3, 4.0], []]
    second = [["Team B"], head, ["Dag", 9, 9.0], ["Eli", 2, 4.0], ["Fay", 7, 7.0], [], ["Average of all", 6, 6.0]]
    run = tidied(tmp_path, [*first, *second])
    assert run.holds
    assert [row[1] for row in rows_of(run)][::2] == ["Ane", "Bo", "Cai", "Dag", "Eli", "Fay"]
