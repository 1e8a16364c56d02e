"""`kebrin trace`."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING

from kebrin.cells import as_label
from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.deliver import tracing

if TYPE_CHECKING:
    from pathlib import Path

# So many letters of a line are shown, and so many of them behind the value.
_SHOWN, _BEHIND = 64, 8


def trace(output: Path, row: int, column: str, *, as_json: bool) -> int:
    """Show the source cell behind an output value."""
    found = tracing.trace(output, row, column)
    origin = found.origin
    if as_json:
        record = {name: value if value is None else str(value) for name, value in found.record.items()}
        print(json.dumps({
            "output": found.output, "row": found.row, "column": found.column, "record": record, "file": origin.file,
            "sheet": origin.sheet, "cell": origin.cell, "said": None if found.said is None else str(found.said),
            "kind": found.kind, "where": found.spot[0], "line": found.spot[1], "source changed": found.source_changed,
        }, ensure_ascii=False))  # fmt: skip
    else:
        out = show.console()
        show.heading(out, f"{found.output}, row {row:,}")
        show.rows(
            out,
            [(name, "· (missing)" if value is None else as_label(value)) for name, value in found.record.items()],
        )
        show.heading(out, "comes from")
        said = as_label(found.said) if found.kind != "blank" else "nothing"
        show.rows(
            out,
            [
                ("file", origin.file),
                ("sheet", origin.sheet),
                ("cell", origin.cell),
                ("holds", f"{said} ({found.kind})"),
                *_pointed(found),
            ],
        )
    if found.source_changed:
        print(
            f"kebrin: {origin.file} has changed since this output was written; run again to renew it",
            file=sys.stderr,
        )
    return Exit.DONE


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
