"""What is asked of a block: what its headings (`heading_questions.py`), labels and rows leave open, and only a person can tell.

Each question names the cells and the line of the plan that answers it. What a person has stated is not asked again.
"""

from __future__ import annotations

import tomllib
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import column_letters
from kebrin.grammar.words import says_note
from kebrin.layout import PART, Stated, lines_about
from kebrin.table import Finding, FindingKind, Settle
from kebrin.work.heading_questions import asked_of_headings
from kebrin.work.merged import EACH, ONCE, inside

if TYPE_CHECKING:
    from collections.abc import Collection

    from kebrin.cells import Sheet
    from kebrin.layout import FieldCell, Layout, Level

_TOLD = 6
# A head is no longer than this.
_LONGEST_HEAD = 40


def asked_of(
    sheet: Sheet, layout: Layout, stated: Stated | None = None, read: Collection[int] = frozenset()
) -> list[Finding]:
    """What only a person can tell of a block's headings, labels, rows and fields; nothing of what one has stated.

    `read` holds the columns whose texts a step reads: it says what they mean.
    """
    said = stated or Stated()
    found = [*_two_ways(sheet, layout), *_said_twice(sheet, layout)]
    if said.stub is None:
        found += [*_unlabelled(sheet, layout), *_goes_on(sheet, layout), *_half_figures(sheet, layout)]
    if said.boxhead is None:
        found += asked_of_headings(sheet, layout, named=said.measures is not None)
    return [
        *found,
        *([] if said.merged else _merged_values(sheet, layout)),
        *(_larger_parts(sheet, layout) if said.parts_of_above is None else ()),
        *_sides(sheet, layout, read),
        *_of_another_kind(sheet, layout, {label.casefold() for label in said.records}),
    ]


def _two_ways(sheet: Sheet, layout: Layout) -> list[Finding]:
    """What the layout itself can be read in two ways: as it was read, or with one line stated."""
    found = []
    for said in layout.questions:
        ((key, value),) = tomllib.loads(said.settle).items()
        what = f"the {said.what}, {said.where}, can be read in two ways: {said.why}"
        as_read = Settle("boxhead", layout.boxhead_names, says="as it was read")
        cell = sheet.address(layout.area.top, layout.area.left)
        found.append(
            Finding(
                FindingKind.QUESTION,
                what,
                sheet.source,
                sheet.name,
                (cell,),
                1,
                breaks=True,
                settle=(as_read, Settle(key, value)),
            )
        )
    return found


def _said_twice(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Fields that stand around a block twice and say other things: only one of them can be a column of it."""
    said: dict[str, FieldCell] = {}
    for one in layout.fields:
        before = said.setdefault(one.name, one)
        if before.value != one.value:
            what = f"the field {one.name!r} says {before.value!r} and {one.value!r}: state which speaks of the table"
            return [Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (before.address, one.address), 1)]
    return []


def _unlabelled(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Label columns whose first labels stand some rows down: which rows they speak of is a question."""
    if layout.listed:
        return []
    said = []
    for level in (*layout.head_levels, *layout.column_levels):  # of the others each label speaks of its own row
        known = np.flatnonzero(level.codes >= 0)
        if not len(known) or known[0] == 0 or level.line < 0:
            continue
        if says_note(level.name) or _begins_no_section(level, layout):
            continue
        row, first = int(layout.body_rows[known[0]]), int(layout.body_rows[0])
        what = (
            f"{level.name!r} has no label above row {row + 1}, and the body begins with row {first + 1}: labels in the middle of "
            f"their rows, or below them, are read as if they stood above"
        )
        settle = (Settle("stub", layout.stub_names, says="they are read rightly"),)
        cell = sheet.address(row, level.line)
        said.append(Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (cell,), 1, settle=settle))
    return said


def _begins_no_section(level: Level, layout: Layout) -> bool:
    """Whether the first row of every section has no label of a level, as an opening balance has no date: none is missing."""
    if not layout.head_levels:
        return False
    paths = list(zip(*(one.codes.tolist() for one in layout.head_levels), strict=True))
    starts = [at for at, path in enumerate(paths) if not at or path != paths[at - 1]]
    return len(starts) > 1 and bool((level.codes[starts] < 0).all())


def _half_figures(sheet: Sheet, layout: Layout) -> list[Finding]:
    """The label column next to the figures, behind another one, that holds both: words may stand in place of some figures."""
    if layout.listed or len(layout.stub_columns) < 2:
        return []
    column = layout.stub_columns[-1]
    rows = layout.body_rows[sheet.filled[layout.body_rows, column]]
    figures = rows[~np.isnan(sheet.numbers[rows, column])]
    words = [sheet.text(int(row), column) for row in rows if row not in figures]
    if not len(figures) or not words or any(map(str.isdigit, "".join(words))):
        return []
    cell = sheet.address(int(figures[0]), column)
    what = (
        f"column {column_letters(column)} holds {words[0]!r} and figures, and is read as labels: it may be the first of the "
        f"figures"
    )
    settle = (
        Settle("stub", layout.stub_names, says="it holds labels"),
        Settle("stub", layout.stub_names[:-1], says="it is the first of the figures"),
    )
    return [Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (cell,), len(figures), settle=settle)]


