"""Tables of other plans: what a plan names under `tables_of` is read, and its tables stand beside the plan's own.

So a list of ports, read and proved in one way, serves each plan that looks something up in it. Files that the other plan names
stay relative to its own folder; its outputs are not written.
"""

from __future__ import annotations

import os
import tomllib
from pathlib import Path, PurePath
from typing import TYPE_CHECKING, Any

from kebrin.errors import Place, PlanError
from kebrin.plan.given import SET
from kebrin.sources.limits import limits
from kebrin.sources.remote import is_address

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from kebrin.plan.model import PlanModel

    # Reads the text of another plan (text, file, values): its content, and its model.
    Read = Callable[[str, str, Mapping[str, Any]], tuple[dict[str, Any], PlanModel]]

#: The key that names other plans.
TABLES_OF = "tables_of"
# What else of another plan goes with its tables: what is known of them and what may stay open.
_PROOF = ("known", "leave_open")


def with_tables_of(
    content: dict[str, Any], file: str, base: Path, given: Mapping[str, Any], read: Read, above: Sequence[Path] = ()
) -> dict[str, Any]:
    """A plan's content with the tables of the plans that it names, and of those that these name.

    Args:
        content: the plan, as TOML has it.
        file: its file, for people.
        base: the folder that its file names are relative to.
        given: the values from outside; each plan takes those that it names.
        read: reads the text of another plan, so that its mistakes are told with its own lines.
        above: the plans that name this one.

    Raises:
        PlanError: a plan can't be read or is wrong, names itself, or brings a table whose name is taken.
    """
    for name in _names(content):
        path = Path(os.path.normpath(base / name))
        if path.resolve() in above:
            raise PlanError(f"{TABLES_OF} leads back to {name!r}", Place(file), do="Take one of the names out")
        text = _text_of(path, file)
        own = {one: value for one, value in given.items() if one in _set_names(text)}
        other, model = read(text, str(path), own)
        known = set(model.tables)
        taken = sorted(known & content.get("table", {}).keys())
        if taken:
            raise PlanError(
                f"two tables are named {taken[0]!r}", Place(file), why=f"{name} has one as well", do="Give one another name",
            )  # fmt: skip
        where = PurePath(os.path.relpath(path.parent, base)).as_posix()
        moved = {own: _moved(table, where, known) for own, table in other["table"].items()}
        all_names = [*_names(content), *(_joined(where, one) for one in _names(other))]
        content = {**content, TABLES_OF: all_names, "table": {**moved, **content.get("table", {})}}
        content = _with_proof(content, other.get("proof", {}))
    return content


def _names(content: Mapping[str, Any]) -> list[str]:
    names = content.get(TABLES_OF, ())
    return [names] if isinstance(names, str) else list(map(str, names)) if isinstance(names, list) else []


def set_names(content: Mapping[str, Any], base: Path) -> set[str]:
    """The names of values that the plans under `tables_of` take."""
    paths = [base / name for name in _names(content)]
    return {one for path in paths if path.is_file() for one in _set_names(path.read_text("utf-8", errors="replace"))}


def _set_names(text: str) -> set[str]:
    try:
        named = tomllib.loads(text).get(SET, {})
    except tomllib.TOMLDecodeError:
        return set()  # it is told when the plan is checked
    return set(named) if isinstance(named, dict) else set()


def _text_of(path: Path, file: str) -> str:
    try:
        if path.stat().st_size > limits().plan:
            raise PlanError("the plan is too long to be one", Place(str(path)), do="Name a plan file")
        return path.read_text("utf-8")
    except OSError as error:
        raise PlanError(
            f"{TABLES_OF} names {path.name!r}, which can't be read", Place(file), why=error.strerror or str(error),
            do="Correct the name; it is relative to the plan's folder",
        ) from None  # fmt: skip
    except UnicodeDecodeError:
        raise PlanError("the plan is not UTF-8 text", Place(str(path)), do="Save it as UTF-8") from None


def _moved(table: Mapping[str, Any], where: str, known: set[str]) -> dict[str, Any]:
    """A table whose file names are relative to another folder."""
    moved = dict(table)
    if "files" in moved:
        moved["files"] = [_joined(where, name) for name in _listed(moved["files"])]
    moved["step"] = [
        {**step, "using": _joined(where, step["using"])} if step.get("using") and step["using"] not in known else step
        for step in moved.get("step", ())
    ]
    return moved


def _joined(where: str, name: str) -> str:
    return name if is_address(name) or PurePath(name).is_absolute() or where == "." else f"{where}/{name}"


def _with_proof(content: dict[str, Any], other: Mapping[str, Any]) -> dict[str, Any]:
    own = content.get("proof", {})
    if not isinstance(own, dict):
        return content  # the model says what is wrong with it
    more = {key: [*_listed(own.get(key, [])), *_listed(other[key])] for key in _PROOF if key in other}
    return {**content, "proof": {**own, **more}} if more else content


def _listed(value: Any) -> list[Any]:
    return [value] if isinstance(value, str) else list(value)
