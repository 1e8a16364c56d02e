"""Drafting a plan from wanted rows, and holding an output against them."""

from __future__ import annotations

import csv
import json
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import kebrin as kb
from building import write_book
from kebrin.plan.like import draft_like
from kebrin.plan.wanted import best_match, key_of, read_wanted
from kebrin.sources import read

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

REPORT = [
    ["Quay returns 2031"],
    ["Quay code:", "Q7"],
    [],
    ["Quay", "Jan", "Feb"],
    ["East", 10.0, 20.0],
    ["West", 11.0, 21.0],
    ["Total", 21.0, 41.0],
]


def wanted_file(folder: Path, *rows: list[str]) -> Path:
    path = folder / "wanted.csv"
    with path.open("w", newline="", encoding="utf-8") as out:
        csv.writer(out).writerows(rows)
    return path


def drafted(folder: Path, *rows: list[str]) -> kb.Plan:
    return kb.draft(
        write_book(folder / "quays_2031.xlsx", {"Returns": REPORT}), base=folder, like=wanted_file(folder, *rows)
    )


def test_columns_get_the_wanted_names_in_the_wanted_order(tmp_path: Path) -> None:
    run = drafted(
        tmp_path, ["tons", "when", "where", "code"], ["20", "feb", "east", "q7"], ["11", "Jan", "West", "Q7"]
    ).run()
    (table,) = run.tables.values()
    assert table.columns == ("tons", "when", "where", "code")
    assert table.to_arrow().to_pylist()[1] == {"tons": 20.0, "when": "Feb", "where": "East", "code": "Q7"}
    assert table.measures == ("tons",)
    assert run.holds


def test_the_origin_survives_new_names(tmp_path: Path) -> None:
    (table,) = drafted(tmp_path, ["tons", "where", "when"], ["20", "East", "Feb"]).run().tables.values()
    origin = table.origin(1)
    assert origin is not None
    assert origin.cell == "C5"


def test_a_wide_table_that_keeps_its_totals_needs_two_decisions(tmp_path: Path) -> None:
    plan = drafted(tmp_path, ["Quay", "Jan", "Feb"], ["East", "10", "20"], ["Total", "21", "41"])
    layout = next(iter(plan.model.table.values())).layout
    assert (layout.measures, layout.find_totals) == ("month", False)
    (table,) = plan.run().tables.values()
    assert len(table) == 3


def test_a_year_is_taken_from_the_file_name(tmp_path: Path) -> None:
    plan = drafted(
        tmp_path, ["year", "quay", "month", "tons"], ["2031", "East", "Jan", "10"], ["2031", "West", "Feb", "21"]
    )
    assert next(iter(plan.model.table.values())).fields == {"year": r"file name, 'quays_(\d{4})'"}
    (table,) = plan.run().tables.values()
    assert set(table.to_arrow().column("year").to_pylist()) == {"2031"}


def test_what_stands_nowhere_becomes_a_constant_and_is_said(tmp_path: Path) -> None:
    plan = drafted(tmp_path, ["quay", "month", "tons", "unit"], ["East", "Jan", "10", "t"], ["West", "Jan", "11", "t"])
    assert "unit = \"text 't'\"" in plan.text
    assert "? 't' stands nowhere" in plan.text


def test_a_row_that_is_not_there_is_named_with_the_reason(tmp_path: Path) -> None:
    plan = drafted(
        tmp_path, ["quay", "month", "tons"], ["East", "Jan", "10"], ["West", "Feb", "12"], ["West", "Jan", "11"]
    )
    assert (
        "? not reached: row 3 (West, Feb, 12): where the rest stands together, 'tons' says '21', not '12'" in plan.text
    )


def test_rows_from_another_world_are_refused(tmp_path: Path) -> None:
    with pytest.raises(kb.PlanError, match="None of the 2 wanted rows"):
        drafted(tmp_path, ["a", "b"], ["Gull", "77"], ["Tern", "88"])


@pytest.mark.parametrize(
    ("text", "said"), [("", "no cell"), ("quay,quay\nEast,1\n", "named 'quay'"), ("quay\n", "no wanted rows")]
)
def test_bad_wanted_files_are_refused(tmp_path: Path, text: str, said: str) -> None:
    path = tmp_path / "wanted.csv"
    path.write_text(text, "utf-8")
    with pytest.raises(kb.KebrinError) as caught:
        read_wanted(path)
    assert said in str(caught.value) or not text


