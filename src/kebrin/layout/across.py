"""Totals over several blocks: a last line that sums the rows of every block above it, not of its own alone."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import average_word, says_whole
from kebrin.layout.model import KEPT, Evidence, Layout, TotalLine

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet


def settle_across(sheet: Sheet, layouts: Sequence[Layout]) -> list[Layout]:
    """The layouts, with lines that are called a total and sum nothing in their own block tried against all before."""
    settled: list[Layout] = []
    for layout in layouts:
        # A list's columns hold its labels too.
        alike = [other for other in settled if np.isin(layout.body_columns, other.body_columns).all()]
        settled.append(_settled(sheet, layout, alike) if alike else layout)
    return settled


def _settled(sheet: Sheet, layout: Layout, before: Sequence[Layout]) -> Layout:
    kept = {
        int(said.where.removeprefix("row ")) - 1: said
        for said in layout.evidence
        if said.what == KEPT and said.where.startswith("row ")
    }
    failed = {
        line.at for line in layout.totals if line.axis == "row" and line.agree < 1 and not line.mean and not line.loose
    }
    for row in sorted({*kept, *failed, *_last_of_all(layout)}):
        own = layout.body_rows[layout.body_rows < row]
        parts = np.concatenate([*(other.body_rows for other in before), own])
        stated = sheet.numbers[row, layout.body_columns]
        known = ~np.isnan(stated)
        numbers = sheet.numbers[np.ix_(parts, layout.body_columns)][:, known]
        if not (stated[known] != 0).any():
            continue
        if _ties(np.nansum(numbers, axis=0), stated[known], numbers):
            layout = _with_total(layout, row, parts.astype(np.int32), len(before) + 1)
        elif _speaks_of_a_mean(layout, row) and _ties(_means(numbers), stated[known], numbers):
            layout = _with_total(layout, row, parts.astype(np.int32), len(before) + 1, mean=True)
    return layout


def _ties(found: NDArray[np.float64], stated: NDArray[np.float64], parts: NDArray[np.float64]) -> bool:
    return bool((np.abs(found - stated) <= 1e-9 * np.maximum(np.nansum(np.abs(parts), axis=0), 1.0)).all())


def _means(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
    """The mean of what each column says; of one that says nothing there is none."""
    counts = (~np.isnan(numbers)).sum(axis=0)
    return np.asarray(np.nansum(numbers, axis=0) / np.where(counts > 0, counts, np.nan))


def _speaks_of_a_mean(layout: Layout, row: int) -> bool:
    at = int(np.flatnonzero(layout.body_rows == row)[0]) if row in layout.body_rows else -1
    return at >= 0 and any(average_word(text) for level in layout.stub if (text := level.label(at)))


def _last_of_all(layout: Layout) -> set[int]:
    """The last row of a block, if its label says that it speaks of all: "All quays"."""
    last = len(layout.body_rows) - 1
    labels = [text for level in layout.stub if (text := level.label(last))] if last > 0 else []
    return {int(layout.body_rows[last])} if any(map(says_whole, labels)) else set()


def _with_total(layout: Layout, row: int, parts: NDArray[np.int32], blocks: int, *, mean: bool = False) -> Layout:
    kept = np.flatnonzero(layout.body_rows != row)
    why = f"it equals the {'mean' if mean else 'sum'} of the {len(parts)} rows of {blocks} blocks"
    where = f"row {row + 1}"
    return replace(
        layout,
        body_rows=layout.body_rows[kept],
        stub=tuple(level.at(kept) for level in layout.stub),
        totals=(
            *(line for line in layout.totals if line.axis != "row" or line.at != row),
            TotalLine("row", row, parts, why, mean=mean, cause=f"it is called a {'mean' if mean else 'total'}"),
        ),
        evidence=(*(one for one in layout.evidence if one.where != where), Evidence("total", where, why)),
    )
