"""`kebrin tidy`."""

from __future__ import annotations

import dataclasses
import json
from typing import TYPE_CHECKING, NamedTuple

from kebrin.cli.ahead import reports_of
from kebrin.cli.ending import Exit
from kebrin.sources.inputs import choose

_LONGEST_NAME = 80
# A file of fewer bytes has a table that fits into memory.
_LONG_BYTES = 16 << 20

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from pathlib import Path

    from kebrin.deliver.publish import Published
    from kebrin.sources.inputs import Chosen
    from kebrin.unpivoting import Keep
    from kebrin.work.gathering import Crew
    from kebrin.work.joining import Done, Terms
    from kebrin.work.unaided import Found


class Asked(NamedTuple):
    """The options of the command."""

    keep_blanks: bool = False
    keep_marks: bool = False
    tolerance: float | None = None
    strict: bool = False
    accept: bool = False
    replace: bool = False
    workers: int = 1
    scheduler: str = ""
    guard: bool = False
    page: Path | None = None
    page_without_values: bool = False


def tidy(inputs: Sequence[str], output: Path, asked: Asked | None = None, *, as_json: bool = False) -> int:
    """Tidy reports without a plan and write what came of it."""
    asked = asked or Asked()
    chosen = choose(inputs)
    if asked.workers > 1 or asked.scheduler:
        from kebrin.work.crews import crew_of

        with crew_of(asked.workers, asked.scheduler) as crew:
            return _tidy(chosen, output, asked, crew, as_json=as_json)
    return _tidy(chosen, output, asked, None, as_json=as_json)


def _tidy(chosen: Chosen, output: Path, asked: Asked, crew: Crew | None, *, as_json: bool) -> int:
    # What works on tables and writes them is loaded while others read already.
    by_crew = None if crew is None else _begun(chosen.paths, asked, crew, progress=not as_json)
    reports = reports_of(chosen.paths, progress=not as_json, aside=True) if crew is None else iter(())
    from kebrin.deliver.guard import check_outputs
    from kebrin.deliver.locks import held
    from kebrin.deliver.publish import publish, refuse_ending
    from kebrin.deliver.sending import at_hand, send
    from kebrin.unpivoting import Keep
    from kebrin.work.joining import Terms
    from kebrin.work.telling import passed_over
    from kebrin.work.unaided import survey_reports, tables_of

    if not as_json:
        from kebrin.cli import show  # noqa: F401 - loaded while the first workbook is being parsed

    output = at_hand(output)
    refuse_ending(output)
    terms = Terms(tolerance=asked.tolerance, strict=asked.strict)
    keep = Keep.of(asked.keep_blanks, asked.keep_marks)
    flowed = None if crew is not None else _flowed(chosen, output, asked, terms, keep, progress=not as_json)
    if flowed is not None:
        return _tell_flow(*flowed, accept=asked.accept, as_json=as_json)
    found = survey_reports(reports, keep=keep, terms=terms) if by_crew is None else by_crew()
    done = tables_of(found, terms, passed_over(chosen.passed))
    paths = _paths(output, done)
    sources = [source.file for source in done[0].proof.sources]
    check_outputs(paths, sources, replace=asked.replace)
    if asked.page is not None:
        from kebrin.deliver.page import refuse_page

        refuse_page(asked.page, sources)
    with held(paths):
        published = [
            publish(part, path, accept=asked.accept, guard=asked.guard) for part, path in zip(done, paths, strict=True)
        ]
        send()
    if asked.page is not None:
        from kebrin.deliver.page import proof_page, write_page

        write_page(proof_page(done, values=not asked.page_without_values), asked.page)
    if as_json:
        print(
            json.dumps(
                {"tables": [_plain(part, item) for part, item in zip(done, published, strict=True)]},
                ensure_ascii=False,
            )
        )
    else:
        _show(done, published, asked.page)
    return Exit.DONE if all(part.proof.holds or asked.accept for part in done) else Exit.NOT_PROVED


