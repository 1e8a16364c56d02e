"""Whether what a sheet says can be had: unaided, among the first five readings, or by at most two lines of a plan.

    python benchmarks/sayable.py [NAME ...]

Each sheet in `benchmarks/sheets` is drawn as text (cells apart by `|`, leading `_` for blanks, `'` before a text that looks like
a number, `merge:` for what is merged), with the lines of a plan that it needs, if it needs any, and what is wanted behind `=>`.
"""

from __future__ import annotations

import datetime as dt
import sys
import tempfile
from collections import Counter
from pathlib import Path
from typing import Any

import tomlkit

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import kebrin as kb
from building import write_book
from drawing import cell

SHEETS = Path(__file__).parent / "sheets"
OUTCOMES = ("unaided", "among the first five", "by its lines", "not at all", "wrong under Proved")


def write(folder: Path, rows: list[list[Any]], merges: list[str]) -> Path:
    """A drawn sheet as a workbook."""
    return write_book(folder / "report.xlsx", {"Sheet": rows}, {"Sheet": merges})


def parts(text: str) -> tuple[list[list[Any]], list[str], str, str]:
    """A case's sheet, its merges, the lines that it needs, and what is wanted."""
    drawn, _, wanted = text.partition("\n=>\n")
    drawn, _, lines = drawn.partition("\nlines:\n")
    merges = [area for line in drawn.splitlines() if line.startswith("merge:") for area in line[6:].split()]
    rows = [[cell(one) for one in line.split("|")] for line in drawn.splitlines() if not line.startswith("merge:")]
    return rows, merges, lines, wanted.strip()


def run_with_lines(report: Path, lines: str) -> kb.Run:
    """The run of a report's own draft with lines of a person's in place of its own.

    Where the shape changes, what the draft knows of its labels and kinds goes, as a person would have it.
    """
    plan: Any = tomlkit.parse(kb.draft(report, base=report.parent).text)
    (table,) = plan["table"].values()
    for key, value in tomlkit.parse(lines).items():
        if isinstance(value, dict):
            for known in {"labels", "kinds"} & {*table}:
                table.remove(known)
            if "turn" in value:
                table.remove(key)
            table.setdefault(key, tomlkit.table()).update(value)
        else:
            table[key] = value
    path = report.parent / "lines.plan.toml"
    path.write_text(tomlkit.dumps(plan), "utf-8")
    return kb.load_plan(path).run()


def said(value: Any) -> str:
    """A value of a table, as a case writes it."""
    if value is None:
        return ""
    plain = (
        f"{value:g}" if isinstance(value, float) else value.isoformat() if isinstance(value, dt.date) else str(value)
    )
    return plain.replace("\n", "\\n")


def tables_of(run: kb.Run) -> list[Counter[tuple[str, ...]]]:
    """The rows of each table of a run, whatever their order and that of the columns."""
    tables = []
    for table in run.tables.values():
        places = sorted(range(len(table.columns)), key=lambda at: table.columns[at])
        rows = [[said(one) for one in record.values()] for record in table.to_arrow().to_pylist()]
        tables.append(Counter(tuple(row[at] for at in places) for row in rows))
    return tables


def wanted_tables(text: str) -> list[Counter[tuple[str, ...]]]:
    """The same of what is wanted: each table begins with its columns."""
    tables: list[Counter[tuple[str, ...]]] = []
    places: list[int] = []
    for block in text.split("\n\n"):
        head, *rows = (line.split("|") for line in block.splitlines())
        places = sorted(range(len(head)), key=head.__getitem__)
        tables.append(Counter(tuple(row[at] for at in places) for row in rows))
    return tables


def outcome(path: Path) -> str:
    """How a sheet's wanted tables are had."""
    rows, merges, lines, text = parts(path.read_text("utf-8"))
    wanted = wanted_tables(text)
    with tempfile.TemporaryDirectory() as folder:
        report = write(Path(folder), rows, merges)
        silent = False
        try:
            run = kb.tidy_reports(report)
            if tables_of(run) == wanted:
                return "unaided"
            silent = run.holds and not run.proof.questions
        except kb.KebrinError:
            pass
        if silent:
            return "wrong under Proved"
        try:
            if any(tables_of(plan.run()) == wanted for plan in kb.readings(report, base=folder)):
                return "among the first five"
        except kb.KebrinError:
            pass
        try:
            return "by its lines" if lines and tables_of(run_with_lines(report, lines)) == wanted else "not at all"
        except kb.KebrinError:
            return "not at all"


def main() -> None:
    """Print how each sheet is had, and how often each way."""
    names = sys.argv[1:]
    paths = [path for path in sorted(SHEETS.glob("*.txt")) if not names or path.stem in names]
    found = {path.stem: outcome(path) for path in paths}
    for name, how in found.items():
        if how != "unaided":
            print(f"{name:40} {how}")
    counts = Counter(found.values())
    print(", ".join(f"{how}: {counts[how]}" for how in OUTCOMES), f"of {len(found)}")


if __name__ == "__main__":
    main()
