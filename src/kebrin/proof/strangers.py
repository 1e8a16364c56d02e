"""What stands among the records or beside them and looks as if it were something else: another table's headings, a column.

The rules ask only what the sheet shows, and object where a mistake of the layout would look like this; a person may say that
it is none.
"""

from __future__ import annotations

from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import MISSING_MARKS, Sheet, column_letters
from kebrin.proof.ledger import Use
from kebrin.table import FindingKind, Settle, arrays

if TYPE_CHECKING:
    from collections.abc import Collection, Iterator

    from numpy.typing import NDArray

    from kebrin.proof.reasons import Account
    from kebrin.table import Segment

# Headings are several; a column holds figures if so many of its cells are some; a column beside is none if few rows have it.
_FEWEST_HEADINGS, _MOSTLY, _FEWEST_BESIDE, _SHARE_BESIDE = 3, 0.6, 3, 0.5
_MOST_COLUMNS, _FEWEST_RECORDS, _PAIR = 200, 3, 2


def object_to_strangers(
    account: Account, segment: Segment, kept: Collection[str] = (), *, heads_named: bool = False
) -> None:
    """Records that look like headings or stand behind the sum of all others, and columns beside them that look like theirs.

    Records whose labels a person states (`kept`) are what they are, and heads that a person names are heads.
    """
    sheet, own = account.sheet, {label.casefold() for label in kept}
    inside = (*headings_inside(sheet, segment), *pairs_inside(sheet, segment), *behind_totals(account, segment))
    found = [(FindingKind.HEADINGS, cell, f"is a record, {what}") for cell, what in inside]
    found += [(FindingKind.GOES_ON, cell, f"is a record, {what}") for cell, what in goes_on_inside(sheet, segment)]
    for kind, (row, column), what in found:
        text = sheet.text(row, column)
        if own.isdisjoint(sheet.text(row, int(one)).casefold() for one in np.flatnonzero(sheet.filled[row])):
            account.object(
                kind, f"row {row + 1} {text!r} {what}", [(row, column)],
                Settle("records", [text], says="it is one"), Settle("leave_out", [f"row {row + 1}"], says="it is none"),
            )  # fmt: skip
    for (row, column), what in heads_that_go_on(sheet, segment) if not heads_named else ():
        levels = [one.column for one in segment.sources if one.axis == 0 and not (one.rows == segment.rows).any()]
        told = f"row {row + 1} {sheet.text(row, column)!r} {what}: join the two in a copy of the file"
        settle = Settle("cutins", levels, says="it heads the rows below")
        account.object(FindingKind.GOES_ON, told, [(row, column)], settle)
    for cell, what in columns_beside(sheet, segment, account.uses):
        account.object(
            FindingKind.BESIDE, f"{what} and is in no table: give it a heading in a copy of the file", [cell],
            Settle("leave_out", [f"column {column_letters(cell[1])}"], says="it stays out"),
        )  # fmt: skip


def headings_inside(sheet: Sheet, segment: Segment) -> Iterator[tuple[tuple[int, int], str]]:
    """Records that look like the title or the headings of another table, each with its first cell and why.

    Such a row stands behind a gap or a row of one text, and has words alone: one in the first column, or several, none said
    again in its column, over figures where figures stand above too.
    """
    rows, columns = _lines(segment)
    if len(rows) < _FEWEST_RECORDS or not 1 < len(columns) <= _MOST_COLUMNS:
        return
    filled, data = sheet.filled[np.ix_(rows, columns)], sheet.data[np.ix_(rows, columns)]
    figures = data.sum(axis=0) >= _MOSTLY * np.maximum(filled.sum(axis=0), 1)
    bare = np.flatnonzero(~data.any(axis=1) & filled[:, 0])
    for at in bare[bare > 0].tolist():
        row = int(rows[at])
        if not _stands_apart(sheet, row, columns) or at + 1 >= len(rows):
            continue
        own = np.flatnonzero(filled[at])
        if (
            len(own) == 1
            and len(columns) >= _FEWEST_HEADINGS
            and filled[at + 1].sum() > 1
            and not _is_usual(filled, at)
        ):
            yield (row, int(columns[0])), "stands alone behind a gap and may be the title of another table"
        elif (
            len(own) >= _FEWEST_HEADINGS
            and figures[own].any()
            and not figures[0]
            and _is_new(sheet, rows, columns[own], at)
        ):
            yield (
                (row, int(columns[own[0]])),
                "holds words where figures stand above and below, and may head another table",
            )


def behind_totals(account: Account, segment: Segment) -> Iterator[tuple[tuple[int, int], str]]:
    """Records behind a total that lack what the records that it sums have: they are no part of what was counted.

    Where several totals close sections of their own, the first row behind one may begin the next: it lacks nothing then.
    """
    sheet, (rows, columns) = account.sheet, _lines(segment)
    if len(rows) < _FEWEST_RECORDS or not 1 < len(columns) <= _MOST_COLUMNS:
        return
    filled = sheet.filled[np.ix_(rows, columns)]
    labels = ~sheet.data[np.ix_(rows, columns)]
    for row, parts in account.sums:
        behind = np.flatnonzero(rows > row)
        if not len(behind) or len(parts) < 2 or parts.max() > row:
            continue
        own = np.isin(rows, parts)
        usual = (filled[own] & labels[own]).all(axis=0) if own.any() else np.zeros(len(columns), np.bool_)
        at = int(behind[0])
        if rows[at] == row + 1 and (usual & ~filled[at]).any() and filled[at].sum() > 1:
            lacking = int(columns[int((usual & ~filled[at]).argmax())])
            yield (
                (int(rows[at]), int(columns[int(filled[at].argmax())])),
                f"stands behind the total in row {row + 1} and lacks what the records above it have in {column_letters(lacking)}",
            )


