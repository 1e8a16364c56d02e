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
        if not (_heads(sheet, whole, column) if row == head else _says(whole, sheet.text(row, column), places[row, column]))
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


def _says(whole: Sheet, text: str, place: NDArray[np.int32]) -> bool:
    """Whether a cell of the file says a text."""
    row, column = place.tolist()
    return 0 <= row < whole.shape[0] and 0 <= column < whole.shape[1] and whole.text(row, column) == text


def _heads(sheet: Sheet, whole: Sheet, column: int) -> bool:
    """Whether the name of a value is its label, with the heading over it before it, and its unit or its number behind it."""
    places, head = sheet.places, sheet.hints.heads
    if places is None or (places[head, column] < 0).any():
        return False
    own, beside = places[head, column].tolist()
    label = whole.text(own, beside).rstrip(": ")
    row, at = places[head + 1, column].tolist()
    behind = np.flatnonzero(whole.filled[row, at + 1 :]) if row < whole.shape[0] else np.empty(0, np.intp)
    unit = whole.text(row, at + 1 + int(behind[0])) if len(behind) else ""
    name = sheet.text(head, column).casefold()
    ends = [
        label.casefold(),
        f"{label} ({unit})".casefold(),
        *(f"{label} {number}".casefold() for number in range(2, 10)),
    ]
    return any(name.endswith(end) for end in ends)


def _is_beside(whole: Sheet, label: NDArray[np.int32], value: NDArray[np.int32]) -> bool:
    """Whether a cell is the first that holds something behind a label, or stands right below it."""
    row, column = label.tolist()
    below = value.tolist() == [row + 1, column]
    behind = value[0] == row and value[1] > column and not whole.filled[row, column + 1 : int(value[1])].any()
    return row >= 0 and bool(below or behind)
