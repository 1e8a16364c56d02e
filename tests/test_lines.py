"""Lines and columns of another kind: what speaks of the columns, what follows from others, sides, codes of heads."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book
from kebrin.cells import Area, Sheet
from kebrin.layout import find_layouts
from kebrin.layout.depths import depths_by_sums
from kebrin.table import Does
from settling import open_findings, run_with
from tidying import columns_of, drafted, rows_of, tidied

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


# Lines that speak of the columns.

COUNTS: list[list[Any]] = [["06-07", 106, 100, 5], ["07-08", 61, 45, 11], ["08-09", 72, 126, 9], ["09-10", 136, 4, 7]]
BERTHS = ["Hour", "Wick", "Brae", "Foot"]


def test_codes_below_the_headings_label_the_columns(tmp_path: Path) -> None:
    run = tidied(tmp_path, [BERTHS, ["Berth no.", 1042, 1047, 1051], *COUNTS])
    assert run.holds
    assert not list(open_findings(run))
    assert columns_of(run) == ("Hour", "heading", "Berth no.", "value")
    assert rows_of(run)[0] == ("06-07", "Wick", "1042", 106)
    assert len(rows_of(run)) == 12
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_figures_above_the_headings_label_the_columns(tmp_path: Path) -> None:
    days = [[f"2031-02-0{day}", 2.03, 3.5 + day, 1.42 * day] for day in range(1, 7)]
    run = tidied(tmp_path, [["Levels"], [], ["km", 0, 3.2, 8.7], ["Date", "Mouth", "Weir", "Ferry"], *days])
    assert run.holds
    assert [row[1:] for row in rows_of(run)][:2] == [("Mouth", "0", 2.03), ("Weir", "3.2", 4.5)]


LOG: list[list[Any]] = [
    ["Date", "Time", "Salt", "pH", "By"],
    ["Limit", "", 3, 7.8, ""],
    *([f"2031-06-0{day}", f"0{day}:30", 2.4 + day / 10, 7.5, "Ada"] for day in range(1, 7)),
]


def test_limits_over_unlike_columns_are_told_and_left_out(tmp_path: Path) -> None:
    run = tidied(tmp_path, LOG)
    assert run.holds
    assert len(rows_of(run)) == 6
    assert any("row 2 'Limit' says something of the columns" in one.what for one in run.proof.findings)


def test_what_a_mark_is_out_of_is_known_by_the_figures(tmp_path: Path) -> None:
    marks: list[list[Any]] = [
        ["Crew", "Knots", "Radio", "Charts"],
        ["Out of", 20, 25, 40],
        ["Ada", 9, 25, 33],
        ["Bo", 20, 12, 31],
        ["Cy", 7, 3, 40],
    ]
    run = tidied(tmp_path, marks)
    assert run.holds
    assert len(rows_of(run)) == 9
    assert ("Ada", "Knots", "20", 9) in rows_of(run)
    # Where a record passes it, it is no such line.
    marks[2][1] = 22
    asked = tidied(tmp_path, marks)
    assert any("may say something of the columns" in one.what for _, one in open_findings(asked))


def test_a_word_alone_and_a_look_alone_are_asked_about_as_a_row(tmp_path: Path) -> None:
    plain: list[list[Any]] = [
        ["Sample", "Lead", "Zinc"],
        ["Limit", 5, 30],
        ["Pier", 2.5, 12],
        ["Hall", 3.2, 31],
        ["Deck", 1, 8],
    ]
    odd: list[list[Any]] = [
        ["Date", "Sex", "Salt", "Iron"],
        *([f"2031-06-0{day}", "F", day, day + 0.5] for day in range(1, 7)),
        ["Beyond limits", "", 3, 7],
    ]
    for rows, label in ((plain, "Limit"), (odd, "Beyond limits")):
        run = tidied(tmp_path, rows)
        ((table, asked),) = [one for one in open_findings(run) if "may say something" in one[1].what]
        assert [one.key for one in asked.settle] == ["about_columns", "leave_out", "records"]
        for settle in asked.settle:
            done = run_with(tmp_path / "r.xlsx", table, settle)
            assert not [one for one in done.proof.findings if one.does is Does.BREAKS], settle.line
            kept = any(label in str(row[0]) for row in rows_of(done))
            assert kept == (settle.key == "records")


def test_a_line_about_the_columns_is_stated_and_refused_where_there_is_none(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Sample", "Lead", "Zinc"],
        ["Method", 5, 30],
        ["Pier", 2.5, 12],
        ["Hall", 3.2, 31],
        ["Deck", 1, 8],
    ]
    sheet = kb.Sheet.of(rows)
    (block,) = sheet.blocks(about_columns=["Method"])
    assert block.tidy().columns == ("Sample", "heading", "Method", "value")
    write_book(tmp_path / "r.xlsx", {"S": rows})
    with pytest.raises(kb.LayoutError, match="no row bears the label 'Limit'"):
        sheet.blocks(about_columns=["Limit"])


def test_how_many_report_is_no_label_where_the_figures_say_so(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Port no.", "2029", "2030", "2031"],
        ["0104", 8, 14, ".."],
        ["0211", 98, 5, 24],
        ["0301", "..", 58, 60],
        ["0407", 7, 22, 72],
        ["Number of ports reporting", 3, 4, 3],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert len(columns_of(run)) == 3


# Lines that follow from others.

USED: list[list[Any]] = [
    ["Meter", "Oct", "Nov", "Dec", "Used"],
    ["A", 10, 30, 70, 60],
    ["B", 5, 25, 27, 22],
    ["C", 1, 2, 9, 8],
    ["D", 4, 4, 15, 11],
]


@pytest.mark.parametrize(
    ("rows", "said"),
    [
        (USED, "the last less the first of the 3 columns before it"),
        (
            [[*row[:4], sum(row[1:4]) if at else "So far", 3 * at] for at, row in enumerate(USED)],
            "the sum of the 3 columns before it",
        ),
        (
            [[*row[:4], round(row[3] / 121, 4) if at else "Weight"] for at, row in enumerate(USED)],
            "shares of the sum of column D",
        ),
        (
            [*[row[:4] for row in USED], ["% of all", *(round(100 * at / sum((60, 22, 8)), 2) for at in (60, 22, 8))]],
            "",
        ),
    ],
)
def test_a_line_that_follows_from_others_is_left_out_and_told(tmp_path: Path, rows: Any, said: str) -> None:
    rows[0][-1] = rows[0][-1] or "Jan"
    run = tidied(tmp_path, rows)
    if said:
        assert any(said in one.what for one in run.proof.findings), [one.what for one in run.proof.findings]
    assert not any("Used" in row or "Weight" in row or "So far" in row for row in rows_of(run))


def test_one_figure_that_does_not_follow_keeps_the_line(tmp_path: Path) -> None:
    rows: list[list[Any]] = [list(row) for row in USED]
    rows[2][4] = 23
    assert any("Used" in row for row in rows_of(tidied(tmp_path, rows)))


def test_a_person_keeps_a_derived_line() -> None:
    (block,) = kb.Sheet.of(USED).blocks(not_totals=["Used"])
    assert len(block.tidy()) == 16
    assert len(kb.Sheet.of(USED).blocks()[0].tidy()) == 12


def test_ranks_in_each_of_several_groups_are_a_measure(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Port", "2030", "", "2031", ""],
        ["", "Boats", "Rank", "Boats", "Rank"],
        ["Wick", 3, 5, 8.3, 1],
        ["Brae", 6.5, 1, 7.5, 2],
        ["Foot", 5.6, 2, 7.1, 3],
        ["Hall", 4.6, 4, 5.3, 4],
        ["Isle", 4.8, 3, 4.7, 5],
    ]
    assert "Rank" in str(rows_of(tidied(tmp_path, rows, ["A1:A2", "B1:C1", "D1:E1"]))) + str(
        columns_of(tidied(tmp_path, rows, ["A1:A2", "B1:C1", "D1:E1"]))
    )


def test_an_average_of_sums_is_no_sum_of_averages(tmp_path: Path) -> None:
    hirers: list[list[Any]] = [
        ["Clubs", 152, 3911],
        ["Schools", 112, 6772],
        ["Yards", 25, 4083],
        ["Others", 185, 14810],
    ]
    rows: list[list[Any]] = [["Hirer", "Hires", "Income", "Average"], *([*row, row[2] / row[1]] for row in hirers)]
    run = tidied(tmp_path, [*rows, ["All hirers", 474, 29576, 29576 / 474]])
    assert run.holds
    assert len(rows_of(run)) == 4
    rows[2][3] = 61.5  # one average is none: nothing explains the total now
    assert not tidied(tmp_path, [*rows, ["All hirers", 474, 29576, 29576 / 474]]).holds


# Sides beside figures.

LEDGER: list[list[Any]] = [
    ["Account", "Name", "Balance", ""],
    ["0077", "Arden", 418.5, "CR"],
    ["0052", "Bexter", 417.2, "DR"],
    ["0035", "Calder", 0, ""],
    ["0080", "Dunmore", 391.7, "CR"],
]


def test_credits_beside_figures_are_negative_and_asked_about(tmp_path: Path, kebrin: Kebrin) -> None:
    run = tidied(tmp_path, LEDGER, ["C1:D1"])
    assert [row[-1] for row in rows_of(run)] == [-418.5, 417.2, 0, -391.7]
    ((table, asked),) = open_findings(run)
    assert asked.does is not Does.BREAKS
    found = {
        settle.line: [row[-1] for row in rows_of(run_with(tmp_path / "r.xlsx", table, settle))]
        for settle in asked.settle
    }
    assert found == {"minus = ['CR']": [-418.5, 417.2, 0, -391.7], "minus = ['DR']": [418.5, -417.2, 0, 391.7]}
    assert rows_of(drafted(tmp_path)) == rows_of(run)
    kebrin("tidy", "r.xlsx", "-o", "t.csv")
    assert json.loads(kebrin("trace", "t.csv", "1", "Balance", "--json").stdout)["cell"] == "C2"


def test_what_is_no_side_everywhere_is_a_column_of_its_own(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Account", "Name", "Balance", "Kind"],
        *([*row[:3], "CR" if row[3] == "CR" else "kept"] for row in LEDGER[1:]),
    ]
    assert columns_of(tidied(tmp_path, rows)) == ("Account", "Name", "Balance", "Kind")


# Heads with codes; keys; what stands above.


def test_heads_say_their_code_in_a_column_before_their_label(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Code", "Cost", "Jan", "Feb", "Mar"],
        ["A10", "Fleet", 12, 20, 31],
        ["A11", "Fuel", 5, 9, 11],
        ["A12", "Crew", 7, 11, 20],
        ["B10", "Shore", 21, 24, 24],
        ["B11", "Piers", 20, 4, 8],
        ["B12", "Rates", 1, 20, 16],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert rows_of(run)[0] == ("A10", "Fleet", "A11", "Fuel", "Jan", 5)
    assert len(rows_of(run)) == 12
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_a_key_below_a_table_makes_no_columns(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Quay", "Due", "St"],
        ["East", 5, "p"],
        ["West", 7, "q"],
        ["Mole", 9, "p"],
        [],
        ["Key"],
        ["p", "paid"],
        ["q", "queried"],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert columns_of(run) == ("Quay", "Due", "St")


def test_a_heading_over_sums_alone_is_left_out_with_them(tmp_path: Path) -> None:
    men, women = [[5, 7], [3, 4], [9, 2]], [[1, 2], [8, 6], [4, 3]]
    jobs = ["Deck", "Engine", "Galley"]
    both = [[a + b for a, b in zip(*pair, strict=True)] for pair in zip(men, women, strict=True)]
    rows: list[list[Any]] = [["Work", "2030", "2031"]]
    for name, figures in (("Persons", both), ("Men", men), ("Women", women)):
        rows += [[name], *([job, *own] for job, own in zip(jobs, figures, strict=True))]
    run = tidied(tmp_path, rows, ["A2:C2", "A6:C6", "A10:C10"])
    assert run.holds
    assert {row[0] for row in rows_of(run)} == {"Men", "Women"}


def test_years_above_blocks_side_by_side_are_a_column(tmp_path: Path) -> None:
    one: list[list[Any]] = [["Pier", "Foot", "Cars"], ["Wick", 8, 3], ["Brae", 6, 7], ["Hall", 9, 1], ["Isle", 2, 4]]
    rows: list[list[Any]] = [
        ["Three years"],
        [],
        [2031, "", "", "", 2032],
        ["persons", "", "", "", "persons; Brae shut in May"],
    ]
    rows += [[*row, "", *row] for row in one]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert {row[0] for row in rows_of(run)} == {"2031", "2032"}


@pytest.mark.parametrize("above", [["List of calls", "NORTH LOOP", "Sheet 1 of 1"], ["CALLS - NORTH LOOP Page: 1"]])
def test_titles_that_a_blank_row_parts_say_nothing_of_the_table(tmp_path: Path, above: list[str]) -> None:
    heads = ["Quay", "Boat", "Day", "Jan", "Feb", "Mar"]
    run = tidied(tmp_path, [above, [], heads, ["East", "Gull", "Mon", 5, 7, 1], ["West", "Tern", "Tue", 4, 6, 9]])
    assert run.holds


# Headings that span.


def test_what_is_merged_down_beside_a_spanner_heads_labels(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Boat", "Days", "Since", "Due", "", "", "", "Total"],
        ["", "", "", "0-30", "31-60", "61-90", "Over 90", ""],
        ["Gull", 30, "2031-02-12", 5, 0, 7, 0, 12],
        ["Tern", 14, "2031-01-09", 9, 2, 0, 3, 14],
        ["Skua", 30, "2031-03-01", 1, 1, 6, 8, 16],
    ]
    run = tidied(tmp_path, rows, ["A1:A2", "B1:B2", "C1:C2", "D1:G1", "H1:H2"])
    assert run.holds
    assert columns_of(run)[:3] == ("Boat", "Days", "Since")
    assert len(rows_of(run)) == 12


def test_spanners_may_cross(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Year", "Summer", "", "", "Autumn", "", ""],
        ["", "Old pier", "", "New pier", "", "Annexe", ""],
        ["", "Foot", "Cars", "Foot", "Cars", "Foot", "Cars"],
        ["2030", 53, 4, 46, 3, 31, 5],
        ["2031", 48, 6, 28, 5, 55, 4],
    ]
    run = tidied(tmp_path, rows, ["A1:A3", "B1:D1", "E1:G1", "B2:C2", "D2:E2", "F2:G2"])
    assert run.holds
    assert any("merged over lines of which" in one.what for one in run.proof.findings)


# A tree of sums takes no longer than its lines.


def test_a_long_body_is_searched_for_a_tree_in_a_moment() -> None:
    import numpy as np

    figures = np.random.default_rng(1).integers(1, 10**6, (3_000, 12)).astype(float)
    assert not depths_by_sums(figures).told
    figures[0] = figures[1:].sum(axis=0)
    assert depths_by_sums(figures).wholes == (0,)


def test_layouts_of_sheets_turned_round_keep_no_line_about_columns_unseen() -> None:
    rows: list[list[Any]] = [
        ["Hour", "Quay", "Mole"],
        ["06-07", 12, 3],
        ["07-08", 9, 1],
        ["Stop no.", 1042, 1047],
        ["08-09", 4, 7],
        ["09-10", 4, 7],
    ]
    (layout,) = find_layouts(
        Sheet.of([*rows, ["10-11", 4, 8], ["11-12", 5, 7], ["12-13", 6, 8]], merges=[Area(0, 0, 0, 0)])
    )
    assert layout.about or "Stop no." in str([level.texts for level in layout.stub])


def test_whom_to_ask_is_a_field_among_others_on_its_line(tmp_path: Path) -> None:
    body = [["Pier", "Calls", "Dues"], ["East", 12, 90.5], ["West", 44, 61.0], ["Mole", 9, 16.25]]
    run = tidied(tmp_path, [["Harbour:", "Skarrow", "", "Contact:", "S. Lowe"], [], *body])
    assert run.holds
    assert {"Harbour", "Contact"} <= set(columns_of(run))
    alone = tidied(tmp_path, [["Calls and dues"], ["Contact: S. Lowe"], [], *body])
    assert alone.holds
    assert "Contact" not in columns_of(alone)


def test_a_step_that_says_which_side_is_negative_answers_for_its_column(tmp_path: Path) -> None:
    (tmp_path / "in.csv").write_text("Slip,Amount\nS1,5.50 CR\nS2,1.25 DR\nS3,9.00 DR\nS4,2.00 CR\n", "utf-8")
    plan = 'kebrin = 1\n[table.t]\nfiles = "in.csv"\n[[table.t.step]]\nnumber = "Amount"\nnegative = ["{}"]\n'
    totals = {}
    for side in ("CR", "DR"):
        (tmp_path / "p.toml").write_text(plan.format(side), "utf-8")
        run = kb.load_plan(tmp_path / "p.toml").run()
        assert run.holds
        totals[side] = sum(row[-1] for row in rows_of(run))
    assert totals == {"CR": 2.75, "DR": -2.75}


# Lines that belong to the line above.

QUAYS = ["Quay", "Mon", "Tue"]


def test_parts_of_a_line_bear_its_label_and_are_in_no_sum(tmp_path: Path) -> None:
    run = tidied(tmp_path, [QUAYS, ["Brae", 12, 30], ["of which: lorries", 4, 11], ["Wick", 8, 9], ["Total", 20, 39]])
    assert run.holds
    assert columns_of(run) == ("Quay", "of which", "weekday", "value")
    assert rows_of(run)[::2] == [("Brae", None, "Mon", 12), ("Brae", "lorries", "Mon", 4), ("Wick", None, "Mon", 8)]
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_lines_set_in_below_a_part_are_parts_too(tmp_path: Path) -> None:
    rows = [
        QUAYS,
        ["Brae", 12, 30],
        ["  of which: lorries", 4, 11],
        ["  vans", 3, 2],
        ["Wick", 8, 9],
        ["Total", 20, 39],
    ]
    assert [row[:2] for row in rows_of(tidied(tmp_path, rows))[::2]] == [
        ("Brae", None), ("Brae", "lorries"), ("Brae", "vans"), ("Wick", None)
    ]  # fmt: skip


def test_a_line_that_says_of_which_alone_heads_the_parts_below_it(tmp_path: Path) -> None:
    rows = [QUAYS, ["Brae", 12, 30], ["of which:"], ["  lorries", 4, 11], ["  vans", 3, 2], ["Wick", 8, 9]]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert [row[:2] for row in rows_of(run)[::2]] == [
        ("Brae", None),
        ("Brae", "lorries"),
        ("Brae", "vans"),
        ("Wick", None),
    ]


def test_a_part_of_a_total_is_kept_under_what_the_total_sums(tmp_path: Path) -> None:
    run = tidied(tmp_path, [QUAYS, ["Brae", 12, 30], ["Wick", 8, 9], ["Total", 20, 39], ["of which lorries", 4, 11]])
    assert run.holds
    assert rows_of(run)[-1] == (None, "lorries", "Tue", 11)
    assert "Total" not in {row[0] for row in rows_of(run)}


def test_a_part_that_is_larger_is_asked_about_and_may_be_a_record(tmp_path: Path) -> None:
    rows = [QUAYS, ["Brae", 12, 30], ["of which lorries", 14, 31], ["Wick", 8, 9]]
    ((_, asked),) = open_findings(tidied(tmp_path, rows))
    assert "is larger" in asked.what
    as_part, as_record = (run_with(tmp_path / "r.xlsx", "S", one) for one in asked.settle)
    assert rows_of(as_record)[2] == ("of which lorries", "Mon", 14)
    assert not list(open_findings(as_part))


def test_a_person_says_which_rows_are_parts_or_that_none_is() -> None:
    rows: list[list[Any]] = [QUAYS, ["Brae", 12, 30], ["lorries", 4, 11], ["Wick", 8, 9], ["of which vans", 3, 2]]
    sheet = kb.Sheet.of(rows)
    (block,) = sheet.blocks(parts_of_above=["lorr*"])
    assert block.tidy().to_arrow().column("of which").to_pylist()[::2] == [None, "lorries", None, None]
    (block,) = sheet.blocks(parts_of_above=[])
    assert "of which" not in block.tidy().columns
    with pytest.raises(kb.LayoutError, match="no row below another bears the label 'trams'"):
        sheet.blocks(parts_of_above=["trams"])


PAIRS: list[list[Any]] = [
    ["All quays", 40, 50], ["", 100, 100], ["Brae", 12, 30], ["", 30, 60],
    ["Wick", 20, 15], ["", 50, 30], ["Foss", 8, 5], ["", 20, 10],
]  # fmt: skip


def test_lines_without_a_label_become_a_column_and_their_total_goes_with_the_total(tmp_path: Path) -> None:
    run = tidied(tmp_path, [["Upper line: boats; lower line: per cent of the column"], [], QUAYS, *PAIRS])
    assert run.holds
    assert columns_of(run) == ("Quay", "line", "weekday", "value")
    assert rows_of(run)[:4:2] == [("Brae", "boats", "Mon", 12), ("Brae", "per cent", "Mon", 30)]
    assert len(rows_of(run)) == 12
    assert rows_of(drafted(tmp_path)) == rows_of(run)


def test_lines_that_nothing_names_are_numbered_and_named_by_the_plan(tmp_path: Path) -> None:
    rows = [QUAYS, *PAIRS[2:]]
    assert {row[1] for row in rows_of(tidied(tmp_path, rows))} == {"line 1", "line 2"}
    sheet = kb.Sheet.of(rows)
    (block,) = sheet.blocks(lines_of_label=["boats", "share"])
    assert block.tidy().to_arrow().column("line").to_pylist()[:4:2] == ["boats", "share"]
    with pytest.raises(kb.LayoutError, match="not every label here has 3 lines"):
        sheet.blocks(lines_of_label=["boats", "share", "rank"])


def test_a_share_of_a_total_that_is_wrong_is_objected_to(tmp_path: Path) -> None:
    rows = [list(row) for row in PAIRS]
    rows[1][1] = 90
    run = tidied(tmp_path, [["Upper line: boats; lower line: per cent of the column"], [], QUAYS, *rows])
    assert not run.holds
    assert any("states 90" in one.what for _, one in open_findings(run))


def test_shares_that_a_label_column_names_are_in_no_sum_of_figures(tmp_path: Path) -> None:
    named = [[row[0], ("boats", "per cent")[at % 2], *row[1:]] for at, row in enumerate([*PAIRS[2:], *PAIRS[:2]])]
    run = tidied(tmp_path, [["Quay", "", "Mon", "Tue"], *named])
    assert run.holds
    assert not list(open_findings(run))
    assert [row[:2] for row in rows_of(run)[::2]] == [
        (quay, kind) for quay in ("Brae", "Wick", "Foss") for kind in ("boats", "per cent")
    ]


def test_a_sign_that_the_key_calls_a_minus_makes_the_figure_beside_it_negative(tmp_path: Path) -> None:
    rows = [["▼ fall (minus)"], [], QUAYS, ["Brae", "▼ 1,212", 30], ["Wick", 8, "▼ 9"], ["Total", "▼ 1,204", 21]]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert [row[2] for row in rows_of(run)] == [-1212, 30, 8, -9]


def test_a_letter_that_the_key_calls_negative_turns_no_figure(tmp_path: Path) -> None:
    rows = [["n = negative"], [], QUAYS, ["Brae", "12 n", 30], ["Wick", 8, 9], ["Foss", 4, "5 n"]]
    assert -12 not in {row[2] for row in rows_of(tidied(tmp_path, rows))}


def test_a_total_without_a_label_below_each_group_is_no_line_of_it(tmp_path: Path) -> None:
    rows = [QUAYS, ["Brae", 120, 301], ["", 120, 301], ["Wick", 85, 94], ["", 85, 94], ["Foss", 53, 41], ["", 53, 41]]
    run = tidied(tmp_path, rows)
    assert "line" not in columns_of(run)
    assert len(rows_of(run)) == 6 or not run.holds


def test_a_part_in_one_table_takes_no_record_out_of_the_one_beside_it(tmp_path: Path) -> None:
    left: list[list[Any]] = [["Quay", "Mon", "Tue"], ["Brae", 12, 30], ["of which lorries", 4, 11], ["Wick", 8, 9]]
    right: list[list[Any]] = [["Boat", "Jan", "Feb"], ["Gull", 5, 6], ["Tern", 7, 2], ["Skua", 3, 1]]
    run = tidied(tmp_path, [[*one, "", "", *other] for one, other in zip(left, right, strict=True)])
    rows = [tuple(row.values()) for table in run.tables.values() for row in table.to_arrow().to_pylist()]
    assert [row[-1] for row in rows if "Tern" in row] == [7, 2]
    assert "lorries" not in {cell for row in rows for cell in row[:2] if "Tern" in row}


def test_a_remark_beside_a_part_is_told_as_it_was(tmp_path: Path) -> None:
    rows = [
        ["Quay", "Mon", "Tue"],
        ["Brae", 12, 30],
        ["of which lorries", 4, 11, "", "counted by hand"],
        ["Wick", 8, 9],
    ]
    run = tidied(tmp_path, rows)
    assert run.holds
    assert any("counted by hand" in one.what for one in run.proof.findings)


def test_parts_are_stated_for_whichever_table_has_them() -> None:
    rows: list[list[Any]] = [["Quay", "Mon", "Tue"], ["Brae", 12, 30], ["lorries", 4, 11], ["Wick", 8, 9], [], [], []]
    rows += [["Boat", "Jan", "Feb"], ["Gull", 5, 6], ["Tern", 7, 2]]
    blocks = kb.Sheet.of(rows).blocks(parts_of_above=["lorries"])
    assert ["of which" in block.tidy().columns for block in blocks] == [True, False]


METERS: list[list[Any]] = [
    ["Meter", "Oct", "Nov", "Dec", "Used"], ["A", 10, 30, 70, 60], ["B", 5, 25, 11, 6], ["C", 7, 9, 30, 23], ["D", 3, 8, 20, 17],
]  # fmt: skip


def values_of(run: kb.Run) -> list[float]:
    return sorted(
        row[-1]
        for table in run.tables.values()
        for row in map(tuple, (one.values() for one in table.to_arrow().to_pylist()))
    )


def test_a_column_that_follows_in_one_table_takes_none_out_of_the_table_below(tmp_path: Path) -> None:
    below: list[list[Any]] = [
        ["Quay", "Foot", "Cars", "Bikes", "Dogs"],
        ["Brae", 12, 3, 5, 901],
        ["Wick", 9, 1, 2, 802],
    ]
    run = tidied(tmp_path, [*METERS, [], *below, ["Foss", 4, 2, 7, 703]])
    assert not run.holds or {901, 802, 703} <= set(values_of(run))


def test_a_line_about_the_columns_takes_no_record_out_of_the_table_beside_it(tmp_path: Path) -> None:
    left: list[list[Any]] = [
        ["Hour", "Wick", "Brae"],
        ["Limit", 150, 150],
        *([f"0{at}-0{at + 1}", 40 + at, 70 - at] for at in range(6, 9)),
    ]
    right: list[list[Any]] = [["Boat", "Jan", "Feb"], ["Gull", 501, 602], ["Tern", 7, 2], ["Skua", 3, 1], ["Auk", 8, 9]]
    run = tidied(tmp_path, [[*one, "", "", *other] for one, other in zip(left, right, strict=True)])
    assert not run.holds or {501, 602} <= set(values_of(run))


def test_a_line_about_the_columns_that_stays_among_the_records_is_asked_about(tmp_path: Path) -> None:
    left: list[list[Any]] = [
        ["Hour", "Wick", "Brae"],
        ["Limit", 150, 150],
        ["06-07", 106, 100],
        ["07-08", 61, 45],
        ["08-09", 72, 126],
    ]
    right: list[list[Any]] = [["Boat", "Jan", "Feb"], ["Gull", 5, 6], ["Tern", 7, 2], ["Skua", 3, 1], ["Auk", 8, 8]]
    run = tidied(tmp_path, [[*one, "", "", *other] for one, other in zip(left, right, strict=True)])
    assert any("'Limit' may say something of the columns" in one.what for _, one in open_findings(run))
