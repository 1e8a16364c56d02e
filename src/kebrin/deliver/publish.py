"""Publish a finished table: the data file and its proof beside it, or, unproved, both under a name that says so."""

from __future__ import annotations

import json
import os
from contextlib import suppress
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, cast

from kebrin.deliver.atomic import whole_files
from kebrin.deliver.guard import is_own, proof_path, refuse_sources, unproved_path
from kebrin.deliver.outputs import Target
from kebrin.deliver.reading_back import hold
from kebrin.deliver.standing import Standing, run_in, standing
from kebrin.deliver.writing.books import Page, page_names, write_book
from kebrin.deliver.writing.database import put_into_database, shown_address
from kebrin.deliver.writing.guarding import formulas_in, guarded, told
from kebrin.deliver.writing.handouts import ENDINGS as HANDOUTS
from kebrin.deliver.writing.handouts import About, write_handout
from kebrin.deliver.writing.metadata import metadata, metadata_path
from kebrin.deliver.writing.tables import WRITERS, TextForm, refuse_too_large, write_table
from kebrin.errors import OutputError, Place
from kebrin.sources.files import digest
from kebrin.sources.remote import address_of, is_address

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.table import Parts, Table
    from kebrin.work.joining import Done

# A sheet and the row and column (1-based) of its first value.
Spot = tuple[str, int, int]

# What sums of more rows than this are made of is not written down: each row takes a place of its own.
_MOST_PARTS = 200_000
# A table of a proof longer than this has a line for each of its keys.
_LONG = 100


@dataclass(frozen=True)
class Published:
    """Where a table went; `held_back` if its proof does not hold and it stands beside the last good one.

    `said` is what a person should look at: what did not fit into a prepared workbook, what no value owns any more. `left` is
    true of a file that was left as it stands, `added` of one that rows were added to; `place` names a table of a database.
    """

    table: str
    path: Path
    proof_path: Path
    held_back: bool
    rows: int = 0
    traceable: bool = False
    said: tuple[str, ...] = ()
    left: bool = False
    added: bool = False
    place: str = ""
    measure: str = ""  # the value column that a trace must name, where there are several
    sheet: str = ""  # the sheet that it must name, where there are several


def refuse_ending(path: Path) -> None:
    """Refuse an output whose ending is not known, before any work is done.

    Raises:
        OutputError: it is not one of those that are written.
    """
    if path.suffix.lower() not in {*WRITERS, *HANDOUTS}:
        raise OutputError(
            f"tables are not written as {path.suffix or 'a file without an ending'!r}", Place(str(path)),
            why=f"the endings known are {', '.join([*WRITERS, *HANDOUTS])}", do="Name the output with one of these",
        )  # fmt: skip


def publish(done: Done, path: Path, *, accept: bool = False, guard: bool = False) -> Published:
    """Write one table and its proof; see `publish_target`."""
    refuse_ending(path)
    form = TextForm(guard=guard)
    return publish_target(Target(path, (done,), (Page("tidy", done.table),), form), accept=accept)


def publish_target(target: Target, *, accept: bool = False, there: Standing | None = None) -> Published:
    """Write a file and its proof; what is made of a table whose proof does not hold is held back unless accepted.

    The last good output is left alone when the new one is held back; a held back one is removed when its successor is
    published.

    Raises:
        OutputError: the output is a source, its ending is not known, its columns are others than those it is added to, or it
            can't be written.
    """
    path = target.path
    if not target.database:
        refuse_ending(path)
    read = [source.file for done in target.done for source in done.proof.sources]
    refuse_sources(path, [*read, *([target.template] if target.template else [])])
    holds = all(done.proof.holds for done in target.done)
    held_back = not holds and not accept
    written = unproved_path(path) if held_back else path
    done = [replace(one, proof=replace(one.proof, accepted=accept and not one.proof.holds)) for one in target.done]
    there = Standing() if held_back else standing(target) if there is None else there
    if target.database:
        said: list[str] = []
        if not held_back:
            page = target.pages[0]
            choice = cast("Literal['refuse', 'replace', 'append']", target.if_there)
            said += put_into_database(
                page.table, target.database, target.into, key=target.key, standing=choice, folder=path.parent,
                run=run_in(target),
            )  # fmt: skip
        with whole_files([proof_path(written)]) as (proof_part,):
            proof_part.write_text(proof_text(target, done, written, None, there), "utf-8")
    else:
        beside = [metadata_path(written)] if target.metadata else []
        with whole_files([written, *beside, proof_path(written)]) as (part, *more, proof_part):
            said, places = _write(target, part, written, there)
            if not places and _is_traced(target, there) and not there.renew:
                hold(target, part, written)
            for one in more:
                one.write_text(metadata(target.pages[0].table, written.name, target.form, target.key), "utf-8")
            proof_part.write_text(proof_text(target, done, written, part, there, places=places), "utf-8")
    if not held_back:
        remove_own(unproved_path(path))
    table = target.pages[0].table
    parts = _parts_of(table)
    figures = [*table.measures, *(parts.columns if parts else ())]
    return Published(
        ", ".join(one.name for one in target.done), written, proof_path(written), held_back,
        sum(len(page.table) for page in target.pages),
        _is_traced(target, there) and bool(figures) and bool(parts or len(table.origins)),
        (*said, *_of_stale_sheets(target, there)), added=there.adds,
        measure=figures[0] if len(figures) > 1 else "",
        sheet=page_names([target.pages[0].name])[0] if len(target.pages) > 1 else "",
        place=f"{target.into} in {shown_address(target.database)}" if target.database else address_of(written),
    )  # fmt: skip


