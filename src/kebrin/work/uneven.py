"""What some of a table's blocks have and the others do not: a month that is missing, a column of one file, a code that changes.

A table of twelve files reads well whatever one of them lacks. What most of them say alike and few do not is told.
"""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.errors import ValuesError
from kebrin.grammar.periods import period_name
from kebrin.table import Finding, FindingKind
from kebrin.table.arrays import distinct_texts, kind_of
from kebrin.values.gaps import missing_between

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from kebrin.table import Table
    from kebrin.work.pieces import Piece

# Of so many blocks one that is unlike tells something; levels of more labels are names of single things.
_FEWEST, _MOST_LABELS = 3, 60
# So many of the labels that a block has mostly stand in all blocks, where one that does not is worth a word.
_MOSTLY, _SHOWN = 0.6, 6


def uneven(table: Table, pieces: Sequence[Piece], stamped: Iterable[str]) -> list[Finding]:
    """What is told of the blocks of one table: periods between the first and the last, headings and labels that few have.

    Args:
        table: the finished table.
        pieces: its blocks, in order.
        stamped: the columns that tell files, sheets and blocks apart.
    """
    said = [one for name in stamped if name in table.columns for one in _missing(table, name)]
    if len(pieces) < _FEWEST:
        return said
    headings = [{text for level in piece.layout.boxhead for text in level.texts} for piece in pieces]
    found = _unlike(pieces, headings, "heading")
    levels = {level.name for piece in pieces for level in piece.layout.stub}
    for name in sorted(levels):
        labels = [
            {text for level in piece.layout.stub if level.name == name for text in level.texts} for piece in pieces
        ]
        found += _unlike(pieces, labels, name)
    return said + found


def _missing(table: Table, name: str) -> list[Finding]:
    """The periods that a column of stamps lacks between its first and its last."""
    column = table.data.column(name)
    if kind_of(column) == "text" and not period_name(distinct_texts(column, _MOST_LABELS)):
        return []
    with suppress(ValuesError):
        gone = missing_between(column, name)
        if gone:
            what = f"{name}: {_some(gone)} {'are' if len(gone) > 1 else 'is'} missing between the first and the last"
            return [Finding(FindingKind.MISSING_PERIOD, what, count=len(gone), column=name)]
    return []


def _unlike(pieces: Sequence[Piece], labels: Sequence[set[str]], what: str) -> list[Finding]:
    """What most blocks say and few lack, or few say and most lack; nothing where hardly anything is said by all."""
    every = set().union(*labels)
    common = set.intersection(*labels)
    usual = sorted(map(len, labels))[len(labels) // 2]
    if not every or len(every) > _MOST_LABELS or len(common) < _MOSTLY * usual or period_name(sorted(every)):
        return []
    bearing = {text: [at for at, own in enumerate(labels) if text in own] for text in sorted(every - common)}
    found = [_renamed(pieces, what, *pair) for pair in _changes(bearing, len(pieces))]
    changed = {text for pair in _changes(bearing, len(pieces)) for text in pair}
    for text, at in bearing.items():
        few = min(len(at), len(pieces) - len(at))
        if text in changed or few * _FEWEST > len(pieces):
            continue
        lacking = [place for place in range(len(pieces)) if place not in at]
        own, others = (at, lacking) if len(at) == few else (lacking, at)
        where = _some([_named(pieces, place) for place in own])
        says = "stands in {} alone, and not in the other {}" if own is at else "is not in {}, and in the other {}"
        said = f"{what} {text!r} {says.format(where, len(others))}"
        first = pieces[own[0]]
        found.append(Finding(FindingKind.UNLIKE_OTHERS, said, first.file, first.sheet, count=few))
    return found


def _changes(bearing: Mapping[str, Sequence[int]], count: int) -> list[tuple[str, str]]:
    """Pairs of labels of which one goes on where the other ends, each once: one thing under two names."""
    ends = {at[-1]: text for text, at in bearing.items() if list(at) == list(range(len(at)))}
    begins = {at[0]: text for text, at in bearing.items() if list(at) == list(range(at[0], count)) and at[0]}
    lone = {at: sum(own[0] == at for own in bearing.values()) for at in begins}
    return [(ends[at - 1], text) for at, text in begins.items() if at - 1 in ends and lone[at] == 1]


def _renamed(pieces: Sequence[Piece], what: str, old: str, new: str) -> Finding:
    first = next(
        at for at, piece in enumerate(pieces)
        if any(new in level.texts for level in (*piece.layout.stub, *piece.layout.boxhead))
    )  # fmt: skip
    said = (
        f"{what} {old!r} ends before {_named(pieces, first)}, where {new!r} begins: it may be one thing under two names"
    )
    return Finding(FindingKind.UNLIKE_OTHERS, said, pieces[first].file, pieces[first].sheet, count=1)


def _named(pieces: Sequence[Piece], at: int) -> str:
    """A block by its file, its sheet, or both, whichever differ."""
    files, sheets = {one.file for one in pieces}, {one.sheet for one in pieces}
    file, sheet = Path(pieces[at].file).name, pieces[at].sheet
    if len(files) < 2:
        return sheet
    return file if len(sheets) < 2 or sheet == Path(file).stem else f"{sheet} of {file}"


def _some(texts: Sequence[str]) -> str:
    more = f" and {len(texts) - _SHOWN} more" if len(texts) > _SHOWN else ""
    return ", ".join(texts[:_SHOWN]) + more
