"""The account from the file's bytes to the written rows: what readers set aside, what steps did, what outputs hold."""

from __future__ import annotations

import importlib
import json
import time
from typing import TYPE_CHECKING, Any

import openpyxl
import pyarrow as pa
import pytest
from openpyxl.workbook.defined_name import DefinedName

import kebrin as kb
from building import write_book
from kebrin.errors import Place
from kebrin.sources.encodings import decode
from kebrin.sources.lines import is_rule
from kebrin.table import Does, FindingKind, Table
from kebrin.work import stepping
from settling import open_findings

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


def records(report: Path) -> list[dict[str, Any]]:
    """The records of the one table of a report, which holds."""
    run = kb.tidy_reports(report)
    assert run.holds, run.proof.failures
    (table,) = run.tables.values()
    rows: list[dict[str, Any]] = table.to_arrow().to_pylist()
    return rows


# Readers.


def test_dated_lines_at_the_top_of_a_page_are_records_and_page_heads_are_counted(tmp_path: Path) -> None:
    head = "Ferry dues           Page {page}\nVessel      Day           Due\n-----------------------------\n"
    lines = [f"Gull {at:<6} {at % 27 + 1:02}.05.2031 {100 + at:>6}\n" for at in range(60)]
    pages = [head.format(page=at // 20 + 1) + "".join(lines[at : at + 20]) for at in (0, 20, 40)]
    (tmp_path / "dues.txt").write_text("".join(pages), "utf-8")
    run = kb.tidy_reports(tmp_path / "dues.txt")
    assert run.holds
    assert len(next(iter(run.tables.values()))) == 60
    (ledger,) = run.proof.ledgers
    assert ledger.counts["left out: cells of page heads said again"] > 0
    assert "page heads that say the same again, set aside: 2" in " ".join(one.what for one in run.proof.findings)


def test_a_record_whose_text_ends_in_a_word_for_page_is_one(tmp_path: Path) -> None:
    (tmp_path / "works.txt").write_text(
        "Order  Works                          Hours\nW1     Renew lamp                        12\n"
        "W2     Mend gate                         31\nW3     Paint rails of the north side     45\n"
        "W4     Clear drain                        9\n", "utf-8",
    )  # fmt: skip
    assert [row["Hours"] for row in records(tmp_path / "works.txt")] == [12, 31, 45, 9]


def test_a_line_of_drawn_signs_is_looked_at_once() -> None:
    began = time.process_time()
    assert not is_rule("-=" * 40 + "word")
    assert time.process_time() - began < 1  # a pattern that repeats within a repeat took minutes


def test_a_number_is_not_cut_by_stated_columns(tmp_path: Path) -> None:
    (tmp_path / "low.txt").write_text("Hut       Low   High\nUpper    4.75  15.00\nLower    5.25  16.10\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "low.txt"\n[table.t.text]\ncolumns = ["1-8", "9-12", "13-20"]\n', "utf-8"
    )
    with pytest.raises(kb.SourceError) as caught:
        kb.load_plan(tmp_path / "p.toml").run()
    assert "low.txt, line 2: a stated column ends within '4.75'" in str(caught.value)


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        ("Köhnsee;12 €".encode("cp1252"), "Köhnsee;12 €"),
        ("Köhnsee;12".encode(), "Köhnsee;12"),
        ("Köhnsee;12".encode("utf-16"), "Köhnsee;12"),
    ],
)
def test_the_encoding_taken_reads_the_text_and_an_older_one_is_told(raw: bytes, said: str) -> None:
    found = decode(raw, Place("r.csv"))
    assert found.text == said
    assert bool(found.told) == (raw == "Köhnsee;12 €".encode("cp1252"))


PAGE = '<?xml version="1.0" encoding="UTF-8"?>\n<html><body>{}</body></html>'


@pytest.mark.parametrize(
    "body",
    [
        "<table><tr><th>Quay<th>Foot<tr><td>North<td>12<tr><td>South<td>44</table>",
        "<table><th>Quay</th><th>Foot</th><tr><td>North</td><td>12</td></tr><tr><td>South</td><td>44</td></tr></table>",
        "<table><tr><td>Quay</td><td>Foot</td></tr><tr><td>North</td><td><input value='12'></td></tr>"
        "<tr><td>South</td><td><select><option>9<option selected>44</select></td></tr></table>",
    ],
)
def test_pages_of_any_make_give_all_their_cells(tmp_path: Path, body: str) -> None:
    (tmp_path / "quays.html").write_text(PAGE.format(body), "utf-8")
    assert [(row["Quay"], float(list(row.values())[-1])) for row in records(tmp_path / "quays.html")] == [
        ("North", 12.0), ("South", 44.0),
    ]  # fmt: skip


