"""Forms that were laid out anew: every cell of the sheet is there once, says what it says there, and stands beside its label."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.address import a1
from kebrin.table.findings import FindingKind

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.proof.reasons import Account

_SHOWN = 6


def object_to_laid(account: Account) -> None:
    """Object to a record of a form that is not what the sheet of the file holds."""
    sheet, whole, places = account.sheet, account.sheet.laid, account.sheet.places
    if whole is None or places is None:
        return
    times = np.zeros(whole.shape, np.intp)
    there = ((places >= 0) & (places < whole.shape)).all(axis=2) & sheet.filled
    np.add.at(times, tuple(places[there].T), 1)
    lost = np.argwhere((times != 1) & (whole.filled | (times > 1)))
    if len(lost):
        shown = ", ".join(a1(*cell) for cell in lost[:_SHOWN].tolist())
        account.object(FindingKind.VALUE, f"cells of the form are not in its record once: {shown}", [], count=len(lost))
    head = sheet.hints.heads
    # A label that this copy lacks is a heading over nothing.
    bare = {(head, column) for column in range(sheet.shape[1]) if not sheet.filled[head + 1, column]}
    other = [
        (row, column) for row, column in np.argwhere(sheet.filled).tolist()
        if not _says(whole, sheet.text(row, column), places[row, column], is_head=row == head)
        and not ((row, column) in bare and places[row, column, 0] < 0)
    ]  # fmt: skip
    if other:
        account.object(FindingKind.VALUE, "cells of a record are not what the form holds there", other)
    apart = [
        (head + 1, column) for column in range(sheet.shape[1])
        if sheet.filled[head + 1, column] and not _is_beside(whole, places[head, column], places[head + 1, column])
    ]  # fmt: skip
    if apart:
        account.object(FindingKind.LABEL, "what was filled in does not stand beside or below its label", apart)


def _says(whole: Sheet, text: str, place: NDArray[np.int32], *, is_head: bool) -> bool:
    """Whether a cell of the file says a text; a label may be said with the heading over it before it, and without its colon."""
    row, column = place.tolist()
    if not (0 <= row < whole.shape[0] and 0 <= column < whole.shape[1]):
        return False
    own = whole.text(row, column)
    return text.casefold().endswith(own.rstrip(": ").casefold()) if is_head else own == text


def _is_beside(whole: Sheet, label: NDArray[np.int32], value: NDArray[np.int32]) -> bool:
    """Whether a cell is the first that holds something behind a label, or stands right below it."""
    row, column = label.tolist()
    below = value.tolist() == [row + 1, column]
    behind = value[0] == row and value[1] > column and not whole.filled[row, column + 1 : int(value[1])].any()
    return row >= 0 and bool(below or behind)
