"""Forms: sheets of labels with what they say, one below the other, each a record."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

VESSELS = {"Skua": (2001.0, 20.0, "Brae"), "Tern": (2011.0, 30.0, "Wick"), "Auk": (2021.0, 33.0, "Wick")}
NAMES = ("Vessel", "Built", "Tonnes", "Home port")


def form(name: str, *more: list[Any], colon: str = "", gap: int = 0) -> list[list[Any]]:
    pairs = zip(NAMES, (name, *VESSELS[name]), strict=True)
    return [["Vessel record"], [], *([f"{label}{colon}", *[None] * gap, value] for label, value in pairs), *more]


def rows_of(book: Path) -> list[tuple[Any, ...]]:
    done = kb.tidy_reports(book)
    assert done.holds
    (table,) = done.tables.values()
    assert table.columns[-4:] == NAMES or set(NAMES) <= set(table.columns)
    return [tuple(row[name] for name in NAMES) for row in table.to_arrow().to_pylist()]


WANTED = [(name, *said) for name, said in VESSELS.items()]


@pytest.mark.parametrize("colon", ["", ":"])
@pytest.mark.parametrize("gap", [0, 1])
def test_each_form_is_a_record(tmp_path: Path, colon: str, gap: int) -> None:
    book = write_book(tmp_path / "v.xlsx", {name: form(name, colon=colon, gap=gap) for name in VESSELS})
    assert rows_of(book) == WANTED


def test_one_form_alone_is_one_record(tmp_path: Path) -> None:
    assert rows_of(write_book(tmp_path / "v.xlsx", {"S": form("Skua")})) == WANTED[:1]


def test_a_folder_of_forms_is_one_table(tmp_path: Path) -> None:
    books = [write_book(tmp_path / f"{name}.xlsx", {"Form": form(name)}) for name in VESSELS]
    (table,) = kb.tidy_reports(*books).tables.values()
    assert [row["Vessel"] for row in table.to_arrow().to_pylist()] == list(VESSELS)


def test_what_some_forms_lack_or_leave_blank_is_missing(tmp_path: Path) -> None:
    sheets = {
        "Skua": form("Skua", ["Surveyed", dt.date(2031, 5, 6)], ["Master", "Ann"]),
        "Tern": form("Tern", ["Surveyed", None]),
    }
    done = kb.tidy_reports(write_book(tmp_path / "v.xlsx", sheets))
    (table,) = done.tables.values()
    assert table["Master"] == ["Ann", None]
    assert [str(day) for day in table["Surveyed"]] == ["2031-05-06", "None"]


def test_forms_stand_beside_a_list(tmp_path: Path) -> None:
    ports = [["Port", "Boats"], ["Brae", 3.0], ["Wick", 4.0]]
    done = kb.tidy_reports(write_book(tmp_path / "v.xlsx", {"Ports": ports, **{name: form(name) for name in VESSELS}}))
    assert done.holds
    assert sorted(map(len, done.tables.values())) == [2, 3]


def test_a_table_of_two_columns_stays_one(tmp_path: Path) -> None:
    sheets = {
        name: [["Port", "Boats"], ["Brae", 3.0], ["Wick", number]] for name, number in (("Jan", 4.0), ("Feb", 6.0))
    }
    (table,) = kb.tidy_reports(write_book(tmp_path / "v.xlsx", sheets)).tables.values()
    assert len(table) == 4
    assert {"Port", "Boats"} <= set(table.columns)


def test_the_draft_of_a_form_reads_the_next_ones(tmp_path: Path) -> None:
    book = write_book(tmp_path / "v.xlsx", {name: form(name, colon=":") for name in ("Skua", "Tern")})
    plan = kb.draft(book, base=tmp_path)
    assert "turn = true" in plan.text
    write_book(book, {name: form(name, colon=":") for name in VESSELS})
    run = plan.run()
    (table,) = run.tables.values()
    assert table["Vessel"] == list(VESSELS)
    assert run.holds


def test_labels_beside_one_another_are_no_list(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Vessel", "Skua", "Built", 2001.0],
        ["Tonnes", 20.0, "Home port", "Brae"],
        ["Master", "Ann", "Crew", 4.0],
    ]
    sheets = {"Skua": rows, "Tern": [["Vessel", "Tern", "Built", 2011.0], *rows[1:]]}
    with pytest.raises(kb.LayoutError, match="no table was found"):
        kb.tidy_reports(write_book(tmp_path / "v.xlsx", sheets))


def test_a_list_of_names_and_figures_in_turn_stays_one(tmp_path: Path) -> None:
    rows = [["Vessel", "Built", "Port", "Boats"], ["Skua", 2001.0, "Brae", 4.0], ["Tern", 2011.0, "Wick", 9.0]]
    (table,) = kb.tidy_reports(write_book(tmp_path / "v.xlsx", {"S": rows})).tables.values()
    assert table.columns == ("Vessel", "Built", "Port", "Boats")


def test_a_survey_shows_the_records_that_tidying_makes(
    tmp_path: Path, kebrin: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    write_book(tmp_path / "v.xlsx", {name: form(name) for name in ("Skua", "Tern")})
    said = kebrin("survey", "v.xlsx").stdout
    assert "no table" not in said
    assert "unclaimed" not in said
    assert said.count("tidy: 1 row") == 2
