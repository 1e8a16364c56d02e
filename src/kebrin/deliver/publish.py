"""Publish a finished table: the data file and its proof beside it, or, unproved, both under a name that says so."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.deliver.atomic import refuse_sources, whole_file
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


def proof_path(path: Path) -> Path:
    """The proof file that belongs to a data file.

    >>> proof_path(Path("out/traffic.csv")).as_posix()
    'out/traffic.csv.proof.json'
    """
    return path.with_name(f"{path.name}.proof.json")


def unproved_path(path: Path) -> Path:
    """The name that an unproved output bears.

    >>> unproved_path(Path("out/traffic.csv")).as_posix()
    'out/traffic.unproved.csv'
    """
    return path.with_name(f"{path.stem}.unproved{path.suffix}")


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
    with whole_file(target) as part, whole_file(proof_path(target)) as proof_part:
        write_table(done.table, part, kind=path.suffix)
        proof_part.write_text(_proof_text(done, target.name, part, target.parent), "utf-8")
    if not held_back:
        for stale in (unproved_path(path), proof_path(unproved_path(path))):
            stale.unlink(missing_ok=True)
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
