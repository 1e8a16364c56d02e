"""Many sheets and files: sums over sheets, what tells them apart, what their names say."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book
from kebrin.work.filenames import file_parts

if TYPE_CHECKING:
    from pathlib import Path

QUAYS = {"East": [[10, 20], [11, 21]], "West": [[5, 6], [7, 8]], "Slip": [[1, 2], [3, 5]]}


def sheet_of(figures: list[list[Any]]) -> list[list[Any]]:
    return [["Vessel", "Jan", "Feb"], ["Dunlin", *figures[0]], ["Petrel", *figures[1]]]


def quays() -> dict[str, Any]:
    return {name: sheet_of(figures) for name, figures in QUAYS.items()}


def run(path: Path) -> kb.Run:
    return kb.tidy_reports(path)


@pytest.mark.parametrize("name", ["All quays", "Skarrow"])
def test_a_sheet_that_sums_its_siblings_is_left_out_and_told(tmp_path: Path, name: str) -> None:
    done = run(write_book(tmp_path / "r.xlsx", {name: sheet_of([[16, 28], [21, 34]]), **quays()}))
    (table,) = done.tables.values()
    assert len(table) == 12
    assert done.holds
    (proof,) = done.proofs.values()
    assert any(remark.kind == "sheet of sums" and remark.sheet == name for remark in proof.remarks)


def test_a_sheet_that_is_off_by_one_is_no_sum_of_its_siblings(tmp_path: Path) -> None:
    done = run(write_book(tmp_path / "r.xlsx", {"Skarrow": sheet_of([[16, 28], [21, 35]]), **quays()}))
    assert sum(map(len, done.tables.values())) == 16


@pytest.mark.parametrize("write", [float, lambda number: f"{number:,}", lambda number: f"{number:,}".replace(",", ".")])
def test_a_sheet_with_a_line_for_each_sibling_is_left_out_in_whichever_way_its_figures_tie(
    tmp_path: Path, write: Any
) -> None:
    thousands = {name: sheet_of([[cell * 500 for cell in row] for row in figures]) for name, figures in QUAYS.items()}
    sums = [["Quay", "Total"], *([name, write(sum(map(sum, rows)) * 500)] for name, rows in QUAYS.items())]
    done = run(write_book(tmp_path / "r.xlsx", {**thousands, "Summary": sums}))
    (table,) = done.tables.values()
    assert len(table) == 12
    assert done.holds


def test_what_is_said_once_on_each_sheet_is_a_column(tmp_path: Path) -> None:
    sheets = {
        name: [["Harbour:", "Skarrow"], ["Master:", f"M{at}"], [], *sheet_of(figures)]
        for at, (name, figures) in enumerate(QUAYS.items())
    }
    (table,) = run(write_book(tmp_path / "r.xlsx", sheets)).tables.values()
    assert table.columns == ("sheet", "Harbour", "Master", "Vessel", "month", "value")
    assert {(row["sheet"], row["Master"]) for row in table.to_arrow().to_pylist()} == {
        ("East", "M0"), ("West", "M1"), ("Slip", "M2"),
    }  # fmt: skip


def test_a_field_that_one_sheet_lacks_is_missing_on_its_rows(tmp_path: Path) -> None:
    sheets = {name: [["Master:", name[0]], [], *sheet_of(figures)] for name, figures in QUAYS.items()}
    sheets["Slip"] = sheet_of(QUAYS["Slip"])
    done = run(write_book(tmp_path / "r.xlsx", sheets))
    (table,) = done.tables.values()
    masters = {(row["sheet"], row["Master"]) for row in table.to_arrow().to_pylist()}
    assert masters == {("East", "E"), ("West", "W"), ("Slip", None)}


@pytest.mark.parametrize(
    ("names", "column", "values"),
    [
        (("quays_2030.xlsx", "quays_2031.xlsx"), "year", ("2030", "2031")),
        (("quays_2031-01.xlsx", "quays_2031-02.xlsx"), "month", ("2031-01", "2031-02")),
        (("quays east.xlsx", "quays west.xlsx"), "file", ("east", "west")),
    ],
)
def test_the_part_that_differs_in_the_names_of_files_is_a_column(
    names: tuple[str, str], column: str, values: tuple[str, str]
) -> None:
    (part,) = file_parts(names, set())
    assert tuple(part.values[name] for name in names) == values
    if column != "file":
        assert part.name == column


def test_months_in_the_names_of_files_are_read(tmp_path: Path) -> None:
    for month in ("jan", "feb", "mar"):
        write_book(tmp_path / f"returns_{month}_2031.xlsx", {"Returns": [["Quay", "Tons"], ["East", 4], ["West", 5]]})
    (table,) = kb.tidy_reports(*sorted(tmp_path.glob("*.xlsx"))).tables.values()
    stamped = {name: {str(row[name]) for row in table.to_arrow().to_pylist()} for name in table.columns}
    assert {"2031-01", "2031-02", "2031-03"} in stamped.values()
