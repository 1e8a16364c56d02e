"""What was written, read back by another reader and held against the table: its rows, and each measure's values and sum."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.errors import OutputError, Place
from kebrin.table import arrays

if TYPE_CHECKING:
    from pathlib import Path

    from numpy.typing import NDArray

    from kebrin.deliver.outputs import Target
    from kebrin.deliver.writing.books import Page
    from kebrin.deliver.writing.tables import TextForm

# Figures are written with as many digits as they need; sums of them may differ by what adding up in another order does.
_TOLERANCE = 1e-9


def hold(target: Target, part: Path, shown: Path) -> None:
    """Hold a file that was just written against its tables, before it takes its place.

    Raises:
        OutputError: it has other rows, or a measure has other values, than the table.
    """
    ending = target.path.suffix.lower()
    for at, page in enumerate(target.pages):
        names = _figures(page)
        rows, columns = _read(part, ending, at, page, names, target.form)
        _refuse(shown, f"it has {rows:,} rows and the table {len(page.table):,}", unless=rows == len(page.table))
        for name in names:
            column = page.table.data.column(name)
            values, there = columns[name], len(column) - column.null_count
            count = int((~np.isnan(values)).sum())
            _refuse(shown, f"{name!r} has {count:,} values there and {there:,} in the table", unless=count == there)
            wanted, found = arrays.sum_of(column), float(np.nansum(values))
            scale = max(float(np.nansum(np.abs(values))), 1.0)
            same = wanted == found or abs(wanted - found) <= _TOLERANCE * scale or np.isnan(wanted - found)
            why = f"{name!r} sums to {found:,.10g} there and to {wanted:,.10g} in the table"
            _refuse(shown, why, unless=bool(same))


def _refuse(shown: Path, why: str, *, unless: bool) -> None:
    if not unless:
        raise OutputError(
            "what was written is not what the table holds", Place(str(shown)), why=why,
            do="No output was changed. Look whether the disk is full, or write another kind of file",
        )  # fmt: skip


def _figures(page: Page) -> list[str]:
    """The columns of numbers whose values are held."""
    return [name for name in page.table.columns if str(page.table.data.column(name).type) == "double"]


def _read(
    part: Path, ending: str, at: int, page: Page, names: list[str], form: TextForm
) -> tuple[int, dict[str, NDArray[np.float64]]]:
    """How many rows a table has in a file, and its figures; NaN where a value is missing."""
    if ending == ".parquet":
        import pyarrow.parquet as pq

        file = pq.ParquetFile(part)
        found = file.read(columns=names)
        return file.metadata.num_rows, {name: _floats(found.column(name)) for name in names}
    if ending == ".csv":
        return _read_text(part, page, names, form)
    lines = _lines(part, ending, at, page)
    every = page.table.columns
    places = {name: every.index(name) for name in names}
    return len(lines), {
        name: np.array([_number(line[place]) for line in lines], np.float64) for name, place in places.items()
    }


def _read_text(part: Path, page: Page, names: list[str], form: TextForm) -> tuple[int, dict[str, NDArray[np.float64]]]:
    import pyarrow as pa
    import pyarrow.csv as pc

    found = pc.read_csv(
        part,
        read_options=pc.ReadOptions(encoding=form.encoding),
        parse_options=pc.ParseOptions(delimiter=form.delimiter, newlines_in_values=True, ignore_empty_lines=False),
        convert_options=pc.ConvertOptions(
            include_columns=names or list(page.table.columns[:1]), column_types=dict.fromkeys(names, pa.float64())
        ),
    )
    return found.num_rows, {name: _floats(found.column(name)) for name in names}


def _floats(column: Any) -> NDArray[np.float64]:
    # To cast loads a package that takes longer than most tables to write.
    return arrays.floats_of(column if str(column.type) == "double" else column.cast("double"))


def _lines(part: Path, ending: str, at: int, page: Page) -> list[Any]:
    """The rows of one table, each as long as the table has columns."""
    every = page.table.columns
    if ending in {".xlsx", ".ods"}:
        from python_calamine import CalamineWorkbook

        sheet = CalamineWorkbook.from_path(part).get_sheet_by_index(at)
        return list(sheet.to_python(skip_empty_area=False))[(2 if page.heading else 0) + 1 :]
    if ending == ".sqlite":
        with closing(sqlite3.connect(part)) as base:
            name = next(base.execute("SELECT name FROM sqlite_master WHERE type = 'table'"))[0].replace('"', '""')
            return list(base.execute(f'SELECT * FROM "{name}"'))  # noqa: S608 - quoted
    text = part.read_text("utf-8")
    records = json.loads(text) if ending == ".json" else map(json.loads, text.splitlines())
    return [[record[name] for name in every] for record in ([records] if isinstance(records, dict) else records)]


def _number(value: Any) -> float:
    return float("nan") if value is None or value == "" else float(value)
