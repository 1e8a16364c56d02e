"""Join the pieces of one table: stamp what tells them apart, stack them, and put the proof together."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.layout import CALENDAR
from kebrin.layout.unlike import balance_of
from kebrin.proof import Proof, Source, conserve
from kebrin.shape.stack import stack
from kebrin.table import Finding, FindingKind, Settle
from kebrin.table.arrays import distinct_rows, floats_of, is_constant, repeated_rows, row_codes, run_of, texts
from kebrin.work.filling import emptier, fills_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.layout import Layout
    from kebrin.proof import Known
    from kebrin.table import Table
    from kebrin.work.pieces import Piece, SheetWork


_TOLD = 6
# So many of the rows that repeat are traced to their files.
_LOOKED = 200


@dataclass(frozen=True, eq=False)
class Done:
    """A finished table with its proof."""

    name: str
    table: Table
    proof: Proof


@dataclass(frozen=True)
class Terms:
    """What the proof of a run demands.

    Attributes:
        totals_must_tie: whether stated totals must tie, or are only reported.
        tolerance: the largest difference that still ties; worked out where it is None.
        repeats: whether rows of a crosstab may bear the same labels.
        strict: whether an open question breaks the proof.
        leave_open: words of the questions that a person leaves open.
        known: the wrong totals of the report that a person knows of.
    """

    totals_must_tie: bool = True
    tolerance: float | None = None
    repeats: bool = False
    strict: bool = False
    leave_open: tuple[str, ...] = ()
    known: tuple[Known, ...] = ()


@dataclass(frozen=True)
class Arrived:
    """Where the cells of labels and fields may have arrived.

    Attributes:
        columns: the columns of the tables that were made of the sheets.
        constant: headings that say the same on every row and are no columns.
        renamed: columns that bear another name than on the sheet.
        by_plan: whether a plan chose the columns: what it does not take is left out by it.
    """

    columns: tuple[str, ...]
    constant: tuple[str, ...] = ()
    renamed: Mapping[str, str] = field(default_factory=dict)
    by_plan: bool = False


def join(
    pieces: Sequence[Piece], stamps: Sequence[dict[str, str | None]], *, drop_constant: bool = False
) -> tuple[Table, tuple[str, ...]]:
    """The pieces stacked, each stamped with its own values.

    With `drop_constant`, boxhead levels that say the same on every row are dropped, and their names returned.
    """
    table = _stamped(stack([piece.table for piece in pieces]), pieces, stamps)
    if not drop_constant:
        return table, ()
    levels = {level.name for piece in pieces for level in piece.layout.boxhead}
    constant = tuple(
        column for column in table.dimensions if column in levels and is_constant(table.data.column(column))
    )
    kept = [column for column in table.columns if column not in constant]
    return (table.narrowed(kept) if constant else table), constant


def _stamped(table: Table, pieces: Sequence[Piece], stamps: Sequence[dict[str, str | None]]) -> Table:
    """A stack with the stamps of its pieces in front; rows that say the same share the codes that say it."""
    names = list(stamps[0]) if stamps else []
    table.refuse_present(names)
    longest = max((len(piece.table) for piece in pieces), default=0)
    columns: dict[str, pa.ChunkedArray] = {}
    for name in names:
        values = [stamp[name] for stamp in stamps]
        said = [text for text in dict.fromkeys(values) if text is not None]
        distinct = texts(said)
        runs: dict[str | None, pa.DictionaryArray] = {
            text: run_of(at, longest, distinct) for at, text in enumerate(said)
        }
        runs |= {None: run_of(-1, longest, distinct)} if None in values else {}
        columns[name] = pa.chunked_array(
            [runs[text].slice(0, len(piece.table)) for text, piece in zip(values, pieces, strict=True)],
            type=pa.dictionary(pa.int32(), pa.string()),
        )
    return table.led_by(columns) if columns else table


def by_name(table: Table, columns: Mapping[str, str | int]) -> dict[str, str]:
    """Columns named by place (counted from 1) by their names; new names to old ones.

    Raises:
        PlanError: there is no column at a place.
    """
    named = {}
    for new, old in columns.items():
        if isinstance(old, int) and not 1 <= old <= len(table.columns):
            raise PlanError(
                f"columns names place {old}, which the table does not have", why=f"it has {len(table.columns)} columns",
                do="Correct columns in the plan",
            )  # fmt: skip
        named[new] = table.columns[old - 1] if isinstance(old, int) else old
    return named


def pick(table: Table, columns: Mapping[str, str]) -> tuple[Table, list[Finding]]:
    """Some columns under new names, in this order (all if none is named), and what is said of those left out.

    Raises:
        PlanError: a column that is named is not there.
    """
    if not columns:
        return table, []
    for old in columns.values():
        table.refuse_absent(old, "columns")
    picked = table.picked(columns)
    left = [name for name in table.columns if name not in columns.values()]
    if not left:
        return picked, []
    what = f"the plan leaves out the column{'s' * (len(left) > 1)} {', '.join(left)}"
    said = [Finding(FindingKind.COLUMN_LEFT_OUT, what, count=len(left))]
    alike = len(table) - distinct_rows(picked.data.select(list(picked.dimensions)))
    if alike and alike > len(table) - distinct_rows(table.data.select(list(table.dimensions))):
        what = f"{alike:,} rows bear the labels of another, since columns were left out"
        said.append(Finding(FindingKind.QUESTION, what, count=alike))
    return picked, said


def _repeated(
    table: Table, pieces: Sequence[Piece], stamps: Sequence[dict[str, str | None]], terms: Terms, after: Table
) -> list[Finding]:
    """Rows of a crosstab that bear the same labels: a dimension was lost. Of lists, whole rows that repeat are told.

    Rows that a step left out can't be taken for others any more: where steps only chose rows, those that are left are looked at.
    """
    listed = all(_is_listed(piece) for piece in pieces)
    names = list(table.columns if listed else table.dimensions)
    if not names or len(table) < 2 or (not listed and _told_apart(table, pieces, stamps)):
        return []
    again = repeated_rows(table.data.select(names))
    if len(again) and 0 < len(after) < len(table) and len(after.origins) == len(after) and {*names} <= {*after.columns}:
        table = after
        again = repeated_rows(table.data.select(names))
    if not len(again):
        return []
    cells = tuple(
        f"{origin.sheet} {origin.cell}"
        for row in again[:_TOLD].tolist()
        for origin in [table.origins.of(row, table.measures[0])]
        if origin is not None
    )
    if listed:
        return [
            Finding(
                FindingKind.SAME_ROWS,
                f"{len(again):,} record{'s are' if len(again) > 1 else ' is'} the same as another in every column",
                "",
                "",
                cells,
                len(again),
            )
        ]
    what = same_labels(len(again))
    what += _in_which_files(table, again, names)
    if terms.repeats:
        return [Finding(FindingKind.SAME_LABELS, what, "", "", cells, len(again))]
    settle = (Settle("repeats", "expected", "proof", says="they are meant to"),)
    return [Finding(FindingKind.SAME_LABELS, what, "", "", cells, len(again), breaks=True, settle=settle)]


def same_labels(count: int) -> str:
    """That so many rows can't be told from others.

    >>> same_labels(2)
    '2 rows have the same labels as another row: nothing in the table tells them apart, so a label may be lost'
    """
    own = f"{count:,} rows have" if count != 1 else "1 row has"
    return f"{own} the same labels as another row: nothing in the table tells them apart, so a label may be lost"


def _in_which_files(table: Table, again: NDArray[np.intp], names: Sequence[str]) -> str:
    """The two files whose rows bear the same labels, where it is always the same two: a month that was delivered again."""
    if len(table.origins) != len(table) or len({part.file for part in table.origins.segments}) < 2:
        return ""
    codes = row_codes(table.data.select(list(names)))
    _, firsts = np.unique(codes, return_index=True)
    pairs = {
        (table.origins.segment_of(int(firsts[codes[row]]))[0].file, table.origins.segment_of(row)[0].file)
        for row in again[:: max(len(again) // _LOOKED, 1)].tolist()
    }
    if len(pairs) > 1:
        return ""
    first, other = (Path(file).name for file in pairs.pop())
    return f": those of {other} are in {first} already" if first != other else ""


def _told_apart(table: Table, pieces: Sequence[Piece], stamps: Sequence[dict[str, str | None]]) -> bool:
    """Whether no record can bear the labels of another: each block's rows and columns have paths of their own, and so has it."""
    kept = set(table.dimensions)
    if len(pieces) > 1:
        own = [tuple(value for name, value in stamp.items() if name in kept) for stamp in stamps]
        if len(own) != len(pieces) or len(set(own)) < len(own):
            return False
    known: dict[tuple[int, ...], bool] = {}  # sheets of one form share their labels
    for piece in pieces:
        form = tuple(id(level) for level in (*piece.layout.stub, *piece.layout.boxhead))
        if form not in known:
            known[form] = _block_told_apart(piece.layout, kept)
        if not known[form]:
            return False
    return True


