"""What stands where an output goes, names that are patterns, databases, documents and metadata, as a plan states them."""

from __future__ import annotations

import csv
import datetime as dt
import json
import sqlite3
import subprocess
import sys
import zipfile
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import openpyxl
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import sqlalchemy
from python_calamine import CalamineWorkbook

import kebrin as kb
from kebrin.deliver import locks, publish
from kebrin.deliver.tracing import row_where, trace
from kebrin.deliver.writing.books import Page, write_book
from kebrin.table import Table

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.deliver.outputs import Target
    from kebrin.deliver.publish import Published

HEAD = """kebrin = 1
[table.traffic]
files = "r.csv"
[table.traffic.layout]
measure = "carried"
[[table.traffic.step]]
fixed = "season"
value = "summer"
"""
MARCH = ["Route,Class,Jan,Feb", "N4,Foot,10,12", "N4,Cars,1,2", "S1/2,Foot,5,6"]
APRIL = ["Route,Class,Jan,Feb", "N4,Foot,20,22", "Q9,Foot,7,8"]


class Bench:
    """A folder with a report and a plan."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.report(MARCH)

    def report(self, lines: list[str]) -> None:
        (self.folder / "r.csv").write_text("\n".join(lines) + "\n", "utf-8")

    def run(self, output: str, head: str = HEAD) -> tuple[Published, ...]:
        (self.folder / "p.toml").write_text(f"{head}[[output]]\ntable = 'traffic'\n{output}\n", "utf-8")
        return kb.load_plan(self.folder / "p.toml").run().write()

    def lines(self, name: str) -> list[list[str]]:
        with (self.folder / name).open(encoding="utf-8", newline="") as text:
            return list(csv.reader(text))

    def sheets(self, name: str) -> dict[str, list[list[Any]]]:
        book = openpyxl.load_workbook(self.folder / name)
        return {sheet.title: [[cell.value for cell in row] for row in sheet.iter_rows()] for sheet in book}


@pytest.fixture
def bench(tmp_path: Path) -> Bench:
    return Bench(tmp_path)


@pytest.mark.parametrize("ending", ["csv", "jsonl", "parquet", "sqlite", "xlsx"])
def test_rows_are_appended_to_those_of_the_same_columns_and_never_twice(bench: Bench, ending: str) -> None:
    said = f"file = 'log.{ending}'\nif_there = 'append'"
    (first,) = bench.run(said)
    assert not first.added
    before = (bench.folder / f"log.{ending}").read_bytes()
    (again,) = bench.run(said)
    assert again.left
    assert (bench.folder / f"log.{ending}").read_bytes() == before
    bench.report(APRIL)
    (second,) = bench.run(said)
    assert second.added
    found: list[Any]
    if ending == "csv":
        found = [float(line[-2]) for line in bench.lines("log.csv")[1:]]
    elif ending == "jsonl":
        found = [json.loads(line)["carried"] for line in (bench.folder / "log.jsonl").read_text().splitlines()]
    elif ending == "parquet":
        found = pq.read_table(bench.folder / "log.parquet").column("carried").to_pylist()
    elif ending == "sqlite":
        found = [row[0] for row in sqlite3.connect(bench.folder / "log.sqlite").execute("SELECT carried FROM traffic")]
    else:
        found = [row[3] for row in bench.sheets("log.xlsx")["traffic"][1:]]
    assert found == [10, 12, 1, 2, 5, 6, 20, 22, 7, 8]


@pytest.mark.parametrize("ending", ["csv", "jsonl", "parquet", "sqlite", "xlsx"])
def test_rows_are_not_appended_to_other_columns(bench: Bench, ending: str) -> None:
    said = f"file = 'log.{ending}'\nif_there = 'append'"
    bench.run(said)
    before = (bench.folder / f"log.{ending}").read_bytes()
    bench.report(["Route,Kind,Jan,Feb", "N4,Foot,20,22", "Q9,Foot,7,8"])
    with pytest.raises(kb.OutputError, match=r"only the table has 'Kind'; only the file has 'Class'"):
        bench.run(said)
    assert (bench.folder / f"log.{ending}").read_bytes() == before


def test_rows_are_appended_to_a_file_of_somebody_elses_with_no_line_end(bench: Bench) -> None:
    (bench.folder / "log.csv").write_text("Route,Class,month,carried,season\nN1,Foot,Jan,4,winter", "utf-8")
    bench.run("file = 'log.csv'\nif_there = 'append'")
    assert bench.lines("log.csv")[1:3] == [
        ["N1", "Foot", "Jan", "4", "winter"],
        ["N4", "Foot", "Jan", "10", "summer"],
    ]


def test_a_text_is_appended_in_the_stated_form(bench: Bench) -> None:
    said = "file = 'log.csv'\nif_there = 'append'\ndelimiter = ';'\nencoding = 'utf-16'\nline_ends = 'crlf'"
    bench.run(said)
    bench.report(APRIL)
    bench.run(said)
    text = (bench.folder / "log.csv").read_bytes().decode("utf-16")
    assert text.count("\r\n") == 11
    assert "\ufeff" not in text


def test_what_stands_there_is_left_or_given_a_neighbour(bench: Bench) -> None:
    (bench.folder / "t.csv").write_text("mine", "utf-8")
    with pytest.raises(kb.OutputError, match="if_there"):
        bench.run("file = 't.csv'")
    (left,) = bench.run("file = 't.csv'\nif_there = 'leave'")
    assert left.left
    assert (bench.folder / "t.csv").read_text() == "mine"
    (beside,) = bench.run("file = 't.csv'\nif_there = 'new name'")
    assert beside.path.name == "t_2.csv"
    (over,) = bench.run("file = 't.csv'\nif_there = 'replace'")
    assert over.path.name == "t.csv"
    assert bench.lines("t.csv")[0][0] == "Route"


def test_a_new_name_where_nothing_stands_waits_for_nobody(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(locks, "SECONDS", 2.0)
    (first,) = bench.run("file = 't.csv'\nif_there = 'new name'")
    assert first.path.name == "t.csv"


def test_runs_at_once_that_choose_names_leave_an_output_each(bench: Bench) -> None:
    bench.run("file = 't.csv'\nif_there = 'new name'\n[[output]]\ntable = 'traffic'\nfile = 'u_{number}.csv'")
    one = [sys.executable, "-P", "-m", "kebrin", "run", str(bench.folder / "p.toml")]
    runs = [subprocess.Popen(one, stdout=subprocess.DEVNULL) for _ in range(3)]
    assert [run.wait() for run in runs] == [0, 0, 0]
    names = {path.name for path in bench.folder.glob("*.csv")} - {"r.csv"}
    assert names == {"t.csv", "t_2.csv", "t_3.csv", "t_4.csv", *(f"u_{at}.csv" for at in range(1, 5))}


def test_one_output_that_may_be_replaced_opens_no_other(bench: Bench) -> None:
    (bench.folder / "u.csv").write_text("mine", "utf-8")
    with pytest.raises(kb.OutputError, match="another file"):
        bench.run("file = 't.csv'\nif_there = 'replace'\n[[output]]\ntable = 'traffic'\nfile = 'u.csv'")
    assert not (bench.folder / "t.csv").exists()


def test_other_sheets_of_a_workbook_stay(bench: Bench) -> None:
    book = openpyxl.Workbook()
    book.active.title = "Notes"
    book["Notes"]["B2"] = "do not lose me"
    book["Notes"]["B3"] = "=1+1"
    book.save(bench.folder / "b.xlsx")
    for _ in range(2):  # the second time over its own sheet
        bench.run("file = 'b.xlsx'\nif_there = 'keep other sheets'")
    made = bench.sheets("b.xlsx")
    assert list(made) == ["Notes", "traffic"]
    assert made["Notes"][2][1] == "=1+1"
    assert made["traffic"][1] == ["N4", "Foot", "Jan", 10, "summer"]


def test_a_sheet_of_a_persons_is_not_replaced_and_nothing_of_a_workbook_is_lost_without_a_word(bench: Bench) -> None:
    book = openpyxl.Workbook()
    book.active.title = "traffic"
    book["traffic"]["A1"] = "mine"
    book.save(bench.folder / "b.xlsx")
    with pytest.raises(kb.OutputError, match="the sheet 'traffic' was not written by Kebrin"):
        bench.run("file = 'b.xlsx'\nif_there = 'keep other sheets'")
    assert bench.sheets("b.xlsx")["traffic"] == [["mine"]]
    with zipfile.ZipFile(bench.folder / "b.xlsx", "a") as package:
        package.writestr("xl/ctrlProps/ctrlProp1.xml", "<formControlPr/>")
    with pytest.raises(kb.OutputError, match="buttons and controls can't be written again"):
        bench.run("file = 'b.xlsx'\nsheet = 'new'\nif_there = 'keep other sheets'")
    (bench.folder / "b.xlsx").rename(bench.folder / "form.xlsx")
    (made,) = bench.run("file = 'c.xlsx'\ntemplate = 'form.xlsx'\nat = 'traffic!C1'")
    assert "the template holds buttons and controls, which the written workbook lacks" in made.said


def test_sheets_that_no_value_owns_any_more_are_told_and_removed_where_the_plan_says_so(bench: Bench) -> None:
    said = "file = 'b.xlsx'\nby = 'Route'"
    bench.run(said)
    bench.report(APRIL)
    (told,) = bench.run(said)
    assert "'S1 2'" in told.said[0]
    assert list(bench.sheets("b.xlsx")) == ["N4", "S1 2", "Q9"]
    (again,) = bench.run(said)
    assert again.said == told.said
    (gone,) = bench.run(said + "\nstale = 'remove'")
    assert "taken out" in gone.said[0]
    assert list(bench.sheets("b.xlsx")) == ["N4", "Q9"]


def test_files_that_no_value_owns_any_more_are_told_and_removed_where_the_plan_says_so(bench: Bench) -> None:
    said = "file = 'by {value}.csv'\nby = 'Route'"
    bench.run("file = 'by hand.csv'")
    bench.run(said)
    bench.report(APRIL)
    findings = "\n[[output]]\nwhat = 'findings'\nfile = 'look.csv'"
    published = bench.run(said + findings)
    assert "by S1_2.csv" in published[0].said[0]
    assert bench.lines("look.csv")[1][1:4:2] == ["output", "by S1_2.csv"]
    bench.run(said + "\nstale = 'remove'")
    assert sorted(path.name for path in bench.folder.glob("by*.csv")) == ["by N4.csv", "by Q9.csv", "by hand.csv"]


def test_names_hold_what_a_column_says_and_the_next_number(bench: Bench) -> None:
    (one,) = bench.run("file = '{season}/{number}.csv'")
    bench.report(APRIL)
    (two,) = bench.run("file = '{season}/{number}.csv'")
    assert [one.path.name, two.path.name] == ["1.csv", "2.csv"]
    assert one.path.parent.name == "summer"
    with pytest.raises(kb.OutputError, match="the table has 2: Jan, Feb"):
        bench.run("file = '{month}.csv'")
    with pytest.raises(kb.OutputError, match=r"Did you mean \{season\}"):
        bench.run("file = '{saeson}.csv'")
    (dated,) = bench.run("file = 'of {run date}.csv'")
    assert len(dated.path.stem) == len("of 2031-01-01")


def test_a_key_is_checked_before_anything_is_written(bench: Bench) -> None:
    with pytest.raises(kb.OutputError, match="4 rows have Route 'N4'"):
        bench.run("file = 't.csv'\nkey = ['Route']")
    assert not (bench.folder / "t.csv").exists()


def test_metadata_describes_the_text_beside_it(bench: Bench) -> None:
    bench.run("file = 't.csv'\nmetadata = true\ndelimiter = ';'\nkey = ['Route', 'Class', 'month']")
    said = json.loads((bench.folder / "t.csv-metadata.json").read_text("utf-8"))
    assert said["url"] == "t.csv"
    assert said["dialect"]["delimiter"] == ";"
    assert [column["datatype"] for column in said["tableSchema"]["columns"]] == [
        "string", "string", "string", "double", "string",
    ]  # fmt: skip
    assert said["tableSchema"]["primaryKey"] == ["Route", "Class", "month"]


def test_a_document_holds_numbers_and_texts_as_such(bench: Bench) -> None:
    bench.report([*MARCH, "=1+1,Foot,7,8"])
    bench.run("file = 't.ods'\nsheet = 'For the Board'\nheading = true")
    book = CalamineWorkbook.from_path(bench.folder / "t.ods")
    rows = book.get_sheet_by_index(0).to_python()
    assert book.sheet_names == ["For the Board"]
    assert rows[0][0] == "For the Board"
    assert rows[2] == ["Route", "Class", "month", "carried", "season"]
    assert rows[-1] == ["=1+1", "Foot", "Feb", 8.0, "summer"]
    first = (bench.folder / "t.ods").read_bytes()
    bench.run("file = 't.ods'\nsheet = 'For the Board'\nheading = true")
    assert (bench.folder / "t.ods").read_bytes() == first


@pytest.mark.parametrize("said", [
    "file = 't.ods'", "file = 't.jsonl'", "file = 't.sqlite'", "file = 't.xlsx'\nsheet = 'A'\nheading = true",
    "file = 't.csv'\ndelimiter = ';'\nencoding = 'utf-16'", "file = 't.parquet'",
])  # fmt: skip
def test_values_are_traced_from_every_kind_of_file(bench: Bench, said: str) -> None:
    (published,) = bench.run(said)
    found = trace(published.path, 5)
    assert found.origin.cell == "C4"
    assert float(found.value) == 5.0
    assert found.record["Route"] == "S1/2"


PREPARED = "file = 'filled.xlsx'\ntemplate = 'board.xlsx'\nat = 'Board!B3'\n"


@pytest.mark.parametrize(("said", "where", "sheet", "value"), [
    ("file = 't_{value}.csv'\nby = 'Class'", {"Route": "S1/2", "month": "Jan"}, "", 5.0),
    ("file = 't_{value}.csv'\nby = 'Class'\nmark = true", {"Route": "S1/2", "month": "Jan"}, "", 5.0),
    ("file = 't.xlsx'\nby = 'month'\nheading = true", {"Route": "S1/2", "Class": "Foot"}, "Feb", 6.0),
    ("file = 't.ods'\nby = 'month'", {"Route": "S1/2", "Class": "Foot"}, "Feb", 6.0),
    (f"{PREPARED}headings = true", {"Route": "S1/2", "month": "Jan"}, "", 5.0),
    (f"{PREPARED}turned = true", {"Route": "S1/2", "month": "Jan"}, "", 5.0),
])  # fmt: skip
def test_values_are_traced_from_files_by_group_sheets_and_prepared_workbooks(
    bench: Bench, said: str, where: dict[str, str], sheet: str, value: float
) -> None:
    book = openpyxl.Workbook()
    book.active.title = "Board"
    book.save(bench.folder / "board.xlsx")
    published = bench.run(said)
    path = next(one.path for one in published if "Cars" not in one.path.name)
    row = row_where(path, where, sheet=sheet)
    found = trace(path, row, sheet=sheet)
    assert (float(found.value), float(found.said)) == (value, value)
    assert found.record["Route"] == "S1/2"
    if sheet:
        with pytest.raises(kb.PlanError, match=r"several sheets.*Jan, Feb"):
            trace(path, row)
        with pytest.raises(kb.PlanError, match="Did you mean 'Feb'"):
            trace(path, row, sheet="Febr")


@pytest.mark.parametrize("ending", ["csv", "parquet", "jsonl", "json", "sqlite", "xlsx", "ods"])
def test_what_was_written_is_read_back_before_it_takes_its_place(
    bench: Bench, ending: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    bench.run(f"file = 't.{ending}'")
    before = (bench.folder / f"t.{ending}").read_bytes()
    write = publish._write

    def short(target: Target, *others: Any) -> Any:
        (page,) = target.pages
        rows = page.table.data.slice(0, len(page.table) - 1)
        return write(replace(target, pages=(replace(page, table=replace(page.table, data=rows)),)), *others)

    monkeypatch.setattr(publish, "_write", short)
    bench.report(APRIL)
    with pytest.raises(kb.OutputError, match="it has 3 rows and the table 4"):
        bench.run(f"file = 't.{ending}'")
    assert (bench.folder / f"t.{ending}").read_bytes() == before


def test_values_of_sorted_rows_by_group_lead_to_their_own_cells(bench: Bench) -> None:
    sort = '[[table.traffic.step]]\nsort = "carried"\nfalling = "carried"\n'
    for one in bench.run("file = 't_{value}.csv'\nby = 'Class'", HEAD + sort):
        for row in range(1, one.rows + 1):
            found = trace(one.path, row)
            assert float(found.value) == float(found.said)


def test_what_a_step_looked_up_or_computed_is_led_back_to_its_line_or_its_columns(bench: Bench) -> None:
    (bench.folder / "ports.csv").write_text("code,port\nS1/2,Brae\n", "utf-8")
    steps = """[[table.t.step]]
