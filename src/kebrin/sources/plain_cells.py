"""Long runs of plain rows in a spreadsheet document: cells that hold one value each, read whole columns at a time.

As in a page (`plain_rows.py`) all but the first of a long run are taken out before the document is parsed.
"""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass
from functools import partial
from itertools import islice, pairwise
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import kinds_of
from kebrin.errors import Place
from kebrin.sources.limits import hold
from kebrin.sources.long_text import BLOCK_ROWS, HEAD_ROWS, LONG_ROWS, LongRows, UnevenRowsError, columns_of
from kebrin.sources.plain_rows import MARK
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

_STYLE, _REPEAT = r'(?: table:style-name="[^"<&]*+")?+', r'(?: table:number-{}-repeated="(\d++)")?+'
# A cell in the order in which office programs write what they say of it: its kind, its value, its text.
_CELL = (
    rf"<table:table-cell{_STYLE}{_REPEAT.format('columns')}{_STYLE}"
    r'(?: office:value-type="(float|percentage|currency|date|boolean|string)")?+(?: office:currency="[^"<&]*+")?+'
    r'(?: office:(?:date-|boolean-)?value="([^"<&]*+)")?+(?: calcext:value-type="[^"<&]*+")?+'
    r"(?:/>|>\s*+(?:<text:p>([^<&]*+)</text:p>\s*+)?+</table:table-cell>)\s*+"
)
_ROW = rf"<table:table-row{_STYLE}{_REPEAT.format('rows')}{_STYLE}>\s*+(?:{_CELL})++</table:table-row>\s*+"
_EACH = re.compile(_ROW)
_RUN = re.compile(f"(?:{re.sub(r'[(](?![?])', '(?:', _ROW)})++")
_PARTS = re.compile(rf"{_CELL}|<table:table-row{_STYLE}{_REPEAT.format('rows')}{_STYLE}(>)")
_STYLES = re.compile(r'table:style-name="([^"]*)"')
_UTF8 = re.compile(rb"""<\?xml [^>]*encoding=["']utf-8["']""", re.IGNORECASE)
# What XML may not hold or reads as something else.
_ODD = bytes({*range(32)} - {9, 10})
_AMOUNTS = frozenset({"float", "percentage", "currency"})
# What the parts of a row say: how often a cell stands there, its kind, value and text; how often a row does, and that it begins.
_TIMES, _KIND, _VALUE, _TEXT, _ROWS, _BEGINS = range(6)
_BLANK, _SEVERAL = ("",) * 6, 2
# So many rows are read in both ways, and must say the same.
_SHARED = 50


class _OddCellsError(Exception):
    """Cells that are read one by one."""


@dataclass(frozen=True, eq=False)
class PlainCells:
    """The content of a document with a long run of plain rows in it.

    Attributes:
        head: the content without the rest of the run; the last row that it keeps bears a mark.
        columns: the columns of the rest of the run, and of some rows before it.
        kept: how many of these rows the head keeps.
        styles: the styles of all of them.
    """

    head: bytes
    columns: list[pa.Array]
    kept: int
    styles: frozenset[str]

    @classmethod
    def of(cls, content: bytes) -> PlainCells | None:
        """The longest run; None if it is short, or something in it must be read cell by cell."""
        if content.count(b"<table:table-row") < LONG_ROWS or not _UTF8.match(content):
            return None
        if len(content.translate(None, _ODD)) != len(content):
            return None
        try:
            text = content.decode("utf-8")
        except UnicodeDecodeError:
            return None  # the parser tells where
        begin, end = max(
            (one.span() for one in _RUN.finditer(text)), key=lambda span: span[1] - span[0], default=(0, 0)
        )
        run = text[begin:end]
        if run.count("<table:table-row") < LONG_ROWS:
            return None
        shared = [one.span() for one in islice(_EACH.finditer(run), HEAD_ROWS - _SHARED, HEAD_ROWS)]
        (own, _), (last, kept) = shared[0], shared[-1]
        at = begin + last + len("<table:table-row")
        try:
            columns, first = _columns(run[own:]), _columns(run[own:kept])
        except _OddCellsError:
            return None
        head = f'{text[:at]} xml:id="{MARK}"{text[at : begin + kept]}{text[end:]}'
        return cls(
            head.encode(), columns, len(first[0]), frozenset(_STYLES.findall(run) if "style-name" in run else ())
        )

    def below(self, head: Sheet, marked: int, dressing: Iterable[str]) -> LongRows | None:
        """The sheet of the whole table, by that of the head; None if its last rows, up to the marked one, are not of the run.

        Args:
            head: the sheet of the head.
            marked: its row that bears the mark.
            dressing: the styles by which cells are set in or in bold.
        """
        begun, more = head.shape[0] - self.kept, len(self.columns[0]) - self.kept
        if begun < 0 or marked != head.shape[0] - 1 or head.merges or head.has_hidden_lines:
            return None
        blank = pa.nulls(len(self.columns[0]), pa.string())
        columns = self.columns + [blank] * (head.shape[1] - len(self.columns))
        try:
            shown = columns_of(head.values[begun:], kinds_of(head.values[begun:]))
        except UnevenRowsError:
            return None
        shown += [blank.slice(0, self.kept)] * (len(columns) - len(shown))
        if not all(map(_same, shown, [column.slice(0, self.kept) for column in columns])):
            return None
        hold("cells", len(columns) * (head.shape[0] + more), Place(head.source, head.name))
        return LongRows(head, more, partial(_blocks, columns, self.kept), lambda: not self.styles.isdisjoint(dressing))


