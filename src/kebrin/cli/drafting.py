"""`kebrin draft`."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from kebrin.cli import show
from kebrin.cli.ahead import reports_ahead
from kebrin.cli.ending import Exit
from kebrin.deliver.atomic import refuse_sources, whole_file
from kebrin.plan.drafting import draft_plan
from kebrin.plan.reading import parse_plan

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path


def draft(inputs: Sequence[str], plan_file: Path, *, as_json: bool) -> int:
    """Draft a plan from reports and write it."""
    refuse_sources(plan_file, inputs)
    text = draft_plan(reports_ahead(inputs, progress=not as_json), base=plan_file.parent)
    plan = parse_plan(text)
    with whole_file(plan_file) as part:
        part.write_text(text, "utf-8")
    if as_json:
        print(json.dumps({"plan": str(plan_file), "tables": list(plan.table), "text": text}, ensure_ascii=False))
        return Exit.DONE
    out = show.console()
    show.heading(out, f"{plan_file}: a plan for {show.counted(len(plan.table), 'table')}")
    for line in text.splitlines():
        show.line(out, line, "dim" if line.startswith("#") else "")
    show.next_step(out, f"Change the names that you would say otherwise, then: kebrin run {plan_file}")
    return Exit.DONE
