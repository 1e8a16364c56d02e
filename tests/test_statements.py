"""What people do on sheets and a plan can say in a line: read unaided where the sheet shows it, asked where it does not."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book
from kebrin.cells import Area, Sheet
from kebrin.layout import Stated, find_layouts
from kebrin.layout.parted import Pattern, pattern_of
from kebrin.table import Does
from settling import open_findings, run_with
from tidying import drafted, rows_of, tidied

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


# Headings that say several things in one.

FARES: list[list[Any]] = [["Route", "Pier", "Foot 2031", "Foot 2032", "Dues 2031", "Dues 2032"],
         ["Hallan", "A", 12, 31, 90.5, 80], ["Brae", "B", 44, 20, 61, 70.25], ["Wick", "A", 9, 27, 16, 17]]  # fmt: skip
BOATS = [["Day", "Vessel 1", "Cars 1", "Vessel 2", "Cars 2"],
         ["Mon", "Gull", 12, "Tern", 31], ["Tue", "Tern", 44, "", ""], ["Wed", "Gull", 9, "Gull", 27]]  # fmt: skip


def test_measure_and_year_in_one_heading_are_parted(tmp_path: Path) -> None:
    run = tidied(tmp_path, [[*FARES[0], "Remark"], *([*row, "late"] for row in FARES[1:])])
    assert run.holds
    (table,) = run.tables.values()
    assert table.columns == ("Route", "Pier", "Remark", "year", "Foot", "Dues")
    assert rows_of(run)[:2] == [("Hallan", "A", "late", "2031", 12, 90.5), ("Hallan", "A", "late", "2032", 31, 80)]
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_groups_that_are_numbered_become_rows_and_empty_ones_none(tmp_path: Path) -> None:
    run = tidied(tmp_path, BOATS)
    assert run.holds
    assert rows_of(run) == [
        ("Mon", "1", "Gull", 12), ("Mon", "2", "Tern", 31), ("Tue", "1", "Tern", 44), ("Wed", "1", "Gull", 9),
        ("Wed", "2", "Gull", 27),
    ]  # fmt: skip
    assert rows_of(drafted(tmp_path)) == rows_of(run)


@pytest.mark.parametrize(("headings", "wanted"), [
    (["q", "sales_2031", "sales_2032", "cost_2031", "cost_2032"], "{measure}_{year}"),
    (["Q1 foot", "Q1 cars", "Q2 foot", "Q2 cars"], "{quarter} {measure}"),
    (["Jan-35 kWh", "Jan-35 cost", "Feb-35 kWh", "Feb-35 cost"], "{month} {measure}"),
    (["rain.2031-01", "rain.2031-02", "wind speed.2031-01", "wind speed.2031-02"], "{measure}.{month}"),
    (["Boat1", "Load1", "Boat2", "Load2"], "{measure}{number}"),
    (["2031 Q1 fares", "2031 Q1 loads", "2031 Q2 fares", "2031 Q2 loads"], "{quarter} {measure}"),
    # One is missing, they number nothing, or they cross with nothing.
    (["sales_2031", "sales_2032", "cost_2031", "other"], ""),
    (["Boat 4", "Load 4", "Boat 9", "Load 9"], ""),
    (["Q1", "Q2", "Q3", "Q4"], ""),
    (["10-19", "20-29", "30-39", "40-49"], ""),
])  # fmt: skip
def test_a_pattern_is_found_where_all_stands_with_all(headings: list[str], wanted: str) -> None:
    assert str(pattern_of(headings) or "") == wanted


def test_names_of_places_are_not_parted(tmp_path: Path) -> None:
    wells = [["Cycle", "A1", "A2", "B1", "B2"], [1, 10.5, 11, 9, 8], [2, 12, 13, 7, 6], [3, 8, 9, 5, 4]]
    assert len(rows_of(tidied(tmp_path, wells))) == 12


def test_what_is_asked_of_headings_has_its_line_for_each_answer(tmp_path: Path) -> None:
    rows = [[*FARES[0], "Dues 2033"], *[[*row, 5] for row in FARES[1:]]]
    run = tidied(tmp_path, rows)
    ((table, asked),) = open_findings(run)
    lines = {one.line: one for one in asked.settle}
    each, columns = ("headings = '{measure} {year}'", "measures = 'heading'")
    assert set(lines) == {each, columns}
    shapes = {}
    for line, settle in lines.items():
        settled = run_with(tmp_path / "r.xlsx", table, settle)
        assert not list(open_findings(settled))
        (made,) = settled.tables.values()
        shapes[line] = (len(made), made.measures)
    assert shapes[each] == (9, ("Foot", "Dues"))
    assert shapes[columns][0] == 3


def test_a_pattern_is_refused_that_names_one_part_or_fits_nothing(tmp_path: Path) -> None:
    write_book(tmp_path / "r.xlsx", {"S": FARES})
    plan = 'kebrin = 1\n[table.t]\nfiles = "r.xlsx"\n[table.t.layout]\nheadings = "{}"\n'
    for said, why in (
        ("{measure}", "must name two parts"),
        ("{a}, {a}", "must name two parts"),
        ("{a} // {b}", "no table"),
    ):
        (tmp_path / "p.toml").write_text(plan.replace("{}", said), "utf-8")
        with pytest.raises(kb.KebrinError, match=why):
            kb.load_plan(tmp_path / "p.toml").run()
    assert Pattern.of("{a} of {b}").parted(["x of y", "q"]) == [("x", "y"), None]


# Lines that count signs.

ROSTER: list[list[Any]] = [
    ["Crew", "Mon", "Tue", "Wed", "Thu"],
    ["Ada", "E", "L", "E", ""],
    ["Bo", "L", "L", "", "E"],
    ["Cy", "E", "", "E", "E"],
]


@pytest.mark.parametrize(("below", "beside"), [
    ([["Number on E", 2, 0, 2, 2], ["Number on L", 1, 2, 0, 0]], []),
    ([["On duty", 3, 2, 2, 2]], []),
    ([["On duty", 3, 2, 2, 2, 9]], ["Days", 3, 3, 3]),
    ([["E", 2, 0, 2, 2, 6]], ["Early", 2, 1, 3]),
])  # fmt: skip
def test_lines_that_count_signs_are_left_out_and_the_signs_are_values(tmp_path: Path, below: Any, beside: Any) -> None:
    rows = [[*row, *([beside[at]] if beside else [])] for at, row in enumerate(ROSTER)]
    run = tidied(tmp_path, [["Rota of the Gull"], [""], *rows, *below])
    assert run.holds
    assert not list(open_findings(run))
    assert rows_of(run)[:3] == [("Ada", "Mon", "E"), ("Ada", "Tue", "L"), ("Ada", "Wed", "E")]
    assert len([row for row in rows_of(run) if row[2]]) == 9
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_figures_that_do_not_count_the_signs_are_lost_by_no_reading(tmp_path: Path) -> None:
    run = tidied(tmp_path, [*ROSTER, ["Number on E", 2, 0, 2, 5]])
    assert not run.holds or any("5" in {str(value) for value in row} for row in rows_of(run))


def test_a_row_of_signs_that_no_line_counts_is_one_of_the_body(tmp_path: Path) -> None:
    rows = [ROSTER[0], ["Di", "H", "H", "H", "H"], *ROSTER[1:]]
    run = tidied(tmp_path, [*rows, ["Number on E", 2, 0, 2, 2], ["Number on L", 1, 2, 0, 0]])
    assert [row for row in rows_of(run) if row[0] == "Di"] == [("Di", day, "H") for day in ROSTER[0][1:]]
    assert run.holds


def test_two_crews_with_their_counts_are_two_blocks(tmp_path: Path) -> None:
    count = ["On E", 2, 0, 2, 2]
    run = tidied(tmp_path, [["Red watch"], *ROSTER, count, [""], [""], ["Blue watch"], *ROSTER, count])
    assert run.holds
    assert {row[0] for row in rows_of(run)} == {"Red watch", "Blue watch"}


# Values that are merged over several cells of a body.

ROOMS = [["Hour", "Mon", "Tue", "Wed"], ["08:00", "Drill", "Talk", "Paint"], ["09:00", "", "Talk", "Sail"],
         ["10:00", "Drill", "", "Sail"]]  # fmt: skip


def test_a_text_merged_over_cells_of_the_body_stands_for_each(tmp_path: Path, kebrin: Kebrin) -> None:
    run = tidied(tmp_path, [*ROOMS, ["11:00", "Lunch", "", ""]], ["B2:B3", "B5:D5"])
    assert run.holds
    found = {(row[0], row[1]): row[2] for row in rows_of(run)}
    assert found["09:00", "Mon"] == "Drill"
    assert [found["11:00", room] for room in ("Mon", "Tue", "Wed")] == ["Lunch"] * 3
    assert any("stand for each of them" in one.what for one in run.proof.findings)
    kebrin("tidy", "r.xlsx", "-o", "t.csv")
    said = json.loads(kebrin("trace", "t.csv", "--where", "Hour=09:00", "--where", "weekday=Mon", "--json").stdout)
    assert (said["cell"], said["said"]) == ("B3", "Drill")


def test_of_a_figure_merged_over_cells_it_is_asked(tmp_path: Path) -> None:
    rows = [["Quay", "Jan", "Feb", "Mar"], ["North", 12, 31, 7], ["South", 44, "", 18], ["West", 9, 27, 33]]
    run = tidied(tmp_path, rows, ["B3:C3"])
    ((table, asked),) = [one for one in open_findings(run) if one[1].does is Does.BREAKS]
    sums = {}
    for settle in asked.settle:
        settled = run_with(tmp_path / "r.xlsx", table, settle)
        assert settled.holds
        sums[settle.line] = sum(row[2] for row in rows_of(settled) if row[2])
    assert sums == {"merged = 'each'": 225, "merged = 'once'": 181}


# What stands for no value in a whole table; headings that a merge ties together.


def test_a_mark_for_no_value_holds_for_the_whole_table(tmp_path: Path) -> None:
    rows = [
        ["Gauge", "Jan", "Feb", "Mar"],
        ["North", 12, "closed", -77.7],
        ["South", 31, 20, 18],
        ["West", "closed", 8, 7],
    ]
    run = tidied(tmp_path, rows)
    ((table, asked),) = open_findings(run)
    (line,) = [one for one in asked.settle if one.key == "missing"]
    assert line.line == "missing = ['closed']"
    settled = run_with(tmp_path / "r.xlsx", table, line)
    assert settled.holds
    assert [row[2] for row in rows_of(settled)] == [12, None, -77.7, 31, 20, 18, None, 8, 7]
    both = run_with(tmp_path / "r.xlsx", table, line._replace(value=["closed", "-77.7"]))
    assert [row[2] for row in rows_of(both)] == [12, None, None, 31, 20, 18, None, 8, 7]


def test_figures_that_a_merge_ties_to_the_headings_are_headings() -> None:
    rows: list[list[Any]] = [
        ["Part", "Kind", "Price from", "", ""],
        ["", "", 1, 10, 25],
        ["Rope", "new", 5, 4, 3],
        ["Lamp", "old", 9, 8, 7],
    ]
    sheet = Sheet.of(rows, merges=[Area(0, 0, 1, 0), Area(0, 1, 1, 1), Area(0, 2, 0, 4)])
    (layout,) = find_layouts(sheet, Stated())
    assert layout.boxhead_rows == (0, 1)
    assert layout.boxhead[-1].labels() == ["1", "10", "25"]


# Lines that sum those below them: what sums what is a tree, whatever the lines are called and look like.

TREE = [["Cargo", "Jan", "Feb", "Mar"], ["All cargo", 33, 44, 55], ["Dry", 12, 20, 31], ["Grain", 5, 9, 11], ["Rates", 7, 11, 20],
        ["Wet", 21, 24, 24], ["Oil", 20, 4, 8], ["Milk", 1, 20, 16]]  # fmt: skip


@pytest.mark.parametrize("kept", [slice(1, None), slice(2, None)])
def test_lines_that_sum_those_below_them_head_them(tmp_path: Path, kept: slice) -> None:
    run = tidied(tmp_path, [TREE[0], *TREE[kept]])
    assert run.holds
    assert not list(open_findings(run))
    assert [row[:2] for row in rows_of(run)][::3] == [
        ("Dry", "Grain"),
        ("Dry", "Rates"),
        ("Wet", "Oil"),
        ("Wet", "Milk"),
    ]
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_three_levels_of_sums_and_one_below_all(tmp_path: Path) -> None:
    north = [["North", 66, 88, 110], *TREE[2:]]
    south = [
        ["South", 30, 9, 3],
        ["Fish", 10, 5, 2],
        ["Cod", 6, 4, 1],
        ["Eel", 4, 1, 1],
        ["Logs", 20, 4, 1],
        ["Oak", 15, 3, 0],
        ["Ash", 5, 1, 1],
    ]
    north[0] = ["North", 33, 44, 55]
    run = tidied(tmp_path, [TREE[0], *north, *south, ["Both coasts", 63, 53, 58]])
    assert run.holds
    assert [row[:3] for row in rows_of(run)][::12] == [("North", "Dry", "Grain"), ("South", "Fish", "Cod")]


def test_lines_that_sum_nothing_stop_no_tree_from_being_asked_about(tmp_path: Path) -> None:
    run = tidied(tmp_path, [*TREE, ["Post", 3, 4, 9]])  # neither a sum nor a part of one
    assert not run.holds or len(rows_of(run)) >= 15


def test_a_year_behind_its_quarters_is_their_total(tmp_path: Path) -> None:
    rows = [
        ["Site", "Q1", "Q2", "Q3", "Q4", "Year"],
        ["Hallan", 1, 2, 3, 4, 10],
        ["Brae", 5, 5, 5, 6, 21],
        ["Wick", 9, 8, 7, 6, 30],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert len(rows_of(run)) == 12


# Readings: where nothing decides, the likeliest are offered, each with the lines that make it.

LIMITS = [
    ["Sample", "Lead", "Zinc", "Iron"],
    ["Limit", 5, 30, 200],
    ["Pier", 2.5, 12, 80],
    ["Hall", 3.25, 31, 120],
    ["Deck", 1, 8, 95],
]


def test_the_likeliest_readings_are_written_with_their_plans(tmp_path: Path, kebrin: Kebrin) -> None:
    write_book(tmp_path / "r.xlsx", {"S": LIMITS})
    shown = kebrin("survey", "r.xlsx", "--readings", "ways")
    assert shown.returncode == 0
    listed = json.loads((tmp_path / "ways" / "readings.json").read_text("utf-8"))
    assert 2 <= len(listed) <= 5
    assert [one["weight"] for one in listed] == sorted(one["weight"] for one in listed)
    by_line = {tuple(line["line"] for line in one["lines"]): one for one in listed}
    without, with_it = by_line["leave_out = ['row 2']",], by_line["records = ['Limit']",]
    assert (without["tables"]["s"]["rows"], with_it["tables"]["s"]["rows"]) == (9, 12)
    assert "leave_out = ['row 2']" in shown.stdout
    for one in (without, with_it):
        done = kebrin("run", f"ways/{one['plan']}")
        assert done.returncode == 0
        made = (tmp_path / "ways" / f"reading_{one['number']}" / "s.csv").read_text("utf-8")
        assert made == (tmp_path / "ways" / f"reading_{one['number']}.csv").read_text("utf-8")
    # A folder of readings is renewed, any other is left alone.
    assert kebrin("survey", "r.xlsx", "--readings", "ways", "--json").returncode == 0
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine" / "notes.txt").write_text("keep", "utf-8")
    assert "Name a new folder" in kebrin("survey", "r.xlsx", "--readings", "mine").stderr


def test_a_clean_report_has_one_reading(tmp_path: Path) -> None:
    write_book(tmp_path / "r.xlsx", {"S": [["Quay", "Jan", "Feb"], ["North", 12, 31], ["South", 44, 20]]})
    (only,) = kb.readings(tmp_path / "r.xlsx", base=tmp_path)
    assert only.run().holds


def test_a_reading_is_chosen_before_the_questions_of_a_draft(tmp_path: Path, kebrin: Kebrin) -> None:
    write_book(tmp_path / "r.xlsx", {"S": LIMITS})
    plans = kb.readings(tmp_path / "r.xlsx", base=tmp_path)
    at = next(number for number, plan in enumerate(plans, 1) if 'records = ["Limit"]' in plan.text)
    asked = kebrin("draft", "r.xlsx", "-o", "p.toml", "--ask", stdin=f"9\n{at}\n")
    assert "which is right?" in asked.stdout
    assert kb.load_plan(tmp_path / "p.toml").model.table["s"].layout.records == ("Limit",)
    kebrin("draft", "r.xlsx", "-o", "q.toml", "--ask", stdin="\n")
    assert not kb.load_plan(tmp_path / "q.toml").model.table["s"].layout.records


# Units below the headings of a list; columns that are counted in brackets; balances.


def test_units_below_headings_go_into_names_where_some_are_not_known(tmp_path: Path) -> None:
    heads, units = ["No.", "Place", "Lead", "Bugs", "By"], ["", "", "mg/l", "/100 ml", ""]
    records = [[1, "Pier", 2.5, 12, "Ada"], [2, "Hall", 3.5, 31, "Bo"], [3, "Deck", 1, 8, "Ada"]]
    run = tidied(tmp_path, [heads, units, *records])
    (table,) = run.tables.values()
    assert run.holds
    assert table.columns == ("No.", "Place", "Lead (mg/l)", "Bugs (/100 ml)", "By")
    # A word over words is no unit: it stays, in a record or in a name.
    words = tidied(tmp_path, [heads, ["", "", "kg", "", "late"], *records])
    (table,) = words.tables.values()
    assert not words.holds or "late" in str(rows_of(words)) + str(table.columns)


def test_columns_that_are_counted_in_brackets_are_no_record(tmp_path: Path) -> None:
    rows = [
        ["Quay", "Pier", "Foot", "Cars", "Vans"],
        ["", "", "(1)", "(2)", "(3)"],
        ["North", "A", 12, 31, 5],
        ["South", "B", 44, 20, 6],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert -1 not in {value for row in rows_of(run) for value in row}


MOVED = [
    (33.5, 0),
    (0, 119.2),
    (55.4, 0),
    (0, 71.5),
    (12, 0),
    (0, 8.25),
    (61.75, 0),
    (0, 40),
    (0, 16.1),
    (90, 0),
    (0, 5.5),
]
CASH: list[list[Any]] = [
    ["Date", "Slip", "What", "Paid in", "Paid out", "Left"],
    ["2031-03-01", "", "Balance brought forward", "", "", 412.6],
]
for number, (more, less) in enumerate(MOVED, 2):
    left = round(CASH[-1][5] + more - less, 2)
    CASH.append([f"2031-03-{number:02}", f"S{number}", "Fares" if more else "Rope", more or "", less or "", left])
IN, OUT = (round(sum(pair[at] for pair in MOVED), 2) for at in (0, 1))


def test_a_running_balance_makes_records_and_is_no_sum(tmp_path: Path) -> None:
    run = tidied(tmp_path, [*CASH, ["", "", "", IN, OUT, CASH[-1][5]]])
    assert run.holds
    assert not list(open_findings(run))
    assert [row[1] for row in rows_of(run)] == [f"S{number}" for number in range(2, 13)]
    assert rows_of(run)[0][3:] == (33.5, None, 446.1)


def test_an_opening_balance_that_nothing_goes_on_from_is_a_record_or_asked_about(tmp_path: Path) -> None:
    rows = [CASH[0], ["2031-03-01", "", "Balance brought forward", "", "", 500], *CASH[2:]]
    run = tidied(tmp_path, rows)
    assert not run.holds or any(500 in row for row in rows_of(run))


def test_a_total_of_a_cash_book_that_is_off_is_no_total_in_silence(tmp_path: Path) -> None:
    run = tidied(tmp_path, [*CASH, ["", "", "Total", IN, OUT + 1, CASH[-1][5]]])
    assert not run.holds


# What each of these must not catch, and the other ways to say them.


@pytest.mark.parametrize("first", [13, ""])
def test_a_label_merged_over_records_makes_no_headings_of_them(tmp_path: Path, first: Any) -> None:
    rows = [["Carrier", "To", "Pallets", "kg"], ["Harrow", "Oslen", first, ""], ["", "Mende", 8, 2987], ["", "Praya", 15, 6982],
            ["Swift", "Torvik", 1, 4925], ["", "Praya", 9, 8451]]  # fmt: skip
    run = tidied(tmp_path, rows, ["A2:A4", "A5:A6"])
    values = [row[-1] for row in rows_of(run)]
    assert not run.holds or (
        sorted(filter(None, values)) == sorted({8, 2987, 15, 6982, 1, 4925, 9, 8451, first} - {""})
    )
    assert {8, 2987} <= set(values)  # figures of a record, and no labels


@pytest.mark.parametrize("sum_of", ["last", "first"])
def test_a_small_count_that_sums_all_others_is_not_left_out_in_silence(tmp_path: Path, sum_of: str) -> None:
    body = [["North", 1, 2], ["South", 2, 1], ["West", 1, 1]]
    whole = ["Isle", 4, 4]
    rows = [["Quay", "Jan", "Feb"], *([*body, whole] if sum_of == "last" else [whole, *body])]
    run = tidied(tmp_path, rows)
    assert any(row[0] == "Isle" for row in rows_of(run)) or list(open_findings(run))


def test_what_a_plan_states_is_stated_in_python_too(tmp_path: Path) -> None:
    rows = [["Quay", "Jan", "Feb", "Mar"], ["North", 12, 31, 7], ["South", 44, "", 18], ["West", 9, 27, 33]]
    sheet = kb.read(write_book(tmp_path / "r.xlsx", {"S": rows}, {"S": ["B3:C3"]}))["S"]
    sums = {}
    for way in ("once", "each"):
        found = sheet.blocks(merged=way)[0].tidy().to_arrow().column("value").to_pylist()
        sums[way] = sum(filter(None, found))
    assert sums == {"once": 181, "each": 225}
    with pytest.raises(kb.PlanError, match="must name two parts"):
        sheet.blocks(headings="{measure}")


def test_a_later_survey_takes_its_own_readings_away_and_nothing_else(tmp_path: Path, kebrin: Kebrin) -> None:
    write_book(tmp_path / "r.xlsx", {"S": LIMITS})
    kebrin("survey", "r.xlsx", "--readings", "ways")
    (tmp_path / "ways" / "reading_mine.csv").write_text("keep", "utf-8")
    count = len(list((tmp_path / "ways").glob("reading_*.plan.toml")))
    write_book(tmp_path / "r.xlsx", {"S": [LIMITS[0], *LIMITS[2:]]})
    assert kebrin("survey", "r.xlsx", "--readings", "ways").returncode == 0
    assert len(list((tmp_path / "ways").glob("reading_*.plan.toml"))) == 1 < count
    assert (tmp_path / "ways" / "reading_mine.csv").read_text("utf-8") == "keep"
    # A plan that a person has changed is not replaced.
    plan = tmp_path / "ways" / "reading_1.plan.toml"
    plan.write_text("# mine\n" + plan.read_text("utf-8"), "utf-8")
    assert kebrin("survey", "r.xlsx", "--readings", "ways").returncode == 1 + 1
    assert plan.read_text("utf-8").startswith("# mine")


def test_of_two_wrong_totals_in_one_cell_only_the_known_one_is_accepted(tmp_path: Path) -> None:
    rows = [["Quay", "Jan", "Feb", "Total"], ["North", 12, 31, 43], ["South", 44, 20, 65], ["Total", 56, 51, 110]]
    write_book(tmp_path / "r.xlsx", {"S": rows})
    known = '[[proof.known]]\ncell = "D4"\nstates = 110\nsums = 108\nwhy = "as printed"\n'
    (tmp_path / "p.toml").write_text(kb.draft(tmp_path / "r.xlsx", base=tmp_path).text + "\n" + known, "utf-8")
    run = kb.load_plan(tmp_path / "p.toml").run()
    assert not run.holds
    gaps = [one.what for _, one in open_findings(run)]
    assert any("sum to 107" in gap for gap in gaps)
    assert not any("sum to 108" in gap for gap in gaps)
