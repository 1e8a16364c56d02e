"""Tables that are drawn with upright strokes: the strokes say where the cells are, and where one is missing a cell spans columns.

Lines that only draw are set aside; a table has strokes at the same places on nearly all its lines. Bars and pluses draw one too
where rules run from plus to plus. A rule over some of the columns parts what stands under these alone: a cell beside it spans
rows. Where a rule parts all records, what stands on several lines between two of them is one record with wrapped texts.
"""

from __future__ import annotations

import re
from collections import Counter
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Sheet, kinds_of
from kebrin.sources.wrapped import joined_text

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.sources.lines import Lines

_UPRIGHT, _BAR = "│┃║", "|"
_DRAWN = re.compile(r"[\s─━═╌┄│┃║┌┐└┘├┤┬┴┼╒╓╔╕╖╗╘╙╚╛╜╝╞╟╠╡╢╣╤╥╦╧╨╩╪╫╬╭╮╯╰┍┑┕┙┝┥┯┷┿+|=_-]+")
# What a stroke is where a rule over some of the columns meets it.
_CORNERS = "├┤┼┬┴╞╡╪╟╢╫╠╣╬┝┥┿+"
_SEGMENT = re.compile(r"[─━═╌┄=-]{2,}")
_FEWEST_LINES, _FEWEST_STROKES, _HEAD = 3, 3, 1 << 14
_RULE = re.compile(r"^[ \t]*\+(?:[-=]{2,}\+){2,}[ \t]*$", re.MULTILINE)
# A stroke parts columns if so many of the lines with strokes have it.
_OFTEN = 0.5


def is_boxed(text: str) -> bool:
    r"""Whether a text draws a table with upright strokes: of its own, or bars between rules that run from plus to plus.

    >>> is_boxed("│ a │ b │\n│ c │ d │\n│ e │ f │\n"), is_boxed("| a | b |\n")
    (True, False)
    >>> is_boxed("+---+---+\n| a | b |\n+---+---+\n| c | d |\n| e | f |\n")
    True
    """
    signs = _signs_of(text)
    lines = [line for line in text.splitlines() if sum(map(line.count, signs)) >= _FEWEST_STROKES] if signs else []
    return len(lines) >= _FEWEST_LINES


def _signs_of(text: str) -> str:
    """The signs that are upright strokes in a text; '' if none are."""
    if any(sign in text[:_HEAD] for sign in _UPRIGHT):
        return _UPRIGHT
    return _BAR if _RULE.search(text[:_HEAD]) else ""


def box_sheet(lines: Lines, name: str, source: str) -> Sheet | None:
    r"""A text with a drawn table as a sheet: cells by the strokes, other lines whole; None where the strokes are not in line.

    >>> from kebrin.sources.lines import lines_of
    >>> text = "Boats\n┌───┬───┬───┐\n│   │ 2031  │\n│ Q │ J │ F │\n├───┼───┼───┤\n│ E │ 4 │ 7 │\n│ W │ 5 │ 6 │"
    >>> sheet = box_sheet(lines_of(text), "boats", "boats.txt")
    >>> sheet.values.tolist()[:4], [area.address for area in sheet.merges]
    ([['Boats', '', ''], ['', '2031', ''], ['Q', 'J', 'F'], ['E', '4', '7']], ['B2:C2'])
    """
    signs = _signs_of("\n".join(lines.texts))
    plain = [at for at, text in enumerate(lines.texts) if not _DRAWN.fullmatch(text)]
    strokes = {at: _strokes(lines.texts[at], signs) for at in plain}
    rows = [at for at in plain if len(strokes[at]) > 1]
    count = Counter(place for at in rows for place in strokes[at])
    places = sorted(place for place, often in count.items() if often >= _OFTEN * len(rows))
    if len(rows) < _FEWEST_LINES or len(places) < _FEWEST_STROKES or not _in_line(strokes, rows, places):
        return None
    found: list[list[str]] = []
    merges: list[Area] = []
    spots: list[tuple[str, str]] = []
    for band in _bands(lines.texts, strokes, places, set(rows)):
        cells, spans, begins = _cells(lines.texts, strokes, places, band)
        merges += [Area(top + len(found), left, bottom + len(found), right) for top, left, bottom, right in spans]
        found += cells
        spots += [(lines.where(at), lines.texts[at]) for at in begins]
    values = np.array(found, dtype=object)
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    return Sheet(name, values, kinds, tuple(merges), source, textual=True, spots=spots)


