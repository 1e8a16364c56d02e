"""What a person states of a layout acts, or is refused with the reason and what the sheet shows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import openpyxl
import pytest
from openpyxl.workbook.defined_name import DefinedName
from openpyxl.worksheet.table import Table

import kebrin as kb
from building import write_book

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    Given = Callable[..., kb.Run]

QUAYS = [["Quay", "Jan", "Feb"], ["East", 1, 2], ["West", 3, 4], ["Total", 4, 6]]


@pytest.fixture
def given(tmp_path: Path) -> Given:
    """Run a plan with these lines in its layout over a workbook of these sheets."""

    def run(sheets: Any, layout: str = "", table: str = "", more: str = "") -> kb.Run:
        sheets = sheets if isinstance(sheets, dict) else {"Traffic": sheets}
        write_book(tmp_path / "r.xlsx", sheets)
        text = f'kebrin = 1\n[table.t]\nfiles = "r.xlsx"\n{table}\n[table.t.layout]\n{layout}\n{more}\n'
        (tmp_path / "p.toml").write_text(text, "utf-8")
        return kb.load_plan(tmp_path / "p.toml").run()

    return run


def records(run: kb.Run) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = run.tables["t"].to_arrow().to_pylist()
    return rows


def said(run: kb.Run) -> str:
    return "\n".join(map(str, run.proof.remarks))


# Lines, blocks and sheets that are left out.


@pytest.mark.parametrize(
    "line",
    ['"row 4"', '"rows 4-4"', '"Trial run"', '"trial*"', '["Trial run", "column D"]', '["row 4", "columns D-D"]'],
)
def test_lines_are_left_out_by_place_label_or_pattern_and_accounted_for(given: Given, line: str) -> None:
    sheet = [["Quay", "Jan", "Feb", "Mar"], ["East", 1, 2, 9], ["West", 3, 4, 9], ["Trial run", 70, 80, 90]]
    run = given(sheet, f"leave_out = {line}")
    kept = [record for record in records(run) if record["month"] != "Mar"]
    assert [record["value"] for record in kept] == [1, 2, 3, 4]
    assert run.holds
    assert run.proof.counts["left out: by the plan"] == (4 if "column" not in line else 7)
    assert run.proof.unclaimed == 0


def test_blocks_are_left_out_by_number_place_or_title(given: Given) -> None:
    two = [["Traffic"], *QUAYS, [""], [""], ["Old figures"], ["Quay", "Jan", "Feb"], ["East", 8, 9], ["West", 6, 7]]
    for block in ("2", "A9:C11", "old*"):
        run = given(two, f'leave_out = "block {block}"')
        assert [record["value"] for record in records(run)] == [1, 2, 3, 4]
        assert run.holds
        assert run.proof.counts["left out: by the plan"] == 10
    with pytest.raises(kb.LayoutError, match=r"its blocks are 1 at A2:C5 \(Traffic\), 2 at A9:C11 \(Old figures\)"):
        given(two, 'leave_out = "block 3"')
    with pytest.raises(kb.LayoutError, match="names every block of the sheet"):
        given(two, 'leave_out = ["block 1", "block 2"]')


def test_sheets_are_left_out_by_name_or_pattern_and_their_cells_counted(given: Given) -> None:
    run = given({"Traffic": QUAYS, "Test 1": QUAYS, "Test 2": QUAYS}, 'leave_out = "sheet test*"')
    (source,) = run.proof.sources
    assert set(source.left_out) == {"Test 1", "Test 2"}
    assert source.left_cells == {"Test 1": 12, "Test 2": 12}
    with pytest.raises(kb.PlanError, match="no sheet is called so: the sheets are Traffic"):
        given({"Traffic": QUAYS}, 'leave_out = "sheet Tset"')


def test_what_is_left_out_must_be_there(given: Given) -> None:
    with pytest.raises(kb.LayoutError, match="no cell says 'Norht', which the layout names as leave_out"):
        given(QUAYS, 'leave_out = "Norht"')


# Totals.


def test_a_line_called_a_total_stays_if_the_plan_says_so(given: Given) -> None:
    sheet = [["What", "Jan", "Feb"], ["Foot", 10, 20], ["Cars", 3, 4], ["Total berths", 40, 41]]
    without = given(sheet)
    assert not without.holds
    run = given(sheet, 'not_totals = "Total berths"')
    assert run.holds
    assert [record["value"] for record in records(run)] == [10, 20, 3, 4, 40, 41]


def test_a_line_of_no_wording_leaves_as_a_total_if_the_plan_says_so(given: Given) -> None:
    sheet = [["Quay", "Jan", "Feb"], ["East", 1, 2], ["West", 3, 4], ["Harbour", 4, 6]]
    assert len(records(given(sheet, "find_totals = false"))) == 6
    run = given(sheet, 'totals = ["Harbour"]')
    assert [record["value"] for record in records(run)] == [1, 2, 3, 4]
    assert run.proof.ties[0].exact == 2
    with pytest.raises(kb.PlanError, match="totals names 'Harbor', which stands on none of the sheets"):
        given(sheet, 'totals = ["Harbor"]')
    # What is stated is stated: the line is out, and it is told that it sums nothing.
    assert [record["Quay"] for record in records(given(sheet, 'totals = ["East"]'))] == [
        "West",
        "West",
        "Harbour",
        "Harbour",
    ]


def test_a_total_that_is_off_leaves_with_its_difference(given: Given) -> None:
    off = [*QUAYS[:3], ["Total", 4, 9]]
    run = given(off)
    assert [record["value"] for record in records(run)] == [1, 2, 3, 4]
    assert "total row 4 states 9, its 2 parts sum to 6, a difference of +3 (C4)" in run.proof.failures[0]
    reported = given(off, more='[proof]\ntotals = "report"')
    assert reported.holds
    assert reported.proof.headline == "Nothing was lost; 1 total does not tie (only reported)"


KNOWN = '[[proof.known]]\nsheet = "Traffic"\ncell = "C4"\nstates = 9\nsums = 6\nwhy = "printed before the count"'


def test_a_wrong_total_is_accepted_by_name_while_its_figures_are_the_same(given: Given) -> None:
    known = given([*QUAYS[:3], ["Total", 4, 9]], more=KNOWN)
    assert known.holds
    assert known.proof.headline == "Nothing was lost; 1 total is wrong, and known"
    assert any("known (printed before the count): total row 4 states 9" in one.what for one in known.proof.findings)
    # Another figure in the same cell, or another cell, is another error.
    for other in (["Total", 4, 8], ["Total", 3, 9]):
        changed = given([*QUAYS[:3], other], more=KNOWN)
        assert not changed.holds
    # A total that was mended is said, so that the line can go.
    mended = given([*QUAYS[:3], ["Total", 4, 6]], more=KNOWN)
    assert mended.holds
    assert any("C4 was known to state 9" in one.what for one in mended.proof.findings)


def test_a_wrong_total_needs_a_reason(given: Given) -> None:
    with pytest.raises(kb.PlanError, match="why"):
        given(QUAYS, more=KNOWN.replace("printed before the count", ""))


def test_the_one_cell_is_named_that_makes_row_and_column_tie(given: Given) -> None:
    sheet = [["Quay", "Jan", "Feb", "Total"], ["North", 12, 31, 43], ["South", 44, 81, 62], ["Total", 56, 49, 105]]
    row, column = sorted(given(sheet).proof.failures)
    assert "with 18 rather than 81 in C3 it would tie, and the total in C4 too" in row
    assert "with 18 rather than 81 in C3 it would tie, and the total in D3 too" in column


# Grand totals away from the table.

HEAD = [["Grand total:", 10], ["Records:", 2], [""], [""], *QUAYS[:3]]


@pytest.mark.parametrize(
    ("label", "number"), [("Grand total:", 10), ("Total Jan:", 4), ("Total quays:", 2), ("Total:", "10.0")]
)
def test_a_total_away_from_the_table_is_held_against_it(given: Given, label: str, number: Any) -> None:
    run = given([[label, number], [""], [""], *QUAYS[:3]])
    assert run.holds
    assert sum(tie.exact for tie in run.proof.ties) == 1


def test_a_total_away_from_the_table_that_is_off_breaks_the_proof(given: Given) -> None:
    run = given([["Grand total:", 11], [""], [""], *QUAYS[:3]])
    assert not run.holds
    assert "Grand total states 11, its 4 parts sum to 10, a difference of +1 (B1)" in run.proof.failures[0]
    said_in_one_cell = given([*QUAYS[:3], [""], ["Grand total: 11"]])
    assert not said_in_one_cell.holds


def test_a_total_of_something_else_is_told_only(given: Given) -> None:
    run = given([["Total lifejackets:", 120], [""], [""], *QUAYS[:3]])
    assert run.holds
    assert "Total lifejackets is stated as 120: no sum of the figures here, nor their number (B1)" in said(run)


# Filling, turning, formulas.


def test_blank_labels_are_filled_down_unless_the_plan_says_not(given: Given) -> None:
    sheet = [
        ["Quay", "Class", "Jan", "Feb"],
        ["East", "Foot", 1, 2],
        ["", "Cars", 3, 4],
        ["West", "Foot", 5, 6],
        ["", "Cars", 7, 8],
    ]
    assert [record["Quay"] for record in records(given(sheet))][::2] == ["East", "East", "West", "West"]
    assert [record["Quay"] for record in records(given(sheet, 'fill = "none"'))][::2] == ["East", None, "West", None]


def test_a_sheet_of_records_across_is_turned_round_and_traced(given: Given) -> None:
    sheet = [["Vessel", "Gull", "Tern"], ["Built", 2019, 2024], ["Crew", 4, 7], ["Home", "Garth", "Hallan"]]
    run = given(sheet, "turn = true")
    rows = records(run)
    assert [row["Vessel"] for row in rows] == ["Gull", "Tern"]
    assert [row["Home"] for row in rows] == ["Garth", "Hallan"]
    assert str(run.tables["t"].origin(1, "Crew")).endswith("cell C3")


def test_formulas_without_a_result_stop_unless_the_plan_takes_them_as_empty(given: Given) -> None:
    sheet = [["Quay", "Jan", "Feb"], ["East", 1, "=B2+1"], ["West", 3, 4]]
    with pytest.raises(kb.SourceError, match=r'formulas without a stored result.*state stored = "blank"'):
        given(sheet)
    run = given(sheet, table='stored = "blank"')
    assert [record["value"] for record in records(run)] == [1, 3, 4]
    assert "formulas without a stored result are taken as empty (C2)" in said(run)


# Names of levels and cut-in heads.


def test_what_is_stated_without_effect_is_refused(given: Given) -> None:
    with pytest.raises(kb.LayoutError, match="cutins names Area, and no rows here head others"):
        given(QUAYS, 'stub = ["Quay"]\ncutins = ["Area"]')
    assert "they may be values" in given(QUAYS, 'beside = ["Remark"]').proof.failures[0]
    with pytest.raises(kb.LayoutError, match="the block does not end at C9"):
        given(QUAYS, 'ends = "C9"')
    with pytest.raises(kb.LayoutError, match="starts names a cell beyond the sheet's end"):
        given(QUAYS, 'starts = "K40"')
    with pytest.raises(kb.LayoutError, match=r"no cell says 'Quai'.*the nearest text is 'Quay'"):
        given(QUAYS, 'starts = "Quai"')
    with pytest.raises(kb.LayoutError, match="the boxhead is stated to be 5 rows deep"):
        given(QUAYS, 'boxhead = ["a", "b", "c", "d", "e"]')
    run = given([["Quay", "Foot", "Fee"], ["East", 1, 2.5], ["West", 3, 4.5]],
        'boxhead = ["heading"]\nmeasures = "heading"\nmeasure = "carried"')  # fmt: skip
    assert any("measure = 'carried' names nothing now" in one.what for one in run.proof.questions)


def test_a_heading_row_may_become_no_column(given: Given) -> None:
    sheet = [["Quay", "2031", "2031"], ["", "Jan", "Feb"], ["East", 1, 2], ["West", 3, 4]]
    run = given(sheet, 'boxhead = ["-", "month"]\nstub = ["Quay"]\nmeasure = "carried"')
    assert run.tables["t"].columns == ("Quay", "month", "carried")
    assert run.holds


# What the plan knows of labels and sheets.


def test_new_spellings_of_known_labels_are_taken_by_rule(given: Given) -> None:
    sheet = [["Quay", "Jan", "Feb"], ["EAST ", 1, 2], ["west", 3, 4], ["North", 5, 6]]
    run = given(sheet, more='[table.t.labels]\nQuay = ["East", "West"]')
    assert [record["Quay"] for record in records(run)][::2] == ["East", "West", "North"]
    assert "taken as the plan spells them" in said(run)
    assert "Quay: new since the plan was drafted: North" in said(run)
    assert "no longer there" not in said(run)


def test_spellings_that_would_make_two_rows_one_are_asked_about(given: Given) -> None:
    sheet = [["Quay", "Jan", "Feb"], ["East", 1, 2], ["EAST", 3, 4]]
    run = given(sheet, more='[table.t.labels]\nQuay = ["East", "West"]')
    assert [record["Quay"] for record in records(run)][::2] == ["East", "EAST"]
    assert not run.holds
    assert "would then bear the same labels" in run.proof.failures[0]


def test_sheets_that_the_plan_has_not_seen_are_told_first(given: Given) -> None:
    sheets = {"East": QUAYS, "Winter": QUAYS, "Notes": [["text"]]}
    run = given(sheets, table='sheets = { except = ["Notes"], seen = ["East", "West"] }')
    first, second, third = run.proof.remarks[:3]
    assert first.what == "the plan has not seen the sheet Winter before: read as the others are"
    assert second.what == "the plan has not seen the sheet Notes before: not read"
    assert third.what == "no longer there: the sheet West"


def test_a_draft_says_which_sheets_it_saw_and_on_which_no_table_was(tmp_path: Path) -> None:
    write_book(tmp_path / "r.xlsx", {"Cover": [["Dear Board"]], "East": QUAYS, "West": QUAYS})
    text = kb.draft(tmp_path / "r.xlsx", base=tmp_path).text
    assert "# no table was found on Cover (1 cell)" in text
    assert 'sheets = {except = ["Cover"], seen = ["Cover", "East", "West"]}' in text


# Number formats that make identifiers.


def formatted(tmp_path: Path, rows: list[list[Any]], area: str, code: str) -> kb.Run:
    path = write_book(tmp_path / "r.xlsx", {"Members": rows})
    book = openpyxl.load_workbook(path)
    for line in book["Members"][area]:
        for cell in line:
            cell.number_format = code
    book.save(path)
    return kb.tidy_reports(path)


@pytest.mark.parametrize(
    ("code", "told"),
    [("00000", ["00410", "00012", "20417"]), ("000-000", ["000-410", "000-012", "020-417"]), ("0000", ["0410", "0012", "20417"]),
     ("0", ["410", "12", "20417"]), ("#,##0", ["410", "12", "20417"])],
)  # fmt: skip
def test_identifiers_keep_the_zeros_that_their_format_shows(tmp_path: Path, code: str, told: list[str]) -> None:
    rows: list[list[Any]] = [["Member", "Name", "Fee"], [410, "Ada", 12.5], [12, "Bo", 9], [20417, "Cy", 11]]
    (table,) = formatted(tmp_path, rows, "A2:A4", code).tables.values()
    assert [str(value).removesuffix(".0") for value in table.to_arrow().column("Member").to_pylist()] == told


def test_a_body_whose_figures_are_all_padded_stays_a_body_of_figures(tmp_path: Path) -> None:
    rows: list[list[Any]] = [["Sailing", "Foot", "Cars"], ["07:15", 12, 3], ["10:40", 7, 4]]
    (table,) = formatted(tmp_path, rows, "B2:C3", "000").tables.values()
    assert table.to_arrow().column("value").to_pylist() == [12, 3, 7, 4]


# One rectangle only, and headings joined into one.


def fuel(tmp_path: Path) -> Path:
    path = write_book(tmp_path / "fuel.xlsx", {"Fuel": [
        ["Fuel log", "", "", "", "", "old:", 9], [""], ["", "", "Vessel", "Litres", "Cost"], ["", "", "Gull", 500, 610],
        ["", "", "Tern", 420, 512], ["", "", "Skua", 77, 90], [1, 2, 3, 4, 5],
    ], "Other": QUAYS})  # fmt: skip
    book = openpyxl.load_workbook(path)
    book["Fuel"].add_table(Table(displayName="FuelLog", ref="C3:E6"))
    book.defined_names["Pier_dues"] = DefinedName("Pier_dues", attr_text="'Other'!$A$1:$C$3")
    book.defined_names["Rate"] = DefinedName("Rate", attr_text="0.5")
    book.save(path)
    return path


@pytest.mark.parametrize(
    ("within", "values"), [("FuelLog", 3), ("fuellog", 3), ("C3:E6", 3), ("C3:E5", 2), ("Pier_dues", 4)]
)
def test_a_table_object_a_named_range_or_a_rectangle_is_read_alone(tmp_path: Path, within: str, values: int) -> None:
    fuel(tmp_path)
    sheets = 'sheets = "Fuel"' if ":" in within else ""
    text = f'kebrin = 1\n[table.t]\nfiles = "fuel.xlsx"\n{sheets}\n[table.t.layout]\nwithin = "{within}"\n'
    (tmp_path / "p.toml").write_text(text, "utf-8")
    run = kb.load_plan(tmp_path / "p.toml").run()
    assert run.holds, run.proof.failures
    assert len(run.tables["t"]) == (
        values if values == 4 else 2 * values if run.tables["t"].measures == ("value",) else values
    )
    assert run.proof.unclaimed == 0


def test_a_place_that_is_not_there_is_told_with_those_that_are(tmp_path: Path) -> None:
    fuel(tmp_path)
    text = 'kebrin = 1\n[table.t]\nfiles = "fuel.xlsx"\n[table.t.layout]\nwithin = "FuelLgo"\n'
    (tmp_path / "p.toml").write_text(text, "utf-8")
    with pytest.raises(kb.LayoutError, match=r"its named places are Pier_dues, FuelLog\. Did you mean 'FuelLog'\?"):
        kb.load_plan(tmp_path / "p.toml").run()
    assert kb.read(tmp_path / "fuel.xlsx").core.places == {
        "Pier_dues": ("Other", "A1:C3"),
        "FuelLog": ("Fuel", "C3:E6"),
    }


TWO_ROWS = [
    ["Name", "Rehearsal", "Concert", "Paid"],
    ["", "hours", "hours", "(crowns)"],
    ["Ada", 10, 4, 120],
    ["Bo", 12, 5, 140],
]


def test_two_heading_rows_are_joined_on_request(given: Given) -> None:
    run = given(TWO_ROWS, 'joined = "what"\nmeasures = "what"')
    assert run.tables["t"].columns == ("Name", "Rehearsal hours", "Concert hours", "Paid (crowns)")
    assert run.holds
    long = given(TWO_ROWS, 'joined = "what"')
    assert [record["what"] for record in records(long)][:3] == ["Rehearsal hours", "Concert hours", "Paid (crowns)"]
    assert long.holds
    assert str(long.tables["t"].origin(2)).endswith("cell D3")
    with pytest.raises(kb.LayoutError, match="joined = 'what' has no effect: there is one heading row only"):
        given(QUAYS, 'joined = "what"')


def test_cells_that_say_nothing_are_left_out_and_those_of_the_table_are_refused(given: Given) -> None:
    rows = [["Foot by quay", "", ""], ["Page: 1 / 1", "", "ok: 3"], ["", "", ""], *QUAYS]
    assert len(records(given(rows, 'leave_out = ["cells A2:C2"]'))) == 4
    assert given(rows, 'leave_out = ["cell A2", "cell C2"]').holds
    with pytest.raises(kb.LayoutError, match=r"leave_out names 'cell B5', which the table is made of"):
        given(rows, 'leave_out = ["cell B5"]')


def test_a_record_that_bears_its_groups_name_and_equals_the_line_above_is_no_total(given: Given) -> None:
    lines = [["North", "Foot", 12, 31], ["South", "Cars", 7, 20], ["", "Foot", 9, 4], ["", "South", 9, 4]]
    run = given([["Quay", "Class", "Jan", "Feb"], *lines, ["Total", "", 37, 59]])
    assert [record["value"] for record in records(run) if record["Class"] == "South"] == [9, 4]
    # The sum of all of its group is one.
    summed = given([["Quay", "Class", "Jan", "Feb"], *lines[:3], ["", "South", 16, 24], ["Total", "", 28, 55]])
    assert [record["Class"] for record in records(summed)] == ["Foot", "Foot", "Cars", "Cars", "Foot", "Foot"]


def test_a_block_takes_all_that_can_be_stated_of_its_layout() -> None:
    rows: list[list[Any]] = [["Quay", "Jan", "Feb"], ["East", 1.0, "shut"], ["West", 3.0, 4.0], ["Trial", 9.0, 9.0]]
    (block,) = kb.Sheet.of(rows).blocks()
    table = block.tidy(stub=["Place"], leave_out=["Trial"], missing=["shut"], measure="loads", blanks="keep")
    assert table.columns == ("Place", "month", "loads")
    assert table["loads"] == [1.0, None, 3.0, 4.0]
    assert table.proof.holds
    with pytest.raises(kb.PlanError, match="takes no 'leave_ot'"):
        block.tidy(leave_ot=["Trial"])  # type: ignore[call-arg]
