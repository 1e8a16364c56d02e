"""`kebrin trace`."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING, Any, NamedTuple

from kebrin.cells import as_label
from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.deliver import tracing
from kebrin.errors import PlanError

if TYPE_CHECKING:
    from pathlib import Path

    from rich.console import Console

# So many letters of a line are shown, and so many of them behind the value.
_SHOWN, _BEHIND = 64, 8
# So many cells that a figure is made of are shown.
_PARTS = 20


class Asked(NamedTuple):
    """Which value is asked for: its row, by number or by what it says, its column, and its sheet where there are several."""

    row: int | None
    column: str = ""
    where: tuple[str, ...] = ()
    sheet: str = ""


def trace(output: Path, asked: Asked, *, as_json: bool) -> int:
    """Show the source cell behind an output value."""
    found = tracing.trace(output, _row(output, asked), asked.column, sheet=asked.sheet)
    if as_json:
        print(json.dumps(_plain(found), ensure_ascii=False))
    else:
        _shown(show.console(), found)
    for file in found.changed:
        print(f"kebrin: {file} has changed since this output was written; run again to renew it", file=sys.stderr)
    return Exit.DONE


def _row(output: Path, asked: Asked) -> int:
    """The row that is meant: by its number, or by what it says.

    Raises:
        PlanError: neither is stated, or both are, or no one row says so.
    """
    if (asked.row is None) == (not asked.where):
        raise PlanError(
            "trace takes a row, or what the row says", do='As in: kebrin trace traffic.csv --where "month=Nov"'
        )
    if asked.row is not None:
        return asked.row
    wanted = {}
    for said in asked.where:
        name, sign, value = said.partition("=")
        if not sign:
            raise PlanError(
                f"--where {said!r} names no value", do='State a column and what it says: --where "month=Nov"'
            )
        wanted[name.strip()] = value.strip()
    return tracing.row_where(output, wanted, sheet=asked.sheet)


def _plain(found: tracing.Trace) -> dict[str, Any]:
    """Plain values, for programs."""
    origin = found.origin
    record = {name: value if value is None else str(value) for name, value in found.record.items()}
    parts = [
        {"file": one.file, "sheet": one.sheet, "cell": one.cell, "said": None if said is None else str(said)}
        for one, said in found.parts
    ]
    return {
        "output": found.output, "row": found.row, "column": found.column, "record": record, "file": origin.file,
        "sheet": origin.sheet, "cell": origin.cell, "said": None if found.said is None else str(found.said),
        **({"parts": parts} if parts else {}),
        "kind": found.kind, "where": found.spot[0], "line": found.spot[1], "source changed": found.source_changed,
    }  # fmt: skip


def _shown(out: Console, found: tracing.Trace) -> None:
    """The record, and the cell behind the value or the cells that it is made of."""
    show.heading(out, f"{found.output}, row {found.row:,}")
    record = found.record.items()
    show.rows(out, [(name, "· (missing)" if value is None else as_label(value)) for name, value in record])
    if found.parts:
        _made_of(out, found)
        return
    show.heading(out, "comes from")
    said = as_label(found.said) if found.kind != "blank" else "nothing"
    show.rows(
        out,
        [
            ("file", found.origin.file),
            ("sheet", found.origin.sheet),
            ("cell", found.origin.cell),
            ("holds", f"{said} ({found.kind})"),
            *_pointed(found),
        ],
    )


def _made_of(out: Console, found: tracing.Trace) -> None:
    """The cells that a figure is made of, with what each holds."""
    count = len(found.parts)
    show.heading(out, f"{found.column} is made of {count:,} cell{'s' if count > 1 else ''}")
    several = len({(one.file, one.sheet) for one, _ in found.parts}) > 1
    if not several:
        show.rows(out, [("file", found.origin.file), ("sheet", found.origin.sheet)])
    show.rows(
        out,
        [
            (
                f"{one.file}, {one.sheet} {one.cell}" if several else one.cell,
                "nothing" if said is None else as_label(said),
            )
            for one, said in found.parts[:_PARTS]
        ],
    )
    if count > _PARTS:
        show.line(out, f"and {count - _PARTS:,} more: see --json", "dim")


def _pointed(found: tracing.Trace) -> list[tuple[str, str]]:
    """The line of a text that a value stands in, as much as fits, and a mark below the value."""
    where, line = found.spot
    if not where:
        return []
    first = max(found.begins + len(as_label(found.said)) + _BEHIND - _SHOWN, 0) if found.begins >= 0 else 0
    shown = [(where, line[first : first + _SHOWN].rstrip())]
    if found.begins < 0:
        return shown
    return [*shown, ("", " " * (found.begins - first) + "^" * len(as_label(found.said)))]
