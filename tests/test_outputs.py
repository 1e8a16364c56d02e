"""What is handed over: workbooks of several sheets, a sheet or a file per value, prepared workbooks, text forms, findings."""

from __future__ import annotations

import csv
import json
import sqlite3
from typing import TYPE_CHECKING, Any

import openpyxl
import pytest
from openpyxl.chart import BarChart, Reference
from openpyxl.formatting.rule import CellIsRule
from openpyxl.styles import Font
from openpyxl.workbook.defined_name import DefinedName

import kebrin as kb
from kebrin.deliver.file_names import file_word
from kebrin.deliver.writing.books import page_names

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

SHEET: list[list[Any]] = [
    ["Route", "Class", "Jan", "Feb"], ["N4", "Foot", 10, 12], ["N4", "Cars", 1, 2], ["S1/2", "Foot", 5, 6],
    ["=1+1", "Foot", 7, 8],
]  # fmt: skip
HEAD = """kebrin = 1
[table.traffic]
files = "r.csv"
[table.traffic.layout]
measure = "carried"
[table.board]
from = "traffic"
[[table.board.step]]
crosstab = ["Route"]
across = ["month"]
of = "carried"
totals = "both"
"""


def write_source(folder: Path, rows: list[list[Any]]) -> None:
    with (folder / "r.csv").open("w", encoding="utf-8", newline="") as out:
        csv.writer(out).writerows(rows)


@pytest.fixture
def here(tmp_path: Path) -> Path:
    write_source(tmp_path, SHEET)
    return tmp_path


def write(here: Path, outputs: str, head: str = HEAD) -> tuple[kb.Run, Any]:
    (here / "p.toml").write_text(head + outputs, "utf-8")
    run = kb.load_plan(here / "p.toml").run()
    return run, run.write()


def sheets(path: Path) -> dict[str, list[list[Any]]]:
    book = openpyxl.load_workbook(path)
    return {sheet.title: [[cell.value for cell in row] for row in sheet.iter_rows()] for sheet in book}


def test_several_tables_are_sheets_of_one_workbook_in_the_plans_order(here: Path) -> None:
    _, (published,) = write(
        here,
        """
[[output]]
table = "board"
file = "out.xlsx"
sheet = "For the Board"
[[output]]
table = "traffic"
file = "out.xlsx"
""",
    )
    made = sheets(here / "out.xlsx")
    assert list(made) == ["For the Board", "traffic"]
    assert made["For the Board"][-1] == ["Total", 23, 28, 51]
    assert published.table == "board, traffic"
    assert published.rows == 12
    proof = json.loads((here / "out.xlsx.proof.json").read_text("utf-8"))
    assert proof["holds"]
    assert [one["sheet"] for one in proof["output"]["sheets"]] == ["For the Board", "traffic"]
    book = openpyxl.load_workbook(here / "out.xlsx")
    assert book["traffic"].freeze_panes == "A2"
    assert book["traffic"].auto_filter.ref == "A1:D9"
    write(here, '[[output]]\ntable = "board"\nfile = "out.xlsx"\n')  # our own file may be replaced


def test_a_sheet_per_value_with_legal_names_and_the_value_above(here: Path) -> None:
    write(here, '[[output]]\ntable = "traffic"\nfile = "out.xlsx"\nby = "Route"\nheading = true\n')
    made = sheets(here / "out.xlsx")
    assert list(made) == ["N4", "S1 2", "=1+1"]
    assert made["S1 2"][0][0] == "S1/2"
    assert made["S1 2"][2] == ["Route", "Class", "month", "carried"]
    assert sum(len(rows) - 3 for rows in made.values()) == 8
    assert openpyxl.load_workbook(here / "out.xlsx")["=1+1"]["A4"].data_type == "s"


