"""Marks in cells of their own beside figures, as some pages have them: currency marks and closing signs, joined back."""

from __future__ import annotations

from collections import Counter
from itertools import islice
from typing import NamedTuple

from kebrin.cells import Area
from kebrin.grammar.reading import CURRENCY_SIGNS, Look, read_text

_CURRENCIES = frozenset({
    *CURRENCY_SIGNS, *CURRENCY_SIGNS.values(), "$", "kr", "kr.", "SEK", "NOK", "DKK", "ISK", "CHF", "HUF"
})  # fmt: skip
_LEAD = _CURRENCIES | {"(", "-", "−", "+"}
_TRAIL = _CURRENCIES | {")", "%", ")%", "%)", "*"}
_CLOSING = frozenset({")", ")%"})
# Of the cells beside marks so many must hold figures.
_MOSTLY = 0.8
# Above the first mark there are headings only.
_MOST_HEADS = 8


class _Marks(NamedTuple):
    """A column of marks: its rows with a mark, its rows with a heading, and on which side of it (-1, 1) figures stand."""

    rows: list[int]
    heads: list[int]
    sides: list[int]


def joined(
    texts: list[list[str]], merges: list[Area], bold: set[tuple[int, int]]
) -> tuple[list[list[str]], list[Area], set[tuple[int, int]]]:
    """The table with columns of nothing but currency marks or closing signs joined to the figures beside them.

    >>> joined([["Port", "Dues", ""], ["Hallan", "kr", "120"], ["Brae", "kr", "88"]], [], set())[0]
    [['Port', 'Dues'], ['Hallan', 'kr120'], ['Brae', 'kr88']]
    """
    found = {column: _marks(texts, column, merges) for column in range(len(texts[0]) if texts else 0)}
    marked = {column: marks for column, marks in found.items() if marks is not None}
    sure = Counter(marks.sides[0] for marks in marked.values() if len(marks.sides) == 1)
    for column, marks in sorted(marked.items(), reverse=True):
        own = column + _side(column, marks, merges, sure)
        for row, line in enumerate(texts):
            mark, figure = line[column].strip(), line[own].strip()
            if mark and row not in marks.rows:
                line[own] = mark  # a heading over both
            elif mark and read_text(figure).look != Look.MISSING:
                line[own] = f"{mark}{figure}" if own > column else f"{figure}{mark}"
            del line[column]
        merges = [Area(a.top, a.left - (a.left > column), a.bottom, a.right - (a.right >= column)) for a in merges]
        merges = [a for a in merges if a.right >= a.left and (a.top, a.left) != (a.bottom, a.right)]
        bold = {(row, at - (at > column)) for row, at in bold if at != column}
    return texts, merges, bold


def _marks(texts: list[list[str]], column: int, merges: list[Area]) -> _Marks | None:
    """A column as one of marks; None if it holds anything else below its headings, or stands beside no figures."""
    above = islice((text for line in texts if (text := line[column].strip())), _MOST_HEADS)
    if not any(text in _LEAD or text in _TRAIL for text in above):
        return None  # nearly all columns
    wide = {row for area in merges if _over_several(area, column) for row in range(area.top, area.bottom + 1)}
    cells = [line[column].strip() for line in texts]
    rows = [row for row, text in enumerate(cells) if row not in wide and text in _LEAD | _TRAIL]
    heads = [row for row, text in enumerate(cells) if text and row not in wide and row not in rows]
    if not rows or (heads and heads[-1] > rows[0]):
        return None
    said = {cells[row] for row in rows}
    sides = [
        side
        for side, known in ((1, _LEAD), (-1, _TRAIL))
        if said <= known and 0 <= column + side < len(texts[0])
        and not any(texts[row][column + side].strip() for row in heads) and _holds_figures(texts, column, side, rows)
    ]  # fmt: skip
    return _Marks(rows, heads, sides) if sides else None


def _side(column: int, marks: _Marks, merges: list[Area], sure: Counter[int]) -> int:
    """On which side the figures of a column of marks stand: where the narrowest heading is over both, or those of others."""
    over = {
        side: [area.right - area.left for area in merges
               if _over_several(area, column) and area.left <= column + side <= area.right]
        for side in marks.sides
    }  # fmt: skip
    narrowest = {side: min(widths) for side, widths in over.items() if widths}
    nearest = [side for side, width in narrowest.items() if width == min(narrowest.values())]
    if len(nearest) == 1 or len(marks.sides) == 1 or marks.heads:
        return (nearest or marks.sides)[0]
    return max(marks.sides, key=lambda side: sure[side])


def _over_several(area: Area, column: int) -> bool:
    return area.left <= column <= area.right and area.right > area.left


def _holds_figures(texts: list[list[str]], column: int, side: int, rows: list[int]) -> bool:
    """Whether nearly all cells beside marks are figures or hold nothing: `(118` is one with its `)`."""
    own = [(texts[row][column].strip(), texts[row][column + side].strip()) for row in rows]
    cells = [text if text[:1] != "(" or mark not in _CLOSING else f"{text}{mark}" for mark, text in own]
    return sum(not text or read_text(text).look not in {Look.WORDS, Look.CODE} for text in cells) >= _MOSTLY * len(
        cells
    )
