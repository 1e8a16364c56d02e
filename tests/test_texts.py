"""Texts and pages as people save them: each file holds one, and behind `=>` the table that tidying it unaided gives, proved."""

from __future__ import annotations

from pathlib import Path

import pytest

import kebrin as kb

TEXTS = sorted((Path(__file__).parent / "texts").iterdir(), key=lambda path: path.name)


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_a_text_gives_its_table_and_is_proved(path: Path, tmp_path: Path) -> None:
    said, _, wanted = path.read_text("utf-8").partition("\n=>\n")
    report = tmp_path / path.name
    report.write_text(said + "\n", "utf-8")
    run = kb.tidy(report)
    assert not [remark.what for remark in run.proof.remarks if remark.kind == "question"]
    assert run.holds
    (table,) = run.tables.values()
    table.write(tmp_path / "out" / "table.csv")
    assert (tmp_path / "out" / "table.csv").read_text("utf-8") == wanted
    planned = kb.draft(report, base=tmp_path).run()
    assert [one.to_arrow().to_pylist() for one in planned.tables.values()] == [table.to_arrow().to_pylist()]
