"""Rows added to a table that stands in a file: what stands there stays as it is, and the columns must be the same."""

from __future__ import annotations

import csv
import json
import shutil
import sqlite3
from contextlib import closing
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.deliver.writing.tables import TextForm, insert_rows, plain_schema, sql_columns, text_rows, write_table
from kebrin.errors import OutputError, Place
from kebrin.table import Table

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path


def add_to(table: Table, before: Path, path: Path, *, form: TextForm, name: str) -> None:
    """A file as it stands with the rows of a table added to it.

    Args:
        table: the rows.
        before: the file as it stands: .csv, .jsonl, .parquet or .sqlite.
        path: where the new file goes.
        form: how delimited text is written.
        name: the table's name in a database.

    Raises:
        OutputError: the columns are others, or what stands there can't be read.
    """
    try:
        {".csv": _to_text, ".jsonl": _to_lines, ".parquet": _to_parquet, ".sqlite": _to_sqlite}[before.suffix.lower()](
            table, before, path, form, name
        )
    except (OSError, UnicodeError, pa.ArrowException, sqlite3.Error, csv.Error, json.JSONDecodeError) as error:
        raise OutputError(
            "rows can't be added to what stands there", Place(str(before)), why=str(error).splitlines()[0],
            do="Name another file, or have it replaced",
        ) from error  # fmt: skip


def refuse_other_columns(there: Sequence[Any], own: Sequence[str], file: str, sheet: str = "") -> None:
    """Refuse to add rows where the columns are others.

    Raises:
        OutputError: names or order differ.
    """
    names = [str(one) for one in there if one is not None]
    if names == list(own):
        return
    more, less = [one for one in own if one not in names], [one for one in names if one not in own]
    told = [f"only the table has {', '.join(map(repr, more))}"] if more else []
    told += [f"only the file has {', '.join(map(repr, less))}"] if less else []
    raise OutputError(
        "rows can't be added to other columns", Place(file, sheet),
        why="; ".join(told) or "the same columns stand in another order",
        do="Make the columns alike with a step, or name another file",
    )  # fmt: skip


def _to_text(table: Table, before: Path, path: Path, form: TextForm, _: str) -> None:
    with before.open(encoding=form.codec, newline="") as text:
        heads = next(csv.reader(text, delimiter=form.delimiter), [])
    refuse_other_columns(heads, table.columns, str(before))
    shutil.copyfile(before, path)
    # The codec may put a mark at the front of what it is asked to encode.
    ends = ("a" + form.line_ends).encode(form.encoding)[len("a".encode(form.encoding)) :]
    with path.open("rb") as there:
        there.seek(-min(len(ends), path.stat().st_size), 2)
        whole = there.read() == ends
    with path.open("a", encoding=form.codec, newline="") as out:
        if not whole:
            out.write(form.line_ends)
        text_rows(table, out, form)


def _to_lines(table: Table, before: Path, path: Path, form: TextForm, _: str) -> None:
    with before.open(encoding="utf-8") as text:
        first = next(text, "")
    if first.strip():
        refuse_other_columns(list(json.loads(first)), table.columns, str(before))
    write_table(table, path, kind=".jsonl", form=form, shown=before)
    rows = path.read_bytes()
    shutil.copyfile(before, path)
    with path.open("ab") as out:
        out.write((b"" if before.read_bytes()[-1:] in {b"", b"\n"} else b"\n") + rows)


def _to_parquet(table: Table, before: Path, path: Path, form: TextForm, _: str) -> None:
    import pyarrow.parquet as pq

    there = pq.read_table(before)
    refuse_other_columns(there.column_names, table.columns, str(before))
    own, stands = plain_schema(table.data), plain_schema(there)
    for name in own.names:
        if own.field(name).type != stands.field(name).type:
            raise OutputError(
                f"the column {name!r} is of another kind there", Place(str(before)),
                why=f"{stands.field(name).type} there, {own.field(name).type} in the table",
                do="Make it alike with a step, or name another file",
            )  # fmt: skip
    both = pa.concat_tables([there.cast(own), table.data.cast(own)])
    write_table(Table(both, table.measures), path, kind=".parquet", form=form)


def _to_sqlite(table: Table, before: Path, path: Path, _: TextForm, name: str) -> None:
    shutil.copyfile(before, path)
    with closing(sqlite3.connect(path)) as base, base:
        there = sql_columns(base, name)
        if there:
            refuse_other_columns(there, table.columns, str(before), name)
        insert_rows(base, table, name, create=not there)
