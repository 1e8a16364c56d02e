"""Findings: reports that are each wrong in one way, which the sheet betrays; each is named, and the line advised settles it."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book
from kebrin.cells import Sheet
from kebrin.layout import Stated, find_layouts
from kebrin.table import Does, Finding, FindingKind, Settle
from kebrin.work.block_questions import asked_of
from settling import open_findings, run_with

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

MONTHS = ["Quay", "Jan", "Feb", "Mar"]
LANDED = [["Quay", "Jan", "Feb"], ["North", 11, 23], ["South", 26, 16], ["West", 12, 32]]
BOXES = [["Quay", "Jan", "Feb"], ["North", 99, 207], ["South", 234, 144], ["West", 108, 288]]
# What each is wrong in: the rows, the kind of the finding, where it is, the line to take, the columns and the rows that come.
WRONG: dict[str, tuple[Any, FindingKind, tuple[str, str], str, tuple[str, ...], int]] = {
    "a column without a heading": (
        {"Foot": [["Quay", "Jan", "Feb", ""], ["North", 12, 31, 5], ["South", 44, 20, 6], ["West", 9, 27, 7]]},
        FindingKind.QUESTION, ("Foot", "D2"), "leave_out = ['column D']", ("Quay", "month", "value"), 6,
    ),
    "units that each sheet says itself": (
        {"Cod": [["Unit: tonnes"], [""], *LANDED], "Crab": [["Unit: boxes"], [""], *BOXES]},
        FindingKind.QUESTION, ("Cod", ""), "Unit = \"beside 'Unit:'\"", ("sheet", "Unit", "Quay", "month", "value"), 12,
    ),
    "a measure among months": (
        {"Foot": [[*MONTHS, "Crew"], ["North", 12, 31, 7, 4], ["South", 44, 20, 18, 3], ["West", 9, 27, 33, 5]]},
        FindingKind.QUESTION, ("Foot", "E1"), "totals = ['Crew']", ("Quay", "heading", "value"), 9,
    ),
    "a quay that is there twice": (
        {"Foot": [["Quay", "Jan", "Feb"], ["North", 12, 31], ["South", 44, 20], ["North", 9, 27], ["East", 8, 1]]},
        FindingKind.SAME_LABELS, ("", "Foot B4"), "repeats = 'expected'", ("Quay", "month", "value"), 8,
    ),
    "a sheet that is there twice": (
        {"March": LANDED, "March (2)": LANDED},
        FindingKind.QUESTION, ("March (2)", ""), "leave_out = ['sheet March (2)']", ("sheet", "Quay", "month", "value"), 6,
    ),
    "cells that may be lists": (
        "Sailing,Crew,Foot\nS1,Ada; Bo,120\nS2,Cy,80\nS3,Ada; Di,61\nS4,Bo,44\n",
        FindingKind.QUESTION, ("", ""), "Crew = 'text'", ("Sailing", "Crew", "Foot"), 4,
    ),
    "a berth that is called a total": (
        {"Fees": [["Berth", "Fee"], ["Inner", 12], ["Total Oil quay", 44], ["Outer", 9]]},
        FindingKind.CALLED_TOTAL, ("Fees", "A3"), "not_totals = ['Total Oil quay']", ("Berth", "Fee"), 3,
    ),
    "a sum that nothing calls one": (
        {"Foot": [["Vessel", "Foot", "Cars", "Bikes"], ["Gull", 120, 14, 3], ["Tern", 80, 22, 9], ["Skua", 61, 9, 4],
                  ["Inner ring", 261, 45, 16], ["Auk", 70, 13, 8], ["Loon", 31, 6, 2]]},
        FindingKind.QUESTION, ("Foot", ""), "totals = ['Inner ring']", ("Vessel", "heading", "value"), 15,
    ),
    "a word among figures": (
        {"Foot": [["Quay", "Jan", "Feb"], ["North", 12, 31], ["South", "ca. 44", 20], ["West", 9, 27]]},
        FindingKind.QUESTION, ("", ""), "value = 'text'", ("Quay", "month", "value"), 6,
    ),
    "headings that say two things in one": (
        "Quay,foot_out,foot_back,cars_out,cars_back\nNorth,12,31,5,7\nSouth,44,20,6,2\nWest,9,27,7,3\n",
        FindingKind.QUESTION, ("report", "B1"), "boxhead = ['heading']", ("Quay", "heading", "value"), 12,
    ),
    "a heading that may go on past its total": (
        {"Foot": [["", "Foot", "", "", "Cars", "", "", ""], ["Quay", "Adult", "Child", "Total", "Car", "Van", "Total", "Bikes"],
                  ["North", 9, 2, 11, 5, 3, 8, 4], ["South", 7, 6, 13, 2, 2, 4, 1], ["West", 3, 1, 4, 8, 4, 12, 6]]},
        FindingKind.QUESTION, ("Foot", "H1"), "boxhead = ['heading 1', 'heading 2']",
        ("Quay", "heading 1", "heading 2", "value"), 15,
    ),
    "a text that is part of nothing": (
        {"Foot": [["Foot by quay"], [""], ["Quay", "Jan", "Feb"], ["North", 12, 31], ["South", 44, 20], [""], [""], [""], [7]]},
        FindingKind.UNCLAIMED, ("Foot", "A9"), "leave_out = ['cell A9']", ("Quay", "month", "value"), 4,
    ),
    "two columns of one name": (
        "Item,Unit,On hand,Unit\nRope,m,12,0.50\nChain,m,7,2.25\nSail,ea,3,80.00\nOar,ea,9,6.75\n",
        FindingKind.QUESTION, ("report", ""), "stub = ['Item', 'Unit 2']", ("Item", "Unit 2", "On hand", "Unit"), 4,
    ),
    "headings that cut what a total sums": (
        {"Foot": [["", "Q1", "Q2", "", "", "", "", "", ""], ["Quay", "Jan", "Feb", "Mar", "Q1", "Apr", "May", "Jun", "Q2"],
                  ["North", 10, 20, 30, 60, 40, 57, 61, 158], ["South", 11, 22, 35, 68, 41, 53, 66, 160],
                  ["West", 12, 21, 31, 64, 44, 52, 68, 164]]},
        FindingKind.QUESTION, ("Foot", "B1"), "boxhead = ['quarter', 'month']", ("Quay", "quarter", "month", "value"), 18,
    ),
    "texts beside most of its rows": (
        {"Foot": [["Quay", "Jan", "Feb", "", ""], ["North", 12, 31, "", "inner"], ["South", 44, 20, "", "outer"],
                  ["West", 9, 27, "", "outer"], ["East", 3, 5, "", "inner"]]},
        FindingKind.BESIDE, ("Foot", "E2"), "leave_out = ['column E']", ("Quay", "month", "value"), 8,
    ),
}  # fmt: skip


def reported(folder: Path, rows: Any) -> Path:
    """The report in a folder of its own: a text, or a workbook of these sheets."""
    if isinstance(rows, str):
        (folder / "report.csv").write_text(rows, "utf-8")
        return folder / "report.csv"
    return write_book(folder / "report.xlsx", rows)


@pytest.mark.parametrize("case", WRONG)
def test_what_is_wrong_is_named_and_the_line_advised_settles_it(tmp_path: Path, case: str) -> None:
    rows, kind, (sheet, cell), line, columns, count = WRONG[case]
    report = reported(tmp_path, rows)
    ((table, found),) = list(open_findings(kb.tidy_reports(report)))
    assert found.kind is kind
    assert sheet in {found.sheet, ""}
    assert not cell or cell in found.cells
    (settle,) = [one for one in found.settle if one.line == line]
    run = run_with(report, table, settle)
    assert run.holds
    assert not list(open_findings(run))
    (made,) = run.tables.values()
    assert (made.columns, len(made)) == (columns, count)


def test_one_list_of_findings_stands_in_every_answer(tmp_path: Path, kebrin: Kebrin) -> None:
    reported(tmp_path, WRONG["a sum that nothing calls one"][0])
    said = json.loads(kebrin("tidy", "report.xlsx", "-o", "t.csv", "--json").stdout)
    (table,) = said["tables"]
    (asked,) = [one for one in table["proof"]["findings"] if one["does"] != "tells"]
    assert asked["sheet"] == "Foot"
    assert [one["line"] for one in asked["settle"]] == ["totals = ['Inner ring']", "not_totals = ['Inner ring']"]
    shown = " ".join(kebrin("tidy", "report.xlsx", "-o", "u.csv").stdout.split())
    assert asked["what"] in shown
    assert "totals = ['Inner ring'] or not_totals = ['Inner ring'] in the plan's layout" in shown
    kebrin("draft", "report.xlsx", "-o", "p.toml")
    plan = tmp_path / "p.toml"
    plan.write_text(plan.read_text("utf-8") + '\n[[output]]\nwhat = "findings"\nfile = "look.csv"\n', "utf-8")
    kebrin("run", "p.toml", "--accept")
    (row,) = csv.DictReader((tmp_path / "look.csv").read_text("utf-8").splitlines())
    assert row["kind"] == "question"
    assert row["text"].startswith(asked["what"])
    assert "Foot" in row["where"]


def test_findings_come_by_what_they_do_and_name_the_file_where_there_are_several(tmp_path: Path) -> None:
    for name, rows in (("a", [*LANDED, ["Total", 49, 71]]), ("b", [*BOXES, ["Total", 441, 640]])):
        (tmp_path / name).mkdir()
        write_book(tmp_path / name / f"{name}.xlsx", {"Foot": rows})
    proof = kb.tidy_reports(tmp_path / "a" / "a.xlsx", tmp_path / "b" / "b.xlsx").proof
    broken, *others = proof.findings
    assert broken.does is Does.BREAKS
    assert all(one.does is Does.TELLS for one in others)
    (failure,) = proof.failures
    assert failure.startswith("b.xlsx, Foot: total row 5 states 640, its 3 parts sum to 639")


def test_a_settling_line_is_a_line_of_a_plan() -> None:
    settle = Settle("Due (kr)", "text", "kinds")
    assert settle.line == "\"Due (kr)\" = 'text'"
    found = Finding(FindingKind.QUESTION, "which is it?", "r.csv", "r", ("B2",), 1, settle=(settle,))
    assert str(found) == "r: which is it? (B2); state \"Due (kr)\" = 'text' under kinds in the plan"
    assert found.to_plain()["settle"] == [{"part": "kinds", "line": settle.line}]


def test_advice_says_where_each_line_belongs_and_every_question_can_be_left_open(
    tmp_path: Path, kebrin: Kebrin
) -> None:
    reported(tmp_path, {"March": LANDED, "March (2)": LANDED})
    shown = " ".join(kebrin("tidy", "report.xlsx", "-o", "t.csv").stdout.split())
    assert (
        "state leave_out = ['sheet March (2)'] (they are there twice) in the plan's layout, or leave_open = " in shown
    )
    assert "['says the same as'] (they are meant to) under [proof] in the plan" in shown
    (tmp_path / "r.csv").write_text("port,boats\nBrae,3\nWick,5\nLerr,1\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\nonly = { port = "Skerry" }\n', "utf-8"
    )
    ((_, asked),) = open_findings(kb.load_plan(tmp_path / "p.toml").run())
    (settle,) = asked.settle
    plan = (tmp_path / "p.toml").read_text("utf-8") + f"[proof]\n{settle.line}\n"
    (tmp_path / "p.toml").write_text(plan, "utf-8")
    assert kb.load_plan(tmp_path / "p.toml").run().holds


def test_records_of_words_among_headings_are_asked_about() -> None:
    rows = [["Event", "Quays", "Piers"], ["Add", "Sheds", "—"], ["Cut", "—", "—"]]
    sheet = Sheet.of(rows)
    (layout,) = find_layouts(sheet, Stated(boxhead=("a", "b")))
    (found,) = [one for one in asked_of(sheet, layout) if "may be records" in one.what]
    assert (found.cells, found.breaks) == (("B2",), True)
    assert found.settle[0].line == "boxhead = ['a', 'b']"
    assert not [one for one in asked_of(sheet, layout, Stated(boxhead=("a", "b"))) if "may be records" in one.what]


# Drafts.

CORPUS = sorted((Path(__file__).parent / "told").iterdir())


@pytest.mark.parametrize("path", CORPUS, ids=lambda path: path.stem)
def test_every_line_advised_for_a_text_settles_it(path: Path, tmp_path: Path) -> None:
    report = tmp_path / path.name
    report.write_text(path.read_text("utf-8").partition("\n=>\n")[0] + "\n", "utf-8")
    try:
        found = list(open_findings(kb.tidy_reports(report)))
    except kb.LayoutError:
        return  # no table, so no line of its layout
    for table, one in found:
        for settle in one.settle:
            if (settle.key, settle.value) == ("boxhead", []):
                continue  # its columns bear other names then, which the lines below must take up
            left = [
                other
                for _, other in open_findings(run_with(report, table, settle))
                if (other.kind, other.column, other.cells) == (one.kind, one.column, one.cells)
            ]
            assert not left, settle.line


def test_counts_say_what_each_row_of_a_sheet_is(tmp_path: Path) -> None:
    rows = [
        ["Dues 2031"],
        [],
        ["Quay", "Foot", "Cars"],
        ["East", 1, 2],
        ["West", 3, 4],
        ["Total", 4, 6],
        [],
        ["Printed in May"],
    ]
    write_book(tmp_path / "r.xlsx", {"S": rows})
    plan = 'kebrin = 1\n[table.t]\nfiles = "r.xlsx"\n[[output]]\nwhat = "counts"\nfile = "counts.csv"\n'
    (tmp_path / "p.toml").write_text(plan, "utf-8")
    kb.load_plan(tmp_path / "p.toml").run().write()
    said = [
        line.split(",")[-2:]
        for line in (tmp_path / "counts.csv").read_text("utf-8").splitlines()
        if "rows that" in line
    ]
    assert said == [
        ["rows that are records", "2"], ["rows that are headings", "1"], ["rows that are total lines", "1"],
        ["rows that are other texts", "2"], ["rows that are blank", "2"],
    ]  # fmt: skip
