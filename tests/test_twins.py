"""Twins: one report by another way (another kind of file, longer, in another order, by its draft) gives and says the same."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import kebrin as kb
from building import DOCUMENT, document_row, write_book
from kebrin.table import Does
from settling import open_findings

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.api import Run

Rows = list[list[Any]]
REPORTS: dict[str, Rows] = {
    "a crosstab with gaps": [
        ["Quay", "Jan", "Feb", "Mar"], ["North", 5, "", 7], ["South", 4, 6, 9], ["West", 3, "", 2], ["East", "", 8, 1],
    ],
    "a crosstab with totals": [
        ["Quay", "Jan", "Feb", "Total"], ["North", 5, 9, 14], ["South", 4, 6, 10], ["West", 3, 8, 11], ["Total", 12, 23, 35],
    ],
    "a total that is off": [["Quay", "Jan", "Feb"], ["North", 5, 9], ["South", 4, 6], ["West", 3, 8], ["Total", 12, 24]],
    "a list": [["Vessel", "Quay", "Foot"], ["Gull", "North", 120], ["Tern", "South", 80], ["Skua", "West", 61]],
    "a sum that nothing calls one": [
        ["Vessel", "Foot", "Cars", "Bikes"], ["Gull", 120, 14, 3], ["Tern", 80, 22, 9], ["Skua", 61, 9, 4],
        ["Inner ring", 261, 45, 16], ["Auk", 70, 13, 8], ["Loon", 31, 6, 2],
    ],
    "units of their own": [
        ["Berth", "Volume", "Depth"], ["", "m³", "m"], ["Inner", 120, 4], ["Outer", 80, 9], ["North", 61, 7],
    ],
    "sections": [
        ["Pier", "Foot", "Cars"], ["Piers in the west", "", ""], ["Brae", 12, 3], ["Wick", 44, 5], ["Piers in the east", "", ""],
        ["Lerr", 9, 2], ["Skerry", 31, 8],
    ],
}  # fmt: skip


def saved(folder: Path, rows: Rows, kind: str) -> Path:
    """The rows as a file of a kind, always of the same name."""
    path = folder / f"report.{kind}"
    if kind == "xlsx":
        return write_book(path, {"report": rows})
    if kind == "csv":
        text = "\n".join(",".join(map(str, row)) for row in rows) + "\n"
    elif kind == "html":
        cells = "".join(f"<tr>{''.join(f'<td>{one}</td>' for one in row)}</tr>" for row in rows)
        text = f"<html><body><table>{cells}</table></body></html>"
    else:
        text = DOCUMENT.format(
            tables=f'<table:table table:name="report">{"".join(map(document_row, rows))}</table:table>'
        )
        text = text.replace("office:document-content", "office:document").replace(
            'office:version="1.3"',
            'office:version="1.3" office:mimetype="application/vnd.oasis.opendocument.spreadsheet"',
        )
    path.write_text(text, "utf-8")
    return path


def outcome(run: Run) -> tuple[list[Any], list[str]]:
    """The tables of a run, and what it asks and objects to."""
    tables = [one.to_arrow().to_pylist() for one in run.tables.values()]
    return tables, sorted({f"{found.does.value} {found.kind}" for _, found in open_findings(run)})


@pytest.mark.parametrize("case", REPORTS)
def test_another_kind_of_file_gives_the_same(tmp_path: Path, case: str) -> None:
    known = {
        kind: outcome(kb.tidy_reports(saved(tmp_path, REPORTS[case], kind))) for kind in ("xlsx", "csv", "html", "fods")
    }
    assert known["csv"] == known["html"] == known["fods"] == known["xlsx"]


@pytest.mark.parametrize("case", REPORTS)
def test_a_draft_gives_and_says_the_same_twice(tmp_path: Path, case: str) -> None:
    report = saved(tmp_path, REPORTS[case], "xlsx")
    plan = tmp_path / "plan.toml"
    plan.write_text(kb.draft(report, base=tmp_path).text, "utf-8")
    first, second = (outcome(kb.load_plan(plan).run()) for _ in range(2))
    assert first == second == outcome(kb.tidy_reports(report))


@pytest.mark.parametrize("case", REPORTS)
def test_blocks_are_those_that_tidying_finds(tmp_path: Path, case: str) -> None:
    report = saved(tmp_path, REPORTS[case], "xlsx")
    (table,) = kb.tidy_reports(report).tables.values()
    (block,) = kb.read(report)["report"].blocks()
    tidied = block.tidy()
    assert sorted(map(str, tidied.to_arrow().to_pylist())) == sorted(map(str, table.to_arrow().to_pylist()))


@pytest.mark.parametrize("count", [12, 3_600])
def test_a_sum_among_records_is_seen_however_long_the_list_is(tmp_path: Path, count: int) -> None:
    rows: Rows = [[f"V{at}", *(pow(at, power, 8_887) for power in (3, 5, 7))] for at in range(1, count + 1)]
    rows.insert(9, ["Inner ring", *(sum(row[column] for row in rows[:9]) for column in (1, 2, 3))])
    report = write_book(tmp_path / "report.xlsx", {"Log": [["Vessel", "Foot", "Cars", "Bikes"], *rows]})
    found = [one for _, one in open_findings(kb.tidy_reports(report))]
    assert [one.does for one in found] == [Does.BREAKS]
    assert "Inner ring" in found[0].what
    assert "B11" in found[0].cells


SHEETS: dict[str, Rows] = {
    "Inner": [
        ["Ferries, provisional figures"],
        ["Harbour: Hallan"],
        ["Quay", "Jan", "Feb"],
        ["North", 5, 9],
        ["South", 4, 6],
    ],
    "Outer": [["Ferries"], ["Harbour: Brae"], ["Quay", "Jan", "Feb"], ["North", 3, 8], ["South", 2, 7]],
    "Skerry": [["Ferries"], ["Harbour: Wick"], ["Quay", "Jan", "Feb"], ["North", 1, 1], ["South", 6, 3]],
}


@settings(max_examples=6, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(order=st.permutations(list(SHEETS)))
def test_sheets_in_any_order_give_the_same_rows(tmp_path: Path, order: list[str]) -> None:
    report = write_book(tmp_path / "report.xlsx", {name: SHEETS[name] for name in order})
    (table,) = kb.tidy_reports(report).tables.values()
    rows = {tuple(sorted(record.items())) for record in table.to_arrow().to_pylist()}
    wanted = {
        (harbour, quay, month, float(value))
        for name, harbour in (("Inner", "Hallan"), ("Outer", "Brae"), ("Skerry", "Wick"))
        for quay, *values in SHEETS[name][3:]
        for month, value in zip(("Jan", "Feb"), values, strict=True)
    }
    assert {(row["Harbour"], row["Quay"], row["month"], row["value"]) for row in map(dict, rows)} == wanted


def test_a_call_knows_nothing_of_the_one_before(tmp_path: Path) -> None:
    files = [write_book(tmp_path / f"{name}.xlsx", {"Sheet": rows}) for name, rows in SHEETS.items()]
    alone: dict[Path, Any] = {}
    for order in itertools.permutations(files):
        for file in order:
            said = outcome(kb.tidy_reports(file))
            assert alone.setdefault(file, said) == said
