"""Blocks of which one heading spans a series (ages, breaks of quantity, years) while all others are merged down beside it.

What is merged down heads the rows and not the body, whatever it holds: terms in days, dates and lead times are labels there.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.periods import period_name
from kebrin.grammar.words import total_word
from kebrin.layout.frame import Frame
from kebrin.layout.model import Evidence

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Area, Sheet
    from kebrin.layout.model import Stated
    from kebrin.layout.play import Play

_FEWEST_SPANNED, _HEADING_ROWS = 3, 12
_FIRST_NUMBER = re.compile(r"\d[\d,.]*")


def spanned_frame(sheet: Sheet, play: Play, stated: Stated) -> Frame | None:
    """The block under one spanner over a series, with the columns beside it as labels; None if there is none.

    >>> from kebrin.cells import Area, Sheet
    >>> from kebrin.layout.model import Stated
    >>> from kebrin.layout.play import in_play
    >>> from dataclasses import replace
    >>> rows = [["Boat", "Days", "Due", None, None], [None, None, "0-30", "31-60", "Over 60"], ["Gull", 30, 5, 0, 7]]
    >>> merges = (Area(0, 0, 1, 0), Area(0, 1, 1, 1), Area(0, 2, 0, 4))
    >>> sheet = replace(Sheet.of([*rows, ["Tern", 14, 9, 2, 0]]), merges=merges)
    >>> found = spanned_frame(sheet, in_play(sheet), Stated())
    >>> found and (found.stub, found.columns.tolist())
    ((0, 1), [2, 3, 4])
    """
    if stated.joined or stated.starts or stated.ends or stated.measures:
        return None
    for row in play.rows[:_HEADING_ROWS].tolist():
        span = _only_spanner(sheet, play, row)
        if span is not None and are_steps([sheet.text(row + 1, at) for at in range(span.left, span.right + 1)]):
            return _under(sheet, play, stated, span)
    return None


def are_steps(texts: Sequence[str]) -> bool:
    """Whether headings are periods, or figures and ranges that go up: 0-30, 31-60, Over 60.

    >>> are_steps(["1", "10", "25"]), are_steps(["0-30", "31-60", "Over 60"]), are_steps(["Rent", "Service"])
    (True, True, False)
    """
    if len(set(texts)) < len(texts) or not all(texts):
        return False
    numbers = [_FIRST_NUMBER.search(text) for text in texts]
    if not all(numbers):
        return bool(period_name(list(texts)))
    steps = np.diff([float(one[0].replace(",", "").rstrip(".")) for one in numbers if one])
    return bool((steps > 0).all())


def _only_spanner(sheet: Sheet, play: Play, row: int) -> Area | None:
    """The only heading of a row that spans columns, where every other one is merged down over the row below."""
    columns = play.columns[sheet.filled[row, play.columns]].tolist()
    merged = {area.left: area for area in sheet.merges if area.top == row and area.left in columns}
    spans = [area for area in merged.values() if area.right > area.left]
    if len(spans) != 1 or spans[0].right - spans[0].left + 1 < _FEWEST_SPANNED or spans[0].bottom != row:
        return None
    others = [merged.get(at) for at in columns if at != spans[0].left]
    down = all(one is not None and one.right == one.left and one.bottom == row + 1 for one in others)
    return spans[0] if down and len(others) > 1 and spans[0].left > int(play.columns[0]) else None


def _under(sheet: Sheet, play: Play, stated: Stated, span: Area) -> Frame | None:
    heads = (span.top, span.top + 1)
    rows = play.rows[play.rows > heads[1]]
    right = play.columns[play.columns > span.right].tolist()
    totals = [at for at in right if total_word(sheet.text(span.top, at))]
    columns = play.columns[((play.columns >= span.left) & (play.columns <= span.right)) | np.isin(play.columns, totals)]
    used = np.flatnonzero(sheet.data[np.ix_(rows, columns)].any(axis=1))
    if not len(used) or (stated.boxhead is not None and len(stated.boxhead) != len(heads)):
        return None
    stub = tuple(int(at) for at in play.columns[play.columns < span.left])
    beside = tuple(at for at in right if at not in totals)
    if stated.stub is not None and len(stated.stub) != len(stub):
        return None
    rows = _together(sheet, rows[: int(used[-1]) + 1])
    why = "one heading spans a series, and all others are merged down beside it: they head labels"
    return Frame(
        heads, heads, stub, rows, columns, (Evidence("headings", f"row {span.top + 1}", why),), play.hidden_rows,
        play.hidden_columns, tuple(one for one in play.repeats if one > heads[1]), play.pages, beside=beside,
    )  # fmt: skip


def _together(sheet: Sheet, rows: NDArray[np.intp]) -> NDArray[np.intp]:
    """Rows up to a gap of several blank ones."""
    apart = np.flatnonzero(np.diff(sheet.gaps[0][rows]) > 1)
    return rows[: int(apart[0]) + 1] if len(apart) else rows
