"""Texts and pages as people save them: each file holds one, and behind `=>` the table that tidying it unaided gives, proved.

Or what is said instead: `stops: ` where a person must decide first, `asks: ` where a question is open, `objects: ` where the
proof does not hold.
"""

from __future__ import annotations

import json
from pathlib import Path

import pytest

import kebrin as kb

TEXTS = sorted((Path(__file__).parent / "texts").iterdir(), key=lambda path: path.name)
TOLD = sorted((Path(__file__).parent / "told").iterdir(), key=lambda path: path.name)


def parts(path: Path, folder: Path) -> tuple[Path, str]:
    """The report that a case holds, and what is wanted of it."""
    said, _, wanted = path.read_text("utf-8").partition("\n=>\n")
    report = folder / path.name
    report.write_text(said + "\n", "utf-8")
    return report, wanted


@pytest.mark.parametrize("path", TOLD, ids=lambda path: path.stem)
def test_what_a_text_does_not_settle_is_told(path: Path, tmp_path: Path) -> None:
    report, wanted = parts(path, tmp_path)
    how, _, said = wanted.strip().partition(": ")
    if how == "stops":
        with pytest.raises(kb.LayoutError) as caught:
            kb.tidy(report)
        assert said in str(caught.value)
        return
    proof = kb.tidy(report).proof
    questions = " ".join(remark.what for remark in proof.remarks if remark.kind == "question")
    assert (how, said in questions) == ("asks", True) or (how, proof.holds) == ("objects", False)
    assert said in json.dumps(proof.to_plain())


@pytest.mark.parametrize("path", TEXTS, ids=lambda path: path.stem)
def test_a_text_gives_its_table_and_is_proved(path: Path, tmp_path: Path) -> None:
    report, wanted = parts(path, tmp_path)
    run = kb.tidy(report)
    assert not [remark.what for remark in run.proof.remarks if remark.kind == "question"]
    assert run.holds
    (table,) = run.tables.values()
    table.write(tmp_path / "out" / "table.csv")
    assert (tmp_path / "out" / "table.csv").read_text("utf-8") == wanted
    planned = kb.draft(report, base=tmp_path).run()
    assert [one.to_arrow().to_pylist() for one in planned.tables.values()] == [table.to_arrow().to_pylist()]
