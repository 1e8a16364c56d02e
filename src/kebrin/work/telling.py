"""What is said of the files of one table: those passed over, those that are the same as another, months delivered again."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.table import Finding, FindingKind, Settle

if TYPE_CHECKING:
    from collections.abc import Collection, Iterable, Sequence

    from kebrin.cells import Report
    from kebrin.proof import Source
    from kebrin.work.pieces import Piece, SheetWork

_SHOWN = 4
_UNITS_SHOWN = 3
# Blocks of fewer rows may well say the same.
_FEWEST_ROWS = 3


def passed_over(passed: Sequence[tuple[Path, str]]) -> list[Finding]:
    """Files that a folder or a pattern names and that were not read, by reason; our own outputs are not worth a word."""
    by_reason: dict[str, list[str]] = {}
    for path, why in passed:
        if why != "written by Kebrin":
            by_reason.setdefault(why, []).append(path.name)
    said = []
    for why, names in by_reason.items():
        shown = ", ".join(names[:_SHOWN]) + (f" and {len(names) - _SHOWN} more" if len(names) > _SHOWN else "")
        said.append(Finding(FindingKind.PASSED_OVER, f"passed over {shown}: {why}", count=len(names)))
    return said


def same_files(sources: Iterable[Source]) -> list[Finding]:
    """Files of the same bytes as another: a question, since their rows are there twice."""
    first: dict[str, str] = {}
    said = []
    for source in sources:
        name = Path(source.file).name
        if source.digest and source.used and source.digest in first:
            what = f"{name} is the same, byte for byte, as {first[source.digest]}: leave one of them out"
            said.append(Finding(FindingKind.QUESTION, what, source.file, count=1))
        first.setdefault(source.digest, name)
    return said


def same_sheets(pieces: Sequence[Piece]) -> list[Finding]:
    """Blocks that say the same as another, cell for cell, under another name: a question, since their rows are there twice."""
    first: dict[Any, list[Piece]] = {}
    pairs: list[tuple[Piece, Piece]] = []
    for piece in pieces:
        data = piece.table.data
        if len(data) < _FEWEST_ROWS:
            continue
        # Of two harbours the figures may be the same; a copy says the same above them too.
        said_of = tuple(sorted((name, value or "") for name, value in piece.fields.items()))
        form = (data.num_rows, tuple(data.column_names), piece.layout.title, said_of, tuple(sorted(piece.body.items())))
        other = next((one for one in first.get(form, ()) if one.table.data.equals(data)), None)
        if other is None:
            first.setdefault(form, []).append(piece)
        elif (piece.file, piece.sheet) != (other.file, other.sheet):
            pairs.append((piece, other))
    return [_said_of_twins(pairs)] if pairs else []


def _said_of_twins(pairs: Sequence[tuple[Piece, Piece]]) -> Finding:
    """One finding for all sheets that are there twice: the first of them, how many more, and what leaves them out."""
    piece = pairs[0][0]
    here, there = (f"the sheet {one.sheet!r} of {Path(one.file).name}" for one in pairs[0])
    more = f", and so do {len(pairs) - 1:,} more of others" if len(pairs) > 1 else ""
    what = f"{here} says the same as {there}, cell for cell, so that its rows are there twice{more}"
    names = list(dict.fromkeys(f"sheet {one.sheet}" for one, _ in pairs))
    # Within a file one of them is a copy. Of several files, a sheet may well say the same from month to month: it is asked.
    beside = all(one.file == other.file and one.sheet != other.sheet for one, other in pairs)
    settle = [Settle("leave_open", ["says the same as"], "proof", says="they are meant to")]
    if beside:
        settle.insert(0, Settle("leave_out", names, says="they are there twice"))
    rows = sum(len(one.table.data) for one, _ in pairs)
    return Finding(FindingKind.QUESTION, what, piece.file, piece.sheet, count=rows, breaks=beside, settle=tuple(settle))


def units_apart(pieces: Sequence[Piece], stated: Collection[str] = ()) -> list[Finding]:
    """Blocks of one table that give their figures in units of their own: a question, since no column would say which.

    `stated` are the labels whose values a plan makes columns of.
    """
    said = {piece.layout.unit.value: piece for piece in pieces if piece.layout.unit}
    known = {one.rstrip(" :").casefold() for one in stated}
    names = {piece.layout.unit.name for piece in pieces if piece.layout.unit}
    if len(said) < 2 or known & {name.casefold() for name in names}:
        return []
    shown = ", ".join(f"{unit!r} on the sheet {piece.sheet!r}" for unit, piece in list(said.items())[:_UNITS_SHOWN])
    first = next(iter(said.values()))
    label = min(names)
    what = f"its figures are given in different units, {shown}, and no column says which"
    settle = Settle(label, f"beside '{label}:'", "fields")
    return [
        Finding(FindingKind.QUESTION, what, first.file, first.sheet, count=len(said), breaks=True, settle=(settle,))
    ]


def with_said(report: Report, works: Sequence[SheetWork]) -> list[SheetWork]:
    """The work on a report's sheets, the first of which says what is said of the file itself."""
    if not (report.said or report.lacks or report.asks) or not works:
        return list(works)
    name = Path(report.path).name
    said = tuple(Finding(FindingKind.FILE, f"{name}: {one}", report.path, count=1) for one in report.said)
    said += tuple(
        Finding(FindingKind.LACKING, f"{name}: {one}", report.path, count=1, breaks=True) for one in report.lacks
    )
    said += tuple(Finding(FindingKind.QUESTION, f"{name}: {one}", report.path, count=1) for one in report.asks)
    return [replace(works[0], remarks=(*works[0].remarks, *said)), *works[1:]]
