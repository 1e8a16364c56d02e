"""Tables as files: .csv, .parquet, .xlsx; one function per format, chosen by the file's ending."""

from __future__ import annotations

import csv
import datetime as dt
from typing import TYPE_CHECKING, Any

import pyarrow as pa
import pyarrow.compute as pc

from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

    from kebrin.table import Table

_BATCH = 65_536
# Letters in one cell of a workbook, by the format's own limit.
_LONGEST_XLSX_TEXT = 32_767
_MOST_XLSX_ROWS = 1_048_575
_NEEDS_QUOTES = (",", '"', "\n", "\r")


def write_table(table: Table, path: Path, *, kind: str = "", shown: Path | None = None) -> None:
    """Write a table by the file's ending, or by `kind` ('.csv', ...) if the name has another.

    Messages name the file `shown`, where the one that is written is only on its way there.

    Raises:
        OutputError: the ending is not known, or the table does not fit the format.
    """
    ending = (kind or path.suffix).lower()
    if ending not in WRITERS:
        raise OutputError(
            f"tables are not written as {ending or 'a file without an ending'!r}", Place(str(path)),
            why=f"the endings known are {', '.join(WRITERS)}", do="Name the output with one of these",
        )  # fmt: skip
    if ending == ".xlsx":
        _refuse_too_large(table, shown or path)
    WRITERS[ending](table, path)


def _refuse_too_large(table: Table, shown: Path) -> None:
    """Refuse what a sheet of a workbook can't hold."""
    if len(table) > _MOST_XLSX_ROWS:
        raise OutputError(
            f"the table has {len(table):,} rows", Place(str(shown)), why=f"an .xlsx sheet holds {_MOST_XLSX_ROWS:,} of them",
            do="Write .parquet or .csv",
        )  # fmt: skip
    for name, longest in _longest_texts(table):
        if longest > _LONGEST_XLSX_TEXT:
            raise OutputError(
                f"a text in the column {name!r} has {longest:,} letters", Place(str(shown)),
                why=f"a cell of an .xlsx sheet holds {_LONGEST_XLSX_TEXT:,} of them", do="Write .parquet or .csv",
            )  # fmt: skip


def _csv(table: Table, path: Path) -> None:
    """UTF-8, commas, a heading line, ISO dates, missing as nothing between commas; quotes only where needed."""
    if not _quotes_needed(table.data):
        import pyarrow.csv as arrow_csv

        options = arrow_csv.WriteOptions(quoting_style="none", quoting_header="none")
        with (
            path.open("wb") as file,
            arrow_csv.CSVWriter(file, _plain_schema(table.data), write_options=options) as writer,
        ):
            for batch in _plain_batches(table.data):
                writer.write(batch)
        return
    with path.open("w", encoding="utf-8", newline="") as text:
        lines = csv.writer(text, lineterminator="\n")
        lines.writerow(table.columns)
        for batch in _plain_batches(table.data):
            lines.writerows(zip(*(_as_text(column) for column in batch.columns), strict=True))


def _quotes_needed(data: pa.Table) -> bool:
    texts = list(data.column_names)
    for column in data.columns:
        if pa.types.is_dictionary(column.type):
            texts += [text for chunk in column.chunks for text in chunk.dictionary.to_pylist()]
        elif pa.types.is_string(column.type) or pa.types.is_large_string(column.type):
            texts += [text for text in column.unique().to_pylist() if text is not None]
    return any(mark in text for text in texts for mark in _NEEDS_QUOTES)


def _plain_schema(data: pa.Table) -> pa.Schema:
    return pa.schema([
        (field.name, field.type.value_type if pa.types.is_dictionary(field.type) else field.type) for field in data.schema
    ])  # fmt: skip


def _plain_batches(data: pa.Table) -> list[pa.RecordBatch] | Any:
    """Record batches with labels written out."""
    schema = _plain_schema(data)
    for batch in data.to_batches(max_chunksize=_BATCH):
        columns = [column.cast(field.type) for column, field in zip(batch.columns, schema, strict=True)]
        yield pa.RecordBatch.from_arrays(columns, schema=schema)


def _as_text(column: pa.Array) -> list[str | None]:
    texts: list[str | None] = column.cast(pa.string()).to_pylist()
    return texts


def _parquet(table: Table, path: Path) -> None:
    """Zstandard-compressed; dictionary pages for labels only, statistics for all else (labels would be written out)."""
    import pyarrow.parquet as pq

    labels = [field.name for field in table.data.schema if pa.types.is_dictionary(field.type)]
    others = [name for name in table.columns if name not in labels]
    pq.write_table(
        table.data, path, compression="zstd", compression_level=1, use_dictionary=labels, write_statistics=others
    )


def _xlsx(table: Table, path: Path) -> None:
    """One sheet named 'tidy', a bold heading row that stays in view, real dates and numbers."""
    import xlsxwriter

    with xlsxwriter.Workbook(
        path, {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False}
    ) as book:
        book.set_properties({"created": dt.datetime(2000, 1, 1, tzinfo=dt.UTC)})  # the same table gives the same bytes
        sheet = book.add_worksheet("tidy")
        sheet.freeze_panes(1, 0)
        sheet.write_row(0, 0, table.columns, book.add_format({"bold": True}))
        formats = [book.add_format({"num_format": code}) if code else None for code in map(_format, table.data.schema)]
        row = 1
        for batch in _plain_batches(table.data):
            for values in zip(*(column.to_pylist() for column in batch.columns), strict=True):
                for column, value in enumerate(values):
                    if value is not None:
                        sheet.write(row, column, value, formats[column])
                row += 1


def _longest_texts(table: Table) -> Iterator[tuple[str, int]]:
    """The length of the longest text in each column that holds texts."""
    for name, column in zip(table.columns, table.data.columns, strict=True):
        for chunk in column.chunks:
            texts = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk
            if pa.types.is_string(texts.type) or pa.types.is_large_string(texts.type):
                yield name, pc.max(pc.utf8_length(texts)).as_py() or 0


def _format(field: pa.Field) -> str:
    if pa.types.is_date(field.type):
        return "yyyy-mm-dd"
    if pa.types.is_timestamp(field.type):
        return "yyyy-mm-dd hh:mm:ss"
    return "hh:mm:ss" if pa.types.is_time(field.type) else ""


WRITERS: dict[str, Callable[[Table, Path], None]] = {".csv": _csv, ".parquet": _parquet, ".xlsx": _xlsx}
