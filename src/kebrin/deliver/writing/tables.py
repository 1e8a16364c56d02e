"""Tables as files: .csv, .parquet, .xlsx, .ods, .jsonl, .json, .sqlite; one function per format, chosen by the file's ending."""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import sqlite3
from contextlib import closing
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Literal, Protocol, TextIO

import pyarrow as pa

from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

    from kebrin.table import Table

_BATCH = 65_536
# Letters in one cell of a workbook, by the format's own limit.
_LONGEST_XLSX_TEXT = 32_767
_MOST_XLSX_ROWS, _MOST_XLSX_COLUMNS = 1_048_575, 16_384
_NEEDS_QUOTES = (",", '"', "\n", "\r")


@dataclass(frozen=True)
class TextForm:
    """How text is written: the delimiter, the encoding, the ends of lines, a byte order mark, quotes around all values.

    With `guard` texts that a spreadsheet program would take for formulas are written so that it does not; with `one_object` a
    .json holds the one row as an object, and no list.
    """

    delimiter: str = ","
    encoding: str = "utf-8"
    line_ends: str = "\n"
    mark: bool = False
    guard: bool = False
    quotes: bool = False
    one_object: bool = False

    @property
    def quoting(self) -> Literal[0, 1]:
        """Which values stand in quotes, as the csv module names it."""
        return csv.QUOTE_ALL if self.quotes else csv.QUOTE_MINIMAL

    @property
    def codec(self) -> str:
        """The encoding as Python names it."""
        return "utf-8-sig" if self.mark and self.encoding.lower().replace("-", "") == "utf8" else self.encoding


def write_table(
    table: Table,
    path: Path,
    *,
    kind: str = "",
    shown: Path | None = None,
    form: TextForm | None = None,
    name: str = "tidy",
) -> None:
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
    if ending in {".xlsx", ".ods"}:
        refuse_too_large(table, shown or path)
    if ending == ".json" and form is not None and form.one_object:
        _object(table, path, shown or path)
    elif ending == ".csv" and form is not None and replace(form, guard=False) != TextForm():
        _text(table, path, form, shown or path)
    elif ending == ".sqlite":
        _sqlite(table, path, name)
    else:
        WRITERS[ending](table, path)


def refuse_too_large(table: Table, shown: Path) -> None:
    """Refuse what a sheet of a workbook can't hold."""
    if len(table) > _MOST_XLSX_ROWS:
        raise OutputError(
            f"the table has {len(table):,} rows", Place(str(shown)),
            why=f"a sheet of a workbook holds {_MOST_XLSX_ROWS:,} of them", do="Write .parquet or .csv",
        )  # fmt: skip
    if len(table.columns) > _MOST_XLSX_COLUMNS:
        raise OutputError(
            f"the table has {len(table.columns):,} columns", Place(str(shown)),
            why=f"a sheet of a workbook holds {_MOST_XLSX_COLUMNS:,} of them", do="Put fewer values across, or write .csv",
        )  # fmt: skip
    for name, longest in _longest_texts(table):
        if longest > _LONGEST_XLSX_TEXT:
            raise OutputError(
                f"a text in the column {name!r} has {longest:,} letters", Place(str(shown)),
                why=f"a cell of a workbook holds {_LONGEST_XLSX_TEXT:,} of them", do="Write .parquet or .csv",
            )  # fmt: skip


def _csv(table: Table, path: Path) -> None:
    """UTF-8, commas, a heading line, ISO dates, missing as nothing between commas; quotes only where needed."""
    if not _quotes_needed(table.data):
        import pyarrow.csv as arrow_csv

        options = arrow_csv.WriteOptions(quoting_style="none", include_header=False)
        heading = io.StringIO(newline="")
        csv.writer(heading, lineterminator="\n").writerow(table.columns)
        with path.open("wb") as file:
            file.write(heading.getvalue().encode("utf-8"))
            # Arrow writes labels out itself; to have them cast here loads a package for longer than most tables take to write.
            with arrow_csv.CSVWriter(file, table.data.schema, write_options=options) as writer:
                for batch in table.data.to_batches(max_chunksize=_BATCH):
                    writer.write(batch)
        return
    with path.open("w", encoding="utf-8", newline="") as text:
        lines = csv.writer(text, lineterminator="\n")
        lines.writerow(table.columns)
        for batch in plain_batches(table.data):
            lines.writerows(zip(*(_as_text(column) for column in batch.columns), strict=True))


