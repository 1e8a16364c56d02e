"""What the look of a sheet says: bold sums, figures per cent at the head, labels merged down; what stands beside or behind."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import openpyxl
import pytest
from openpyxl.styles import Font

import kebrin as kb
from kebrin.plan.offering import offered
from tidying import columns_of, rows_of, tidied

if TYPE_CHECKING:
    from pathlib import Path

ACCOUNT = [
    ["Account, 1,000 crowns", 2029, 2030, 2031],
    ["Fares", 702, 729, 812],
    ["Catering", 105, 153, 188],
    ["Turnover", 807, 882, 1000],
    ["Cost of sales", 334, 358, 391],
    ["Gross profit", 473, 524, 609],
    ["Wages", 41, 52, 47],
    ["Rent", 33, 38, 55],
    ["Insurance", 27, 21, 36],
    ["Total expenses", 101, 111, 138],
    ["Net profit", 372, 413, 471],
]


def looked(folder: Path, rows: list[list[Any]], bold: tuple[int, ...] = (), percent: tuple[int, ...] = ()) -> kb.Run:
    """The run of a sheet with rows in bold and rows of figures per cent."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    for row in rows:
        sheet.append(row)
    for at in bold:
        for cell in sheet[at]:
            cell.font = Font(bold=True)
    for at in percent:
        for cell in sheet[at]:
            cell.number_format = "0%"
    book.save(folder / "r.xlsx")
    return kb.tidy_reports(folder / "r.xlsx")


def test_a_bold_line_that_sums_lines_that_are_not_is_a_total_and_results_follow_from_it(tmp_path: Path) -> None:
    run = looked(tmp_path, ACCOUNT, bold=(1, 4, 6, 10, 11))
    assert run.holds
    assert {row[0] for row in rows_of(run)} == {"Fares", "Catering", "Cost of sales", "Wages", "Rent", "Insurance"}


def test_the_same_line_is_asked_about_where_nothing_is_bold(tmp_path: Path) -> None:
    run = looked(tmp_path, ACCOUNT)
    assert any("'Turnover' is the sum of 2 lines" in one.what for one in run.proof.findings)


@pytest.mark.parametrize(("percent", "labels"), [((2,), {"0.2", "0.3", "0.5"}), ((), None)])
def test_a_first_row_per_cent_weighs_the_columns(
    tmp_path: Path, percent: tuple[int, ...], labels: set[str] | None
) -> None:
    marks: list[list[Any]] = [
        ["Pupil", "Knots", "Charts", "Signals"],
        ["Weight", 0.2, 0.3, 0.5],
        ["Ane", 82, 69, 70],
        ["Bo", 54, 71, 54],
    ]
    marks += [["Cai", 46, 79, 68], ["Dag", 66, 74, 95]]
    run = looked(tmp_path, marks, percent=percent)
    (table,) = run.tables.values()
    found = {row["Weight"] for row in table.to_arrow().to_pylist()} if "Weight" in table.columns else None
    assert found == labels


def test_labels_merged_down_and_ranges_behind_them_leave_sizes_among_the_labels(tmp_path: Path) -> None:
    rows = [
        ["Article", "Size", "1 to 9", "10 to 49", "50 and more"], ["", "", "kr each", "kr each", "kr each"],
        ["Rope", "6 mm", 4.63, 4.17, 3.7], ["", "8 mm", 7, 6.3, 5.6], ["Chain", "6 mm", 6.5, 5.85, 5.2],
    ]  # fmt: skip
    run = tidied(tmp_path, rows, ["A1:A2", "B1:B2", "A3:A4"])
    assert run.holds
    assert rows_of(run)[3][:3] == ("Rope", "8 mm", "1 to 9")


def test_a_list_of_words_with_a_figure_in_it_is_a_list(tmp_path: Path) -> None:
    rows = [
        ["Quay", "Master", "Phones"],
        ["Ness", "Ane", "4410\n4411"],
        ["", "Bo", 4420],
        ["Brae", "Cai", "4430\n4431"],
    ]
    run = tidied(tmp_path, rows, ["A2:A3"])
    assert columns_of(run) == ("Quay", "Master", "Phones")
    assert [row[0] for row in rows_of(run)] == ["Ness", "Ness", "Brae"]


def test_a_table_of_one_column_and_one_of_two_below_it_are_two(tmp_path: Path) -> None:
    first = [["Table 1: Boats by quay"], ["Quay", "Boats"], ["Ness", 12], ["Brae", 7], ["Total", 19], []]
    rows = [*first, ["Table 2: Crew"], ["Quay", "Masters", "Mates"], ["Ness", 12, 20], ["Brae", 7, 11]]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert [len(table) for table in run.tables.values()] == [2, 4]


def test_a_line_behind_the_sum_of_all_is_asked_about(tmp_path: Path) -> None:
    rows = [["Day", "Jan", "Feb"], *([day, day * 3, day + 4] for day in range(1, 9)), ["Total", 108, 68]]
    run = tidied(tmp_path, [*rows, ["Boats in dock", 31, 29]])
    assert not run.holds
    assert any("'Boats in dock' may say something of the columns" in one.what for one in run.proof.findings)


def test_where_one_column_sums_others_that_each_heading_is_a_column_is_offered_first(tmp_path: Path) -> None:
    teams: list[list[Any]] = [["Crew", "Races", "Won", "Drawn", "Lost", "For", "Against", "Ahead", "Points"]]
    for name, won, drawn, lost, won_by, against in (
        ("Tern", 6, 3, 3, 35, 15), ("Gull", 5, 5, 5, 25, 18), ("Skua", 6, 1, 4, 18, 15),
        ("Auk", 7, 2, 3, 25, 18), ("Loon", 3, 1, 4, 36, 23),
    ):  # fmt: skip
        ahead = won_by - against
        teams.append([name, won + drawn + lost, won, drawn, lost, won_by, against, ahead, 3 * won + drawn])
    run = tidied(tmp_path, teams)
    assert not run.holds
    first = offered(kb.draft(tmp_path / "r.xlsx", base=tmp_path).text, tmp_path)[0]
    assert first.is_clean
    assert [line.settle.key for line in first.lines] == ["measures"]
    assert first.done[0].table.columns == tuple(teams[0])
