"""The commands as a person meets them: what they print, write and return."""

from __future__ import annotations

import csv
import json
import shlex
import subprocess
import sys
from typing import TYPE_CHECKING

import openpyxl
import pyarrow.parquet as pq
import pytest

from building import write_book

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


def records(path: Path) -> list[dict[str, str]]:
    return list(csv.DictReader(path.read_text("utf-8").splitlines()))


def test_the_demo_ends_proved_and_its_traces_lead_to_the_cells(tmp_path: Path, kebrin: Kebrin) -> None:
    result = kebrin("demo", "d")
    assert result.returncode == 0, result.stderr
    assert "Proved: nothing was lost" in result.stdout
    rows = records(tmp_path / "d/out/traffic.csv")
    assert len(rows) == pq.ParquetFile(tmp_path / "d/out/traffic.parquet").read().num_rows == 1267
    for row in (1, 100, 700, 1267):
        told = json.loads(kebrin("trace", "d/out/traffic.csv", row, "--json").stdout)
        cell = openpyxl.load_workbook(tmp_path / told["file"])[told["sheet"]][told["cell"]].value
        assert float(str(cell).rstrip("*")) == float(rows[row - 1]["carried"])
        assert told["record"] == {name: value or None for name, value in rows[row - 1].items()}
        assert told["record"]["year"] in told["file"]


def test_tidy_without_a_plan_stacks_the_sheets_and_stamps_what_tells_them_apart(demo: Path, kebrin: Kebrin) -> None:
    result = kebrin("tidy", "traffic_2031.xlsx", "-o", "t.csv")
    assert result.returncode == 0, result.stderr
    rows = records(demo / "t.csv")
    assert list(rows[0]) == [
        "sheet", "Route", "Route code", "Season", "Prepared on", "Direction", "Sailing", "quarter", "month", "heading 3", "value",
    ]  # fmt: skip
    assert {row["sheet"] for row in rows} == {"North Loop", "Skerry Line", "Outer Sound"}
    assert sum(float(row["value"] or 0) for row in rows) == pytest.approx(66211.7)
    assert "Total" not in {row["month"] for row in rows}


def test_two_files_are_told_apart_by_their_names(demo: Path, kebrin: Kebrin) -> None:
    assert kebrin("tidy", "traffic_*.xlsx", "-o", "t.parquet").returncode == 0
    table = pq.ParquetFile(demo / "t.parquet").read()
    assert table.column_names[:2] == ["year", "sheet"]
    assert set(table["year"].to_pylist()) == {"2030", "2031"}


def test_what_file_names_differ_in_is_drafted_as_a_pattern(tmp_path: Path, kebrin: Kebrin) -> None:
    for day in ("2031-04-01", "2031-04-02"):
        write_book(
            tmp_path / f"sailings_{day}.xlsx", {"Day": [["Sailing", "Foot", "Cars"], ["07:15", 1, 2], ["10:40", 3, 4]]}
        )
    assert kebrin("tidy", "sailings_*.xlsx", "-o", "t.csv").returncode == 0
    assert {row["date"] for row in records(tmp_path / "t.csv")} == {"2031-04-01", "2031-04-02"}
    assert kebrin("draft", "sailings_*.xlsx", "-o", "p.toml").returncode == 0
    assert "date = \"file name, 'sailings_(.+)\\\\.xlsx'\"" in (tmp_path / "p.toml").read_text("utf-8")


@pytest.mark.parametrize("ending", ["csv", "parquet", "xlsx"])
def test_a_trace_works_from_every_format_and_any_folder(ending: str, demo: Path, kebrin: Kebrin) -> None:
    (demo / "in").mkdir()
    (demo / "traffic_2031.xlsx").rename(demo / "in/traffic_2031.xlsx")
    assert kebrin("tidy", "in/traffic_2031.xlsx", "-o", f"out/t.{ending}").returncode == 0
    (demo / "elsewhere").mkdir()
    (demo / "in").rename(demo / "elsewhere/in")
    (demo / "out").rename(demo / "elsewhere/out")
    told = json.loads(kebrin("trace", f"elsewhere/out/t.{ending}", 100, "--json").stdout)
    assert (told["sheet"], told["cell"], told["said"]) == ("North Loop", "AO12", "15.1")
    assert float(told["record"]["value"]) == 15.1


def test_a_trace_refuses_what_it_can_not_vouch_for(demo: Path, kebrin: Kebrin) -> None:
    kebrin("tidy", "traffic_2031.xlsx", "-o", "t.csv")
    assert "there is no row 9,999: the table has rows 1 to 633" in kebrin("trace", "t.csv", 9999).stderr
    assert "'Sailing' is a label, not a measure" in kebrin("trace", "t.csv", 1, "Sailing").stderr
    assert "Did you mean 'value'?" in kebrin("trace", "t.csv", 1, "valu").stderr
    write_book(demo / "traffic_2031.xlsx", {"North Loop": [["Sailing", "Foot"], ["07:15", 1]]})
    assert "has changed since this output was written" in kebrin("trace", "t.csv", 1).stderr
    with (demo / "t.csv").open("a") as file:
        file.write("one more line\n")
    assert "the output has been changed since it was written" in kebrin("trace", "t.csv", 1).stderr
    (demo / "t.csv.proof.json").unlink()
    assert "the output has no proof beside it" in kebrin("trace", "t.csv", 1).stderr


