"""Reach: where each cell of a sheet arrived in the finished table, recomputed from the table's origins alone.

The check sees the sheet, the tables with the origins of their values and labels, and the list of what was left out. It
knows nothing of how the layout was worked out, so a mistake there shows here: a label that stands on no record, a record
that a layout called a note, a total without a cause. The rules:

1. A value is the cell that its origin names, read as its column reads it.
2. A label stands on its values' own line, or is merged over it, or stands before it with no other label of its level, and
   no filled cell but labels of inner levels, between.
3. A heading or a field arrives by the column that it names or fills.
4. What was left out was left out for a reason that holds.

Whatever is filled and arrives by none of these is unclaimed.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from functools import cache, partial
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, Look, Sheet, column_letters, trailing_mark
from kebrin.grammar.words import (
    MAY_TOTAL,
    are_statistics,
    average_word,
    carried_word,
    is_bare_claim,
    says_whole,
    speaks,
    total_word,
    without_total_word,
)
from kebrin.proof.labelling import check_labels, lines_in_use
from kebrin.proof.laid import object_to_laid
from kebrin.proof.ledger import LeftLine, SheetLedger, Use, rows_by_use
from kebrin.proof.left import Left, Why
from kebrin.proof.reasons import Account, account_for_left, widen
from kebrin.proof.strangers import object_to_strangers
from kebrin.proof.stray_figures import figures_as_labels, kept_sums, may_average, may_sum, nearly_sums_all
from kebrin.proof.sums import adds_up
from kebrin.table import EACH_A_COLUMN, FindingKind, Settle, arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Finding, Labels, Segment, Table

_UNCLAIMED = int(Use.UNCLAIMED)
_LISTED = 200
# What is longer is a remark, whatever words it has.
_LONGEST_LABEL = 60
_FEW = 6
_FEWEST_TIES = 2


@dataclass(frozen=True)
class FieldAt:
    """A field: the column that it fills, the cell of its label and that of its value."""

    column: str
    label_at: tuple[int, int]
    value_at: tuple[int, int]


@dataclass(frozen=True)
class Said:
    """What a person states of a sheet: labels of lines that are records; whether headings, labels and heads of rows are named."""

    kept: tuple[str, ...] = ()
    boxhead: bool = False
    stub: bool = False
    cutins: bool = False

    def names(self, axis: int) -> bool:
        """Whether a person names the labels before the rows (axis 0), or the headings over the columns (axis 1)."""
        return self.boxhead if axis else self.stub

    def keeps(self, *texts: str) -> bool:
        """Whether one of some labels is that of a record."""
        own = {label.casefold() for label in self.kept}
        return any(text.casefold() in own for text in texts)


@dataclass(frozen=True, eq=False)
class Verdict:
    """What became of each cell of a sheet (`uses`, codes of `Use`), and what the check objects to."""

    sheet: Sheet
    uses: NDArray[np.uint8]
    objections: tuple[Finding, ...]
    lines: tuple[LeftLine, ...]
    notes: tuple[Finding, ...]
    via: dict[str, tuple[int, tuple[str, ...], str]]

    @property
    def unclaimed(self) -> NDArray[np.intp]:
        """The cells that reach nothing (n x 2)."""
        return np.argwhere((self.uses == Use.UNCLAIMED) & self.sheet.filled)

    @property
    def holds(self) -> bool:
        """Whether every cell arrived and nothing is objected to."""
        return not len(self.unclaimed) and not self.objections

    def without_marks(self) -> Verdict:
        """The same where no column holds the footnote marks: they were left out."""
        uses = self.uses.copy()
        uses[uses == Use.MARK] = Use.MARK_LEFT
        return replace(self, uses=uses)

    def ledger(self) -> SheetLedger:
        """The account of the sheet, to travel without it."""
        sheet = self.sheet
        tally = np.bincount(self.uses[sheet.filled], minlength=len(Use))
        cells = self.unclaimed
        return SheetLedger(
            sheet.source, sheet.name,
            {use.word: int(tally[use]) for use in Use if tally[use]}
            | {f"left out: {what}": count for what, count in sheet.aside.items()},
            tuple(sheet.address(int(row), int(column)) for row, column in cells[:_LISTED]), len(cells),
            self.objections, self.lines, self.notes, self.via, frozenset(map(tuple, cells.tolist())),
            rows_by_use(self.uses, sheet.filled),
        )  # fmt: skip


def reach(
    sheet: Sheet, tables: Sequence[Table], left: Sequence[Left] = (), fields: Sequence[FieldAt] = (),
    said: Said | None = None,
) -> Verdict:  # fmt: skip
    """Where every cell of a sheet arrived.

    Args:
        sheet: the sheet.
        tables: the tables that were made of its blocks, before any step.
        left: what was left out, with the reasons to be verified.
        fields: the fields that fill columns.
        said: what a person states, which is not objected to.

    >>> from kebrin.table import Origin
    >>> sheet = Sheet.of([["Sailing", "Foot"], ["08:00", 12.0]])
    >>> verdict = reach(sheet, [])
    >>> [sheet.address(*cell) for cell in verdict.unclaimed.tolist()]
    ['A1', 'B1', 'A2', 'B2']
    """
    said = said or Said()
    names = tuple(name for table in tables for name in table.columns)
    account = Account(sheet, np.zeros(sheet.shape, np.uint8), np.zeros(sheet.shape, np.bool_), names=names)
    object_to_laid(account)
    segments = [(segment, table) for table in tables for segment in table.origins.segments]
    aside = _lines_left(sheet, left)
    for segment, _ in segments:
        _hull(account, segment)
    account.sums += [(one.at, one.parts) for one in left if one.why == Why.TOTAL and one.axis == "row"]
    for one in left:
        if one.why in {Why.TOTAL, Why.MEAN, Why.CARRIED} and one.axis != "cells":
            widen(account, one)
    for segment, table in segments:
        _values(account, segment, table)
    labels = np.zeros(sheet.shape, np.bool_)
    for segment, table in segments:
        _labels(account, segment, table, aside, labels)
        _empty_groups(account, segment)
        _called_totals(account, segment, table, said)
        _totals_among_values(account, segment, table, said)
        _misplaced_figures(account, segment, table, said)
    if len(segments) > 1:
        _sums_across(account, [segment for segment, _ in segments], said)
    account_for_left(account, left, labels)
    for segment, _ in segments:
        object_to_strangers(account, segment, said.kept, heads_named=said.cutins)
    _fields(account, fields)
    account.uses[~sheet.filled] = Use.UNCLAIMED
    via = {name: _arrived(account, listed) for name, listed in account.via.items() if any(map(len, listed))}
    lines = tuple(_told(one) for one in left if one.axis != "cells" and one.why not in {Why.HIDDEN, Why.MARK})
    return Verdict(sheet, account.uses, tuple(account.objections), lines, account.told(), via)


def _labels(
    account: Account, segment: Segment, table: Table, aside: tuple[NDArray[np.bool_], NDArray[np.bool_]],
    labels: NDArray[np.bool_],
) -> None:  # fmt: skip
    for found in check_labels(account.sheet, segment, table, aside):
        if found.broken:
            account.object(FindingKind.LABEL, found.what, found.broken, breaks=not found.crosses)
        _claim(account, found.cells, Use.LABEL if found.labels.axis == 0 else Use.HEADING, labels)
        account.came_by(found.labels.column, found.cells)
        _head(account, found.labels.column, found.labels.head)
    for measure, cells in segment.heads.items():
        own = np.array(cells, np.intp).reshape(-1, 2)
        _claim(account, own, Use.HEADING, labels)
        account.came_by(measure, own)


def _fields(account: Account, fields: Sequence[FieldAt]) -> None:
    for one in fields:
        for cell in (one.label_at, one.value_at):
            if account.uses[cell] == Use.UNCLAIMED:
                account.uses[cell] = Use.FIELD
                account.came_by(one.column, np.array([cell]))


def _arrived(account: Account, listed: Sequence[NDArray[np.intp]]) -> tuple[int, tuple[str, ...], str]:
    """How many cells arrived by one column, the first of them, and as what."""
    sheet = account.sheet
    flat = arrays.distinct(
        np.concatenate([cells[:, 0] * sheet.shape[1] + cells[:, 1] for cells in listed if len(cells)])
    )
    first = [divmod(int(at), sheet.shape[1]) for at in flat[:_FEW]]
    return len(flat), tuple(sheet.address(*cell) for cell in first), Use(int(account.uses[first[0]])).word


def _told(left: Left) -> LeftLine:
    count = len(left.parts)
    runs = f"{count:,} {left.axis}s" if count > 1 else f"{left.axis} {left.parts[0] + 1}" if count else ""
    return LeftLine(left.line, left.label, left.why.value, left.cause, runs)


def _lines_left(sheet: Sheet, left: Sequence[Left]) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Rows and columns that were left out as whole lines: they may stand between a label and its values."""
    rows, columns = np.zeros(sheet.shape[0], np.bool_), np.zeros(sheet.shape[1], np.bool_)
    for one in left:
        if one.axis == "row":
            rows[one.at] = True
        elif one.axis == "column":
            columns[one.at] = True
        elif one.why in {Why.NOTE, Why.STATED, Why.UNIT}:
            rows[[row for row, _ in one.cells]] = True
    return rows, columns