def _goes_on(sheet: Sheet, layout: Layout) -> list[Finding]:
    """A label alone below the last row of a block whose heads each stand over one row: labels may go on over two rows."""
    heads, row = layout.label_rows, layout.area.bottom + 1
    if len(heads) < 2 or len(heads) < len(layout.body_rows) - 1 or row >= sheet.shape[0] or not layout.stub_columns:
        return []
    text = sheet.text(row, layout.stub_columns[0])
    if sheet.filled[row].sum() != 1 or not 0 < len(text) <= _LONGEST_HEAD or not text[0].isalpha() or text[-1] in ".:":
        return []
    what = (
        f"row {row + 1} {text!r} stands alone below the last row, as heads do, and heads nothing: labels that go on over "
        f"two rows are read as heads"
    )
    settle = (Settle("stub", layout.stub_names, says="they are heads"),)
    cell = sheet.address(row, layout.stub_columns[0])
    return [Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (cell,), 1, settle=settle)]


def _larger_parts(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Rows that are said to be a part of the row above, and are larger: one of the two is not what it is called."""
    said = []
    parts = [sheet.text(one.row, layout.stub_columns[-1]) for one in layout.attached if one.level == PART]
    for one in layout.attached:
        own, whole = (np.abs(sheet.numbers[row, layout.body_columns]) for row in (one.row, one.to))
        more = layout.body_columns[(own > whole) & (own * whole > 0)].tolist() if one.level == PART else []
        if more:
            label = sheet.text(one.row, layout.stub_columns[-1])
            what = f"row {one.row + 1} {label!r} is read as a part of row {one.to + 1}, and is larger"
            cells = tuple(sheet.address(one.row, column) for column in more)
            settle = (
                Settle("parts_of_above", list(dict.fromkeys(parts)), says="so it is"),
                Settle("records", [label], says="it is a record of its own"),
            )  # fmt: skip
            said.append(
                Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells[:6], len(cells), settle=settle)
            )
    return said


def _merged_values(sheet: Sheet, layout: Layout) -> list[Finding]:
    """Figures that are merged over several cells of the body: they stand once in the table, where they may be meant for each."""
    found = inside(sheet, layout)
    if not found:
        return []
    shown = ", ".join(f"{area.address} {sheet.text(area.top, area.left)!r}" for area in found[:3])
    many = len(found) > 1
    what = (
        f"{len(found):,} value{'s are' if many else ' is'} merged over several cells of the body ({shown}) and "
        f"{'stand' if many else 'stands'} once, in the first"
    )
    cells = tuple(sheet.address(area.top, area.left) for area in found[:_TOLD])
    settle = (Settle("merged", EACH, says="for each of the cells"), Settle("merged", ONCE, says="once is right"))
    return [
        Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells, len(found), breaks=True, settle=settle)
    ]


def _sides(sheet: Sheet, layout: Layout, read: Collection[int]) -> list[Finding]:
    """Sides beside figures: which of them is negative depends on whose books they are; credits are, if nothing is stated."""
    if sheet.hints.minus:
        return []
    own = [column for column, _ in layout.mark_columns if column in sheet.readings.sides]
    cells = [(row, column) for column in own for row in sheet.readings.sides[column]]
    body = {*layout.body_columns.tolist(), *layout.stub_columns} - set(read)
    cells += [cell for cell in sheet.readings.within if cell[1] in body and layout.area.holds(*cell)]
    texts = sorted({sheet.text(*cell).strip(" .")[-2:].upper() for cell in cells})
    if not texts:
        return []
    shown = " and ".join(map(repr, texts))
    what = f"{len(cells):,} figures beside {shown} are taken as negative: whose books these are says which side is"
    settle = (Settle("minus", texts, says="so it is"), Settle("minus", ["DR"], says="debits are"))
    places = tuple(sheet.address(*cell) for cell in cells[:_TOLD])
    return [Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, places, len(cells), settle=settle)]


def _of_another_kind(sheet: Sheet, layout: Layout, kept: Collection[str]) -> list[Finding]:
    """Rows near the first or the last record that are called a limit, codes, units or a count: they may speak of the columns."""
    found = []
    for one in lines_about(sheet, layout):
        if one.label.casefold() in kept:
            continue
        what = f"row {one.row + 1} {one.label!r} may say something of the columns and be no record"
        settle = (
            Settle("about_columns", [one.label], says="it says something of the columns"),
            Settle("leave_out", [f"row {one.row + 1}"], says="it is no record and stays out"),
            Settle("records", [one.label], says="it is a record"),
        )
        cell = sheet.address(one.row, one.column)
        found.append(
            Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, (cell,), 1, breaks=True, settle=settle)
        )
    return found
