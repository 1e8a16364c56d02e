"""What the sources give: kinds as the file has them, nothing guessed, nothing passed over in silence."""

from __future__ import annotations

import datetime as dt
import re
import zipfile
from typing import TYPE_CHECKING, Any

import openpyxl
import pytest
import xlsxwriter
from openpyxl.worksheet.merge import MergedCellRange

import kebrin as kb
from building import write_book
from kebrin.cells import Kind
from kebrin.errors import Place
from kebrin.sources.delimited import delimiter
from kebrin.sources.encodings import decode

if TYPE_CHECKING:
    from pathlib import Path


MOMENT = dt.datetime.fromisoformat("2031-04-01 08:30")


def kinds(sheet: kb.Sheet) -> list[str]:
    return [Kind(int(kind)).word for kind in sheet.kinds.ravel()]


@pytest.fixture
def kinds_book(tmp_path: Path) -> Path:
    book = openpyxl.Workbook()
    sheet: Any = book.active
    sheet.append([
        "007", 12, 1.5, dt.date(2031, 4, 1), MOMENT, dt.time(8, 30), True, "#N/A", "two\nlines", "  ",
    ])  # fmt: skip
    sheet["H1"].data_type = "e"
    sheet.append(["#N/A as words"])
    book.save(tmp_path / "kinds.xlsx")
    return tmp_path / "kinds.xlsx"


def test_each_kind_is_kept(kinds_book: Path) -> None:
    sheet = kb.read(kinds_book)["Sheet"]
    assert kinds(sheet)[:10] == [
        "text", "number", "number", "date", "date", "time", "flag", "error", "text", "blank",
    ]  # fmt: skip
    assert sheet.at(0, 0) == "007"
    assert sheet.at(0, 4) == MOMENT
    assert sheet.at(0, 7) == "#N/A"
    assert sheet.text(0, 8) == "two lines"
    assert kinds(sheet)[10] == "text"


def prefixed(xml: str) -> str:
    """The same sheet with a name prefix on every element and single quotes round every value."""
    xml = re.sub(r"<(/?)(\w+)", r"<\1x:\2", xml.partition("?>")[2] if xml.startswith("<?") else xml)
    return xml.replace('"', "'").replace(" xmlns=", " xmlns:x=", 1)


def test_errors_and_hidden_lines_are_seen_however_the_file_is_written(kinds_book: Path) -> None:
    book = openpyxl.load_workbook(kinds_book)
    book["Sheet"].row_dimensions[2].hidden = True
    book.save(kinds_book)
    with zipfile.ZipFile(kinds_book) as package:
        parts = {name: package.read(name) for name in package.namelist()}
    name = "xl/worksheets/sheet1.xml"
    parts[name] = prefixed(parts[name].decode()).encode()
    with zipfile.ZipFile(kinds_book, "w") as package:
        for part, content in parts.items():
            package.writestr(part, content)
    sheet = kb.read(kinds_book)["Sheet"]
    assert kinds(sheet)[7] == "error"
    assert sheet.formats().hidden_rows == {1}
    assert sheet.has_hidden_lines


def test_dates_follow_the_workbooks_own_date_system(tmp_path: Path) -> None:
    for system in (False, True):
        path = tmp_path / f"{system}.xlsx"
        with xlsxwriter.Workbook(str(path), {"date_1904": system}) as book:
            book.add_worksheet().write_datetime(
                0, 0, dt.date(2031, 4, 1), book.add_format({"num_format": "yyyy-mm-dd"})
            )
        assert kb.read(path)["Sheet1"].at(0, 0) == dt.date(2031, 4, 1)


def test_formatted_empty_rows_cost_nothing(tmp_path: Path) -> None:
    path = tmp_path / "ghost.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet, bold = book.add_worksheet(), book.add_format({"bold": True})
        sheet.write_row(0, 0, ["Sailing", "Foot"])
        sheet.write_row(1, 0, ["07:15", 12])
        for row in (999_999, 1_048_575):
            sheet.write_blank(row, 0, None, bold)
    assert kb.read(path)["Sheet1"].shape == (2, 2)


def test_formulas_with_stored_results_are_values_and_names_are_no_data(tmp_path: Path) -> None:
    path = tmp_path / "formulas.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet("A")
        sheet.write_formula(0, 0, "=1+1", None, 2)
        book.define_name("Everything", "=A!$A$1:$Z$99")
        sheet.print_area(0, 0, 50, 20)
    read = kb.read(path)["A"]
    assert read.shape[0] == 1
    assert kinds(read)[0] == "number"
    assert read.formats().formulas[0, 0] == "1+1"


