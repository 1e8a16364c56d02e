"""`kebrin draft`."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from kebrin.cli import show
from kebrin.cli.ahead import reports_ahead
from kebrin.cli.asking import ask as put_questions
from kebrin.cli.asking import choose_reading
from kebrin.cli.ending import Exit
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.guard import refuse_changed_plan, refuse_sources, signed
from kebrin.plan.asking import open_questions
from kebrin.plan.drafting import draft_plan
from kebrin.plan.like import draft_like
from kebrin.plan.plan_file import parse_plan
from kebrin.plan.wanted import read_wanted
from kebrin.sources.inputs import choose

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path


def draft(inputs: Sequence[str], plan_file: Path, *, like: Path | None, ask: bool, replace: bool, as_json: bool) -> int:
    """Draft a plan from reports, by wanted rows if there are any, and write it."""
    paths = choose(inputs).paths
    refuse_sources(plan_file, [*paths, *([like] if like else [])])
    if not replace:
        refuse_changed_plan(plan_file)
    match = None
    reports = reports_ahead(inputs, progress=not as_json)
    if like is None:
        text = draft_plan(reports, base=plan_file.parent)
    else:
        drafted = draft_like(list(reports), read_wanted(like), base=plan_file.parent)
        text, match = drafted.text, drafted.match
    if ask:
        text = choose_reading(show.console(), text, plan_file.parent)
        text = put_questions(show.console(), text)
    plan = parse_plan(text)
    with whole_file(plan_file) as part:
        part.write_text(signed(text), "utf-8")
    if as_json:
        said: dict[str, object] = {"plan": str(plan_file), "tables": list(plan.table), "text": text}
        if match is not None:
            said["wanted"] = show.plain_match(match)
        print(json.dumps(said, ensure_ascii=False))
        return Exit.DONE
    out = show.console()
    show.heading(out, f"{plan_file}: a plan for {show.counted(len(plan.table), 'table')}")
    for line in text.splitlines():
        show.line(out, line, "dim" if line.startswith("#") else "")
    if match is not None:
        show.wanted(out, match)
    left = len(open_questions(text))
    if left:
        show.line(out, f"? {show.counted(left, 'question')} left open: --ask puts them one by one", "bold")
    show.next_step(
        out, f"Change the names that you would call something else, then: {show.command()} run {show.quoted(plan_file)}"
    )
    return Exit.DONE
