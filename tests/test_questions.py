"""Questions: told first, answered where they are asked, and what an open one does to each command."""

from __future__ import annotations

import json
import subprocess
import sys
from typing import TYPE_CHECKING

import pytest

from kebrin.plan.asking import answered, open_questions
from kebrin.plan.plan_file import parse_plan

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

OPEN = "Berth;Due\nB1;1,120\nB2;2,240\nB3;3,360\n"


@pytest.fixture
def dues(tmp_path: Path) -> Path:
    """A list whose amounts may be thousands or not: nothing in it says which."""
    (tmp_path / "dues.csv").write_text(OPEN, "utf-8")
    return tmp_path


def asking(folder: Path, typed: str, *words: str) -> subprocess.CompletedProcess[str]:
    """A command to which something is typed."""
    return subprocess.run(
        [sys.executable, "-m", "kebrin", *words], cwd=folder, input=typed, capture_output=True, text=True, check=False,
        encoding="utf-8",
    )  # fmt: skip


def test_tidy_publishes_texts_as_texts_and_says_how_many_questions_are_open(dues: Path, kebrin: Kebrin) -> None:
    done = kebrin("tidy", "dues.csv", "-o", "t.csv")
    assert done.returncode == 0
    assert "Nothing was lost; 1 question is open" in done.stdout
    assert "Proved" not in done.stdout
    assert done.stdout.index("question is open") < done.stdout.index("source cells")
    assert (dues / "t.csv").read_text("utf-8").splitlines()[1:] == ['B1,"1,120"', 'B2,"2,240"', 'B3,"3,360"']


def test_strict_holds_back_what_is_open(dues: Path, kebrin: Kebrin) -> None:
    done = kebrin("tidy", "dues.csv", "-o", "t.csv", "--strict")
    assert done.returncode == 4
    assert not (dues / "t.csv").exists()
    assert (dues / "t.unproved.csv").exists()
    assert "open question: " in done.stdout


def test_a_run_with_an_open_question_does_not_hold_unless_the_plan_leaves_it_open(dues: Path, kebrin: Kebrin) -> None:
    assert kebrin("draft", "dues.csv", "-o", "p.toml").returncode == 0
    done = kebrin("run", "p.toml")
    assert done.returncode == 4
    assert "open question: " in done.stdout
    plan = (dues / "p.toml").read_text("utf-8")
    (dues / "p.toml").write_text(plan + '\n[proof]\nleave_open = "Due stays text"\n', "utf-8")
    assert kebrin("run", "p.toml").returncode == 0


@pytest.mark.parametrize(("typed", "amounts"), [("1\n", ["1120", "2240"]), ("2\n", ["1.12", "2.24"])])
def test_a_question_is_answered_where_it_is_asked(dues: Path, kebrin: Kebrin, typed: str, amounts: list[str]) -> None:
    asked = asking(dues, typed, "draft", "dues.csv", "-o", "p.toml", "--ask")
    assert asked.returncode == 0, asked.stderr
    assert "Question 1 of 1" in asked.stdout
    assert kebrin("run", "p.toml").returncode == 0
    lines = (dues / "out/dues.csv").read_text("utf-8").splitlines()
    assert [line.split(",")[1] for line in lines[1:3]] == amounts


@pytest.mark.parametrize("typed", ["\n", "", "9\n\n", "x\n\n"])
def test_what_is_no_answer_leaves_the_question_open(dues: Path, kebrin: Kebrin, typed: str) -> None:
    assert asking(dues, typed, "draft", "dues.csv", "-o", "p.toml", "--ask").returncode == 0
    assert "# ? Due" in (dues / "p.toml").read_text("utf-8")
    assert kebrin("run", "p.toml").returncode == 4


def test_each_answer_of_a_draft_is_a_plan_that_can_be_read(dues: Path, kebrin: Kebrin) -> None:
    kebrin("draft", "dues.csv", "-o", "p.toml")
    text = (dues / "p.toml").read_text("utf-8")
    (question,) = open_questions(text)
    for choice in range(len(question.choices)):
        plan = parse_plan(answered(text, question, choice))
        (step,) = plan.table["dues"].step
        assert step.verb == "number"
    assert open_questions(answered(text, question, 0)) == []


def test_a_layout_that_may_be_read_in_two_ways_stops_tidy_and_is_commented_in_the_draft(
    tmp_path: Path, kebrin: Kebrin
) -> None:
    (tmp_path / "r.csv").write_text("North,10,27\nSouth,30,40\nEast,5,6\n", "utf-8")
    done = kebrin("tidy", "r.csv", "-o", "t.csv")
    assert done.returncode == 4
    assert "can be read in two ways" in " ".join(done.stdout.split())
    assert not (tmp_path / "t.csv").exists()
    assert kebrin("draft", "r.csv", "-o", "p.toml").returncode == 0
    assert "# ? " in (tmp_path / "p.toml").read_text("utf-8")


def test_json_lists_the_questions(dues: Path, kebrin: Kebrin) -> None:
    told = json.loads(kebrin("tidy", "dues.csv", "-o", "t.csv", "--json").stdout)
    (table,) = told["tables"]
    assert len(table["proof"]["questions"]) == 1
    assert table["proof"]["headline"] == "Nothing was lost; 1 question is open"
    assert (dues / "t.csv.proof.json").exists()


# The screen.


