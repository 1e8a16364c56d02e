"""Addresses: A1 for people, 0-based row and column inside."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from collections.abc import Iterable

_A1 = re.compile(r"\$?([A-Za-z]{1,3})\$?([1-9][0-9]{0,6})")


class Area(NamedTuple):
    """A rectangle of cells; all four borders are 0-based and belong to it.

    >>> Area(1, 2, 3, 5).address
    'C2:F4'
    """

    top: int
    left: int
    bottom: int
    right: int

    @property
    def address(self) -> str:
        """The rectangle in A1 form; a single cell has no colon."""
        first, last = a1(self.top, self.left), a1(self.bottom, self.right)
        return first if first == last else f"{first}:{last}"

    def holds(self, row: int, column: int) -> bool:
        """Whether the cell lies inside."""
        return self.top <= row <= self.bottom and self.left <= column <= self.right

    def touches(self, other: Area) -> bool:
        """Whether the two rectangles share a cell."""
        rows = self.top <= other.bottom and other.top <= self.bottom
        return rows and self.left <= other.right and other.left <= self.right


def column_letters(column: int) -> str:
    """Letters of a 0-based column.

    >>> column_letters(0), column_letters(27)
    ('A', 'AB')
    """
    letters = ""
    column += 1
    while column:
        column, rest = divmod(column - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def column_number(letters: str) -> int:
    """The number of a column, counted from 0, by its letters.

    >>> column_number("A"), column_number("AA")
    (0, 26)
    """
    number = 0
    for letter in letters.upper():
        number = number * 26 + ord(letter) - 64
    return number - 1


def a1(row: int, column: int) -> str:
    """The A1 address of a 0-based row and column.

    >>> a1(6, 2)
    'C7'
    """
    return f"{column_letters(column)}{row + 1}"


def parse_a1(text: str) -> tuple[int, int] | None:
    """Row and column (0-based) of an A1 address, or None if the text is none.

    >>> parse_a1("$C$7"), parse_a1("Sailing")
    ((6, 2), None)
    """
    match = _A1.fullmatch(text.strip())
    if match is None:
        return None
    column = 0
    for letter in match[1].upper():
        column = column * 26 + ord(letter) - 64
    return (int(match[2]) - 1, column - 1) if column <= 16_384 else None


def addresses(cells: Iterable[tuple[int, int]], most: int = 6) -> str:
    """A1 addresses joined for a sentence, the rest counted.

    >>> addresses([(0, 0), (1, 0), (2, 0)], most=2)
    'A1, A2 and 1 more'
    """
    listed = [a1(int(row), int(column)) for row, column in cells]
    shown = ", ".join(listed[:most])
    return f"{shown} and {len(listed) - most:,} more" if len(listed) > most else shown
