"""Trace: from a row of a written output back to the cell of the source, read again to see what stands there."""

from __future__ import annotations

import csv
import json
import re
import sqlite3
from contextlib import closing
from dataclasses import dataclass
from itertools import islice
from typing import TYPE_CHECKING, Any

from kebrin.cells import Kind, as_label
from kebrin.deliver.guard import proof_path
from kebrin.deliver.sending import at_hand, shown
from kebrin.deliver.writing.tables import TextForm
from kebrin.errors import Place, PlanError, SourceError, nearest
from kebrin.sources import piped, read_again
from kebrin.sources.files import digest, first_bytes
from kebrin.sources.remote import is_address
from kebrin.table import Origin, Parts, Way

if TYPE_CHECKING:
    from collections.abc import Container, Iterator, Mapping, Sequence
    from pathlib import Path

    from kebrin.cells import Report, Sheet
    from kebrin.table import CellOrigin

# So many sheets are named to choose from.
_NAMED = 8
# What a proof or an output that was tampered with may bring about.
_DAMAGE = (
    KeyError, TypeError, ValueError, AttributeError, IndexError, StopIteration, OverflowError, OSError,
)  # fmt: skip


@dataclass(frozen=True)
class Trace:
    """An output value and the cell behind it.

    `row` counts the table's rows from 1, heading not counted. `record` is the output's row; `said` is what the cell
    holds now; `changed` are the sources that are no longer the files that the proof was made from. Of a file that has
    no cells of its own, `spot` is where it stands and its whole line, and `begins` the letter of the line that it begins at.
    A figure that a step made has `parts`: all cells that it is made of, each with what it holds now; `origin` is the first.
    """

    output: str
    row: int
    column: str
    record: dict[str, Any]
    origin: CellOrigin
    said: Any
    kind: str
    changed: tuple[str, ...]
    spot: tuple[str, str] = ("", "")
    begins: int = -1
    parts: tuple[tuple[CellOrigin, Any], ...] = ()

    @property
    def source_changed(self) -> bool:
        """Whether a source is no longer the file that the proof was made from."""
        return bool(self.changed)

    @property
    def value(self) -> Any:
        """The output's value."""
        return self.record[self.column]


@dataclass(frozen=True)
class _Page:
    """One table of an output: its columns and rows, where it stands in the file, and what its proof says is behind it.

    `first` is the row and column (1-based) of its first value on a prepared workbook, where rows may stand in columns;
    `above` counts the lines over the headings of a sheet.
    """

    sheet: str
    columns: tuple[str, ...]
    measures: tuple[str, ...]
    rows: int
    origin: Any
    parts: Parts | None
    ways: Mapping[str, Way]
    above: int = 0
    first: tuple[int, int] | None = None
    turned: bool = False

    @classmethod
    def of(cls, about: dict[str, Any], behind: dict[str, Any]) -> _Page:
        """A page by what the proof says of it."""
        return cls(
            about.get("sheet", ""), tuple(about["columns"]), tuple(about["measures"]), int(about["rows"]),
            behind["origin"], Parts.from_plain(behind["parts"]) if "parts" in behind else None,
            {name: Way(way["said"], tuple(map(tuple, way["of"]))) for name, way in behind.get("ways", {}).items()},
            int(about.get("above", 0)), tuple(about["first"]) if "first" in about else None, bool(about.get("turned")),
        )  # fmt: skip


def _page_of(output: Path, proof: dict[str, Any], sheet: str) -> _Page:
    """The table that is meant: the only one, or the one on a sheet.

    Raises:
        PlanError: there is no such sheet, or there are several and none is named.
    """
    several = [_Page.of(one, one) for one in proof.get("behind", ())]
    pages = several or [_Page.of(proof["output"], proof)]
    named = [page for page in pages if sheet in {"", page.sheet}]
    if len(named) == 1:
        return named[0]
    names = [page.sheet for page in pages if page.sheet]
    near = nearest(sheet, names) if sheet else ""
    raise PlanError(
        f"there is no sheet {sheet!r}" if sheet else "the output has several sheets", Place(str(output)),
        why=f"they are {', '.join(names[:_NAMED])}{', ...' if len(names) > _NAMED else ''}" if names else "it is no workbook",
        do=f"Did you mean {near!r}?" if near else "Name one with --sheet" if names else "Leave the sheet out",
    )  # fmt: skip