# Lists, keys and units.


def test_a_label_merged_over_rows_of_words_is_that_of_each(tmp_path: Path) -> None:
    rows = [
        ["Quay", "Task", "Master"],
        ["North", "Rope", "Ada"],
        ["", "Lamp", "Bo"],
        ["South", "Gate", "Cy"],
        ["", "Rail", "Di"],
    ]
    report = write_book(tmp_path / "r.xlsx", {"Tasks": rows}, {"Tasks": ["A2:A3", "A4:A5"]})
    assert [(row["Quay"], row["Task"]) for row in records(report)] == [
        ("North", "Rope"), ("North", "Lamp"), ("South", "Gate"), ("South", "Rail"),
    ]  # fmt: skip


def test_what_a_key_says_decides_what_a_sign_is(tmp_path: Path) -> None:
    rows = [
        ["Sailing", "Mon", "Tue", "Wed"], ["07:15", 12, "n", 31], ["09:30", "e", 44, 20], ["12:00", 9, 27, "n"],
        [""], ["n = not counted"], ["e = early sailing"],
    ]  # fmt: skip
    run = kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"Foot": rows}))
    values = [row["value"] for row in next(iter(run.tables.values())).to_arrow().to_pylist()]
    assert values == ["12", None, "31", "e", "44", "20", "9", "27", None]
    said = [one.what for one in run.proof.findings]
    assert any("('e')" in one for one in said)
    assert "2 missing marks ('n') gave no value" in said
    assert "n stands for 'not counted'; e stands for 'early sailing'" in said


def test_units_that_differ_stand_in_the_names_of_their_columns(tmp_path: Path) -> None:
    rows = [["Berth", "Volume", "Depth"], ["", "m³", "m"], ["Inner", 120, 4], ["Outer", 80, 9], ["North", 61, 7]]
    assert list(records(write_book(tmp_path / "r.xlsx", {"B": rows}))[0]) == ["Berth", "Volume (m³)", "Depth (m)"]


@pytest.mark.parametrize(
    ("rows", "kept"),
    [
        ([["Vessel", "Quay", "Due"], ["Gull", "North", 120], ["Tern", "South", 80], ["", "Total", 200]], 2),
        ([["Vessel", "Quay", "Due"], ["Gull", "North", 120], ["Tern", "South", 80], ["", "All quays", 200]], 2),
        ([["Quay", "Balance"], ["North", 120], ["c/f", 120], ["b/f", 120], ["South", 80], ["West", 7]], 3),
    ],
)
def test_what_sums_or_carries_in_a_list_is_no_record(tmp_path: Path, rows: list[list[Any]], kept: int) -> None:
    assert len(records(write_book(tmp_path / "r.xlsx", {"Dues": rows}))) == kept


