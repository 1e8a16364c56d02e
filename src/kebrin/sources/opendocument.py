"""OpenDocument spreadsheets (.ods, and flat .fods) as reports, cell by cell (OASIS OpenDocument 1.3, part 3)."""

from __future__ import annotations

import datetime as dt
import re
import zipfile
from dataclasses import dataclass, field
from functools import cache, lru_cache
from io import BytesIO
from typing import IO, TYPE_CHECKING, Any

import numpy as np
from lxml import etree

from kebrin.cells import Area, Formats, Kind, Report, Sheet, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources import files
from kebrin.sources.limits import hold, hold_letters, hold_package, hold_room
from kebrin.sources.long_text import LongRows, long_sheet
from kebrin.sources.package_parts import telling
from kebrin.sources.plain_cells import PlainCells
from kebrin.sources.plain_rows import MARK

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_STYLE = "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}"
_FO = "{urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0}"
_CELLS = frozenset({f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"})
_REPEATED, _REPEATED_ROWS = f"{_TABLE}number-columns-repeated", f"{_TABLE}number-rows-repeated"
_DOWN, _ACROSS = f"{_TABLE}number-rows-spanned", f"{_TABLE}number-columns-spanned"
_SPANS = frozenset({_DOWN, _ACROSS})
_STYLED, _FORMULA, _VISIBILITY, _KIND = (
    f"{_TABLE}style-name", f"{_TABLE}formula", f"{_TABLE}visibility", f"{_OFFICE}value-type"
)  # fmt: skip
_ID = "{http://www.w3.org/XML/1998/namespace}id"
_AMOUNTS = frozenset({"float", "currency", "percentage"})
_PARAGRAPH = f"{_TEXT}p"
_DURATION = re.compile(r"(-?)P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:([\d.]+)S)?)?")


def read(path: Path) -> Report:
    """Read a spreadsheet document; its sheets are laid out when they are asked for.

    Raises:
        SourceError: it is cut short, damaged, or locked with a password.
    """
    fixed = files.Fixed.of(path)
    where = Place(str(path))
    with telling(where):
        tables, styles, run = _tables(path, where)
    fixed.check()
    hold("sheets", len(tables), where)
    hidden = {table.name: "hidden" for table in tables if styles.hides(table.style)}
    by_name = {table.name: table for table in tables}
    cut = next((table for table in tables if table.marked >= 0), None)

    @cache
    def whole() -> dict[str, _Grid]:
        with telling(where):
            found, _, _ = _tables(path, where, whole=True)
        fixed.check()
        return {table.name: table for table in found}

    @lru_cache(maxsize=1)
    def load(name: str) -> Sheet:
        own = by_name[name] if cut is None or name != cut.name else whole()[name]
        return _sheet(own, styles, str(path), hidden.get(name, ""))

    def long(name: str) -> LongRows | None:
        rows = None
        if run is not None and cut is not None and name == cut.name:
            rows = run.below(
                _sheet(cut, styles, str(path), hidden.get(name, "")), cut.marked, {*styles.bold, *styles.indents}
            )
        return long_sheet(load(name)) if rows is None else rows

    return Report(str(path), tuple(by_name), load, hidden, lambda: fixed.digest, open_long=long)


@dataclass
class _Styles:
    """The styles of a document that a layout asks for."""

    bold: set[str] = field(default_factory=set)
    indents: dict[str, int] = field(default_factory=dict)
    hidden: set[str] = field(default_factory=set)
    formats: dict[str, str] = field(default_factory=dict)

    def hides(self, style: str) -> bool:
        """Whether a table of this style is hidden."""
        return style in self.hidden


@dataclass
class _Grid:
    """One table as it is read; `marked` is the last row that a long run keeps, `rows` and `columns` how many were read."""

    name: str
    style: str = ""
    cells: list[tuple[int, int, Any, bool]] = field(default_factory=list)
    merges: list[tuple[int, int, int, int]] = field(default_factory=list)
    styles: dict[tuple[int, int], str] = field(default_factory=dict)
    formulas: dict[tuple[int, int], str] = field(default_factory=dict)
    hidden_rows: set[int] = field(default_factory=set)
    hidden_columns: set[int] = field(default_factory=set)
    marked: int = -1
    rows: int = 0
    columns: int = 0


def _tables(path: Path, where: Place, *, whole: bool = False) -> tuple[list[_Grid], _Styles, PlainCells | None]:
    """All tables of a document, its styles, and the long run of plain rows that was taken out of one, if not all are wanted."""
    styles = _Styles()
    if files.nature(files.first_bytes(path)) != "zip":
        return _content(path.read_bytes(), styles, whole=whole)
    with zipfile.ZipFile(path) as package:
        hold_package([(one.compress_size, one.file_size) for one in package.infolist()], where)
        if "META-INF/manifest.xml" in package.namelist() and b"encryption-data" in package.read(
            "META-INF/manifest.xml"
        ):
            raise SourceError(
                "the document is locked with a password",
                where,
                do="Open it in an office program, take the password off, save it",
            )
        if "styles.xml" in package.namelist():
            with package.open("styles.xml") as stream:
                for _ in _read(stream, styles):
                    pass
        return _content(package.read("content.xml"), styles, whole=whole)


def _content(content: bytes, styles: _Styles, *, whole: bool) -> tuple[list[_Grid], _Styles, PlainCells | None]:
    """The tables of the part that holds them."""
    run = None if whole else PlainCells.of(content)
    if run is not None:
        found = list(_read(BytesIO(run.head), styles))
        if any(grid.marked >= 0 for grid in found):
            return found, styles, run
    return list(_read(BytesIO(content), styles)), styles, None


def _read(stream: IO[bytes], styles: _Styles) -> Iterator[_Grid]:
    """The tables of one XML part; its styles are collected on the way."""
    grid: _Grid | None = None
    depth = 0
    wanted = (f"{_STYLE}style", f"{_TABLE}table", f"{_TABLE}table-row", f"{_TABLE}table-column")
    for event, element in etree.iterparse(
        stream, events=("start", "end"), tag=wanted, resolve_entities=False, huge_tree=True
    ):
        tag = element.tag
        if tag == f"{_STYLE}style":
            if event == "end":
                _style(element, styles)
        elif tag == f"{_TABLE}table":
            depth += 1 if event == "start" else -1
            if event == "start" and depth == 1:
                grid = _Grid(element.get(f"{_TABLE}name", "Sheet"), element.get(f"{_TABLE}style-name", ""))
            elif event == "end" and depth == 0 and grid is not None:
                yield grid
                element.clear()
        elif event == "end" and depth == 1 and grid is not None:
            (_column if tag == f"{_TABLE}table-column" else _row)(grid, element)


def _column(grid: _Grid, element: etree._Element) -> None:
    """What is said of one column, or of several that are alike."""
    first, count = grid.columns, int(element.get(_REPEATED, "1"))
    grid.columns += count
    if element.get(_VISIBILITY, "visible") != "visible":
        grid.hidden_columns.update(range(first, min(grid.columns, 16_384)))


def _row(grid: _Grid, element: etree._Element) -> None:
    """One row, or several that are alike."""
    row, count = grid.rows, int(element.get(_REPEATED_ROWS, "1"))
    _cells(grid, element, row, count)
    grid.rows += count
    if element.get(_ID) == MARK:
        grid.marked = grid.rows - 1
    if element.get(_VISIBILITY, "visible") != "visible":
        grid.hidden_rows.update(range(row, min(grid.rows, 1 << 20)))
    element.clear()


def _cells(grid: _Grid, element: etree._Element, row: int, count: int) -> None:
    """The cells of a row that stands there so many times."""
    column = 0
    found: list[tuple[int, Any, bool]] = []
    for cell in element:
        if cell.tag not in _CELLS:
            continue
        pairs: Any = cell.items()
        said: dict[str, str] = dict(pairs)
        width = int(said.get(_REPEATED, "1"))
        value, error = _value(cell, said)
        if value != "" and value is not None:
            if width == 1:
                found.append((column, value, error))
            else:
                hold("columns", column + width, Place("", grid.name))
                found += [(column + at, value, error) for at in range(width)]
            if _STYLED in said or _FORMULA in said:
                _dress(grid, said, row, range(column, column + width))
        if _SPANS & said.keys():
            down, across = (int(said.get(axis, "1")) for axis in (_DOWN, _ACROSS))
            if down > 1 or across > 1:
                grid.merges.append((row, column, row + down - 1, column + across - 1))
        column += width
    if found:
        hold("columns", found[-1][0] + 1, Place("", grid.name))
        hold("cells", len(grid.cells) + len(found) * count, Place("", grid.name))
        grid.cells += [(row + down, at, value, error) for down in range(count) for at, value, error in found]


def _dress(grid: _Grid, said: dict[str, str], row: int, columns: range) -> None:
    """Note the style and the formula of a cell, for all columns that it stands for."""
    style, formula = said.get(_STYLED), said.get(_FORMULA)
    for at in columns:
        if style:
            grid.styles[row, at] = style
        if formula:
            grid.formulas[row, at] = _formula(formula)


def _value(cell: etree._Element, said: dict[str, str]) -> tuple[Any, bool]:
    """A cell's value, and whether it is an error; `said` are its attributes."""
    kind = said.get(_KIND)
    if kind in _AMOUNTS:
        return float(said.get(f"{_OFFICE}value", "nan")), False
    if kind == "date":
        stated = said.get(f"{_OFFICE}date-value", "")
        try:
            moment = dt.datetime.fromisoformat(stated)
        except ValueError:
            return _said(cell), False
        return (moment.date() if "T" not in stated else moment), False
    if kind == "boolean":
        return said.get(f"{_OFFICE}boolean-value") == "true", False
    if kind == "time":
        return _time(said.get(f"{_OFFICE}time-value", "")) or _said(cell), False
    text = _said(cell)
    return text, _FORMULA in said and text.startswith(("#", "Err:"))


def _time(stated: str) -> dt.time | dt.timedelta | None:
    match = _DURATION.fullmatch(stated)
    if match is None:
        return None
    sign, days, hours, minutes, seconds = match.groups()
    whole = dt.timedelta(
        days=int(days or 0), hours=int(hours or 0), minutes=int(minutes or 0), seconds=float(seconds or 0)
    )
    if sign or whole >= dt.timedelta(days=1):
        return -whole if sign else whole
    return (dt.datetime(1970, 1, 1) + whole).time()  # noqa: DTZ001 - a time of day has no zone


def _said(cell: etree._Element) -> str:
    """A cell's own text, its paragraphs on lines of their own; notes pinned to it are none of it."""
    said = [_paragraph(part) for part in cell if part.tag == _PARAGRAPH]
    return said[0] if len(said) == 1 else "\n".join(said)


def _paragraph(part: etree._Element) -> str:
    if not len(part):
        return part.text or ""
    said = [part.text or ""]
    for child in part:
        if child.tag == f"{_TEXT}s":
            blanks = int(child.get(f"{_TEXT}c", "1"))
            hold("letters", blanks, Place(""))
            said.append(" " * blanks)
        elif child.tag in {f"{_TEXT}tab", f"{_TEXT}line-break"}:
            said.append("\t" if child.tag.endswith("tab") else "\n")
        elif child.tag not in {f"{_OFFICE}annotation", f"{_TEXT}note"}:
            said.append(_paragraph(child))
        said.append(child.tail or "")
    return "".join(said)


def _formula(stated: str) -> str:
    """A formula in the form that evidence is looked for in: `of:=SUM([.B2:.B9])` is `SUM(B2:B9)`."""
    return re.sub(r"\[?\.([$A-Z0-9]+)\]?", r"\1", stated.partition("=")[2]).replace("[", "").replace("]", "")


def _style(element: etree._Element, styles: _Styles) -> None:
    name = element.get(f"{_STYLE}name", "")
    parent = element.get(f"{_STYLE}parent-style-name", "")
    if parent in styles.bold:
        styles.bold.add(name)
    for part in element:
        if part.tag == f"{_STYLE}table-properties" and part.get(f"{_TABLE}display") == "false":
            styles.hidden.add(name)
        elif part.tag == f"{_STYLE}text-properties" and part.get(f"{_FO}font-weight"):
            (styles.bold.add if part.get(f"{_FO}font-weight") == "bold" else styles.bold.discard)(name)
        elif part.tag == f"{_STYLE}paragraph-properties":
            indent = re.match(r"([\d.]+)(cm|mm|in|pt)", part.get(f"{_FO}margin-left", ""))
            if indent is not None and float(indent[1]) > 0:
                points = float(indent[1]) * {"cm": 28.3, "mm": 2.83, "in": 72.0, "pt": 1.0}[indent[2]]
                styles.indents[name] = max(round(points / 10), 1)


def _sheet(grid: _Grid, styles: _Styles, source: str, hidden: str) -> Sheet:
    height = max((row for row, *_ in grid.cells), default=-1) + 1
    width = max((column for _, column, *_ in grid.cells), default=-1) + 1
    hold_room(height, width, Place(source, grid.name))
    hold_letters([value for _, _, value, _ in grid.cells if isinstance(value, str)], Place(source, grid.name))
    values = np.full((height, width), None, dtype=object)
    for row, column, value, _ in grid.cells:
        values[row, column] = value
    kinds = kinds_of(values)
    for row, column, _, error in grid.cells:
        if error:
            kinds[row, column] = Kind.ERROR
    values.flags.writeable = kinds.flags.writeable = False
    clipped = (
        Area(top, left, min(bottom, height - 1), min(right, width - 1)) for top, left, bottom, right in grid.merges
    )
    merges = tuple(
        area for area in clipped if area.top < height and area.left < width and (area.top, area.left) != area[2:]
    )
    lines = bool(grid.hidden_rows or grid.hidden_columns)
    return Sheet(
        grid.name, values, kinds, merges, source, hidden, look_up_formats=_formats(grid, styles), has_hidden_lines=lines
    )  # fmt: skip


def _formats(grid: _Grid, styles: _Styles) -> Callable[[int | None], Formats]:
    def look(rows: int | None) -> Formats:
        return Formats(
            bold=frozenset(at for at, style in grid.styles.items() if style in styles.bold),
            indents={at: styles.indents[style] for at, style in grid.styles.items() if style in styles.indents},
            formulas=grid.formulas, hidden_rows=frozenset(grid.hidden_rows), hidden_columns=frozenset(grid.hidden_columns),
            read_to=rows,
        )  # fmt: skip

    return look
