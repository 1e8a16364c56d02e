"""Run a plan: read what it names, lay each sheet out as stated, tidy, stamp, stack, prove, and check what is expected."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, TypeVar

from kebrin.errors import LayoutError, Place, PlanError
from kebrin.layout import sheets_left_out
from kebrin.layout.parted import Pattern
from kebrin.plan.deriving import derived
from kebrin.plan.expecting import checks_of
from kebrin.plan.fitting import fitted
from kebrin.plan.parts import Part, PartTask
from kebrin.proof import Known
from kebrin.sources.inputs import Choice, choose
from kebrin.table import Finding, FindingKind
from kebrin.work.declared import ahead, unfitting, with_kinds
from kebrin.work.gathering import Aside, gather
from kebrin.work.joining import Arrived, Done, Terms, by_name, join, pick, prove
from kebrin.work.known_labels import label_changes, unseen_sheets, with_known_spellings
from kebrin.work.places import FieldPlace
from kebrin.work.standardising import questions_of
from kebrin.work.stepping import take_steps
from kebrin.work.summaries import without_summaries
from kebrin.work.telling import passed_over, same_files, same_sheets, units_apart
from kebrin.work.uneven import uneven

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Mapping, Sequence
    from pathlib import Path

    from kebrin.plan.model import PlanModel, TablePlan
    from kebrin.plan.steps import Step
    from kebrin.proof import Proof
    from kebrin.table import Table
    from kebrin.work.gathering import Crew
    from kebrin.work.pieces import Piece, SheetWork

_Said = TypeVar("_Said")


@dataclass(frozen=True, eq=False)
class Means:
    """How a plan is run: who does the work, who is told of each file, what kept parts there are, what was there last time.

    Attributes:
        on_file: told each file's name before it is read.
        crew: who does the work on files; None for this process alone.
        kept: wraps the work on a file so that what is known already is not done again.
        last_rows: the rows that each table had last time.
    """

    on_file: Callable[[str], None] | None = None
    crew: Crew | None = None
    kept: Callable[[PartTask], Callable[[Path], Part]] | None = None
    last_rows: Mapping[str, int] = field(default_factory=dict)


def run_plan(plan: PlanModel, base: Path, means: Means | None = None) -> list[Done]:
    """Run every table of a plan.

    Args:
        plan: the plan.
        base: the folder that its file names are relative to.
        means: how it is run; in this process alone by default.

    Raises:
        SourceError: no file is there, or none can be read.
        LayoutError: a sheet, a heading, a cell or a field that the plan names is not there, or no table is.
    """
    means = means or Means()
    asked = plan.proof
    terms = Terms(
        asked.totals == "must tie", asked.tolerance, repeats=asked.repeats == "expected", strict=True,
        leave_open=asked.leave_open,
        known=tuple(Known(one.cell, one.states, one.sums, one.sheet, one.file, one.why) for one in asked.known),
    )  # fmt: skip
    made: dict[str, Done] = {}
    runs: dict[str, list[Done]] = {}
    for name in plan.order:
        table = plan.table[name]
        if table.made_of:
            done = derived(name, table, base, made, terms)
        else:
            done = _run_table(name, table, base, terms, means, {one: done.table for one, done in made.items()})
        runs[name] = [
            replace(one, proof=_expected(one, table, base, means)) if one.name == name else one for one in done
        ]
        made |= {one.name: one for one in runs[name]}
    read_from = {name: done for name, done in runs.items() if not plan.table[name].made_of}
    shared = dict(zip(read_from, _with_shared_sheets(list(read_from.values())), strict=True))
    return _with_lapsed([done for name in plan.table for done in shared.get(name, runs[name])], terms.known)


def _with_lapsed(runs: list[Done], known: Sequence[Known]) -> list[Done]:
    """The tables; of a known wrong total that is so no longer, the first table that its sheet gave says so."""
    still = {one for done in runs for tie in done.proof.ties for one in tie.known_of(known)}
    for one in known:
        of_sheet = (
            at for at, done in enumerate(runs)
            if any(one.is_of(ledger.file, ledger.sheet) for ledger in done.proof.ledgers)
        )  # fmt: skip
        at = next(of_sheet, None)
        if one in still or at is None:
            continue
        what = (
            f"{one.cell} was known to state {one.states:,.10g} where its parts sum to {one.sums:,.10g}, and does so no "
            f"longer: take it out of [[proof.known]]"
        )
        told = Finding(FindingKind.KNOWN_TOTAL, what, one.file, one.sheet, (one.cell,), 1)
        proof = replace(runs[at].proof, remarks=(*runs[at].proof.remarks, told))
        runs[at] = replace(runs[at], proof=proof)
    return runs


def _expected(done: Done, plan: TablePlan, base: Path, means: Means) -> Proof:
    """A table's proof with what is expected of it checked."""
    if plan.expect is None:
        return done.proof
    return replace(
        done.proof, checks=checks_of(done.table, plan.expect, done.proof.sources, base, means.last_rows.get(done.name))
    )


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