def test_commands_tell_and_hold_back(tmp_path: Path, kebrin: Callable[..., subprocess.CompletedProcess[str]]) -> None:
    write_book(tmp_path / "quays_2031.xlsx", {"Returns": REPORT})
    wanted_file(tmp_path, ["quay", "month", "tons"], ["East", "Jan", "10"], ["West", "Feb", "21"])
    done = kebrin("draft", "quays_2031.xlsx", "--like", "wanted.csv", "-o", "plan.toml")
    assert done.returncode == 0
    assert "Wanted rows: 2 of 2 are there" in done.stdout
    done = kebrin("run", "plan.toml", "--like", "wanted.csv", "--json")
    assert done.returncode == 0
    assert json.loads(done.stdout)["wanted"] == {"rows": 2, "there": 2, "absent": [], "stamped": {}, "why": []}
    wanted_file(tmp_path, ["quay", "month", "tons"], ["East", "Jan", "99"])
    done = kebrin("run", "plan.toml", "--like", "wanted.csv")
    assert done.returncode == 4
    assert "'tons' says '10', not '99'" in done.stdout
    assert (tmp_path / "out/returns.unproved.csv").exists()


@given(st.floats(-1e12, 1e12).map(lambda number: round(number, 2)))
def test_a_number_says_the_same_however_it_is_typed(number: float) -> None:
    assert key_of(f"{number:,.2f}") == key_of(number) == key_of(f"{number:.2f}")


@given(
    st.lists(st.tuples(st.sampled_from("ABC"), st.sampled_from("xyz"), st.integers(0, 9)), min_size=1, max_size=6),
    st.data(),
)
def test_rows_of_a_table_are_found_under_any_names_and_order(
    rows: list[tuple[str, str, int]], data: st.DataObject
) -> None:
    import pyarrow as pa

    from kebrin.plan.wanted import Wanted

    table = pa.table({"k": [r[0] for r in rows], "l": [r[1] for r in rows], "v": [float(r[2]) for r in rows]})
    order = data.draw(st.permutations(range(3)))
    picked = data.draw(st.lists(st.sampled_from(rows), min_size=1, max_size=3))
    texts = tuple(tuple(str(row[at]) for at in order) for row in picked)
    wanted = Wanted("w", ("c0", "c1", "c2"), tuple(tuple(map(key_of, row)) for row in texts), texts)
    match = best_match(wanted, table)
    assert match.whole
    assert match.columns == tuple("klv"[at] for at in order)


def test_fields_that_no_wanted_column_says_take_no_steps_with_them(tmp_path: Path) -> None:
    report = [["Prepared on:", "14 January 2032", None, "Checked on:", "3 March 2032"], *REPORT]
    book = write_book(tmp_path / "quays_2031.xlsx", {"Returns": report})
    wanted = wanted_file(tmp_path, ["tons", "when", "where", "checked"], ["20", "Feb", "East", "3 March 2032"])
    plan = kb.draft(book, base=tmp_path, like=wanted)
    assert "Prepared on" not in plan.text
    (table,) = plan.run().tables.values()
    assert table.columns == ("tons", "when", "where", "checked")
    assert str(table.to_arrow().to_pylist()[0]["checked"]) == "2032-03-03"


SAILINGS = [
    ["Sailings from Hallan, spring 2031"],
    [],
    ["Day", "Route", "Vessel", "Carried", "Fares", "Calls"],
    ["03/01/2031", "Brae-Wick", "Skua", 40.0, 80.0, "Out; Back"],
    ["17/01/2031", "Wick-Ulsta", "Tern", 20.0, 50.0, "Out"],
    ["05/02/2031", "Brae-Wick", "Tern", 30.0, 90.0, "Out; Back"],
    ["19/02/2031", "Wick-Ulsta", "Skua", 25.0, 75.0, "Out"],
    ["21/02/2031", "Brae-Wick", "Skua", 35.0, 70.0, "Out"],
]
QUAYS = [["Quays"], [], ["Code", "Quay name", "Island"], ["Q1", "North Pier", "Unst"], ["Q2", "Mill Hard", "Yell"]]
LOADS = [["Quay", "Jan", "Feb", "Apr"], ["Q1", 10.0, 20.0, 5.0], ["Q2", 11.0, 21.0, 6.0], ["Total", 21.0, 41.0, 11.0]]

