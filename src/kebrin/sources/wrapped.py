"""Texts that go on in the line below, in their own column: wrapped cells of a text laid out by blanks."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from kebrin.sources.aligned import Columns, Field, Placed


def wrapped(placed: Sequence[Placed], columns: Columns, first: int, bare: Collection[int]) -> dict[int, dict[int, str]]:
    """Lines that only go on with texts of the line above: for each its texts by column. None unless all such lines do.

    Each text of theirs begins where a column of words does, but for the first, would not have found room behind the one above
    it, and begins with no capital letter: that tells a wrapped text from a second one.

    Args:
        placed: the lines.
        columns: their columns.
        first: the first line of the body.
        bare: lines that are laid out by no columns.
    """
    begins = {left: at for at, (left, _) in enumerate(columns.places) if at and at not in columns.figures}
    lasts: dict[int, Field] = {}  # by column, the text above
    found: dict[int, dict[int, str]] = {}
    for at in range(first, len(placed)):
        line = placed[at]
        own = {begins[one.left]: one for one in line.fields if one.left in begins}
        if at in bare or not line.fields:
            lasts = {}
        elif len(own) < len(line.fields) or not lasts or at == first:
            lasts = {0: line.fields[0], **own}
        else:
            if not all(
                place in lasts and _goes_on(lasts[place], one, columns.places[place][1]) for place, one in own.items()
            ):
                return {}
            lasts |= own
            found[at] = {place: one.text for place, one in own.items()}
    return found


def _goes_on(above: Field, below: Field, room: int) -> bool:
    """Whether a text goes on from the one above it: its first word found no room there, and begins no name or sentence."""
    begins = below.text[0].isupper() and above.text[-1] not in ",;-–(/&"
    return not begins and above.right + 1 + len(below.text.split()[0]) > room
