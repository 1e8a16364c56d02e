"""Readings: a drafted plan, and those that differ from it in a line or two; each is run, and ranked by what its proof says.

Each line that would answer an open question is a reading, and so are the lines that move the corner of the body or say what
a heading row holds. A choice among a few of them settles what nobody could work out.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

import tomlkit

from kebrin.errors import KebrinError
from kebrin.plan.plan_file import parse_plan
from kebrin.plan.running import run_plan
from kebrin.table import EACH_A_COLUMN, Does, FindingKind, Settle

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

    from kebrin.work.joining import Done

#: So many readings are offered.
OFFERED = 5
# So many lines are tried by themselves, the best so many of these with one line more, so many lines each.
_TRIED, _GONE_ON, _MORE = 24, 4, 6
# Readings of larger reports would each take as long as the report itself.
_MOST_CELLS = 200_000
# The keys of a layout that hold several answers: one more is added to those that stand there.
LISTS = frozenset({"totals", "not_totals", "records", "leave_out", "leave_open", "known", "missing", "about_columns"})
# What each fault of a reading weighs. Set by hand, and not fitted yet.
WEIGHTS = {
    "cells that reach nothing": 3.0, "labels said twice": 4.0, "totals that do not tie": 3.0, "other objections": 3.0,
    "questions": 1.0, "share left out": 6.0, "lines": 1.0,
}  # fmt: skip
# What a line weighs by its key: what leaves something out or names a heading is said more often than that a sum is a record.
_LINES = {
    "leave_out": 0.4,
    "boxhead": 0.4,
    "totals": 0.4,
    "headings": 0.3,
    "missing": 0.3,
    "about_columns": 0.3,
    "stub": 0.6,
    "find_totals": 1.0,
}
_OTHER_LINE = 0.5
_SAID = {
    "cells that reach nothing": ("finding of cells that reach nothing", "findings of cells that reach nothing"),
    "labels said twice": ("finding of labels said twice", "findings of labels said twice"),
    "totals that do not tie": ("total that does not tie", "totals that do not tie"),
    "other objections": ("objection of the proof", "objections of the proof"), "questions": ("question", "questions"),
}  # fmt: skip
_FAULT_OF = {
    FindingKind.UNCLAIMED: "cells that reach nothing", FindingKind.SAME_LABELS: "labels said twice",
    FindingKind.GAP: "totals that do not tie",
}  # fmt: skip


class Line(NamedTuple):
    """A line of a plan that makes a reading: its table, and what it says."""

    table: str
    settle: Settle
    why: str

    @property
    def says(self) -> str:
        """The reading in words."""
        return f"{self.why}: {self.settle.says}" if self.settle.says else self.why


@dataclass(frozen=True, eq=False)
class Offered:
    """One reading of some reports.

    Attributes:
        lines: the lines in which its plan differs from the draft.
        text: the plan.
        done: its tables, with their proofs.
        faults: what its proof finds, by name; what the weights are for.
    """

    lines: tuple[Line, ...]
    text: str
    done: tuple[Done, ...]
    faults: dict[str, float]

    @property
    def weight(self) -> float:
        """How much speaks against it."""
        return sum(WEIGHTS[name] * count for name, count in self.faults.items())

    @property
    def is_clean(self) -> bool:
        """Whether nothing is open."""
        return not any(self.faults[name] for name in _SAID)

    @property
    def shape(self) -> tuple[Any, ...]:
        """What tells its tables from those of another reading."""
        return tuple((done.table.columns, len(done.table), str(done.table.data.to_pydict())) for done in self.done)

    @property
    def told(self) -> str:
        """What its proof finds, in words."""
        said = [
            f"{count:,.0f} {_SAID[name][count > 1]}" for name, count in self.faults.items() if count and name in _SAID
        ]
        return ", ".join(said) if said else "nothing is open"


def offered(text: str, base: Path, most: int = OFFERED) -> list[Offered]:
    """The likeliest readings of the reports of a drafted plan, the first of them the one that least speaks against.

    Args:
        text: the plan as it was drafted.
        base: the folder that its file names are relative to.
        most: how many are given back.
    """
    first = _read(text, base, ())
    if first is not None and (not _is_open(first) or is_large(first)):
        return [first]
    start = [] if first is None else [first]
    one = _tried(text, base, [(line,) for line in _lines_of(text, first)][:_TRIED])
    best = sorted(one, key=lambda reading: reading.weight)[:_GONE_ON]
    two = _tried(text, base, [
        (*reading.lines, line) for reading in best if not reading.is_clean
        for line in list(_lines_of(reading.text, reading))[:_MORE]
        if (line.table, line.settle.key) not in {(own.table, own.settle.key) for own in reading.lines} or line.settle.key in LISTS
    ])  # fmt: skip
    return _apart(sorted([*start, *one, *two], key=lambda reading: reading.weight))[:most]


def _is_open(first: Offered) -> bool:
    """Whether something is open that a line of a layout answers, or that breaks the proof: what only values ask is no reading."""
    found = [one for done in first.done for one in done.proof.findings if one.does is not Does.TELLS]
    return any(one.breaks or any(settle.part == "layout" for settle in one.settle) for one in found)


def is_large(reading: Offered) -> bool:
    """Whether a report has so many cells that no other readings of it are tried."""
    return sum(done.proof.cells for done in reading.done) > _MOST_CELLS


def with_line(text: str, table: str, settle: Settle) -> str:
    r"""The plan with one line more, or another: it stands in the layout of a table, among its kinds or fields, or under proof.

    >>> plan = 'kebrin = 1\n[table.t]\nfiles = "r.csv"\n'
    >>> print(with_line(plan, "t", Settle("totals", ["All"])), end="")
    kebrin = 1
    [table.t]
    files = "r.csv"
    <BLANKLINE>
    [table.t.layout]
    totals = ["All"]
    """
    said: Any = tomlkit.parse(text)
    holder = said if settle.part == "proof" else said["table"][table]
    part = holder.setdefault(settle.part, tomlkit.table())
    known = part.get(settle.key, []) if settle.key in LISTS else []
    part[settle.key] = [*known, *settle.value] if known else settle.value
    if settle.part == "layout" and settle.key == "measures" and settle.value:
        # Each heading names a column then: what the draft says of the level, and of the one column of values, goes.
        for known_of, name in (("labels", settle.value), ("kinds", part.pop("measure", "value"))):
            holder.get(known_of, {}).pop(name, None)
            if not holder.get(known_of, True):
                holder.pop(known_of)
    return tomlkit.dumps(said)


def _tried(text: str, base: Path, ways: Sequence[tuple[Line, ...]]) -> list[Offered]:
    found = (_read(text, base, lines) for lines in ways)
    return [reading for reading in found if reading is not None and any(len(done.table) for done in reading.done)]


def _read(text: str, base: Path, lines: tuple[Line, ...]) -> Offered | None:
    """A reading, None where it can't be had."""
    try:
        for line in lines:
            text = with_line(text, line.table, line.settle)
        done = run_plan(parse_plan(text), base)
    except KebrinError:
        return None
    return Offered(lines, text, tuple(done), _faults(done, lines))