def trace(output: Path, row: int, column: str = "", *, sheet: str = "") -> Trace:
    """The source cell behind a value of a written output.

    Args:
        output: a file that Kebrin wrote, with its proof beside it.
        row: the table's row, counted from 1, the heading not counted.
        column: the measure column; may be left out if there is one only.
        sheet: the sheet of a workbook; may be left out if there is one only.

    Raises:
        SourceError: the output, its proof or the source is missing or is not what the proof was made for.
        PlanError: there is no such row or column.
    """
    output = at_hand(output)
    proof = _proof_of(output)
    try:
        return _traced(output, proof, _page_of(output, proof, sheet), row, column)
    except _DAMAGE as error:
        raise _damaged(output, error) from error


def row_where(output: Path, wanted: Mapping[str, str], *, sheet: str = "") -> int:
    """The one row of an output, or of a sheet of it, counted from 1, whose columns say what is wanted.

    Raises:
        SourceError: the output or its proof is missing or damaged.
        PlanError: there is no such column, no such row, or more than one.
    """
    output = at_hand(output)
    proof = _proof_of(output)
    try:
        return _row_where(output, _page_of(output, proof, sheet), _form_of(proof), wanted)
    except _DAMAGE as error:
        raise _damaged(output, error) from error


def _form_of(proof: dict[str, Any]) -> TextForm:
    return TextForm(**proof["output"].get("form", {}))


def _row_where(output: Path, page: _Page, form: TextForm, wanted: Mapping[str, str]) -> int:
    for name in wanted:
        if name not in page.columns:
            near = nearest(name, page.columns)
            raise PlanError(
                f"there is no column {name!r}", Place(str(output)), why=f"the columns are {', '.join(page.columns)}",
                do=f"Did you mean {near!r}?" if near else "Name one of these",
            )  # fmt: skip
    records = _records(output, form, page)
    found = [
        number for number, record in enumerate(records, 1)
        if all(as_label(record[name] if record[name] is not None else "") == said for name, said in wanted.items())
    ]  # fmt: skip
    said = " and ".join(f"{name} is {value!r}" for name, value in wanted.items())
    if not found:
        raise PlanError(
            f"there is no row in which {said}", Place(str(output)), do="State values as the output says them"
        )
    if len(found) > 1:
        rows = ", ".join(f"{row:,}" for row in found[:6]) + (", ..." if len(found) > 6 else "")
        raise PlanError(
            f"there are {len(found):,} rows in which {said}", Place(str(output)), why=f"they are the rows {rows}",
            do="State another column too, or one of these rows",
        )  # fmt: skip
    return found[0]


def _damaged(output: Path, error: Exception) -> SourceError:
    path = proof_path(output)
    return SourceError(
        "the proof is damaged", Place(str(path)), why=str(error) or type(error).__name__, do="Write the output again"
    )


def _traced(output: Path, proof: dict[str, Any], page: _Page, row: int, column: str) -> Trace:
    parts = page.parts
    measures: list[str] = [*page.measures, *(parts.columns if parts else ())]
    column = _measure(output, column, measures, page.columns, page.ways)
    if not 1 <= row <= page.rows:
        raise PlanError(f"there is no row {row:,}", Place(str(output)), why=f"the table has rows 1 to {page.rows:,}")
    if column in page.ways:
        raise _made_by_a_step(output, proof, page, row, column)
    if parts and column in parts.columns:
        cells = parts.of(row - 1, column)
    else:
        cells = [one for one in [Origin.from_plain(page.origin).of(row - 1, column)] if one is not None]
    if not cells:
        raise PlanError(
            f"no cell is behind {column!r} in row {row:,}",
            Place(str(output)),
            why="the block has none for it",
        )
    sources = _Sources(output, proof)
    seen = [(one, sources.sheet_of(one)) for one in cells]
    origin, sheet = seen[0]
    record = next(islice(_records(output, _form_of(proof), page), row - 1, None))
    kind = Kind(int(sheet.kinds[_held(sheet, origin)])).word if _is_inside(sheet, origin) else Kind.BLANK.word
    spot = sheet.spots[origin.row] if origin.row < len(sheet.spots) else ("", "")
    made = parts is not None and column in parts.columns
    return Trace(
        shown(output), row, column, record, origin, _said(sheet, origin), kind, sources.changed, spot,
        _begins(sheet, origin, spot[1]), tuple((one, _said(own, one)) for one, own in seen) if made else (),
    )  # fmt: skip


