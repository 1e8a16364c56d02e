"""Read a table that is tidy already: one header row, one row per record; texts stay texts."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, as_label
from kebrin.errors import Place, SourceError
from kebrin.sources import files, read
from kebrin.table import Table, arrays
from kebrin.table.threads import in_parallel

if TYPE_CHECKING:
    from pyarrow.parquet import FileMetaData

    from kebrin.cells import Sheet


_PLACE_BYTES = 5


def read_table(path: str | Path, sheet: str = "") -> Table:
    """A table from a Parquet file, from delimited text or from a workbook's sheet, the first that is shown by default.

    Columns of numbers alone are numbers; in delimited text every column is text.

    Raises:
        SourceError: the file can't be read, has no header, or two columns of one name.
    """
    path = Path(path)
    if path.suffix.lower() == ".parquet":
        return _parquet(path)
    report = read(path)
    if sheet and sheet not in report.names:
        raise SourceError(
            f"there is no sheet {sheet!r}",
            Place(str(path)),
            why=f"the sheets are {', '.join(report.names)}",
            do="Correct it",
        )
    grid = report[sheet or report.shown[0]]
    rows = np.flatnonzero(grid.filled.any(axis=1))
    if not len(rows):
        raise SourceError("the table is empty", Place(str(path)), do="Name another file")
    head = int(rows[0])
    at = np.flatnonzero(grid.filled[head]).tolist()
    names = [grid.text(head, column) for column in at]
    twice = next((name for name in names if names.count(name) > 1), "")
    if twice:
        raise SourceError(
            f"two columns are named {twice!r}", Place(str(path)), why="the first row must name each column once",
            do="If it is a report and no table yet, tidy it first: kebrin tidy",
        )  # fmt: skip
    columns = [_column(grid, rows[1:], column) for column in at]
    data = pa.Table.from_arrays(columns, names=names)
    measures = tuple(name for name, column in zip(names, columns, strict=True) if pa.types.is_floating(column.type))
    return Table(data, measures)


def _column(sheet: Sheet, rows: np.ndarray, column: int) -> pa.Array:
    kinds = sheet.kinds[rows, column]
    if (
        len(rows)
        and not sheet.textual
        and np.isin(kinds, (Kind.NUMBER, Kind.BLANK)).all()
        and (kinds == Kind.NUMBER).any()
    ):
        return arrays.numbers(sheet.numbers[rows, column].copy())
    values = sheet.values[rows, column].tolist()
    return arrays.texts([None if kind == Kind.BLANK else value if isinstance(value, str) else as_label(value)
                         for value, kind in zip(values, kinds.tolist(), strict=True)])  # fmt: skip


def _repeating(about: FileMetaData) -> list[str]:
    """The columns of texts that the file keeps as a list of distinct ones: these are read as they are kept."""
    names = []
    for at in range(about.num_columns):
        parts = [about.row_group(group).column(at) for group in range(about.num_row_groups)]
        # Places in the list take few bytes; a column whose list grew too long is kept whole.
        small = sum(part.total_uncompressed_size for part in parts) < _PLACE_BYTES * about.num_rows
        text = about.schema.column(at).physical_type == "BYTE_ARRAY"
        if parts and text and small and all(part.has_dictionary_page for part in parts):
            names.append(about.schema.column(at).path)
    return names


def _parquet(path: Path) -> Table:
    from pyarrow import parquet

    files.first_bytes(path)
    try:
        about = parquet.read_metadata(path)
        listed = _repeating(about)

        def rows_of(group: int) -> pa.Table:
            return parquet.ParquetFile(path, read_dictionary=listed).read_row_group(group)

        groups = list(range(about.num_row_groups))
        data = pa.concat_tables(in_parallel(rows_of, groups)) if groups else parquet.ParquetFile(path).read()
    except (pa.ArrowInvalid, OSError) as error:
        raise SourceError("this is no Parquet file", Place(str(path)), why=str(error).splitlines()[0]) from None
    measures = tuple(name for name in data.column_names if pa.types.is_floating(data.column(name).type))
    return Table(data, measures)