def test_a_file_per_value_never_leaves_the_folder(here: Path) -> None:
    rows: list[list[Any]] = [["Route", "Jan", "Feb"], ["../../etc", 1, 2], ["a/b", 3, 4], ["a b", 5, 6], ["", 7, 8]]
    write_source(here, rows)
    head = 'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[table.t.layout]\nstub = ["Route"]\nfill = "none"\n'
    run, published = write(here, '[[output]]\ntable = "t"\nfile = "out/{value}.csv"\nby = "Route"\n', head)
    assert [one.path.name for one in published] == ["etc.csv", "a_b.csv", "a_b_2.csv", "blank.csv"]
    assert all(one.path.parent == here / "out" for one in published)
    assert sum(one.rows for one in published) == len(run.tables["t"])


@pytest.mark.parametrize(
    ("name", "word"), [("..", "blank"), ("CON", "CON_"), ("a" * 200, "a" * 80), ("x\0y", "x_y"), ("é ø", "é_ø")]
)
def test_words_of_file_names(name: str, word: str) -> None:
    assert file_word(name) == word


def test_names_of_sheets_are_unique_and_short() -> None:
    names = page_names(["x" * 40, "x" * 40, "X" * 31, "a:b", "[]", "'quoted'"])
    assert len({name.casefold() for name in names}) == 6
    assert all(0 < len(name) <= 31 for name in names)


@pytest.mark.parametrize(
    ("keys", "start"),
    [
        ('delimiter = ";"', b"Route;Class;month;carried\nN4;Foot;Jan;10"),
        ('line_ends = "crlf"', b"Route,Class,month,carried\r\nN4"),
        ("mark = true", b"\xef\xbb\xbfRoute,Class"),
        ('encoding = "utf-16-le"', "Route,".encode("utf-16-le")),
    ],
)
def test_forms_of_delimited_text(here: Path, keys: str, start: bytes) -> None:
    write(here, f'[[output]]\ntable = "traffic"\nfile = "out.csv"\n{keys}\n')
    assert (here / "out.csv").read_bytes().startswith(start)


def test_a_letter_that_the_encoding_lacks_is_refused_and_nothing_is_written(here: Path) -> None:
    write_source(here, [["Route", "Jan", "Feb"], ["Łódź", 1, 2], ["N4", 3, 4]])
    head = 'kebrin = 1\n[table.t]\nfiles = "r.csv"\n'
    with pytest.raises(kb.OutputError, match=r"can't be written in cp1252.*State encoding = 'utf-8'"):
        write(here, '[[output]]\ntable = "t"\nfile = "out.csv"\nencoding = "cp1252"\n', head)
    assert not (here / "out.csv").exists()
    assert not list(here.glob(".*part"))


def test_json_lines_and_sqlite(here: Path) -> None:
    write(
        here, '[[output]]\ntable = "traffic"\nfile = "out.jsonl"\n[[output]]\ntable = "traffic"\nfile = "out.sqlite"\n'
    )
    first = json.loads((here / "out.jsonl").read_text("utf-8").splitlines()[0])
    assert first == {"Route": "N4", "Class": "Foot", "month": "Jan", "carried": 10.0}
    with sqlite3.connect(here / "out.sqlite") as base:
        assert base.execute("SELECT sum(carried), count(*) FROM traffic").fetchall() == [(51.0, 8)]


def test_values_can_be_traced_from_one_whole_table_in_any_form(here: Path, kebrin: Kebrin) -> None:
    write(here, '[[output]]\ntable = "traffic"\nfile = "out.jsonl"\n[[output]]\ntable = "board"\nfile = "b.csv"\n')
    assert "C2" in kebrin("trace", "out.jsonl", 1).stdout
    assert "Jan is made of 2 cells" in kebrin("trace", "b.csv", 1, "Jan").stdout
    assert "there is Jan, Feb, Total" in kebrin("trace", "b.csv", 1).stderr


# Findings and counts.


