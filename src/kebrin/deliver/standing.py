"""What stands where an output goes, and what becomes of it: replaced, added to, renewed, left, or told and taken away."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from kebrin.deliver.file_names import next_name
from kebrin.deliver.guard import is_own, proof_path
from kebrin.deliver.outputs import ownerless
from kebrin.deliver.writing.books import page_names
from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from kebrin.deliver.outputs import Target


@dataclass(frozen=True)
class Standing:
    """What the run before left where an output goes.

    Attributes:
        runs: for each run whose rows stand there, the digests of its sources.
        stale: sheets of earlier runs that are in no table now.
        renew: whether sheets are renewed in the workbook that stands there.
        adds: whether rows are added to those that stand there.
    """

    runs: tuple[tuple[str, ...], ...] = ()
    stale: tuple[str, ...] = ()
    renew: bool = False
    adds: bool = False


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
    said = proof_of(target.path) if target.if_there == "keep other sheets" or is_own(target.path) else {}
    if target.if_there == "append":
        runs = tuple(tuple(map(str, run)) for run in said.get("output", {}).get("runs", ()))
        _refuse_again(target, runs)
        return Standing(runs, adds=True)
    if target.path.suffix.lower() != ".xlsx":
        return Standing()
    own = {name.casefold() for name in page_names(page.name for page in target.pages)}
    sheets = [str(one.get("sheet", "")) for one in said.get("output", {}).get("sheets", ())]
    stale = tuple(name for name in page_names(sheets) if name.casefold() not in own)
    keeps = target.if_there == "keep other sheets" or bool(stale and target.stale == "tell")
    return Standing((), stale, renew=keeps)


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


def _refuse_again(target: Target, runs: Sequence[Sequence[str]]) -> None:
    known = {one for run in runs for one in run}
    again = [source.file for done in target.done for source in done.proof.sources if source.digest in known]
    if again:
        raise OutputError(
            "the rows would be there twice", Place(str(target.path)), why=f"those of {again[0]} were added by an earlier run",
            do='Run it on the new files only, or have the output replaced (if_there = "replace")',
        )  # fmt: skip


def stale_files(targets: Sequence[Target]) -> list[tuple[Path, bool]]:
    """Files that an earlier run wrote for values that no row has now, and whether the plan says to remove them."""
    found = []
    for target, path in ownerless(targets):
        if is_own(path) and proof_of(path)["output"].get("for each") == target.pattern.rpartition("/")[2]:
            found.append((path, target.stale == "remove"))
    return found
