"""Layouts: totals by arithmetic and wording, rounding, fields, names, and what is stated against what is seen."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from kebrin.address import Area
from kebrin.cells import Sheet
from kebrin.layout import Stated, find_fields, find_layouts
from kebrin.proof import tie_out
from kebrin.unpivoting import unpivot


def layout_of(rows: Any, **stated: Any) -> Any:
    sheet = Sheet.of(rows)
    (layout,) = find_layouts(sheet, Stated(**stated))
    return sheet, layout


def test_random_figures_have_no_totals_by_chance() -> None:
    chance = np.random.default_rng(7)
    for _ in range(200):
        rows, columns = chance.integers(3, 14, 2)
        body = chance.integers(0, 60, (rows, columns)).astype(float)
        sheet = Sheet.of(
            [
                ["Quay", *(f"c{at}" for at in range(columns))],
                *([f"r{at}", *row] for at, row in enumerate(body.tolist())),
            ]
        )
        (layout,) = find_layouts(sheet)
        assert layout.totals == ()


def test_a_total_needs_no_word_if_the_sums_are_beyond_chance() -> None:
    _, layout = layout_of([["Quay", "Jan", "Feb"], ["East", 1204, 3311], ["West", 870, 1423], ["Both", 2074, 4734]])
    assert [line.at for line in layout.total_lines("row")] == [3]


def test_totals_above_their_parts() -> None:
    _, layout = layout_of([["Quay", "Jan", "Feb"], ["Total", 2074, 4734], ["East", 1204, 3311], ["West", 870, 1423]])
    assert [line.at for line in layout.total_lines("row")] == [1]


def test_a_total_of_nothing_here_is_kept_as_data_and_said() -> None:
    _, layout = layout_of([["What", "Jan", "Feb"], ["Foot", 10, 20], ["Cars", 3, 4], ["Total distance", 5120, 4870]])
    assert layout.totals == ()
    assert len(layout.body_rows) == 3
    assert [said.where for said in layout.evidence if said.what == "kept as data"] == ["row 4"]


def test_rounding_is_allowed_only_where_it_is_seen() -> None:
    few = [["Quay", "Jan", "Feb"], ["East", 10.4, 20.1], ["West", 3.3, 4.2], ["Total", 13.8, 24.3]]
    sheet, layout = layout_of(few)
    tie = tie_out(sheet, layout)
    assert (tie.exact, tie.rounded, tie.failed) == (1, 0, 1)
    noted = layout_of([*few, [None, None, None], ["Totals may differ, for figures are rounded."]])
    assert (tie_out(*noted).exact, tie_out(*noted).rounded, tie_out(*noted).failed) == (1, 1, 0)
    assert tie_out(*noted).widest == pytest.approx(0.1)
    assert tie_out(sheet, layout, tolerance=0.01).failed == 1
    body = np.arange(60.0).reshape(2, 30) + 100
    exact = body.sum(axis=0)
    exact[4] += 1  # one figure is off among thirty that are not rounded
    lines = zip(("East", "West", "Total"), (*body.tolist(), exact.tolist()), strict=True)
    sheet, layout = layout_of([["Quay", *(f"c{at}" for at in range(30))], *([name, *line] for name, line in lines)])
    (gap,) = tie_out(sheet, layout).gaps
    assert (gap.cell, gap.difference) == ("F4", 1.0)


def test_fields_in_neighbours_below_and_in_one_cell() -> None:
    rows: list[list[Any]] = [
        ["Route:", "", "North Loop", "", "Code: N4"],
        ["Season:", "", "", "", ""],
        ["summer", "", "", "", ""],
        ["", "", "", "", ""],
        ["Sailing", "Foot", "Cars", "", ""],
        ["07:15", 1, 2, "", ""],
        ["", "", "", "", ""],
        ["Note: all figures are provisional", "", "", "", ""],
    ]
    sheet = Sheet.of(rows, merges=[Area(0, 0, 0, 1)])
    (layout,) = find_layouts(sheet)
    found = {field.name: (field.value, field.address) for field in find_fields(sheet, layout.area)}
    assert found == {"Route": ("North Loop", "C1"), "Code": ("N4", "E1"), "Season": ("summer", "A3")}


def test_names_come_from_the_corner_where_the_report_gives_them() -> None:
    _, layout = layout_of(
        [["", "Month:", "Jan", "Feb"], ["Harbour", "Quay", "", ""], ["Skarrow", "East", 5, 6], ["", "West", 7, 8]]
    )
    assert layout.names == ("Harbour", "Quay", "Month") or layout.names[:2] == ("Harbour", "Quay")


def test_the_same_plan_fits_a_report_that_grew() -> None:
    small = [["Traffic"], ["", "", "Q1", ""], ["Direction", "Sailing", "Jan", "Feb"], ["Out", "07:15", 1, 2]]
    grown = [["Traffic"], ["A new line of titles"], ["", "", "Q1", "", "Q2"], ["Direction", "Sailing", "Jan", "Feb", "Apr"],
             ["Out", "07:15", 1, 2, 3], ["", "10:40", 4, 5, 6], ["In", "08:50", 7, 8, 9]]  # fmt: skip
    stated = {"starts": "Sailing", "boxhead": ("quarter", "month"), "stub": ("direction", "sailing")}
    for rows, count in ((small, 2), (grown, 9)):
        sheet, layout = layout_of(rows, **stated)
        table = unpivot(sheet, layout)
        assert table.columns == ("direction", "sailing", "quarter", "month", "value")
        assert len(table) == count
    assert table.data.to_pylist()[5] == {
        "direction": "Out",
        "sailing": "10:40",
        "quarter": "Q2",
        "month": "Apr",
        "value": 6.0,
    }


def test_stated_totals_are_believed_by_their_labels() -> None:
    rows = [["Quay", "Jan", "Feb"], ["East", 1, 2], ["West", 3, 4], ["Archipelago", 4, 6]]
    _, found = layout_of(rows)
    assert found.totals == ()
    _, told = layout_of(rows, totals=("Archipelago",))
    assert [line.at for line in told.totals] == [3]


def test_where_a_total_crosses_an_average_the_cell_is_the_averages() -> None:
    rows = [
        ["Quay", "Jan", "Feb", "Total"],
        ["East", 1, 2, 3],
        ["West", 2, 4, 6],
        ["Old", 4, 4, 8],
        ["Average", 2.3, 3.3, 5.7],
    ]
    sheet, layout = layout_of(rows)
    assert [(line.name, line.mean) for line in layout.totals] == [("column D", False), ("row 5", True)]
    tie = tie_out(sheet, layout)
    assert (tie.cells, tie.failed) == (6, 0)


def test_units_under_headings_are_no_level_unless_they_tell_columns_apart() -> None:
    _, layout = layout_of(
        [["Route", "Foot", "Cars", "Freight"], ["", "no.", "no.", "t"], ["N", 10, 20, 3.5], ["S", 14, 25, 1.5]]
    )
    assert layout.names == ("Route", "heading")
    rows = [
        ["Class", "2030", "", "2031", ""],
        ["", "no.", "%", "no.", "%"],
        ["Foot", 100, 40, 120, 48],
        ["Cars", 150, 60, 130, 52],
    ]
    _, layout = layout_of(rows)
    assert layout.boxhead[-1].texts == ("no.", "%")


def test_a_corner_that_names_both_is_parted() -> None:
    _, layout = layout_of([["Month / Route", "North", "South"], ["Jan", 1, 2], ["Feb", 3, 4]])
    assert layout.names == ("Month", "Route")


def test_fields_below_a_block_are_no_rows_of_it() -> None:
    rows = [
        ["Quay", "Jan", "Feb"],
        ["East", 10, 20],
        ["West", 11, 21],
        [],
        ["Sheets:", 3],
        ["Checked by:", "A. Purser"],
    ]
    _, layout = layout_of(rows)
    assert layout.body_rows.tolist() == [1, 2]
    assert {field.name: field.value for field in layout.fields} == {"Sheets": "3", "Checked by": "A. Purser"}


def test_a_label_that_looks_like_a_missing_mark_is_a_label_where_the_stub_is_stated() -> None:
    _, layout = layout_of([["Place", "Foot"], ["na", 5]], boxhead=("class",), stub=("place",))
    assert layout.stub[0].texts == ("na",)


def test_a_sum_by_chance_in_one_row_is_no_total_though_the_grand_total_repeats_it() -> None:
    figures = [5.0] * 44 + [63.0, 2706.0, 2779.0]
    heads = ["Quay", *(f"c{at}" for at in range(len(figures)))]
    _, layout = layout_of([heads, ["East", *figures], ["Total", *figures]])
    assert [line.name for line in layout.totals] == ["row 3"]


def test_no_word_counts_where_totals_are_not_to_be_found() -> None:
    _, layout = layout_of([["Quay", "aa", "sum"], ["East", 5, 5]], totals_found=False)
    assert layout.totals == ()


def test_words_that_only_sometimes_mean_carried_over_keep_their_lines() -> None:
    for label in ("Transport", "Opening balance", "Vortrag"):
        sheet = Sheet.of([["Item", "Jan", "Feb"], [label, 10.0, 20.0], ["Fuel", 11.0, 21.0]])
        assert find_layouts(sheet)[0].shape == (2, 2), label


def test_marks_beside_every_value_are_no_labels() -> None:
    rows = [["Route", "2030", None, "2031", None], ["North", 10, "p", 20, "p"], ["South", 15, "r", 30, "r"]]
    for heads in (rows[0], ["Route", "Foot", None, "Cars", None], ["Route", 2030, None, 2031, None]):
        _, layout = layout_of([heads, *rows[1:]])
        assert layout.mark_columns == ((2, 1), (4, 3))
        assert layout.body_columns.tolist() == [1, 3]


def test_a_year_alone_over_figures_as_large_is_asked_about_and_can_be_stated() -> None:
    rows = [["Takings", None], [None, None], ["Route", 2031], ["North", 1500], ["South", 2900]]
    _, layout = layout_of(rows)
    assert [said.settle for said in layout.questions] == ['boxhead = ["year"]']
    _, layout = layout_of(rows, boxhead=("year",))
    assert layout.boxhead[0].texts == ("2031",)
    assert layout.body_rows.tolist() == [3, 4]


def test_lines_that_a_total_sums_in_place_of_others_are_the_sums_of_those() -> None:
    rows: list[list[Any]] = [
        ["Harbour", "2030", "2031"], ["Skarrow", 10, 12], ["Brae", 20, 25], ["North", 30, 37],
        ["Hallan", 40, 41], ["Wick", 5, 7], ["South", 45, 48], ["Total", 75, 85],
    ]  # fmt: skip
    _, layout = layout_of(rows)
    assert [(line.at, line.parts.tolist()) for line in layout.totals] == [(3, [1, 2]), (6, [4, 5]), (7, [3, 6])]
    rows[2][1] = 19  # no sum any more: nothing says that North is no harbour
    _, layout = layout_of(rows)
    assert not layout.totals


def test_groups_that_sum_groups_are_found_though_each_has_its_own_total() -> None:
    rows: list[list[Any]] = [["Route", "Class", "Jan", "Feb"]]
    for route, foot, cars in (("North Loop", 10, 5), ("Outer Sound", 20, 7), ("Both", 30, 12)):
        rows += [
            [route, "Foot", foot, foot + 1],
            ["", "Cars", cars, cars + 1],
            ["", "All", foot + cars, foot + cars + 2],
        ]
    rows[7][3], rows[8][3], rows[9][3] = 32, 14, 46
    _, layout = layout_of(rows)
    assert layout.body_rows.tolist() == [1, 2, 4, 5]


@pytest.mark.parametrize("count", [[1, 2, 3], ["(1)", "(2)", "(3)"]])
def test_a_row_that_counts_the_columns_is_no_data(count: list[Any]) -> None:
    _, layout = layout_of([["Fish", "2030", "2031"], count, ["Cod", 60, 65], ["Sole", 20, 22]])
    assert layout.body_rows.tolist() == [2, 3]
    _, layout = layout_of([["Berth", "2030", "2031"], [1, 2, 3], [2, 14, 9], [4, 11, 12]])
    assert layout.body_rows.tolist() == [1, 2, 3]  # they are numbered, and so is the first


def test_units_of_one_kind_are_set_aside_and_units_that_differ_are_kept_in_the_names() -> None:
    _, layout = layout_of([["Vessel", "Fuel", "Takings"], ["", "t", "kr"], ["Gull", 12.5, 2300], ["Tern", 9.75, 1900]])
    assert [level.texts for level in layout.boxhead] == [("Fuel (t)", "Takings (kr)")]
    _, layout = layout_of([["Vessel", "Jan", "Feb"], ["", "t", "t"], ["Gull", 12.5, 2300], ["Tern", 9.75, 1900]])
    assert [level.texts for level in layout.boxhead] == [("Jan", "Feb")]
    sheet = Sheet.of([["Berth", "Width", "Length"], ["A1", 4, "12 m"], ["A2", 5, "9.5 m"], ["B1", 6, "30 ft"]])
    assert sheet.data[1:, 2].tolist() == [True, True, False]  # 30 ft among metres are no 30


def test_heads_that_go_on_from_a_page_before_are_the_same_heads() -> None:
    rows: list[list[Any]] = [["Berth", "Vessel", "Calls"], ["SKARROW"], ["A1", "Gull", 12], ["A2", "Tern", 4]]
    rows += [["HALLAN"], ["B1", "Gull", 3], ["HALLAN (CONT.)"], ["B2", "Auk", 9]]
    sheet = Sheet.of([[*row, None, None][:3] for row in rows])
    (layout,) = find_layouts(sheet)
    assert layout.stub[0].labels() == ["SKARROW", "SKARROW", "HALLAN", "HALLAN"]


def test_a_total_that_stands_before_the_periods_is_no_label() -> None:
    _, layout = layout_of([["Route", "All", "Jan", "Feb", "Mar"], ["Loop", 30, 10, 9, 11], ["Sound", 60, 20, 19, 21]])
    assert layout.names == ("Route", "month")
    assert [line.at for line in layout.total_lines("column")] == [1]


def test_lines_that_equal_one_other_each_are_no_sums_of_these() -> None:
    rows = [["Route", "Way", "2030", "2031"], ["Loop", "Out", 1210, 1317], ["", "Back", 1210, 1317]]
    rows += [["Sound", "Out", 988, 1002], ["", "Back", 988, 1002], ["Total", "Out", 2198, 2319]]
    _, layout = layout_of(rows)
    assert {1, 2, 3, 4} <= set(layout.body_rows.tolist())
