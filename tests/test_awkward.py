"""Awkward sheets, each drawn as text: cells apart by `|`, leading `_` for spaces, `'` for a text that looks like a number.

Each has the table that tidying unaided must give, or what it must say when it stops.
"""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

import kebrin as kb
from building import write_book
from drawing import cell

CASES = sorted((Path(__file__).parent / "awkward").glob("*.txt"), key=lambda path: path.name)


def parts(path: Path) -> tuple[list[list[Any]], list[str], str]:
    """A case's sheet, its merges, and what is wanted."""
    drawn, _, wanted = path.read_text("utf-8").partition("\n=>\n")
    lines = drawn.splitlines()
    merges = [area for line in lines if line.startswith("merge:") for area in line[6:].split()]
    rows = [[cell(text) for text in line.split("|")] for line in lines if not line.startswith("merge:")]
    return rows, merges, wanted.strip()


def said(value: Any) -> str:
    """A value of the table, as a case writes it."""
    if value is None:
        return ""
    return f"{value:g}" if isinstance(value, float) else str(value)


def stop_of(report: Path) -> str:
    """What stops the run: no table can be made of the sheet, or one can and does not hold."""
    try:
        run = kb.tidy_reports(report)
    except kb.LayoutError as error:
        return str(error)
    assert not run.holds
    return "\n".join(run.proof.failures)


@pytest.mark.parametrize("path", CASES, ids=lambda path: path.stem)
def test_an_awkward_sheet_is_tidied_exactly_or_refused(path: Path, tmp_path: Path) -> None:
    rows, merges, wanted = parts(path)
    report = write_book(tmp_path / "report.xlsx", {"Sheet": rows}, {"Sheet": merges})
    if wanted.startswith("stops: "):
        assert wanted.removeprefix("stops: ") in stop_of(report)
        return
    run = kb.tidy_reports(report)
    told = []
    for table in run.tables.values():
        told.append("|".join(table.columns))
        told += ["|".join(map(said, record.values())) for record in table.to_arrow().to_pylist()]
    assert "\n".join(told) == wanted
    assert run.holds


@pytest.mark.parametrize("path", CASES, ids=lambda path: path.stem)
def test_its_draft_gives_the_same(path: Path, tmp_path: Path) -> None:
    rows, merges, wanted = parts(path)
    report = write_book(tmp_path / "report.xlsx", {"Sheet": rows}, {"Sheet": merges})
    if not wanted.startswith("stops: "):
        unaided = kb.tidy_reports(report)
        planned = kb.draft(report, base=tmp_path).run()
        assert [t.to_arrow().to_pylist() for t in planned.tables.values()] == [
            t.to_arrow().to_pylist() for t in unaided.tables.values()
        ]