def _gathered(plan: TablePlan, base: Path, terms: Terms, means: Means) -> tuple[list[Part], list[Finding]]:
    """What the files of one table give, and what is said of those that were passed over or set aside."""
    choice = plan.choose
    chosen = choose(plan.files, base=base, choice=Choice(choice.newest, choice.dated, choice.wait))
    own = PartTask(plan.for_one_file, terms.tolerance)
    task: Callable[[Path], Part] = means.kept(own) if means.kept is not None else own
    found = list(gather(chosen.paths, task, crew=means.crew, on_file=means.on_file))
    fit = fitted([part for part in found if isinstance(part, Part)], plan)
    asides = [one for one in found if isinstance(one, Aside)] + [one for part in fit.parts for one in part.asides]
    said = [aside.remark() for aside in asides]
    said += passed_over(chosen.passed)
    return list(fit.parts), [*said, *fit.remarks, *same_files(part.source for part in fit.parts)]


@dataclass(frozen=True, eq=False)
class Laid:
    """What the files of one table of a plan give before any step: their parts, joined, and what is said of them."""

    parts: tuple[Part, ...]
    works: tuple[SheetWork, ...]
    pieces: tuple[Piece, ...]
    stamps: tuple[dict[str, str | None], ...]
    table: Table
    said: tuple[Finding, ...]


def lay_out(name: str, plan: TablePlan, base: Path, terms: Terms, means: Means) -> Laid:
    """Read the files of one table of a plan, lay their sheets out as stated, and join what they give.

    Raises:
        SourceError: no file is there, or none can be read.
        LayoutError: a sheet is not as the plan states it.
        PlanError: something that the plan states has no effect.
    """
    parts, said = _gathered(plan, base, terms, means)
    works = [work for part in parts for work in part.works]
    if not plan.sheets.only:
        works = without_summaries(works)  # a sheet that sums the others is none of them, unless the plan names it
    pieces = [piece for work in works for piece in work.pieces]
    if not pieces:
        aside = next((remark.what for remark in said if remark.kind == FindingKind.SET_ASIDE), "")
        raise LayoutError(
            f"the plan chose no sheet for the table {name!r}", Place(", ".join(part.source.file for part in parts)), why=aside,
            do="Correct sheets in the plan",
        )  # fmt: skip
    _refuse_without_effect(plan, parts, works)
    stamp_of = {id(piece): stamp for part in parts for piece, stamp in zip(part.pieces, part.stamps, strict=True)}
    stamps = [stamp_of[id(piece)] for piece in pieces]
    table, _ = join(pieces, stamps)
    return Laid(tuple(parts), tuple(works), tuple(pieces), tuple(stamps), table, tuple(said))


