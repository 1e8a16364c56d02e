"""Many sheets and files: sums over sheets, what tells them apart, what their names say."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book
from kebrin.work.filenames import file_parts

if TYPE_CHECKING:
    from pathlib import Path

QUAYS = {"East": [[10, 20], [11, 21]], "West": [[5, 6], [7, 8]], "Slip": [[1, 2], [3, 5]]}


def sheet_of(figures: list[list[Any]]) -> list[list[Any]]:
    return [["Vessel", "Jan", "Feb"], ["Dunlin", *figures[0]], ["Petrel", *figures[1]]]


def quays() -> dict[str, Any]:
    return {name: sheet_of(figures) for name, figures in QUAYS.items()}


def run(path: Path) -> kb.Run:
    return kb.tidy_reports(path)


@pytest.mark.parametrize("name", ["All quays", "Skarrow"])
def test_a_sheet_that_sums_its_siblings_is_left_out_and_told(tmp_path: Path, name: str) -> None:
    done = run(write_book(tmp_path / "r.xlsx", {name: sheet_of([[16, 28], [21, 34]]), **quays()}))
    (table,) = done.tables.values()
    assert len(table) == 12
    assert done.holds
    (proof,) = done.proofs.values()
    assert any(remark.kind == "sheet of sums" and remark.sheet == name for remark in proof.remarks)


def test_a_sheet_of_sums_of_several_measures_is_left_out(tmp_path: Path) -> None:
    sheets = {
        "2030": [["Quay", "Calls", "Dues"], ["East", 120, 1500.5], ["West", 88, 990.0]],
        "2031": [["Quay", "Calls", "Dues"], ["East", 131, 1620.0], ["West", 91, 1010.5], ["Mole", 12, 100.0]],
        "All years": [["Quay", "Calls", "Dues"], ["East", 251, 3120.5], ["West", 179, 2000.5], ["Mole", 12, 100.0]],
    }
    done = run(write_book(tmp_path / "r.xlsx", sheets))
    (table,) = done.tables.values()
    assert table.measures == ("Calls", "Dues")
    assert len(table) == 5
    assert done.holds


def test_a_sheet_that_is_off_by_one_is_no_sum_of_its_siblings(tmp_path: Path) -> None:
    done = run(write_book(tmp_path / "r.xlsx", {"Skarrow": sheet_of([[16, 28], [21, 35]]), **quays()}))
    assert sum(map(len, done.tables.values())) == 16


@pytest.mark.parametrize("write", [float, lambda number: f"{number:,}", lambda number: f"{number:,}".replace(",", ".")])
def test_a_sheet_with_a_line_for_each_sibling_is_left_out_in_whichever_way_its_figures_tie(
    tmp_path: Path, write: Any
) -> None:
    thousands = {name: sheet_of([[cell * 500 for cell in row] for row in figures]) for name, figures in QUAYS.items()}
    sums = [["Quay", "Total"], *([name, write(sum(map(sum, rows)) * 500)] for name, rows in QUAYS.items())]
    done = run(write_book(tmp_path / "r.xlsx", {**thousands, "Summary": sums}))
    (table,) = done.tables.values()
    assert len(table) == 12
    assert done.holds


def test_what_is_said_once_on_each_sheet_is_a_column(tmp_path: Path) -> None:
    sheets = {
        name: [["Harbour:", "Skarrow"], ["Master:", f"M{at}"], [], *sheet_of(figures)]
        for at, (name, figures) in enumerate(QUAYS.items())
    }
    (table,) = run(write_book(tmp_path / "r.xlsx", sheets)).tables.values()
    assert table.columns == ("sheet", "Harbour", "Master", "Vessel", "month", "value")
    assert {(row["sheet"], row["Master"]) for row in table.to_arrow().to_pylist()} == {
        ("East", "M0"), ("West", "M1"), ("Slip", "M2"),
    }  # fmt: skip


def test_a_field_that_one_sheet_lacks_is_missing_on_its_rows(tmp_path: Path) -> None:
    sheets = {name: [["Master:", name[0]], [], *sheet_of(figures)] for name, figures in QUAYS.items()}
    sheets["Slip"] = sheet_of(QUAYS["Slip"])
    done = run(write_book(tmp_path / "r.xlsx", sheets))
    (table,) = done.tables.values()
    masters = {(row["sheet"], row["Master"]) for row in table.to_arrow().to_pylist()}
    assert masters == {("East", "E"), ("West", "W"), ("Slip", None)}


@pytest.mark.parametrize(
    ("names", "column", "values"),
    [
        (("quays_2030.xlsx", "quays_2031.xlsx"), "year", ("2030", "2031")),
        (("quays_2031-01.xlsx", "quays_2031-02.xlsx"), "month", ("2031-01", "2031-02")),
        (("quays east.xlsx", "quays west.xlsx"), "file", ("east", "west")),
    ],
)
def test_the_part_that_differs_in_the_names_of_files_is_a_column(
    names: tuple[str, str], column: str, values: tuple[str, str]
) -> None:
    (part,) = file_parts(names, set())
    assert tuple(part.values[name] for name in names) == values
    if column != "file":
        assert part.name == column


def test_months_in_the_names_of_files_are_read(tmp_path: Path) -> None:
    for month in ("jan", "feb", "mar"):
        write_book(tmp_path / f"returns_{month}_2031.xlsx", {"Returns": [["Quay", "Tons"], ["East", 4], ["West", 5]]})
    (table,) = kb.tidy_reports(*sorted(tmp_path.glob("*.xlsx"))).tables.values()
    stamped = {name: {str(row[name]) for row in table.to_arrow().to_pylist()} for name in table.columns}
    assert {"2031-01", "2031-02", "2031-03"} in stamped.values()


def asked(path: Path) -> list[str]:
    done = run(path)
    assert done.tables, "the table is made, and the question put beside it"
    return [remark.what for proof in done.proofs.values() for remark in proof.remarks if remark.kind == "question"]


def test_a_difference_beside_its_two_sides_is_no_reason_to_drop_one_of_them(tmp_path: Path) -> None:
    rows = [
        ["Cost", "Budget", "Actual", "Variance"],
        ["Fuel", 1000, 1100, -100],
        ["Crew", 2000, 1900, 100],
        ["Dues", 310, 300, 10],
    ]
    path = write_book(tmp_path / "r.xlsx", {"Costs": rows})
    assert not asked(path)
    (table,) = run(path).tables.values()
    assert table.columns == ("Cost", "Budget", "Actual", "Variance")
    # Where no heading speaks of a difference, the first of three may be a sum that lost its name.
    rows[0] = ["Cost", "Pier", "Deck", "Hold"]
    (question,) = asked(write_book(tmp_path / "r.xlsx", {"Costs": rows}))
    assert "'Pier' equals the sum of 2 lines beside it" in question


@pytest.mark.parametrize("others", [["Hours", "Pay"], ["Spare"]])
def test_periods_beside_other_headings_are_a_question(tmp_path: Path, others: list[str]) -> None:
    rows = [["Crew", "Mon", "Tue", "Wed", *others], ["Ness", 8, 7.5, 8, 11, 12][: 4 + len(others)]]
    rows += [["Brae", 6, 8, 8, 90, 13][: 4 + len(others)], ["Hallan", 0, 4, 5, 77, 14][: 4 + len(others)]]
    (question,) = asked(write_book(tmp_path / "r.xlsx", {"Hours": rows}))
    assert "heads periods ('Mon', 'Tue', ...)" in question
    assert repr(others[0]) in question


def test_groups_of_which_one_is_a_difference_are_all_kept(tmp_path: Path) -> None:
    rows = [
        ["Cost", "Budget", "", "Actual", "", "Variance", ""],
        ["", "East", "West", "East", "West", "East", "West"],
        ["Fuel", 1000, 1210, 900, 1200, 100, 10],
        ["Crew", 2000, 1750, 1990, 1700, 10, 50],
        ["Dues", 310, 460, 300, 455, 10, 5],
    ]
    merges = {"Costs": ["B1:C1", "D1:E1", "F1:G1"]}
    (table,) = run(write_book(tmp_path / "r.xlsx", {"Costs": rows}, merges)).tables.values()
    assert len(table) == 18


@pytest.mark.parametrize(
    "rows",
    [
        [["Quay", "min", "mean", "max"], ["East", 3, 5, 9], ["West", 1, 7, 8], ["North", 2, 4, 6]],
        [["Quay", "Wind", "", "", "Wave", "", ""], ["", "min", "mean", "max", "min", "mean", "max"],
         ["East", 1, 5, 9, 0.2, 1.1, 3], ["West", 1, 5, 9, 0.2, 1.1, 3]],
        [["Quay", "What", "2030", "2031"], ["East", "min", 3, 4], ["East", "mean", 5, 7], ["East", "max", 9, 8]],
    ],
    ids=["columns", "groups", "rows"],
)  # fmt: skip
def test_a_mean_between_a_least_and_a_largest_is_a_figure_of_its_own(tmp_path: Path, rows: list[list[Any]]) -> None:
    done = run(write_book(tmp_path / "r.xlsx", {"Wind": rows}))
    (table,) = done.tables.values()
    assert len(table) == sum(isinstance(value, int | float) for row in rows for value in row)
    assert done.holds


def test_the_mean_and_the_largest_of_years_are_left_out(tmp_path: Path) -> None:
    rows = [
        ["Year", "Jan", "Feb"],
        *([2027 + at, 10 * at, 20 + at] for at in range(4)),
        ["Mean", 15, 21.5],
        ["Max", 30, 23],
    ]
    (table,) = run(write_book(tmp_path / "r.xlsx", {"Wind": rows})).tables.values()
    assert len(table) == 8


@pytest.mark.parametrize(
    "under", [[dt.date(2031, 5, day) for day in (1, 2, 3, 4)], [2030, 2031, 2032, 2033]], ids=["dates", "years"]
)
def test_dates_and_years_under_words_are_headings_too(tmp_path: Path, under: list[Any]) -> None:
    rows = [["", "Thu", "Fri", "Sat", "Sun"], ["", *under], ["East", 1, 2, 3, 4], ["West", 5, 6, 7, 9]]
    rows[1][0] = "Quay" if isinstance(under[0], dt.date) else ""
    done = run(write_book(tmp_path / "r.xlsx", {"Days": rows}))
    (table,) = done.tables.values()
    assert len(table) == 8
    assert done.holds


def test_figures_that_rise_under_a_month_are_no_labels(tmp_path: Path) -> None:
    rows = [["May", "Jun", "Jul", "Aug", "Harbour"], [41, 38, 10, 20, "Hallan"], [74, 20, 56, 57, "Holm"],
            [77, 13, 29, 64, "Skarrow"], [80, 75, 65, 10, "Tarn"], [92, 87, 76, 32, "Brae"]]  # fmt: skip
    (table,) = run(write_book(tmp_path / "r.xlsx", {"Landings": rows})).tables.values()
    assert (len(table), table.columns) == (20, ("Harbour", "month", "value"))


@pytest.mark.parametrize("right", ["Unit: tonnes", "in tonnes", "May 2031", "Hallan"])
@pytest.mark.parametrize("places", [2, 3])
def test_a_title_in_two_pieces_is_no_heading(tmp_path: Path, right: str, places: int) -> None:
    """A title left, a unit, a date or a name right of it, and a blank row: no level of headings, however narrow the table."""
    months = ["Jan", "Feb", "Mar"][:places]
    rows = [
        ["Loads", None, right],
        [],
        ["Quay", *months],
        ["East", *[1.0, 2.0, 5.0][:places]],
        ["West", *[3.0, 4.0, 8.0][:places]],
    ]
    done = run(write_book(tmp_path / "r.xlsx", {"S": rows}))
    (table,) = done.tables.values()
    assert table.columns == ("Quay", "month", "value")
    assert done.holds


@pytest.mark.parametrize("right", [["Unit: tonnes"], ["in tonnes"], ["Unit:", "tonnes"]])
def test_a_unit_beside_a_title_right_over_the_headings_is_none_either(tmp_path: Path, right: list[str]) -> None:
    rows = [["Loads", None, *right], ["Quay", "Jan", "Feb", "Mar"], ["East", 1.0, 2.0, 5.0], ["West", 3.0, 4.0, 8.0]]
    done = run(write_book(tmp_path / "r.xlsx", {"S": rows}))
    (table,) = done.tables.values()
    assert table.columns == ("Quay", "month", "value")
    assert done.holds


def test_a_line_over_some_columns_only_is_no_heading_without_a_word(tmp_path: Path) -> None:
    rows = [["Loads", None, "May 2031"], ["Quay", "Jan", "Feb"], ["East", 1.0, 2.0], ["West", 3.0, 4.0]]
    assert not run(write_book(tmp_path / "r.xlsx", {"S": rows})).holds


def test_a_timetable_of_texts_is_a_table(tmp_path: Path) -> None:
    rows = [
        ["Crossings of the Gull"],
        ["Trip", 101, 102, 103, 104],
        ["Skarrow", "06:00", "07:30", "12:15", "16:40"],
        ["Hallan", "06:35", "08:05", "12:50", "17:15"],
        ["Wick", "07:10", "08:40", "13:25", "17:50"],
        [""],
        ["S = not on Sundays"],
    ]
    (table,) = run(write_book(tmp_path / "r.xlsx", {"Trips": rows})).tables.values()
    assert len(table) == 12
    assert table.to_arrow().to_pylist()[0] == {"Trip": "Skarrow", "heading": "101", "value": "06:00"}
