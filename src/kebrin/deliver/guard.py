"""The guard before outputs: nothing that was read is written over, nothing that Kebrin did not write is replaced.

All outputs of a run are looked at before the first is written, each with the files that go with it: its proof, and both under
the name that unproved outputs bear.
"""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.deliver.atomic import clear_leftovers
from kebrin.errors import OutputError, Place
from kebrin.sources.files import digest
from kebrin.sources.remote import address_of, is_address

if TYPE_CHECKING:
    from collections.abc import Container, Iterable, Sequence

#: What a drawn map says of its maker.
PICTURE_SIGN = b"Kebrin sheet map"


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


def check_outputs(
    outputs: Sequence[Path], reads: Iterable[str | Path], *, replace: bool = False, free: Container[Path] = ()
) -> None:
    """Refuse outputs that would lose a file, before anything is written.

    Args:
        outputs: the data files that will be written.
        reads: every file that the run has read: reports, code lists, rates, wanted rows, the plan.
        replace: whether files that Kebrin did not write, or that were changed since, may be replaced.
        free: outputs of which the plan says that what stands there may change.

    Raises:
        OutputError: an output is a source or another output, or stands where something else is.
    """
    sources = [Path(source) for source in reads]
    seen: dict[Path, Path] = {}
    for path in outputs:
        if path.exists() and not path.is_file():
            raise OutputError(
                "an output must be a file", _place(path), why="a folder, a pipe or a device stands there",
                do="Name a file, and read it from there",
            )  # fmt: skip
        clear_leftovers(path.parent)
        for one in files_of(path):
            refuse_sources(one, sources)
            other = seen.setdefault(_whole(one), path)
            if other is not path:
                raise OutputError(
                    "two outputs of this run would be one file", _place(path), why=f"{other} is written too",
                    do="Give each output a name of its own",
                )  # fmt: skip
        if not replace and path not in free:
            for one in (path, unproved_path(path)):
                refuse_foreign(one)


def files_of(path: Path) -> tuple[Path, ...]:
    """The files that an output may become: the data, its proof, and both under the name for what is not proved."""
    unproved = unproved_path(path)
    return path, proof_path(path), unproved, proof_path(unproved)


def _place(path: Path) -> Place:
    """Where an output would be, for people."""
    return Place(address_of(path) or str(path))


def _whole(path: Path) -> Path:
    resolved = path.resolve()
    return resolved.with_name(resolved.name.casefold())


def refuse_sources(path: Path, sources: Iterable[str | Path]) -> None:
    """Refuse to write over a file that was read, by whatever name or link.

    Raises:
        OutputError: the output is one of the sources.
    """
    for source in sources:
        if is_same(path, Path(source)) or (is_address(source) and address_of(path) == str(source)):
            raise OutputError(
                "the output would be written over a source", _place(path), why=f"{source} was read for it, and a source "
                "is never written to", do="Name another file",
            )  # fmt: skip


def is_same(one: Path, other: Path) -> bool:
    """Whether two names stand for one file, links and case followed."""
    try:
        there = one.exists()
        if there != other.exists():
            return False
        if there:
            return one.samefile(other)
    except OSError:
        pass
    return one.resolve() == other.resolve()


def refuse_foreign(path: Path) -> None:
    """Refuse to replace a file that Kebrin did not write, or that was changed since.

    Raises:
        OutputError: such a file stands there.
    """
    if proof_path(path).exists() and not _is_proof(proof_path(path)):
        raise OutputError(
            "the output's proof would replace another file", _place(proof_path(path)), why="it is no proof that Kebrin wrote",
            do="Name another output, or move that file away",
        )  # fmt: skip
    if not path.exists() or is_own(path):
        return
    why = (
        "it was changed since Kebrin wrote it"
        if proof_path(path).exists()
        else "Kebrin did not write the file that stands there"
    )
    raise OutputError(
        "the output would replace another file", _place(path), why=why,
        do="Name another file, move it away, take --replace, or say in the plan what becomes of it (if_there)",
    )  # fmt: skip


def _is_proof(path: Path) -> bool:
    try:
        proof = json.loads(path.read_text("utf-8"))
        return isinstance(proof["output"]["sha256"], str)
    except (OSError, ValueError, KeyError, TypeError):
        return False


_SIGNED = "# Unchanged since it was drafted: "


def signed(text: str) -> str:
    """A drafted plan with a last line that tells whether a person has changed it since."""
    return f"{text.rstrip()}\n\n{_SIGNED}{hashlib.sha256(text.rstrip().encode()).hexdigest()[:16]}\n"


def refuse_changed_plan(path: Path) -> None:
    """Refuse to draft over a plan that a person wrote or changed.

    Raises:
        OutputError: another file stands there.
    """
    try:
        text = path.read_text("utf-8")
    except FileNotFoundError:
        return
    except (OSError, ValueError):
        text = ""
    before, mark, sign = text.rpartition(f"\n\n{_SIGNED}")
    if mark and sign.strip() == hashlib.sha256(before.encode()).hexdigest()[:16]:
        return
    raise OutputError(
        "the draft would replace another file", Place(str(path)), why="a plan that a person wrote or changed may stand there",
        do="Name another file, or take --replace",
    )  # fmt: skip


def refuse_foreign_picture(path: Path) -> None:
    """Refuse to draw over a file that is no picture of ours.

    Raises:
        OutputError: another file stands there.
    """
    if path.exists() and PICTURE_SIGN not in path.read_bytes()[:4096]:
        raise OutputError(
            "the picture would replace another file", Place(str(path)), why="Kebrin did not draw what stands there",
            do="Name another file",
        )  # fmt: skip


def is_own(path: Path) -> bool:
    """Whether a data file is as Kebrin wrote it: its proof stands beside it and knows its digest."""
    if not path.is_file():
        return False
    try:
        proof = json.loads(proof_path(path).read_text("utf-8"))
        return bool(proof["output"]["sha256"] == digest(path))
    except (OSError, ValueError, KeyError, TypeError):
        return False


def outside(outputs: Iterable[Path], base: Path, *, refuse: bool) -> dict[Path, tuple[str, ...]]:
    """What is said of outputs that leave a plan's folder, by `..`, from the root, or through a link.

    Raises:
        OutputError: one does, and that is to be refused.
    """
    root = base.resolve()
    found: dict[Path, tuple[str, ...]] = {}
    for path in outputs:
        whole = path.resolve()
        if whole.is_relative_to(root):
            continue
        if refuse:
            raise OutputError(
                "an output would leave the plan's folder", _place(path), why=f"it would be {address_of(path) or whole}",
                do="Name one inside of it, or run without --inside",
            )  # fmt: skip
        if not address_of(path):  # an address is seen to be one
            found[path] = (f"{path.name} is outside of the plan's folder: {whole}",)
    return found


def refuse_databases_outside(addresses: Iterable[str], base: Path) -> None:
    """Refuse databases but for files in a plan's folder.

    Raises:
        OutputError: one is elsewhere, or is named in the environment.
    """
    for said in addresses:
        kind, sign, name = said.partition(":///")
        file = base / name.partition("?")[0]
        if kind.partition("+")[0] == "sqlite" and sign and name and file.resolve().is_relative_to(base.resolve()):
            continue
        raise OutputError(
            "an output would leave the plan's folder", Place(f"database {said.partition('://')[0]}"),
            why="it is a database outside of it", do="Name a database in a file inside of it, or run without --inside",
        )  # fmt: skip
