"""Remember a run: what it read and wrote, so that the next one can tell that nothing has changed without doing the work."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.deliver.atomic import whole_file
from kebrin.errors import KebrinError
from kebrin.sources.files import digest
from kebrin.sources.inputs import Choice, choose
from kebrin.sources.remote import address_of
from kebrin.version import VERSION
from kebrin.work.keeping import made_private

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

FORM = 1
#: For each table of a plan: the patterns, the folder that they are relative to, and the choice among what fits.
Choices = tuple[tuple[tuple[str, ...], str, Choice], ...]


@dataclass(frozen=True)
class Memory:
    """What a run read and wrote.

    Attributes:
        plan: the digest of the plan's file.
        choices: for each table, the patterns, the folder that they are relative to, and the choice among what fits.
        inputs: the files that these named, with their digests.
        reads: other files that were read, with their digests.
        outputs: the files that were written, with their digests.
        holds: whether every proof held.
        rows: the rows of each table.
    """

    plan: str
    choices: Choices
    inputs: Mapping[str, str]
    reads: Mapping[str, str]
    outputs: Mapping[str, str]
    holds: bool
    rows: Mapping[str, int] = field(default_factory=dict)


def memory_path(plan_file: Path, folder: Path) -> Path:
    """Where the memory of a plan's last run is kept."""
    return folder / "runs" / f"{hashlib.sha256(str(plan_file.resolve()).encode()).hexdigest()[:32]}.json"


def remember(memory: Memory, plan_file: Path, folder: Path) -> None:
    """Keep what a run read and wrote; where the folder can't be written to, nothing is kept."""
    plain = {
        "kebrin run": FORM, "version": VERSION, "plan": memory.plan,
        "choices": [[list(patterns), base, vars(choice)] for patterns, base, choice in memory.choices],
        "inputs": dict(memory.inputs), "reads": dict(memory.reads), "outputs": dict(memory.outputs), "holds": memory.holds,
        "rows": dict(memory.rows),
    }  # fmt: skip
    path = memory_path(plan_file, folder)
    try:
        made_private(folder)
        with whole_file(path) as part:
            part.write_text(json.dumps(plain, ensure_ascii=False), "utf-8")
    except (OSError, KebrinError):
        return


def recall(plan_file: Path, folder: Path) -> Memory | None:
    """The memory of the last run; None if there is none, it is damaged, or another version left it."""
    try:
        plain: dict[str, Any] = json.loads(memory_path(plan_file, folder).read_text("utf-8"))
        if plain["kebrin run"] != FORM or plain["version"] != VERSION:
            return None
        choices = tuple((tuple(patterns), str(base), Choice(**choice)) for patterns, base, choice in plain["choices"])
        return Memory(
            plain["plan"], choices, plain["inputs"], plain["reads"], plain["outputs"], bool(plain["holds"]), plain["rows"]
        )  # fmt: skip
    except (OSError, ValueError, KeyError, TypeError):
        return None


def plan_digest(plan_file: Path, given: Mapping[str, Any]) -> str:
    """What a run was asked for: the plan's digest, with the values from outside."""
    return digest(plan_file) + (f" {json.dumps(given, sort_keys=True)}" if given else "")


def is_unchanged(memory: Memory, plan_file: Path, given: Mapping[str, Any]) -> bool:
    """Whether the plan, what is given to it, all that it reads and all that it wrote are what they were."""
    try:
        if plan_digest(plan_file, given) != memory.plan:
            return False
        paths = {_name(path): path for path in inputs_of(memory.choices)}
        if list(paths) != list(memory.inputs):
            return False
        known = {**memory.inputs, **memory.reads, **memory.outputs}
        return all(digest(paths.get(file, Path(file))) == stated for file, stated in known.items())
    except (OSError, KebrinError):
        return False


def inputs_of(choices: Choices) -> list[Path]:
    """The files that the patterns of a plan name now, each once.

    Raises:
        SourceError: nothing fits one of them.
    """
    found: dict[Path, None] = {}
    for patterns, base, choice in choices:
        found |= dict.fromkeys(choose(patterns, base=Path(base), choice=choice).paths)
    return list(found)


def digests(paths: Iterable[Path], known: Mapping[str, str] | None = None) -> dict[str, str]:
    """The digests of files, those that can be read."""
    known = known or {}
    found = {}
    for path in paths:
        try:
            found[_name(path)] = known.get(_name(path)) or digest(path)
        except OSError:
            found[_name(path)] = ""
    return found


def _name(path: Path) -> str:
    """What a file is known by: its address, where it was brought from one."""
    return address_of(path) or str(path)
