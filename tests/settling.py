"""Take the advice of a finding: write the line that settles it into a plan, and run it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import tomlkit

import kebrin as kb
from kebrin.plan.offering import with_line
from kebrin.table import Does, Finding, Settle

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from kebrin.api import Run


def open_findings(run: Run) -> Iterator[tuple[str, Finding]]:
    """The findings of a run that ask or break, each with its table."""
    for done in run.done:
        yield from ((done.name, one) for one in done.proof.findings if one.does is not Does.TELLS)


def settled(plan: str, table: str, settle: Settle) -> str:
    """The plan with the line that settles a finding of a table."""
    names = {name.casefold(): name for name in tomlkit.parse(plan)["table"]}
    return with_line(plan, names.get(table.casefold(), next(iter(names.values()))), settle)


def run_with(report: Path, table: str, settle: Settle) -> Run:
    """The run of a report's own draft, once the advice was taken."""
    plan = report.parent / "settled.toml"
    plan.write_text(settled(kb.draft(report, base=report.parent).text, table, settle), "utf-8")
    return kb.load_plan(plan).run()