def test_words_behind_figures_that_are_no_units_stay(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text(
        "Hut,Class,Term,Fee\nUpper,5* DELUXE,5 Years,310\nLower,4* DELUXE,2 Years,120\n", "utf-8"
    )
    assert [(row["Class"], row["Term"], row["Fee"]) for row in records(tmp_path / "r.csv")] == [
        ("5* DELUXE", "5 Years", 310), ("4* DELUXE", "2 Years", 120),
    ]  # fmt: skip


def test_notes_on_the_rows_of_a_table_are_told(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Quay,Jan,Feb,\nNorth,10,20,\nSouth,30,41,provisional\nWest,5,6,\n", "utf-8")
    run = kb.tidy_reports(tmp_path / "r.csv")
    (note,) = [one for one in run.proof.findings if one.kind is FindingKind.NOTE]
    assert (note.what, note.cells) == ("1 text on the rows of a table left out as notes: 'provisional'", ("D3",))


def test_a_field_of_one_block_is_none_of_the_next(tmp_path: Path) -> None:
    rows: list[list[Any]] = []
    for bay, memo in (("A", "crane out"), ("B", ""), ("C", "lamp out")):
        rows += [[f"Bay: {bay}"], *([[f"Memo: {memo}"]] if memo else []), ["Job", "Fitter", "Hours"]]
        rows += [[f"{bay}{at}", name, at + 2] for at, name in enumerate(("Ada", "Bo", "Cy"))] + [[""]]
    found = {(row["Bay"], row["Memo"]) for row in records(write_book(tmp_path / "r.xlsx", {"Jobs": rows}))}
    assert found == {("A", "crane out"), ("B", None), ("C", "lamp out")}


# Steps.

BOATS = Table(pa.table({"port": ["Brae", "Wick", "Lerr"], "boats": [3.0, 5.0, 1.0]}), ("boats",))


def fewer(table: Table, _: Any, **__: Any) -> Table:
    return Table(table.data.slice(0, 2), table.measures)


def other_values(table: Table, _: Any, **__: Any) -> Table:
    return Table(pa.table({"port": table.data["port"], "boats": [3.0, 5.0, 2.0]}), table.measures)


@pytest.mark.parametrize(
    ("fault", "said"), [(fewer, "it keeps every row, and of 3 rows 2 came out"), (other_values, "boats")]
)
def test_a_step_that_does_more_than_it_says_is_found_out(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, fault: Callable[..., Table], said: str
) -> None:
    module = importlib.import_module("kebrin.shape.columns")
    monkeypatch.setattr(module, "fixed", fault)
    assert stepping.TAKEN["fixed"] is fault
    (tmp_path / "r.csv").write_text("port,boats\nBrae,3\nWick,5\nLerr,1\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\nfixed = "yard"\nvalue = "Hallan"\n', "utf-8"
    )
    run = kb.load_plan(tmp_path / "p.toml").run()
    assert not run.holds
    assert any(one.kind is FindingKind.STEP and said in one.what for _, one in open_findings(run))


def test_a_filter_that_keeps_no_row_holds_nothing_back_in_silence(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("port,boats\nBrae,3\nWick,5\nLerr,1\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\nonly = { port = "Skerry" }\n', "utf-8"
    )
    run = kb.load_plan(tmp_path / "p.toml").run()
    assert len(next(iter(run.tables.values()))) == 0
    (failure,) = run.proof.failures
    assert failure.startswith("open question: only port is 'Skerry' keeps no row: port says 'Brae', 'Wick', 'Lerr'; ")


def test_a_table_is_neither_true_nor_false() -> None:
    with pytest.raises(TypeError, match="neither true nor false"):
        bool(BOATS)


@pytest.mark.parametrize("step", ['rank = "Due"', 'running = "Due"', 'share = "Due"'])
def test_figures_of_a_text_can_be_ranked_and_added_up(tmp_path: Path, step: str) -> None:
    (tmp_path / "r.csv").write_text('Quay;Due\nNorth;"1.120,50"\nSouth;"80,25"\nWest;"9,75"\n', "utf-8")
    plan = f'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\n{step}\ninto = "more"\n'
    (tmp_path / "p.toml").write_text(plan, "utf-8")
    assert "more" in next(iter(kb.load_plan(tmp_path / "p.toml").run().tables.values())).columns


# Outputs.


def test_a_table_larger_than_its_place_is_refused_and_the_line_below_stays(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet: Any = book.active
    sheet.title = "Board"
    sheet["B9"] = "Keep this line"
    book.defined_names["Figures"] = DefinedName("Figures", attr_text="Board!$B$4:$C$7")
    book.save(tmp_path / "board.xlsx")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[output]]\ntable = "t"\nfile = "out.xlsx"\ntemplate = "board.xlsx"\n'
        'at = "Figures"\n', "utf-8",
    )  # fmt: skip
    rows = [f"S{at},{at}.5" for at in range(8)]
    (tmp_path / "r.csv").write_text("\n".join(["Station,Level", *rows]) + "\n", "utf-8")
    with pytest.raises(kb.OutputError, match=r"does not fit into Figures.*'Keep this line'"):
        kb.load_plan(tmp_path / "p.toml").run().write()
    assert not (tmp_path / "out.xlsx").exists()
    (tmp_path / "r.csv").write_text("\n".join(["Station,Level", *rows[:4]]) + "\n", "utf-8")
    kb.load_plan(tmp_path / "p.toml").run().write()
    filled = openpyxl.load_workbook(tmp_path / "out.xlsx")["Board"]
    assert (filled["B7"].value, filled["B9"].value) == ("S3", "Keep this line")


def test_what_was_written_before_a_run_failed_is_told(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "r.csv").write_text("Quay,Due\nNorth,61\nWest,50\nSouth,12\n", "utf-8")
    (tmp_path / "taken").write_text("a file where a folder would have to be", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[output]]\ntable = "t"\nfile = "q_North.csv"\n'
        '[[output]]\ntable = "t"\nfile = "taken/t.csv"\n',
        "utf-8",
    )
    done = kebrin("run", "p.toml")
    assert done.returncode == 2
    assert (tmp_path / "q_North.csv").exists()
    assert "q_North.csv" in done.stderr.partition("Already written")[2]


def test_the_second_run_of_a_table_with_dates_says_what_changed(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "r.csv").write_text("Sailing,Day,Foot\nS1,2031-06-03,12\nS2,2031-06-04,31\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[output]]\ntable = "t"\nfile = "t.csv"\n', "utf-8"
    )
    assert [kebrin("run", "p.toml").returncode for _ in range(2)] == [0, 0]


@pytest.mark.parametrize(
    ("step", "row", "column", "wanted"),
    [
        ('sums = "Quay"\nof = { Spent = "sum Due" }', 1, "Spent", {"C2": 61.0, "C4": 12.0}),
        (
            'sums = "Quay"\nof = { Spent = "sum Due" }\n[[table.t.step]]\nsort = "Spent"',
            2,
            "Spent",
            {"C2": 61.0, "C4": 12.0},
        ),
        ('crosstab = "Quay"\nacross = "Item"\nof = "Due"\ntotals = "both"', 1, "rope", {"C2": 61.0, "C4": 12.0}),
        ('crosstab = "Quay"\nacross = "Item"\nof = "Due"\ntotals = "both"', 3, "lamp", {"C3": 50.0, "C5": 7.0}),
    ],
)
def test_a_sum_leads_back_to_the_cells_that_it_is_made_of(
    tmp_path: Path, kebrin: Kebrin, step: str, row: int, column: str, wanted: dict[str, float]
) -> None:
    (tmp_path / "r.csv").write_text(
        "Quay,Item,Due\nNorth,rope,61\nSouth,lamp,50\nNorth,rope,12\nSouth,lamp,7\n", "utf-8"
    )
    (tmp_path / "p.toml").write_text(
        f'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\n{step}\n[[output]]\ntable = "t"\nfile = "t.csv"\n',
        "utf-8",
    )
    assert kebrin("run", "p.toml").returncode == 0
    said = json.loads(kebrin("trace", "t.csv", str(row), column, "--json").stdout)
    assert {part["cell"]: float(part["said"]) for part in said["parts"]} == wanted
    assert float(said["record"][column]) == sum(wanted.values())
    shown = kebrin("trace", "t.csv", str(row), column).stdout
    assert f"{column} is made of 2 cells" in shown
    assert all(cell in shown for cell in wanted)


def test_a_sum_over_files_leads_to_all_of_them_and_says_which_has_changed(tmp_path: Path, kebrin: Kebrin) -> None:
    for month in range(1, 13):
        (tmp_path / f"dues_{month:02}.csv").write_text(f"Quay,Due\nNorth,{month}\nSouth,50\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "dues_*.csv"\n[[table.t.step]]\nsums = "Quay"\n[[output]]\ntable = "t"\n'
        'file = "t.csv"\n', "utf-8",
    )  # fmt: skip
    done = kebrin("run", "p.toml", "--accept")
    assert "kebrin trace t.csv 1" in done.stdout
    (tmp_path / "dues_07.csv").write_text("Quay,Due\nNorth,7\nSouth,51\n", "utf-8")
    told = kebrin("trace", "t.csv", 1, "--json")
    parts = json.loads(told.stdout)["parts"]
    assert sum(float(part["said"]) for part in parts) == 78
    assert len({part["file"] for part in parts}) == 12
    assert told.stderr.count("has changed since") == 1
    assert "dues_07.csv has changed" in told.stderr


def test_a_list_of_records_and_quotes_around_all_values(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "r.csv").write_text("Quay,Due\nNorth,61.5\nSouth,50\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[output]]\ntable = "t"\nfile = "t.json"\n'
        '[[output]]\ntable = "t"\nfile = "q.csv"\nquotes = "all"\n', "utf-8",
    )  # fmt: skip
    assert kebrin("run", "p.toml").returncode == 0
    assert json.loads((tmp_path / "t.json").read_text("utf-8")) == [
        {"Quay": "North", "Due": 61.5},
        {"Quay": "South", "Due": 50},
    ]
    assert (tmp_path / "q.csv").read_text("utf-8").splitlines() == ['"Quay","Due"', '"North","61.5"', '"South","50"']
    assert all(json.loads(kebrin("trace", name, 2, "--json").stdout)["cell"] == "B3" for name in ("t.json", "q.csv"))


# Drafts.


def test_files_of_two_kinds_are_drafted_as_two_tables_that_run(tmp_path: Path, kebrin: Kebrin) -> None:
    for name, text in (("a", "Quay,Jan,Feb\nNorth,10,20\nSouth,30,41\n"), ("b", "Quay,Jan,Feb\nNorth,11,21\nSouth,31,42\n"),
                       ("crew", "Name,Licence,Age\nAda,C,33\nBo,D1,41\nCy,C,52\n")):  # fmt: skip
        (tmp_path / "in").mkdir(exist_ok=True)
        (tmp_path / "in" / f"{name}.csv").write_text(text, "utf-8")
    assert kebrin("draft", "in", "-o", "p.toml").returncode == 0
    assert kebrin("run", "p.toml").returncode == 0
    assert len((tmp_path / "out" / "a.csv").read_text("utf-8").splitlines()) == 9
    assert len((tmp_path / "out" / "crew.csv").read_text("utf-8").splitlines()) == 4


def test_a_drafted_plan_reads_next_months_file_where_one_of_this_months_lacked_the_sheet(
    tmp_path: Path, kebrin: Kebrin
) -> None:
    for month in (1, 2, 3, 4):
        visits = [["Door", "Mon", "Tue"], ["East", 5 + month, 6], ["West", 9, 8]]
        loans = [["Branch", "Jan", "Feb"], ["Elm", 10 + month, 20], ["Ash", 31, 45]]
        sheets = {"Visits": visits} if month == 2 else {"Loans": loans, "Visits": visits}
        write_book(tmp_path / f"return_{month}.xlsx", sheets)
        if month == 3:
            assert kebrin("draft", "return_1.xlsx", "return_2.xlsx", "return_3.xlsx", "-o", "p.toml").returncode == 0
    done = kebrin("run", "p.toml")
    assert done.returncode == 0, done.stdout
    read = (tmp_path / "out/return_branch.csv").read_text("utf-8").splitlines()
    assert {line.split(",")[-1] for line in read} >= {"11", "13", "14"}
    assert "return_2.xlsx, no longer there: the sheet Loans" in " ".join(done.stdout.split())
    plan = (tmp_path / "p.toml").read_text("utf-8")
    (tmp_path / "p.toml").write_text(plan.replace(", may_lack = true", ""), "utf-8")
    assert "return_2.xlsx: there is no sheet 'Loans'" in kebrin("run", "p.toml").stderr


def test_a_sheet_that_says_the_same_in_several_files_is_asked_about_and_one_line_settles_it(tmp_path: Path) -> None:
    rows = [["Class", "Fee", "Deposit"], ["Foot", 5, 6], ["Cars", 9, 8], ["Bikes", 2, 1]]
    files = [
        write_book(tmp_path / f"fees_{month}.xlsx", {"Fees": rows, "Log": [["note"], [month]]}) for month in (1, 2)
    ]
    run = kb.tidy_reports(*files)
    assert run.holds
    ((_, asked),) = [(name, one) for name, one in open_findings(run) if "says the same as" in one.what]
    assert asked.does is Does.ASKS
    assert [one.line for one in asked.settle] == ["leave_open = ['says the same as']"]


def test_a_plan_asks_what_tidying_asks_of_columns_that_nobody_spoke_of(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Quay,Tag,Paid\nNorth,a,01/02/31\nSouth,b,03/04/31\nWest,c,05/06/31\n", "utf-8")
    plan = 'kebrin = 1\n[table.t]\nfiles = "r.csv"\n'
    (tmp_path / "p.toml").write_text(plan, "utf-8")
    asked = [one.column for _, one in open_findings(kb.load_plan(tmp_path / "p.toml").run())]
    assert asked == [one.column for _, one in open_findings(kb.tidy_reports(tmp_path / "r.csv"))] == ["Paid"]
    (tmp_path / "p.toml").write_text(plan + '[table.t.kinds]\nPaid = "text"\n', "utf-8")
    assert not list(open_findings(kb.load_plan(tmp_path / "p.toml").run()))


@pytest.mark.parametrize("rows", [3, 3_600])
def test_a_figure_that_the_key_says_is_none_gives_no_value(tmp_path: Path, rows: int) -> None:
    lines = "".join(f"S{at},{9999 if at == rows - 2 else at % 90 + 5},{at % 7}\n" for at in range(rows))
    (tmp_path / "r.csv").write_text(f"# as counted\n# foot: 9999 = not counted\nsailing,foot,cars\n{lines}", "utf-8")
    run = kb.tidy_reports(tmp_path / "r.csv")
    (table,) = run.tables.values()
    foot = [row["foot"] for row in table.to_arrow().to_pylist()] if "foot" in table.columns else []
    values = foot or [row["value"] for row in table.to_arrow().to_pylist() if row["heading"] == "foot"]
    assert run.holds
    assert len(values) == rows
    assert [at for at, value in enumerate(values) if value is None] == [rows - 2]


def test_a_key_of_one_column_leaves_the_figures_of_others(tmp_path: Path) -> None:
    rows = [
        ["Quay", "Foot", "Cars"],
        ["North", 99, 12],
        ["South", 31, 99],
        ["West", 44, 20],
        [""],
        ["Foot: 99 = not counted"],
    ]
    run = kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"Quays": rows}))
    (table,) = run.tables.values()
    said = [tuple(row.values()) for row in table.to_arrow().to_pylist()]
    assert said == [
        ("North", "Foot", None), ("North", "Cars", 12), ("South", "Foot", 31), ("South", "Cars", 99), ("West", "Foot", 44),
        ("West", "Cars", 20),
    ]  # fmt: skip
    assert any("1 missing mark ('99') gave no value" in one.what for one in run.proof.remarks)


