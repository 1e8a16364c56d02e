"""Plans that share tables."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from kebrin.errors import PlanError

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

PORTS = """kebrin = 1
[set]
list = "ports"
[table.ports]
files = "{list}.csv"
layout = { measures = "heading" }
[[table.ports.step]]
recode = "island"
using = "islands.csv"
[[output]]
table = "ports"
file = "ports_again.csv"
"""
TRIPS = """kebrin = 1
tables_of = "../lists/ports.plan.toml"
[table.trips]
files = "trips.csv"
layout = { measures = "heading" }
[[table.trips.step]]
lookup = ["island"]
using = "ports"
by = { port = "code" }
[[output]]
table = "trips"
file = "out.csv"
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, text in {
        "lists/ports.csv": "code,name,island\nB,Brae,unst\nW,Wick,yell\n",
        "lists/others.csv": "code,name,island\nB,Brae,yell\nW,Wick,yell\n",
        "lists/islands.csv": "code,label\nUnst,unst\nYell,yell\n",
        "lists/ports.plan.toml": PORTS,
        "month/trips.csv": "day,port,trips\n1,B,4\n2,W,5\n",
        "month/trips.plan.toml": TRIPS,
    }.items():
        path = tmp_path / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(text, "utf-8")
    return tmp_path


def test_tables_of_another_plan_stand_beside_its_own(folder: Path) -> None:
    run = kb.load_plan(folder / "month/trips.plan.toml").run()
    assert list(run.tables["trips"].to_arrow().column("island").to_pylist()) == ["Unst", "Yell"]
    assert run.holds
    run.write()
    assert not (folder / "lists/ports_again.csv").exists()
    assert not (folder / "month/ports_again.csv").exists()


def test_each_plan_takes_the_values_that_it_names(folder: Path) -> None:
    run = kb.load_plan(folder / "month/trips.plan.toml", given={"list": "others"}).run()
    assert list(run.tables["trips"].to_arrow().column("island").to_pylist()) == ["Yell", "Yell"]
    with pytest.raises(PlanError, match="--set names 'lost'"):
        kb.load_plan(folder / "month/trips.plan.toml", given={"lost": "others"})


def test_a_mapping_may_name_plans(folder: Path) -> None:
    table = {"files": "trips.csv", "step": [{"lookup": ["island"], "using": "ports", "by": {"port": "code"}}]}
    said = {"kebrin": 1, "tables_of": ["../lists/ports.plan.toml"], "table": {"trips": table}}
    assert set(kb.load_plan(said, base=folder / "month").run().tables) == {"ports", "trips"}


def test_plans_that_name_plans_bring_theirs_too(folder: Path) -> None:
    (folder / "year.plan.toml").write_text(
        'kebrin = 1\ntables_of = "month/trips.plan.toml"\n[table.year]\nfrom = "trips"\n', "utf-8"
    )
    plan = kb.load_plan(folder / "year.plan.toml")
    assert plan.model.tables_of == ("month/trips.plan.toml", "month/../lists/ports.plan.toml")
    assert len(plan.run().tables["year"]) == 2


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("recode =", "recod =", "line 7: no step is called 'recod'"),
        ('table = "ports"', 'table = "porks"', "the output names the table 'porks'"),
        (
            "kebrin = 1",
            "kebrin = 1\ntables_of = '../month/trips.plan.toml'",
            "tables_of leads back to '../month/trips.plan.toml'",
        ),
    ],
)
def test_mistakes_in_another_plan_are_told_with_its_lines(folder: Path, old: str, new: str, said: str) -> None:
    path = folder / "lists/ports.plan.toml"
    path.write_text(PORTS.replace(old, new), "utf-8")
    with pytest.raises(PlanError) as caught:
        kb.load_plan(folder / "month/trips.plan.toml")
    assert said in str(caught.value)
    assert "ports.plan.toml" in str(caught.value)


def test_a_name_that_both_have_is_refused(folder: Path) -> None:
    (folder / "month/trips.plan.toml").write_text(
        TRIPS.replace("trips]", "ports]").replace('"trips"', '"ports"'), "utf-8"
    )
    with pytest.raises(PlanError, match="two tables are named 'ports'"):
        kb.load_plan(folder / "month/trips.plan.toml")


def test_a_plan_that_is_not_there_is_told(folder: Path) -> None:
    (folder / "lists/ports.plan.toml").unlink()
    with pytest.raises(PlanError, match=r"tables_of names 'ports\.plan\.toml', which can't be read"):
        kb.load_plan(folder / "month/trips.plan.toml")


def test_a_change_in_the_other_plan_or_its_list_is_a_change(
    folder: Path, kebrin: Callable[..., subprocess.CompletedProcess[str]]
) -> None:
    def again() -> str:
        return kebrin("run", "month/trips.plan.toml", "--if-changed").stdout

    again()
    assert "Nothing has changed" in again()
    (folder / "lists/ports.plan.toml").write_text(PORTS + "# more\n", "utf-8")
    assert "Written" in again()
    (folder / "lists/islands.csv").write_text("code,label\nUnst,unst\nFetlar,yell\n", "utf-8")
    assert "Written" in again()
    assert "Fetlar" in (folder / "month/out.csv").read_text("utf-8")
