"""Columns of a long text, a batch at a time: which rows hold something, and cells as the kind that their column is of."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import DITTOS, Look, as_label, read_text
from kebrin.grammar.words import average_word, carried_word, extreme_word, total_word
from kebrin.sources.long_text import UnevenRowsError
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.layout import Layout
    from kebrin.work.steadiness import Steady


def speaks_of_others(label: str) -> bool:
    """Whether a label says that its row sums up others, or carries a sum over: such rows are for the whole sheet to tell."""
    words = total_word(label) or average_word(label) or extreme_word(label) or carried_word(label)
    return bool(words) or label in DITTOS


def filled_rows(columns: Sequence[pa.StringArray]) -> NDArray[np.bool_]:
    """Which rows hold something."""
    filled = np.zeros(len(columns[0]), np.bool_)
    for column in columns:
        if not column.null_count:
            return np.ones(len(column), np.bool_)
        filled |= ~arrays.nulls_of(pa.chunked_array([column]))
    return filled


def as_kind(cells: pa.Array, kind: pa.DataType) -> pa.Array:
    """Cells as the kind that their column is of; a column that begins to hold another is for the whole sheet to tell."""
    if cells.null_count == len(cells):
        return pa.nulls(len(cells), kind)
    if cells.type != kind and not (pa.types.is_timestamp(kind) and pa.types.is_date(cells.type)):
        raise UnevenRowsError
    return cells.cast(kind)


def as_said(cells: pa.Array) -> pa.StringArray:
    """Cells of another kind than text as the labels that a person reads."""
    coded = cells.dictionary_encode()
    return arrays.texts(list(map(as_label, coded.dictionary.to_pylist()))).take(coded.indices)


def woven(whole: pa.Array, width: int) -> pa.Array:
    """Columns that stand one behind the other, row by row."""
    if width == 1:
        return whole
    rows = len(whole) // width
    if pa.types.is_floating(whole.type):
        plain = whole.null_count == 0
        values = np.frombuffer(whole.buffers()[1], np.float64, len(whole), whole.offset * 8) if plain else None
        grid = (arrays.floats_of(pa.chunked_array([whole])) if values is None else values).reshape(width, rows)
        return arrays.numbers(grid.T.ravel())
    places = (np.arange(width) * rows)[None, :] + np.arange(rows)[:, None]
    return whole.take(arrays.places(places.ravel()))


def cells_of(line: str, mark: str) -> list[str]:
    """What a line behind the table says, cell by cell."""
    return [text for text in (part.strip().strip('"') for part in line.split(mark)) if text]


def has_figures(line: str, mark: str) -> bool:
    """Whether a line behind the table bears figures or a word for a total: it may be a sum of it."""
    cells = cells_of(line, mark)
    return any(read_text(text).look not in {Look.WORDS, Look.CODE} or total_word(text) for text in cells)


def over_all(
    layout: Layout, found: Steady, rows: NDArray[np.int32], data: pa.Table, kept: NDArray[np.int64] | None, across: int
) -> Layout:
    """The first part's layout over all rows; the texts of its levels stay those of the first part."""
    levels = []
    for level in layout.stub:
        codes = arrays.codes_of(data.column(level.name).combine_chunks()).astype(np.int32)
        own = np.full(len(rows), -1, np.int32)
        own[np.arange(len(codes)) // found.width if kept is None else kept // found.width] = codes
        levels.append(replace(level, codes=own, cells=rows.astype(np.int64) * across + level.line))
    area = layout.area._replace(bottom=int(rows[-1]))
    return replace(layout, area=area, body_rows=rows, stub=tuple(levels))