def test_findings_and_counts_are_outputs_of_their_own(here: Path) -> None:
    rows = [*SHEET, ["Total", "", 99, 28], [""], [""], [""], ["stray", 7]]
    write_source(here, rows)
    (here / "p.toml").write_text(HEAD + """
[[output]]
what = "findings"
file = "look.csv"
[[output]]
what = "counts"
file = "counts.jsonl"
""", "utf-8")  # fmt: skip
    run = kb.load_plan(here / "p.toml").run()
    assert not run.holds
    run.write()
    found = list(csv.DictReader((here / "look.csv").read_text("utf-8").splitlines()))
    assert {"unclaimed", "total that does not tie"} <= {one["kind"] for one in found}
    assert any("states 99" in one["text"] for one in found)
    counts = [json.loads(line) for line in (here / "counts.jsonl").read_text("utf-8").splitlines()]
    assert {"table": "traffic", "where": "output", "what": "rows", "count": 8.0} in counts


def test_findings_are_empty_where_there_are_none(here: Path) -> None:
    write(here, '[[output]]\nwhat = "findings"\nfile = "look.csv"\n')
    assert (here / "look.csv").read_text("utf-8") == "table,kind,text,where,count\n"


# Prepared workbooks.


@pytest.fixture
def template(here: Path) -> Path:
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Board"
    sheet["A1"] = "Traffic for the Board"
    sheet["A1"].font = Font(bold=True, size=20)
    sheet.merge_cells("A1:D1")
    for row in range(4, 12):
        for column in range(1, 5):
            sheet.cell(row, column, "old")
    sheet["C4"].number_format = "#,##0.0"
    sheet["F2"] = "=SUM(D4:D20)"
    sheet["A14"] = "=NOW()"
    book.defined_names["Figures"] = DefinedName("Figures", attr_text="Board!$A$4")
    chart = BarChart()
    chart.add_data(Reference(sheet, min_col=4, min_row=4, max_row=12))
    sheet.add_chart(chart, "H2")
    book.save(here / "board.xlsx")
    return here / "board.xlsx"


OUT = '[[output]]\ntable = "board"\nfile = "filled.xlsx"\ntemplate = "board.xlsx"\nat = "{at}"\n'


@pytest.mark.parametrize("at", ["Figures", "figures", "Board!A4", "Board!$A$4"])
def test_values_go_into_a_prepared_workbook_and_all_else_stays(here: Path, template: Path, at: str) -> None:
    before = template.read_bytes()
    write(here, OUT.format(at=at))
    book = openpyxl.load_workbook(here / "filled.xlsx")
    sheet = book["Board"]
    assert [sheet.cell(4, column).value for column in range(1, 5)] == ["N4", 11, 14, 25]
    assert sheet["A7"].value == "Total"
    assert [sheet.cell(8, column).value for column in range(1, 5)] == [None] * 4, "yesterday's longer rows are blanked"
    assert sheet["A14"].value == "=NOW()"
    assert sheet["F2"].value == "=SUM(D4:D20)"
    assert sheet["A1"].font.size == 20
    assert sheet["C4"].number_format == "#,##0.0"
    assert "A1:D1" in [str(area) for area in sheet.merged_cells.ranges]
    assert len(sheet._charts) == 1
    assert sheet["A6"].data_type == "s", "a text that begins with = is text"
    assert template.read_bytes() == before


def test_turned_values_and_headings(here: Path, template: Path) -> None:
    del template
    write(here, OUT.format(at="Board!A4") + "turned = true\nheadings = true\n")
    sheet = openpyxl.load_workbook(here / "filled.xlsx")["Board"]
    assert [sheet.cell(4, column).value for column in range(1, 6)] == ["Route", "N4", "S1/2", "=1+1", "Total"]
    assert [sheet.cell(5, column).value for column in range(1, 6)] == ["Jan", 11, 5, 7, 23]