def _hull(account: Account, segment: Segment) -> None:
    """The rectangle that a block's values, labels and headings stand in."""
    rows, columns = [segment.rows], [listed[listed >= 0] for listed in segment.columns.values()]
    for one in segment.sources:
        rows.append(one.rows[one.rows >= 0])
        columns.append(one.columns[one.columns >= 0])
    heads = [cell for cells in segment.heads.values() for cell in cells]
    rows.append(np.array([row for row, _ in heads], np.int32))
    all_rows, all_columns = np.concatenate(rows), np.concatenate(columns)
    if len(all_rows) and len(all_columns):
        account.hulls.append((int(all_rows.min()), int(all_columns.min()), int(all_rows.max()), int(all_columns.max())))


def _values(account: Account, segment: Segment, table: Table) -> None:
    sheet = account.sheet
    for measure in segment.columns:
        rows, columns = segment.cells(measure)
        there = columns >= 0
        at, of = rows[there], columns[there]
        again = account.body[at, of]
        if again.any():
            account.object(
                FindingKind.VALUE, "cells are values of two records", list(zip(at[again], of[again], strict=True))
            )
        account.body[at, of] = True
        account.uses[at, of] = Use.VALUE
        if measure in table.columns and len(table) == len(segment):
            wrong = _unlike(sheet, table.data.column(measure), rows, columns)
            if len(wrong):
                cells = [(int(rows[at]), int(columns[at])) for at in wrong[:_FEW]]
                account.object(
                    FindingKind.VALUE, f"{measure}: {len(wrong):,} values are not what their cells hold", cells
                )


