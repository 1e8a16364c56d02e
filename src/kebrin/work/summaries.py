"""Sheets that sum other sheets: found by arithmetic over sheets, tied out, and left out of the tables.

Four kinds are known: a sheet laid out as its siblings are, each value of which is the sum of theirs; the same where some
siblings hold more than it does; a sheet with a line for each of the others, by name, whose values are the sums over them; and
one with a line for each label of a column of another, with the sums of one of its measures.
"""

from __future__ import annotations

import itertools
import math
from collections import defaultdict
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.grammar.reading import read_text
from kebrin.grammar.words import total_word
from kebrin.proof import LeftLine, Use
from kebrin.table import Finding, FindingKind
from kebrin.table.arrays import floats_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kebrin.work.pieces import Piece, SheetWork

    Values = dict[tuple[str, ...], float]

_MOST_ROWS, _FEWEST_VALUES = 50_000, 3
# Of more sheets or forms than this it is not looked for whether one sums others that hold more than it does.
_MOST_SHEETS, _MOST_FORMS = 40, 4
# A sheet of sums by label has no more lines.
_MOST_LABELS = 500
# Sums that are farther apart than this share of all values' sizes are not the same, however they were added.
_NEAR = 1e-6


def without_summaries(works: Sequence[SheetWork]) -> list[SheetWork]:
    """The work on some sheets, with those that sum others left out and accounted for."""
    found = list(works)
    whole = _Whole.of(works)
    for at, work in enumerate(works):
        if len(work.pieces) != 1 or whole.filled < 2:
            continue
        piece = work.pieces[0]
        several = whole.filled > 2
        alike, named, unlike = (
            several and whole.may_sum_alike(piece),
            several and whole.may_sum_by_name(piece),
            several and whole.may_sum_unlike(),
        )
        labelled = len(piece.table.measures) == 1 and len(piece.table) <= _MOST_LABELS
        if not alike and not named and not unlike and not labelled:
            continue
        others = [one for one in works if one is not work and one.pieces]
        for own in _ways(piece):
            said = _sums_alike(piece, own, others) if alike else ""
            said = said or (_sums_by_name(own, others) if named else "")
            said = said or (_sums_unlike(piece, own, others) if unlike else "")
            said = said or (_sums_by_label(own, others) if labelled else "")
            if said:
                found[at] = _left_out(work, said)
                break
    return found


class _Alike(NamedTuple):
    """The blocks of one form: how many there are, how many hold no plain numbers, their sum, and the sum of its parts' sizes."""

    blocks: int = 0
    unread: int = 0
    total: float = 0.0
    size: float = 0.0


@dataclass(frozen=True)
class _Whole:
    """What all sheets have together, by which most can be told to sum no others without looking at every other."""

    filled: int
    alike: dict[tuple[str, ...], _Alike]
    sheets: frozenset[str]
    numbers: dict[int, tuple[float, float] | None]

    @classmethod
    def of(cls, works: Sequence[SheetWork]) -> _Whole:
        alike: dict[tuple[str, ...], _Alike] = {}
        known = {}
        for work in works:
            for piece in work.pieces:
                own = alike.get(piece.table.columns, _Alike())
                numbers = known[id(piece)] = _numbers(piece)
                alike[piece.table.columns] = (
                    own._replace(blocks=own.blocks + 1, unread=own.unread + 1)
                    if numbers is None
                    else _Alike(own.blocks + 1, own.unread, own.total + numbers[0], own.size + numbers[1])
                )
        sheets = frozenset(work.ledger.sheet.casefold() for work in works if work.pieces)
        return cls(sum(bool(work.pieces) for work in works), alike, sheets, known)

    def may_sum_alike(self, piece: Piece) -> bool:
        """Whether a block's sum is that of all others of its form, so that its values may be."""
        group = self.alike[piece.table.columns]
        numbers = self.numbers[id(piece)]
        if group.blocks < 3 or group.unread > (numbers is None):
            return False
        # What is read in two ways is looked at whole.
        return numbers is None or abs(2 * numbers[0] - group.total) <= _NEAR * max(group.size, 1.0)

    def may_sum_unlike(self) -> bool:
        """Whether few sheets hold blocks of several forms, one of which may sum the others but for what these hold besides."""
        return 1 < len(self.alike) <= _MOST_FORMS and self.filled <= _MOST_SHEETS

    def may_sum_by_name(self, piece: Piece) -> bool:
        """Whether a label of a block's first record is the name of a sheet: in a sheet of sums every record has one."""
        if not len(piece.table):
            return False
        labels = (piece.table.data.column(name)[0].as_py() for name in piece.table.dimensions)
        return any(str(label).casefold() in self.sheets for label in labels if label is not None)


