"""Pieces: what one sheet gives, tidied and checked while the sheet is at hand; the sheet itself is then let go."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.cells import Kind, neat
from kebrin.errors import SourceError
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import scale_words
from kebrin.layout import CALENDAR, DOUBTED, KEPT, Stated, find_layouts, with_names_apart
from kebrin.proof import BodyAccount, SheetLedger, Source, TieOut, body_accounts, tie_out, totals_elsewhere
from kebrin.table import EACH_A_COLUMN, Finding, FindingKind, Settle
from kebrin.unpivoting import VALUE, unpivot
from kebrin.work.block_questions import asked_of
from kebrin.work.leaving import verdict_of

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.cells import Report, Sheet
    from kebrin.layout import Evidence, FieldCell, Layout
    from kebrin.table import Table
    from kebrin.unpivoting import Keep
    from kebrin.work.filled import Copy

_TOLD = 6


@dataclass(frozen=True)
class Scale:
    """What every number of a block is to be multiplied by, in the report's words: it is told and not done."""

    words: str
    cell: str
    measure: str
    factor: float

    @property
    def step(self) -> dict[str, Any]:
        """The step that writes the numbers out."""
        return {"number": self.measure, "scale": self.factor}

    def __str__(self) -> str:
        return (
            f"{self.cell} says {self.words!r}: the numbers stay as written; to write them out take a step "
            f"number = {self.measure!r}, scale = {self.factor:.0f}"
        )


@dataclass(frozen=True, eq=False)
class Piece:
    """One block's table, with its fields and the checks that needed its sheet; `lacks` are columns of others that it has not."""

    file: str
    sheet: str
    table: Table
    layout: Layout
    ties: TieOut
    body: dict[str, BodyAccount]
    fields: dict[str, str | None] = field(default_factory=dict)
    scale: Scale | None = None
    legend: dict[str, str] = field(default_factory=dict)
    lacks: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class SheetWork:
    """All that came of one sheet.

    `absent` are labels that are stated and stand nowhere on it; `copy` is the sheet itself, if it may be a copy of a form, until
    it is compared with others.
    """

    pieces: tuple[Piece, ...]
    ledger: SheetLedger
    remarks: tuple[Finding, ...]
    absent: frozenset[str] = frozenset()
    copy: Copy | None = None


@dataclass(frozen=True)
class Ask:
    """What is asked of every reading of a sheet."""

    keep: Keep | None = None
    tolerance: float | None = None
    fields: Sequence[FieldCell] = ()


def _answers(doubt: Evidence, layout: Layout) -> tuple[Settle, ...]:
    """The lines of a plan that say what a doubted line is; a figure names none, so that only the row itself can be left out."""
    if any(map(str.isalpha, "".join(doubt.labels))) or not doubt.where.startswith(("row ", "column ")):
        one = len(layout.boxhead) == 1 and not layout.measures and doubt.where.startswith("column ")
        each = (Settle("measures", layout.boxhead[0].name, says=EACH_A_COLUMN),) if one else ()
        return Settle("totals", list(doubt.labels)), Settle("not_totals", list(doubt.labels)), *each
    return (Settle("leave_out", [" ".join(doubt.where.split()[:2])], says="it is a total"),)


def _columns_read(table: Table, keep: Keep | None) -> set[int]:
    """The sheet's columns whose texts a step reads."""
    columns = [
        segment.columns[name]
        for segment in table.origins.segments
        for name in segment.columns
        if keep and name in keep.texts
    ]
    return {column for one in columns for column in one.tolist()}