def pairs_inside(sheet: Sheet, segment: Segment) -> Iterator[tuple[tuple[int, int], str]]:
    """Records behind the last gap that hold two words and nothing else, where all others hold more."""
    rows, columns = _lines(segment)
    gaps = np.flatnonzero(np.diff(rows) > 1)
    if not len(gaps) or not _FEWEST_HEADINGS <= len(columns) <= _MOST_COLUMNS:
        return
    last, cells = int(gaps[-1]) + 1, np.ix_(rows, columns)
    few = sheet.filled[cells].sum(axis=1) <= _PAIR
    if few[last:].all() and not few[:last].any() and not sheet.data[cells][last:].any():
        yield (int(rows[last]), int(columns[0])), "stands behind a gap and may be a label with what it says"


def goes_on_inside(sheet: Sheet, segment: Segment) -> Iterator[tuple[tuple[int, int], str]]:
    """Records of one text in a column of texts, neither of their own labels nor the first: it may go on from the row above."""
    rows, columns = _lines(segment)
    if len(rows) < _FEWEST_RECORDS or not _FEWEST_HEADINGS <= len(columns) <= _MOST_COLUMNS:
        return
    cells = np.ix_(rows, columns)
    filled, data = sheet.filled[cells], sheet.data[cells]
    labels = {one for source in segment.sources if source.axis == 0 for one in source.columns.tolist()}
    own = np.isin(columns, list(labels))
    alone = (filled.sum(axis=1) == 1) & ~filled[:, own].any(axis=1) & ~data.any(axis=1)
    if filled[:, 0].mean() < _MOSTLY:
        return
    for at in np.flatnonzero(alone)[:_PAIR].tolist():
        column = int(filled[at].argmax())
        above = filled[at - 1, column] and not data[at - 1, column] if at else False
        if above and rows[at] == rows[at - 1] + 1:
            yield (int(rows[at]), int(columns[column])), "holds one text alone, which may go on from the row above"


def heads_that_go_on(sheet: Sheet, segment: Segment) -> Iterator[tuple[tuple[int, int], str]]:
    """Heads over a row whose label begins with a small letter, as no row after it does: it may be the rest of that label."""
    levels = [one for one in segment.sources if one.axis == 0]
    body = set(segment.rows.tolist())
    for outer, inner in pairwise(levels):
        under: dict[tuple[int, int], list[int]] = {}
        for at, head in enumerate(zip(outer.rows.tolist(), outer.columns.tolist(), strict=True)):
            if head[0] >= 0 and head[0] not in body and inner.rows[at] == segment.rows[at]:
                under.setdefault(head, []).append(at)
        for head, lines in under.items():
            small = [sheet.text(int(inner.rows[at]), int(inner.columns[at]))[:1].islower() for at in lines[:_PAIR]]
            first = int(segment.rows[lines[0]]) == head[0] + 1 and sheet.text(*head)[:1].isupper()
            if first and small[0] and not any(small[1:]):
                yield head, f"heads row {head[0] + 2}, whose label may go on with it"


def _lines(segment: Segment) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """The rows of a block's records, and the columns of their values and labels."""
    listed = [columns[columns >= 0] for columns in segment.columns.values()]
    listed += [one.columns[one.columns >= 0] for one in segment.sources if one.axis == 0]
    return arrays.distinct(segment.rows).astype(np.intp), arrays.distinct(np.concatenate(listed)).astype(np.intp)


def _stands_apart(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    """Whether the row above is blank, or holds one text and nothing else."""
    if row == 0:
        return False
    above = columns[sheet.filled[row - 1, columns]]
    return not len(above) or (len(above) == 1 and not sheet.data[row - 1, above[0]])


def _is_usual(filled: NDArray[np.bool_], at: int) -> bool:
    """Whether another record holds as little."""
    return bool((np.delete(filled, at, axis=0).sum(axis=1) <= 1).any())


def _is_new(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], at: int) -> bool:
    """Whether no text of a row stands for nothing, or is said again in its column or on its row."""
    texts = [sheet.text(int(rows[at]), int(column)) for column in columns]
    if len(set(texts)) < len(texts) or any(text.casefold() in MISSING_MARKS for text in texts):
        return False
    others = np.delete(rows, at)
    return all(
        text not in {sheet.text(int(row), int(column)) for row in others}
        for text, column in zip(texts, columns.tolist(), strict=True)
    )


def columns_beside(sheet: Sheet, segment: Segment, uses: NDArray[np.uint8]) -> Iterator[tuple[tuple[int, int], str]]:
    """Columns that border on a block and stand on most of its records, though they were taken for notes."""
    rows, columns = _lines(segment)
    if not len(rows) or not len(columns):
        return
    # A gap may lie between: what stands beside most records speaks of them.
    there = np.flatnonzero(sheet.filled[rows].any(axis=0))
    for column in (*there[there < columns[0]][-1:].tolist(), *there[there > columns[-1]][:1].tolist()):
        notes = rows[np.isin(uses[rows, column], (Use.NOTE, Use.TITLE)) & sheet.filled[rows, column]]
        if len(notes) >= max(_FEWEST_BESIDE, _SHARE_BESIDE * len(rows)):
            why = (
                f"column {column_letters(column)} stands beside {len(notes):,} of {len(rows):,} rows without a heading"
            )
            yield (int(notes[0]), column), why
