"""What stands around blocks, as columns that wanted rows may ask for: fields, names of files and sheets, titles, cells above."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.cells import Kind, a1, neat
from kebrin.table import arrays
from kebrin.work.stamps import beside, without_caption

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kebrin.cells import Report
    from kebrin.table import Table
    from kebrin.work.pieces import Piece

# What a part of a name is called by its form.
_NAMED = (
    ("date", r"(\d{4}-\d{2}-\d{2})"), ("date", r"(\d{8})"), ("month", r"(\d{4}-\d{2})"), ("month", r"(\d{6})"),
    ("year", r"(\d{4})"),
)  # fmt: skip
# Cells above a block that are looked at: its title's, its fields', its key's.
_MOST_ABOVE = 24


@dataclass(frozen=True, eq=False)
class Around:
    """What stands around some blocks.

    Attributes:
        places: for each column its place in a plan.
        values: for each place what stands there, for each block.
    """

    places: Mapping[str, str]
    values: Mapping[str, Sequence[str | None]]

    def values_at(self, place: str) -> Sequence[str | None]:
        """What stands at a place, for each block; nothing for a place that is not known."""
        return self.values.get(place, ())

    def stamps(self, blocks: int) -> list[dict[str, str | None]]:
        """The columns' values, for each block."""
        return [{name: self.values[place][at] for name, place in self.places.items()} for at in range(blocks)]

    def on(self, after: Table, stamped: Table) -> Table:
        """A table that steps made of the blocks, with the columns as they stand on the blocks' own rows.

        Where the steps made other rows only what is so on all blocks can be said.
        """
        data = after.data
        for name, place in self.places.items():
            if len(after) == len(stamped):
                data = data.append_column(name, stamped.data.column(name))
            elif len(set(self.values[place])) == 1 and self.values[place][0] is not None:
                same = arrays.labels(np.zeros(len(after), np.int32), [str(self.values[place][0])])
                data = data.append_column(name, same)
        return replace(after, data=data)

    def read_by(self, steps: Sequence[Mapping[str, Any]]) -> list[str]:
        """The columns that some steps read."""
        said = [value for step in steps for value in step.values()]
        named = [one for value in said for one in (value if isinstance(value, (list, dict)) else [value])]
        return [name for name in self.places if name in named]


def around(pieces: Sequence[Piece], reports: Sequence[Report]) -> Around:
    """What stands around blocks of one layout, under names that none of their columns bears."""
    values = _fields(pieces) | _names(pieces)
    for place, found in _above(pieces, reports).items():
        if found not in values.values():
            values[place] = found
    taken = {name for piece in pieces for name in piece.table.columns}
    places: dict[str, str] = {}
    for place in values:
        name = _name_of(place)
        number = 2
        while name in taken:
            name, number = f"{_name_of(place)} {number}", number + 1
        taken.add(name)
        places[name] = place
    return Around(places, values)


def _name_of(place: str) -> str:
    r"""A name for what stands at a place.

    >>> [_name_of(place) for place in ("block title", "beside 'Unit:'", "sheet name", r"file name, 'loads_(\d{4})'", "cell B2")]
    ['title', 'Unit', 'sheet', 'year', 'cell B2']
    """
    if place == "block title":
        return "title"
    for name, form in _NAMED:
        if form in place:
            return name
    return re.sub(r"^(?:beside|below) ['\"](.*?)['\"].*", r"\1", place).partition(" name")[0].strip(" :")


def _fields(pieces: Sequence[Piece]) -> dict[str, list[str | None]]:
    names = dict.fromkeys(name for piece in pieces for name in piece.fields)
    return {
        beside(name, everywhere=all(name in piece.fields for piece in pieces)): [
            piece.fields.get(name) for piece in pieces
        ]
        for name in names
    }


def _names(pieces: Sequence[Piece]) -> dict[str, list[str | None]]:
    found: dict[str, list[str | None]] = {"sheet name": [piece.sheet for piece in pieces]}
    titles = [without_caption(piece.layout.title) for piece in pieces]
    if all(titles):
        found["block title"] = list(titles)
    files = [Path(piece.file).name for piece in pieces]
    found["file name"] = list(files)
    for pattern in _patterns(files[0]):
        matches = [re.search(pattern, file) for file in files]
        if all(matches):
            found[f"file name, '{pattern}'"] = [match[1] for match in matches if match]
    return found


def _patterns(file: str) -> list[str]:
    r"""A pattern for each part of a file's name.

    >>> _patterns("traffic_2031.xlsx")
    ['([^\\W\\d_]+)_\\d+', 'traffic_(\\d{4})']
    """
    stem = Path(file).stem
    parts = re.findall(r"\d+(?:-\d+)*|[^\W\d_]+", stem)
    patterns = []
    for at, part in enumerate(parts):
        own = re.sub(r"\d+", lambda run: rf"\d{{{len(run[0])}}}", part) if part[0].isdigit() else r"[^\W\d_]+"
        start = stem.index(part)
        after = stem[start + len(part) :]
        before = re.sub(r"\d+", r"\\d+", re.escape(stem[:start]).replace("\\_", "_").replace("\\-", "-"))
        rest = re.match(r"_\d+", after) if at == 0 and not part[0].isdigit() else None
        patterns.append(f"{before}({own})" + (r"_\d+" if rest else ""))
    return patterns


def _above(pieces: Sequence[Piece], reports: Sequence[Report]) -> dict[str, list[str | None]]:
    """The texts of the cells above blocks that stand alone on their sheets, by their addresses."""
    sheets = [(piece.file, piece.sheet) for piece in pieces]
    if len(set(sheets)) < len(sheets):
        return {}
    read = {report.path: report for report in reports}
    found: dict[str, list[str | None]] = {}
    for number, piece in enumerate(pieces):
        report = read.get(piece.file)
        if (
            report is None
            or piece.sheet not in report.names
            or any(one.is_laid_anew for one in piece.table.origins.segments)
        ):
            return {}
        sheet = report[piece.sheet]
        places = [
            (row, column) for row in range(min(piece.layout.area.top, sheet.shape[0])) for column in range(sheet.shape[1])
            if sheet.kinds[row, column] == Kind.TEXT
        ]  # fmt: skip
        for row, column in places[:_MOST_ABOVE]:
            values = found.setdefault(f"cell {a1(row, column)}", [None] * len(pieces))
            values[number] = neat(sheet.text(row, column))
    return {place: values for place, values in found.items() if None not in values}