def left_standing(target: Target, said: Sequence[str] = ()) -> Published:
    """A target whose file is left as it stands; `said` is why, where the plan does not say so."""
    names = ", ".join(one.name for one in target.done)
    return Published(names, target.path, proof_path(target.path), held_back=False, left=True, said=tuple(said))


def remove_stale(path: Path, *, remove: bool) -> str:
    """What is said of a file that no value owns any more; it is removed if asked, its proof with it."""
    if remove:
        remove_own(path)
        return f"{path.name} was written by an earlier run and no row has its value now: it was removed"
    return f'{path.name} was written by an earlier run and no row has its value now; stale = "remove" takes it away'


def remove_own(path: Path) -> None:
    """Take away a file that Kebrin wrote, and what stands beside it."""
    if is_own(path):
        for one in (path, metadata_path(path), proof_path(path)):
            with suppress(OSError):
                one.unlink(missing_ok=True)


def _of_stale_sheets(target: Target, there: Standing) -> list[str]:
    gone = target.stale == "remove"
    return [
        f"sheet {name!r} of an earlier run is in no table now"
        + (": it was taken out" if gone else '; stale = "remove" takes it away')
        for name in there.stale
    ]


def _is_traced(target: Target, there: Standing) -> bool:
    """Whether its values can be traced from what is written: files of which all rows come from this run."""
    return (
        not there.adds and not target.database and target.path.suffix.lower() not in HANDOUTS and target.what == "table"
    )


def _write(target: Target, part: Path, shown: Path, there: Standing) -> tuple[list[str], list[Spot]]:
    """Write a file's data; what a person should look at is given back, and where on a template the values stand.

    What writes a kind of file is loaded when one is written: most runs write one kind.
    """
    page = target.pages[0]
    if target.template is not None:
        from kebrin.deliver.writing.templates import put_into

        put = put_into(
            target.template,
            target.at,
            page.table,
            part,
            turned=target.turned,
            headings=target.headings,
            insert=target.insert,
        )
        return put.said, [(put.sheet, put.row, put.column)]
    kind = target.path.suffix.lower()
    if kind in HANDOUTS:
        sources = tuple(dict.fromkeys(Path(one.file).name for done in target.done for one in done.proof.sources))
        title = ", ".join(one.name for one in target.done) if len(target.pages) > 1 else page.heading or page.name
        write_handout(target.pages, part, About(title, target.letterhead, target.chart, sources), kind=kind)
    elif kind in {".xlsx", ".ods"}:
        for one in target.pages:
            refuse_too_large(one.table, shown)
        if kind == ".ods":
            from kebrin.deliver.writing.documents import write_document

            write_document(target.pages, part)
        elif there.adds:
            from kebrin.deliver.writing.renewing import add_rows

            add_rows(target.pages, target.path, part)
        elif there.renew:
            from kebrin.deliver.writing.renewing import renew_sheets

            gone = there.stale if target.stale == "remove" else ()
            renew_sheets(target.pages, target.path, part, gone=gone)
        else:
            write_book(target.pages, part)
    elif there.adds:
        from kebrin.deliver.writing.appending import add_to

        add_to(page.table, target.path, part, form=target.form, name=target.done[0].name)
    else:
        formulas = formulas_in(page.table) if kind == ".csv" else {}
        table = guarded(page.table) if formulas and target.form.guard else page.table
        write_table(table, part, kind=kind, shown=shown, form=target.form, name=target.done[0].name)
        said = told(formulas, guard=target.form.guard)
        return [said] if said else [], []
    return [], []