def test_formats_are_read_on_request(tmp_path: Path) -> None:
    path = tmp_path / "formats.xlsx"
    with xlsxwriter.Workbook(str(path)) as book:
        sheet = book.add_worksheet("A")
        sheet.write(0, 0, "Fares", book.add_format({"bold": True, "bg_color": "#DDDDDD"}))
        sheet.write(1, 0, "Foot", book.add_format({"indent": 2}))
        sheet.write(1, 1, 4.5, book.add_format({"num_format": "#,##0.00 €"}))
        sheet.set_row(2, None, None, {"hidden": True})
        sheet.write(2, 0, "helper")
        sheet.set_column(2, 2, None, None, {"hidden": True})
    formats = kb.read(path)["A"].formats()
    assert formats.is_bold(0, 0)
    assert (0, 0) in formats.filled
    assert formats.indents == {(1, 0): 2}
    assert (formats.decimals(1, 1), formats.family(1, 1)) == (2, "money")
    assert (formats.hidden_rows, formats.hidden_columns) == (frozenset({2}), frozenset({2}))


def test_hidden_lines_are_left_out_and_accounted_for(tmp_path: Path) -> None:
    path = write_book(
        tmp_path / "r.xlsx", {"A": [["Sailing", "Foot", "x", "Cars"], ["07:15", 1, 9, 2], ["helper", 7, 8, 9]]}
    )
    book = openpyxl.load_workbook(path)
    book["A"].row_dimensions[3].hidden = True
    book["A"].column_dimensions["C"].hidden = True
    book.save(path)
    run = kb.tidy_reports(path)
    assert run.tables["A"].to_arrow()["value"].to_pylist() == [1, 2]
    assert run.proof.counts["left out: hidden rows and columns"] == 6
    assert run.holds


def test_a_delimited_file_keeps_its_texts(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Returns;;\nSailing;Foot;Cars\n07:15;120;007\n10:40;80;25\n", "utf-8")
    sheet = kb.read(tmp_path / "r.csv")["r"]
    assert sheet.at(2, 2) == "007"
    assert set(kinds(sheet)) == {"text", "blank"}


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_encodings_are_told_apart(encoding: str) -> None:
    text = "Höhe;Länge\nGäste;übrig\nSkärgård;è\n"
    assert decode(text.encode(encoding), Place("x.csv")).text == text


@pytest.mark.parametrize(
    ("text", "mark"), [("a,b\n1,2\n", ","), ("a\tb\n1,5\t2,5\n", "\t"), ("a|b\n1|2\n", "|"), ("x\na;b\n1,5;2,5\n", ";")]
)
def test_delimiters_are_found(text: str, mark: str) -> None:
    assert delimiter(text) == mark


def test_a_delimited_crosstab_is_tidied_and_tied(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Sailing,Foot,Cars,Total\n07:15,120,30.5,150.5\n10:40,n/a,25,25\n", "utf-8")
    run = kb.tidy_reports(tmp_path / "r.csv")
    assert run.tables["r"].to_arrow()["value"].to_pylist() == [120, 30.5, None, 25]
    assert run.proof.ties[0].exact == 2
    assert run.holds


def test_texts_that_may_be_thousands_stay_texts(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Sailing;Foot;Cars\n07:15;1.204;3.050\n", "utf-8")
    run = kb.tidy_reports(tmp_path / "r.csv")
    assert run.tables["r"].to_arrow()["value"].to_pylist() == ["1.204", "3.050"]
    assert any(remark.kind == "question" for remark in run.proof.remarks)


@pytest.mark.parametrize("name", ["r.xlsx", "r.csv"])
def test_a_file_that_changes_while_it_is_read_is_refused(tmp_path: Path, name: str) -> None:
    rows: list[list[Any]] = [["Quay", "Jan", "Feb"], ["East", 1, 2], ["West", 3, 4]]
    path = tmp_path / name
    if name.endswith("csv"):
        path.write_text("\n".join(",".join(map(str, row)) for row in rows), "utf-8")
    else:
        write_book(path, {"Traffic": rows})
    report = kb.read(path)
    with path.open("ab") as file:
        file.write(b"\nNorth,5,6\n")
    with pytest.raises(kb.SourceError, match="the file changed while it was read"):
        report[report.names[0]]


def test_what_stands_under_a_merge_is_asked_about(tmp_path: Path) -> None:
    path = write_book(
        tmp_path / "r.xlsx", {"Traffic": [["Quay", "Jan", "Feb"], ["East", 1, 2], ["West", 5, 6], ["North", 7, 99]]}
    )
    book = openpyxl.load_workbook(path)
    sheet = book["Traffic"]
    sheet.merged_cells.ranges.add(MergedCellRange(sheet, "B4:C4"))  # as programs merge that clear nothing
    book.save(path)
    run = kb.tidy_reports(path)
    assert "1 cell stands under a merge, where nobody sees what is in it (C4)" in " ".join(
        map(str, run.proof.questions)
    )
