"""What is asked of a block's headings: missing ones, some that may stand over other columns, some that say several things."""

from __future__ import annotations

import math
import re
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Look, column_letters
from kebrin.grammar.periods import period_name
from kebrin.grammar.reading import MISSING_MARKS
from kebrin.layout import TWICE, likely_pattern
from kebrin.table import Finding, FindingKind, Settle

if TYPE_CHECKING:
    from kebrin.cells import Sheet
    from kebrin.layout import Layout

_TOLD = 6
_FEWEST_ALIKE = 2
_NUMBERED = re.compile(r"(?P<what>[^\W\d_][^\d]*?)[\s_.-]*(?P<number>\d{1,4})")
# What such headings say belongs to the group that they stand behind.
_OF_GROUPS = frozenset({"share", "rank", "change", "percent", "index", "mean", "average", "rate", "difference"})
# Signs that part what a heading says, and so many headings show that they do.
_SIGNS = (" - ", ".", "_", " / ", "|", ": ")
_FEWEST_COMPOSED = 4


def asked_of_headings(sheet: Sheet, layout: Layout, *, named: bool) -> list[Finding]:
    """What only a person can tell of headings that nobody has stated; `named` says that the value columns are."""
    return [
        *_unheaded(sheet, layout),
        *_half_headed(sheet, layout),
        *_past_total(sheet, layout),
        *_records_as_headings(sheet, layout),
        *_crossed(sheet, layout),
        *([] if named else _said_again(sheet, layout) or _in_step(sheet, layout)),
    ]


def _unheaded(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Columns of the body that no heading stands over, among others that have one."""
    if layout.listed or not layout.boxhead:
        return []
    bare = np.logical_and.reduce([level.codes < 0 for level in layout.boxhead])
    if not bare.any() or bare.all():
        return []
    row = int(layout.body_rows[0])
    cells = tuple(sheet.address(row, int(column)) for column in layout.body_columns[bare])
    names = ", ".join(column_letters(int(column)) for column in layout.body_columns[bare][:_TOLD])
    what = f"no heading stands over column {names}: nothing says what its figures are"
    out = [f"column {column_letters(int(column))}" for column in layout.body_columns[bare]]
    settle = (Settle("leave_out", out), Settle("boxhead", layout.boxhead_names, says="they stay without one"))
    return [Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells[:_TOLD], len(cells), settle=settle)]


def _said_again(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Headings that stand over several columns of a table: all but the first are numbered."""
    said = []
    for one in layout.evidence:
        if one.what == TWICE:
            settle = (Settle("measures", layout.measures, says="they are named so"),)
            cells = tuple(sheet.address(*divmod(cell, sheet.shape[1])) for cell in one.cells)
            what = f"{one.where} {one.why}"
            said.append(Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells, len(cells), settle=settle))
    return said


def _half_headed(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Columns without an outer heading, where their inner one stands under outer headings elsewhere: which is theirs is lost."""
    found = []
    for level, inner in zip(layout.boxhead, layout.boxhead[1:], strict=False):
        bare = level.codes < 0
        if layout.listed or not bare.any() or bare.all() or level.joined or inner.joined:
            continue
        headed = {inner.label(at) for at in np.flatnonzero(~bare).tolist()}
        columns = [int(layout.body_columns[at]) for at in np.flatnonzero(bare).tolist() if inner.label(at) in headed]
        if not columns:
            continue
        names = ", ".join(column_letters(column) for column in columns[:_TOLD])
        what = (
            f"row {level.line + 1} has no heading over column {names}, and the same headings below it stand under one elsewhere: "
            f"write it into a copy of the file"
        )
        cells = tuple(sheet.address(level.line, column) for column in columns[:_TOLD])
        settle = (Settle("boxhead", layout.boxhead_names, says="they have none"),)
        found.append(Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells, len(columns), settle=settle))
    return found


def _past_total(sheet: Sheet, layout: Layout) -> list[Finding]:
    """A heading that stands once over its columns and their total, and is taken to go on over one behind it."""
    columns = layout.body_columns.tolist()
    sums = [line for line in layout.total_lines("column") if not line.mean and len(line.parts) > 1]
    found = []
    for level, inner in zip(layout.boxhead, layout.boxhead[1:], strict=False):
        past: dict[int, list[int]] = {}
        for at, (column, cell) in enumerate(zip(columns, level.cells.tolist(), strict=True)):
            head = cell % sheet.shape[1]
            closed = any(head <= min(line.parts) and max(line.parts) < line.at < column for line in sums)
            if cell >= 0 and closed and not _is_merged(sheet, level.line, column):
                past.setdefault(cell, []).append(at)
        # What stands behind the total of several groups, a share or a rank, belongs to each of them.
        if len(past) != 1:
            continue
        ((cell, over),) = past.items()
        others = {inner.label(at) for at in range(len(columns)) if at not in over}
        if any(inner.label(at) in others or _is_share(inner.label(at) or "") for at in over):
            continue
        text, names = sheet.text(*divmod(cell, sheet.shape[1])), ", ".join(str(inner.label(at)) for at in over)
        what = (
            f"{text!r} stands over the total of its columns, and is taken to go on over {names} behind it: if it does not, merge "
            f"the heading over its columns in a copy of the file"
        )
        cells = tuple(sheet.address(level.line, columns[at]) for at in over[:_TOLD])
        settle = (Settle("boxhead", layout.boxhead_names, says="it does"),)
        found.append(
            Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells, len(over), breaks=True, settle=settle)
        )
    return found


def _is_merged(sheet: Sheet, row: int, column: int) -> bool:
    return sheet.merge_at(row, column) is not None


def _is_share(label: str) -> bool:
    return "%" in label or any(word in _OF_GROUPS for word in label.casefold().split())


def _records_as_headings(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Headings over words that say what cells without a value say: they may be records of a table of words."""
    marks = [level for level in layout.boxhead if MISSING_MARKS & {text.casefold() for text in level.texts}]
    body = sheet.data[np.ix_(layout.body_rows, layout.body_columns)] if marks else None
    looks = sheet.looks[np.ix_(layout.body_rows, layout.body_columns)] if marks else None
    if body is None or looks is None or (body & (looks != int(Look.MISSING))).any():
        return []
    rows = ", ".join(str(level.line + 1) for level in marks[:_TOLD])
    what = f"row{'s' * (len(marks) > 1)} {rows} of the headings say what cells without a value say: they may be records"
    cells = tuple(sheet.address(level.line, int(layout.body_columns[0])) for level in marks[:_TOLD])
    settle = (Settle("boxhead", layout.boxhead_names, says="they are headings"),)
    return [
        Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells, len(marks), breaks=True, settle=settle)
    ]