def _text(table: Table, path: Path, form: TextForm, shown: Path) -> None:
    """Delimited text in a stated form; a letter that the encoding does not have is refused, not replaced."""
    try:
        with path.open("w", encoding=form.codec, newline="") as text:
            heading = csv.writer(text, delimiter=form.delimiter, lineterminator=form.line_ends, quoting=form.quoting)
            heading.writerow(table.columns)
            text_rows(table, text, form)
    except UnicodeEncodeError as error:
        raise OutputError(
            f"{error.object[error.start : error.end]!r} can't be written in {form.encoding}", Place(str(shown)),
            why="the encoding does not have it", do="State encoding = 'utf-8'",
        ) from None  # fmt: skip


def text_rows(table: Table, text: TextIO, form: TextForm) -> None:
    """The rows of a table as lines of delimited text, no headings above them."""
    lines = csv.writer(text, delimiter=form.delimiter, lineterminator=form.line_ends, quoting=form.quoting)
    for batch in plain_batches(table.data):
        lines.writerows(zip(*(_as_text(column) for column in batch.columns), strict=True))


def _jsonl(table: Table, path: Path) -> None:
    """JSON lines: an object a row, dates in ISO form, missing as null."""
    with path.open("w", encoding="utf-8", newline="\n") as text:
        for batch in plain_batches(table.data):
            for row in batch.to_pylist():
                text.write(json.dumps(row, ensure_ascii=False, default=str, separators=(",", ":")) + "\n")


def _json(table: Table, path: Path) -> None:
    """A JSON list, an object a row, a line each; dates in ISO form, missing as null."""
    with path.open("w", encoding="utf-8", newline="\n") as text:
        before = "[\n"
        for batch in plain_batches(table.data):
            for row in batch.to_pylist():
                text.write(before + json.dumps(row, ensure_ascii=False, default=str, separators=(",", ":")))
                before = ",\n"
        text.write("\n]\n" if before != "[\n" else "[]\n")


def _object(table: Table, path: Path, shown: Path) -> None:
    """The one row of a table as a JSON object."""
    if len(table) != 1:
        raise OutputError(
            f"the table has {len(table):,} rows, and one is written as an object", Place(str(shown)),
            do='Take one_row = "object" out of the output: all rows are a list then',
        )  # fmt: skip
    (batch,) = plain_batches(table.data)
    path.write_text(json.dumps(batch.to_pylist()[0], ensure_ascii=False, default=str, indent=2) + "\n", "utf-8")


def _sqlite(table: Table, path: Path, name: str) -> None:
    """An SQLite database with one table, named as the table is; dates in ISO form."""
    path.unlink(missing_ok=True)
    with closing(sqlite3.connect(path)) as base, base:
        insert_rows(base, table, name, create=True)


def insert_rows(base: sqlite3.Connection, table: Table, name: str, *, create: bool) -> None:
    """Rows of a table in a table of an SQLite database, which is made first if asked."""
    quoted = _quoted(name)
    if create:
        columns = ", ".join(f"{_quoted(field.name)} {_sql_kind(field.type)}" for field in table.data.schema)
        base.execute(f"CREATE TABLE {quoted} ({columns})")
    marks = ", ".join("?" * len(table.columns))
    for batch in plain_batches(table.data):
        rows = zip(*(_sql_values(column) for column in batch.columns), strict=True)
        base.executemany(f"INSERT INTO {quoted} VALUES ({marks})", rows)  # noqa: S608 - the name is quoted


def sql_columns(base: sqlite3.Connection, name: str) -> list[str]:
    """The columns of a table in an SQLite database; none if there is no such table."""
    return [str(row[1]) for row in base.execute(f"PRAGMA table_info({_quoted(name)})")]


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _sql_kind(kind: pa.DataType) -> str:
    plain = kind.value_type if pa.types.is_dictionary(kind) else kind
    if pa.types.is_integer(plain) or pa.types.is_boolean(plain):
        return "INTEGER"
    return "REAL" if pa.types.is_floating(plain) else "TEXT"


def _sql_values(column: pa.Array) -> list[Any]:
    values: list[Any] = column.to_pylist()
    return [value.isoformat() if isinstance(value, (dt.date, dt.time)) else value for value in values]


def _quotes_needed(data: pa.Table) -> bool:
    if any(mark in name for name in data.column_names for mark in _NEEDS_QUOTES):
        return True
    for column in data.columns:
        for chunk in column.chunks:
            texts = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk
            if pa.types.is_string(texts.type) or pa.types.is_large_string(texts.type):
                held = texts.buffers()[2]  # all letters of a column, one behind the other
                letters = held.to_pybytes() if held is not None else b""
                if any(mark.encode() in letters for mark in _NEEDS_QUOTES):
                    return True
    return False