def test_a_calendar_gives_dates_where_its_title_says_the_year(tmp_path: Path) -> None:
    weeks = [[7 * at + day - 1 if 0 < 7 * at + day - 1 < 32 else "" for day in range(7)] for at in range(5)]
    kept = [["Gull" if (at + day) % 3 == 0 and weeks[at][day] else "" for day in range(7)] for at in range(5)]
    days = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"]
    lines = [line for week, own in zip(weeks, kept, strict=True) for line in (week, own)]
    book = write_book(tmp_path / "c.xlsx", {"Rota": [["October 2031"], days, *lines]})
    run = kb.tidy_reports(book)
    assert run.holds
    (table,) = run.tables.values()
    assert table.columns == ("weekday", "date", "value")
    assert all(row["weekday"] == f"{row['date']:%a}" for row in table.to_arrow().to_pylist())
    plan = kb.draft(book, base=tmp_path)
    assert plan.run().tables["rota"].to_arrow().to_pylist() == table.to_arrow().to_pylist()


def test_letters_that_notes_explain_are_no_part_of_labels(tmp_path: Path) -> None:
    rows = [["Port", "Jan", "Feb"], ["Brae", 5, 7], ["Wick c", 6, 8], ["Lerr", 4, 9], [""]]
    notes = [["a Estimated from half a year."], ["b Counted by hand."], ["c Closed to freight in June."]]
    run = kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"Foot": [*rows, *notes]}))
    assert run.holds
    (table,) = run.tables.values()
    assert {row["Port"] for row in table.to_arrow().to_pylist()} == {"Brae", "Wick", "Lerr"}
    berths = [["Berth", "Jan", "Feb"], *([f"Berth {letter}", at, at + 3] for at, letter in enumerate("abc"))]
    run = kb.tidy_reports(write_book(tmp_path / "b.xlsx", {"Foot": [*berths, [""], *notes]}))
    assert {row["Berth"] for row in next(iter(run.tables.values())).to_arrow().to_pylist()} == {
        "Berth a",
        "Berth b",
        "Berth c",
    }