def _unlike(
    sheet: Sheet, column: pa.ChunkedArray, rows: NDArray[np.int32], columns: NDArray[np.int32]
) -> NDArray[np.intp]:
    """Records whose value is not what the cell says."""
    there = columns >= 0
    nothing = ~there | np.isin(sheet.kinds[rows, columns], (Kind.BLANK, Kind.ERROR))
    nothing |= sheet.looks[rows, columns] == Look.MISSING
    null = arrays.nulls_of(column)
    wrong = null & ~nothing
    if pa.types.is_floating(column.type):
        wrong |= ~null & ~(arrays.floats_of(column) == sheet.numbers[rows, columns])
    elif pa.types.is_string(column.type):
        said = column.to_pylist()
        explained = cache(partial(_explains, sheet))
        for at in np.flatnonzero(~null & (sheet.kinds[rows, columns] == Kind.TEXT)).tolist():
            own = sheet.values[rows[at], columns[at]]
            if said[at] == own or (sheet.spots and said[at] == own.strip()):  # blanks say where a text stands
                continue
            bare, mark = trailing_mark(own)
            while mark and explained(mark) and said[at] != bare.rstrip():
                bare, mark = trailing_mark(bare.rstrip())
            wrong[at] = not (mark and explained(mark))
    return np.flatnonzero(wrong)


