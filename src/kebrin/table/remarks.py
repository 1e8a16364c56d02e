"""Remarks: what a step has to say about the cells it read, for the proof to list."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Remark:
    """Something said about some cells of one sheet.

    Attributes:
        kind: a short name: 'missing mark', 'footnote mark', 'number kept as text', 'error cell', 'question', ...
        what: the sentence for people.
        file: the source file.
        sheet: the sheet.
        cells: their A1 addresses, the first few.
        count: how many cells in all.
        breaks: whether the proof can't hold with it.
        column: the column that it speaks of, if it speaks of one: a step that reads the column answers what was asked of it.
    """

    kind: str
    what: str
    file: str = ""
    sheet: str = ""
    cells: tuple[str, ...] = ()
    count: int = 0
    breaks: bool = False
    column: str = ""

    def __str__(self) -> str:
        more = f" and {self.count - len(self.cells):,} more" if self.count > len(self.cells) else ""
        at = f" ({', '.join(self.cells)}{more})" if self.cells else ""
        return f"{self.sheet}: {self.what}{at}" if self.sheet else f"{self.what}{at}"