def test_a_sheet_that_sums_sheets_which_hold_more_than_it_is_left_out(tmp_path: Path) -> None:
    head = ["Kind", "Q1", "Q2"]
    ports = {
        "Brae": [head, ["Foot", 5, 7], ["Cars", 2, 4], ["Bikes", 1, 3]],
        "Wick": [head, ["Foot", 6, 1], ["Cars", 3, 9], ["Bikes", 4, 2]],
        "Lerr": [[*head, "Hurt"], ["Foot", 8, 2, 1], ["Cars", 5, 5, 0], ["Bikes", 7, 6, 2]],
    }
    whole = [head, ["Foot", 19, 10], ["Cars", 10, 18], ["Bikes", 12, 11]]
    run = kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"All": whole, **ports}))
    said = [one.what for done in run.done for one in done.proof.remarks if one.kind is FindingKind.SHEET_OF_SUMS]
    assert said == ["its 6 values are the sums of those of Brae, Wick, Lerr; it was left out, all tie"]


def test_a_form_above_a_table_gives_fields(tmp_path: Path) -> None:
    form = [["Port", "Wick", "", "Crew", "C. Holm"], ["Clerk", "A. Berg", "", "Week", "14"], [""]]
    rows = [["Bottle", "Depth", "Iron"], ["B1", 1.5, 12], ["B2", 2.5, 14], ["B3", 3.5, 11]]
    run = kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"Water": [*form, *rows]}))
    assert run.holds
    (table,) = run.tables.values()
    assert {"Port", "Crew", "Clerk", "Week"} <= set(table.columns)
    assert {row["Crew"] for row in table.to_arrow().to_pylist()} == {"C. Holm"}