def test_what_would_be_cut_off_is_told(here: Path, template: Path) -> None:
    book = openpyxl.load_workbook(template)
    book["Board"]["B5"] = "=1+1"
    book.save(template)
    _, (published,) = write(here, OUT.format(at="Figures"))
    assert published.said == ("Board!B5 holds a formula: '5' was not put there",)


@pytest.mark.parametrize(
    ("at", "said"),
    [
        ("Figurs", r"no place 'Figurs'.*Did you mean 'Figures'\?"),
        ("Bord!A1", "no place 'Bord!A1'"),
        ("Board", "no place 'Board'"),
    ],
)
def test_a_template_without_the_place_is_told_with_its_names(here: Path, template: Path, at: str, said: str) -> None:
    del template
    with pytest.raises(kb.OutputError, match=said):
        write(here, OUT.format(at=at))
    assert not (here / "filled.xlsx").exists()


def test_a_template_is_never_written_over(here: Path, template: Path) -> None:
    del template
    with pytest.raises(kb.OutputError, match="written over a source"):
        write(here, OUT.format(at="Figures").replace("filled.xlsx", "board.xlsx"))
    with pytest.raises(kb.OutputError, match="no such template"):
        write(here, OUT.format(at="Figures").replace('template = "board.xlsx"', 'template = "bord.xlsx"'))


# Mistakes.


@pytest.mark.parametrize(
    ("outputs", "said"),
    [
        ('[[output]]\ntable = "traffic"\nfile = "o.csv"\nsheet = "x"', "those of a workbook or a hand-out"),
        ('[[output]]\ntable = "traffic"\nfile = "o.csv"\nby = "Route"', "a file's name that holds {value}"),
        ('[[output]]\nfile = "o.csv"', "'table' is missing"),
        ('[[output]]\nwhat = "findings"\ntable = "traffic"\nfile = "o.csv"', "leave table and by out"),
        ('[[output]]\ntable = "traffic"\nfile = "o.xlsx"\ntemplate = "t.xlsx"', "template and at go together"),
        ('[[output]]\ntable = "traffic"\nfile = "o.csv"\nencoding = "utf-9"', "no encoding is called 'utf-9'"),
        ('[[output]]\ntable = "traffic"\nfile = "o.csv"\ndelimiter = ";;"', "delimiter"),
        (
            '[[output]]\ntable = "traffic"\nfile = "o.xlsx"\n[[output]]\ntable = "traffic"\nfile = "O.xlsx"',
            "a file or a sheet of its own",
        ),
    ],
)
def test_outputs_that_do_not_fit_are_refused_before_any_work(here: Path, outputs: str, said: str) -> None:
    with pytest.raises(kb.PlanError, match=said.replace("{", r"\{").replace("}", r"\}")):
        write(here, outputs)


def test_a_value_column_that_is_not_there_and_too_many_values(here: Path) -> None:
    with pytest.raises(kb.PlanError, match="'route', which is no column"):
        write(here, '[[output]]\ntable = "traffic"\nfile = "o.xlsx"\nby = "route"\n')
    write_source(here, [["Ticket", "Jan", "Feb"], *([f"T{at}", at, at] for at in range(1100))])
    with pytest.raises(kb.OutputError, match=r"has 1,100 values, a sheet each.*put \{value\} into the file's name"):
        write(
            here,
            '[[output]]\ntable = "t"\nfile = "o.xlsx"\nby = "Ticket"\n',
            'kebrin = 1\n[table.t]\nfiles = "r.csv"\n',
        )


def test_what_does_not_hold_is_held_back_in_every_form(here: Path) -> None:
    write_source(here, [*SHEET, ["Total", "", 99, 28]])
    _, published = write(
        here,
        """
[[output]]
table = "traffic"
file = "out.xlsx"
by = "Route"
[[output]]
table = "board"
file = "out.jsonl"
""",
    )
    assert [one.path.name for one in published] == ["out.unproved.xlsx", "out.unproved.jsonl"]
    assert not (here / "out.xlsx").exists()


