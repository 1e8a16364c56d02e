"""`kebrin run`."""

from __future__ import annotations

import dataclasses
import json
from typing import TYPE_CHECKING

from kebrin.api import load_plan
from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.cli.progress import Progress
from kebrin.errors import Place, PlanError
from kebrin.plan.wanted import read_wanted

if TYPE_CHECKING:
    from pathlib import Path

    from rich.console import Console

    from kebrin.api import Run
    from kebrin.deliver.publish import Published


def run(plan_file: Path, *, like: Path | None, accept: bool, replace: bool, as_json: bool) -> int:
    """Run a plan, hold its table against wanted rows if there are any, and write its outputs."""
    plan = load_plan(plan_file)
    if not plan.model.output:
        raise PlanError("the plan names no output", Place(str(plan_file)), do="Add [[output]] with table and file")
    with Progress(shown=not as_json) as progress:
        done = plan.run(on_file=progress.at)
    match = None
    if like is not None:
        done, match = done.checked(read_wanted(like))
    reads = (*done.reads, *([like] if like is not None else []))
    published = dataclasses.replace(done, reads=reads).write(accept=accept, replace=replace)
    if as_json:
        said = plain(done, published)
        if match is not None:
            said["wanted"] = show.plain_match(match)
        print(json.dumps(said, ensure_ascii=False))
    else:
        out = show.console()
        tell(out, done, published)
        if match is not None:
            show.wanted(out, match)
        show.trace_hint(out, published)
    return Exit.DONE if done.holds or accept else Exit.NOT_PROVED


def plain(done: Run, published: tuple[Published, ...]) -> dict[str, object]:
    """A run's result for programs."""
    return {
        "tables": [
            {
                "name": part.name,
                "rows": len(part.table),
                "columns": list(part.table.columns),
                "proof": part.proof.to_plain(),
            }
            for part in done.done
        ],
        "outputs": [
            {
                "table": item.table,
                "file": str(item.path),
                "proof": str(item.proof_path),
                "held back": item.held_back,
            }
            for item in published
        ],
    }


def tell(out: Console, done: Run, published: tuple[Published, ...]) -> None:
    """A run's result for people; tables of details share the account of their records."""
    for part in done.done:
        files = len(part.proof.sources)
        sheets = sum(len(source.used) for source in part.proof.sources)
        from_what = f"one per observation, from {show.counted(sheets, 'sheet')} of {show.counted(files, 'file')}"
        if not part.proof.ledgers:
            from_what = "; ".join(remark.what for remark in part.proof.remarks if remark.kind == "made of")
        show.heading(out, f"{part.name}: {show.counted(len(part.table), 'row')}, {from_what}")
        show.sample(out, part.table)
        own = part.proof.ledgers, part.proof.conservation
        same = (one.name for one in done.done if (one.proof.ledgers, one.proof.conservation) == own)
        show.verdict(out, part.proof, same_as=next(same) if part.proof.ledgers else part.name)
        show.remarks(out, part.proof)
    show.outputs(out, published)
