"""Run a plan: read what it names, lay each sheet out as stated, tidy, stamp, stack, prove."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kebrin.errors import LayoutError, Place, PlanError, nearest
from kebrin.layout import Stated, sheets_left_out
from kebrin.plan.deriving import derived
from kebrin.sources import files, read
from kebrin.table import Remark
from kebrin.unpivoting import Keep
from kebrin.work.holding import (
    gained_levels,
    label_changes,
    refuse_shifts,
    refuse_unnamed_column,
    unseen_sheets,
    with_known_spellings,
)
from kebrin.work.joining import Arrived, Done, Terms, by_name, join, pick, prove, refuse_other_kinds
from kebrin.work.sheet import Piece, SheetWork, source_of
from kebrin.work.stamping import field_values, per_block, refuse_unknown_sheets
from kebrin.work.standardising import list_questions
from kebrin.work.stepping import take_steps
from kebrin.work.summaries import without_summaries
from kebrin.work.weighing import work_sheet

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping, Sequence
    from pathlib import Path

    from kebrin.cells import Report
    from kebrin.plan.model import LayoutPlan, PlanModel, TablePlan
    from kebrin.proof import Source
    from kebrin.table import Table

_RECTANGLE = re.compile(r"\$?[A-Za-z]{1,3}\$?\d+(?::\$?[A-Za-z]{1,3}\$?\d+)?")
NOT_CHOSEN = "left out by the plan"


@dataclass(frozen=True, eq=False)
class _Part:
    """What one file gave to one table."""

    works: tuple[SheetWork, ...]
    stamps: tuple[dict[str, str | None], ...]
    source: Source


def run_plan(plan: PlanModel, base: Path, on_file: Callable[[str], None] | None = None) -> list[Done]:
    """Run every table of a plan.

    Args:
        plan: the plan.
        base: the folder that its file names are relative to.
        on_file: told each file's name before it is read.

    Raises:
        SourceError: a file is missing or can't be read.
        LayoutError: a sheet, a heading, a cell or a field that the plan names is not there, or no table is.
    """
    asked = plan.proof
    terms = Terms(
        asked.totals == "must tie",
        asked.tolerance,
        repeats=asked.repeats == "expected",
        strict=True,
        leave_open=asked.leave_open,
    )
    made: dict[str, Done] = {}
    runs: dict[str, list[Done]] = {}
    for name in plan.order:
        table = plan.table[name]
        if table.made_of:
            runs[name] = derived(name, table, base, made, terms)
        else:
            runs[name] = _run_table(name, table, base, terms, on_file, {one: done.table for one, done in made.items()})
        made |= {done.name: done for done in runs[name]}
    read_from = {name: done for name, done in runs.items() if not plan.table[name].made_of}
    shared = dict(zip(read_from, _with_shared_sheets(list(read_from.values())), strict=True))
    return [done for name in plan.table for done in shared.get(name, runs[name])]


def _with_shared_sheets(runs: Sequence[list[Done]]) -> list[list[Done]]:
    """The tables, their proofs knowing which cells of a sheet other tables of the plan are made of."""
    ledgers = [{(one.file, one.sheet): one for one in done[0].proof.ledgers} for done in runs]
    if len(runs) < 2:
        return list(runs)
    found: list[list[Done]] = []
    for at, done in enumerate(runs):
        others = [own for number, own in enumerate(ledgers) if number != at]
        own_tables = []
        for part in done:
            shared = tuple(
                one.shared(own[one.file, one.sheet] for own in others if (one.file, one.sheet) in own)
                for one in part.proof.ledgers
            )
            own_tables.append(replace(part, proof=replace(part.proof, ledgers=shared)))
        found.append(own_tables)
    return found


def _run_table(
    name: str, plan: TablePlan, base: Path, terms: Terms, on_file: Callable[[str], None] | None, made: Mapping[str, Table],
) -> list[Done]:  # fmt: skip
    parts = []
    for path in _paths(plan, base):
        if on_file is not None:
            on_file(str(path))
        parts.append(_part(read(path, stored=plan.stored), plan, terms))
    works = [work for part in parts for work in part.works]
    if not plan.sheets.only:
        works = without_summaries(works)  # a sheet that sums the others is none of them, unless the plan names it
    pieces = [piece for work in works for piece in work.pieces]
    if not pieces:
        raise LayoutError(
            f"the plan chose no sheet for the table {name!r}", Place(", ".join(part.source.file for part in parts)),
            do="Correct sheets in the plan",
        )  # fmt: skip
    _refuse_without_effect(plan, parts, works, pieces)
    stamps = {id(piece): stamp for part in parts for piece, stamp in zip(_pieces(part), part.stamps, strict=True)}
    table, _ = join(pieces, [stamps[id(piece)] for piece in pieces])
    table = with_known_spellings(table, plan.labels)
    said = [one for part in parts for one in unseen_sheets(part.source, plan.sheets.seen)]
    said += label_changes(table, plan.labels)
    stepped = take_steps(table.shortened(plan.shorten), plan.step, base, name, made)
    refuse_other_kinds(stepped, plan.kinds)
    said += list_questions(stepped[name], {*plan.kinds, *(step.column for step in plan.step)})
    picked, left = pick(stepped[name], by_name(stepped[name], plan.columns))
    sources = [part.source for part in parts]
    done = []
    for own, after in stepped.items():
        more = [*said, *left] if own == name else said
        arrived = Arrived(table.columns, by_plan=True)
        proof = prove(own, table, pieces, works, sources, terms, more, after=after, arrived=arrived)
        done.append(Done(own, picked if own == name else after, proof))
    return done


def _pieces(part: _Part) -> list[Piece]:
    return [piece for work in part.works for piece in work.pieces]


def _refuse_without_effect(
    plan: TablePlan, parts: Sequence[_Part], works: Sequence[SheetWork], pieces: Sequence[Piece]
) -> None:
    """Refuse labels that no sheet bears, and a name for values that have names already.

    Raises:
        PlanError: what has no effect.
    """
    first = Place(parts[0].source.file)
    for key, labels in (("totals", plan.layout.totals), ("not_totals", plan.layout.not_totals)):
        absent = [label for label in labels if all(label in work.absent for work in works)]
        if absent:
            raise PlanError(
                f"{key} names {absent[0]!r}, which stands on none of the sheets", first, why="it has no effect",
                do="Correct it in the plan, or leave it out",
            )  # fmt: skip
    names = [name for part in parts for name in (*part.source.used, *part.source.left_out)]
    for said in plan.layout.leave_out:
        if said.casefold().startswith("sheet ") and not sheets_left_out(names, [said]):
            raise PlanError(
                f"leave_out names {said!r}, and no sheet is called so", first, why=f"the sheets are {', '.join(names[:8])}",
                do="Correct it in the plan, or leave it out",
            )  # fmt: skip
    if plan.layout.measure and all(piece.layout.measures for piece in pieces):
        named = ", ".join(pieces[0].table.measures[:4])
        raise PlanError(
            f"measure = {plan.layout.measure!r} has no effect", first,
            why=f"the value columns are named by their headings: {named}",
            do='Leave measure out of the plan, or state measures = ""',
        )  # fmt: skip


def _paths(plan: TablePlan, base: Path) -> Iterable[Path]:
    return dict.fromkeys(path for pattern in plan.files for path in files.listed(pattern, base=base))


def _part(report: Report, plan: TablePlan, terms: Terms) -> _Part:
    choice = plan.sheets
    refuse_unknown_sheets(report, choice.only, "sheets")
    works, stamps, others = [], [], {}
    gone = set(sheets_left_out(report.names, plan.layout.leave_out))
    plan, only = named_place(report, plan)
    gone |= set(report.names) - {only} if only else set()
    for name in report.names:
        if not choice.takes(name) or name in gone:
            others[name] = NOT_CHOSEN
        elif name in report.hidden and name not in choice.only and not choice.hidden:
            others[name] = report.hidden[name]
        else:
            work, stamp = _sheet(report, name, plan, terms)
            works.append(work)
            stamps += per_block(stamp, plan.fields, [piece.layout for piece in work.pieces])
    used = tuple(work.ledger.sheet for work in works)
    return _Part(tuple(works), tuple(stamps), source_of(report, used, others))


def _sheet(report: Report, name: str, plan: TablePlan, terms: Terms) -> tuple[SheetWork, dict[str, str | None]]:
    sheet = report[name]
    values, cells = field_values(sheet, plan.fields)
    keep = Keep(plan.layout.blanks or "", plan.layout.marks, texts_of(plan))
    sheet = sheet.hinted(**hints_of(plan)) if plan.step else sheet
    work = work_sheet(
        sheet,
        stated_layout(plan.layout),
        keep=keep,
        tolerance=terms.tolerance,
        fields=cells,
    )
    remarks: list[Remark] = []
    for piece in work.pieces:
        refuse_shifts(sheet, piece.layout, plan.labels)
        if plan.layout.stub is not None:
            refuse_unnamed_column(sheet, piece.layout)
        remarks += gained_levels(sheet, piece.layout, plan.layout.stub, plan.layout.cutins)
    work = replace(work, remarks=(*_scale_remarks(work, plan), *remarks))
    if not work.pieces:
        raise LayoutError(
            "no table was found", Place(sheet.source, name), why="no cell there looks like a value of a body",
            do="Leave the sheet out in the plan (sheets = { except = [...] }), or state where its table starts",
        )  # fmt: skip
    return work, values


def named_place(report: Report, plan: TablePlan) -> tuple[TablePlan, str]:
    """The plan with the rectangle that a table object or a named range covers, and the sheet that it is on.

    Raises:
        LayoutError: the report has no place of that name.
    """
    name = plan.layout.within
    if not name or _RECTANGLE.fullmatch(name):
        return plan, ""
    known = {one.casefold(): place for one, place in report.places.items()}
    if name.casefold() not in known:
        near = nearest(name, report.places)
        raise LayoutError(
            f"there is no table object and no named range {name!r}, which the plan names in within", Place(report.path),
            why=f"its named places are {', '.join(report.places)}" if report.places else "it has none",
            do=f"Did you mean {near!r}?" if near else "State a rectangle, as in C4:F7",
        )  # fmt: skip
    sheet, within = known[name.casefold()]
    return plan.model_copy(update={"layout": plan.layout.model_copy(update={"within": within})}), sheet


def texts_of(plan: TablePlan) -> frozenset[str]:
    """The columns that steps must get as they stand: all that are read otherwise than as plain numbers."""
    simple = {"decimal", "scale", "percent"}
    return frozenset(step.column for step in plan.step if step.verb != "number" or not set(step.options()) <= simple)


def hints_of(plan: TablePlan) -> dict[str, Any]:
    """What the steps say of the texts on the sheets: a decimal sign, marks that mean "no value"."""
    signs = {step.options().get("decimal", "") for step in plan.step if step.verb == "number"} - {""}
    marks = [mark for step in plan.step for mark in _marks(step.options())]
    hints: dict[str, Any] = {"decimal": {"point": ".", "comma": ","}[signs.pop()]} if len(signs) == 1 else {}
    return hints | ({"missing": frozenset(mark.strip().casefold() for mark in marks)} if marks else {})


def _marks(options: dict[str, Any]) -> list[str]:
    return [str(mark) for key in ("missing", "marks") for mark in options.get(key, ())]


def _scale_remarks(work: SheetWork, plan: TablePlan) -> list[Remark]:
    """A sheet's remarks, what it says of a scale held against the plan: told only where the two differ."""
    scales = [float(step.options()["scale"]) for step in plan.step if "scale" in step.options()]
    if not scales:
        return list(work.remarks)
    remarks = [one for one in work.remarks if one.kind != "scale"]
    for piece in work.pieces:
        if piece.scale is None or piece.scale.factor not in scales:
            said = f"{piece.scale.cell} says {piece.scale.words!r}" if piece.scale else "nothing here says so"
            what = f"the plan multiplies by {', '.join(f'{scale:,.10g}' for scale in scales)}, and {said}"
            remarks.append(Remark("scale", what, piece.file, piece.sheet, count=1))
    return remarks


def stated_layout(plan: LayoutPlan) -> Stated:
    """The layout part of a plan, as the layout layer takes it."""
    return Stated(
        starts=plan.starts, ends=plan.ends, boxhead=plan.boxhead, stub=plan.stub, measure=plan.measure,
        measures=plan.measures, cutins=plan.cutins, beside=plan.beside, totals=plan.totals, totals_found=plan.find_totals,
        not_totals=plan.not_totals, fill=plan.fill, turn=plan.turn, joined=plan.joined, within=plan.within,
        leave_out=plan.leave_out,
    )  # fmt: skip
