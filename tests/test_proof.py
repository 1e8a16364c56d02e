"""The proof: totals among shares, footnote marks, stray cells, wrong totals; nothing passes unsaid."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from kebrin.cells import Sheet
from kebrin.layout import find_layouts
from kebrin.proof import tie_out
from kebrin.unpivoting import Keep, unpivot
from kebrin.work.leaving import verdict_of
from tidying import tidied

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

SHARES: list[list[Any]] = [
    ["Route", "Foot", "Cars", "Share %", "Change %"], ["North", 10, 20, 40, 1.5], ["South", 15, 30, 60, 2.0],
    ["Total", 25, 50, 100, 1.8],
]  # fmt: skip


def ties_of(rows: list[list[Any]]) -> Any:
    sheet = Sheet.of(rows)
    return tie_out(sheet, find_layouts(sheet)[0])


def test_totals_among_shares_count_where_they_are_sums_and_are_told_where_not() -> None:
    tie = ties_of(SHARES)
    assert (tie.exact, tie.failed, tie.apart, tie.holds) == (3, 0, 1, True)
    assert tie.to_plain()["among shares or rates"] == 1


def test_a_wrong_total_beside_shares_still_breaks() -> None:
    rows: list[list[Any]] = [*SHARES[:-1], ["Total", 40, 50, 100, 1.8]]
    (gap,) = ties_of(rows).gaps
    assert (gap.cell, gap.stated, gap.computed) == ("B4", 40, 25)


MARKED: list[list[Any]] = [["Route", "Foot", None, "Cars", None], ["North", 10, "p", 20, "p"], ["South", 15, None, 30, "r"],
          ["East", 16, "p", 31, None]]  # fmt: skip


@pytest.mark.parametrize(("marks", "use"), [("keep", "footnote marks beside values"),
                                            ("leave out", "left out: footnote marks beside values")])  # fmt: skip
def test_footnote_marks_are_counted_by_what_became_of_them(marks: Any, use: str) -> None:
    sheet = Sheet.of(MARKED)
    layouts = find_layouts(sheet)
    ledger = verdict_of(
        sheet, layouts, [unpivot(sheet, one, keep=Keep("leave out", marks)) for one in layouts]
    ).ledger()
    assert ledger.counts[use] == 4
    assert ledger.unclaimed_count == 0


def test_shares_and_counts_of_one_are_told_in_words(tmp_path: Path, kebrin: Kebrin) -> None:
    lines = ["Carried and shares,,,,", ",,,,", *(",".join(map(str, row)) for row in SHARES)]
    (tmp_path / "r.csv").write_text("\n".join(lines) + "\n", "utf-8")
    told = kebrin("tidy", "r.csv", "-o", "o.csv").stdout
    assert "3 stated, all tie exactly, 1 among shares or rates are no sums" in told
    assert "5 cells of total lines · 1 title " in told


def test_every_cell_of_the_demo_is_accounted_for_by_use(demo: Path) -> None:
    proof = kb.tidy_reports(demo / "traffic_2031.xlsx").proof
    assert proof.unclaimed == 0
    assert sum(proof.counts.values()) == proof.cells


def test_a_line_of_all_that_is_wrong_somewhere_is_no_record_without_a_word(tmp_path: Path) -> None:
    body = [["East", 124, 424], ["West", 164, 464], ["Slip", 204, 504]]
    run = tidied(tmp_path, [["Quay", "Cars", "Foot"], *body, ["All quays", 497, 1392]])
    assert not run.holds
    assert "'All quays' is called a total or a mean and is kept as data" in run.proof.failures[0]
    sizes = tidied(tmp_path, [["Boats", "2030", "2031"], ["Small", 12, 14], ["Large", 3, 5], ["All-weather", 40, 44]])
    assert sizes.holds
