"""The reach check objects to what is wrong, and to nothing else; it was itself tested by damaging layouts."""

from __future__ import annotations

import subprocess
import sys
from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pytest

import kebrin as kb
from corpus.making import Maker
from damage import damages, is_objected_to
from kebrin.cells import Area, Sheet
from kebrin.layout import Stated, find_layouts
from kebrin.proof import Left, Why, reach
from kebrin.table import FindingKind
from kebrin.unpivoting import unpivot
from kebrin.work.leaving import verdict_of

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.table import Table

PLAIN: list[list[Any]] = [
    ["Carried by harbour", None, None, None],
    ["Coast", "Harbour", "Jan", "Feb"],
    ["North", "Hallan", 120, 131],
    [None, "Brae", 98, 77],
    ["South", "Wick", 55, 61],
    ["Source: the board", None, None, None],
]


def made(rows: list[list[Any]], merges: tuple[Area, ...] = ()) -> tuple[Sheet, Table]:
    sheet = Sheet.of(rows, merges=merges)
    (layout,) = find_layouts(sheet)
    return sheet, unpivot(sheet, layout)


def with_segment(table: Table, **changes: Any) -> Table:
    (segment,) = table.origins.segments
    return replace(table, origins=type(table.origins)((replace(segment, **changes),)))


def test_a_right_table_is_not_objected_to() -> None:
    sheet = Sheet.of(PLAIN)
    layouts = find_layouts(sheet)
    verdict = verdict_of(sheet, layouts, [unpivot(sheet, one) for one in layouts])
    assert verdict.holds
    assert not len(verdict.unclaimed)


@pytest.mark.parametrize("seeds", [range(40), range(40, 80), range(80, 120)], ids=str)
def test_damaged_layouts_are_objected_to(seeds: range, tmp_path: Path) -> None:
    told: Counter[bool] = Counter()
    for seed in seeds:
        Maker(20_000 + seed).make().write(tmp_path / "r.xlsx")
        report = kb.read(tmp_path / "r.xlsx")
        sheet = report[report.names[0]]
        layouts = find_layouts(sheet)
        if len(layouts) != 1:
            continue
        assert not is_objected_to(sheet, layouts[0]), seed
        told.update(is_objected_to(sheet, damaged) for _, damaged in damages(sheet, layouts[0]))
    assert told.total() > 100
    assert told[True] >= 0.99 * told.total(), told


def test_a_value_that_is_not_what_its_cell_says_is_told() -> None:
    sheet, table = made(PLAIN)
    column = table.data.column("value").to_pylist()
    column[2] += 1
    at = table.columns.index("value")
    wrong = replace(table, data=table.data.set_column(at, "value", pa.chunked_array([column])))
    told = [str(one) for one in reach(sheet, [wrong]).objections]
    assert any("1 values are not what their cells hold" in one and "C4" in one for one in told)


def test_an_origin_that_was_moved_is_told() -> None:
    sheet, table = made(PLAIN)
    (segment,) = table.origins.segments
    moved = with_segment(table, rows=np.roll(segment.rows, 1))
    assert reach(sheet, [moved]).objections


def test_records_that_were_cut_off_leave_their_cells_unclaimed() -> None:
    sheet, table = made(PLAIN)
    cut = replace(with_segment(table, kept=np.arange(4)), data=table.data.slice(0, 4))
    assert [sheet.address(*cell) for cell in reach(sheet, [cut]).unclaimed.tolist()][-4:] == ["B5", "C5", "D5", "A6"]


def test_a_label_with_another_of_its_level_between_is_told() -> None:
    sheet, table = made(PLAIN)
    (segment,) = table.origins.segments
    coast, *others = segment.sources
    wrong = replace(coast, rows=np.full_like(coast.rows, coast.rows[0]), columns=coast.columns)
    told = reach(sheet, [with_segment(table, sources=(wrong, *others))]).objections
    assert any(one.kind is FindingKind.LABEL for one in told)


@pytest.mark.parametrize(
    ("left", "reason"),
    [
        (Left(Why.NOTE, "cells", cells=((4, 2),)), "a figure is no note"),
        (Left(Why.TOTAL, "row", 4, parts=np.array([2, 3], np.int32)), "a total needs a cause"),
        (Left(Why.REPEAT, "row", 4, like=(1,)), "it does not say what the headings say"),
        (Left(Why.PAGE, "row", 4), "it names no page"),
        (Left(Why.UNIT, "cells", cells=((4, 2),)), "it is no unit"),
    ],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_a_reason_that_does_not_hold_leaves_the_cell_unclaimed(left: Left, reason: str) -> None:
    del reason
    sheet, table = made(PLAIN)
    cut = replace(with_segment(table, kept=np.arange(4)), data=table.data.slice(0, 4))
    assert [4, 2] in reach(sheet, [cut], [left]).unclaimed.tolist()


def test_a_row_of_texts_under_the_body_is_no_note() -> None:
    rows: list[list[Any]] = [
        ["Item", "North", "South"],
        ["Boats", 3, 4],
        ["Crew", 30, 41],
        ["Method", "survey", "register"],
    ]
    sheet = Sheet.of(rows)
    layouts = find_layouts(sheet)
    verdict = verdict_of(sheet, layouts, [unpivot(sheet, one) for one in layouts])
    assert not verdict.holds


def test_the_check_reaches_neither_layout_nor_tidy() -> None:
    code = (
        "import sys, kebrin.proof.reach; "
        "print([name for name in sys.modules if name.startswith(('kebrin.layout.find', 'kebrin.unpivoting.unpivot'))])"
    )
    told = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "kebrin.unpivoting.unpivot" not in told.stdout


def test_a_kept_total_is_told_with_the_line_that_settles_it() -> None:
    rows: list[list[Any]] = [["Quay", "Jan", "Feb"], ["East", 3, 4], ["West", 5, 6], ["Total distance", 512, 48]]
    sheet = Sheet.of(rows)
    (layout,) = find_layouts(sheet)
    told = verdict_of(sheet, [layout], [unpivot(sheet, layout)]).objections
    assert any("'Total distance'" in one.what and "not_totals" in {line.key for line in one.settle} for one in told)
    assert verdict_of(sheet, [layout], [unpivot(sheet, layout)], Stated(not_totals=("Total distance",))).holds
