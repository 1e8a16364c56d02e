"""Fit the sheets of one table together: columns that some may lack are missing there, a sheet of other columns does not fit."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.errors import LayoutError, Place
from kebrin.table import Finding, FindingKind, arrays
from kebrin.work.gathering import Aside
from kebrin.work.spelling import spelled

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.plan.model import TablePlan
    from kebrin.plan.parts import Part
    from kebrin.proof import SheetLedger
    from kebrin.table import Table
    from kebrin.work.sheet import Piece, SheetWork


@dataclass(frozen=True, eq=False)
class Fitted:
    """Parts whose pieces all have the same columns; what was absorbed is told, sheets that did not fit are set aside."""

    parts: tuple[Part, ...]
    remarks: tuple[Finding, ...] = ()


def fitted(parts: Sequence[Part], plan: TablePlan) -> Fitted:
    """The parts of one table with the same columns throughout.

    Raises:
        LayoutError: a sheet has other columns than most, and the plan does not set such sheets aside.
    """
    pieces = [piece for part in parts for piece in part.pieces]
    counts = Counter(piece.table.columns for piece in pieces)
    if len({frozenset(columns) for columns in counts}) < 2:
        return Fitted(tuple(parts))
    usual = counts.most_common(1)[0][0]
    more = [name for columns in counts for name in columns if name in plan.optional]
    measures = [name for piece in pieces for name in piece.table.measures]
    wanted = _Wanted(usual, tuple(dict.fromkeys([*usual, *more])), tuple(dict.fromkeys(measures)), plan)
    found = [_fit(part, wanted) for part in parts]
    return Fitted(tuple(part for part, _ in found), tuple(remark for _, told in found for remark in told))


@dataclass(frozen=True)
class _Wanted:
    """The columns that most sheets have, all that the table will have, which are measures, and what the plan says."""

    usual: tuple[str, ...]
    every: tuple[str, ...]
    measures: tuple[str, ...]
    plan: TablePlan


def _fit(part: Part, wanted: _Wanted) -> tuple[Part, list[Finding]]:
    said: list[Finding] = []
    works: list[SheetWork] = []
    stamps: list[dict[str, str | None]] = []
    gone: dict[str, SheetLedger] = {}
    asides = list(part.asides)
    at = 0
    for work in part.works:
        own = part.stamps[at : at + len(work.pieces)]
        at += len(work.pieces)
        named = spelled(work, wanted.usual, said)
        wrong = next((why for piece in named.pieces if (why := _difference(piece, wanted))), "")
        if wrong:
            asides.append(_misfit(work.ledger.file, work.ledger.sheet, wrong, wanted.plan))
            gone[work.ledger.sheet] = work.ledger
            continue
        said += [_told(piece, wanted) for piece in named.pieces if set(wanted.every) - set(piece.table.columns)]
        pieces = tuple(replace(piece, table=_with_all(piece.table, wanted)) for piece in named.pieces)
        works.append(replace(named, pieces=pieces))
        stamps += own
    source = replace(
        part.source, used=tuple(name for name in part.source.used if name not in gone),
        left_out=part.source.left_out | dict.fromkeys(gone, "set aside: its columns are others"),
        left_cells=part.source.left_cells | {name: ledger.cells for name, ledger in gone.items()},
    )  # fmt: skip
    return replace(part, works=tuple(works), stamps=tuple(stamps), source=source, asides=tuple(asides)), said


def _difference(piece: Piece, wanted: _Wanted) -> str:
    own, optional = piece.table.columns, wanted.plan.optional
    gone = [name for name in wanted.usual if name not in own and name not in optional]
    more = [name for name in own if name not in wanted.usual and name not in optional]
    said = [f"it has no {', '.join(gone)}"] if gone else []
    said += [f"it has {', '.join(more)} besides"] if more else []
    return " and ".join(said)


def _misfit(file: str, sheet: str, why: str, plan: TablePlan) -> Aside:
    error = LayoutError(
        "this sheet does not fit the others of its table", Place(file, sheet), why=why,
        do='State columns that only some sheets have as optional, or set such sheets aside: misfits = "set aside"',
    )  # fmt: skip
    if plan.misfits == "stop":
        raise error
    return Aside.of(file, error)


def _told(piece: Piece, wanted: _Wanted) -> Finding:
    gone = [name for name in wanted.every if name not in piece.table.columns]
    what = f"it has no {', '.join(gone)}: missing on its {len(piece.table):,} rows"
    return Finding(FindingKind.MISSING_COLUMN, what, piece.file, piece.sheet, count=len(piece.table))


def _with_all(table: Table, wanted: _Wanted) -> Table:
    """The table with all columns in one order, missing where it has none; a measure that is missing has no cells."""
    every, measures = wanted.every, wanted.measures
    gone = [name for name in every if name not in table.columns]
    if not gone:
        return table.narrowed(every) if table.columns != every else table
    blank = arrays.numbers(np.full(len(table), np.nan))
    labels = arrays.labels(np.full(len(table), -1, np.int32), [])
    columns = [
        table.data.column(name) if name in table.columns else blank if name in measures else labels for name in every
    ]
    lost = [name for name in gone if name in measures]
    segments = tuple(
        replace(one, columns=one.columns | {name: np.full(one.width, -1, np.int32) for name in lost})
        for one in table.origins.segments
    )
    origins = replace(table.origins, segments=segments)
    own = tuple(name for name in every if name in table.measures or name in lost)
    return replace(table, data=pa.Table.from_arrays(columns, names=list(every)), measures=own, origins=origins)