def test_what_a_page_marks_as_headings_heads_a_table_of_words(tmp_path: Path) -> None:
    head = "<thead><tr><th>When</th><th>Event</th><th>By quay</th><th>By pier</th></tr></thead>"
    part = "<tr><td colspan=4>{}</td></tr>"
    rows = "".join(
        f"<tr><td rowspan=2>{when}</td><td>Add</td><td>Sheds</td><td>—</td></tr><tr><td>Cut</td><td>—</td><td>Docks</td></tr>"
        for when in ("First", "Last")
    )
    body = f"{part.format('Summer')}{rows}{part.format('Winter')}{rows}"
    (tmp_path / "r.html").write_text(f"<html><body><table>{head}<tbody>{body}</tbody></table></body></html>", "utf-8")
    run = kb.tidy_reports(tmp_path / "r.html")
    assert run.holds
    (table,) = run.tables.values()
    assert table.columns == ("section", "When", "Event", "By quay", "By pier")
    said = [tuple(row.values()) for row in table.to_arrow().to_pylist()]
    assert said[:2] == [("Summer", "First", "Add", "Sheds", None), ("Summer", "First", "Cut", None, "Docks")]
    assert len(said) == 8
    assert said[-1] == ("Winter", "Last", "Cut", None, "Docks")


