"""Nothing that was read is ever written over, and nothing that Kebrin did not write is replaced unasked."""

from __future__ import annotations

import json
import os
from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from building import write_book
from kebrin.deliver import atomic
from kebrin.deliver.atomic import clear_leftovers, whole_files
from kebrin.deliver.guard import is_own, proof_path

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path
    from subprocess import CompletedProcess

    Kebrin = Callable[..., CompletedProcess[str]]

LINES = "Quay,Jan,Feb\nEast,1,2\nWest,3,4\n"


@pytest.fixture
def here(tmp_path: Path) -> Path:
    (tmp_path / "a.csv").write_text(LINES)
    return tmp_path


def plan(folder: Path, rest: str) -> Path:
    path = folder / "p.toml"
    path.write_text(f'kebrin = 1\n[table.t]\nfiles = "a.csv"\n{rest}')
    return path


WAYS = {
    "tidy over its input": (["tidy", "a.csv", "-o", "a.csv"], ""),
    "tidy whose unproved name is its input": (["tidy", "t.unproved.csv", "-o", "t.csv"], ""),
    "tidy by another name of its input": (["tidy", "a.csv", "-o", "./x/../a.csv"], ""),
    "a picture over the input": (["survey", "a.csv", "--picture", "a.csv"], ""),
    "a draft over the input": (["draft", ".", "-o", "a.csv"], ""),
    "a run over its own plan": (["run", "p.csv"], '[[output]]\ntable = "t"\nfile = "p.csv"\n'),
    "a run over a code list": (
        ["run", "p.toml"],
        '[[table.t.step]]\nrecode = "Quay"\nusing = "c.csv"\nunknown = "keep"\n[[output]]\ntable = "t"\nfile = "c.csv"\n',
    ),
    "a code list over its table": (["codes", "a.csv", "Quay", "-o", "a.csv"], ""),
}


@pytest.mark.parametrize("way", WAYS)
def test_what_is_read_is_never_written_over(way: str, here: Path, kebrin: Kebrin) -> None:
    words, rest = WAYS[way]
    (here / "t.unproved.csv").write_text(LINES)
    (here / "c.csv").write_text("code,label\nE,East\nW,West\n")
    (here / "x").mkdir()
    plan(here, rest)
    (here / "p.csv").write_text((here / "p.toml").read_text())
    before = {path.name: path.read_bytes() for path in here.iterdir() if path.is_file()}
    told = kebrin(*words)
    assert told.returncode == 2, told.stdout + told.stderr
    assert {name: (here / name).read_bytes() for name in before} == before


def test_a_link_to_a_source_is_the_source(here: Path, kebrin: Kebrin) -> None:
    os.link(here / "a.csv", here / "b.csv")
    assert kebrin("tidy", "a.csv", "-o", "b.csv").returncode == 2
    assert (here / "a.csv").read_text() == LINES


def test_a_file_that_kebrin_did_not_write_stays_unless_it_is_said(here: Path, kebrin: Kebrin) -> None:
    (here / "out.csv").write_text("mine\n")
    told = kebrin("tidy", "a.csv", "-o", "out.csv")
    assert told.returncode == 2
    assert "--replace" in told.stderr
    assert (here / "out.csv").read_text() == "mine\n"
    assert kebrin("tidy", "a.csv", "-o", "out.csv", "--replace").returncode == 0
    assert kebrin("tidy", "a.csv", "-o", "out.csv").returncode == 0  # its own it may replace
    (here / "out.csv").write_text("changed since\n")
    assert "changed since" in kebrin("tidy", "a.csv", "-o", "out.csv").stderr


def test_a_plan_that_a_person_changed_is_not_drafted_over(here: Path, kebrin: Kebrin) -> None:
    assert kebrin("draft", "a.csv", "-o", "p.toml").returncode == 0
    assert kebrin("draft", "a.csv", "-o", "p.toml").returncode == 0
    (here / "p.toml").write_text((here / "p.toml").read_text().replace("value", "carried"))
    assert kebrin("draft", "a.csv", "-o", "p.toml").returncode == 2
    assert kebrin("draft", "a.csv", "-o", "p.toml", "--replace").returncode == 0


def test_no_two_outputs_of_a_plan_are_one_file(here: Path, kebrin: Kebrin) -> None:
    plan(here, '[[output]]\ntable = "t"\nfile = "o.csv"\n[[output]]\ntable = "t"\nfile = "./O.csv"\n')
    told = kebrin("run", "p.toml")
    assert told.returncode == 2
    assert "two outputs" in told.stderr