def _told_of_lines(sheet: Sheet, layouts: Sequence[Layout]) -> Iterator[Finding]:
    """What is told of lines of blocks: kept though called a total, in doubt, carried over, left out for a reason."""
    evidence = [(said, layout) for layout in layouts for said in layout.evidence]
    for said, _ in evidence:
        if said.what == KEPT:
            what = f"{said.where}: {said.why}; it was kept as data"
            yield Finding(FindingKind.TOTAL, what, sheet.source, sheet.name, _addresses(sheet, said.cells), 1)
    for said, layout in evidence:
        if said.what == DOUBTED:
            what, cells = f"{said.where} {said.why}", _addresses(sheet, said.cells)
            yield Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, cells, 1, settle=_answers(said, layout))
    for line in (line for layout in layouts for line in layout.totals if not len(line.parts)):
        what = f"{line.name}: {line.why}; it was left out"
        yield Finding(FindingKind.CARRIED, what, sheet.source, sheet.name, count=1)
    for one in (one for layout in layouts for one in layout.about if not one.level):
        what = f"row {one.row + 1} {one.label!r} says something of the columns and was left out"
        cells = tuple(sheet.address(*cell) for cell in one.cells[:_TOLD])
        yield Finding(FindingKind.NOTE, what, sheet.source, sheet.name, cells, len(one.cells))
    for follows in (one for layout in layouts for one in layout.derived):
        what = f"{follows.name} {follows.label!r} holds {follows.holds} and was left out"
        settle = (Settle("not_totals", [follows.label], says="it stays"),) if follows.label else ()
        yield Finding(FindingKind.NOTE, what, sheet.source, sheet.name, count=1, settle=settle)


def _told_of_sheet(sheet: Sheet) -> list[Finding]:
    """What is told of a sheet itself: formulas without a result, what its file says, values under merges."""
    said: list[Finding] = []
    if sheet.emptied:
        what = "formulas without a stored result are taken as empty"
        cells = sheet.emptied[:_TOLD]
        said.append(Finding(FindingKind.FORMULAS, what, sheet.source, sheet.name, cells, len(sheet.emptied)))
    said += [Finding(FindingKind.FILE, one, sheet.source, sheet.name, count=1) for one in sheet.told]
    return [*said, *_under_merges(sheet)]


def _without_table(sheet: Sheet, layouts: Sequence[Layout]) -> list[Finding]:
    """That a sheet with cells has no table."""
    cells = int(sheet.filled.sum())
    if layouts or not cells:
        return []
    what = f"no table was found; its {cells:,} cells are text around the tables" if cells > 1 else "no table was found"
    return [Finding(FindingKind.NO_TABLE, what, sheet.source, sheet.name)]


def worked(sheet: Sheet, stated: Stated | None, ask: Ask) -> SheetWork:
    """One reading of a sheet: its blocks, their tables, and what the checks say."""
    found = find_layouts(sheet, stated, ask.fields)
    layouts = [_named_apart(layout, stated) for layout in found]
    pieces = tuple(_piece(sheet, layout, stated, ask.keep, ask.tolerance) for layout in layouts)
    ledger = verdict_of(sheet, layouts, [piece.table for piece in pieces], stated).ledger()
    remarks = [
        *_told_of_lines(sheet, layouts),
        *(_told_apart(sheet, *pair) for pair in zip(found, layouts, strict=True) if pair[0] is not pair[1]),
        *(
            Finding(FindingKind.SCALE, str(piece.scale), sheet.source, sheet.name, count=1)
            for piece in pieces
            if piece.scale is not None
        ),
        *_told_of_sheet(sheet),
    ]
    for layout, piece in zip(layouts, pieces, strict=True):
        remarks += asked_of(sheet, layout, stated, _columns_read(piece.table, ask.keep))
    remarks += _without_table(sheet, layouts)
    pieces, told = _with_totals_elsewhere(sheet, pieces)
    return SheetWork(pieces, ledger, (*remarks, *told), _absent(sheet, stated))


def _under_merges(sheet: Sheet) -> list[Finding]:
    """What stands under a merge, where nobody who looks at the sheet sees it: a question."""
    cells = [
        sheet.address(area.top + int(row), area.left + int(column))
        for area in sheet.merges
        for row, column in np.argwhere(sheet.filled[area.top : area.bottom + 1, area.left : area.right + 1])
        if row or column
    ]
    if not cells:
        return []
    what = f"{len(cells):,} cell{'s stand' if len(cells) > 1 else ' stands'} under a merge, where nobody sees what is in it"
    return [Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, tuple(cells[:_TOLD]), len(cells))]


def _with_totals_elsewhere(sheet: Sheet, pieces: tuple[Piece, ...]) -> tuple[tuple[Piece, ...], tuple[Finding, ...]]:
    """The pieces, the first with the ties of totals that stand away from their table, and what is told of others."""
    found, told = totals_elsewhere(sheet, [piece.layout for piece in pieces])
    if not found.cells:
        return pieces, told
    return (replace(pieces[0], ties=pieces[0].ties.with_more(found)), *pieces[1:]), told


