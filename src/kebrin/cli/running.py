"""`kebrin run`."""

from __future__ import annotations

import dataclasses
import json
from typing import TYPE_CHECKING

from kebrin.api import load_plan
from kebrin.cli import show
from kebrin.cli.drifting import since_last
from kebrin.cli.ending import Exit
from kebrin.cli.progress import Progress
from kebrin.deliver.remembering import Memory, digests, inputs_of, plan_digest, remember
from kebrin.deliver.sending import shown
from kebrin.errors import KebrinError, Place, PlanError
from kebrin.plan.wanted import read_wanted
from kebrin.table import FindingKind
from kebrin.work.keeping import clear_old, kept_folder

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence
    from pathlib import Path

    from rich.console import Console

    from kebrin.api import Plan, Run
    from kebrin.cli.rerunning import Asked
    from kebrin.deliver.drift import Drift
    from kebrin.deliver.publish import Published
    from kebrin.deliver.remembering import Choices
    from kebrin.plan.wanted import Match


def run(plan_file: Path, asked: Asked, *, as_json: bool, fetch: bool = True) -> int:
    """Run a plan, hold its table against wanted rows if there are any, and write its outputs."""
    plan = load_plan(plan_file, given=asked.given)
    if fetch:
        plan.fetch(inside=asked.inside)
    if not plan.model.output:
        raise PlanError("the plan names no output", Place(str(plan_file)), do="Add [[output]] with table and file")
    keep = kept_folder() if asked.if_changed else None
    choices = plan.choices
    with Progress(shown=not as_json, total=_files(choices)) as progress:
        done = plan.run(on_file=progress.at, workers=asked.workers, scheduler=asked.scheduler, keep=keep, fetch=False)
    match = None
    if asked.like is not None:
        done, match = done.checked(read_wanted(asked.like))
    reads = (*done.reads, *([asked.like] if asked.like is not None else []))
    if asked.page is not None:
        from kebrin.deliver.page import refuse_page

        refuse_page(asked.page, [*reads, *(source.file for one in done.done for source in one.proof.sources)])
    published = dataclasses.replace(done, reads=reads).write(
        accept=asked.accept, replace=asked.replace, inside=asked.inside
    )
    if asked.page is not None:
        from kebrin.deliver.page import write_page

        write_page(done.page(values=not asked.page_without_values), asked.page)
    drifts = done.drift
    if keep is not None:
        _remember(plan_file, asked.given, choices, done, published, keep)
    if as_json:
        said = plain(done, published)
        said["since the last run"] = [one.to_plain() for one in drifts]
        if plan.model.taken:
            said["environment"] = [{"variable": name, "as": purpose} for name, purpose in plan.model.taken]
        if match is not None:
            said["wanted"] = show.plain_match(match)
        print(json.dumps(said, ensure_ascii=False))
    else:
        _tell_all(plan, done, published, drifts, match, asked)
    return Exit.DONE if done.holds or asked.accept else Exit.NOT_PROVED


def _files(choices: Choices) -> int:
    """How many files will be read, for the line of progress; 0 where that is not known yet."""
    try:
        return len(inputs_of(choices))
    except KebrinError:
        return 0


def _remember(
    plan_file: Path, given: Mapping[str, str], choices: Choices, done: Run, published: Iterable[Published], folder: Path
) -> None:
    """Keep what the run read and wrote, and let go of what is kept for too long."""
    known = {source.file: source.digest for one in done.done for source in one.proof.sources}
    remember(
        Memory(
            plan_digest(plan_file, given), choices, digests(inputs_of(choices), known), digests(done.reads),
            digests(item.path for item in published if not item.place), done.holds,
            {one.name: len(one.table) for one in done.done},
        ),
        plan_file, folder,
    )  # fmt: skip
    clear_old(folder)


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
                "file": shown(item.path),
                "proof": shown(item.proof_path),
                "held back": item.held_back,
            }
            for item in published
        ],
    }


def tell(out: Console, done: Run, published: tuple[Published, ...], drifts: Sequence[Drift] = ()) -> None:
    """A run's result for people; tables of details share the account of their records."""
    for part in done.done:
        files = len(part.proof.sources)
        sheets = sum(len(source.used) for source in part.proof.sources)
        from_what = f"one per observation, from {show.counted(sheets, 'sheet')} of {show.counted(files, 'file')}"
        if not part.proof.ledgers:
            from_what = "; ".join(remark.what for remark in part.proof.remarks if remark.kind == FindingKind.MADE_OF)
        show.heading(out, f"{part.name}: {show.counted(len(part.table), 'row')}, {from_what}")
        show.sample(out, part.table)
        own = part.proof.ledgers, part.proof.conservation
        same = (one.name for one in done.done if (one.proof.ledgers, one.proof.conservation) == own)
        show.verdict(out, part.proof, same_as=next(same) if part.proof.ledgers else part.name)
        show.remarks(out, part.proof)
    since_last(out, drifts)
    show.outputs(out, published)


def _tell_all(
    plan: Plan,
    done: Run,
    published: tuple[Published, ...],
    drifts: tuple[Drift, ...],
    match: Match | None,
    asked: Asked,
) -> None:
    out = show.console()
    tell(out, done, published, drifts)
    for name, purpose in plan.model.taken:
        show.line(out, f"{name}  taken from the environment, as {purpose}")
    if match is not None:
        show.wanted(out, match)
    if asked.page is not None:
        show.line(out, f"{asked.page}  the proof as a page")
    show.trace_hint(out, published)
