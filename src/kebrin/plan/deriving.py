"""Tables that are made of other tables of a plan: stacked if there are several, then taken through their steps."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from kebrin.proof import Proof
from kebrin.shape.stacking import stack_tables
from kebrin.table import Finding, FindingKind
from kebrin.work.declared import unfitting, with_kinds
from kebrin.work.joining import Done, by_name, pick
from kebrin.work.stepping import take_steps

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

    from kebrin.plan.model import TablePlan
    from kebrin.table import Table
    from kebrin.work.joining import Terms


def derived(name: str, plan: TablePlan, base: Path, made: Mapping[str, Done], terms: Terms) -> list[Done]:
    """A table made of others, and those that its steps make beside it.

    Its proof says what it is made of; it holds if theirs do, and if each step accounts for itself.

    Raises:
        PlanError: a step or a column is wrong.
    """
    parts = [made[one] for one in plan.made_of]
    start = _start(plan, parts)
    stepped = take_steps(
        start.shortened(plan.shorten), plan.step, base, name, {one: done.table for one, done in made.items()}
    )
    void = unfitting("kinds", plan.kinds, [column for one in stepped.values() for column in one.columns])
    stepped = with_kinds(stepped, plan.kinds)
    picked, left = pick(stepped[name], by_name(stepped[name], plan.columns))
    done = []
    for own, after in stepped.items():
        table = picked if own == name else after
        done.append(Done(own, table, _proof(own, parts, after, [*void, *left] if own == name else [], terms)))
    return done


def _start(plan: TablePlan, parts: list[Done]) -> Table:
    """The one table that it is made of, or all of them stacked; what was said of them before is theirs."""
    bare = {part.name: replace(part.table.with_remarks(()), steps=()) for part in parts}
    if len(bare) == 1 and not plan.same and not plan.origin:
        return next(iter(bare.values()))
    return stack_tables(bare, same=plan.same, origin=plan.origin)


def _proof(name: str, parts: list[Done], table: Table, more: list[Finding], terms: Terms) -> Proof:
    said = []
    for part in parts:
        state = "which is not proved" if part.proof.failures else "proved"
        what = f"made of {part.name}, {state}: {len(part.table):,} rows"
        said.append(Finding(FindingKind.MADE_OF, what, count=len(part.table), breaks=bool(part.proof.failures)))
    sources = {source.file: source for part in parts for source in part.proof.sources}
    return Proof(
        table=name, sources=tuple(sources.values()), steps=table.steps, remarks=(*said, *more, *table.remarks),
        totals_must_tie=terms.totals_must_tie, known=terms.known, leave_open=terms.leave_open, strict=terms.strict,
    )  # fmt: skip
