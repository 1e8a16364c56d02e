"""The kinds a cell can be of."""

from __future__ import annotations

from enum import IntEnum


class Kind(IntEnum):
    """What a cell holds; the codes of `Sheet.kinds`.

    A text of nothing but blanks counts as blank. An error (`#N/A`) is never a text, and a text that looks like a
    number is never a number.
    """

    BLANK = 0
    TEXT = 1
    NUMBER = 2
    DATE = 3
    TIME = 4
    FLAG = 5
    ERROR = 6

    @property
    def word(self) -> str:
        """The kind in plain lower case.

        >>> Kind.NUMBER.word
        'number'
        """
        return self.name.lower()
