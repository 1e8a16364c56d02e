"""What became of each cell of a sheet, for people to look at: by the tables' origins and what was left out."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from kebrin.address import parse_a1

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.proof import SheetLedger
    from kebrin.table import Segment, Table
    from kebrin.work.joining import Done

#: What a cell is, by one letter: a value, a label, a heading of labels, left out, unclaimed.
VALUE, LABEL, HEAD, LEFT, OPEN = "v", "l", "h", "o", "u"
_LINE = re.compile(r"(?P<axis>row|column)s? (?P<at>\d+|[A-Z]{1,3})\b")


@dataclass(frozen=True)
class CellUse:
    """What one cell is: its letter; its row in a table (from 1) and which table, or why it is where it is."""

    letter: str
    row: int = 0
    table: int = -1
    said: str = ""


@dataclass
class SheetAccount:
    """The cells of one sheet, by place, and the table rows that lead to them."""

    sheet: Sheet
    file: str
    uses: dict[tuple[int, int], CellUse] = field(default_factory=dict)


def account_of(sheet: Sheet, file: str, tables: Sequence[Table], ledgers: Sequence[SheetLedger]) -> SheetAccount:
    """What became of each filled cell of a sheet.

    Args:
        sheet: the sheet as it is read again, as it lies in its file.
        file: its file.
        tables: all tables of the run.
        ledgers: the accounts of this sheet, one for each table that it gave cells to.
    """
    found = SheetAccount(sheet, file)
    for number, table in enumerate(tables):
        first = 1
        for segment in table.origins.segments:
            if segment.file == file and segment.sheet == sheet.name:
                _add(found, segment, number, first)
            first += len(segment)
    for ledger in ledgers:
        for column, (_, cells, _) in ledger.via.items():
            for at in filter(None, map(parse_a1, cells)):
                found.uses.setdefault(at, CellUse(LABEL, 0, 0, column))
    open_cells = {parse_a1(cell) for ledger in ledgers for cell in ledger.unclaimed}
    reasons = _reasons(ledgers)
    for row, column in zip(*sheet.filled.nonzero(), strict=True):
        at = int(row), int(column)
        if at in found.uses:
            continue
        if at in open_cells:
            found.uses[at] = CellUse(OPEN, said="nothing claims it")
        else:
            said = reasons.get(("row", at[0])) or reasons.get(("column", at[1])) or "a title, a note or a field"
            found.uses[at] = CellUse(LEFT, said=said)
    return found


def _add(found: SheetAccount, segment: Segment, table: int, first: int) -> None:
    for measure in segment.columns:
        rows, columns = segment.cells(measure)
        for number, (row, column) in enumerate(zip(rows.tolist(), columns.tolist(), strict=True)):
            if column >= 0:
                found.uses[_in_file(segment, (row, column))] = CellUse(VALUE, first + number, table, measure)
    for labels in segment.sources:
        for at in _places(labels.rows, labels.columns):
            found.uses.setdefault(_in_file(segment, at), CellUse(LABEL, 0, table, labels.column))
        if labels.head[0] >= 0:
            found.uses.setdefault(_in_file(segment, labels.head), CellUse(HEAD, 0, table, labels.column))
    for measure, cells in segment.heads.items():
        for at in cells:
            found.uses.setdefault(_in_file(segment, at), CellUse(HEAD, 0, table, measure))


def _in_file(segment: Segment, at: tuple[int, int]) -> tuple[int, int]:
    """A cell as it lies in the file: a sheet that lists its records across was turned to be read, a form laid out as a record."""
    return segment.in_file(*at)


def _places(rows: NDArray[np.int32], columns: NDArray[np.int32]) -> Iterator[tuple[int, int]]:
    yield from {(row, column) for row, column in zip(rows.tolist(), columns.tolist(), strict=True) if row >= 0}


def _reasons(ledgers: Sequence[SheetLedger]) -> dict[tuple[str, int], str]:
    """Why lines were left out, by row or column."""
    found: dict[tuple[str, int], str] = {}
    for ledger in ledgers:
        for one in ledger.lines:
            match = _LINE.search(one.line)
            if match is None:
                continue
            if match["axis"] == "row" and match["at"].isdigit():
                found["row", int(match["at"]) - 1] = str(one)
            elif match["axis"] == "column" and (place := parse_a1(f"{match['at']}1")) is not None:
                found["column", place[1]] = str(one)
    return found


def sampled(done: Done, most: int) -> list[int]:
    """Rows of a table to show, spread over all of it (0-based)."""
    count = len(done.table)
    return sorted({round(at * (count - 1) / max(most - 1, 1)) for at in range(most)}) if count else []