def _explains(sheet: Sheet, mark: str) -> bool:
    """Whether some text of a sheet says what a footnote mark stands for: it begins with it, or goes on with it."""
    begins = re.compile(rf"(?:^|\s){re.escape(mark)}\s*\w")
    return any(begins.search(text) for text in sheet.values[sheet.kinds == Kind.TEXT].tolist())


def _claim(account: Account, cells: NDArray[np.intp], use: Use, labels: NDArray[np.bool_]) -> None:
    rows, columns = cells[:, 0], cells[:, 1]
    twice = account.body[rows, columns]
    if twice.any():
        account.object(FindingKind.LABEL, "cells are values and labels at once", cells[twice].tolist())
    labels[rows, columns] = True
    free = account.uses[rows, columns] == _UNCLAIMED
    account.uses[rows[free], columns[free]] = use


def _head(account: Account, column: str, head: tuple[int, int]) -> None:
    if head[0] >= 0 and account.uses[head] == Use.UNCLAIMED:
        account.uses[head] = Use.HEADING
        account.came_by(column, np.array([head]))


def _empty_groups(account: Account, segment: Segment) -> None:
    """Headings over columns in which no record of the block holds anything: they head nothing, which is told."""
    sheet = account.sheet
    _, groups = lines_in_use(segment)
    for one in segment.sources:
        if one.axis != 1:
            continue
        for group in np.flatnonzero(~groups & (one.rows >= 0)).tolist():
            own = [segment.columns[one.measure]] if one.measure else segment.columns.values()
            columns = [int(listed[group]) for listed in own if listed[group] >= 0]
            cell = (int(one.rows[group]), int(one.columns[group]))
            blank = not sheet.filled[np.ix_(segment.rows, np.array(columns, np.intp))].any()
            if blank and account.uses[cell] == Use.UNCLAIMED:
                account.uses[cell] = Use.HEADING
                account.headless.append(cell)


def _called_totals(account: Account, segment: Segment, table: Table, said: Said) -> None:
    """Records that bear a label that says "total" and are in the table: they are sums of others, or a person says not."""
    if not _holds_figures(table, segment):
        return  # nothing here could be a sum: ALL is a code
    lines, groups = lines_in_use(segment)
    for one in segment.sources:
        if one.column not in table.columns:
            continue
        texts = arrays.distinct_texts(table.data.column(one.column))
        short = [text for text in texts if len(text) <= _LONGEST_LABEL and speaks(text)]
        called = [text for text in short if total_word(text) or average_word(text)]
        called += [text for text in texts if one.axis == 0 and carried_word(text)]
        wholes = [text for text in short if one.axis == 0 and text not in called and says_whole(text)]
        called += [text for text in wholes if _nearly_sums(account.sheet, segment, one, text)]
        # Where most labels of a level say so, it is what they count.
        if not called or are_statistics(texts) or 2 * len(called) > len(texts):
            continue
        for text in called:
            used = lines if one.axis == 0 else groups
            cell = None if said.keeps(text) else _cell_that_says(account.sheet, one, used, text)
            if cell is not None and (
                is_bare_claim(text)
                or carried_word(text)
                or text in wholes
                or _may_sum(account.sheet, segment, one, text)
            ):
                account.object(
                    FindingKind.CALLED_TOTAL, f"{text!r} is called a total or a mean and is kept as data", [cell],
                    Settle("totals", [text]), Settle("not_totals", [text]),
                )  # fmt: skip