def plain_schema(data: pa.Table) -> pa.Schema:
    """The columns and kinds of a table whose labels are written out."""
    return pa.schema([
        (field.name, field.type.value_type if pa.types.is_dictionary(field.type) else field.type) for field in data.schema
    ])  # fmt: skip


def plain_batches(data: pa.Table) -> list[pa.RecordBatch] | Any:
    """Record batches with labels written out."""
    schema = plain_schema(data)
    for batch in data.to_batches(max_chunksize=_BATCH):
        columns = [column.cast(field.type) for column, field in zip(batch.columns, schema, strict=True)]
        yield pa.RecordBatch.from_arrays(columns, schema=schema)


def _as_text(column: pa.Array) -> list[str | None]:
    texts: list[str | None] = column.cast(pa.string()).to_pylist()
    return texts


def _parquet(table: Table, path: Path) -> None:
    """Zstandard-compressed; dictionary pages for labels that are said again, statistics for values (labels would be decoded)."""
    import pyarrow.parquet as pq

    labels = [field.name for field in table.data.schema if pa.types.is_dictionary(field.type)]
    others = [name for name in table.columns if name not in labels]
    again = [name for name in labels if _is_said_again(table.data.column(name))]
    pq.write_table(
        table.data, path, compression="zstd", compression_level=1, use_dictionary=again, write_statistics=others
    )


def _is_said_again(column: pa.ChunkedArray) -> bool:
    """Whether labels are fewer than half of the rows: a list of all of them in the file would only be one more copy."""
    return not column.num_chunks or 2 * len(column.chunk(0).dictionary) <= len(column)


class Rows(Protocol):
    """What takes the rows of a table a batch at a time."""

    def write(self, table: pa.Table) -> None:
        """Take more rows."""

    def close(self) -> None:
        """No more rows come."""


def parquet_writer(path: Path, like: pa.Table) -> Rows:
    """A Parquet file to be written a row group at a time, of the columns and kinds of a table."""
    import pyarrow.parquet as pq

    labels = [field.name for field in like.schema if pa.types.is_dictionary(field.type)]
    others = [name for name in like.column_names if name not in labels]
    writer: Rows = pq.ParquetWriter(
        path, like.schema, compression="zstd", compression_level=1, use_dictionary=labels, write_statistics=others
    )
    return writer


class _Lines:
    """A .csv file to be written a batch at a time."""

    def __init__(self, path: Path, like: pa.Table) -> None:
        self._text = path.open("w", encoding="utf-8", newline="")
        csv.writer(self._text, lineterminator="\n").writerow(like.column_names)

    def write(self, table: pa.Table) -> None:
        if _quotes_needed(table):
            lines = csv.writer(self._text, lineterminator="\n")
            for batch in plain_batches(table):
                lines.writerows(zip(*(_as_text(column) for column in batch.columns), strict=True))
            return
        import pyarrow.csv as arrow_csv

        options = arrow_csv.WriteOptions(include_header=False, quoting_style="none")
        self._text.flush()
        for batch in plain_batches(table):
            arrow_csv.write_csv(batch, self._text.buffer, options)

    def close(self) -> None:
        self._text.close()


csv_writer = _Lines


def _xlsx(table: Table, path: Path) -> None:
    """One sheet named 'tidy': see `kebrin.deliver.writing.books`."""
    from kebrin.deliver.writing.books import Page, write_book

    write_book([Page("tidy", table)], path)


def _ods(table: Table, path: Path) -> None:
    """One sheet named 'tidy': see `kebrin.deliver.writing.documents`."""
    from kebrin.deliver.writing.books import Page
    from kebrin.deliver.writing.documents import write_document

    write_document([Page("tidy", table)], path)


def _longest_texts(table: Table) -> Iterator[tuple[str, int]]:
    """The length of the longest text in each column that holds texts."""
    import pyarrow.compute as pc

    for name, column in zip(table.columns, table.data.columns, strict=True):
        for chunk in column.chunks:
            texts = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk
            if pa.types.is_string(texts.type) or pa.types.is_large_string(texts.type):
                yield name, pc.max(pc.utf8_length(texts)).as_py() or 0


def _database(table: Table, path: Path) -> None:
    _sqlite(table, path, "tidy")


WRITERS: dict[str, Callable[[Table, Path], None]] = {
    ".csv": _csv, ".parquet": _parquet, ".xlsx": _xlsx, ".ods": _ods, ".jsonl": _jsonl, ".json": _json, ".sqlite": _database,
}  # fmt: skip
