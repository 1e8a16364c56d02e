"""Rows of a worksheet written whole columns at a time: the text of all its cells is made by Arrow, not cell by cell.

The package that writes workbooks does all else (styles, panes, filters, widths, the package of parts); only its buffer of
finished rows is filled here, for it spends most of its time on finding out what each cell is.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from xlsxwriter.utility import xl_col_to_name
from xlsxwriter.worksheet import Worksheet

from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

_BATCH = 32_768
# Days in a workbook's calendar at the start of ours (ECMA-376 part 1, 18.17.4.1: day 1 is 1 January 1900, which it takes for a
# leap year).
_EPOCH = 25_569
_CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]|_x[0-9A-Fa-f]{4}_")
_SECONDS = {"s": 1.0, "ms": 1e3, "us": 1e6, "ns": 1e9}
_DAY = 86_400.0
_INLINE = ' t="inlineStr"><is><t xml:space="preserve">', "</t></is></c>"


class BulkSheet(Worksheet):
    """A worksheet that takes rows in bulk, once the rows above are in."""

    def put_rows(self, first: int, data: pa.Table, formats: Sequence[Any]) -> int:
        """Write a table's rows; the row after the last is given back.

        Args:
            first: the row of the first, from 0.
            data: the rows.
            formats: a format for each column, or None.
        """
        self._write_single_row(first)
        self.row_data_fh.flush()
        styles = ["" if form is None else f' s="{form._get_xf_index()}"' for form in formats]  # noqa: SLF001
        row = first
        for batch in data.to_batches(max_chunksize=_BATCH):
            if batch.num_rows:
                self.row_data_fh.buffer.write(_rows_of(batch, row + 1, styles))
                row += batch.num_rows
        if row > first:
            self._check_dimensions(row - 1, data.num_columns - 1)
        self.previous_row = row
        return row


def _rows_of(batch: pa.RecordBatch, first: int, styles: Sequence[str]) -> bytes:
    numbers = pc.cast(arrays.whole(np.arange(first, first + batch.num_rows), pa.int64()), pa.string())
    parts: list[Any] = [pc.binary_join_element_wise('<row r="', numbers, '">', "")]
    for at, column in enumerate(batch.columns):
        before, texts, after = _cells(column)
        head = f'<c r="{xl_col_to_name(at)}'
        cells = pc.binary_join_element_wise(head, numbers, f'"{styles[at]}{before}', texts, after, "")
        parts.append(pc.fill_null(cells, ""))
    rows = pc.binary_join_element_wise(*parts, "</row>", "")
    rows = rows.combine_chunks() if isinstance(rows, pa.ChunkedArray) else rows
    buffers = rows.buffers()
    offsets = np.frombuffer(buffers[1], np.int32)[rows.offset : rows.offset + len(rows) + 1]
    return bytes(buffers[2][int(offsets[0]) : int(offsets[-1])])


def _cells(column: pa.Array) -> tuple[str, pa.Array, str]:
    """What stands before, in and after the value of each cell of a column."""
    kind = column.type
    if pa.types.is_dictionary(kind) and not pa.types.is_string(kind.value_type):
        return _cells(column.cast(kind.value_type))
    if pa.types.is_boolean(kind):
        return ' t="b"><v>', pc.if_else(column, "1", "0"), "</v></c>"
    if pa.types.is_floating(kind):
        finite = pc.is_finite(column)
        if pc.all(finite, skip_nulls=True).as_py() is False:
            # What is no number to a workbook is told as one of its errors.
            plain = pc.binary_join_element_wise("><v>", column.cast(pa.string()), "")
            return "", pc.if_else(finite, plain, ' t="e"><v>#NUM!'), "</v></c>"
    if pa.types.is_floating(kind) or pa.types.is_integer(kind):
        return "><v>", column.cast(pa.string()), "</v></c>"
    if pa.types.is_temporal(kind):
        return "><v>", _days(column).cast(pa.string()), "</v></c>"
    return _INLINE[0], _texts(column), _INLINE[1]


def _texts(column: pa.Array) -> pa.Array:
    if not pa.types.is_dictionary(column.type):
        return _escaped(column.cast(pa.string()))
    if len(column.dictionary) > len(column):
        return _escaped(column.cast(column.type.value_type))
    return pc.take(_escaped(column.dictionary), column.indices)


def _days(column: pa.Array) -> pa.Array:
    """Dates, moments and times as a workbook counts them: in days."""
    if pa.types.is_date(column.type):
        return pc.add(column.cast(pa.date32()).cast(pa.int32()), _EPOCH)
    if pa.types.is_time(column.type):
        per = _SECONDS[column.type.unit] * _DAY
        return pc.divide(column.cast(pa.int32() if column.type.bit_width == 32 else pa.int64()).cast(pa.float64()), per)
    per = _SECONDS[column.type.unit] * _DAY
    return pc.add(pc.divide(column.cast(pa.int64()).cast(pa.float64()), per), float(_EPOCH))


def _escaped(texts: pa.Array) -> pa.Array:
    """Texts as they stand in XML; letters that it can't hold in the notation that workbooks have for them."""
    if pc.any(
        pc.match_substring_regex(texts, r"[\x00-\x08\x0b\x0c\x0e-\x1f\x{fffe}\x{ffff}]|_x[0-9A-Fa-f]{4}_")
    ).as_py():
        texts = arrays.texts([None if one is None else _CONTROL.sub(_noted, one) for one in texts.to_pylist()])
    for sign, name in (("&", "&amp;"), ("<", "&lt;"), (">", "&gt;"), ("\r", "_x000D_")):
        texts = pc.replace_substring(texts, sign, name)
    return texts


def _noted(match: re.Match[str]) -> str:
    found = match[0]
    return f"_x005F{found}" if len(found) > 1 else f"_x{ord(found):04X}_"