def _made_by_a_step(output: Path, proof: dict[str, Any], page: _Page, row: int, column: str) -> PlanError:
    """What a looked up or computed value is made of, since no cell of a report holds it."""
    way = page.ways[column]
    record = next(islice(_records(output, _form_of(proof), page), row - 1, None))
    held = [
        f"{own if own == other else f'{own} ({other} there)'} is {as_label(record[own] if record[own] is not None else '')!r}"
        for own, other in way.of
        if own in record
    ]
    measures = [name for name, _ in way.of if name in page.measures]
    return PlanError(
        f"no cell holds {column!r}", Place(str(output)), why=f"{way.said}; on row {row:,} {' and '.join(held)}",
        do=f"Trace {' or '.join(measures)}" if measures else "Look there for the line that says so",
    )  # fmt: skip


class _Sources:
    """The sources of an output, each read again once, however many cells of it are asked for."""

    def __init__(self, output: Path, proof: dict[str, Any]) -> None:
        self._output = output
        self._known = {source["file"]: source for source in proof["sources"]}
        self._read: dict[str, Report] = {}

    @property
    def changed(self) -> tuple[str, ...]:
        """The files among those read that are no longer what the proof was made from."""
        return tuple(file for file, report in self._read.items() if report.digest != self._known[file]["sha256"])

    def sheet_of(self, origin: CellOrigin) -> Sheet:
        """The sheet that a cell stands on.

        Raises:
            SourceError: it came through a pipe, or is gone.
        """
        if origin.file == piped.NAME:
            raise SourceError(
                "what this output was made of came through a pipe", Place(str(self._output)),
                why=f"it was {origin.sheet} {origin.cell}",
                do="Keep the report as a file, and tidy that: then its cells can be shown",
            )  # fmt: skip
        if origin.file not in self._read:
            source = self._known[origin.file]
            near = self._output.parent / source["from here"] if not is_address(origin.file) else None
            place = near if near is not None and near.is_file() else origin.file
            self._read[origin.file] = read_again(place, source.get("read as", {}))
        report = self._read[origin.file]
        if origin.sheet not in report.names:
            raise SourceError(
                f"the sheet {origin.sheet!r} is gone", Place(origin.file), do="Run again to renew the output"
            )
        return report[origin.sheet]


def _is_inside(sheet: Sheet, origin: CellOrigin) -> bool:
    return origin.row < sheet.shape[0] and origin.column < sheet.shape[1]


def _said(sheet: Sheet, origin: CellOrigin) -> Any:
    """What a cell holds now, or the merge that covers it; None where the sheet ends before it."""
    return sheet.at(*_held(sheet, origin)) if _is_inside(sheet, origin) else None


def _held(sheet: Sheet, origin: CellOrigin) -> tuple[int, int]:
    """The cell itself, or the first of the merge that covers it."""
    cell = (origin.row, origin.column)
    area = next((area for area in sheet.merges if area.holds(*cell) and not sheet.filled[cell]), None)
    return (area.top, area.left) if area is not None else cell


def _begins(sheet: Sheet, origin: CellOrigin, line: str) -> int:
    """Where in its line a cell's text begins; -1 where the line does not have it as it is."""
    text = sheet.text(origin.row, origin.column) if line else ""
    if not text:
        return -1
    if sheet.hints.heads >= 0:  # a record, which names its values
        name = f"{json.dumps(sheet.text(sheet.hints.heads, origin.column), ensure_ascii=False)}: "
        return line.find(name) + len(name) if name in line else -1
    before = [sheet.text(origin.row, column) for column in range(origin.column)]
    found = [match.start() for match in re.finditer(rf"(?<!\S){re.escape(text)}(?!\S)", line)]
    at = sum(len(re.findall(rf"(?<!\S){re.escape(text)}(?!\S)", one)) for one in before)
    return found[at] if at < len(found) else -1


