"""Forms: sheets of labels with what they say, one below the other, each a record."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import pytest
import xlsxwriter

import kebrin as kb
from building import write_book
from kebrin.cells import Sheet, kinds_of
from kebrin.layout import as_one_record
from kebrin.proof.reach import reach

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
    assert 'form = ["Vessel", "Built", "Tonnes", "Home port"]' in plan.text
    write_book(book, {name: form(name, colon=":") for name in VESSELS})
    run = plan.run()
    (table,) = run.tables.values()
    assert table["Vessel"] == list(VESSELS)
    assert run.holds


SAID = {
    "Skua": ("Ann Lee", "Brae", "steel", 2001.0, 20.0),
    "Tern": ("Bo Ray", "Wick", "wood", 2011.0, 30.0),
    "Gull": ("Cas Ode", "Wick", "steel", 1999.0, 22.0),
}


def words(name: str) -> list[list[Any]]:
    owner, port, hull, *_ = SAID[name]
    return [["Vessel", name], ["Owner", owner], ["Home port", port], ["Hull", hull]]


def pairs(name: str) -> list[list[Any]]:
    owner, port, _, built, load = SAID[name]
    return [
        ["Vessel record"], [], ["Vessel", name, "Built", built], ["Tonnes", load, "Home port", port],
        ["Master", owner, "Crew", 4.0],
    ]  # fmt: skip


def boxes(name: str) -> list[list[Any]]:
    owner, port, hull, built, load = SAID[name]
    return [
        ["GRANTS"], [], ["Vessel", name, "Built", built], ["Owner", owner, "Tonnes", load, None, "Panel", port],
        ["Hull", hull, "Crew", 4.0, None, "Score", load * 2], [], ["Signature ______"],
    ]  # fmt: skip


def below(name: str) -> list[list[Any]]:
    owner, port, _, built, load = SAID[name]
    return [
        ["Vessel record"], [], ["Vessel", "Built", "Tonnes"], [name, built, load], [], ["Owner", "Home port"], [owner, port],
    ]  # fmt: skip


def sections(name: str) -> list[list[Any]]:
    owner, port, _, built, load = SAID[name]
    return [
        ["Vessel", name], ["Built", built], [], ["Engine"], ["Maker", owner], ["Power", load * 10], [], ["Winch"],
        ["Maker", port], ["Power", load],
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("copy", "columns", "row"),
    [
        (words, ("Vessel", "Owner", "Home port", "Hull"), ("Skua", "Ann Lee", "Brae", "steel")),
        (
            pairs,
            ("Vessel", "Built", "Tonnes", "Home port", "Master", "Crew"),
            ("Skua", 2001.0, 20.0, "Brae", "Ann Lee", 4.0),
        ),
        (
            boxes,
            ("Vessel", "Built", "Owner", "Tonnes", "Panel", "Hull", "Crew", "Score"),
            ("Skua", 2001.0, "Ann Lee", 20.0, "Brae", "steel", 4.0, 40.0),
        ),
        (below, ("Vessel", "Built", "Tonnes", "Owner", "Home port"), ("Skua", 2001.0, 20.0, "Ann Lee", "Brae")),
        (
            sections,
            ("Vessel", "Built", "Engine Maker", "Engine Power", "Winch Maker", "Winch Power"),
            ("Skua", 2001.0, "Ann Lee", 200.0, "Brae", 20.0),
        ),
    ],
)
def test_what_all_copies_of_a_form_say_is_a_label(
    tmp_path: Path, copy: Callable[[str], list[list[Any]]], columns: tuple[str, ...], row: tuple[Any, ...]
) -> None:
    book = write_book(tmp_path / "v.xlsx", {name: copy(name) for name in SAID})
    done = kb.tidy_reports(book)
    (table,) = done.tables.values()
    assert done.holds
    assert table.columns == ("sheet", *columns)
    assert tuple(table.to_arrow().to_pylist()[0].values()) == ("Skua", *row)

    # A plan drafted of it reads next month's single copy, and every value knows its cell.
    plan = kb.draft(book, base=tmp_path)
    write_book(book, {"Skua": copy("Skua")})
    (only,) = plan.run().tables.values()
    assert tuple(only.to_arrow().to_pylist()[0].values())[-len(row) :] == row
    where = only.origins.of(0, columns[-1])
    assert where is not None
    rows = copy("Skua")
    assert rows[where.row][where.column] == row[-1]


def test_a_cell_of_a_form_without_a_label_is_refused(tmp_path: Path) -> None:
    book = write_book(tmp_path / "v.xlsx", {name: pairs(name) for name in SAID})
    plan = kb.draft(book, base=tmp_path)
    write_book(book, {"Skua": [*pairs("Skua"), ["Hull", "steel"]]})
    with pytest.raises(kb.LayoutError, match="'Hull' has no label of the form"):
        plan.run()


@pytest.mark.parametrize("head", ["{}", "Boats {}", "Boats"])
def test_a_list_that_is_said_anew_on_every_sheet_is_no_form(tmp_path: Path, head: str) -> None:
    sheets = {
        month: [["Harbour", head.format(month)], *([port, 7.0 * at + n] for at, port in enumerate(("Brae", "Wick", "Ulsta")))]
        for n, month in enumerate(("Jan", "Feb", "Mar"))
    }  # fmt: skip
    tables = kb.tidy_reports(write_book(tmp_path / "v.xlsx", sheets)).tables.values()
    assert sum(map(len, tables)) == 9
    assert all("Harbour" in table.columns for table in tables)


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


def test_a_list_below_pairs_is_no_form(tmp_path: Path) -> None:
    said = {"Skua": ("Brae", "March"), "Tern": ("Wick", "April"), "Gull": ("Foss", "May")}
    sheets = {
        name: [["Quay", port], ["Period", month], [], ["boat", "dues"], ["Lark", 4.5], ["Auk", 3.5]]
        for name, (port, month) in said.items()
    }
    with pytest.raises(kb.LayoutError, match="no table was found"):
        kb.tidy_reports(write_book(tmp_path / "v.xlsx", sheets))


def test_nothing_of_rows_and_columns_is_stated_of_a_form(tmp_path: Path) -> None:
    book = write_book(tmp_path / "v.xlsx", {name: pairs(name) for name in SAID})
    plan = kb.draft(book, base=tmp_path)
    (tmp_path / "plan.toml").write_text(plan.text.replace("\nform =", '\nstub = ["a"]\nform ='), "utf-8")
    with pytest.raises(kb.LayoutError, match="a form, which has no stub"):
        kb.load_plan(tmp_path / "plan.toml").run()
    with pytest.raises(kb.LayoutError, match="a form, which has no boxhead"):
        kb.read(book)["Skua"].blocks(form=LABELS, boxhead=["a"])
    (block,) = kb.read(book)["Skua"].blocks(form=LABELS)
    assert block.tidy()["Crew"] == [4.0]


def units(name: str, unit: str = "t") -> list[list[Any]]:
    _, port, _, built, load = SAID[name]
    return [["Vessel", name], ["Tonnes", load, unit], ["Power", built, "kW"], ["Port", port]]


def test_a_unit_is_named_with_its_label_and_another_one_is_refused(tmp_path: Path) -> None:
    book = write_book(tmp_path / "v.xlsx", {name: units(name) for name in SAID})
    (table,) = kb.tidy_reports(book).tables.values()
    assert table.columns == ("sheet", "Vessel", "Tonnes (t)", "Power (kW)", "Port")
    plan = kb.draft(book, base=tmp_path)
    write_book(book, {"Skua": units("Skua", "kg")})
    with pytest.raises(kb.LayoutError, match="the form gives 'Tonnes' in kg: it is stated in 't'"):
        plan.run()
    write_book(book, {"Skua": units("Skua", "kg"), "Tern": units("Tern"), "Gull": units("Gull")})
    with pytest.raises(kb.KebrinError):
        kb.tidy_reports(book).tables["v"]["Tonnes (t)"]


def test_a_label_that_comes_twice_bears_its_number(tmp_path: Path) -> None:
    def twice(name: str) -> list[list[Any]]:
        owner, port, hull, built, _ = SAID[name]
        return [
            ["Vessel", name, None, "Owner", owner],
            ["Date", built, None, "Date", built + 1],
            ["Port", port, None, "Hull", hull],
        ]

    book = write_book(tmp_path / "v.xlsx", {name: twice(name) for name in SAID})
    plan = kb.draft(book, base=tmp_path)
    write_book(book, {"Skua": twice("Skua")})
    (table,) = plan.run().tables.values()
    assert (table["Date"], table["Date 2"]) == ([2001.0], [2002.0])


def test_a_text_merged_over_a_box_heads_it_and_one_that_was_filled_in_does_not(tmp_path: Path) -> None:
    def boxed(name: str, *more: list[Any]) -> list[list[Any]]:
        rows = boxes(name)
        rows[2] = [*rows[2], None, "For office use"]
        return [*rows, *more]

    def written(sheets: dict[str, list[list[Any]]], merged: str) -> Path:
        return write_book(tmp_path / "v.xlsx", sheets, merges=dict.fromkeys(sheets, merged.split()))

    plan = kb.draft(written({name: boxed(name) for name in SAID}, "F3:G3"), base=tmp_path)
    assert "For office use" not in plan.text
    written({"Skua": boxed("Skua", ["Remarks", None, "needs a new mast"])}, "F3:G3 A8:B8 C8:E8")
    with pytest.raises(kb.LayoutError, match="'Remarks' has no label"):
        plan.run()


def test_hidden_lines_of_a_form_are_never_taken_unseen(tmp_path: Path) -> None:
    book = write_book(tmp_path / "v.xlsx", {name: pairs(name) for name in SAID})
    plan = kb.draft(book, base=tmp_path)
    with xlsxwriter.Workbook(str(book)) as hidden:
        page = hidden.add_worksheet("Skua")
        for at, row in enumerate(pairs("Skua")):
            page.write_row(at, 0, row)
        page.set_row(4, None, None, {"hidden": True})
    with pytest.raises(kb.LayoutError, match="the form has hidden rows or columns"):
        plan.run()


LABELS = ("Vessel", "Built", "Tonnes", "Home port", "Master", "Crew")


def objections(record: Sheet) -> str:
    return "; ".join(one.what for one in reach(record, []).objections)


def test_a_record_that_is_not_what_the_form_holds_is_objected_to() -> None:
    record = as_one_record(Sheet.of(pairs("Skua"), name="Skua"), LABELS)
    assert record.places is not None
    assert objections(record) == ""
    places = record.places.copy()
    places[-1, [0, 1]] = places[-1, [1, 0]]
    assert "not what the form holds there" in objections(replace(record, places=places))
    values = record.values.copy()
    values[-1, [0, 1]] = values[-1, [1, 0]]
    said = objections(replace(record, values=values, kinds=kinds_of(values), places=places))
    assert said == "what was filled in does not stand beside or below its label"
    places = record.places.copy()
    places[-1, 1] = places[-1, 2]
    assert "cells of the form are not in its record once: D3, B4" in objections(replace(record, places=places))
    values = record.values.copy()
    values[-1, 1] = None
    assert "not in its record once: D3" in objections(replace(record, values=values, kinds=kinds_of(values)))


def test_a_text_without_a_label_is_told(tmp_path: Path) -> None:
    sheets = {name: [*pairs(name), [], [f"the mast of {name} is bent"]] for name in SAID}
    done = kb.tidy_reports(write_book(tmp_path / "v.xlsx", sheets))
    assert done.holds
    assert "'the mast of Skua is bent' on a line of its own has no label and is left out" in str(done.proof.remarks)
    done = kb.tidy_reports(write_book(tmp_path / "v.xlsx", {name: sections(name) for name in SAID}))
    assert "has no label" not in str(done.proof.remarks)
