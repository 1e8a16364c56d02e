"""Findings: anything that is said of a run, as data: what kind it is, where, what it does, and what settles it.

No code reads a sentence: who must know what a finding speaks of asks its kind, its column or its cells.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from enum import Enum, StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from kebrin.address import parse_a1

if TYPE_CHECKING:
    from collections.abc import Iterable

_SHOWN = 6


class FindingKind(StrEnum):
    """What a finding is about."""

    # What is asked of a person.
    QUESTION = "question"
    # What the proof objects to.
    VALUE = "value"
    LABEL = "label"
    FIGURES = "figures"
    CALLED_TOTAL = "called total"
    SUM = "sum"
    HEADINGS = "headings"
    GOES_ON = "goes on"
    BESIDE = "beside"
    UNCLAIMED = "unclaimed"
    GAP = "total that does not tie"
    KNOWN_TOTAL = "known total"
    CONSERVATION = "conservation"
    EXPECTATION = "expectation"
    STEP = "step"
    SAME_LABELS = "same labels"
    OTHER_KIND = "other kind"
    UNREAD = "unread"
    LACKING = "lacking"
    SET_ASIDE = "set aside"
    WANTED_ROW = "wanted row"
    # What is told of files and sheets.
    FILE = "file"
    PASSED_OVER = "passed over"
    NO_TABLE = "no table"
    NEW_SHEET = "new sheet"
    SHEET_GONE = "sheet gone"
    SHEET_OF_SUMS = "sheet of sums"
    FORMULAS = "formulas"
    READING = "reading"
    # What is told of lines and columns.
    TOTAL = "total"
    STATED_TOTAL = "stated total"
    CARRIED = "carried over"
    NOTE = "note"
    SCALE = "scale"
    CONSTANT_HEADING = "constant heading"
    EMPTY_COLUMN = "empty column"
    MISSING_COLUMN = "missing column"
    COLUMN_LEFT_OUT = "column left out"
    SPELLING = "spelling"
    NEW_LABEL = "new label"
    LABEL_GONE = "label gone"
    MISSING_PERIOD = "missing period"
    UNLIKE_OTHERS = "unlike the others"
    SAME_ROWS = "same rows"
    # What is told of values.
    READ = "read"
    ERROR_CELL = "error cell"
    MISSING_MARK = "missing mark"
    FOOTNOTE = "footnote mark"
    TEXT_NUMBER = "number kept as text"
    ALIKE = "alike"
    ASSUMED = "assumed"
    KEY = "key"
    # What steps account for.
    NUMBER = "number"
    DATE = "date"
    PERIOD = "period"
    PERIOD_UNREAD = "period unread"
    RECODE = "recode"
    RECODE_BY_LIKENESS = "recode by likeness"
    UNKNOWN_CODE = "unknown code"
    FLAG = "flag"
    MISSING = "missing"
    TEXT = "text"
    CONVERT = "convert"
    MISSING_RATE = "missing rate"
    SPLIT = "split"
    CHANGED_SUM = "changed sum"
    DETAIL = "detail"
    UNEQUAL_ENTRIES = "unequal entries"
    ENTRIES_TWICE = "entries twice"
    REPEATED_AMOUNT = "repeated amount"
    ROWS_LEFT_OUT = "rows left out"
    REPEATS = "repeats"
    MARKED = "marked"
    LIMITED = "limited"
    LOOKUP = "lookup"
    UNMATCHED = "unmatched key"
    UNUSED_KEY = "unused key"
    SUMS = "sums"
    TOP = "top"
    CROSS_FOOTING = "cross-footing"
    COMPUTED = "computed"
    STACKED = "stacked"
    MADE_OF = "made of"
    OUTPUT = "output"


class Does(Enum):
    """What a finding does to the proof."""

    TELLS = "tells"
    ASKS = "asks"
    BREAKS = "breaks"


#: What `measures` says of a crosstab of one row of headings.
EACH_A_COLUMN = "each heading is a column of its own"


class Settle(NamedTuple):
    """A line of a plan that settles a finding; `says` is what it answers, where several do.

    >>> Settle("totals", ["All quays"]).line, Settle("Remark", "text", "kinds").line
    ("totals = ['All quays']", "Remark = 'text'")
    """

    key: str
    value: Any
    part: str = "layout"
    says: str = ""

    @property
    def line(self) -> str:
        """The line as it stands in a plan (TOML)."""
        key = self.key if self.key.replace("_", "").isalnum() and self.key.isascii() else json.dumps(self.key)
        return f"{key} = {_toml(self.value)}"

    def __str__(self) -> str:
        return f"{self.line}{f' ({self.says})' if self.says else ''}"


_IN_PLAN = {
    "layout": "in the plan's layout",
    "kinds": "under kinds in the plan",
    "fields": "under fields in the plan",
    "proof": "under [proof] in the plan",
}


@dataclass(frozen=True)
class Finding:
    """Something said of a run: of some cells of one sheet, of a column, a file, a step.

    Attributes:
        kind: what it is about.
        what: the sentence for people.
        file: the source file.
        sheet: the sheet.
        cells: their A1 addresses, the first few.
        count: how many cells in all.
        breaks: whether the proof can't hold with it.
        column: the column that it speaks of, if it speaks of one: a step that reads the column answers what was asked of it.
        settle: lines of a plan, each of which settles it: the answers.
    """

    kind: FindingKind
    what: str
    file: str = ""
    sheet: str = ""
    cells: tuple[str, ...] = ()
    count: int = 0
    breaks: bool = False
    column: str = ""
    settle: tuple[Settle, ...] = ()

    @property
    def does(self) -> Does:
        """What it does to the proof."""
        return Does.BREAKS if self.breaks else Does.ASKS if self.asks else Does.TELLS

    @property
    def asks(self) -> bool:
        """Whether a person must answer."""
        return self.kind is FindingKind.QUESTION

    @property
    def places(self) -> list[tuple[int, int]]:
        """The cells by row and column, as far as they are listed."""
        return [place for cell in self.cells if (place := parse_a1(cell)) is not None]

    @property
    def where(self) -> str:
        """The first cells, and how many more there are."""
        more = f" and {self.count - len(self.cells):,} more" if self.count > len(self.cells) else ""
        return f"{', '.join(self.cells)}{more}" if self.cells else ""

    @property
    def said(self) -> str:
        """The sentence with its cells and what settles it, without file and sheet."""
        at = f" ({self.where})" if self.cells else ""
        return f"{self.what}{at}" + (f"; state {self.advice}" if self.settle else "")

    @property
    def advice(self) -> str:
        """The lines that settle it, each with the part of the plan that it belongs to."""
        parts: dict[str, list[str]] = {}
        for one in self.settle:
            parts.setdefault(_IN_PLAN.get(one.part, "in the plan"), []).append(str(one))
        return ", or ".join(f"{' or '.join(lines)} {where}" for where, lines in parts.items())

    def named(self, *, file: bool) -> str:
        """The same with its sheet, and its file if there are several."""
        place = [Path(self.file).name] if file and self.file else []
        place += [self.sheet] if (self.sheet and self.sheet != Path(self.file).stem) or not place else []
        return f"{', '.join(place)}: {self.said}" if any(place) else self.said

    def __str__(self) -> str:
        return f"{self.sheet}: {self.said}" if self.sheet else self.said

    @property
    def answers(self) -> tuple[str, ...]:
        """The lines that settle it."""
        return tuple(one.line for one in self.settle)

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file and for programs."""
        return {
            "kind": str(self.kind), "does": self.does.value, "what": self.what, "file": self.file, "sheet": self.sheet,
            "cells": list(self.cells), "count": self.count, "breaks": self.breaks, "column": self.column,
            "settle": [{"part": one.part, "line": one.line} for one in self.settle],
        }  # fmt: skip


def without_asked_of(findings: Iterable[Finding], *columns: str) -> tuple[Finding, ...]:
    """Findings without what was asked of columns that somebody has answered for."""
    return tuple(one for one in findings if not (one.asks and one.column in columns))


def _toml(value: Any) -> str:
    """A value as TOML writes it; texts in single quotes, which take every other sign as it is."""
    if isinstance(value, str):
        return f"'{value}'" if "'" not in value and "\n" not in value else json.dumps(value, ensure_ascii=False)
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, (list, tuple)):
        return f"[{', '.join(map(_toml, value))}]"
    if isinstance(value, dict):
        return f"{{ {', '.join(f'{key} = {_toml(one)}' for key, one in value.items())} }}"
    return str(value)