def _faults(done: Sequence[Done], lines: Sequence[Line]) -> dict[str, float]:
    faults = dict.fromkeys(WEIGHTS, 0.0)
    for one in (finding for each in done for finding in each.proof.findings if finding.does is not Does.TELLS):
        faults[_FAULT_OF.get(one.kind, "other objections") if one.breaks else "questions"] += 1
    cells = sum(one.proof.cells for one in done)
    stated = sum(one.proof.counts.get("left out by the plan", 0) for one in done)
    faults["share left out"] = stated / cells if cells else 0.0
    faults["lines"] = sum(_LINES.get(line.settle.key, _OTHER_LINE) for line in lines)
    return faults


def _lines_of(text: str, reading: Offered | None) -> Iterator[Line]:
    """The lines that make another reading of this one: answers to what is open, and the corner of the body elsewhere."""
    names = list(tomlkit.parse(text).get("table", {}))
    for at, done in enumerate(reading.done if reading is not None else ()):
        name = done.name if done.name in names else names[min(at, len(names) - 1)]
        for finding in done.proof.findings:
            if finding.does is not Does.TELLS:
                yield from (Line(name, settle, finding.what) for settle in finding.settle if settle.part == "layout")
    for name in names:
        layout: Any = tomlkit.parse(text)["table"][name].get("layout", {})
        yield from (Line(name, settle, why) for settle, why in _corners(layout))


def _corners(layout: Any) -> Iterator[tuple[Settle, str]]:
    """A heading row or a label column more or less, a row for each column, labels not filled down, totals kept."""
    for key, what, more, less in (
        ("stub", "columns of labels", "one column more holds labels", "the last label column holds values"),
        ("boxhead", "rows of headings", "one row more is a heading", "the last heading row is a record"),
    ):
        named = [str(one) for one in layout.get(key, ())]
        yield Settle(key, [*named, f"{what.split()[-1].rstrip('s')} {len(named) + 1}"]), more
        if len(named) > 1:
            yield Settle(key, named[:-1]), less
    if layout.get("measures"):
        yield Settle("measures", ""), "each heading is a label, with a row for each value"
    elif layout.get("boxhead"):
        yield Settle("measures", str(layout["boxhead"][-1])), EACH_A_COLUMN
    yield Settle("fill", "none"), "blank labels stay blank"
    yield Settle("find_totals", value=False), "nothing is a total"


def _apart(readings: Sequence[Offered]) -> list[Offered]:
    """The readings without those that give the tables of one before."""
    seen: set[tuple[Any, ...]] = set()
    found = []
    for reading in readings:
        if reading.shape not in seen:
            seen.add(reading.shape)
            found.append(reading)
    return found
