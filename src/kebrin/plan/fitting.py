"""Fit the sheets of one table together: columns that some may lack are missing there, a sheet of other columns does not fit."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from kebrin.errors import LayoutError, Place
from kebrin.work.gathering import Aside
from kebrin.work.padding import lacking, with_columns
from kebrin.work.spelling import spelled

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.plan.model import TablePlan
    from kebrin.plan.parts import Part
    from kebrin.proof import SheetLedger
    from kebrin.table import Finding
    from kebrin.work.pieces import Piece, SheetWork


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
    unfit: dict[str, SheetLedger] = {}
    asides = list(part.asides)
    at = 0
    for work in part.works:
        own = part.stamps[at : at + len(work.pieces)]
        at += len(work.pieces)
        named = spelled(work, wanted.usual, said)
        wrong = next((why for piece in named.pieces if (why := _difference(piece, wanted))), "")
        if wrong:
            asides.append(_misfit(work.ledger.file, work.ledger.sheet, wrong, wanted.plan))
            unfit[work.ledger.sheet] = work.ledger
            continue
        for piece in named.pieces:
            gone = [name for name in wanted.every if name not in piece.table.columns]
            said += [lacking(piece, gone)] if gone else []
        pieces = tuple(
            replace(
                piece, table=with_columns(piece.table, wanted.every, wanted.measures),
                lacks=tuple(name for name in wanted.every if name not in piece.table.columns),
            )
            for piece in named.pieces
        )  # fmt: skip
        works.append(replace(named, pieces=pieces))
        stamps += own
    source = replace(
        part.source, used=tuple(name for name in part.source.used if name not in unfit),
        left_out=part.source.left_out | dict.fromkeys(unfit, "set aside: its columns are others"),
        left_cells=part.source.left_cells | {name: ledger.cells for name, ledger in unfit.items()},
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
