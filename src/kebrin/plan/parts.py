"""What one file gives to one table of a plan: its sheets laid out as stated, tidied, proved, and stamped."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kebrin.errors import LayoutError, Place, nearest
from kebrin.layout import Stated, sheets_left_out
from kebrin.layout.parted import Pattern
from kebrin.shape.effects import EFFECTS
from kebrin.sources import read
from kebrin.sources.budget import budget_of
from kebrin.table import Finding, FindingKind
from kebrin.unpivoting import Keep
from kebrin.work.gathering import Aside
from kebrin.work.known_labels import gained_levels, refuse_shifts, refuse_unnamed_column
from kebrin.work.long_texts import work_on_long
from kebrin.work.pieces import Piece, SheetWork, source_of
from kebrin.work.stamping import field_values, per_block, refuse_unknown_sheets
from kebrin.work.telling import with_said
from kebrin.work.weighing import as_read, work_sheet

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.cells import Report, Sheet
    from kebrin.plan.model import LayoutPlan, TablePlan
    from kebrin.proof import Source

_RECTANGLE = re.compile(r"\$?[A-Za-z]{1,3}\$?\d+(?::\$?[A-Za-z]{1,3}\$?\d+)?")
NOT_CHOSEN = "left out by the plan"


@dataclass(frozen=True, eq=False)
class Part:
    """What one file gave to one table; `asides` are the sheets of it that did not fit and were set aside."""

    works: tuple[SheetWork, ...]
    stamps: tuple[dict[str, str | None], ...]
    source: Source
    asides: tuple[Aside, ...] = ()

    @property
    def pieces(self) -> list[Piece]:
        """The pieces of all its sheets."""
        return [piece for work in self.works for piece in work.pieces]


@dataclass(frozen=True)
class PartTask:
    """The work on one file, for this process or any other: what it needs to know of the plan, and no more."""

    plan: TablePlan
    tolerance: float | None = None

    def __call__(self, path: Path) -> Part:
        """What a file gives.

        Raises:
            SourceError: it can't be read.
            LayoutError: a sheet is not as the plan states it, and the plan does not set such sheets aside.
        """
        report = read(path, stored=self.plan.stored, text=self.plan.text.stated)
        try:
            with budget_of(report.path):
                return part_of(report, self.plan, self.tolerance)
        except LayoutError as error:  # the file itself does not fit: a sheet that the plan names is not there
            if self.plan.misfits == "stop":
                raise
            return Part(
                (), (), source_of(report, (), dict.fromkeys(report.names, "set aside")), (Aside.of(str(path), error),)
            )


def part_of(report: Report, plan: TablePlan, tolerance: float | None = None) -> Part:
    """What one report gives to one table.

    Raises:
        LayoutError: a sheet is not as the plan states it, and the plan does not set such sheets aside.
    """
    choice = plan.sheets
    if not choice.may_lack:
        refuse_unknown_sheets(report, choice.only, "sheets")
    works: list[SheetWork] = []
    stamps: list[dict[str, str | None]] = []
    others: dict[str, str] = {}
    asides: list[Aside] = []
    gone = set(sheets_left_out(report.names, plan.layout.leave_out))
    plan, only = named_place(report, plan)
    gone |= set(report.names) - {only} if only else set()
    for name in report.names:
        if not choice.takes(name) or name in gone:
            others[name] = NOT_CHOSEN
        elif name in report.hidden and name not in choice.only and not choice.hidden:
            others[name] = report.hidden[name]
        else:
            try:
                work, stamp = _sheet(report, name, plan, tolerance)
            except LayoutError as error:
                if plan.misfits == "stop":
                    raise
                others[name] = f"set aside: {error.what}"
                asides.append(Aside.of(report.path, error))
                continue
            works.append(work)
            stamps += per_block(stamp, plan.fields, [piece.layout for piece in work.pieces], report.path)
    used = tuple(work.ledger.sheet for work in works)
    return Part(tuple(with_said(report, works)), tuple(stamps), source_of(report, used, others), tuple(asides))


def _sheet(
    report: Report, name: str, plan: TablePlan, tolerance: float | None
) -> tuple[SheetWork, dict[str, str | None]]:
    """The work on one sheet and the values of its stated fields; a long text is held to its first part."""
    values: dict[str, str | None] = {}

    def first(head: Sheet) -> tuple[Sheet, SheetWork]:
        work, found, sheet = _worked(head, plan, tolerance)
        values.update(found)
        return sheet, work

    long = work_on_long(report, name, first, _keep(plan))
    if long is not None:
        return long, values
    work, values, _ = _worked(report[name], plan, tolerance)
    return work, values


def _keep(plan: TablePlan) -> Keep:
    return Keep(plan.layout.blanks, plan.layout.marks, texts_of(plan))


def _worked(sheet: Sheet, plan: TablePlan, tolerance: float | None) -> tuple[SheetWork, dict[str, str | None], Sheet]:
    """The work on one sheet, the values of its stated fields, and the sheet as it was read."""
    values, cells = field_values(sheet, plan.fields)
    keep = _keep(plan)
    sheet = sheet.hinted(**hints_of(plan))
    work = work_sheet(
        sheet,
        stated_layout(plan.layout),
        keep=keep,
        tolerance=tolerance,
        fields=cells,
    )
    remarks: list[Finding] = []
    laid = as_read(sheet, stated_layout(plan.layout))
    for piece in work.pieces:
        refuse_shifts(laid, piece.layout, plan.labels)
        if plan.layout.stub is not None:
            refuse_unnamed_column(laid, piece.layout)
        remarks += gained_levels(laid, piece.layout, plan.layout.stub, plan.layout.cutins)
    work = replace(work, remarks=(*_scale_remarks(work, plan), *remarks))
    if not work.pieces:
        raise LayoutError(
            "no table was found", Place(sheet.source, sheet.name), why="no cell there looks like a value of a body",
            do="Leave the sheet out in the plan (sheets = { except = [...] }), or state where its table starts",
        )  # fmt: skip
    return work, values, sheet


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
    """The columns that steps must get as they stand: all whose texts a step reads otherwise than as plain numbers."""
    simple = {"decimal", "scale", "percent"}
    return frozenset(
        step.column
        for step in plan.step
        if _needs_texts(step.verb) and (step.verb != "number" or not set(step.options()) <= simple)
    )


def _needs_texts(verb: str) -> bool:
    effect = EFFECTS.get(verb)
    return verb == "detail" or (effect is not None and effect.needs == "texts")


def hints_of(plan: TablePlan) -> dict[str, Any]:
    """What the steps say of the texts on the sheets: a decimal sign, marks that mean "no value"."""
    signs = {step.options().get("decimal", "") for step in plan.step if step.verb == "number"} - {""}
    marks = [mark for step in plan.step for mark in _marks(step.options())]
    hints: dict[str, Any] = {"decimal": {"point": ".", "comma": ","}[signs.pop()]} if len(signs) == 1 else {}
    none = frozenset(mark.strip().casefold() for mark in plan.layout.missing)
    minus = frozenset(text.strip(" .").casefold() for text in plan.layout.minus)
    return (
        hints
        | ({"missing": frozenset(mark.strip().casefold() for mark in marks)} if marks else {})
        | ({"none": none} if none else {})
        | ({"minus": minus} if minus else {})
    )


def _marks(options: dict[str, Any]) -> list[str]:
    return [str(mark) for key in ("missing", "marks") for mark in options.get(key, ())]


def _scale_remarks(work: SheetWork, plan: TablePlan) -> list[Finding]:
    """A sheet's remarks, what it says of a scale held against the plan: told only where the two differ."""
    scales = [float(step.options()["scale"]) for step in plan.step if "scale" in step.options()]
    if not scales:
        return list(work.remarks)
    remarks = [one for one in work.remarks if one.kind != FindingKind.SCALE]
    for piece in work.pieces:
        if piece.scale is None or piece.scale.factor not in scales:
            said = f"{piece.scale.cell} says {piece.scale.words!r}" if piece.scale else "nothing here says so"
            what = f"the plan multiplies by {', '.join(f'{scale:,.10g}' for scale in scales)}, and {said}"
            remarks.append(Finding(FindingKind.SCALE, what, piece.file, piece.sheet, count=1))
    return remarks


def stated_layout(plan: LayoutPlan) -> Stated:
    """The layout part of a plan, as the layout layer takes it."""
    measures = None if plan.boxhead == () else plan.measures  # without headings none names the measures
    boxhead = plan.boxhead
    if plan.headings:  # so one line answers a question of a drafted plan
        boxhead, measures = None, measures if measures in Pattern.of(plan.headings).names else None
    return Stated(
        starts=plan.starts, ends=plan.ends, boxhead=boxhead, stub=plan.stub, measure=plan.measure,
        measures=measures, cutins=plan.cutins, beside=plan.beside, totals=plan.totals, totals_found=plan.find_totals,
        not_totals=plan.not_totals, records=plan.records, fill=plan.fill, turn=plan.turn, form=plan.form, joined=plan.joined,
        within=plan.within, leave_out=plan.leave_out, headings=plan.headings, merged=plan.merged,
        about_columns=plan.about_columns, parts_of_above=plan.parts_of_above, lines_of_label=plan.lines_of_label,
    )  # fmt: skip