def test_outputs_in_a_folder_are_no_inputs(here: Path, kebrin: Kebrin) -> None:
    assert kebrin("tidy", "a.csv", "-o", "out.csv").returncode == 0
    assert (here / "out.csv").exists()
    told = json.loads(kebrin("tidy", ".", "-o", "out.csv", "--json").stdout)
    assert [source["file"] for source in told["tables"][0]["proof"]["sources"]] == ["a.csv"]


def test_a_name_with_a_bracket_is_a_file_where_it_is_there(here: Path, kebrin: Kebrin) -> None:
    (here / "a[1].csv").write_text(LINES)
    assert kebrin("tidy", "a[1].csv", "-o", "o.csv").returncode == 0


def test_a_demo_replaces_nothing(here: Path, kebrin: Kebrin) -> None:
    (here / "ports.csv").write_text("mine\n")
    told = kebrin("demo", ".")
    assert told.returncode == 2
    assert (here / "ports.csv").read_text() == "mine\n"
    assert "Traceback" not in told.stderr


def test_a_pair_that_a_kill_left_half_in_place_is_mended(here: Path, kebrin: Kebrin) -> None:
    out = here / "out.csv"
    assert kebrin("tidy", "a.csv", "-o", "out.csv").returncode == 0
    new, proof = out.read_bytes(), proof_path(out).read_bytes()
    (here / "a.csv").write_text(LINES.replace("4", "5"))
    assert kebrin("tidy", "a.csv", "-o", "out.csv").returncode == 0
    # As if the run had been killed between the proof and the data.
    mine, others = here / f".out.csv.{atomic._HERE}-999999999.abc.kebrin-part", here / ".out.csv.999999999.abc.part"
    mine.write_bytes(new)
    others.write_bytes(b"another program's")
    proof_path(out).write_bytes(proof)
    assert not is_own(out)
    clear_leftovers(here)
    assert is_own(out)
    assert out.read_bytes() == new
    assert not mine.exists()
    assert others.exists()


def test_files_take_their_places_together_or_not_at_all(tmp_path: Path) -> None:
    paths = [tmp_path / "a", tmp_path / "b"]
    with pytest.raises(RuntimeError), whole_files(paths) as parts:  # noqa: PT012 - the second write fails
        parts[0].write_text("new")
        raise RuntimeError
    assert list(tmp_path.iterdir()) == []


def test_three_tables_are_three_files_with_their_own_names(tmp_path: Path, kebrin: Kebrin) -> None:
    rows = [
        ["Reg", "Make", None, "Name", "Grade", None, "Tool", "Shelf"], ["SK1", "Norro", None, "Ada", "C", None, "Jack", "A1"],
        ["SK2", "Tavik", None, "Bo", "D", None, "Lamp", "B2"], ["SK3", "Belmo", None, "Cy", "C", None, "Rope", "C1"],
    ]  # fmt: skip
    write_book(tmp_path / "depot.xlsx", {"Depot": rows}, {})
    run = kb.tidy_reports(tmp_path / "depot.xlsx")
    assert len({done.name for done in run.done}) == len(run.done) == 3
    kebrin("tidy", "depot.xlsx", "-o", "out.csv")
    assert len(list(tmp_path.glob("out*.csv"))) == 3


def test_a_text_that_no_workbook_holds_is_told_and_nothing_is_written(tmp_path: Path) -> None:
    source = tmp_path / "notes.csv"
    source.write_text(f"Vessel,Note,Tons\nDunlin,{'x' * 40_000},5\nPetrel,short,6\nGannet,ok,7\n", encoding="utf-8")
    run = kb.tidy_reports(source)
    (name,) = run.tables
    with pytest.raises(kb.KebrinError, match="40,000 letters"):
        run.write({name: tmp_path / "notes.xlsx"})
    assert sorted(path.name for path in tmp_path.iterdir()) == ["notes.csv"]


def test_a_file_that_is_called_as_a_proof_and_is_none_stays(here: Path, kebrin: Kebrin) -> None:
    proof_path(here / "out.csv").write_text("a stranger's")
    done = kebrin("tidy", "a.csv", "-o", "out.csv")
    assert done.returncode == 2
    assert "the output's proof would replace another file" in done.stderr
    assert proof_path(here / "out.csv").read_text() == "a stranger's"
    assert not (here / "out.csv").exists()


def test_what_another_machine_writes_is_left_for_an_hour(here: Path) -> None:
    part = here / ".out.csv.00000000-1.abc.kebrin-part"
    part.write_bytes(b"half")
    clear_leftovers(here)
    assert part.exists()
    os.utime(part, (1, 1))
    clear_leftovers(here)
    assert not part.exists()
