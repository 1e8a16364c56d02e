"""Texts that are figures: read before any layout, by column, and by whatever else the sheet shows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import kebrin as kb
from building import write_book
from kebrin.cells import Sheet
from kebrin.grammar.reading import Look, read_text

if TYPE_CHECKING:
    from pathlib import Path


def column(*texts: Any) -> list[float]:
    """The numbers of one column of texts."""
    numbers: list[float] = Sheet.of([[text] for text in texts]).numbers[:, 0].tolist()
    return numbers


# One text.


@pytest.mark.parametrize(
    ("text", "point", "comma"),
    [
        ("1,204.50", 1204.5, None),
        ("1.204,50", None, 1204.5),
        ("(3.5)", -3.5, None),
        ("–2", -2, -2),
        ("−2,5", None, -2.5),
        ("1'486", 1486, 1486),
        ("1 204", 1204, 1204),
        ("1\u00a0204,5", None, 1204.5),
        ("12-", -12, -12),
        ("33.3%", 0.333, None),
        ("€ 12.50", 12.5, None),
        ("2.11E-07", 2.11e-7, 2.11e-7),
        ("12,34,567", 1234567, None),
        ("3*", 3, 3),
        ("45 (a)", 45, 45),
    ],
)
def test_a_text_is_read_in_each_convention_that_fits(text: str, point: float | None, comma: float | None) -> None:
    found = read_text(text)
    for got, wanted in ((found.number, point), (found.comma, comma)):
        assert np.isnan(got) if wanted is None else got == pytest.approx(wanted)


@pytest.mark.parametrize("text", ["007", "01234", "1234567890123456"])
def test_names_of_digits_are_no_amounts(text: str) -> None:
    assert read_text(text).look == Look.CODE


@pytest.mark.parametrize("text", ["4 Sep", "1st", "Pier 3", "07:15", "2031-04-01", "B12", "12/13", "x", "1,2,3"])
def test_words_with_digits_are_words(text: str) -> None:
    assert read_text(text).look == Look.WORDS


@pytest.mark.parametrize("text", ["-", "–", "---", "..", "n/a", "N.A.", ":", "…"])
def test_marks_for_no_value(text: str) -> None:
    assert read_text(text).look == Look.MISSING


@given(
    st.floats(-1e9, 1e9).map(lambda number: round(number, 2)),
    st.sampled_from([(",", "."), (".", ","), (" ", "."), ("'", ".")]),
)
def test_what_was_written_in_a_convention_is_read_back(number: float, signs: tuple[str, str]) -> None:
    thousands, decimal = signs
    text = f"{number:,.2f}".translate({ord(","): thousands, ord("."): decimal})
    found = read_text(text)
    assert (found.number if decimal == "." else found.comma) == pytest.approx(number)


# A column.


def test_one_text_that_reads_one_way_decides_for_its_column() -> None:
    assert column("1,120", "2,000.5") == [1120.0, 2000.5]
    assert column("1,120", "2,5") == [1.12, 2.5]


def test_sizes_decide_where_grouped_figures_are_all_large_and_plain_ones_small() -> None:
    assert column("900", "1,120", "45", "2,004") == [900.0, 1120.0, 45.0, 2004.0]


def test_real_numbers_beside_texts_decide_by_size() -> None:
    assert column(1100.0, 1210.0, 1330.0, "1,120") == [1100.0, 1210.0, 1330.0, 1120.0]
    assert column(1.1, 1.2, 1.3, "1,120") == [1.1, 1.2, 1.3, 1.12]


def test_what_nothing_settles_is_open_and_no_number() -> None:
    sheet = Sheet.of([["1,120"], ["2,240"]])
    assert sheet.readings.open == (0,)
    assert np.isnan(sheet.numbers).all()
    assert sheet.hinted(decimal=",").numbers[:, 0].tolist() == [1.12, 2.24]


def test_other_columns_decide_where_one_is_open() -> None:
    sheet = Sheet.of([["1,120", "2.5"], ["2,240", "3.25"]])
    assert sheet.numbers[:, 0].tolist() == [1120.0, 2240.0]


def test_a_unit_is_one_where_most_of_a_column_bears_it() -> None:
    assert column("12 t", "9 t", "10.5 t") == [12.0, 9.0, 10.5]
    assert np.isnan(column("12 t", "Pier 4", "Quay 9", "9 b")).all()


def test_codes_are_told_from_figures_by_a_zero_in_their_column() -> None:
    looks = Sheet.of([["0410"], ["2031"], ["1177"]]).looks[:, 0].tolist()
    assert looks == [Look.CODE] * 3


# A sheet.


def tidied(tmp_path: Path, rows: list[list[Any]]) -> kb.Run:
    return kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"Traffic": rows}))


def values(run: kb.Run) -> list[Any]:
    (table,) = run.tables.values()
    return [value for name in table.measures for value in table.to_arrow().column(name).to_pylist()]


@pytest.mark.parametrize(
    "write",
    [
        lambda number: f"{number:,.1f}",
        lambda number: f"{number:,.1f}".translate(str.maketrans(",.", ".,")),
        lambda number: f"{number:,.1f}".replace(",", " "),
        lambda number: f"({abs(number):,.1f})" if number < 0 else f"{number:,.1f}",
        lambda number: f"{abs(number):,.1f}-" if number < 0 else f"{number:,.1f}",
        lambda number: f"€ {number:,.1f}",
        lambda number: f"{number:,.1f} t",
        lambda number: f" {number:,.1f}*" if number > 0 else f"{number:,.1f}",
    ],
)
def test_totals_of_figures_written_as_texts_are_seen_and_tied(tmp_path: Path, write: Any) -> None:
    body = [[1204.5, -33.0, 870.25], [2311.0, 12.5, 14.0], [995.5, 41.0, -7.0]]
    lines: list[list[Any]] = [["East", *body[0]], ["West", *body[1]], ["North", *body[2]]]
    total = ["Total", *(sum(column) for column in zip(*body, strict=True))]
    rows: list[list[Any]] = [[name, *map(write, row)] for name, *row in [*lines, total]]
    run = tidied(tmp_path, [["Quay", "Jan", "Feb", "Mar"], *rows])
    assert values(run) == pytest.approx([round(value, 1) for row in body for value in row], abs=0.06)
    assert sum(tie.lines for tie in run.proof.ties) >= 1


def test_stated_totals_decide_between_thousands_and_decimals(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Quay", "Jan", "Feb"],
        ["East", "1,204", "1,311"],
        ["West", "1,870", "1,423"],
        ["Total", "3,074", "2,734"],
    ]
    run = tidied(tmp_path, rows)
    assert not run.holds or values(run) in ([1204.0, 1311.0, 1870.0, 1423.0], [1.204, 1.311, 1.87, 1.423])
    rows[3] = ["Total", 3074, 2734]
    assert values(tidied(tmp_path, rows)) == [1204.0, 1311.0, 1870.0, 1423.0]


def test_a_key_on_the_sheet_says_what_signs_stand_for(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Quay", "Jan", "Feb"],
        ["East", 12, "x"],
        ["West", "x", 4],
        ["North", 3, 5],
        [""],
        ["x = not recorded"],
    ]
    run = tidied(tmp_path, rows)
    assert [value for value in values(run) if value is not None] == [12, 4, 3, 5]
    assert run.holds


def test_half_a_column_of_dates_is_told(tmp_path: Path) -> None:
    rows: list[list[Any]] = [
        ["Booked", "Guest", "Paid"],
        ["2031-04-01", "Ada", 10],
        ["2031-04-02", "Bo", 12],
        ["soon", "Cy", 9],
    ]
    run = tidied(tmp_path, rows)
    assert any("soon" in str(remark) for remark in run.proof.remarks)


@pytest.mark.parametrize("ending", ["xlsx", "parquet"])
def test_dates_stay_dates_in_outputs_that_know_them(tmp_path: Path, ending: str) -> None:
    rows: list[list[Any]] = [
        ["Day", "Foot", "Cars"],
        ["1 April 2031", 3, 4],
        ["2 April 2031", 5, 6],
        ["3 April 2031", 7, 8],
    ]
    run = tidied(tmp_path, rows)
    (name,) = run.tables
    run.write({name: tmp_path / f"t.{ending}"})
    (sheet,) = kb.read(tmp_path / f"t.{ending}") if ending == "xlsx" else [None]
    if sheet is not None:
        assert sheet.at(1, 0).isoformat()[:10] == "2031-04-01"
    else:
        import pyarrow.parquet as pq

        assert str(pq.read_schema(tmp_path / "t.parquet").field("Day").type) == "date32[day]"
