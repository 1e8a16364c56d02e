"""Doubts: decisions that the sheet alone can't settle, each with the line of a plan that would."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import look_of
from kebrin.layout.model import DOUBTED, Evidence, Level
from kebrin.layout.split import are_labels, lone_year

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

# So many rows below a heading are looked at, and so many of them must look like it.
_LOOKED_AT, _ALIKE = 200, 0.8
# Periods are some of a row's headings where there are no more others than so many times as many.
_MOST_OTHERS = 3


def first_row_doubt(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], boxhead: Sequence[int]
) -> list[Evidence]:
    """A first row of plain figures over rows of figures: it may be data of a block without headings.

    Years, dates, and numbers in even steps (days of a month, classes) head columns as words do.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["North", 10, 27], ["South", 30, 41]])
    >>> first_row_doubt(sheet, np.arange(2), np.array([1, 2]), [0])[0].settle
    'boxhead = []'
    """
    if len(boxhead) != 1 or boxhead[0] != int(rows[0]):
        return []
    row = boxhead[0]
    if len(columns) == 1 and lone_year(sheet, row, int(columns[0]), rows[1:]):
        return []
    filled = columns[sheet.filled[row, columns]]
    figures = [int(column) for column in filled if sheet.data[row, column] and sheet.kinds[row, column] != Kind.DATE]
    if not figures or len(figures) < len(filled):
        return []
    numbers = sheet.numbers[row, figures]
    even = len(figures) >= 3 and len(set(np.diff(numbers).tolist())) == 1
    if even or are_labels(sheet, [(row, column) for column in figures], running=True):
        return []
    why = "it holds figures, so it may be the first row of a body without headings"
    return [Evidence("first row", f"row {row + 1}", why, 0.3, "boxhead = []")]


def record_doubt(sheet: Sheet, head: int, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> tuple[Evidence, ...]:
    """A row of headings one of which has figures in it and looks as what stands below it does: it may be the first record.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Brae", "06:10"], ["Wick", "07:25"], ["Lerr", "09:00"]])
    >>> record_doubt(sheet, 0, np.arange(1, 3), np.arange(2))[0].why
    "'06:10' looks like what stands below it, so it may be the first record of a list without headings"
    """
    for column in columns[sheet.filled[head, columns]].tolist():
        look = look_of(text := sheet.text(head, column))
        figures = not look.strip("0., ")  # a year over figures looks like them too
        below = rows[sheet.filled[rows, column]][:_LOOKED_AT].tolist() if "0" in look and not figures else []
        alike = sum(look_of(sheet.text(row, column)) == look for row in below)
        if len(below) > 1 and alike >= _ALIKE * len(below):
            why = f"{text!r} looks like what stands below it, so it may be the first record of a list without headings"
            return (Evidence("first row", f"row {head + 1}", why, 0.3, "boxhead = []"),)
    return ()


def lone_year_doubt(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[Evidence]:
    """A year on top of the one column of a body without headings: it may head the figures below, or be one of them.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["Route", 2031], ["North", 1500], ["South", 2900]])
    >>> lone_year_doubt(sheet, np.arange(3), np.array([1]))[0].settle
    'boxhead = ["year"]'
    """
    if len(columns) != 1 or lone_year(sheet, int(rows[0]), int(columns[0]), rows[1:]) is not None:
        return []
    why = "its year may head the figures below, or be one of them"
    return [Evidence("first row", f"row {rows[0] + 1}", why, 0.3, 'boxhead = ["year"]')]


def mixed_doubt(boxhead: Sequence[Level], known: Collection[str] = ()) -> list[Evidence]:
    """Headings of which some name periods of one kind and others none: these may be sums, or values of another kind.

    Args:
        boxhead: the boxhead's levels, without totals.
        known: labels that are stated to be no totals.

    >>> mixed_doubt([Level.of("heading", ["Mon", "Tue", "Hours"], 0)])[0].why
    "heads periods ('Mon', 'Tue') and also 'Hours', which is none"
    """
    found = []
    for level in boxhead:
        used = [level.texts[code] for code in dict.fromkeys(level.codes.tolist()) if code >= 0]
        periods = [text for text in used if period_name([text])]
        others = [text for text in used if text not in periods and text.casefold() not in known]
        # Two berths H1 and H2 among ninety-six are no half-years.
        if len(periods) > 1 and 0 < len(others) <= _MOST_OTHERS * len(periods) and period_name(periods):
            shown = ", ".join(map(repr, periods[:2])) + (", ..." if len(periods) > 2 else "")
            rest = ", ".join(map(repr, others[:3])) + (", ..." if len(others) > 3 else "")
            why = f"heads periods ({shown}) and also {rest}, which {'is' if len(others) == 1 else 'are'} none"
            firsts = [level.codes.tolist().index(level.texts.index(text)) for text in others]
            cells = tuple(cell for cell in level.cells[firsts].tolist() if cell >= 0)
            found.append(Evidence(DOUBTED, f"row {level.line + 1}", why, 0.5, labels=tuple(others), cells=cells))
        elif len(periods) > 2 and not others and period_name(periods):
            found += _without_period(level, boxhead, known)
    return found


def _without_period(level: Level, boxhead: Sequence[Level], known: Collection[str]) -> list[Evidence]:
    """Columns without a period among those that have one, under a heading of their own: "Used over winter" behind its readings.

    >>> levels = [Level.of("", ["Reading"] * 3 + ["Used"], 0), Level.of("", ["2030-10", "2030-11", "2030-12", None], 1)]
    >>> [one.labels for one in _without_period(levels[1], levels, ())]
    [('Used',)]
    """
    bare, found = level.codes < 0, {}
    for other in boxhead:
        own = {text for text, out in zip(other.labels(), bare.tolist(), strict=True) if text and out}
        own -= {text for text, out in zip(other.labels(), bare.tolist(), strict=True) if text and not out}
        for text in own:
            if text.casefold() not in known:
                found[text] = int(other.cells[other.labels().index(text)])
    if not found:
        return []
    why = f"heads periods, and {', '.join(map(repr, found))} {'has' if len(found) == 1 else 'have'} none"
    cells = tuple(cell for cell in found.values() if cell >= 0)
    return [Evidence(DOUBTED, f"row {level.line + 1}", why, 0.5, labels=tuple(found), cells=cells)]
