"""Reports that are made from their truth come out exact, unaided; and a drafted plan gives what tidying gave."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from corpus.making import MESS, SHAPES, Maker

if TYPE_CHECKING:
    from pathlib import Path

    import pyarrow as pa


def records(table: pa.Table) -> Counter[tuple[object, ...]]:
    columns = table.to_pydict().values()
    plain = ([str(one) if isinstance(one, dt.date) else one for one in column] for column in columns)
    return Counter(zip(*plain, strict=True))


@pytest.mark.parametrize("shape", SHAPES)
def test_each_shape_comes_out_exact(shape: str, tmp_path: Path) -> None:
    for seed in range(3):
        made = Maker(9000 + seed, shape=shape).make()
        made.write(tmp_path / "report.xlsx")
        run = kb.tidy_reports(tmp_path / "report.xlsx")
        (table,) = run.tables.values()
        assert run.holds, run.proof.failures
        assert records(table.to_arrow()) == Counter(made.tables[0]), made.kinds


@pytest.mark.parametrize("mess", MESS)
def test_each_kind_of_mess_is_seen_through(mess: str, tmp_path: Path) -> None:
    made = Maker(77, shape="two_levels", mess=(mess,)).make()
    made.write(tmp_path / "report.xlsx")
    run = kb.tidy_reports(tmp_path / "report.xlsx")
    assert run.holds, run.proof.failures
    assert records(run.tables[run.done[0].name].to_arrow()) == Counter(made.tables[0])


@pytest.mark.parametrize("seed", range(400, 430))
def test_a_drafted_plan_gives_what_tidying_gives(seed: int, tmp_path: Path) -> None:
    path = tmp_path / "report.xlsx"
    Maker(seed).make().write(path)
    tidied = kb.tidy_reports(path)
    plan = kb.draft(path, base=tmp_path)
    plan.write(tmp_path / "p.toml")
    run = kb.load_plan(tmp_path / "p.toml").run()
    assert run.holds
    for done, again in zip(tidied.done, run.done, strict=True):
        assert again.table.data.to_pydict() == done.table.data.to_pydict()


def test_a_draft_names_files_by_what_they_share_and_still_fits_next_year(demo: Path) -> None:
    plan = kb.draft(*sorted(demo.glob("traffic_*.xlsx")), base=demo)
    assert 'files = "traffic_*.xlsx"' in plan.text
    assert 'starts = "Sailing"' in plan.text
    assert "# total rows" in plan.text or "# total row" in plan.text
    before = len(plan.run().tables["traffic"])
    (demo / "traffic_2032.xlsx").write_bytes((demo / "traffic_2031.xlsx").read_bytes())
    assert len(plan.run().tables["traffic"]) > before
