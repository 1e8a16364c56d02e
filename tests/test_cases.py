"""A folder of cases: each holds a messy sheet, a plan and the table that is wanted. Adding a folder adds a test."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest

import kebrin as kb
from building import write_book

CASES = sorted(path.parent for path in (Path(__file__).parent / "cases").glob("*/case.toml"))


@pytest.mark.parametrize("case", CASES, ids=lambda path: path.name)
def test_a_case_comes_out_as_wanted_and_proved(case: Path, tmp_path: Path) -> None:
    told = tomllib.loads((case / "case.toml").read_text("utf-8"))
    write_book(tmp_path / "report.xlsx", {"Sheet": told["rows"]}, {"Sheet": told.get("merges", [])})
    plan = tmp_path / "case.plan.toml"
    plan.write_text(
        f'kebrin = 1\n[table.t]\nfiles = "report.xlsx"\n{told["plan"]}\n[[output]]\ntable = "t"\nfile = "t.csv"\n'
    )
    run = kb.load_plan(plan).run()
    run.write()
    got = next(tmp_path.glob("t*.csv")).read_text("utf-8")
    assert got == told["wanted"].lstrip("\n")
    assert run.proof.failures == tuple(told.get("failures", ()))
    assert run.proof.unclaimed == 0
