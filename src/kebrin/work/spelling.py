"""Headings that are spelled or ordered otherwise from one file to the next: one table, and it is said."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING

from kebrin.table import Finding, FindingKind
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.work.pieces import Piece, SheetWork


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
