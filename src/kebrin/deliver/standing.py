"""What stands where an output goes, and what becomes of it: replaced, added to, renewed, left, or told and taken away."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kebrin.deliver.adding import Run, is_there, refuse_rows_there, run_of, runs_in
from kebrin.deliver.file_names import next_name
from kebrin.deliver.guard import is_own, proof_path
from kebrin.deliver.outputs import ownerless
from kebrin.deliver.writing.books import page_names
from kebrin.deliver.writing.renewing import not_kept
from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from kebrin.deliver.outputs import Target


@dataclass(frozen=True)
class Standing:
    """What the run before left where an output goes.

    Attributes:
        runs: the runs whose rows stand there.
        stale: sheets of earlier runs that are in no table now.
        renew: whether sheets are renewed in the workbook that stands there.
        adds: whether rows are added to those that stand there.
        already: whether the rows of this run stand there already, so that nothing is to be done.
    """

    runs: tuple[Run, ...] = ()
    stale: tuple[str, ...] = ()
    renew: bool = False
    adds: bool = False
    already: bool = False


def settled(targets: Iterable[Target]) -> tuple[list[Target], list[Target]]:
    """The targets to write, under a free name where the plan asks for one; and those that are left as they stand."""
    write, left = [], []
    for target in targets:
        if target.if_there == "leave" and target.path.exists():
            left.append(target)
        elif target.if_there == "new name":
            write.append(replace(target, path=next_name(target.path)))
        else:
            write.append(target)
    return write, left


def standing(target: Target) -> Standing:
    """What is to be known of the file that stands where a target goes.

    Raises:
        OutputError: rows of one of its sources stand there already.
    """
    if not target.path.exists() or target.database or target.template is not None:
        return Standing()
    if target.if_there == "append":
        return _added_to(target)
    said = proof_of(target.path) if target.if_there == "keep other sheets" or is_own(target.path) else {}
    if target.path.suffix.lower() != ".xlsx":
        return Standing()
    own = {name.casefold() for name in page_names(page.name for page in target.pages)}
    if target.if_there == "keep other sheets":
        _refuse_peoples(target, own, said)
    sheets = [str(one.get("sheet", "")) for one in said.get("output", {}).get("sheets", ())]
    stale = tuple(name for name in page_names(sheets) if name.casefold() not in own)
    keeps = target.if_there == "keep other sheets" or bool(stale and target.stale == "tell")
    return Standing((), stale, renew=keeps)


def _refuse_peoples(target: Target, own: set[str], said: dict[str, Any]) -> None:
    """Refuse to take the place of a sheet that a person made, and to write a workbook again that would lose something.

    Raises:
        OutputError: a sheet of that name stands there and is none of ours, or the workbook holds what would be gone.
    """
    about = said.get("output", {})
    known = [*about.get("own sheets", ()), *(one.get("sheet", "") for one in about.get("sheets", ()))]
    if about and not known:  # it was the only sheet of its output, called as its table is
        known = [said.get("table", "")]
    ours = {str(name).casefold() for name in known}
    there = {name.casefold(): name for name in _sheets_in(target.path)}
    theirs = [there[name] for name in sorted(own) if name in there and name not in ours]
    if theirs:
        raise OutputError(
            f"the sheet {theirs[0]!r} was not written by Kebrin", Place(str(target.path)), why="it would be replaced",
            do="State another name as sheet, or rename that sheet in the workbook",
        )  # fmt: skip
    if lost := not_kept(target.path):
        raise OutputError(
            "the workbook holds what would be lost", Place(str(target.path)), why=f"{', '.join(lost)} can't be written again",
            do="Write a file of its own, and bring the sheet over",
        )  # fmt: skip


def _sheets_in(path: Path) -> tuple[str, ...]:
    """The names of a workbook's sheets."""
    from python_calamine import CalamineWorkbook

    return tuple(CalamineWorkbook.from_path(str(path)).sheet_names)


def proof_of(path: Path) -> dict[str, Any]:
    """The proof beside a file, if it can be read."""
    try:
        said = json.loads(proof_path(path).read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return said if isinstance(said, dict) and isinstance(said.get("output"), dict) else {}


def sources_of(target: Target) -> tuple[str, ...]:
    """The digests of the files that a target is made of."""
    return tuple(sorted({source.digest for done in target.done for source in done.proof.sources}))


def run_in(target: Target) -> Run:
    """The run whose rows a target is made of."""
    own = [run_of(page.table, ()).rows for page in target.pages]
    rows = own[0] if len(own) == 1 else hashlib.sha256("".join(own).encode()).hexdigest()
    return Run(rows, sources_of(target))


def _added_to(target: Target) -> Standing:
    """What is to be known of a file that rows are added to; its proof tells of earlier runs, or else its rows do.

    Raises:
        OutputError: the rows, or a part of them, stand there already, and it can't be told whether by this run.
    """
    runs = runs_in(proof_of(target.path).get("output", {}).get("runs"))
    first = next((source.file for done in target.done for source in done.proof.sources), "")
    if is_there(run_in(target), runs, str(target.path), first=first):
        return Standing(runs, already=True)
    if not is_own(target.path) and len(target.pages) == 1:
        refuse_rows_there(target.pages[0].table, target.path, target.form, target.done[0].name)
    return Standing(runs, adds=True)


def stale_files(targets: Sequence[Target]) -> list[tuple[Path, bool]]:
    """Files that an earlier run wrote for values that no row has now, and whether the plan says to remove them."""
    found = []
    for target, path in ownerless(targets):
        if is_own(path) and proof_of(path)["output"].get("for each") == target.pattern.rpartition("/")[2]:
            found.append((path, target.stale == "remove"))
    return found