# What the demo hands to its Board.


def test_the_boards_workbook_cross_foots_and_its_form_is_filled(demo: Path, kebrin: Kebrin) -> None:
    done = kebrin("run", "board.plan.toml")
    assert done.returncode == 0, done.stdout + done.stderr
    made = sheets(demo / "out/board.xlsx")
    assert list(made) == [
        "Foot passengers 2031",
        "Certificates",
        "North Loop",
        "Skerry Line",
        "Outer Sound",
        "Routes to look at",
    ]
    head, *body, total = made["Foot passengers 2031"]
    assert head[1:13] == ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
    for column in range(1, 14):
        assert sum(row[column] for row in body) == total[column]
    assert all(sum(row[1:13]) == row[13] for row in [*body, total])
    assert sum(row[2] for row in made["Certificates"][1:]) == pytest.approx(100)
    assert [row[:2] for row in made["Routes to look at"][1:]] == [["here", "O7"], ["there", "X9"]]
    form = openpyxl.load_workbook(demo / "out/board_form.xlsx")["Board"]
    assert [form.cell(9, column).value for column in range(1, 15)] == total
    assert form["B11"].value == "=AVERAGE(B9:M9)"
    assert "routes.csv by code: 'O7' (281)" in (demo / "out/findings.csv").read_text("utf-8")


def test_a_part_may_lack_the_column_that_it_is_a_part_by(here: Path) -> None:
    output = "[[output]]\ntable = 'traffic'\nfile = 'part_{value}.csv'\nby = 'Class'\nby_column = 'leave out'\n"
    write(here, output)
    assert (here / "part_Cars.csv").read_text("utf-8").splitlines() == ["Route,month,carried", "N4,Jan,1", "N4,Feb,2"]
    assert [file_word(value) for value in ("con", "NUL.x", "Nuland", "é" * 100)] == [
        "con_",
        "NUL.x_",
        "Nuland",
        "é" * 80,
    ]


@pytest.mark.parametrize(
    ("output", "said"),
    [
        ("database = 'nowhere://x/y'\ninto = 't'", r"address can't be read|does not write to databases"),
        (f"file = '{'x' * 260}.csv'", "name is too long"),
        ("file = 'alike.sqlite'", "'month' and 'Month' differ in case alone"),
    ],
)
def test_what_can_not_be_written_is_found_before_the_first_output(here: Path, output: str, said: str) -> None:
    fixed = "[[table.traffic.step]]\nfixed = 'Month'\nvalue = '4'\n"
    head = HEAD.replace("[table.board]", f"{fixed}[table.board]")
    first = "[[output]]\ntable = 'traffic'\nfile = 'first.csv'\n"
    with pytest.raises(kb.OutputError, match=said):
        write(here, f"{first}[[output]]\ntable = 'traffic'\n{output}\n", head)
    assert not (here / "first.csv").exists()


@pytest.fixture
def short(here: Path) -> Path:
    """A template whose place has two rows, with sums, a merge, a note, a rule and a chart around it."""
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Board"
    for column, text in enumerate(["Route", "Jan", "Feb", "Year", "Twice"], 1):
        sheet.cell(3, column, text)
    for row in (4, 5):
        sheet.cell(row, 1, "old").font = Font(italic=True)
        sheet.cell(row, 5, f"=D{row}*2")
    sheet.row_dimensions[5].height = 30
    sheet["A6"], sheet["D6"] = "All", "=SUM(D4:D5)"
    sheet["A8"], sheet.row_dimensions[8].height = "Keep this line", 44
    sheet.merge_cells("A8:D8")
    sheet.merge_cells("G4:G5")
    notes = book.create_sheet("It's noted")
    notes["A1"], notes["A2"] = '=Board!D6 & "D6"', "=SUM(Board!$D$4:$D$5)"
    book.defined_names["Figures"] = DefinedName("Figures", attr_text="Board!$A$4:$D$5")
    book.defined_names["Grand"] = DefinedName("Grand", attr_text="Board!$D$6")
    sheet.conditional_formatting.add("D4:D5", CellIsRule("greaterThan", ["$D$6"]))
    chart = BarChart()
    chart.add_data(Reference(sheet, min_col=4, min_row=4, max_row=5))
    sheet.add_chart(chart, "A10")
    book.save(here / "board.xlsx")
    return here / "board.xlsx"