REACHED: dict[str, tuple[dict[str, Any], list[list[str]], str]] = {
    "a crosstab across months": (
        {"s": SAILINGS}, [["Route", "January", "February"], ["Brae-Wick", "40", "65"], ["Wick-Ulsta", "20", "25"]],
        'crosstab = ["Route"]',
    ),
    "a crosstab across labels": (
        {"s": SAILINGS}, [["Route", "Skua", "Tern"], ["Brae-Wick", "75", "30"], ["Wick-Ulsta", "25", "20"]],
        'across = "Vessel"',
    ),
    "sums and a count": (
        {"s": SAILINGS}, [["vessel", "carried", "trips"], ["Skua", "100", "3"], ["Tern", "50", "2"]], 'rows = "trips"',
    ),
    "a mean to two places is a formula": (
        {"s": SAILINGS},
        [["Day", "Route", "fare each"], ["2031-01-03", "Brae-Wick", "2.00"], ["2031-02-05", "Brae-Wick", "3.00"]],
        "'Fares' / 'Carried'",
    ),
    "months and a sum": (
        {"s": SAILINGS}, [["month", "vessel", "carried"], ["2031-01", "Skua", "40"], ["2031-02", "Skua", "60"]],
        'of = "month"',
    ),
    "entries as rows": (
        {"s": SAILINGS}, [["Day", "Route", "call"], ["2031-01-03", "Brae-Wick", "Out"], ["2031-01-03", "Brae-Wick", "Back"]],
        'split = "Calls"',
    ),
    "parts as columns": (
        {"s": SAILINGS}, [["day", "from", "to"], ["03/01/2031", "Brae", "Wick"], ["17/01/2031", "Wick", "Ulsta"]],
        'into = ["from", "to"]',
    ),
    "joined": (
        {"s": SAILINGS}, [["day", "trip"], ["2031-01-17", "Tern, Wick-Ulsta"], ["2031-01-03", "Skua, Brae-Wick"]],
        'join = ["Vessel", "Route"]',
    ),
    "a part of the title": (
        {"s": SAILINGS}, [["harbour", "day", "carried"], ["Hallan", "2031-01-03", "40"], ["Hallan", "2031-01-17", "20"]],
        'pattern = "from (.+?),"',
    ),
    "looked up in another file": (
        {"loads_2031": LOADS, "quays": QUAYS}, [["island", "month", "tons"], ["Unst", "Jan", "10"], ["Yell", "Feb", "21"]],
        'using = "quays"',
    ),
    "looked up and summed by quarter": (
        {"loads_2031": LOADS, "quays": QUAYS},
        [["island", "quarter", "tons"], ["Unst", "2031-Q1", "30"], ["Yell", "2031-Q2", "6"]],
        'of = "quarter"',
    ),
    "two lists of other headings": (
        {
            "north": [["Vessel", "Berth", "Fee"], ["Skua", "B1", 120.0], ["Auk", "B2", 75.0]],
            "south": [["Ship", "Pier no.", "Charge", "Paid"], ["Gannet", "B7", 44.0, "yes"], ["Fulmar", "B9", 45.0, "no"]],
        },
        [["vessel", "berth", "fee"], ["Skua", "B1", "120"], ["Fulmar", "B9", "45"]], "from = [",
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", REACHED)
def test_what_no_reading_says_is_made_by_steps(tmp_path: Path, name: str) -> None:
    files, rows, step = REACHED[name]
    books = [write_book(tmp_path / f"{file}.xlsx", {file: cells}) for file, cells in files.items()]
    plan = kb.draft(*books, base=tmp_path, like=wanted_file(tmp_path, *rows))
    assert "not reached" not in plan.text
    assert step in plan.text
    run = plan.run()
    table = run.tables[plan.model.output[0].table]
    assert table.columns == tuple(rows[0])
    assert run.holds


def test_a_plan_made_of_steps_reads_next_months_file(tmp_path: Path) -> None:
    files, rows, _ = REACHED["a crosstab across labels"]
    book = write_book(tmp_path / "sailings.xlsx", {"s": files["s"]})
    plan = kb.draft(book, base=tmp_path, like=wanted_file(tmp_path, *rows))
    write_book(book, {"s": [*files["s"], ["22/02/2031", "Brae-Wick", "Gannet", 9.0, 9.0, "Out"]]})
    (table,) = plan.run().tables.values()
    assert set(table.columns) == {"Route", "Gannet", "Skua", "Tern"}


def test_a_constant_is_not_reached(tmp_path: Path) -> None:
    book = write_book(tmp_path / "quays_2031.xlsx", {"Returns": REPORT})
    rows = ["quay", "month", "tons", "unit"], ["East", "Jan", "10", "t"], ["West", "Jan", "11", "t"]
    drafted_like = draft_like([read(book)], read_wanted(wanted_file(tmp_path, *rows)), base=tmp_path)
    assert drafted_like.match.absent == ("unit",)
    assert not any(drafted_like.match.reached)
    assert "unit is a constant, and next month's rows bear it too" in drafted_like.text


def test_figures_that_nothing_makes_are_said_and_no_step_is_drafted(tmp_path: Path) -> None:
    rows = ["Route", "Skua", "Tern"], ["Brae-Wick", "111", "222"], ["Wick-Ulsta", "444", "666"]
    book = write_book(tmp_path / "s.xlsx", {"s": SAILINGS})
    plan = kb.draft(book, base=tmp_path, like=wanted_file(tmp_path, *rows))
    assert "what is wanted in 'Skua' and 'Tern' stands in no column" in plan.text
    assert not any(word in plan.text for word in ("crosstab", "sums ="))


def test_one_row_of_figures_is_not_explained_by_chance(tmp_path: Path) -> None:
    plan = drafted(tmp_path, ["quay", "code", "jan", "feb"], ["East", "Q7", "10", "20"])
    assert "[[table.returns.step]]" not in plan.text
    (table,) = plan.run().tables.values()
    assert table.columns == ("quay", "code", "jan", "feb")