def _proof_of(output: Path) -> dict[str, Any]:
    first_bytes(output)
    path = proof_path(output)
    try:
        proof: dict[str, Any] = json.loads(path.read_text("utf-8"))
        stated = proof["output"]["sha256"]
    except FileNotFoundError:
        raise SourceError(
            "the output has no proof beside it", Place(str(output)), why=f"{path.name} is not there",
            do="Write the output again with `kebrin tidy` or `kebrin run`",
        ) from None  # fmt: skip
    except (json.JSONDecodeError, KeyError, TypeError, UnicodeDecodeError) as error:
        raise _damaged(output, error) from error
    if digest(output) != stated:
        raise SourceError(
            "the output has been changed since it was written", Place(str(output)),
            why="its bytes are not those that the proof was made for", do="Write it again, then trace",
        )  # fmt: skip
    return proof


def _measure(output: Path, column: str, measures: Sequence[str], columns: Sequence[str], ways: Container[str]) -> str:
    if not measures:
        raise PlanError(
            "the table has no measure", Place(str(output)), why="only the values of measures know their cell",
            do="Trace the table that holds the records",
        )  # fmt: skip
    if not column and len(measures) == 1:
        return measures[0]
    if column in measures or column in ways:
        return column
    near = nearest(column, measures)
    if column in columns:
        what, why = f"{column!r} is a label, not a measure", f"the measures are {', '.join(measures)}"
    else:
        what = f"there is no column {column!r}" if column else "the table has several measures"
        why = f"there is {', '.join(measures)}"
    raise PlanError(what, Place(str(output)), why=why, do=f"Did you mean {near!r}?" if near else "Name one of them")


def _records(output: Path, form: TextForm, page: _Page) -> Iterator[dict[str, Any]]:
    """The rows of an output, in order."""
    ending = output.suffix.lower()
    if ending == ".parquet":
        import pyarrow.parquet as pq

        for batch in pq.ParquetFile(output).iter_batches():
            yield from batch.to_pylist()
    elif ending in {".xlsx", ".ods"}:
        yield from _sheet_records(output, page)
    elif ending == ".jsonl":
        with output.open(encoding="utf-8") as text:
            yield from map(json.loads, text)
    elif ending == ".json":
        said = json.loads(output.read_text("utf-8"))
        yield from [said] if isinstance(said, dict) else said
    elif ending == ".sqlite":
        with closing(sqlite3.connect(output)) as base:
            base.row_factory = sqlite3.Row
            name = next(base.execute("SELECT name FROM sqlite_master WHERE type = 'table'"))[0].replace('"', '""')
            yield from map(dict, base.execute(f'SELECT * FROM "{name}"'))  # noqa: S608 - quoted
    else:
        with output.open(encoding=form.codec, newline="") as text:
            rows = csv.reader(text, delimiter=form.delimiter)
            names = next(rows)
            for values in rows:
                yield {head: value or None for head, value in zip(names, values, strict=True)}


def _sheet_records(output: Path, page: _Page) -> Iterator[dict[str, Any]]:
    """The rows of one sheet of a workbook, or of a place on it."""
    from python_calamine import CalamineWorkbook

    book = CalamineWorkbook.from_path(output)
    sheet = book.get_sheet_by_name(page.sheet) if page.sheet else book.get_sheet_by_index(0)
    lines = sheet.to_python(skip_empty_area=False)
    if page.first is None:
        heads, lines = list(map(as_label, lines[page.above])), lines[page.above + 1 :]
    else:
        heads, (row, column) = list(page.columns), page.first
        size = (len(heads), page.rows) if page.turned else (page.rows, len(heads))
        lines = [
            [_at(lines, row - 1 + down, column - 1 + right) for right in range(size[1])] for down in range(size[0])
        ]
        lines = [list(line) for line in zip(*lines, strict=True)] if page.turned else lines
    for line in lines:
        yield {head: None if value == "" else value for head, value in zip(heads, line, strict=True)}


def _at(lines: list[list[Any]], row: int, column: int) -> Any:
    return lines[row][column] if row < len(lines) and column < len(lines[row]) else ""
