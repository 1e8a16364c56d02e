"""Control lines of an export: one before the records that says what the file is, one behind them with their count and sums.

A program that hands records over writes "H|DUES|20310630" first and "T|6|1712" last, each line beginning with what it is.
Neither is a record. The last is known by its figures: one is how many records there are, or the sum of one of their columns.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, NamedTuple

from kebrin.grammar.reading import read_text
from kebrin.grammar.words import total_word

if TYPE_CHECKING:
    from collections.abc import Sequence

_FEWEST_RECORDS = 3
_CODE = re.compile(r"[^\W_]{1,8}")


class Control(NamedTuple):
    """The control lines of some rows, by their places, what is told of them, and whether no line holds headings."""

    lines: tuple[int, ...] = ()
    said: tuple[str, ...] = ()
    headless: bool = False


def control_lines(rows: Sequence[Sequence[str]]) -> Control:
    """The control lines around some records; none where nothing that the last states ties.

    Args:
        rows: the lines of a file with their cells.

    >>> records = [["D", "Brae", "a", "12"], ["D", "Wick", "b", "3"], ["D", "Tarn", "a", "9"]]
    >>> found = control_lines([["H", "DUES", "2031"], *records, ["T", "3", "24"]])
    >>> found.lines, found.said[0]
    ((0, 4), "line 5 'T, 3, 24' is a control line: it states 3 records and the sum of column 4, and both tie")
    >>> control_lines([*records, ["E", "Lerr", "b", "24"]])  # it may be a record
    Control(lines=(), said=(), headless=False)
    """
    used = [at for at, row in enumerate(rows) if any(cell.strip() for cell in row)]
    if len(used) < _FEWEST_RECORDS + 1:
        return Control()
    first, last = used[0], used[-1]
    kind = rows[used[1]][0].strip()
    opens = rows[first][0].strip() != kind
    inner = used[1:-1] if opens else used[:-1]
    ends = rows[last][0].strip()
    # One that has as many cells as the records may be one of them whose figure is a sum by chance; a "Total" is a total line.
    may_end = len(inner) >= _FEWEST_RECORDS and len(rows[last]) != len(rows[inner[0]]) and not total_word(ends)
    if not may_end or ends == kind or not (_CODE.fullmatch(kind) and _CODE.fullmatch(ends)):
        return Control()
    if any(rows[at][0].strip() != kind or len(rows[at]) != len(rows[inner[0]]) for at in inner):
        return Control()
    stated = _stated([rows[at] for at in inner], rows[last][1:])
    if not stated:
        return Control()
    shown = ", ".join(map(str.strip, rows[last]))
    ties = "both tie" if len(stated) == 2 else "it ties" if len(stated) == 1 else "all tie"
    said = [f"line {last + 1:,} {shown!r} is a control line: it states {' and '.join(stated)}, and {ties}"]
    if not opens or _names_columns(rows[first], len(rows[inner[0]])):
        return Control((last,), tuple(said), headless=not opens)
    heads = ", ".join(map(str.strip, rows[first]))
    said.append(f"line {first + 1:,} {heads!r} is a control line: it says what the file is, and is no record")
    return Control((first, last), tuple(said), headless=True)


def _stated(records: Sequence[Sequence[str]], figures: Sequence[str]) -> list[str]:
    """What the figures of a last line state of some records; none if one of its numbers is neither their count nor a sum."""
    numbers = [(number, comma) for number, comma in map(_read, figures) if number == number or comma == comma]  # noqa: PLR0124 - NaN
    columns = list(zip(*(map(_read, record) for record in records), strict=True))
    found = []
    for own in numbers:
        if len(records) in own:
            found.append(f"{len(records):,} records")
            continue
        summed = next((at for at, column in enumerate(columns) if _is_sum(own, column)), None)
        if summed is None:
            return []
        found.append(f"the sum of column {summed + 1}")
    return found


def _is_sum(own: tuple[float, float], column: Sequence[tuple[float, float]]) -> bool:
    """Whether a figure is the sum of a column, both with a decimal point or both with a decimal comma."""
    sums = [sum(numbers) for numbers in zip(*column, strict=True)]
    return any(abs(one - total) <= 1e-9 * max(abs(total), 1.0) and total for one, total in zip(own, sums, strict=True))


def _read(text: str) -> tuple[float, float]:
    """A text as a number with a decimal point and with a decimal comma; NaN where it is none."""
    read = read_text(text)
    return read.number, read.comma


def _names_columns(row: Sequence[str], width: int) -> bool:
    """Whether a line holds headings: one for each cell of a record, none of which holds a figure."""
    return len(row) == width and not any(map(str.isdigit, "".join(row)))
