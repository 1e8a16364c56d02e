"""A plan drafted this year, run on next year's report: what changed is said, and what shifted is refused."""

from __future__ import annotations

import importlib.util
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book

if TYPE_CHECKING:
    from types import ModuleType

SCRIPT = Path(__file__).parent.parent / "scripts" / "make_demo.py"
HEAD = ["Quay", "Jan", "Feb"]


def demo_maker(folder: Path) -> ModuleType:
    spec = importlib.util.spec_from_file_location("make_demo", SCRIPT)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module  # dataclasses look their module up there
    spec.loader.exec_module(module)
    module.FOLDER = folder  # type: ignore[attr-defined]
    return module


def drafted(folder: Path, rows: list[list[Any]]) -> kb.Plan:
    return kb.draft(write_book(folder / "quays.xlsx", {"Returns": rows}), base=folder)


def again(folder: Path, plan: kb.Plan, rows: list[list[Any]]) -> kb.Run:
    write_book(folder / "quays.xlsx", {"Returns": rows})
    return plan.run()


def test_next_years_traffic_is_exact_and_its_changes_are_listed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    maker = demo_maker(tmp_path)
    maker.Writer(2031).write()
    plan = kb.draft(tmp_path / "traffic_2031.xlsx", base=tmp_path)
    monkeypatch.setattr(maker, "CLASSES", ("Foot", "Cars", "Bicycles", "Freight t"))
    monkeypatch.setattr(
        maker,
        "ROUTES",
        (*maker.ROUTES, maker.Route("East Spur", "E3", ("Hallan", "Brae"), maker.ROUTES[0].sailings, 0.5)),
    )
    monkeypatch.setattr(maker, "HEAD", maker.HEAD + 1)
    maker.Writer(2032).write()
    (tmp_path / "traffic_2031.xlsx").write_bytes((tmp_path / "traffic_2032.xlsx").read_bytes())
    run = plan.run()
    assert run.holds, run.proof.failures
    (table,) = run.tables.values()
    (unaided,) = kb.tidy_reports(tmp_path / "traffic_2032.xlsx").tables.values()
    assert table.to_arrow().to_pylist() == unaided.to_arrow().to_pylist()
    assert len(table.to_arrow().column("sheet").unique()) == 4
    said = [remark.what for remark in run.proof.remarks if remark.kind == "new label"]
    assert said == ["heading 3: new since the plan was drafted: Bicycles"]


def test_a_label_that_is_gone_is_said(tmp_path: Path) -> None:
    plan = drafted(tmp_path, [HEAD, ["East", 1, 2], ["West", 3, 4]])
    run = again(tmp_path, plan, [HEAD, ["East", 1, 2], ["Old", 3, 4]])
    assert [remark.what for remark in run.proof.remarks] == [
        "Quay: new since the plan was drafted: Old", "Quay: no longer there: West",
    ]  # fmt: skip


def test_a_new_title_row_changes_nothing(tmp_path: Path) -> None:
    plan = drafted(tmp_path, [HEAD, ["East", 1, 2], ["West", 3, 4]])
    run = again(tmp_path, plan, [["Quay returns"], ["as counted"], [], HEAD, ["East", 1, 2], ["West", 3, 4]])
    assert len(run.tables["returns"]) == 4
    assert not run.proof.remarks


SHIFTED = {
    "a heading row below": [
        ["Quay", "Jan", "", "Feb", ""], ["", "Foot", "Cars", "Foot", "Cars"], ["East", 1, 2, 3, 4], ["West", 5, 6, 7, 8],
    ],
    "a label column before the body": [
        ["Quay", "Berth", "Jan", "Feb"], ["East", "North", 1, 2], ["West", "South", 3, 4],
    ],
    "a label column at the left": [
        ["Isle", "Quay", "Jan", "Feb"], ["Skarrow", "East", 1, 2], ["Hallan", "West", 3, 4],
    ],
}  # fmt: skip


@pytest.mark.parametrize("rows", SHIFTED.values(), ids=list(SHIFTED))
def test_a_gained_line_is_refused_with_the_difference(tmp_path: Path, rows: list[list[Any]]) -> None:
    plan = drafted(tmp_path, [HEAD, ["East", 1, 2], ["West", 3, 4]])
    with pytest.raises(kb.LayoutError) as caught:
        again(tmp_path, plan, rows)
    said = (
        "the heading 'Quay' is not in the boxhead",
        "'Quay' is not where",
        "column A holds labels",
        "'month' is not where",
    )
    assert any(one in str(caught.value) for one in said)


def test_a_gained_section_is_kept_and_said(tmp_path: Path) -> None:
    plan = drafted(tmp_path, [HEAD, ["East", 1, 2], ["West", 3, 4]])
    run = again(tmp_path, plan, [HEAD, ["Inner"], ["East", 1, 2], ["Outer"], ["West", 3, 4]])
    assert run.tables["returns"].columns == ("section", "Quay", "month", "value")
    assert any("rows that label others became the column 'section'" in remark.what for remark in run.proof.remarks)