@pytest.mark.parametrize(
    ("name", "shown"),
    [
        ("Quay [bold]", "Quay [bold]"), ("[/]", "[/]"), ("\x1b[31mred", "␛[31mred"), ("a\u202eb", "a<U+202E>b"),
        ("tab\tname", "tab"), (":smile:", ":smile:"),
    ],
)  # fmt: skip
def test_texts_reach_the_screen_as_they_are_and_do_nothing_to_it(
    tmp_path: Path, kebrin: Kebrin, name: str, shown: str
) -> None:
    (tmp_path / "r.csv").write_text(f'"{name}",Jan,Feb\nEast,1,2\nWest,3,4\n', "utf-8")
    done = kebrin("tidy", "r.csv", "-o", "t.csv")
    assert done.returncode == 0, done.stderr
    assert shown in done.stdout
    assert "\x1b" not in done.stdout
    assert "\u202e" not in done.stdout


@pytest.mark.parametrize("sign", ["\u2028", "\x0c", "\x0b", "\x85"])
def test_only_line_ends_part_lines(tmp_path: Path, kebrin: Kebrin, sign: str) -> None:
    (tmp_path / "r.csv").write_bytes(f"Quay,Jan,Feb\nEa{sign}st,1,2\nWest,3,4\n".encode())
    assert kebrin("tidy", "r.csv", "-o", "t.csv").returncode == 0
    assert len((tmp_path / "t.csv").read_bytes().split(b"\n")) == 6


@pytest.mark.parametrize("word", ["Err:522", "#CALC!", "#N/A", "#REF!"])
def test_one_odd_error_word_is_an_error_cell(tmp_path: Path, kebrin: Kebrin, word: str) -> None:
    (tmp_path / "r.csv").write_text(f"Quay,Jan,Feb\nEast,1,{word}\nWest,3,4\nNorth,5,6\n", "utf-8")
    done = kebrin("tidy", "r.csv", "-o", "t.csv")
    assert done.returncode in {0, 4}
    assert "Traceback" not in done.stderr


def test_printed_commands_can_be_pasted(tmp_path: Path, kebrin: Kebrin) -> None:
    folder = tmp_path / "out of sea"
    folder.mkdir()
    (folder / "r.csv").write_text("Quay,Jan,Feb\nEast,1,2\nWest,3,4\n", "utf-8")
    done = kebrin("tidy", "out of sea/r.csv", "-o", "out of sea/t.csv")
    (line,) = [line for line in done.stdout.splitlines() if line.startswith("See the cell behind a value: ")]
    command = line.partition(": ")[2].replace("kebrin ", "-m kebrin ", 1)
    traced = subprocess.run(
        ["/bin/sh", "-c", f"{sys.executable} {command}"], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert "B2" in traced.stdout, command + traced.stderr


# Survey: the readings that were weighed, and both answers to a question.


def test_survey_shows_both_answers_of_a_question_and_the_readings_that_were_weighed(
    tmp_path: Path, kebrin: Kebrin
) -> None:
    (tmp_path / "r.csv").write_text("North,10,27\nSouth,30,40\nEast,5,6\n", "utf-8")
    shown = kebrin("survey", "r.csv").stdout
    assert "or, with boxhead = []: 6 rows" in shown
    assert "can be read in two ways: the first row, row 1" in shown
    (tmp_path / "q.csv").write_text(
        "Quay,Class,Jan\nEast,Foot,1\n,Cars,2\nEast,Foot,4\nstray,,\n,,\n,,\n,9,\n", "utf-8"
    )
    told = json.loads(kebrin("survey", "q.csv", "--json").stdout)
    weighed = told["reports"][0]["sheets"][0]["weighed"]
    assert weighed[0]["said"] == "as it stands"
    assert sum(one["taken"] for one in weighed) == 1
    assert len(weighed) > 1


def test_survey_says_what_tidy_does(demo: Path, kebrin: Kebrin) -> None:
    """Survey goes the way that tidying goes: a sheet that is turned round is turned round there too."""
    (demo / "v.csv").write_text("Vessel,Gull,Tern\nBuilt,2019,2024\nCrew,4,7\nHome,Garth,Hallan\n", "utf-8")
    surveyed = kebrin("survey", "v.csv").stdout
    assert "Vessel    Built    Crew    Home" in surveyed
    tidied = kebrin("tidy", "v.csv", "-o", "v2.csv")
    assert "Gull      2019" in tidied.stdout.replace(".0", "") or "Gull" in tidied.stdout


def test_the_map_draws_what_a_finding_speaks_of_however_large_the_sheet() -> None:
    from kebrin.cells import Sheet
    from kebrin.deliver.picturing import cut_of

    rows: list[list[object]] = [[f"r{row}", *(float(at) for at in range(120))] for row in range(200)]
    sheet = Sheet.of(rows)
    for cell in ((0, 0), (150, 60), (199, 120), (100, 3)):
        cut = cut_of(sheet, (), {cell})
        assert cell[0] in cut.rows
        assert cell[1] in cut.columns
        assert len(cut.rows) < 60
    drawn = cut_of(sheet, (), set())
    assert drawn.rows[0] == 0
    assert drawn.rows[-1] == 199
    assert sum(row < 0 for row in drawn.rows) == 1


@pytest.mark.parametrize(("said", "asked"), [
    ("Route,Foot,\nLoop,120,31\nSkerry,220,61\nOuter,20,6\n", "no heading stands over column C"),
    ("Name: Ada Holm\n\nName: Bo Lund\n\nRoute,Foot,Cars\nLoop,120,31\nSkerry,220,61\n", "the field 'Name' says"),
])  # fmt: skip
def test_what_only_a_person_can_tell_is_asked(tmp_path: Path, kebrin: Kebrin, said: str, asked: str) -> None:
    (tmp_path / "routes.csv").write_text(said, "utf-8")
    done = kebrin("tidy", "routes.csv", "-o", "t.csv")
    assert asked in done.stdout
    assert "1 question is open" in done.stdout
