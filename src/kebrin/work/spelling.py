"""Headings that are spelled or ordered otherwise from one file to the next: one table, and it is said."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING

from kebrin.table import Finding, FindingKind
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from kebrin.work.sheet import Piece, SheetWork

# Two tables are nearly one if so many of the columns of the larger are those of the smaller.
_MOSTLY = 0.6


def alike_spelled(works: Sequence[SheetWork]) -> list[SheetWork]:
    """The work on some sheets, the columns of like tables spelled as the most of them spell them; each sheet says so itself."""
    forms: dict[frozenset[str], Counter[tuple[str, ...]]] = {}
    for work in works:
        for piece in work.pieces:
            forms.setdefault(frozenset(map(folded, piece.table.columns)), Counter())[piece.table.columns] += 1
    if all(len(counts) == 1 for counts in forms.values()):
        return list(works)
    found = []
    for work in works:
        said: list[Finding] = []
        for piece in work.pieces:
            usual = forms[frozenset(map(folded, piece.table.columns))].most_common(1)[0][0]
            work = spelled(work, usual, said)  # noqa: PLW2901 - one after the other
        found.append(replace(work, remarks=(*work.remarks, *said)))
    return found


def nearly_alike(groups: Iterable[Sequence[Piece]]) -> dict[int, Finding]:
    """What is asked of tables that have all columns of another and some more: by the number of the smaller table."""
    listed = list(groups)
    found: dict[int, Finding] = {}
    for at, own in enumerate(listed):
        columns = set(own[0].table.columns)
        for other in listed:
            more = set(other[0].table.columns) - columns
            near = (
                more and columns < set(other[0].table.columns) and len(columns) >= _MOSTLY * (len(columns) + len(more))
            )
            if near and {piece.file for piece in own} != {piece.file for piece in other}:
                what = (
                    f"it lacks {', '.join(sorted(more))}, which another table of these files has beside all of its columns: "
                    f"to have one table, draft a plan and state optional = {sorted(more)}"
                )
                found[at] = Finding(FindingKind.QUESTION, what, own[0].file, own[0].sheet, count=len(more))
    return found


def spelled(work: SheetWork, usual: Sequence[str], said: list[Finding]) -> SheetWork:
    """The work with column names that differ in case and blanks alone spelled as they usually are; it is said."""
    forms = {folded(name): name for name in usual}
    pieces: list[Piece] = []
    every: dict[str, str] = {}
    for piece in work.pieces:
        own = piece.table.columns
        swaps = {name: forms[folded(name)] for name in own if name not in usual and folded(name) in forms}
        names = [swaps.get(name, name) for name in own]
        if not swaps or len(set(names)) < len(names):
            pieces.append(piece)
            continue
        what = f"columns taken as most sheets spell them: {', '.join(f'{new!r} for {old!r}' for old, new in swaps.items())}"
        said.append(Finding(FindingKind.SPELLING, what, piece.file, piece.sheet, count=len(swaps)))
        table = piece.table.picked(dict(zip(names, own, strict=True)))
        pieces.append(
            replace(piece, table=table, body={swaps.get(name, name): one for name, one in piece.body.items()})
        )
        every |= swaps
    if not every:
        return work
    via = {every.get(name, name): one for name, one in work.ledger.via.items()}
    return replace(work, pieces=tuple(pieces), ledger=replace(work.ledger, via=via))
