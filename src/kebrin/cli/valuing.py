"""`kebrin values`: what is in each column of a table, odd values first."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from rich.text import Text

from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.sources.tidy_tables import read_table
from kebrin.values.profile import ColumnValues, profile, step_text
from kebrin.values.suggesting import TABLE

if TYPE_CHECKING:
    from pathlib import Path

    from rich.console import Console


def values(file: Path, columns: list[str], *, as_json: bool) -> int:
    """Show what is in a table's columns."""
    table = read_table(file)
    found = profile(table, columns)
    if as_json:
        print(json.dumps({"file": str(file), "rows": found.rows, "columns": found.to_plain()}, ensure_ascii=False))
        return Exit.DONE
    out = show.console()
    show.heading(out, f"{file}: {show.counted(found.rows, 'row')}, {show.counted(len(table.columns), 'column')}")
    for one in found.columns:
        _tell(out, one, file)
    steps = [one.suggestion.step for one in found.columns if one.suggestion.step]
    if steps:
        show.next_step(out, "In a plan a step is a table, [[table.NAME.step]], with a key to a line.")
    return Exit.DONE


def _tell(out: Console, one: ColumnValues, file: Path) -> None:
    show.heading(out, one.name)
    missing = f", {one.missing:,} missing" if one.missing else ""
    show.line(out, f"{one.kind}, {one.filled:,} filled{missing}, {one.distinct:,} distinct")
    if one.range:
        show.line(out, f"from {one.range[0]} to {one.range[1]}")
    rows = [
        (pattern.pattern, f"{pattern.cells:,}", repr(pattern.example), "odd" if pattern.odd else "")
        for pattern in one.patterns
    ]
    if len(rows) > 1:
        width = max(len(pattern) for pattern, *_ in rows)
        for pattern, cells, example, odd in rows:
            out.print(
                Text(
                    f"    {pattern:<{width}}  {cells:>8}  {example}{'  ← odd' if odd else ''}",
                    style="bold" if odd else "",
                )
            )
    elif one.common:
        show.line(out, "commonest: " + ", ".join(f"{text} ({count:,})" for text, count in one.common))
    found = one.suggestion
    if one.kind == "text" and found.meaning not in {"text", "empty"}:
        show.line(out, f"likely {found.meaning}" + (f": {found.why}" if found.why else ""))
    if found.question:
        show.line(out, f"? {found.question.replace(TABLE, str(file))}", "bold")
    if found.step:
        show.line(out, f"step: {step_text({**found.step, **(found.answers[0] if found.answers else {})})}")
        for answer in found.answers[1:]:
            show.line(out, f"  or: {step_text({**found.step, **answer})}")
