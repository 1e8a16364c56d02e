"""`kebrin run` at the cheapest: where nothing has changed nothing is done, and hardly anything loaded; and run over and over."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple

from kebrin.cli.ending import Exit
from kebrin.deliver.remembering import is_unchanged, recall
from kebrin.errors import KebrinError, PlanError
from kebrin.work.keeping import kept_folder

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from kebrin.deliver.remembering import Memory

# Files that change within so many milliseconds of one another are one change; a file is at rest after as long.
_SETTLE_MS = 1600
_LOOK_IN_MS = 200


class Asked(NamedTuple):
    """The options of the command."""

    like: Path | None = None
    if_changed: bool = False
    workers: int = 1
    scheduler: str = ""
    accept: bool = False
    replace: bool = False
    inside: bool = False
    page: Path | None = None
    page_without_values: bool = False
    given: Mapping[str, str] = MappingProxyType({})


def given_of(said: Iterable[str]) -> dict[str, str]:
    """The values that are said as NAME=VALUE.

    Raises:
        PlanError: one is said in another way, or twice.
    """
    found: dict[str, str] = {}
    for one in said:
        name, equals, value = one.partition("=")
        if not equals or not name.strip() or name.strip() in found:
            why = "it is said twice" if equals else "there is no = in it"
            raise PlanError(f"--set {one!r} can't be read", why=why, do="Say each once, as in --set period=2031-05")
        found[name.strip()] = value.strip()
    return found


def run(plan_file: Path, asked: Asked, *, as_json: bool) -> int:
    """Run a plan; if asked, only where something has changed since the last run."""
    fetched = asked.if_changed and _fetched(plan_file, asked)
    memory = recall(plan_file, kept_folder()) if asked.if_changed and asked.like is None else None
    if memory is not None and is_unchanged(memory, plan_file, asked.given):
        return _unchanged(memory, as_json=as_json)
    from kebrin.cli import running

    return running.run(plan_file, asked, as_json=as_json, fetch=not fetched)


def _fetched(plan_file: Path, asked: Asked) -> bool:
    """Whether the plan names lists behind addresses; they are fetched, since whether they changed can't be told before."""
    try:
        if b"fetch" not in plan_file.read_bytes():
            return False
    except OSError:
        return False  # it is told when the plan is read
    from kebrin.api import load_plan

    return bool(load_plan(plan_file, given=asked.given).fetch(inside=asked.inside))


def _unchanged(memory: Memory, *, as_json: bool) -> int:
    if as_json:
        print(
            json.dumps({"unchanged": True, "holds": memory.holds, "outputs": list(memory.outputs)}, ensure_ascii=False)
        )
    else:
        state = (
            ""
            if memory.holds
            else "; its proof did not hold, and what is not proved stands beside the last good output"
        )
        files = len(memory.inputs)
        print(
            f"Nothing has changed since the last run: the plan, {files:,} file{'s' * (files != 1)} and "
            f"{', '.join(memory.outputs)} are as they were{state}"
        )
    return Exit.DONE if memory.holds else Exit.NOT_PROVED


def watch(plan_file: Path, asked: Asked, *, as_json: bool) -> int:
    """Run a plan now, and again whenever its files or the plan itself have changed and are at rest, until it is stopped."""
    try:
        from watchfiles import watch as changes_in
    except ModuleNotFoundError:
        raise PlanError(
            "watching needs watchfiles, which is not installed", do="Install kebrin[watch]: pip install 'kebrin[watch]'"
        ) from None
    begun = False
    # The watch stands before the first run, so that what changes meanwhile is seen; it looks in often, only to begin.
    for changes in changes_in(
        *_folders(plan_file, asked.given), debounce=_SETTLE_MS, step=_SETTLE_MS // 4, rust_timeout=_LOOK_IN_MS,
        yield_on_timeout=True, raise_interrupt=False,
    ):  # fmt: skip
        if begun and (not changes or _is_as_it_was(plan_file, asked.given)):
            continue  # what a run itself has written is no change
        if begun:
            _say(f"--- {time.strftime('%H:%M:%S')}: something has changed")
        try:
            _run_once(plan_file, asked, as_json=as_json)
        except KeyboardInterrupt:  # it ends the watch, whatever goes on
            break
        if not begun:
            _say("Watching for changes; Ctrl-C ends it")
        begun = True
    _say("Watching ended")
    return Exit.DONE


def _is_as_it_was(plan_file: Path, given: Mapping[str, str]) -> bool:
    memory = recall(plan_file, kept_folder())
    return memory is not None and is_unchanged(memory, plan_file, given)


def _say(line: str) -> None:
    print(line, file=sys.stderr, flush=True)


def _run_once(plan_file: Path, asked: Asked, *, as_json: bool) -> None:
    """One run; what is wrong is told, and the watch goes on."""
    try:
        run(plan_file, asked, as_json=as_json)
    except KebrinError as error:
        _say(f"kebrin: {error}")
    sys.stdout.flush()


def _folders(plan_file: Path, given: Mapping[str, str]) -> Iterable[Path]:
    """The folders that the plan and its inputs are in."""
    from kebrin.api import load_plan

    plan = load_plan(plan_file, given=given)
    found = {plan_file.resolve().parent}
    for patterns, base, _ in plan.choices:
        for pattern in patterns:
            path = (Path(base) / pattern).resolve()
            folder = path if path.is_dir() else path.parent
            while not folder.is_dir():  # a pattern in the folder's own name
                folder = folder.parent
            found.add(folder)
    return sorted(found)
