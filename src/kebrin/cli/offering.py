"""`kebrin survey --readings`: the likeliest readings of some reports, each with its plan and its table, to choose from."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import tomlkit

from kebrin.cli import show
from kebrin.cli.ahead import reports_ahead
from kebrin.cli.ending import Exit
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.guard import refuse_changed_plan, refuse_sources, signed
from kebrin.deliver.writing.tables import write_table
from kebrin.errors import OutputError, Place
from kebrin.plan.drafting import draft_plan
from kebrin.plan.offering import Offered, is_large, offered
from kebrin.sources.inputs import choose

if TYPE_CHECKING:
    from collections.abc import Sequence

    from rich.console import Console

_LIST, _ROWS = "readings.json", 3


def offer(inputs: Sequence[str], folder: Path, *, as_json: bool) -> int:
    """Write the likeliest readings into a folder, and show what tells them apart."""
    paths = choose(inputs).paths
    _refuse_others(folder)
    before = _before(folder)
    for one in before:
        if one.name.endswith(".toml"):
            refuse_changed_plan(one)
    text = draft_plan(reports_ahead(inputs, progress=not as_json), base=folder)
    found = offered(text, folder)
    folder.mkdir(parents=True, exist_ok=True)
    for one in before:
        one.unlink(missing_ok=True)
    listed = [_written(reading, number, folder, paths) for number, reading in enumerate(found, 1)]
    with whole_file(folder / _LIST) as part:
        part.write_text(json.dumps(listed, ensure_ascii=False, indent=1) + "\n", "utf-8")
    if as_json:
        print(json.dumps({"readings": listed}, ensure_ascii=False))
    else:
        _tell(show.console(), found, listed, folder)
    return Exit.DONE


def _before(folder: Path) -> list[Path]:
    """The plans and tables of an earlier survey, which may have had more of them: its list names them."""
    try:
        listed = json.loads((folder / _LIST).read_text("utf-8"))
        names = [
            str(name) for one in listed for name in (one["plan"], *(table["file"] for table in one["tables"].values()))
        ]
    except (OSError, ValueError, KeyError, TypeError, AttributeError):
        return []
    return [folder / name for name in names if Path(name).name == name and (folder / name).is_file()]


def tell_apart(out: Console, found: Sequence[Offered]) -> None:
    """What tells readings apart: in words, as lines of a plan, and by the first rows of their tables."""
    for number, reading in enumerate(found, 1):
        rows = ", ".join(show.counted(len(done.table), "row") for done in reading.done)
        show.heading(out, f"{number})  {rows}; {reading.told}")
        for line in reading.lines:
            show.line(out, line.says)
            show.line(out, f"  {line.settle.line}", "dim")
        if not reading.lines:
            show.line(out, "as it was read first")
        for done in reading.done:
            show.sample(out, done.table, _ROWS)


def _refuse_others(folder: Path) -> None:
    """Refuse a folder that holds something else than readings.

    Raises:
        OutputError: there is a file, or a folder with other files.
    """
    if folder.exists() and (not folder.is_dir() or (any(folder.iterdir()) and not (folder / _LIST).exists())):
        raise OutputError(
            "the readings would stand among other files", Place(str(folder)),
            why="the folder is there already and holds no readings", do="Name a new folder",
        )  # fmt: skip


def _written(reading: Offered, number: int, folder: Path, sources: Sequence[Path]) -> dict[str, Any]:
    """One reading's plan and tables, and what is said of it in the list."""
    plan = folder / f"reading_{number}.plan.toml"
    refuse_sources(plan, sources)
    with whole_file(plan) as part:
        part.write_text(signed(_apart(reading.text, number)), "utf-8")
    tables = {}
    for done in reading.done:
        several = f".{done.name}" if len(reading.done) > 1 else ""
        path = folder / f"reading_{number}{several}.csv"
        with whole_file(path) as part:
            write_table(done.table, part, kind=".csv", shown=path)
        tables[done.name] = {"file": path.name, "rows": len(done.table), "columns": list(done.table.columns)}
    return {
        "number": number, "plan": plan.name, "tables": tables, "weight": round(reading.weight, 3),
        "evidence": {name: round(count, 3) for name, count in reading.faults.items()}, "found": reading.told,
        "lines": [
            {"table": one.table, "part": one.settle.part, "line": one.settle.line, "says": one.says}
            for one in reading.lines
        ],
    }  # fmt: skip


def _apart(text: str, number: int) -> str:
    """The plan with outputs of its own: two readings never write one file."""
    plan: Any = tomlkit.parse(text)
    for output in plan.get("output", ()):
        output["file"] = f"reading_{number}/{Path(output['file']).name}"
    return tomlkit.dumps(plan)


def _tell(out: Console, found: Sequence[Offered], listed: Sequence[dict[str, Any]], folder: Path) -> None:
    if not found:
        show.heading(out, "No reading gives a table")
        return
    if len(found) == 1 and found[0].is_clean and not found[0].lines:
        show.heading(out, f"One reading, and nothing is open: {folder / listed[0]['plan']}")
    elif is_large(found[0]):
        show.heading(out, "One reading: the report is too large to try others on it. Try a part of it")
    else:
        show.heading(out, f"{show.counted(len(found), 'reading')}, the likeliest first")
    tell_apart(out, found)
    first = folder / listed[0]["plan"]
    what = "Run it" if len(found) == 1 else "Take the one that is right"
    show.next_step(out, f"{what}: {show.command()} run {show.quoted(first)}")
