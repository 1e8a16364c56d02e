"""Trace: from a row of a written output back to the cell of the source, read again to see what stands there."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.cells import Kind
from kebrin.deliver.guard import proof_path
from kebrin.errors import Place, PlanError, SourceError, nearest
from kebrin.sources import read
from kebrin.sources.files import digest, first_bytes
from kebrin.table import Origin

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.table import CellOrigin


@dataclass(frozen=True)
class Trace:
    """An output value and the cell behind it.

    `row` counts the table's rows from 1, heading not counted. `record` is the output's row; `said` is what the cell
    holds now; `source_changed` tells that the source is no longer the file that the proof was made from.
    """

    output: str
    row: int
    column: str
    record: dict[str, Any]
    origin: CellOrigin
    said: Any
    kind: str
    source_changed: bool

    @property
    def value(self) -> Any:
        """The output's value."""
        return self.record[self.column]


def trace(output: Path, row: int, column: str = "") -> Trace:
    """The source cell behind a value of a written output.

    Args:
        output: a .csv, .parquet or .xlsx that Kebrin wrote, with its proof beside it.
        row: the table's row, counted from 1, the heading not counted.
        column: the measure column; may be left out if there is one only.

    Raises:
        SourceError: the output, its proof or the source is missing or is not what the proof was made for.
        PlanError: there is no such row or column.
    """
    proof = _proof_of(output)
    measures: list[str] = proof["output"]["measures"]
    column = _measure(output, column, measures, proof["output"]["columns"])
    rows = int(proof["output"]["rows"])
    if not 1 <= row <= rows:
        raise PlanError(f"there is no row {row:,}", Place(str(output)), why=f"the table has rows 1 to {rows:,}")
    origin = Origin.from_plain(proof["origin"]).of(row - 1, column)
    if origin is None:
        raise PlanError(
            f"no cell is behind {column!r} in row {row:,}",
            Place(str(output)),
            why="the block has none for it",
        )
    source = next(source for source in proof["sources"] if source["file"] == origin.file)
    near = output.parent / source["from here"]
    report = read(near if near.is_file() else origin.file)
    changed = report.digest != source["sha256"]
    if origin.sheet not in report.names:
        raise SourceError(f"the sheet {origin.sheet!r} is gone", Place(origin.file), do="Run again to renew the output")
    sheet = report[origin.sheet]
    inside = origin.row < sheet.shape[0] and origin.column < sheet.shape[1]
    said = sheet.at(origin.row, origin.column) if inside else None
    kind = Kind(int(sheet.kinds[origin.row, origin.column])).word if inside else Kind.BLANK.word
    return Trace(str(output), row, column, _record(output, row - 1), origin, said, kind, changed)


def _proof_of(output: Path) -> dict[str, Any]:
    first_bytes(output)
    path = proof_path(output)
    try:
        proof: dict[str, Any] = json.loads(path.read_text("utf-8"))
        stated = proof["output"]["sha256"]
    except FileNotFoundError:
        raise SourceError(
            "the output has no proof beside it", Place(str(output)), why=f"{path.name} is not there",
            do="Write the output anew with `kebrin tidy` or `kebrin run`",
        ) from None  # fmt: skip
    except (json.JSONDecodeError, KeyError, TypeError, UnicodeDecodeError) as error:
        raise SourceError(
            "the proof is damaged", Place(str(path)), why=str(error), do="Write the output anew"
        ) from error
    if digest(output) != stated:
        raise SourceError(
            "the output has been changed since it was written", Place(str(output)),
            why="its bytes are not those that the proof was made for", do="Write it anew, then trace",
        )  # fmt: skip
    return proof


def _measure(output: Path, column: str, measures: list[str], columns: list[str]) -> str:
    if not measures:
        raise PlanError(
            "the table has no measure", Place(str(output)), why="only the values of measures know their cell",
            do="Trace the table that holds the records",
        )  # fmt: skip
    if not column and len(measures) == 1:
        return measures[0]
    if column in measures:
        return column
    near = nearest(column, measures)
    if column in columns:
        what, why = f"{column!r} is a label, not a measure", f"the measures are {', '.join(measures)}"
    else:
        what = f"there is no column {column!r}" if column else "the table has several measures"
        why = f"there is {', '.join(measures)}"
    raise PlanError(what, Place(str(output)), why=why, do=f"Did you mean {near!r}?" if near else "Name one of them")


def _record(output: Path, row: int) -> dict[str, Any]:
    if output.suffix.lower() == ".parquet":
        import pyarrow.parquet as pq

        record: dict[str, Any] = pq.ParquetFile(output).read().slice(row, 1).to_pylist()[0]
        return record
    if output.suffix.lower() == ".xlsx":
        sheet = read(output)["tidy"]
        heads = [sheet.text(0, column) for column in range(sheet.shape[1])]
        values = [sheet.at(row + 1, column) for column in range(sheet.shape[1])]
        return dict(zip(heads, (None if value == "" else value for value in values), strict=True))
    import pyarrow.csv as arrow_csv

    parse = arrow_csv.ParseOptions(newlines_in_values=True)
    with arrow_csv.open_csv(output, parse_options=parse, convert_options=_all_text(output)) as batches:
        before = 0
        for batch in batches:
            if row < before + batch.num_rows:
                found: dict[str, Any] = batch.slice(row - before, 1).to_pylist()[0]
                return {name: value or None for name, value in found.items()}
            before += batch.num_rows
    raise PlanError(f"there is no row {row + 1:,}", Place(str(output)))


def _all_text(output: Path) -> Any:
    import csv

    import pyarrow.csv as arrow_csv

    with output.open(encoding="utf-8", newline="") as file:
        heads = next(csv.reader(file))
    return arrow_csv.ConvertOptions(column_types=dict.fromkeys(heads, pa.string()))
