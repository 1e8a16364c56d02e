"""Every bad input ends in a sentence of ours: what, where, why, what to do next. Never in a traceback."""

from __future__ import annotations

import re
import zipfile
from typing import TYPE_CHECKING, Any

import openpyxl
import pytest

import kebrin as kb
from building import write_book

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

ROWS: list[list[Any]] = [["Sailing", "Foot", "Cars"], ["07:15", 120, 30], ["10:40", 80, 25]]


def rewritten(path: Path, part: str, pattern: str, replacement: str) -> Path:
    """The same package with one part's text changed."""
    with zipfile.ZipFile(path) as package:
        parts = {name: package.read(name) for name in package.namelist()}
    parts[part] = re.sub(pattern, replacement, parts[part].decode()).encode()
    with zipfile.ZipFile(path, "w") as package:
        for name, content in parts.items():
            package.writestr(name, content)
    return path


def text_named_xlsx(folder: Path) -> Path:
    path = folder / "bad.xlsx"
    path.write_text("Sailing;Foot\n07:15;120\n")
    return path


def picture(folder: Path) -> Path:
    path = folder / "bad.xlsx"
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + b"\0" * 64)
    return path


def workbook_named_csv(folder: Path) -> Path:
    return write_book(folder / "x.xlsx", {"A": ROWS}).rename(folder / "bad.csv")


def cut_short(folder: Path) -> Path:
    path = write_book(folder / "bad.xlsx", {"A": ROWS})
    path.write_bytes(path.read_bytes()[:2500])
    return path


def locked(folder: Path) -> Path:
    path = folder / "bad.xlsx"
    path.write_bytes(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + b"\0" * 4096)
    return path


def zip_of_something_else(folder: Path) -> Path:
    path = folder / "bad.xlsx"
    with zipfile.ZipFile(path, "w") as package:
        package.writestr("letter.txt", "Dear Board")
    return path


def no_bytes(folder: Path) -> Path:
    path = folder / "bad.xlsx"
    path.touch()
    return path


def empty_sheet(folder: Path) -> Path:
    return write_book(folder / "bad.xlsx", {"Empty": []})


def words_only(folder: Path) -> Path:
    return write_book(folder / "bad.xlsx", {"Letter": [["Dear Board,"], ["the ferry was late."]]})


def overlapping_merges(folder: Path) -> Path:
    path = write_book(folder / "bad.xlsx", {"A": ROWS}, {"A": ["A1:B1"]})
    merge = '<mergeCells count="2"><mergeCell ref="A1:B1"/><mergeCell ref="B1:C2"/></mergeCells>'
    return rewritten(path, "xl/worksheets/sheet1.xml", r"<mergeCells.*</mergeCells>", merge)


def formulas_not_computed(folder: Path) -> Path:
    return write_book(folder / "bad.xlsx", {"A": [*ROWS, ["Total", "=SUM(B2:B3)", "=SUM(C2:C3)"]]})


def stray_far_cell(folder: Path) -> Path:
    book = openpyxl.Workbook()
    book.active["A1"] = "Sailing"
    book.active["XFD1048576"] = 1
    book.save(folder / "bad.xlsx")
    return folder / "bad.xlsx"


def missing_part(folder: Path) -> Path:
    path = write_book(folder / "bad.xlsx", {"A": ROWS})
    return rewritten(path, "xl/worksheets/sheet1.xml", r"</sheetData>.*", "")


FILES = [
    (
        picture,
        "this is no report that can be read: it starts like a picture. Export it as a workbook, a spreadsheet document",
    ),
    (cut_short, "the workbook is cut short or damaged: "),
    (locked, "this workbook is locked with a password or damaged: "),
    (zip_of_something_else, "the workbook is cut short or damaged: "),
    (missing_part, "the workbook is cut short or damaged: "),
    (no_bytes, "the file is empty: it has 0 bytes. Ask for it again."),
    (empty_sheet, "no table was found: 0 cells hold something, and none of them a body of values."),
    (words_only, "no table was found: 2 cells hold something, and none of them a body of values."),
    (overlapping_merges, "sheet 'A', cells A1:B1, B1:C2: merged cells overlap: a cell can belong to one merge only."),
    (formulas_not_computed, "sheet 'A', cells B4, C4: formulas without a stored result: the program that wrote"),
    (stray_far_cell, "cell XFD1048576: the sheet is too wide and too long to be a report: cells in use reach over"),
]