lookup = ["port"]
using = "ports.csv"
by = { Route = "code" }
unmatched = "keep"
[[table.t.step]]
compute = "both ways"
formula = "carried * 2"
"""
    (published,) = bench.run("file = 't.csv'", HEAD + steps.replace("table.t.", "table.traffic."))
    with pytest.raises(kb.PlanError, match=r"looked up in ports.csv by Route; on row 5 Route \(code there\) is 'S1/2'"):
        trace(published.path, 5, "port")
    with pytest.raises(kb.PlanError, match=r"computed: carried \* 2; on row 5 carried is '5'. Trace carried"):
        trace(published.path, 5, "both ways")


def database(bench: Bench) -> sqlalchemy.Engine:
    return sqlalchemy.create_engine(f"sqlite:///{bench.folder / 'out.db'}")


def test_a_database_takes_a_table_with_its_kinds_and_its_key(bench: Bench) -> None:
    said = "database = 'sqlite:///out.db'\ninto = 'carried'\nkey = ['Route', 'Class', 'month']"
    (published,) = bench.run(said)
    assert published.place == "carried in sqlite:///out.db"
    inspected = sqlalchemy.inspect(database(bench))
    assert inspected.get_pk_constraint("carried")["constrained_columns"] == ["Route", "Class", "month"]
    assert isinstance(inspected.get_columns("carried")[3]["type"], sqlalchemy.Double | sqlalchemy.REAL)
    with pytest.raises(kb.OutputError, match="stands in the database"):
        bench.run(said)
    bench.report(APRIL)
    bench.run(said + "\nif_there = 'replace'")
    bench.report(["Route,Class,Jan,Feb", "A,Foot,20,22", "B,Foot,7,8"])
    bench.run(said + "\nif_there = 'append'")
    with database(bench).connect() as base:
        assert base.execute(sqlalchemy.text("SELECT count(*), sum(carried) FROM carried")).one() == (8, 114.0)


def test_a_database_that_goes_away_midway_is_as_it_was(bench: Bench) -> None:
    said = "database = 'sqlite:///out.db'\ninto = 'carried'\nif_there = 'replace'"
    bench.run(said)
    bench.report(APRIL)

    def lose(_connection: Any, _cursor: Any, statement: str, *_: Any) -> None:
        if statement.startswith("INSERT"):
            raise sqlalchemy.exc.OperationalError(statement, {}, Exception("the connection was lost"))

    sqlalchemy.event.listen(sqlalchemy.Engine, "before_cursor_execute", lose)
    try:
        with pytest.raises(kb.OutputError, match="nothing in it was changed"):
            bench.run(said)
    finally:
        sqlalchemy.event.remove(sqlalchemy.Engine, "before_cursor_execute", lose)
    with database(bench).connect() as base:
        assert base.execute(sqlalchemy.text("SELECT count(*), sum(carried) FROM carried")).one() == (6, 36.0)


@pytest.mark.parametrize(("said", "why"), [
    ("database = 'sqlite:///none/such/x.db'\nfile = 't.csv'", "a file or a database"),
    ("database = 'nowhere'", "can't be read"),
    ("database = 'env:KEBRIN_TEST_NOT_SET'", "from the environment and does not say so"),
    ("database = 'sqlite:///r.csv'", "did not take the table"),
    ("file = 't.csv'\nby = 'Route'", "{value}"),
    ("file = '{value}.csv'", "state by"),
    ("file = 't.ods'\nif_there = 'append'", "can't be appended"),
    ("file = 't.csv'\nif_there = 'keep other sheets'", "xlsx"),
    ("file = 't.xlsx'\nmetadata = true", "csv"),
    ("file = 't.csv'\nif_there = 'apend'", "append"),
])  # fmt: skip
def test_what_is_wrong_is_told_in_our_words(bench: Bench, said: str, why: str) -> None:
    with pytest.raises(kb.KebrinError) as error:
        bench.run(said)
    assert why in str(error.value)


def test_an_address_in_the_environment_keeps_its_password(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HARBOUR_BOOKS", f"sqlite:///{bench.folder / 'env.db'}")
    head = HEAD.replace("kebrin = 1\n", "kebrin = 1\nenvironment = 'HARBOUR_BOOKS'\n")
    (published,) = bench.run("database = 'env:HARBOUR_BOOKS'", head=head)
    assert published.place == "traffic in env:HARBOUR_BOOKS"
    assert "env.db" not in published.proof_path.read_text("utf-8")


def test_a_table_goes_to_other_libraries(bench: Bench) -> None:
    (bench.folder / "p.toml").write_text(HEAD, "utf-8")
    table = kb.load_plan(bench.folder / "p.toml").run().tables["traffic"]
    frame = table.to_polars()
    assert isinstance(frame, pl.DataFrame)
    assert frame["carried"].sum() == 36.0


def test_a_workbook_holds_every_kind_as_what_it_is(tmp_path: Path) -> None:
    texts = ["=1+1", "a < b & c > d", " two\nlines ", "bell\x07", "_x0041_", None]
    moment = dt.datetime(2031, 4, 1, 7, 15)  # noqa: DTZ001 - cells know no zone
    data = pa.table({
        "text": pa.array(texts),
        "label": pa.array(["N4", "N4", "<S>", None, "N4", "N4"]).dictionary_encode(),
        "figure": pa.array([1.5, -2e20, float("inf"), None, 0.1, 3.0]),
        "count": pa.array([1, 2, 3, None, 5, 6]),
        "yes": pa.array([True, False, None, True, True, False]),
        "day": pa.array([moment.date(), dt.date(1999, 12, 31), None, moment.date(), moment.date(), moment.date()]),
        "moment": pa.array([moment] * 6, pa.timestamp("us")),
        "hour": pa.array([moment.time()] * 6, pa.time64("us")),
    })  # fmt: skip
    write_book([Page("A", Table(data, ("figure",))), Page("B", Table(data.slice(0, 0), ()))], tmp_path / "k.xlsx")
    book = openpyxl.load_workbook(tmp_path / "k.xlsx")
    sheet = book["A"]
    assert [cell.value for cell in sheet["A"]][1:] == [*texts[:3], "bell_x0007_", "_x005F_x0041_", None]
    assert sheet["A2"].data_type in {"s", "inlineStr"}
    assert [cell.value for cell in sheet["B"]][1:] == ["N4", "N4", "<S>", None, "N4", "N4"]
    assert [cell.value for cell in sheet["C"]][1:] == [1.5, -2e20, "#NUM!", None, 0.1, 3]
    assert [cell.value for cell in sheet["E"]][1:] == [True, False, None, True, True, False]
    assert sheet["F3"].value == dt.datetime(1999, 12, 31)  # noqa: DTZ001 - cells know no zone
    assert sheet["G2"].value == moment
    assert sheet["H2"].value == moment.time()
    assert (sheet.dimensions, sheet.freeze_panes, sheet.auto_filter.ref) == ("A1:H7", "A2", "A1:H7")
    assert [cell.value for cell in book["B"][1]] == data.column_names
    rows = CalamineWorkbook.from_path(tmp_path / "k.xlsx").get_sheet_by_name("A").to_python()
    assert rows[1] == ["=1+1", "N4", 1.5, 1.0, True, dt.date(2031, 4, 1), moment, moment.time()]
