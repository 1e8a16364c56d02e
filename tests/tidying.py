"""One sheet or text, written and tidied as a person would, and what came of it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import kebrin as kb
from building import write_book

if TYPE_CHECKING:
    from pathlib import Path


def tidied(folder: Path, rows: Any, merges: list[str] | None = None) -> kb.Run:
    return kb.tidy_reports(write_book(folder / "r.xlsx", {"S": rows}, {"S": merges or []}))


def drafted(folder: Path) -> kb.Run:
    """What the draft for that sheet makes of it."""
    (folder / "p.toml").write_text(kb.draft(folder / "r.xlsx", base=folder).text, "utf-8")
    return kb.load_plan(folder / "p.toml").run()


def tidied_text(folder: Path, text: str, name: str = "r.txt") -> kb.Run:
    (folder / name).write_text(text, "utf-8")
    return kb.tidy(folder / name)


def rows_of(run: kb.Run) -> list[tuple[Any, ...]]:
    (table,) = run.tables.values()
    return [tuple(row.values()) for row in table.to_arrow().to_pylist()]


def columns_of(run: kb.Run) -> tuple[str, ...]:
    (table,) = run.tables.values()
    return tuple(table.columns)