def _numbers(piece: Piece) -> tuple[float, float] | None:
    """The sum of a block's values and of their sizes; None if some are no plain numbers."""
    table = piece.table
    if not _are_numbers(piece):
        return None
    values = np.concatenate([floats_of(table.data.column(name)) for name in table.measures])
    return float(np.nansum(values)), float(np.nansum(np.abs(values)))


def _are_numbers(piece: Piece) -> bool:
    """Whether all measures of a block are plain numbers."""
    table = piece.table
    return bool(table.measures) and all(str(table.data.column(name).type) == "double" for name in table.measures)


def _ways(piece: Piece) -> list[Values]:
    """The values of a block that may sum others; where texts read in two ways, both: the one that ties is the right one."""
    values = _values(piece)
    if values is not None or not piece.table.measures:
        return [values] if values is not None else []
    column = piece.table.data.column(piece.table.measures[0])
    if len(piece.table.measures) != 1 or len(piece.table) > _MOST_ROWS or str(column.type) != "string":
        return []
    read = [read_text(str(text)) for text in column.to_pylist() if text is not None]
    paths = _paths(piece)
    if len(read) != len(column) or len(set(paths)) != len(paths):
        return []
    ways = ([one.number for one in read], [one.comma for one in read])
    return [dict(zip(paths, numbers, strict=True)) for numbers in ways if not any(map(math.isnan, numbers))]


def _paths(piece: Piece, names: Sequence[str] = ()) -> list[tuple[str, ...]]:
    columns = [map(str, piece.table.data.column(name).to_pylist()) for name in names or piece.table.dimensions]
    return list(zip(*columns, strict=True))


def _values(piece: Piece, names: Sequence[str] = ()) -> Values | None:
    """The numbers of a block by their labels, and by their measure where there are several.

    None if it holds anything else, two records of the same labels, or no labels. With `names` only these columns are looked
    at, if the block has them all: what it says besides of each row is not what a sheet of sums says.
    """
    table = piece.table
    names = names if set(names) <= {*table.dimensions} else ()
    if not _are_numbers(piece) or len(table) > _MOST_ROWS or not table.dimensions:
        return None
    values: Values = {}
    paths, count = _paths(piece, names), 0
    for name in table.measures:
        column = table.data.column(name)
        own = (name,) if len(table.measures) > 1 else ()
        values |= {
            (*path, *own): number for path, number in zip(paths, column.to_pylist(), strict=True) if number is not None
        }
        count += len(column) - column.null_count
    return values if len(values) == count else None


def _ties(stated: float, computed: float, scale: float) -> bool:
    return abs(stated - computed) <= 1e-9 * max(abs(stated), scale, 1.0)


def _sums_unlike(piece: Piece, own: Values, others: Sequence[SheetWork]) -> str:
    """Whether each value of a block is the sum of those of its labels in other blocks, some of which hold more than it does."""
    if len(own) < _FEWEST_VALUES or not any(own.values()):
        return ""
    sums: defaultdict[tuple[str, ...], float] = defaultdict(float)
    names = []
    for other in (one for work in others for one in work.pieces if one.file == piece.file):
        values = _values(other, piece.table.dimensions)
        shared = [path for path in own if values and path in values]
        # A block that bears few of the labels speaks of something else.
        if values and 2 * len(shared) > len(own):
            names.append(other.sheet)
            for path in shared:
                sums[path] += values[path]
    scale = sum(map(abs, sums.values()))
    if len(names) < 2 or set(sums) != set(own) or not all(_ties(own[path], sums[path], scale) for path in own):
        return ""
    return f"its {len(own):,} values are the sums of those of {_some(names)}"


def _sums_alike(piece: Piece, own: Values, others: Sequence[SheetWork]) -> str:
    """Whether each value of a block is the sum of those of the blocks that are laid out like it."""
    alike = [one for work in others for one in work.pieces if one.table.columns == piece.table.columns]
    if len(alike) < 2 or len(own) < _FEWEST_VALUES:
        return ""
    sums: defaultdict[tuple[str, ...], float] = defaultdict(float)
    for other in alike:
        values = _values(other)
        if values is None:
            return ""
        for path, number in values.items():
            sums[path] += number
    if set(sums) != set(own) or not any(own.values()):
        return ""
    scale = sum(map(abs, sums.values()))
    if not all(_ties(number, sums[path], scale) for path, number in own.items()):
        return ""
    return f"its {len(own):,} values are the sums of those of {_some([one.sheet for one in alike])}"