def _holds_figures(table: Table, segment: Segment) -> bool:
    """Whether some measure holds figures that may add up; texts that a step reads later may."""
    own = set(table.columns)
    kinds = {name: table.data.column(name).type for name in segment.columns if name in own}
    if len(kinds) < 2:
        return True
    return any(pa.types.is_floating(kind) and adds_up(name) for name, kind in kinds.items())


def _nearly_sums(sheet: Sheet, segment: Segment, labels: Labels, text: str) -> bool:
    """Whether a line that speaks of a whole is nearly the sum of all others: its total is wrong somewhere."""
    at = [
        place for place in np.flatnonzero(labels.rows >= 0).tolist()
        if text in sheet.text(int(labels.rows[place]), int(labels.columns[place]))
    ]  # fmt: skip
    return len(at) == 1 and nearly_sums_all(sheet, segment, labels.axis, at)


def _may_sum(sheet: Sheet, segment: Segment, labels: Labels, text: str) -> bool:
    """Whether the figures of the lines that bear a label could be what it says; a word alone makes no total."""
    at = [
        place for place in np.flatnonzero(labels.rows >= 0).tolist()
        if text in sheet.text(int(labels.rows[place]), int(labels.columns[place]))
    ]  # fmt: skip
    if labels.axis == 1 and labels.measure:
        return True
    if average_word(text) and not total_word(text):
        return may_average(sheet, segment, labels.axis, at)
    return may_sum(sheet, segment, labels.axis, at)


def _totals_among_values(account: Account, segment: Segment, table: Table, said: Said) -> None:
    """Records whose values say "Total" and nothing else: a list's sums, or a person says not."""
    for name in segment.columns:
        if (
            name not in table.columns
            or not pa.types.is_string(table.data.column(name).type)
            or len(table) != len(segment)
        ):
            continue
        import pyarrow.compute as pc  # it takes longer to load than most sheets to tidy

        column = table.data.column(name)
        distinct = pc.unique(column)
        maybe = distinct.filter(pc.match_substring_regex(distinct, MAY_TOTAL)).to_pylist()
        for text in maybe:
            at = int(pc.index(column, text).as_py())
            bare = total_word(text) and not without_total_word(text)
            whole = " " not in text and says_whole(text) and _sums_all(table, segment, at)
            if not (bare or whole) or said.keeps(text):
                continue
            rows, columns = segment.cells(name)
            account.object(
                FindingKind.CALLED_TOTAL, f"{text!r} is called a total and is kept as data", [(int(rows[at]), int(columns[at]))],
                Settle("totals", [text]), Settle("not_totals", [text]),
            )  # fmt: skip


def _sums_all(table: Table, segment: Segment, at: int) -> bool:
    """Whether a record's figures are the sums of those of all others, in every column of figures."""
    figures = [name for name in segment.columns if pa.types.is_floating(table.data.column(name).type)]
    own = [table.data.column(name) for name in figures if adds_up(name)]
    numbers = [np.nan_to_num(arrays.floats_of(column)) for column in own]
    return len(numbers) > 0 and all(
        one[at] != 0 and abs(float(one.sum()) - 2 * float(one[at])) <= 1e-9 * float(np.abs(one).sum())
        for one in numbers
    )


def _cell_that_says(sheet: Sheet, labels: Labels, used: NDArray[np.bool_], text: str) -> tuple[int, int] | None:
    """The first cell of a level that a label in use comes from and that says a text."""
    for at in np.flatnonzero(used & (labels.rows >= 0)).tolist():
        cell = (int(labels.rows[at]), int(labels.columns[at]))
        if sheet.kinds[cell] == Kind.TEXT and text in sheet.text(*cell):
            return cell
    return None