def proof_text(
    target: Target, done: list[Done], written: Path, part: Path | None, there: Standing, *,
    rows: int | None = None, places: Sequence[Spot] = (),
) -> str:  # fmt: skip
    """The text of the proof that stands beside an output; `rows` where not all of them are at hand, `places` on a template."""
    traced = _is_traced(target, there)
    alone = target.pages[0].table if traced and len(target.pages) == 1 and not places else None
    plain = done[0].proof.to_plain() if len(done) == 1 else _several(done)
    count = sum(len(page.table) for page in target.pages) if rows is None else rows
    plain["output"] = {
        "file": written.name, "sha256": digest(part) if part else "", "rows": count,
        "columns": list(alone.columns) if alone is not None else [],
        "measures": list(alone.measures) if alone is not None else [],
        **({"made": dict(alone.made)} if alone is not None and alone.made else {}),
    }  # fmt: skip
    if target.form != TextForm():
        plain["output"]["form"] = asdict(target.form)
    if target.pages[0].heading:
        plain["output"]["above"] = 2
    if target.database:
        plain["output"]["table of the database"] = target.into
    if target.if_there == "keep other sheets":
        plain["output"]["own sheets"] = page_names(page.name for page in target.pages)
    if target.pattern:
        plain["output"]["for each"] = Path(target.pattern).name
    if target.if_there == "append":
        plain["output"]["runs"] = [one.to_plain() for one in (*there.runs, run_in(target))]
    if not target.is_whole or not traced:
        kept = there.stale if there.renew and target.stale == "tell" else ()
        plain["output"]["sheets"] = [
            *({"sheet": page.name, "rows": len(page.table)} for page in target.pages),
            *({"sheet": name, "of an earlier run": True} for name in kept),
        ]
    # The sources as seen from the output, so that a trace works from any folder.
    for source in plain["sources"]:
        source["from here"] = _seen_from(written.parent, source["file"])
    plain |= _behind(alone) if alone is not None else {"origin": []}
    if traced and alone is None:
        plain["behind"] = [_behind_page(target, at, places) for at in range(len(target.pages))]
    return _lines_of(plain)


def _behind(table: Table) -> dict[str, Any]:
    """Which cells are behind a table's values and figures."""
    parts = _parts_of(table)
    ways = {name: way._asdict() for name, way in table.ways.items() if name in table.columns}
    return {
        "origin": table.origins.to_plain(), **({"parts": parts.to_plain()} if parts is not None else {}),
        **({"ways": ways} if ways else {}),
    }  # fmt: skip


def _behind_page(target: Target, at: int, places: Sequence[Spot]) -> dict[str, Any]:
    """The same for one sheet of several, or for a place on a template: where it is, and what it has."""
    page = target.pages[at]
    where = places[at] if places else (page_names(one.name for one in target.pages)[at], 0, 0)
    table = page.table
    said = {"sheet": where[0], "rows": len(table), "columns": list(table.columns), "measures": list(table.measures)}
    if places:
        said |= {"first": list(where[1:]), "turned": target.turned}
    elif page.heading:
        said["above"] = 2
    return {**said, **_behind(table)}


def _parts_of(table: Table) -> Parts | None:
    """What a table's figures are made of, if its proof says it."""
    return table.parts if table.parts is not None and len(table.parts.rows) <= _MOST_PARTS else None


def _lines_of(plain: dict[str, Any]) -> str:
    """Plain values as JSON, a line for each key and for each member of a list: people can read it, and large ones are quick."""
    lines = []
    for key, value in plain.items():
        said = json.dumps(value, ensure_ascii=False)
        if isinstance(value, list) and len(value) > 1:
            members = ",\n  ".join(json.dumps(one, ensure_ascii=False) for one in value)
            said = f"[\n  {members}\n ]"
        elif isinstance(value, dict) and len(said) > _LONG:
            members = ",\n  ".join(
                f"{json.dumps(name)}: {json.dumps(one, ensure_ascii=False)}" for name, one in value.items()
            )
            said = f"{{\n  {members}\n }}"
        lines.append(f" {json.dumps(key, ensure_ascii=False)}: {said}")
    return "{\n" + ",\n".join(lines) + "\n}\n"


def _several(done: list[Done]) -> dict[str, Any]:
    """The proofs of several tables that are one file."""
    plains = [one.proof.to_plain() for one in done]
    sources = {source["file"]: source for plain in plains for source in plain["sources"]}
    return {
        "kebrin proof": plains[0]["kebrin proof"], "table": ", ".join(one.name for one in done),
        "holds": all(one.proof.holds for one in done), "sources": list(sources.values()), "tables": plains,
    }  # fmt: skip


def _seen_from(folder: Path, file: str) -> str:
    if is_address(file) or address_of(folder / "x"):
        return file if is_address(file) else str(Path(file).resolve())
    try:
        return Path(os.path.relpath(file, folder)).as_posix()
    except ValueError:  # another drive
        return str(Path(file).resolve())
