"""Publish a finished table: the data file and its proof beside it, or, unproved, both under a name that says so."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.deliver.atomic import whole_files
from kebrin.deliver.guard import is_own, proof_path, refuse_sources, unproved_path
from kebrin.deliver.tables import WRITERS, write_table
from kebrin.errors import OutputError, Place
from kebrin.sources.files import digest

if TYPE_CHECKING:
    from kebrin.work.joining import Done


@dataclass(frozen=True)
class Published:
    """Where a table went; `held_back` if its proof does not hold and it stands beside the last good one."""

    table: str
    path: Path
    proof_path: Path
    held_back: bool


def refuse_ending(path: Path) -> None:
    """Refuse an output whose ending is not known, before any work is done.

    Raises:
        OutputError: it is not one of .csv, .parquet, .xlsx.
    """
    if path.suffix.lower() not in WRITERS:
        raise OutputError(
            f"tables are not written as {path.suffix or 'a file without an ending'!r}", Place(str(path)),
            why=f"the endings known are {', '.join(WRITERS)}", do="Name the output with one of these",
        )  # fmt: skip


def publish(done: Done, path: Path, *, accept: bool = False) -> Published:
    """Write a table and its proof; a table whose proof does not hold is held back unless accepted.

    The last good output is left alone when the new one is held back; a held back one is removed when its successor is
    published.

    Raises:
        OutputError: the output is a source, its ending is not known, or it can't be written.
    """
    refuse_ending(path)
    refuse_sources(path, (source.file for source in done.proof.sources))
    held_back = not done.proof.holds and not accept
    target = unproved_path(path) if held_back else path
    if accept and not done.proof.holds:
        done = replace(done, proof=replace(done.proof, accepted=True))
    with whole_files([target, proof_path(target)]) as (part, proof_part):
        write_table(done.table, part, kind=path.suffix, shown=target)
        proof_part.write_text(_proof_text(done, target.name, part, target.parent), "utf-8")
    if not held_back:
        stale = unproved_path(path)
        if is_own(stale):
            stale.unlink(missing_ok=True)
            proof_path(stale).unlink(missing_ok=True)
    return Published(done.name, target, proof_path(target), held_back)


def _proof_text(done: Done, name: str, written: Path, folder: Path) -> str:
    plain = done.proof.to_plain()
    plain["output"] = {
        "file": name, "sha256": digest(written), "rows": len(done.table), "columns": list(done.table.columns),
        "measures": list(done.table.measures),
    }  # fmt: skip
    # The sources as seen from the output, so that a trace works from any folder.
    for source in plain["sources"]:
        source["from here"] = _seen_from(folder, source["file"])
    plain["origin"] = done.table.origins.to_plain()
    return json.dumps(plain, ensure_ascii=False, indent=1) + "\n"


def _seen_from(folder: Path, file: str) -> str:
    try:
        return Path(os.path.relpath(file, folder)).as_posix()
    except ValueError:  # another drive
        return str(Path(file).resolve())