def _crossed(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Headings of which one stands over a part of what a total sums, and also over columns that it does not sum."""
    columns = layout.body_columns.tolist()
    place = {column: at for at, column in enumerate(columns)}
    for level in layout.boxhead[:-1]:
        for line in layout.total_lines("column"):
            parts = [place[column] for column in line.parts.tolist() if column in place]
            said = [level.label(at) for at in parts]
            over = dict.fromkeys(one for one in said if one is not None)
            cut = [one for one in over if said.count(one) < level.labels().count(one)]
            # A total of one thing over all groups takes one column of each.
            if not cut or len(cut) == len(over) or line.mean:
                continue
            what = (
                f"{line.name} sums columns over which row {level.line + 1} says {' and '.join(map(repr, over))}, and {cut[0]!r} "
                f"stands over others too: the headings may stand over other columns"
            )
            cell = sheet.address(level.line, columns[parts[0]])
            settle = (Settle("boxhead", layout.boxhead_names, says="they stand rightly"),)
            return [
                Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (cell,), 1, breaks=True, settle=settle)
            ]
    return []


def _in_step(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Value columns whose headings say one thing with a number or a year each: they may be one column over several rows."""
    if not layout.measures:
        return _composed(sheet, layout)
    alike: dict[str, list[str]] = {}
    for name in layout.level(layout.measures).texts:
        parts = _parted(name)
        if parts:
            alike.setdefault(parts, []).append(name)
    groups = [names for names in alike.values() if len(names) >= _FEWEST_ALIKE]
    if not groups:
        return _composed(sheet, layout)
    shown = " and ".join(f"{', '.join(names[:3])}{', ...' * (len(names) > 3)}" for names in groups[:2])
    what = f"the columns {shown} may each be one thing in several periods or places: they stay columns of their own"
    cell = sheet.address(layout.level(layout.measures).line, int(layout.body_columns[0]))
    settle = (*_rows_each(layout, groups), Settle("measures", layout.measures, says="columns are meant"))
    return [
        Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (cell,), sum(map(len, groups)), settle=settle)
    ]  # fmt: skip


def _rows_each(layout: Layout, groups: list[list[str]]) -> tuple[Settle, ...]:
    """The line by which each of several periods or places gets a row, where there is one."""
    names = [name for names in groups for name in names]
    if len(groups) > 1:
        return (Settle("headings", likely_pattern(names), says="a row for each"),)
    if len(names) == len(layout.level(layout.measures).texts):
        return (Settle("measures", "", says="one column of values, and a row for each heading"),)
    return ()


def _composed(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Headings that say several things in one, each with each other: "foot_out", "foot_back", "cars_out", "cars_back"."""
    if not layout.boxhead:
        return []
    level = layout.level(layout.measures) if layout.measures else layout.boxhead[-1]
    names = [name for name in dict.fromkeys(level.texts) if name]
    for sign in _SIGNS:
        parts = [name.split(sign) for name in names if sign in name]
        count = len(parts[0]) if parts else 0
        if len(parts) < _FEWEST_COMPOSED or 2 * len(parts) < len(names) or any(len(one) != count for one in parts):
            continue
        said = [len(set(own)) for own in zip(*parts, strict=True)]
        if sum(own > 1 for own in said) < 2 or math.prod(said) > 2 * len(parts):
            continue
        shown = ", ".join(repr(sign.join(one)) for one in parts[:3])
        what = f"the headings {shown}, ... each say several things, parted by {sign.strip()!r}: they stay as they are"
        cell = sheet.address(level.line, int(layout.body_columns[0]))
        key, value = ("measures", layout.measures) if layout.measures else ("boxhead", layout.boxhead_names)
        pattern = sign.join(f"{{heading {at}}}" for at in range(1, count + 1))
        settle = (Settle("headings", pattern, says="a column for each"), Settle(key, value, says="they are names"))
        return [Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (cell,), len(parts), settle=settle)]
    return []


def _parted(name: str) -> str:
    """What a heading says beside the number or period in it; '' if it has none.

    >>> _parted("Sales 2031"), _parted("Jan-35 kWh"), _parted("Vessel 2"), _parted("Sales")
    ('Sales', 'kWh', 'Vessel', '')
    """
    match = _NUMBERED.fullmatch(name.strip())
    if match is not None:
        return match["what"].strip(" _.-")
    first, _, rest = name.strip().partition(" ")
    return rest.strip() if rest and any(map(str.isdigit, first)) and period_name([first]) else ""
