"""The rows and columns in play: those of a sheet that are neither blank nor hidden, and those of one region."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.regions import Region
    from kebrin.layout.stating import Anchor


@dataclass(frozen=True)
class Play:
    """The rows and columns in play: not blank, not hidden."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    hidden_rows: tuple[int, ...]
    hidden_columns: tuple[int, ...]
    repeats: tuple[int, ...] = ()

    def within(self, region: Region) -> Play:
        """Only what lies in a region."""
        return replace(self, rows=region.rows, columns=region.columns, repeats=region.repeats)


def hidden_lines(play: Play) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """The hidden rows and the hidden columns."""
    return play.hidden_rows, play.hidden_columns


def in_play(sheet: Sheet) -> Play:
    """What is in play on a whole sheet."""
    hidden_rows: tuple[int, ...] = ()
    hidden_columns: tuple[int, ...] = ()
    if sheet.has_hidden_lines:
        formats = sheet.formats()
        hidden_rows = tuple(sorted(row for row in formats.hidden_rows if row < sheet.shape[0]))
        hidden_columns = tuple(sorted(column for column in formats.hidden_columns if column < sheet.shape[1]))
    rows = np.setdiff1d(np.flatnonzero(sheet.filled.any(axis=1)), hidden_rows)
    columns = np.setdiff1d(np.flatnonzero(sheet.filled.any(axis=0)), hidden_columns)
    return Play(rows, columns, hidden_rows, hidden_columns)


def from_anchor(play: Play, anchor: Anchor) -> Play:
    """Only what lies at or below a stated first cell; a stub head leaves what is left of it in play."""
    if not anchor.exact:
        return play
    return Play(play.rows[play.rows >= anchor.row], play.columns[play.columns >= anchor.column], *hidden_lines(play))