def test_rows_are_put_into_a_template_and_all_below_moves_along(here: Path, short: Path) -> None:
    del short
    write(here, OUT.format(at="Figures") + 'more_rows = "insert"\n')
    book = openpyxl.load_workbook(here / "filled.xlsx")
    sheet = book["Board"]
    assert [sheet.cell(row, 1).value for row in range(4, 10)] == ["N4", "S1/2", "=1+1", "Total", "All", None]
    assert [sheet.cell(row, 5).value for row in range(4, 9)] == ["=D4*2", "=D5*2", "=D6*2", "=D7*2", None]
    assert sheet["A7"].font.italic, "new rows look like the one above"
    assert [sheet.row_dimensions[row].height for row in (5, 7, 8, 10)] == [30, 30, None, 44]
    assert sheet["D8"].value == "=SUM(D4:D7)"
    assert sheet["A10"].value == "Keep this line"
    assert {str(area) for area in sheet.merged_cells.ranges} == {"A10:D10", "G4:G7"}
    assert [book["It's noted"][cell].value for cell in ("A1", "A2")] == ['=Board!D8 & "D6"', "=SUM(Board!$D$4:$D$7)"]
    assert book.defined_names["Figures"].attr_text == "Board!$A$4:$D$7"
    assert book.defined_names["Grand"].attr_text == "Board!$D$8"
    (rule,) = sheet.conditional_formatting
    assert (str(rule.sqref), rule.rules[0].formula) == ("D4:D7", ["$D$8"])
    (chart,) = sheet._charts
    assert chart.anchor._from.row == 11
    assert chart.series[0].val.numRef.f == "'Board'!$D$4:$D$7"


def test_rows_that_do_not_fit_are_refused_where_nothing_else_is_stated(here: Path, short: Path) -> None:
    del short
    with pytest.raises(kb.OutputError, match='more_rows = "insert"'):
        write(here, OUT.format(at="Figures"))
    with pytest.raises(kb.PlanError, match="puts rows into a template"):
        kb.load_plan(
            {
                "kebrin": 1,
                "table": {"t": {"files": "a.csv"}},
                "output": [{"table": "t", "file": "a.xlsx", "more_rows": "insert"}],
            }
        )


def test_the_one_row_of_a_table_is_an_object_on_request(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("day,port,boats\n2031-01-02,Brae,4\n2031-01-03,Wick,5\n", "utf-8")
    sums = {
        "files": "a.csv",
        "layout": {"measures": "heading"},
        "step": [{"sums": [], "of": {"boats": "sum boats", "ports": "distinct port"}}],
    }
    output = {"table": "all", "file": "all.json", "one_row": "object"}
    plan = kb.load_plan({"kebrin": 1, "table": {"all": sums}, "output": [output]}, base=tmp_path)
    for _ in range(2):
        plan.run().write()
        assert json.loads((tmp_path / "all.json").read_text("utf-8")) == {"boats": 9, "ports": 2}
    several = {"kebrin": 1, "table": {"all": {"files": "a.csv"}}, "output": [output]}
    with pytest.raises(kb.OutputError, match="the table has 2 rows, and one is written as an object"):
        kb.load_plan(several, base=tmp_path).run().write()
    with pytest.raises(kb.PlanError, match="is that of a"):
        kb.load_plan({**several, "output": [{**output, "file": "all.csv"}]})
