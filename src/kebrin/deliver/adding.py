"""Rows that are added to an output: which runs' rows stand in it, known by the rows themselves.

A run is known by the digest of its rows and of its sources. Whatever becomes of the file in between (saved by another program,
its proof lost), the rows of one run are never added twice, and an output that lacks them gets them, whichever others have them.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import sqlite3
from collections import Counter
from contextlib import closing
from typing import TYPE_CHECKING, Any, NamedTuple

from kebrin.deliver.writing.tables import TextForm, text_rows
from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from kebrin.table import Table


class Run(NamedTuple):
    """A run whose rows stand in an output: the digest of its rows ('' where an older proof does not tell) and of its sources."""

    rows: str
    sources: tuple[str, ...]

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {"rows": self.rows, "sources": list(self.sources)}


def run_of(table: Table, sources: Iterable[str]) -> Run:
    """The run that a table's rows are of."""
    return Run(hashlib.sha256("\n".join(_lines(table)).encode()).hexdigest(), tuple(sorted(set(sources))))


def runs_in(plain: Any) -> tuple[Run, ...]:
    """The runs that a proof file tells of."""
    found = []
    for one in plain if isinstance(plain, list) else ():
        if isinstance(one, dict):
            found.append(Run(str(one.get("rows", "")), tuple(map(str, one.get("sources", ())))))
        elif isinstance(one, list):
            found.append(Run("", tuple(map(str, one))))
    return tuple(found)


def is_there(run: Run, known: Sequence[Run], where: str, *, first: str = "") -> bool:
    """Whether the rows of a run are known to stand in an output already.

    Args:
        run: the run.
        known: the runs whose rows stand there.
        where: the output, for people.
        first: the name of the first of its sources, for people.

    Raises:
        OutputError: a part of them may stand there: other rows of the same sources, or the same rows of others.
    """
    if any(run == one for one in known):
        return True
    twice = next((one for one in known if {*one.sources} & {*run.sources} or (one.rows and one.rows == run.rows)), None)
    if twice is None:
        return False
    same = twice.rows == run.rows
    raise OutputError(
        "the rows would be there twice", Place(where),
        why="an earlier run added the same rows from other files" if same else f"those of {first} were added by an earlier run",
        do='Run it on the new files only, or have the output replaced (if_there = "replace")',
    )  # fmt: skip


def refuse_rows_there(table: Table, path: Path, form: TextForm, name: str) -> None:
    """Refuse to add rows to a file of which no proof tells what stands in it, if some of them do.

    Raises:
        OutputError: some of the rows stand there.
    """
    there = Counter(_lines_in(path, form, name, table))
    own = Counter(_lines(table))
    again = sum((there & own).values())
    if again:
        count = "all of its rows" if again == sum(own.values()) else f"{again:,} of {sum(own.values()):,} rows"
        raise OutputError(
            "the rows would be there twice", Place(str(path)),
            why=f"no proof tells which runs stand in it, and {count} do",
            do='Have the output replaced (if_there = "replace"), or name another file',
        )  # fmt: skip


def _lines(table: Table) -> list[str]:
    """A table's rows, a line of text each."""
    text = io.StringIO()
    text_rows(table, text, TextForm())
    return text.getvalue().splitlines()


def _lines_in(path: Path, form: TextForm, name: str, table: Table) -> list[str]:
    """The rows that stand in a file, each as a table's own row would be written."""
    kind = path.suffix.lower()
    try:
        if kind == ".csv":
            with path.open(encoding=form.codec, newline="") as text:
                return _as_lines(list(csv.reader(text, delimiter=form.delimiter))[1:])
        if kind == ".jsonl":
            rows = [json.loads(line) for line in path.read_text("utf-8").splitlines() if line.strip()]
            return _as_lines([[_text(row.get(column)) for column in table.columns] for row in rows])
        if kind == ".sqlite":
            quoted = name.replace('"', '""')
            with closing(sqlite3.connect(path)) as base:
                return _as_lines([list(map(_text, row)) for row in base.execute(f'SELECT * FROM "{quoted}"')])  # noqa: S608
        from kebrin.sources.tidy_tables import read_table

        return _lines(read_table(path))
    except (OSError, ValueError, sqlite3.Error, csv.Error):
        return []  # that it can't be read is told where rows are added


def _as_lines(rows: Iterable[Sequence[str]]) -> list[str]:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerows(rows)
    return text.getvalue().splitlines()


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return f"{value:.15g}" if isinstance(value, float) else str(value)
