"""Lines that speak of the columns and are no records: limits, codes, how far along a river, what a mark is out of.

Nobody reads "Limit" among dates as one more day. What tells such a line: its label is a word of that kind, and it is unlike
the records' labels, or leaves blank what each record says, or no record passes it, or it stands right above the headings. A
word alone does not do, and no look without a word: it is asked then. The line is taken out, the rest is read as if it were
not there, and its cells become labels of the columns: a level of the boxhead, named by its own label. Where each column is
a measure of its own they label no values; they are told and left out.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, neat
from kebrin.errors import LayoutError, Place
from kebrin.grammar.words import (
    average_word,
    carried_word,
    names_count,
    says_limit,
    says_most,
    says_whole,
    speaks_of_columns,
    total_word,
)
from kebrin.layout.labels import label
from kebrin.layout.model import About, Evidence, Layout, Level

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.model import Stated

# Such lines stand so near to the first or the last record.
_EDGE = 3
_SHARES = "its figures are per cent, and those of no record are"
# So many of the records bear what this line does not.
_NEARLY_ALL = 0.9
_FEWEST_RECORDS, _LARGER = 3, 3
# Of a long block so many records are looked at.
_MOST_RECORDS = 400


@dataclass(frozen=True)
class Maybe:
    """A row that may speak of the columns, the cell of its label, and why that is sure; '' if it must be asked."""

    row: int
    column: int
    label: str
    why: str = ""


def lines_about(sheet: Sheet, layout: Layout) -> list[Maybe]:
    """The rows of a block that may speak of its columns, those in doubt too.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout.find import found_layouts
    >>> rows = [["Hour", "Quay", "Mole"], ["Stop no.", 1042, 1047], ["06-07", 12, 3], ["07-08", 9, 1], ["08-09", 4, 7]]
    >>> sheet = Sheet.of(rows)
    >>> [(one.row, one.label, one.why) for one in lines_about(sheet, found_layouts(sheet)[0])]
    [(1, 'Stop no.', 'its label is of another kind than the others')]
    """
    rows = layout.body_rows[~np.isin(layout.body_rows, [one.row for one in layout.attached])]
    if len(rows) < _FEWEST_RECORDS or not (layout.stub_columns or layout.listed):
        return []
    edge = dict.fromkeys([*rows[:_EDGE].tolist(), *rows[-_EDGE:].tolist()])
    maybe = [one for row in edge if (one := _labelled(sheet, layout, row)) is not None]
    shares = _shares_before_others(sheet, layout, rows)
    spoken = [one for one in maybe if speaks_of_columns(one.label) or one.row == shares]
    if 2 * len(spoken) > len(rows):
        return []
    if len(rows) > _MOST_RECORDS:
        rows = np.concatenate([rows[:_EDGE], rows[_EDGE : -_EDGE : len(rows) // _MOST_RECORDS], rows[-_EDGE:]])
    records = rows[~np.isin(rows, [one.row for one in spoken]) & (sheet.filled[rows].sum(axis=1) > 1)]
    lines = [replace(one, why=_SHARES if one.row == shares else _why(sheet, layout, one, records)) for one in spoken]
    if len(rows) <= _EDGE:
        return [one for one in lines if one.why]  # of so few rows none is asked about
    sure = {one.row for one in lines if one.why}
    others = [one for one in maybe if one not in spoken and _is_odd(sheet, layout, one, records)]
    beside = "it stands with one that does, and is unlike the records"
    first = int(rows[min(_EDGE, len(rows)) - 1])
    return [
        *lines,
        *(replace(one, why=beside if one.row <= first and {one.row - 1, one.row + 1} & sure else "") for one in others),
    ]


def stated_about(sheet: Sheet, labels: Sequence[str]) -> list[Maybe]:
    """The rows that a person says to speak of the columns, by their labels.

    Raises:
        LayoutError: no row bears a label.
    """
    found = []
    for said in labels:
        at = [
            Maybe(row, column, said, "so it is stated")
            for row, column in np.argwhere(sheet.kinds == Kind.TEXT).tolist()
            if neat(sheet.text(row, column)).casefold() == neat(said).casefold()
            and not sheet.data[row, :column].any()
            and sheet.filled[row, column + 1 :].any()
        ]
        if not at:
            raise LayoutError(
                f"no row bears the label {said!r}, which the layout names in about_columns", Place(sheet.source, sheet.name),
                do="Correct about_columns in the plan, or leave the label out",
            )  # fmt: skip
        found += at
    return found


def with_about(sheet: Sheet, layouts: Sequence[Layout], lines: Sequence[Maybe], stated: Stated) -> list[Layout]:
    """The blocks, read without some lines, with these: as levels over what each labels, or told."""
    found = list(layouts)
    for line in lines if layouts else ():
        at = min(range(len(found)), key=lambda one: _distance(found[one], line.row))
        found[at] = _with_line(sheet, found[at], line, stated)
    return found


def _with_line(sheet: Sheet, layout: Layout, line: Maybe, stated: Stated) -> Layout:
    area = layout.area
    cells = tuple(
        (line.row, column)
        for column in np.flatnonzero(sheet.filled[line.row]).tolist()
        if min(area.left, line.column) <= column <= area.right
    )
    texts = {cell: role for cell, role in layout.texts.items() if cell not in cells}
    fields = tuple(one for one in layout.fields if not {one.label_at, one.value_at} & {*cells})
    layout = replace(layout, texts=texts, fields=fields)
    named = replace(layout, measures=layout.boxhead[0].name) if _parts_measures(sheet, layout, line, stated) else layout
    if named.measures or not named.boxhead or _counts_records(sheet, named, line):
        said = About(line.row, line.label, cells, stated=line.why == "so it is stated")
        why = f"it speaks of the columns: {line.why}"
        evidence = (*named.evidence, Evidence("line about the columns", f"row {line.row + 1} {line.label!r}", why))
        return replace(named, about=(*named.about, said), evidence=evidence)
    columns = named.body_columns.tolist()
    width = sheet.shape[1]
    texts_ = [label(sheet.at(line.row, at)) if sheet.filled[line.row, at] else None for at in columns]
    places = [line.row * width + at if sheet.filled[line.row, at] else -1 for at in columns]
    own = replace(Level.of(_free(line.label, named), texts_, line.row, places), head=line.row * width + line.column)
    taken = {(line.row, at) for at in (*columns, line.column)}
    rest = tuple(cell for cell in cells if cell not in taken)
    said = About(line.row, line.label, rest, stated=line.why == "so it is stated", level=own.name)
    evidence = (
        *named.evidence,
        Evidence("heading row", f"row {line.row + 1} {line.label!r}", f"it speaks of the columns: {line.why}"),
    )
    return replace(named, boxhead=(*named.boxhead, own), about=(*named.about, said), evidence=evidence)


def _parts_measures(sheet: Sheet, layout: Layout, line: Maybe, stated: Stated) -> bool:
    """Whether a line's limits differ from column to column: they hold unlike things, and each is a measure."""
    limit = says_limit(line.label) and not says_most(line.label) and not names_count(line.label)
    if layout.measures or len(layout.boxhead) != 1 or not limit or stated.boxhead is not None or stated.measure:
        return False
    numbers = sheet.numbers[line.row, layout.body_columns]
    return len(np.unique(numbers[~np.isnan(numbers)])) > 1