def _blocks(columns: Sequence[pa.Array], first: int) -> Iterator[list[pa.Array]]:
    for at in range(first, len(columns[0]), BLOCK_ROWS):
        yield [column.slice(at, BLOCK_ROWS) for column in columns]


def _same(one: pa.Array, other: pa.Array) -> bool:
    return bool(one.equals(other)) or one.null_count == other.null_count == len(one) == len(other)


def _columns(run: str) -> list[pa.Array]:
    """The columns of a run of rows, but for empty ones at the right.

    Raises:
        _OddCellsError: rows of several widths, or cells of several kinds in one column.
    """
    parts = _PARTS.findall(run)
    if "-repeated=" in run:
        parts = _written_out(parts)
    width = next((at for at, part in enumerate(parts[1:]) if part[_BEGINS]), len(parts) - 1)
    begins = parts[:: width + 1]
    if width < _SEVERAL or len(parts) != len(begins) * (width + 1) or not all(part[_BEGINS] for part in begins):
        raise _OddCellsError
    columns = [_column(parts[at :: width + 1]) for at in range(1, width + 1)]
    while len(columns) > 1 and columns[-1].null_count == len(columns[-1]):
        columns.pop()
    return columns


def _written_out(parts: Sequence[tuple[str, ...]]) -> list[tuple[str, ...]]:
    """The same with cells and rows as often as they stand there, all rows of one width; without blank rows at the end.

    Raises:
        _OddCellsError: a blank row stands for several among others.
    """
    begins = [at for at, part in enumerate(parts) if part[_BEGINS]]
    rows: list[list[tuple[str, ...]]] = []
    gap = False
    for begin, end in pairwise([*begins, len(parts)]):
        own = list(parts[begin + 1 : end])
        while own and not (own[-1][_KIND] or own[-1][_TEXT]):
            own.pop()
        if own and gap:
            raise _OddCellsError
        gap = not own
        hold("columns", sum(int(part[_TIMES] or 1) for part in own), Place(""))
        row = [part for part in own for _ in range(int(part[_TIMES] or 1))]
        times = int(parts[begin][_ROWS] or 1) if own else 0
        hold("cells", (len(rows) + times) * len(row), Place(""))
        rows += [row] * times
    width = max(map(len, rows), default=0)
    begun = ("",) * _BEGINS + (">",)
    return [part for row in rows for part in (begun, *row, *([_BLANK] * (width - len(row))))]


def _column(cells: Sequence[tuple[str, ...]]) -> pa.Array:
    """One column of cells of one kind.

    Raises:
        _OddCellsError: they are of several, or no value of their kind.
    """
    columns = list(zip(*cells, strict=True))
    kinds, values, texts = columns[_KIND], columns[_VALUE], columns[_TEXT]
    found = set(kinds)
    if found <= {"", "string"}:
        return arrays.texts([text if text and not text.isspace() else None for text in texts])
    known = np.array(list(map(bool, kinds)), np.bool_) if "" in found else np.ones(len(cells), np.bool_)
    if any(texts[at] and not texts[at].isspace() for at in np.flatnonzero(~known).tolist()):
        raise _OddCellsError
    try:
        return _values(found - {""}, values, known)
    except ValueError:
        raise _OddCellsError from None


def _values(kinds: set[str], values: Sequence[str], known: NDArray[np.bool_]) -> pa.Array:
    """The values of a column that are no texts."""
    if kinds <= _AMOUNTS:
        numbers = np.array([float(value) if value else np.nan for value in values])
        if np.isnan(numbers[known]).any():
            raise _OddCellsError
        return arrays.numbers(numbers)
    if kinds == {"boolean"}:
        return arrays.flags(np.array([value == "true" for value in values]), known)
    if kinds == {"date"}:
        return arrays.moments([dt.datetime.fromisoformat(value) if value else None for value in values], known)
    raise _OddCellsError