def test_a_sheet_of_sums_of_one_measure_is_left_out(tmp_path: Path) -> None:
    head = ["Kind", "Sold", "Price", "Taken"]
    ports = {
        "Brae": [head, ["Foot", 5, 2.5, 12.5], ["Cars", 2, 8, 16], ["Bikes", 1, 3, 3]],
        "Wick": [head, ["Foot", 6, 2.5, 15], ["Cars", 3, 8, 24], ["Bikes", 4, 3, 12]],
        "Lerr": [head, ["Foot", 8, 2.5, 20], ["Cars", 5, 8, 40], ["Bikes", 7, 3, 21]],
    }
    by_port = [["Port", "Money"], ["Brae", 31.5], ["Wick", 51], ["Lerr", 81]]
    slips = [
        ["Slip", "Port", "Clerk", "Due"],
        ["S1", "Brae", "Holm", 5],
        ["S2", "Wick", "Berg", 7],
        ["S3", "Lerr", "Holm", 2],
        ["S4", "Brae", "Berg", 4],
        ["S5", "Wick", "Berg", 9],
        ["S6", "Lerr", "Holm", 6],
    ]
    of_slips = [["Row", "Sum of due"], ["Brae", 9], ["Lerr", 8], ["Wick", 16], ["All", 33]]
    said = []
    books: tuple[dict[str, Any], ...] = ({"All": by_port, **ports}, {"Sums": of_slips, "Slips": slips})
    for sheets in books:
        run = kb.tidy_reports(write_book(tmp_path / "r.xlsx", sheets))
        assert len(run.tables) == 1
        assert run.holds
        said += [one.what for done in run.done for one in done.proof.remarks if one.kind is FindingKind.SHEET_OF_SUMS]
    assert said == [
        "its 3 values are the sums of 'Taken' over Brae, Wick, Lerr; it was left out, all tie",
        "its 3 values are the sums of 'Due' of Slips for each 'Port'; it was left out, all tie",
    ]
    slips[1] = ["S1", "Brae", "Holm", 6]  # a sum that does not tie is a table of its own
    assert len(kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"Sums": of_slips, "Slips": slips})).tables) == 2