def _counts_records(sheet: Sheet, layout: Layout, line: Maybe) -> bool:
    """Whether a line says how many records have a figure in each column: it labels nothing, for the figures say so themselves."""
    stated = sheet.numbers[line.row, layout.body_columns]
    have = (~np.isnan(sheet.numbers[np.ix_(layout.body_rows, layout.body_columns)])).sum(axis=0)
    return bool((stated == have).all())


def _free(name: str, layout: Layout) -> str:
    taken = {*layout.names}
    return name if name not in taken else f"{name} of the column"


def _distance(layout: Layout, row: int) -> int:
    area = layout.area
    return max(area.top - row, row - area.bottom, 0)


def _shares_before_others(sheet: Sheet, layout: Layout, rows: NDArray[np.int32]) -> int:
    """The first row of a block, if all its figures are per cent and no other row's are: weights, shares; -1 if not."""
    first, *others = rows[: _EDGE + 1].tolist()
    formats = None if sheet.textual else sheet.formats(others[-1] + 1)

    def percent(row: int) -> list[bool]:
        there = [int(column) for column in layout.body_columns if not np.isnan(sheet.numbers[row, column])]
        if formats is None:
            return ["%" in sheet.text(row, column) for column in there]
        return [formats.family(row, column) == "percent" for column in there]

    own = percent(first)
    return first if len(own) > 1 and all(own) and not any(any(percent(row)) for row in others) else -1


def _labelled(sheet: Sheet, layout: Layout, row: int) -> Maybe | None:
    """A row of figures with one text before them; None for others."""
    area = layout.area
    own = np.flatnonzero(sheet.filled[row, area.left : area.right + 1]) + area.left
    figures = own[sheet.data[row, own]]
    before = own[own < figures[0]] if len(figures) else own[:0]
    return Maybe(row, int(before[0]), sheet.text(row, int(before[0]))) if len(before) == 1 else None