def _misplaced_figures(account: Account, segment: Segment, table: Table, said: Said) -> None:
    """Figures that stand for labels, and records that sum others."""
    sheet = account.sheet
    for level, cells in figures_as_labels(sheet, segment, table):
        if level.column in table.columns and not said.names(level.axis):
            account.object(
                FindingKind.FIGURES,
                f"{level.column}: its labels are figures, and without them every line has a name of its own: they may be values",
                cells, Settle("boxhead" if level.axis else "stub", _own_levels(segment, level.axis), says="they are labels"),
            )  # fmt: skip
    for axis, line, _, count in kept_sums(sheet, segment):
        labels = _labels_of(sheet, segment, axis, line)
        if said.keeps(*labels):
            continue
        name = f"row {line + 1}" if axis == 0 else f"column {column_letters(line)}"
        first_cell = int(next(iter(segment.columns.values()))[0]) if axis == 0 else int(segment.rows[0])
        cell = (line, first_cell) if axis == 0 else (first_cell, line)
        # A figure names no line in a plan: the row itself does.
        label = labels[-1] if labels and any(map(str.isalpha, labels[-1])) else ""
        settle = (
            [Settle("totals", [label]), Settle("not_totals", [label])]
            if label
            else [Settle("leave_out", [name], says="it is one")]
        )
        heads = [one.column for one in segment.sources if one.axis == 1]
        if axis == 1 and label and len(heads) == 1 and len(segment.columns) == 1:
            settle.append(Settle("measures", heads[0], says=EACH_A_COLUMN))
        what = f"{name}{f' {label!r}' if label else ''} is the sum of {count} lines beside it and is kept as data"
        account.object(FindingKind.SUM, what, [cell], *settle)


def _sums_across(account: Account, segments: Sequence[Segment], said: Said) -> None:
    """The last record of a block, where it sums all records above it, those of the blocks before among them."""
    sheet = account.sheet
    first = min(int(one.rows[0]) for one in segments if len(one.rows))
    for segment in segments:
        row = int(segment.rows[-1]) if len(segment.rows) else first
        if row == first or not account.body[first : int(segment.rows[0])].any():
            continue
        own = np.flatnonzero(account.body[row] & ~np.isnan(sheet.numbers[row]) & (sheet.numbers[row] != 0))
        above = np.where(account.body[first:row, own], np.nan_to_num(sheet.numbers[first:row, own]), 0.0)
        labels = _labels_of(sheet, segment, 0, row)
        called = any(total_word(label) or says_whole(label) for label in labels)
        gaps = np.abs(above.sum(axis=0) - sheet.numbers[row, own])
        ties = gaps <= 1e-9 * np.maximum(np.abs(above).sum(axis=0), 1.0)
        if not ties.all() or len(own) < (1 if called else _FEWEST_TIES) or said.keeps(*labels):
            continue
        label = labels[-1] if labels else f"row {row + 1}"
        what = f"row {row + 1} {label!r} is the sum of all records above it, of several blocks, and is kept as data"
        account.object(
            FindingKind.SUM, what, [(row, int(own[0]))], Settle("totals", [label]), Settle("not_totals", [label])
        )


def _own_levels(segment: Segment, axis: int) -> list[str]:
    """The names of the levels whose labels stand in lines of their own, as a plan names them."""
    names = dict.fromkeys(
        one.column for one in segment.sources
        if one.axis == axis and (axis == 1 or 2 * int((one.rows == segment.rows).sum()) > len(segment.rows))
    )  # fmt: skip
    return list(names)


def _labels_of(sheet: Sheet, segment: Segment, axis: int, line: int) -> list[str]:
    """The labels of one body row or column, outermost first."""
    lines = segment.rows if axis == 0 else next(iter(segment.columns.values()))
    at = int(np.flatnonzero(lines == line)[0])
    return [
        sheet.text(int(one.rows[at]), int(one.columns[at]))
        for one in segment.sources
        if one.axis == axis and one.rows[at] >= 0
    ]
