"""How cells are formatted: the second, slim look at a sheet, taken only when asked for."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Formats:
    """Formats of a sheet's cells, sparse: what is not listed is plain.

    Keys are 0-based (row, column). `number_formats` holds the format code as the file states it (`"0.0%"`), and
    `formulas` the formula's text without its `=`. `read_to` is the first row that was not looked at.

    >>> Formats(bold=frozenset({(4, 0)})).is_bold(4, 0)
    True
    """

    bold: frozenset[tuple[int, int]] = frozenset()
    indents: dict[tuple[int, int], int] = field(default_factory=dict)
    number_formats: dict[tuple[int, int], str] = field(default_factory=dict)
    filled: frozenset[tuple[int, int]] = frozenset()
    formulas: dict[tuple[int, int], str] = field(default_factory=dict)
    hidden_rows: frozenset[int] = frozenset()
    hidden_columns: frozenset[int] = frozenset()
    read_to: int | None = None

    def is_bold(self, row: int, column: int) -> bool:
        """Whether a cell's own font is bold."""
        return (row, column) in self.bold

    def decimals(self, row: int, column: int) -> int | None:
        """Decimal places that the cell's number format shows, or None if the format does not say.

        >>> Formats(number_formats={(0, 0): '#,##0.00'}).decimals(0, 0)
        2
        """
        code = self.number_formats.get((row, column), "General").split(";")[0]
        if code in {"General", "@"} or not any(digit in code for digit in "0#?"):
            return None
        _, _, after = code.partition(".")
        return sum(1 for digit in after if digit in "0#?")

    def family(self, row: int, column: int) -> str:
        """What kind of quantity the number format speaks of: money, percent or plain.

        >>> Formats(number_formats={(0, 0): '#,##0 "€"'}).family(0, 0)
        'money'
        """
        code = self.number_formats.get((row, column), "General")
        if "%" in code:
            return "percent"
        if any(mark in code for mark in "$€£¥₩₹"):
            return "money"
        return "plain"
