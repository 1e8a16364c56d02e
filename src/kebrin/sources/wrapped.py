"""Texts that go on in the line below, in their own column: wrapped cells of a text laid out by blanks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kebrin.grammar.words import carried_word, total_word

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from kebrin.sources.aligned import Columns, Field, Placed


# So many records say something in the first column; a text may reach beyond its ruler by so much.
_NEARLY_ALL, _BEYOND = 0.75, 1


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


def set_below(
    placed: Sequence[Placed], columns: Columns, first: int, bare: Collection[int]
) -> dict[int, dict[int, str]]:
    """The same where a ruler says where the columns are: lines of one text, in a column of words that is not the first.

    So it is where nearly all records say something in the first column, and the line above is one of them, or such a line.
    """
    body = [
        at for at in range(first, len(placed))
        if at not in bare and len(placed[at].fields) > 1 and not any(_says_sum(one.text) for one in placed[at].fields)
    ]  # fmt: skip
    begin = sum(placed[at].fields[0].left < columns.places[0][1] for at in body)
    found: dict[int, dict[int, str]] = {}
    if begin < _NEARLY_ALL * len(body):
        return found
    records = set(body)
    for at in range(first + 1, len(placed)):
        fields = placed[at].fields
        if len(fields) != 1 or at in bare or not (at - 1 in records or at - 1 in found):
            continue
        over = [place for place, (left, right) in enumerate(columns.places) if left <= fields[0].left < right]
        if (
            over
            and over[0]
            and over[0] not in columns.figures
            and fields[0].right <= columns.places[over[0]][1] + _BEYOND
        ):
            found[at] = {over[0]: fields[0].text}
    return found


def begun_above(placed: Sequence[Placed], bare: Collection[int]) -> list[int]:
    """The records whose label begins on the line above, which holds nothing else: "Ferries with foot" over "passengers only  12".

    It is set in, in small letters where others have capitals, and no line like it follows: that would be another part of what
    the line above heads.
    """
    capitals = sum(bool(one.fields) and one.fields[0].text[:1].isupper() for one in placed)
    found = []
    for at in range(1, len(placed)):
        above, line = placed[at - 1].fields, placed[at].fields
        if len(above) != 1 or len(line) < 2 or at - 1 in bare or at in bare or above[0].is_figure:
            continue
        after = placed[at + 1].fields if at + 1 < len(placed) else ()
        set_in = above[0].left < line[0].left and not (after and after[0].left >= line[0].left)
        words = above[0].text[:1].isupper() and line[0].text[:1].islower() and above[0].text[-1:] not in ".:"
        if set_in and words and any(one.is_figure for one in line[1:]) and 2 * capitals > len(placed):
            found.append(at)
    return found


def joined_text(above: str, below: str) -> str:
    """A text and what goes on with it on the line below: a hyphen at its end parts a word.

    >>> joined_text("Instal-", "ment"), joined_text("Paid to", "date"), joined_text("", "level")
    ('Instalment', 'Paid to date', 'level')
    """
    goes_on = below[:1].islower() or (above.isupper() and below.isupper())
    if len(above) > 1 and above[-1] == "-" and above[-2].isalpha() and goes_on:
        return above[:-1] + below
    return f"{above} {below}".strip()


def _says_sum(text: str) -> bool:
    return bool(total_word(text) or carried_word(text))


def _goes_on(above: Field, below: Field, room: int) -> bool:
    """Whether a text goes on from the one above it: its first word found no room there, and begins no name or sentence."""
    open_ = above.text[-1] in ",;-–(/&"
    # A time or a figure below another is one of its own.
    begins = not open_ and (below.text[0].isupper() or not any(map(str.isalpha, above.text + below.text)))
    return not begins and above.right + 1 + len(below.text.split()[0]) > room