def _strokes(text: str, signs: str) -> list[int]:
    """Where upright strokes stand on a line; the corners of a rule that runs over a part of it among them."""
    also = _CORNERS if _SEGMENT.search(text) and any(sign in text for sign in _CORNERS) else ""
    return [place for place, sign in enumerate(text) if sign in signs or sign in also]


def _bands(
    texts: Sequence[str], strokes: dict[int, list[int]], places: Sequence[int], rows: set[int]
) -> Iterator[list[int]]:
    """The lines by what is made of them together: those around a rule over a part of them, records, others alone."""
    runs: list[list[int]] = [[]]
    for at, text in enumerate(texts):
        if at in rows:
            runs[-1].append(at)
        else:
            drawn = _DRAWN.fullmatch(text) and text.strip()
            runs += [[]] if drawn else [[at], []]
    whole = [run for run in runs if run and run[0] in rows]
    wrapped = len(whole) > _FEWEST_LINES and all(
        _goes_on(texts, strokes, places, at) for run in whole for at in run[1:]
    )
    for run in filter(None, runs):
        together = wrapped or any(_SEGMENT.search(texts[one]) for one in run)
        yield from [run] if together else ([one] for one in run)


def _goes_on(texts: Sequence[str], strokes: dict[int, list[int]], places: Sequence[int], at: int) -> bool:
    """Whether a line leaves most of its cells blank: it goes on with texts of the line above it."""
    own = [place for place in strokes[at] if place in places]
    blank = [not texts[at][left + 1 : right].strip() for left, right in pairwise(own)]
    return 2 * sum(blank) >= len(blank) and not all(blank)


def _cells(
    texts: Sequence[str], strokes: dict[int, list[int]], places: Sequence[int], band: Sequence[int]
) -> tuple[list[list[str]], list[tuple[int, int, int, int]], list[int]]:
    """The cells of lines that belong together, those that span several rows or columns, and the line that each row begins on."""
    width = len(places) - 1
    if len(strokes.get(band[0], ())) < 2:
        return [[" ".join(texts[band[0]].split()), *[""] * (width - 1)]], [], [band[0]]
    found, begins = [[""] * width], [band[0]]
    spans: dict[tuple[int, int], list[int]] = {}  # where a cell begins, and where it ends
    top = [0] * width  # the row that each column's cell begins in
    for at in band:
        own = [place for place in strokes[at] if place in places]
        parts = [
            (places.index(left), places.index(right) - 1, texts[at][left + 1 : right]) for left, right in pairwise(own)
        ]
        ruled = [(first, last) for first, last, text in parts if _SEGMENT.fullmatch(text)]
        if ruled:
            found.append([""] * width)
            begins.append(at)
            for first, last in ruled:
                top[first : last + 1] = [len(found) - 1] * (last - first + 1)
        for first, last, text in parts:
            if (first, last) in ruled:
                continue
            row = top[first]
            found[row][first] = joined_text(found[row][first], text.strip())
            end = spans.setdefault((row, first), [row, last])
            end[0] = max(end[0], len(found) - 1)
    merged = [
        (row, first, bottom, last) for (row, first), (bottom, last) in spans.items() if bottom > row or last > first
    ]
    return found, merged, begins


def _in_line(strokes: dict[int, list[int]], rows: Sequence[int], places: Sequence[int]) -> bool:
    """Whether each line of cells has its first and its last stroke where the others do, and no stroke beside the common ones."""
    return all({places[0], places[-1]} <= {*strokes[at]} <= {*places} for at in rows)