def _run_table(
    name: str, plan: TablePlan, base: Path, terms: Terms, means: Means, made: Mapping[str, Table]
) -> list[Done]:
    laid = lay_out(name, plan, base, terms, means)
    parts, pieces, table, said = laid.parts, laid.pieces, laid.table, list(laid.said)
    said += _void_measure(plan, pieces)
    twice = [] if any(one.kind == FindingKind.QUESTION and one.file for one in said) else same_sheets(pieces)
    labels, kinds = _of_columns(plan, plan.labels, table), _still_said(plan, plan.kinds, table.columns)
    table = with_known_spellings(table, labels)
    said += [one for part in parts for one in unseen_sheets(part.source, plan.sheets.seen)]
    said += label_changes(table, labels)
    said += unfitting("labels", _still_said(plan, plan.labels, table.columns), table.columns)
    # Columns that no step reads are read first, so that steps that need figures find them.
    read = {step.column for step in plan.step}
    first = {column: kind for column, kind in kinds.items() if column not in read}
    begun = ahead(table.shortened(plan.shorten), first)
    stepped = take_steps(begun, _steps_of(plan, table), base, name, made)
    said += unfitting("kinds", kinds, [column for one in stepped.values() for column in one.columns])
    stepped = with_kinds(stepped, kinds)
    said += twice
    said += uneven(stepped[name], pieces, list(dict.fromkeys(one for stamp in laid.stamps for one in stamp)))
    said += units_apart(pieces, [FieldPlace.parse(place).what for place in plan.fields.values()])
    chosen = by_name(stepped[name], plan.columns)
    out = set(stepped[name].columns) - set(chosen.values()) if plan.columns else set()
    said += questions_of(stepped[name], {*plan.kinds, *(step.column for step in plan.step), *_made_by(plan), *out})
    picked, left = pick(stepped[name], chosen)
    sources = [part.source for part in parts]
    done = []
    for own, after in stepped.items():
        more = [*said, *left] if own == name else said
        arrived = Arrived(table.columns, by_plan=True)
        proof = prove(own, table, pieces, laid.stamps, laid.works, sources, terms, more, after=after, arrived=arrived)
        done.append(Done(own, picked if own == name else after, proof))
    return done


def _of_columns(plan: TablePlan, said: Mapping[str, _Said], table: Table) -> dict[str, _Said]:
    """What is said of the columns that the table has."""
    return {name: one for name, one in _still_said(plan, said, table.columns).items() if name in table.columns}


def _still_said(plan: TablePlan, said: Mapping[str, _Said], columns: Collection[str]) -> dict[str, _Said]:
    """What is said of columns, but for those that the plan itself takes for totals, leaves out, or lays long."""
    if plan.layout.boxhead == ():  # what was said of headings is void where there are none
        return {name: one for name, one in said.items() if name in columns}
    out = {label.casefold() for label in (*plan.layout.totals, *plan.layout.leave_out)}
    layout = plan.layout
    if layout.headings or layout.measures == "":  # what was a column's name is a label, or says several things
        laid = Pattern.of(layout.headings).parted(list(said)) if layout.headings else [()] * len(said)
        out |= {
            name.casefold() for name, parts in zip(said, laid, strict=True) if parts is not None and name not in columns
        }
    return {name: one for name, one in said.items() if name.casefold() not in out}


def _steps_of(plan: TablePlan, table: Table) -> Sequence[Step]:
    """The steps of a plan; without those that read a heading where the layout says that there are none."""
    if plan.layout.boxhead != ():
        return plan.step
    return [step for step in plan.step if not step.column or step.column in table.columns]


def _made_by(plan: TablePlan) -> list[str]:
    """The columns that steps put something into: what they say is as it was meant."""
    return [into for step in plan.step if isinstance(into := step.options().get("into"), str)]


def _void_measure(plan: TablePlan, pieces: Sequence[Piece]) -> list[Finding]:
    """What is asked of a name for values that headings name already, as where `measures` was stated after a plan was drafted."""
    if not plan.layout.measure or not all(piece.layout.measures for piece in pieces):
        return []
    named = ", ".join(pieces[0].table.measures[:4])
    what = f"measure = {plan.layout.measure!r} names nothing now, for headings name the value columns: {named}. Take it out"
    return [Finding(FindingKind.QUESTION, what, count=1)]


def _refuse_without_effect(plan: TablePlan, parts: Sequence[Part], works: Sequence[SheetWork]) -> None:
    """Refuse labels that no sheet bears.

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