@pytest.mark.parametrize(("make", "said"), FILES, ids=[make.__name__ for make, _ in FILES])
def test_a_bad_file_is_told_in_one_line(
    make: Callable[[Path], Path], said: str, tmp_path: Path, kebrin: Kebrin
) -> None:
    path = make(tmp_path)
    before = path.read_bytes()
    result = kebrin("tidy", path.name, "-o", "out.csv")
    assert said in result.stderr
    assert result.stderr.startswith(f"kebrin: {path.name}")
    assert "Traceback" not in result.stderr
    assert result.returncode in {2, 3}
    assert path.read_bytes() == before
    assert not list(tmp_path.glob("out*"))


@pytest.mark.parametrize(
    ("make", "said"),
    [(text_named_xlsx, "its name ends in .xlsx, and it is plain text: read as that"),
     (workbook_named_csv, "its name ends in .csv, and it is a workbook: read as that")],
)  # fmt: skip
def test_a_file_is_read_by_what_it_is(make: Callable[[Path], Path], said: str, tmp_path: Path, kebrin: Kebrin) -> None:
    result = kebrin("tidy", make(tmp_path).name, "-o", "out.csv")
    assert result.returncode == 0, result.stderr
    assert said in " ".join(result.stdout.split())


PLANS = [
    ('sheets = ["Nort Loop"]', "", 2, "Did you mean 'North Loop'?"),
    ("", 'starts = "Saling"', 2, "no cell says 'Saling', which the layout names as starts: the nearest text is 'Sailing'."),
    ("", 'starts = "H99"', 2, "cell H99: starts names a cell beyond the sheet's end: cells in use end at C3."),
    ("", 'boxhead = ["a", "b", "c"]', 2, "the boxhead is stated to be 3 rows deep: only 1 row there holds anything."),
    ("", 'stub = ["a", "b", "c"]', 2, "the stub is stated to be 3 columns wide: only 2 columns there hold anything."),
    ("", 'ends = "Source"', 2, "no cell says 'Source', which the layout names as ends."),
    ('fields = { code = "beside \'Route code:\'" }', "", 2, "the field 'code' is not there: no value stands beside"),
    ('fields = { code = "cell H1" }', "", 2, "cell H1: the field 'code' names a cell that is blank."),
    ('fields = { year = "file name, \'_(\\\\d+)\'" }', "", 2, "the field 'year' can't be taken from the file's name"),
    ("", 'boxhead = ["Sailing"]', 2, "two columns would be named 'Sailing'"),
]  # fmt: skip


@pytest.mark.parametrize(("table", "layout", "code", "said"), PLANS)
def test_a_plan_that_does_not_fit_the_sheet_is_refused(
    table: str, layout: str, code: int, said: str, tmp_path: Path, kebrin: Kebrin
) -> None:
    write_book(tmp_path / "report.xlsx", {"North Loop": ROWS})
    plan = f'kebrin = 1\n[table.t]\nfiles = "report.xlsx"\n{table}\n[table.t.layout]\n{layout}\n'
    (tmp_path / "p.toml").write_text(f'{plan}[[output]]\ntable = "t"\nfile = "t.csv"\n')
    result = kebrin("run", "p.toml")
    assert said in result.stderr
    assert result.returncode == code
    assert not list(tmp_path.glob("t.*"))


def test_a_total_that_does_not_tie_holds_the_output_back(tmp_path: Path, kebrin: Kebrin) -> None:
    good = [*ROWS, ["12:00", 50, 5], ["Total", 250, 60]]
    write_book(tmp_path / "report.xlsx", {"A": good})
    assert kebrin("tidy", "report.xlsx", "-o", "t.csv").returncode == 0
    before = (tmp_path / "t.csv").read_bytes()
    write_book(tmp_path / "report.xlsx", {"A": [*good[:-1], ["Total", 250, 61]]})
    result = kebrin("tidy", "report.xlsx", "-o", "t.csv", "--tolerance", "0")
    assert result.returncode == 4
    assert "total row 5 states 61, its 3 parts sum to 60, a difference of +1" in result.stdout
    assert (tmp_path / "t.csv").read_bytes() == before
    assert (tmp_path / "t.unproved.csv").exists()
    accepted = kebrin("tidy", "report.xlsx", "-o", "t.csv", "--tolerance", "0", "--accept")
    assert accepted.returncode == 0
    assert '"accepted": true' in (tmp_path / "t.csv.proof.json").read_text("utf-8")
    assert not (tmp_path / "t.unproved.csv").exists()


def test_errors_carry_their_facts(tmp_path: Path) -> None:
    with pytest.raises(kb.SourceError) as caught:
        kb.read(tmp_path / "nowhere.xlsx")
    assert (caught.value.what, caught.value.where.file) == ("no such file", str(tmp_path / "nowhere.xlsx"))
    report = kb.read(write_book(tmp_path / "report.xlsx", {"North Loop": ROWS}))
    with pytest.raises(kb.PlanError, match="Did you mean 'North Loop'"):
        report["North Lop"]