@pytest.mark.usefixtures("demo")
def test_survey_tells_roles_and_reasons(kebrin: Kebrin) -> None:
    shown = kebrin("survey", "traffic_2031.xlsx").stdout
    assert "block          A7:AX20" in shown
    assert "because total row 14: it equals the sum of the 4 lines before it and is called 'Outbound total'" in shown
    assert "fields         Route: Skarrow – Hallan (B4); Route code: N4 (H4)" in shown
    # Of a sheet of the same form what differs is said, and nothing else.
    _, _, other = shown.partition("Sheet Skerry Line")
    assert "laid out as North Loop; what differs:" in other
    assert "Route code: S2 (H4)" in other
    assert "boxhead" not in other
    assert "Prepared on" not in other
    told = json.loads(kebrin("survey", "traffic_2031.xlsx", "--json").stdout)
    sheet = told["reports"][0]["sheets"][1]
    assert sheet["blocks"][0]["body"]["rows"] == [10, 11, 12, 13, 15, 16, 17, 18]
    assert sheet["ledger"]["unclaimed"] == []


def test_survey_draws_a_map_of_each_sheet_with_a_block(kebrin: Kebrin, demo: Path) -> None:
    shown = kebrin("survey", "traffic_2031.xlsx", "--picture", "map.png").stdout
    assert "map.North_Loop.png" in shown
    for name in ("North_Loop", "Skerry_Line", "Outer_Sound"):
        picture = (demo / f"map.{name}.png").read_bytes()
        assert picture.startswith(b"\x89PNG")
        assert 1200 <= int.from_bytes(picture[16:20], "big") <= 1400
    assert not (demo / "map.Cover.png").exists()


def test_a_draft_is_shown_and_runs(kebrin: Kebrin, demo: Path) -> None:
    result = kebrin("draft", "traffic_2030.xlsx", "traffic_2031.xlsx", "-o", "new.plan.toml")
    assert result.returncode == 0, result.stderr
    assert 'boxhead = ["quarter", "month", "heading 3"]' in result.stdout
    assert kebrin("run", "new.plan.toml").returncode == 0
    assert kebrin("tidy", "traffic_*.xlsx", "-o", "t.csv").returncode == 0
    assert (demo / "out/traffic.csv").read_bytes() == (demo / "t.csv").read_bytes()
    assert "written over a source" in kebrin("draft", "traffic_2030.xlsx", "-o", "traffic_2030.xlsx").stderr


@pytest.mark.usefixtures("demo")
def test_json_of_tidy_and_run_is_whole(kebrin: Kebrin) -> None:
    (table,) = json.loads(kebrin("tidy", "traffic_2031.xlsx", "-o", "t.csv", "--json").stdout)["tables"]
    assert (table["rows"], table["proof"]["holds"], table["proof"]["ledger"]["unclaimed"]) == (633, True, 0)
    told = json.loads(kebrin("run", "traffic.plan.toml", "--json").stdout)
    assert [output["held back"] for output in told["outputs"]] == [False, False]
    error = json.loads(kebrin("run", "nowhere.toml", "--json").stdout)
    assert error["error"] == "PlanError"


def test_unlike_sheets_become_tables_of_their_own(tmp_path: Path, kebrin: Kebrin) -> None:
    write_book(tmp_path / "r.xlsx", {
        "Traffic": [["Sailing", "Foot", "Cars"], ["07:15", 1, 2]],
        "Fuel": [["Vessel", "Week", "Litres", "Cost"], ["Gull", "W1", 500, 610], ["Tern", "W1", 420, 512]],
        "Letter": [["Dear Board"]],
    })  # fmt: skip
    result = kebrin("tidy", "r.xlsx", "-o", "t.csv")
    assert result.returncode == 0, result.stdout + result.stderr
    assert (tmp_path / "t.csv").exists()
    assert (tmp_path / "t.Fuel.csv").exists()
    assert "Letter: no table was found" in result.stdout


def test_hidden_sheets_are_left_out_and_said(tmp_path: Path, kebrin: Kebrin) -> None:
    path = write_book(tmp_path / "r.xlsx", {name: [["Sailing", "Foot", "Cars"], ["07:15", 1, 2]] for name in "ABC"})
    book = openpyxl.load_workbook(path)
    book["B"].sheet_state, book["C"].sheet_state = "hidden", "veryHidden"
    book.save(path)
    shown = kebrin("tidy", "r.xlsx", "-o", "t.csv").stdout
    assert "B (6 cells): hidden" in shown
    assert "C (6 cells): very hidden" in shown
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.xlsx"\nsheets = "C"\n[[output]]\ntable = "t"\nfile = "c.csv"\n'
    )
    assert kebrin("run", "p.toml").returncode == 0