def _is_odd(sheet: Sheet, layout: Layout, line: Maybe, records: NDArray[np.int32]) -> bool:
    """Whether a line is unlike the records by its label and by what it leaves blank, and is called no sum or mean of them."""
    others = records[records != line.row]
    called = total_word(line.label) or average_word(line.label) or carried_word(line.label) or says_whole(line.label)
    if called or not _is_unlike(sheet, line, others):
        return False
    if any(len(one.parts) > len(records) / 2 and one.at < line.row for one in layout.total_lines("row")):
        return True  # behind the sum of all stands no record
    return _leaves_blank(sheet, layout, line, others) or bool((sheet.kinds[others, line.column] == Kind.DATE).all())


def _why(sheet: Sheet, layout: Layout, line: Maybe, records: NDArray[np.int32]) -> str:
    if len(records) < _FEWEST_RECORDS:
        # "Out of 30" over a score or two: no other row is called so.
        bounds = says_most(line.label) and len(records) > 1 and _bounds(sheet, layout, line, records)
        return "no record passes it" if bounds else ""
    signs = (
        (_is_unlike(sheet, line, records), "its label is of another kind than the others"),
        (_leaves_blank(sheet, layout, line, records), "it leaves blank what each record says"),
        (_is_of_another_size(sheet, layout, line, records), "its figures are of another size"),
        (says_most(line.label) and _bounds(sheet, layout, line, records), "no record passes it"),
        (_heads_headings(sheet, layout, line), "it stands above headings"),
    )
    return next((why for holds, why in signs if holds), "")


def _is_unlike(sheet: Sheet, line: Maybe, records: NDArray[np.int32]) -> bool:
    """Whether nearly all labels of records bear a digit, are dates or times, and this one is a word."""
    if any(map(str.isdigit, line.label)):
        return False
    labels = [sheet.text(int(row), line.column) for row in records]
    filled = [text for text in labels if text]
    return len(filled) >= _FEWEST_RECORDS and sum(any(map(str.isdigit, text)) for text in filled) >= _NEARLY_ALL * len(
        filled
    )


def _leaves_blank(sheet: Sheet, layout: Layout, line: Maybe, records: NDArray[np.int32]) -> bool:
    """Whether a column of words, dates or labels that records fill is blank in a line."""
    area = layout.area
    columns = np.arange(area.left, area.right + 1)
    blank = columns[~sheet.filled[line.row, columns] & (columns != line.column)]
    if not len(blank):
        return False
    filled = sheet.filled[np.ix_(records, blank)].mean(axis=0) >= _NEARLY_ALL
    words = np.isin(blank, layout.stub_columns)
    words |= ~sheet.data[np.ix_(records, blank)].any(axis=0)
    merged = [sheet.merge_at(line.row, int(at)) is not None for at in blank]
    return bool((filled & words & ~np.array(merged, np.bool_)).any())


def _bounds(sheet: Sheet, layout: Layout, line: Maybe, records: NDArray[np.int32]) -> bool:
    """Whether no record's figure passes that of a line, in two columns or more."""
    columns = layout.body_columns[~np.isnan(sheet.numbers[line.row, layout.body_columns])]
    most = sheet.numbers[line.row, columns]
    rest = np.nan_to_num(sheet.numbers[np.ix_(records, columns)], nan=-np.inf)
    return len(columns) > 1 and bool((rest <= most).all())


def _is_of_another_size(sheet: Sheet, layout: Layout, line: Maybe, records: NDArray[np.int32]) -> bool:
    """Whether each of several figures of a line is larger than three times any of the records, whatever their column."""
    columns = layout.body_columns[~np.isnan(sheet.numbers[line.row, layout.body_columns])]
    rest = sheet.numbers[np.ix_(records, columns)]
    if len(columns) < _FEWEST_RECORDS or np.isnan(rest).all():
        return False
    return bool((np.abs(sheet.numbers[line.row, columns]) > _LARGER * np.nanmax(np.abs(rest))).all())


def _heads_headings(sheet: Sheet, layout: Layout, line: Maybe) -> bool:
    """Whether the row below a line, the first of a block, is all words, over all its figures and over more."""
    below = layout.body_rows[layout.body_rows > line.row]
    if int(layout.body_rows[0]) != line.row or layout.boxhead_rows or len(below) < _FEWEST_RECORDS:
        return False
    under, figures = int(below[0]), np.flatnonzero(sheet.data[line.row])
    words = sheet.filled[under] & ~sheet.data[under]
    return (
        not sheet.data[under].any()
        and bool(words[figures].all())
        and bool(sheet.data[np.ix_(below[1:], figures)].any(axis=0).all())
    )
