"""Workbooks (.xlsx, .xlsm) as reports."""

from __future__ import annotations

from functools import lru_cache, partial
from typing import TYPE_CHECKING

import numpy as np

from kebrin.address import a1
from kebrin.cells import Area, Formats, Hints, Kind, Report, Sheet, addresses, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources import second
from kebrin.sources.long_text import HEAD_ROWS, LongRows, long_sheet
from kebrin.sources.named import named_places
from kebrin.sources.package_parts import telling
from kebrin.sources.workbook import RawSheet, Workbook, open_workbook

if TYPE_CHECKING:
    from collections.abc import Iterable
    from pathlib import Path

    from numpy.typing import NDArray

# Of a column's numbers so many must bear a format of zeros for it to be a column of identifiers.
_MOSTLY = 0.8


def read(path: Path, *, opened: Workbook | None = None, stored: str = "") -> Report:
    """Read a workbook; its sheets are parsed one by one, when asked for.

    Args:
        path: the file.
        opened: the same file, if it was opened ahead.
        stored: 'blank' if formulas without a stored result are empty; they are so unstated where others of their sheet have one.

    Raises:
        SourceError: the file is no workbook, locked, cut short or damaged.
    """
    book = opened or open_workbook(path)
    places = partial(named_places, book.path, book.parts)
    load = lru_cache(maxsize=1)(partial(_sheet, book, stored))

    def long(name: str) -> LongRows | None:
        return long_sheet(load(name), lambda: second.is_dressed_below(book.path, book.parts[name], HEAD_ROWS))

    return Report(
        str(path), book.names, load, book.hidden, lambda: book.fixed.digest, places, open_long=long
    )  # fmt: skip


def _sheet(book: Workbook, stored: str, name: str) -> Sheet:
    raw = book.load(name)
    where = Place(str(book.path), sheet=name)
    values = _grid(raw)
    kinds = kinds_of(values)
    emptied: tuple[str, ...] = ()
    if raw.signs.errors or raw.signs.unstored:
        with telling(where):
            found = second.look_again(book.path, book.parts[name])
        if stored != "blank" and len(found.unstored) == len(found.formulas):
            _refuse_unstored(found.unstored, where)
        emptied = tuple(a1(*cell) for cell in found.unstored)
        for (row, column), said in found.errors.items():
            if row < values.shape[0] and column < values.shape[1]:
                values[row, column] = said
                kinds[row, column] = Kind.ERROR
    if raw.stated > (filled := int((kinds != Kind.BLANK).sum())):
        with telling(where):
            second.refuse_lost(book.path, book.parts[name], where, raw.stated, filled)
    codes = _write_codes(book, name, values, kinds) if book.pads_digits else frozenset()
    values.flags.writeable = kinds.flags.writeable = False
    spread = second.spread_areas(book.path, book.parts[name], HEAD_ROWS) if book.spreads else []
    merges = _merges([*raw.merges, *_apart(spread, raw.merges)], values.shape, where)
    formats = partial(_formats, book, name)
    hidden = book.hidden.get(name, "")
    return Sheet(
        name, values, kinds, merges, str(book.path), hidden, look_up_formats=formats, has_hidden_lines=raw.signs.hidden_lines,
        hints=Hints(codes=codes), emptied=emptied,
    )  # fmt: skip


def _write_codes(book: Workbook, name: str, values: NDArray[np.object_], kinds: NDArray[np.uint8]) -> frozenset[int]:
    """Write out the digits of columns that are identifiers by their number format (`00000`); which these are.

    Where all columns of numbers are formatted so it is a manner of writing figures, and they stay numbers.
    """
    formats = _formats(book, name).number_formats
    padded = np.zeros(kinds.shape, np.bool_)
    for (row, column), code in formats.items():
        if row < kinds.shape[0] and column < kinds.shape[1] and second.PADDED.fullmatch(code):
            padded[row, column] = kinds[row, column] == Kind.NUMBER and float(values[row, column]).is_integer()
    numbers = (kinds == Kind.NUMBER).sum(axis=0)
    own = np.flatnonzero(padded.any(axis=0) & (padded.sum(axis=0) >= _MOSTLY * numbers))
    if len(own) > 1 and len(own) == int((numbers > 0).sum()):
        return frozenset()
    for row, column in np.argwhere(padded):
        if column in own:
            values[row, column] = second.padded(float(values[row, column]), formats[int(row), int(column)])
            kinds[row, column] = Kind.TEXT
    return frozenset(own.tolist())


def _grid(raw: RawSheet) -> NDArray[np.object_]:
    if not raw.rows or not raw.rows[0]:
        return np.empty((0, 0), dtype=object)
    values = np.empty((len(raw.rows), len(raw.rows[0])), dtype=object)
    values[:] = raw.rows
    return values


def _refuse_unstored(cells: list[tuple[int, int]], where: Place) -> None:
    if cells:
        raise SourceError(
            "formulas without a stored result", Place(where.file, where.sheet, addresses(cells)),
            why="the program that wrote the file did not compute them",
            do='Open the file in a spreadsheet program, save it there, and run this again; or state stored = "blank" in a plan',
        )  # fmt: skip


def _apart(
    areas: Iterable[tuple[int, int, int, int]], merges: Iterable[tuple[int, int, int, int]]
) -> list[tuple[int, int, int, int]]:
    """Areas of one row that no merge reaches into."""
    taken = list(merges)
    return [
        (row, left, bottom, right) for row, left, bottom, right in areas
        if not any(top <= row <= low and first <= right and left <= last for top, first, low, last in taken)
    ]  # fmt: skip


def _merges(raw: Iterable[tuple[int, int, int, int]], shape: tuple[int, ...], where: Place) -> tuple[Area, ...]:
    """Merges clipped to the grid.

    Raises:
        SourceError: two of them overlap.
    """
    taken = np.zeros(shape, np.int32)
    areas: list[Area] = []
    for top, left, bottom, right in sorted(raw):
        if top >= shape[0] or left >= shape[1]:
            continue
        area = Area(top, left, min(bottom, shape[0] - 1), min(right, shape[1] - 1))
        region = taken[area.top : area.bottom + 1, area.left : area.right + 1]
        if region.any():
            other = areas[int(region[region > 0][0]) - 1]
            raise SourceError(
                "merged cells overlap", Place(where.file, where.sheet, f"{other.address}, {area.address}"),
                why="a cell can belong to one merge only", do="Undo one of the two merges in the workbook",
            )  # fmt: skip
        areas.append(area)
        region[:] = len(areas)
    return tuple(area for area in areas if area.top != area.bottom or area.left != area.right)


@lru_cache(maxsize=8)
def _formats(book: Workbook, name: str, rows: int | None = None) -> Formats:
    with telling(Place(str(book.path), sheet=name)):
        found = second.look_again(book.path, book.parts[name], rows)
        styles = second.read_styles(book.path)
    styled = {at: styles[code] for at, code in found.styles.items() if code < len(styles)}
    return Formats(
        bold=frozenset(at for at, style in styled.items() if style.bold),
        indents={at: style.indent for at, style in styled.items() if style.indent},
        number_formats={at: style.number_format for at, style in styled.items() if style.number_format != "General"},
        filled=frozenset(at for at, style in styled.items() if style.filled),
        formulas=found.formulas,
        hidden_rows=frozenset(found.hidden_rows),
        hidden_columns=frozenset(found.hidden_columns),
        read_to=rows,
    )