def _absent(sheet: Sheet, stated: Stated | None) -> frozenset[str]:
    if stated is None or not (stated.totals or stated.not_totals):
        return frozenset()
    said = {neat(str(text)).casefold() for text in sheet.values[sheet.kinds == Kind.TEXT].tolist()}
    return frozenset(label for label in (*stated.totals, *stated.not_totals) if neat(label).casefold() not in said)


def scale_of(sheet: Sheet, layout: Layout, measures: Sequence[str]) -> Scale | None:
    """What is said around a block of a scale ("in thousands")."""
    if not measures or np.isnan(sheet.numbers[np.ix_(layout.body_rows, layout.body_columns)]).all():
        return None
    heads = {(level.line, column) for level in layout.boxhead for column in layout.body_columns.tolist()}
    for at in sorted({*layout.texts, *heads, *_unit_lines(layout)}):
        words, factor = scale_words(sheet.text(*at))
        if words:
            return Scale(words, sheet.address(*at), measures[0], factor)
    return None


def _unit_lines(layout: Layout) -> set[tuple[int, int]]:
    """The cells of heading rows that only give units and became no level."""
    levels = {part.line for level in layout.boxhead for part in level.parts}
    return {
        (row, column) for row in layout.boxhead_rows if row not in levels for column in layout.body_columns.tolist()
    }


def source_of(report: Report, used: Sequence[str], left_out: dict[str, str]) -> Source:
    """The account of one file, the cells of sheets left out counted too."""
    cells: dict[str, int] = {}
    for name in left_out:
        with suppress(SourceError):
            cells[name] = int(report[name].filled.sum())
    return Source(report.path, report.digest, tuple(used), left_out, cells, report.read_as)


def _addresses(sheet: Sheet, cells: Sequence[int]) -> tuple[str, ...]:
    """The addresses of cells that are counted row by row."""
    return tuple(sheet.address(*divmod(cell, sheet.shape[1])) for cell in cells[:_TOLD])


def _piece(sheet: Sheet, layout: Layout, stated: Stated | None, keep: Keep | None, tolerance: float | None) -> Piece:
    table = unpivot(sheet, layout, measure=measure_of(layout, stated), keep=keep)
    fields: dict[str, str | None] = {found.name: found.value for found in layout.fields}
    return Piece(
        sheet.source, sheet.name, table, layout, tie_out(sheet, layout, tolerance),
        body_accounts(sheet, layout, table.measures), fields, scale_of(sheet, layout, table.measures),
        sheet.readings.legend,
    )  # fmt: skip


def _named_apart(layout: Layout, stated: Stated | None) -> Layout:
    """A layout none of whose label columns bears the name of another column, unless a person named them."""
    if stated is not None and (stated.stub is not None or stated.measure or stated.boxhead is not None):
        return layout
    values = layout.level(layout.measures).texts if layout.measures else [measure_of(layout, stated) or VALUE]
    return with_names_apart(layout, values)


def _told_apart(sheet: Sheet, before: Layout, after: Layout) -> Finding:
    """What is asked where two columns of a block are headed alike: often another line is the heading."""
    pairs = zip(before.stub, after.stub, strict=True)
    old, new = next((was.name, now.name) for was, now in pairs if was.name != now.name)
    what = f"two columns would be named {old!r}: the label column is named {new!r}"
    settle = (Settle("stub", after.stub_names, says="they are named so"),)
    return Finding(FindingKind.QUESTION, what, sheet.source, sheet.name, count=1, breaks=True, settle=settle)


def measure_of(layout: Layout, stated: Stated | None) -> str:
    """The name of a block's value column: as stated, or its one heading; '' for neither."""
    if stated is not None and (stated.measure or stated.boxhead):
        return stated.measure  # a heading row that has a name is a column
    return _only_heading(layout)


def _only_heading(layout: Layout) -> str:
    """The heading of a block whose body columns all bear the same innermost one: it names the measure."""
    if (
        layout.measures
        or not layout.boxhead
        or any(said.what == CALENDAR for said in layout.evidence)
        or len(layout.boxhead[-1].texts) != 1
        or (layout.boxhead[-1].codes < 0).any()
    ):
        return ""
    only = layout.boxhead[-1].texts[0]
    named_by_period = len(layout.body_columns) > 1 and period_name([only])
    return "" if only in layout.names or named_by_period else only