def test_wrong_use_is_told_before_any_work(demo: Path, kebrin: Kebrin) -> None:
    result = kebrin("tidy", "traffic_2031.xlsx", "-o", "t.docx")
    assert result.returncode == 2
    assert "the endings known are .csv, .parquet, .xlsx" in result.stderr
    assert kebrin("tidy", "nothing_*.xlsx", "-o", "t.csv").returncode == 3
    assert kebrin("tidy").returncode == 2
    result = kebrin("tidy", "traffic_2031.xlsx", "-o", "traffic_2031.xlsx")
    assert "written over a source" in result.stderr
    assert result.returncode == 2
    assert not (demo / "t.docx").exists()


def test_help_and_version_answer_without_heavy_packages(kebrin: Kebrin) -> None:
    assert kebrin("--version").stdout.startswith("kebrin 0.")
    for command in ("tidy", "survey", "draft", "run", "trace", "demo"):
        shown = kebrin(command, "--help").stdout
        assert f"Example: kebrin {command}" in shown


def test_a_closed_standard_output_is_no_fault(tmp_path: Path) -> None:
    source = tmp_path / "quays.csv"
    source.write_text("Quay,Jan,Feb\nEast,1,2\nWest,3,4\n", encoding="utf-8")
    command = f'"{sys.executable}" -m kebrin survey "{source}" >&-'
    done = subprocess.run(["/bin/sh", "-c", command], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")


def test_the_hint_to_trace_is_a_command_that_works(kebrin: Kebrin, demo: Path) -> None:
    hint = kebrin("tidy", demo / "dues.prn", "-o", "dues.csv").stdout.splitlines()[-1]
    words = shlex.split(hint.partition(" trace ")[2])
    assert words == ["dues.csv", "1", "Calls"]
    assert "48 (text)" in kebrin("trace", *words).stdout


@pytest.mark.parametrize("ending", ["csv", "parquet", "xlsx", "json", "jsonl", "sqlite"])
def test_a_row_is_traced_by_what_it_says(tmp_path: Path, kebrin: Kebrin, ending: str) -> None:
    rows = [["Quay", "2030", "2031"], ["North", 12, 31], ["South", 44, 20], ["West", 9, None]]
    write_book(tmp_path / "r.xlsx", {"Foot": rows})
    assert kebrin("tidy", "r.xlsx", "-o", f"t.{ending}").returncode == 0
    found = kebrin("trace", f"t.{ending}", "--where", "Quay=South", "--where", "year=2031", "--json")
    assert json.loads(found.stdout)["cell"] == "C3"
    assert (
        "there are 2 rows in which Quay is 'South': they are the rows 3, 4"
        in kebrin("trace", f"t.{ending}", "--where", "Quay=South").stderr
    )
    assert "no row in which Quay is 'Wick'" in kebrin("trace", f"t.{ending}", "--where", "Quay=Wick").stderr
    assert "Did you mean 'Quay'?" in kebrin("trace", f"t.{ending}", "--where", "quay=Wick").stderr


def test_a_trace_takes_a_row_or_what_it_says(demo: Path, kebrin: Kebrin) -> None:
    assert kebrin("tidy", "traffic_2031.xlsx", "-o", "t.csv").returncode == 0
    assert "a row, or what the row says" in kebrin("trace", "t.csv").stderr
    assert "a row, or what the row says" in kebrin("trace", "t.csv", "3", "--where", "month=Nov").stderr
    assert "names no value" in kebrin("trace", "t.csv", "--where", "month").stderr
    assert kebrin("tidy", "dues.prn", "-o", "d.csv").returncode == 0
    first = next(csv.DictReader((demo / "d.csv").read_text("utf-8").splitlines()))
    where = [word for name, value in first.items() if name != "Dues" for word in ("--where", f"{name}={value}")]
    by_words = kebrin("trace", "d.csv", *where, "--measure", "Dues", "--json")
    assert by_words.stdout == kebrin("trace", "d.csv", "1", "Dues", "--json").stdout
    assert json.loads(by_words.stdout)["column"] == "Dues"
    (demo / "t.csv.proof.json").write_text('{"kebrin proof": 1}', "utf-8")
    assert "the proof is damaged" in kebrin("trace", "t.csv", "--where", "month=Nov").stderr


def test_a_reader_that_stops_reading_is_no_failure(demo: Path) -> None:
    one = [sys.executable, "-P", "-m", "kebrin", "tidy", "fuel.ods", "-o", "piped.csv"]
    with subprocess.Popen(one, cwd=demo, stdout=subprocess.PIPE, stderr=subprocess.PIPE) as run:
        assert run.stdout is not None
        assert run.stderr is not None
        run.stdout.close()
        told = run.stderr.read()
    assert (run.returncode, told) == (0, b"")
    assert (demo / "piped.csv").exists()
