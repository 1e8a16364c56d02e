"""Long delimited text: its first part as a sheet, by which the layout is worked out, and the rest in batches of whole columns."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass, field, replace
from itertools import chain
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import Hints, Kind, Sheet, kinds_of
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

    from numpy.typing import NDArray

    from kebrin.sources.files import Fixed

# A file of fewer bytes is read at once.
_SHORT = 1 << 20
HEAD_ROWS = 1_000
_HEAD_BYTES = 1 << 18
_BLOCK = 1 << 20
# A sheet of fewer rows is worked on as a whole; a longer one by so many at a time.
LONG_ROWS, BLOCK_ROWS = 3_000, 20_000
# A file with so many rows of another width is none of even rows with a few remarks behind them.
_MOST_ODD = 200


class UnevenRowsError(Exception):
    """The rest of a file is not as its first part: rows of another width, or letters of another encoding."""


@dataclass(frozen=True, eq=False)
class LongText:
    """A long file of delimited text.

    Attributes:
        fixed: the file.
        delimiter: what parts its cells.
        head: its first rows as a sheet.
        starts: where each of these rows begins, in bytes.
        odd: lines of another width, each with the number of rows of full width before it; `batches` fills it.
    """

    fixed: Fixed
    delimiter: str
    head: Sheet
    starts: tuple[int, ...]
    odd: list[tuple[int, str]] = field(default_factory=list)

    @property
    def size(self) -> int:
        """How long it is, in the measure of `starts`."""
        return self.fixed.state[1]

    def batches(self, first: int) -> Iterator[list[pa.StringArray]]:
        """The columns of the rows from one on (0-based), a block at a time; empty cells are null, and so is a blank line.

        Raises:
            UnevenRowsError: many rows have another width, or the text is no UTF-8.
        """
        import pyarrow.csv as arrow_csv

        self.odd.clear()
        names = [str(at) for at in range(self.head.shape[1])]

        def set_aside(row: arrow_csv.InvalidRow) -> str:
            self.odd.append((row.number - 1 - len(self.odd), row.text))
            return "skip" if len(self.odd) < _MOST_ODD else "error"

        with self.fixed.path.open("rb") as file:
            file.seek(self.starts[first])
            try:
                yield from (
                    batch.columns
                    for batch in arrow_csv.open_csv(
                        file,
                        read_options=arrow_csv.ReadOptions(column_names=names, block_size=_BLOCK, use_threads=False),
                        parse_options=arrow_csv.ParseOptions(
                            delimiter=self.delimiter, ignore_empty_lines=False, newlines_in_values=_has_breaks(self.head),
                            invalid_row_handler=set_aside,
                        ),
                        convert_options=arrow_csv.ConvertOptions(
                            column_types=dict.fromkeys(names, pa.string()), null_values=[""], strings_can_be_null=True
                        ),
                    )
                )  # fmt: skip
            except pa.ArrowInvalid as error:
                raise UnevenRowsError(str(error)) from error
        self.fixed.check()


@dataclass(frozen=True, eq=False)
class LongRows:
    """A long sheet that is read as a long text is: its first rows as a sheet, and the others whole columns at a time.

    Attributes:
        head: its first rows.
        more: how many rows there are behind them.
        rest: gives the columns of these, a block at a time; empty cells are null.
        is_dressed: whether some of their cells are set in or in bold, which may say that they are of another depth.
        odd: nothing, for all rows have the sheet's width.
    """

    head: Sheet
    more: int
    rest: Callable[[], Iterator[list[pa.Array]]] = field(repr=False)
    is_dressed: Callable[[], bool] = field(repr=False)
    odd: tuple[tuple[int, str], ...] = ()
    delimiter = ""

    @property
    def starts(self) -> range:
        """Where each of the first rows begins: rows are counted."""
        return range(self.head.shape[0])

    @property
    def size(self) -> int:
        """How many rows there are."""
        return self.head.shape[0] + self.more

    def batches(self, first: int) -> Iterator[list[pa.Array]]:
        """The columns of the rows from one of the first on (0-based), a block at a time; empty cells are null.

        Raises:
            UnevenRowsError: a text is set in, which may say that it is part of what stands above.
        """
        import pyarrow.compute as pc

        own = slice(first, None)
        for columns in chain([columns_of(self.head.values[own], self.head.kinds[own])], self.rest()):
            texts = (column for column in columns if pa.types.is_string(column.type))
            if any(pc.any(pc.starts_with(column, " ")).as_py() for column in texts):
                raise UnevenRowsError
            yield columns


def columns_of(values: NDArray[np.object_], kinds: NDArray[np.uint8]) -> list[pa.Array]:
    """The columns of a block of cells, each of one kind.

    Raises:
        UnevenRowsError: cells of several kinds stand in one.
    """
    return [_column_of(cells, kind) for cells, kind in zip(values.T, kinds.T, strict=True)]


def _column_of(cells: NDArray[np.object_], kinds: NDArray[np.uint8]) -> pa.Array:
    known = kinds != Kind.BLANK
    (kind, *more) = np.unique(kinds[known]).tolist() or [Kind.TEXT]
    if more or kind not in {Kind.TEXT, Kind.NUMBER, Kind.DATE, Kind.FLAG}:
        raise UnevenRowsError
    if kind == Kind.TEXT:
        texts = cells.tolist()
        if known.all():
            return arrays.texts(texts)
        return arrays.texts([text if there else None for text, there in zip(texts, known.tolist(), strict=True)])
    if kind == Kind.NUMBER:
        numbers = np.full(len(cells), np.nan)
        numbers[known] = cells[known].astype(np.float64)
        return arrays.numbers(numbers)
    if kind == Kind.FLAG:
        return arrays.flags(cells == True, known)  # noqa: E712 - each of them
    return arrays.moments(cells.tolist(), known)


def long_sheet(sheet: Sheet, is_dressed: Callable[[], bool] | None = None) -> LongRows | None:
    """A sheet as a long one; None if it is short, or hides or joins some of its cells.

    Args:
        sheet: the sheet.
        is_dressed: as `LongRows` has it; its formats say so otherwise.
    """
    if sheet.shape[0] < LONG_ROWS or sheet.merges or sheet.has_hidden_lines or sheet.emptied:
        return None
    head = replace(sheet, values=sheet.values[:HEAD_ROWS], kinds=sheet.kinds[:HEAD_ROWS])
    if sheet.look_up_formats is not None:  # what is behind the first part is not looked up for it
        head = replace(head, look_up_formats=lambda rows: sheet.formats(min(rows or HEAD_ROWS, HEAD_ROWS)))

    def rest() -> Iterator[list[pa.Array]]:
        for at in range(HEAD_ROWS, sheet.shape[0], BLOCK_ROWS):
            own = slice(at, at + BLOCK_ROWS)
            yield columns_of(sheet.values[own], sheet.kinds[own])

    def shown() -> bool:
        formats = sheet.formats()
        return any(row >= HEAD_ROWS for row, _ in (*formats.bold, *formats.indents))

    return LongRows(head, sheet.shape[0] - HEAD_ROWS, rest, is_dressed or shown)


def open_long(fixed: Fixed, name: str, delimiter_of: Callable[[str], str]) -> LongText | None:
    """A file as a long one; None if it is short, or its first part is no UTF-8 of rows of one width.

    Args:
        fixed: the file.
        name: what its sheet is called.
        delimiter_of: finds the delimiter of a text.
    """
    if fixed.state[1] < _SHORT:
        return None
    with fixed.path.open("rb") as file:
        content = file.read(_HEAD_BYTES)
    content = content[: content.rfind(b"\n") + 1]
    begin = 3 if content.startswith(b"\xef\xbb\xbf") else 0
    try:
        text = content[begin:].decode("utf-8")
    except UnicodeDecodeError:
        return None
    if not text or "\0" in text:
        return None
    mark = delimiter_of(text)
    if not mark:
        return None  # it is laid out by blanks
    rows, starts = _rows(text, mark, begin)
    if len(rows) < 3:
        return None
    width = max(map(len, rows))
    values = np.full((len(rows), width), "", dtype=object)
    for number, row in enumerate(rows):
        values[number, : len(row)] = row
    kinds = kinds_of(values)
    head = Sheet(name, values, kinds, source=str(fixed.path), textual=True, hints=Hints(delimiter=mark))
    return LongText(fixed, mark, head, tuple(starts))


def _rows(text: str, mark: str, begin: int) -> tuple[list[list[str]], list[int]]:
    """The first rows of a text, and where each begins, in bytes."""
    lines: list[str] = []

    def each() -> Iterator[str]:
        for line in io.StringIO(text, newline=""):
            lines.append(line)
            yield line

    rows: list[list[str]] = []
    starts: list[int] = []
    at, seen = begin, 0
    try:
        for row in csv.reader(each(), delimiter=mark, strict=False):
            rows.append(row)
            starts.append(at)
            at += sum(len(line.encode()) for line in lines[seen:])
            seen = len(lines)
            if len(rows) == HEAD_ROWS:
                return rows, starts
    except csv.Error:
        return [], []
    return rows[:-1], starts[:-1]  # the last may be cut in two, inside of quotes


def _has_breaks(head: Sheet) -> bool:
    return any("\n" in text for text in head.values.ravel().tolist() if isinstance(text, str))
