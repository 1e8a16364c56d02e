"""Names for dimensions: the ones stated, else the report's own words in the corner, else from the labels."""

from __future__ import annotations

import itertools
import re
from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import are_units, without_continued
from kebrin.layout.fields import UNIT_LABEL
from kebrin.layout.labels import label
from kebrin.layout.model import MISSING, TWICE, Evidence, Level

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from kebrin.layout.model import Layout, Stated


class Names(NamedTuple):
    """A name per boxhead row and per stub column; '' where the labels themselves must suggest one.

    `found` holds the stub heads that the report itself has; `heads` the cells that name the rows, the stub columns and the
    columns beside the body, counted row by row over the sheet, -1 for none.
    """

    boxhead: list[str]
    stub: list[str]
    found: list[str]
    beside: list[str]
    heads: tuple[list[int], list[int], list[int]]


def find_names(
    sheet: Sheet,
    boxhead: Sequence[int],
    heads: Sequence[int],
    stub: Sequence[int],
    stated: Stated,
    beside: Sequence[int] = (),
    marks: Collection[str] = (),
) -> Names:
    """Names from what is stated and from the corner above the stub.

    The lowest filled corner cell of a column is its stub head; a filled corner cell above it, in the corner's last
    column, names the boxhead row that it stands in.
    """
    found = {column: _stub_head(sheet, heads, column) for column in stub}
    stub_names = [without_continued(label(sheet.at(*at), marks)) if (at := found[column]) else "" for column in stub]
    corners = {row: _corner(sheet, row, stub, found) for row in boxhead}
    boxhead_names = [label(sheet.at(*at)).rstrip(" :") if (at := corners[row]) else "" for row in boxhead]
    beside_at = {column: _stub_head(sheet, heads, column) for column in beside}
    beside_names = [label(sheet.at(*at), marks) if (at := beside_at[column]) else "" for column in beside]
    width = sheet.shape[1]
    row_heads = [MISSING if (at := corners[row]) is None else at[0] * width + at[1] for row in boxhead]
    of_stub, of_beside = (
        [MISSING if at is None else at[0] * width + at[1] for at in one.values()] for one in (found, beside_at)
    )
    return Names(
        _override(boxhead_names, stated.boxhead), _by_heading(stub_names, stated.stub), stub_names,
        _override(beside_names, stated.beside), (row_heads, of_stub, of_beside),
    )  # fmt: skip


def split_corner(stub: tuple[Level, ...], boxhead: tuple[Level, ...]) -> tuple[tuple[Level, ...], tuple[Level, ...]]:
    """A corner that names both ("Month / Route") parted, where the labels show which is which.

    >>> from kebrin.layout.model import Level
    >>> stub, boxhead = (Level.of("Month / Route", ["Jan", "Feb"], 0),), (Level.of("heading", ["North", "South"], 0),)
    >>> [level.name for levels in split_corner(stub, boxhead) for level in levels]
    ['Month', 'Route']
    """
    name = stub[-1].name if stub else ""
    parts = [part.strip() for part in re.split(r"[/\\|]", name)]
    if len(parts) != 2 or not all(parts) or len(boxhead) != 1:
        return stub, boxhead
    down, across = period_name(list(stub[-1].texts)), period_name(list(boxhead[0].texts))
    for own, other in (parts, parts[::-1]):
        if own.casefold() == down or (other.casefold() == across and across):
            return (*stub[:-1], replace(stub[-1], name=own)), (replace(boxhead[0], name=other),)
    if "\\" in name:
        # A falling stroke has what is below it at its left: the rows' name comes first.
        return (*stub[:-1], replace(stub[-1], name=parts[0])), (replace(boxhead[0], name=parts[1]),)
    return stub, boxhead


def _stub_head(sheet: Sheet, boxhead: Sequence[int], column: int) -> tuple[int, int] | None:
    filled = [row for row in reversed(boxhead) if sheet.kinds[row, column] != Kind.BLANK]
    lowest = sheet.text(filled[0], column).rstrip(" :") if len(filled) > 1 else ""
    if UNIT_LABEL.fullmatch(lowest) or (lowest and _gives_units(sheet, filled[0])):
        boxhead = [row for row in boxhead if row < filled[0]]  # "Unit" names the row of units, and no labels below it
    for row in reversed(boxhead):
        area = sheet.merge_at(row, column)
        at = (row, column) if area is None or area.left != column else (area.top, area.left)
        if sheet.kinds[at] != Kind.BLANK:
            return at
    return None


def _gives_units(sheet: Sheet, row: int) -> bool:
    """Whether a row holds nothing but units, two or more."""
    texts = [sheet.text(row, at) for at in np.flatnonzero(sheet.filled[row]).tolist()]
    return len(texts) > 1 and are_units(texts)


