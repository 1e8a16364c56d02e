"""Publish a finished table: the data file and its proof beside it, or, unproved, both under a name that says so."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.deliver.atomic import whole_files
from kebrin.deliver.books import Page, put_into, write_book
from kebrin.deliver.guard import is_own, proof_path, refuse_sources, unproved_path
from kebrin.deliver.outputs import Target
from kebrin.deliver.tables import WRITERS, refuse_too_large, write_table
from kebrin.errors import OutputError, Place
from kebrin.sources.files import digest

if TYPE_CHECKING:
    from kebrin.work.joining import Done


@dataclass(frozen=True)
class Published:
    """Where a table went; `held_back` if its proof does not hold and it stands beside the last good one.

    `said` is what a person should look at in a prepared workbook.
    """

    table: str
    path: Path
    proof_path: Path
    held_back: bool
    rows: int = 0
    traceable: bool = False
    said: tuple[str, ...] = ()


def refuse_ending(path: Path) -> None:
    """Refuse an output whose ending is not known, before any work is done.

    Raises:
        OutputError: it is not one of those that are written.
    """
    if path.suffix.lower() not in WRITERS:
        raise OutputError(
            f"tables are not written as {path.suffix or 'a file without an ending'!r}", Place(str(path)),
            why=f"the endings known are {', '.join(WRITERS)}", do="Name the output with one of these",
        )  # fmt: skip


def publish(done: Done, path: Path, *, accept: bool = False) -> Published:
    """Write one table and its proof; see `publish_target`."""
    refuse_ending(path)
    return publish_target(Target(path, (done,), (Page("tidy", done.table),)), accept=accept)


def publish_target(target: Target, *, accept: bool = False) -> Published:
    """Write a file and its proof; what is made of a table whose proof does not hold is held back unless accepted.

    The last good output is left alone when the new one is held back; a held back one is removed when its successor is
    published.

    Raises:
        OutputError: the output is a source, its ending is not known, or it can't be written.
    """
    path = target.path
    refuse_ending(path)
    read = [source.file for done in target.done for source in done.proof.sources]
    refuse_sources(path, [*read, *([target.template] if target.template else [])])
    holds = all(done.proof.holds for done in target.done)
    held_back = not holds and not accept
    written = unproved_path(path) if held_back else path
    done = [replace(one, proof=replace(one.proof, accepted=accept and not one.proof.holds)) for one in target.done]
    with whole_files([written, proof_path(written)]) as (part, proof_part):
        said = _write(target, part, written)
        proof_part.write_text(_proof_text(target, done, written.name, part, written.parent), "utf-8")
    if not held_back:
        stale = unproved_path(path)
        if is_own(stale):
            stale.unlink(missing_ok=True)
            proof_path(stale).unlink(missing_ok=True)
    rows = sum(len(page.table) for page in target.pages)
    names = ", ".join(one.name for one in target.done)
    return Published(
        names,
        written,
        proof_path(written),
        held_back,
        rows,
        target.is_plain and bool(target.done[0].table.measures),
        tuple(said),
    )


def _write(target: Target, part: Path, shown: Path) -> list[str]:
    """Write a file's data; what a person should look at is given back."""
    if target.template is not None:
        page = target.pages[0]
        return put_into(target.template, target.at, page.table, part, turned=target.turned, headings=target.headings)
    kind = target.path.suffix.lower()
    if kind == ".xlsx":
        for page in target.pages:
            refuse_too_large(page.table, shown)
        write_book(target.pages, part)
    else:
        page = target.pages[0]
        write_table(page.table, part, kind=kind, shown=shown, form=target.form, name=target.done[0].name)
    return []


def _proof_text(target: Target, done: list[Done], name: str, written: Path, folder: Path) -> str:
    whole = done[0] if target.is_plain else None
    plain = done[0].proof.to_plain() if len(done) == 1 else _several(done)
    plain["output"] = {
        "file": name, "sha256": digest(written), "rows": sum(len(page.table) for page in target.pages),
        "columns": list(whole.table.columns) if whole else [], "measures": list(whole.table.measures) if whole else [],
    }  # fmt: skip
    if not whole:
        plain["output"]["sheets"] = [{"sheet": page.name, "rows": len(page.table)} for page in target.pages]
    # The sources as seen from the output, so that a trace works from any folder.
    for source in plain["sources"]:
        source["from here"] = _seen_from(folder, source["file"])
    plain["origin"] = whole.table.origins.to_plain() if whole else []
    return json.dumps(plain, ensure_ascii=False, indent=1) + "\n"


def _several(done: list[Done]) -> dict[str, Any]:
    """The proofs of several tables that are one file."""
    plains = [one.proof.to_plain() for one in done]
    sources = {source["file"]: source for plain in plains for source in plain["sources"]}
    return {
        "kebrin proof": plains[0]["kebrin proof"], "table": ", ".join(one.name for one in done),
        "holds": all(one.proof.holds for one in done), "sources": list(sources.values()), "tables": plains,
    }  # fmt: skip


def _seen_from(folder: Path, file: str) -> str:
    try:
        return Path(os.path.relpath(file, folder)).as_posix()
    except ValueError:  # another drive
        return str(Path(file).resolve())