def _block_told_apart(layout: Layout, kept: set[str]) -> bool:
    """Whether the labels that are kept give each row and each column of a block a path of its own."""
    for own, lines in ((layout.stub, len(layout.body_rows)), (layout.boxhead, len(layout.body_columns))):
        paths = [level.codes for level in own if level.name in kept]
        distinct = len(set(zip(*(codes.tolist() for codes in paths), strict=True))) if paths else 1
        if distinct < lines and not (layout.measures and own is layout.boxhead):
            return False
    return not layout.measures


def _is_listed(piece: Piece) -> bool:
    """Whether a block is a list of records, a calendar of entries, has one column of values only, or keeps a balance in one."""
    entries = any(said.what == CALENDAR for said in piece.layout.evidence)
    return piece.layout.listed or entries or len(piece.layout.body_columns) == 1 or _keeps_balance(piece)


def _keeps_balance(piece: Piece) -> bool:
    data, measures = piece.table.data, piece.table.measures
    if not piece.layout.measures or not all(pa.types.is_floating(data.column(one).type) for one in measures):
        return False
    return balance_of(np.column_stack([floats_of(data.column(one)) for one in measures])) >= 0


def prove(  # noqa: PLR0913 - all that a proof is made of
    name: str, table: Table, pieces: Sequence[Piece], stamps: Sequence[dict[str, str | None]], works: Iterable[SheetWork],
    sources: Iterable[Source], terms: Terms, remarks: Iterable[Finding] = (), *, after: Table | None = None,
    arrived: Arrived | None = None,
) -> Proof:  # fmt: skip
    """The proof of one table from its pieces' checks and the account of every sheet that was read for it.

    `stamps` are the stamped columns with their values, for each piece.
    `after` is the table after its steps: as much must come out of the sheets as goes into the first of them, and each
    step accounts for itself. `arrived` says which columns the cells of labels and fields may have arrived in.
    """
    works = list(works)
    arrived = arrived or Arrived(table.columns)
    after = table if after is None else after
    fills = fills_of(pieces)
    return Proof(
        table=name,
        sources=tuple(sources),
        ledgers=tuple(
            work.ledger.resolved(
                arrived.columns, constant=arrived.constant, renamed=arrived.renamed, by_plan=arrived.by_plan
            )
            for work in works
        ),
        conservation=conserve(table, [piece.body for piece in pieces]),
        ties=tuple(piece.ties for piece in pieces),
        steps=after.steps,
        remarks=(
            *remarks,
            *emptier(fills),
            *_repeated(table, pieces, stamps, terms, after),
            *(remark for work in works for remark in work.remarks),
            *after.remarks,
        ),
        totals_must_tie=terms.totals_must_tie,
        known=terms.known,
        leave_open=terms.leave_open,
        strict=terms.strict,
        fills=fills,
    )