def _corner(
    sheet: Sheet, row: int, stub: Sequence[int], heads: Mapping[int, tuple[int, int] | None]
) -> tuple[int, int] | None:
    """The cell of the corner that names a heading row: the last one filled there, if no stub head stands on the row."""
    if any(at is not None and at[0] == row for at in heads.values()):
        return None
    filled = [column for column in stub if sheet.kinds[row, column] == Kind.TEXT]
    return (row, filled[-1]) if filled else None


def _override(names: list[str], stated: Sequence[str] | None) -> list[str]:
    if stated is None:
        return _unique(names)
    return [said or name for said, name in zip(stated, names, strict=True)]


def _by_heading(names: list[str], stated: Sequence[str] | None) -> list[str]:
    """Names for label columns: those stated go by the sheet's own headings where it bears them, by place where it does not.

    >>> _by_heading(["Month", "Vessel"], ["Vessel", "Month"]), _by_heading(["Qu.", ""], ["quay", "berth"])
    (['Month', 'Vessel'], ['quay', 'berth'])
    """
    if stated is None:
        return _unique(names)
    at = {name.casefold(): place for place, name in enumerate(names) if name}
    found = {at[said.casefold()]: said for said in stated if said.casefold() in at}
    rest = iter([said for said in stated if said.casefold() not in at])
    return [found.get(place) or next(rest, "") or names[place] for place in range(len(names))]


def _unique(names: list[str]) -> list[str]:
    """The same name twice says nothing: the later ones are dropped."""
    return [name if name not in names[:at] else "" for at, name in enumerate(names)]


def with_names_apart(layout: Layout, others: Collection[str]) -> Layout:
    """The layout with a number behind the name of a label column that another column bears.

    `others` are the names of the value columns.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout.find import find_layouts
    >>> (layout,) = find_layouts(Sheet.of([["Quay", "Jan", "Feb"], ["North", 5, 7], ["South", 4, 6]]))
    >>> with_names_apart(layout, ["Quay"]).names
    ('Quay 2', 'month')
    """
    taken = {*others, *(level.name for level in layout.boxhead if level.name != layout.measures)}
    stub = []
    for level in layout.stub:
        named = itertools.chain([level.name], (f"{level.name} {at}" for at in itertools.count(2)))
        name = next(one for one in named if one not in taken)
        taken.add(name)
        stub.append(level if name == level.name else replace(level, name=name))
    return layout if stub == list(layout.stub) else replace(layout, stub=tuple(stub))


def with_headings_apart(boxhead: Sequence[Level], measures: str) -> tuple[tuple[Level, ...], list[Evidence]]:
    """The boxhead with a number behind a measure's heading that stands over another column too; what is said of these.

    Where the measures are named that no level bears, nothing is done: what is stated so is refused elsewhere.

    >>> level = Level.of("heading", ["Answered", "vs target", "In time", "vs target"], 0)
    >>> with_headings_apart([level], "boats")[0][0] is level
    True
    >>> with_headings_apart([level], "heading")[0][0].labels()
    ['Answered', 'vs target', 'In time', 'vs target 2']
    """
    paths = list(zip(*(level.labels() for level in boxhead), strict=True))
    own = next((at for at, level in enumerate(boxhead) if level.name == measures), -1)
    if own < 0 or len(set(paths)) == len(paths) or (None,) * len(boxhead) in paths:
        return tuple(boxhead), []
    taken = {path[own] for path in paths}
    seen: set[tuple[str | None, ...]] = set()
    twice: dict[str, list[int]] = {}
    labels = boxhead[own].labels()
    for at, path in enumerate(paths):
        if path in seen and labels[at]:
            named = (f"{labels[at]} {number}" for number in itertools.count(2))
            labels[at] = next(
                one for one in named if (*path[:own], one, *path[own + 1 :]) not in seen and one not in taken
            )
            twice.setdefault(path[own] or "", []).append(at)
        seen.add((*path[:own], labels[at], *path[own + 1 :]))
    level = boxhead[own]
    named_apart = replace(
        Level.of(level.name, labels, level.line, level.cells.tolist()), head=level.head, joined=level.joined
    )
    said = [
        Evidence(
            TWICE,
            repr(old),
            f"heads {len(places) + 1} columns: those behind the first are named "
            f"{', '.join(dict.fromkeys(repr(labels[at]) for at in places))}",
            cells=tuple(int(level.cells[at]) for at in places),
        )
        for old, places in twice.items()
    ]
    return (*boxhead[:own], named_apart, *boxhead[own + 1 :]), said
