"""Reports of the kinds that offices make come out exact, or with a question; never wrong under "Proved"."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from itertools import permutations
from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from corpus.offices import OFFICE, make_office

if TYPE_CHECKING:
    from pathlib import Path


def same(table: kb.Table, records: list[tuple[object, ...]]) -> bool:
    """Whether a table holds these records, its columns in some order."""
    columns = [
        [str(one) if isinstance(one, dt.date) else one for one in column]
        for column in table.to_arrow().to_pydict().values()
    ]
    if len(columns) != len(records[0]) or len(table) != len(records):
        return False
    wanted = Counter(records)
    sets = [Counter(column) for column in zip(*records, strict=True)]
    orders = (
        order
        for order in permutations(range(len(columns)))
        if all(Counter(columns[at]) == own for at, own in zip(order, sets, strict=True))
    )
    return any(Counter(zip(*(columns[at] for at in order), strict=True)) == wanted for order in orders)


@pytest.mark.parametrize("kind", OFFICE)
def test_each_kind_comes_out_exact_or_is_asked_about(kind: str, tmp_path: Path) -> None:
    right = 0
    for seed in range(4):
        made = make_office(kind, seed)
        made.write(tmp_path / "report.xlsx")
        run = kb.tidy_reports(tmp_path / "report.xlsx")
        exact = len(run.tables) == 1 and all(same(table, made.tables[0]) for table in run.tables.values())
        right += exact
        proved = all(proof.headline.startswith("Proved") for proof in run.proofs.values())
        assert exact or not proved, f"{kind} {seed} is wrong and called proved"
    assert right >= 3


@pytest.mark.parametrize("kind", OFFICE)
def test_its_draft_gives_what_tidying_gave(kind: str, tmp_path: Path) -> None:
    make_office(kind, 11).write(tmp_path / "report.xlsx")
    tidied = kb.tidy_reports(tmp_path / "report.xlsx")
    drafted = kb.draft(tmp_path / "report.xlsx", base=tmp_path).run()
    for done, again in zip(tidied.done, drafted.done, strict=True):
        assert again.table.data.to_pydict() == done.table.data.to_pydict()