def _flowed(
    chosen: Chosen, output: Path, asked: Asked, terms: Terms, keep: Keep | None, *, progress: bool
) -> tuple[Done, Published] | None:
    """What became of a table too long for memory, passed through in batches; None if the reports are not so."""
    from kebrin.deliver.streaming import WRITERS, stream

    (path, *more) = chosen.paths
    if (
        more
        or asked.guard
        or output.suffix.lower() not in WRITERS
        or not path.is_file()
        or path.stat().st_size < _LONG_BYTES
    ):
        return None
    from kebrin.deliver.guard import check_outputs
    from kebrin.sources import read
    from kebrin.sources.long_text import UnevenRowsError
    from kebrin.work.flowing import flow_of
    from kebrin.work.unaided import FileTask

    flow = flow_of(read(path), FileTask(keep, asked.tolerance), terms)
    if flow is None:
        return None
    check_outputs([output], [str(path)], replace=asked.replace)
    from kebrin.cli.progress import Progress
    from kebrin.deliver.sending import send
    from kebrin.sources.remote import address_of

    with Progress(shown=progress) as line:
        try:
            streamed = stream(
                flow, output, accept=asked.accept, on_rows=lambda rows: line.inside(path.name, rows, flow.likely)
            )
        except UnevenRowsError:
            return None
    send()
    done, published = streamed
    return done, dataclasses.replace(published, place=address_of(output))


def _tell_flow(done: Done, published: Published, *, accept: bool, as_json: bool) -> int:
    if as_json:
        print(json.dumps({"tables": [_plain(done, published)]}, ensure_ascii=False))
    else:
        _show([done], [published])
    return Exit.DONE if done.proof.holds or accept else Exit.NOT_PROVED


def _begun(paths: Sequence[Path], asked: Asked, crew: Crew, *, progress: bool) -> Callable[[], Found]:
    """Have a crew begin; the call that is given waits for what it finds."""
    from kebrin.cli.progress import Progress
    from kebrin.unpivoting import Keep
    from kebrin.work.gathering import gather
    from kebrin.work.unaided import FileTask, grouped

    line = Progress(shown=progress, total=len(paths))
    task = FileTask(Keep.of(asked.keep_blanks, asked.keep_marks), asked.tolerance)
    given = gather(paths, task, crew=crew, on_file=line.at)

    def found() -> Found:
        with line:
            return grouped(given)

    return found


def _paths(output: Path, done: Sequence[Done]) -> list[Path]:
    """A file for each table: the output's own name, and for those after the first that name with the table's."""
    paths = [output]
    for part in done[1:]:
        safe = "".join(letter if letter.isalnum() or letter in "-_" else "_" for letter in part.name)[:_LONGEST_NAME]
        path, count = output.with_name(f"{output.stem}.{safe}{output.suffix}"), 2
        while path.name.casefold() in {one.name.casefold() for one in paths}:
            path, count = output.with_name(f"{output.stem}.{safe}_{count}{output.suffix}"), count + 1
        paths.append(path)
    return paths


def _plain(done: Done, item: Published) -> dict[str, object]:
    from kebrin.deliver.sending import shown

    return {
        "name": done.name, "file": shown(item.path), "rows": item.rows, "columns": list(done.table.columns),
        "proof": done.proof.to_plain(),
    }  # fmt: skip


def _show(done: Sequence[Done], published: Sequence[Published], page: Path | None = None) -> None:
    from kebrin.cli import show

    out = show.console()
    for part, item in zip(done, published, strict=True):
        show.heading(out, f"{part.name}: {show.counted(item.rows, 'row')}, one per observation")
        show.sample(out, part.table)
        show.verdict(out, part.proof)
        show.remarks(out, part.proof)
    show.outputs(out, published)
    if page is not None:
        show.line(out, f"{page}  the proof as a page")
    show.trace_hint(out, published)