def _sums_by_name(own: Values, others: Sequence[SheetWork]) -> str:
    """Whether a block has a line for each of the other sheets, and its values are the sums over these."""
    if len(own) < 2:
        return ""
    by_sheet = {one.sheet.casefold(): one for work in others for one in work.pieces}
    named = {path: [label for label in path if label.casefold() in by_sheet] for path in own}
    if any(len(labels) != 1 for labels in named.values()) or not any(own.values()):
        return ""
    measures = {name for labels in named.values() for name in by_sheet[labels[0].casefold()].table.measures}
    # Of several measures of the others it may sum one, whatever it calls that.
    for measure in ("", *(sorted(measures) if len(measures) > 1 and len(own) >= _FEWEST_VALUES else ())):
        if said := _sums_of_one(own, named, by_sheet, measure):
            return said
    return ""


def _sums_of_one(
    own: Values, named: Mapping[tuple[str, ...], Sequence[str]], by_sheet: Mapping[str, Piece], measure: str
) -> str:
    """The same of one measure of the other sheets, or of all their values if none is named."""
    known: dict[str, Values] = {}
    for path, number in own.items():
        sheet = named[path][0]
        if sheet not in known:
            values = _values(by_sheet[sheet.casefold()])
            if values is None:
                return ""
            known[sheet] = {path: one for path, one in values.items() if not measure or path[-1] == measure}
        rest = {label.casefold() for label in path if label != sheet and not total_word(label)}
        fitting = [value for labels, value in known[sheet].items() if rest <= {label.casefold() for label in labels}]
        computed = fitting or (list(known[sheet].values()) if len(set(own)) == len(known) else [])
        if not computed or not _ties(number, sum(computed), sum(map(abs, computed))):
            return ""
    of = f"the sums of {measure!r}" if measure else "sums"
    return f"its {len(own):,} values are {of} over {_some(list(known))}"


def _sums_by_label(own: Values, others: Sequence[SheetWork]) -> str:
    """Whether each value of a block is the sum of one measure over the records of another that bear its label."""
    if len(own) < _FEWEST_VALUES or not all(own.values()) or {len(path) for path in own} != {1}:
        return ""
    for other in (one for work in others for one in work.pieces):
        table = other.table
        if not 2 * len(own) <= len(table) <= _MOST_ROWS:
            continue
        # In a list what records are told by is a value as any other.
        kinds = {name: str(table.data.column(name).type) for name in table.columns}
        sides = [[name for name, kind in kinds.items() if (kind == "double") is numbers] for numbers in (False, True)]
        for name, measure in itertools.product(*sides):
            labels = [str(label) for label in table.data.column(name).to_pylist()]
            if set(labels) != {path[0] for path in own}:
                continue
            sums: defaultdict[str, float] = defaultdict(float)
            for label, number in zip(labels, table.data.column(measure).to_pylist(), strict=True):
                sums[label] += number or 0.0
            scale = sum(map(abs, sums.values()))
            if all(_ties(number, sums[path[0]], scale) for path, number in own.items()):
                return f"its {len(own):,} values are the sums of {measure!r} of {other.sheet} for each {name!r}"
    return ""


def _some(names: Sequence[str]) -> str:
    shown = ", ".join(dict.fromkeys(names[:4]))
    return f"{shown} and {len(names) - 4} more sheets" if len(names) > 4 else shown


def _left_out(work: SheetWork, said: str) -> SheetWork:
    """The sheet without its table: its values are left out as sums, and all its cells are accounted for."""
    ledger = work.ledger
    words = {Use.VALUE.word, Use.LABEL.word, Use.HEADING.word, Use.FIELD.word}
    moved = sum(count for use, count in ledger.counts.items() if use in words)
    counts = {use: count for use, count in ledger.counts.items() if use not in words}
    counts[Use.TOTAL.word] = counts.get(Use.TOTAL.word, 0) + moved
    line = LeftLine(f"sheet {ledger.sheet!r}", "", "total", "it sums other sheets", "")
    kept = tuple(one for one in ledger.objections if one.kind is not FindingKind.CALLED_TOTAL)
    remark = Finding(FindingKind.SHEET_OF_SUMS, f"{said}; it was left out, all tie", ledger.file, ledger.sheet)
    return replace(
        work, pieces=(), ledger=replace(ledger, counts=counts, lines=(*ledger.lines, line), objections=kept, via={}),
        remarks=(remark,),
    )  # fmt: skip
