"""Tables that are drawn with upright strokes: the strokes say where the cells are, and where one is missing a cell spans columns.

Lines that only draw are set aside; a table has strokes at the same places on nearly all its lines.
"""

from __future__ import annotations

import re
from collections import Counter
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Sheet, kinds_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.sources.lines import Lines

_UPRIGHT = "│┃║"
_DRAWN = re.compile(r"[\s─━═╌┄│┃║┌┐└┘├┤┬┴┼╒╓╔╕╖╗╘╙╚╛╜╝╞╟╠╡╢╣╤╥╦╧╨╩╪╫╬╭╮╯╰┍┑┕┙┝┥┯┷┿+|=_-]+")
_FEWEST_LINES, _FEWEST_STROKES, _HEAD = 3, 3, 1 << 14
# A stroke parts columns if so many of the lines with strokes have it.
_OFTEN = 0.5


def is_boxed(text: str) -> bool:
    r"""Whether a text draws a table with upright strokes of its own: bars and pluses may be anything else.

    >>> is_boxed("│ a │ b │\n│ c │ d │\n│ e │ f │\n"), is_boxed("| a | b |\n")
    (True, False)
    """
    if not any(sign in text[:_HEAD] for sign in _UPRIGHT):
        return False
    lines = [line for line in text.splitlines() if sum(map(line.count, _UPRIGHT)) >= _FEWEST_STROKES]
    return len(lines) >= _FEWEST_LINES


def box_sheet(lines: Lines, name: str, source: str) -> Sheet | None:
    r"""A text with a drawn table as a sheet: cells by the strokes, other lines whole; None where the strokes are not in line.

    >>> from kebrin.sources.lines import lines_of
    >>> text = "Boats\n┌───┬───┬───┐\n│   │ 2031  │\n│ Q │ J │ F │\n├───┼───┼───┤\n│ E │ 4 │ 7 │\n│ W │ 5 │ 6 │"
    >>> sheet = box_sheet(lines_of(text), "boats", "boats.txt")
    >>> sheet.values.tolist()[:4], [area.address for area in sheet.merges]
    ([['Boats', '', ''], ['', '2031', ''], ['Q', 'J', 'F'], ['E', '4', '7']], ['B2:C2'])
    """
    strokes = {
        at: [place for place, sign in enumerate(text) if sign in _UPRIGHT] for at, text in enumerate(lines.texts)
    }
    rows = [at for at, own in strokes.items() if len(own) > 1 and not _DRAWN.fullmatch(lines.texts[at])]
    count = Counter(place for at in rows for place in strokes[at])
    places = sorted(place for place, often in count.items() if often >= _OFTEN * len(rows))
    if len(rows) < _FEWEST_LINES or len(places) < _FEWEST_STROKES or not _in_line(strokes, rows, places):
        return None
    kept = [at for at, text in enumerate(lines.texts) if not _DRAWN.fullmatch(text) or not text.strip()]
    width, celled = len(places) - 1, set(rows)
    values = np.full((len(kept), width), "", dtype=object)
    merges: list[Area] = []
    for row, at in enumerate(kept):
        if at not in celled:
            values[row, 0] = " ".join(lines.texts[at].split())
            continue
        own = [place for place in strokes[at] if place in places]
        for left, right in pairwise(own):
            first, last = places.index(left), places.index(right) - 1
            values[row, first] = lines.texts[at][left + 1 : right].strip()
            merges += [Area(row, first, row, last)] if last > first else []
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    spots = [(lines.where(at), lines.texts[at]) for at in kept]
    return Sheet(name, values, kinds, tuple(merges), source, textual=True, spots=spots)


def _in_line(strokes: dict[int, list[int]], rows: Sequence[int], places: Sequence[int]) -> bool:
    """Whether each line of cells has its first and its last stroke where the others do, and no stroke beside the common ones."""
    return all({places[0], places[-1]} <= {*strokes[at]} <= {*places} for at in rows)
