"""Layout: the roles of a block's rows and columns, its repaired labels, and the evidence for each decision."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.cells import Area, a1, column_letters
from kebrin.errors import Place, PlanError, nearest

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from numpy.typing import NDArray

MISSING = -1
#: The name that a plan gives to a heading row that says nothing: it becomes no column.
NO_COLUMN = "-"
#: What a heading row is called that nothing names.
UNNAMED = "heading"
#: The name of the level that numbers rows without labels.
ROW, COLUMN = "row", "column"
#: The name of a heading row that gives units.
UNIT_ROW = "unit"
#: A decision that is less sure than this is put to a person, if a line of a plan can settle it.
SURE = 0.6
#: What the evidence for a line says that is called a total and is kept, since it sums nothing.
KEPT = "kept as data"
#: What it says of a line that equals a sum by arithmetic alone.
DOUBTED = "sum in doubt"

#: Causes of total lines that their place gives: set above what they sum, or between what they part.
SET_IN, PARTING = "those lines are set in below it", "such lines part all others among them"
WHOLE = "it sums all that stands below or above it"
PLACED = frozenset({SET_IN, PARTING})
#: What is said of a line that states the sum of others on another page.
CARRIES = "it carries a sum over from elsewhere"
#: The cause of a total line that a person states.
STATED = "the plan states it"

#: What it says of a heading that stands over several columns of a table.
TWICE = "one heading of several columns"

#: What it says of the weeks of a calendar.
CALENDAR = "calendar"


class Role(StrEnum):
    """What a row, a column or a single cell is for."""

    TITLE = "title"
    NOTE = "note"
    FIELD = "field"
    BOXHEAD = "boxhead"
    STUB = "stub"
    BODY = "body"
    TOTAL = "total"
    BLANK = "blank"
    HIDDEN = "hidden"


@dataclass(frozen=True)
class Evidence:
    """One decision about the layout: what was decided, where, why, and how sure it is (0 to 1).

    `labels` are those of the lines that it speaks of, `cells` where they stand, counted row by row. `settle` is the
    line of a plan that would decide it: a decision below `SURE` that has one is a question.
    """

    what: str
    where: str
    why: str
    sure: float = 1.0
    settle: str = ""
    labels: tuple[str, ...] = ()
    cells: tuple[int, ...] = ()

    @property
    def is_question(self) -> bool:
        """Whether a person must decide."""
        return self.sure < SURE and bool(self.settle)


@dataclass(frozen=True, eq=False)
class Level:
    """One level of labels over a block's body lines: a boxhead row or a stub column.

    `codes` is an int32 vector with one entry per body line that points into `texts`; -1 where there is no label.
    `line` is the sheet's row (boxhead) or column (stub) that the labels stand in. `cells` says for each body line which
    cell its label comes from, and `head` which cell names the level; cells are counted row by row over the sheet, -1
    stands for none. `joined` are the levels that were joined into one, its own among them, outermost first. `pattern` says how
    its cells say several labels in one, and which of these is its own.
    """

    name: str
    codes: NDArray[np.int32]
    texts: tuple[str, ...]
    line: int
    cells: NDArray[np.int64]
    head: int = MISSING
    joined: tuple[Level, ...] = ()
    pattern: tuple[str, str] = ("", "")

    @classmethod
    def of(cls, name: str, labels: Sequence[str | None], line: int, cells: Sequence[int] | None = None) -> Level:
        """A level from one label per line.

        >>> level = Level.of("class", ["Foot", "Cars", "Foot", None], 4)
        >>> level.codes.tolist(), level.texts
        ([0, 1, 0, -1], ('Foot', 'Cars'))
        """
        seen: dict[str, int] = {}
        codes = [MISSING if label is None else seen.setdefault(label, len(seen)) for label in labels]
        places = np.full(len(codes), MISSING) if cells is None else np.array(cells, np.int64)
        return cls(name, np.array(codes, np.int32), tuple(seen), line, places)

    def label(self, line: int) -> str | None:
        """The label of one body line."""
        code = int(self.codes[line])
        return None if code == MISSING else self.texts[code]

    def at(self, lines: NDArray[np.intp]) -> Level:
        """The level over some of its lines, with the labels that are still in use."""
        texts = (*self.texts, None)  # code -1 picks the last
        labels = [texts[code] for code in self.codes[lines].tolist()]
        return replace(
            Level.of(self.name, labels, self.line), cells=self.cells[lines], head=self.head,
            joined=tuple(one.at(lines) for one in self.joined), pattern=self.pattern,
        )  # fmt: skip

    def joined_where(self, what: Callable[[str], str]) -> Level:
        """The level with labels that say the same, but for something, as the one that says it without.

        >>> level = Level.of("port", ["Brae", "Brae (cont.)", "Wick"], 0)
        >>> level.joined_where(lambda label: label.removesuffix(" (cont.)")).labels()
        ['Brae', 'Brae', 'Wick']
        """
        place = {text: at for at, text in enumerate(self.texts)}
        own = [place.get(what(text), at) for at, text in enumerate(self.texts)]
        if own == list(range(len(own))):
            return self
        codes = np.array([*own, MISSING], np.int32)[self.codes]
        return replace(self, codes=codes).at(np.arange(len(codes)))

    @property
    def parts(self) -> tuple[Level, ...]:
        """The levels that its labels come from: itself, or those that were joined."""
        return self.joined or (self,)

    @classmethod
    def join(cls, name: str, levels: Sequence[Level]) -> Level:
        """One level of several, outermost first; its labels are theirs with a blank between.

        >>> level = Level.join("hours of", [Level.of("", ["Rehearsal", "Paid"], 2), Level.of("", ["hours", None], 3)])
        >>> level.labels(), level.line
        (['Rehearsal hours', 'Paid'], 3)
        """
        said = [" ".join(filter(None, path)) or None for path in zip(*(one.labels() for one in levels), strict=True)]
        inner = levels[-1]
        return replace(Level.of(name, said, inner.line), cells=inner.cells, head=inner.head, joined=tuple(levels))

    def labels(self) -> list[str | None]:
        """The label of each body line."""
        texts = (*self.texts, None)
        return [texts[code] for code in self.codes.tolist()]


@dataclass(frozen=True, eq=False)
class TotalLine:
    """A row or column that repeats a sum of others.

    `at` is the sheet's row or column, `parts` those that it sums. `why` tells what found it, `agree` the share of its
    stated cells that tie; `mean` is true for a line that states their average. `cause` says what beside arithmetic shows
    that it is a total. `loose` is true for a mean that lies between its parts and is not the plain one.
    """

    axis: Literal["row", "column"]
    at: int
    parts: NDArray[np.int32]
    why: str
    agree: float = 1.0
    mean: bool = False
    cause: str = ""
    loose: bool = False

    @property
    def name(self) -> str:
        """The line for people: 'row 14' or 'column F'."""
        return f"row {self.at + 1}" if self.axis == "row" else f"column {column_letters(self.at)}"


@dataclass(frozen=True, eq=False)
class Counted:
    """A row or a column whose figures count the signs of a body: its line, the rows and columns that are counted, the signs."""

    axis: Literal["row", "column"]
    at: int
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    signs: tuple[str, ...]

    @property
    def name(self) -> str:
        """The line, for people."""
        return f"row {self.at + 1}" if self.axis == "row" else f"column {column_letters(self.at)}"


@dataclass(frozen=True, eq=False)
class Derived:
    """A row or column whose figures follow from others: how, from which lines, its label, and the lines that it crosses."""

    axis: Literal["row", "column"]
    at: int
    how: str
    parts: tuple[int, ...]
    label: str
    cross: NDArray[np.int32]

    @property
    def name(self) -> str:
        """The line, for people."""
        return f"row {self.at + 1}" if self.axis == "row" else f"column {column_letters(self.at)}"

    @property
    def holds(self) -> str:
        """What it holds, for people."""
        of = self.parts[0]
        part, last = (
            f"row {at + 1}" if self.axis == "row" else f"column {column_letters(at)}" for at in (of, self.parts[-1])
        )
        return {
            "one less another": f"{part} less {last}",
            "ratio": f"{part} as shares of {last}", "share": f"shares of the sum of {part}", "rank": f"ranks by {part}",
            "mean of all before": f"the mean of the {len(self.parts)} {self.axis}s before it",
            "count": f"how many of the {len(self.parts)} {self.axis}s before it hold a figure",
            "count above": f"how many of the {len(self.parts)} {self.axis}s before it are above a bound",
            "count below": f"how many of the {len(self.parts)} {self.axis}s before it are below a bound",
            "last less first": f"the last less the first of the {len(self.parts)} {self.axis}s before it",
        }.get(self.how, f"the sum of the {len(self.parts)} {self.axis}s before it")  # fmt: skip


@dataclass(frozen=True)
class About:
    """A row that speaks of the columns.

    `cells` are those that label nothing here, `level` is the name of the boxhead level that the others make, '' for none.
    `stated` is true where a person says so.
    """

    row: int
    label: str
    cells: tuple[tuple[int, int], ...]
    stated: bool = False
    level: str = ""


@dataclass(frozen=True)
class Attached:
    """A row that belongs to one above it: a part of it, or a further line under its label.

    `to` is the row that it belongs to, `level` the name of the stub level that says which part or line each row is, '' where a
    label column does, `label` its label there and `cell` where that stands, -1 for nowhere. `first`
    is what the level says of the row that it belongs to. A row without a label heads such rows ("of which:").
    """

    row: int
    to: int
    level: str
    label: str
    cell: int
    first: str = ""


@dataclass(frozen=True)
class FieldCell:
    """A single value beside a label outside the block."""

    name: str
    value: str
    label_at: tuple[int, int]
    value_at: tuple[int, int]

    @property
    def address(self) -> str:
        """The value's A1 address."""
        return a1(*self.value_at)


@dataclass(frozen=True, eq=False)
class Layout:
    """Where everything in one block is, and why.

    Rows and columns are the sheet's own, 0-based; `boxhead` holds the labels over `body_columns` (outermost level
    first), `stub` those over `body_rows`, levels of cut-in heads included. Total lines, spacers, label-only rows and
    `repeats` (heading rows that are said again) and `pages` (lines that say which page it is) are in neither.
    `silent_rows` are heading rows that a person says to be no level, `unit_rows` those that give units, `left_out` lines that
    a person leaves out, `left_cells` those of whole blocks, `counts` the lines that count the signs of the body, `about`
    rows that speak of the columns, `derived` lines that follow from others by arithmetic, `attached` rows that belong to the one
    above. The levels of `stub` are `head_levels` (cut-in heads), `column_levels` (label columns before the body), one for each
    kind of `attached` rows, the numbers of rows that nothing labels (`numbered`), and those of `beside_columns`, label columns
    right of the body. `mark_columns` are pairs of a column of footnote marks and the body column that it explains; `notes` says
    what the marks stand for. `listed` is true for a list,
    each row of which is a record. `title` is the text nearest above the block, `title_at` its cell and `title_name` what kind
    of period it is, if it is one; `stub_head` is the report's own heading of the innermost label column.
    """

    sheet: str
    area: Area
    boxhead_rows: tuple[int, ...]
    stub_columns: tuple[int, ...]
    body_rows: NDArray[np.int32]
    body_columns: NDArray[np.int32]
    boxhead: tuple[Level, ...]
    stub: tuple[Level, ...]
    totals: tuple[TotalLine, ...] = ()
    fields: tuple[FieldCell, ...] = ()
    texts: dict[tuple[int, int], Role] = field(default_factory=dict)
    hidden_rows: tuple[int, ...] = ()
    hidden_columns: tuple[int, ...] = ()
    label_rows: tuple[int, ...] = ()
    repeats: tuple[int, ...] = ()
    pages: tuple[int, ...] = ()
    silent_rows: tuple[int, ...] = ()
    unit_rows: tuple[int, ...] = ()
    left_out: tuple[tuple[Literal["row", "column"], int], ...] = ()
    left_cells: tuple[tuple[int, int], ...] = ()
    counts: tuple[Counted, ...] = ()
    about: tuple[About, ...] = ()
    derived: tuple[Derived, ...] = ()
    attached: tuple[Attached, ...] = ()
    numbered: bool = False
    beside_columns: tuple[int, ...] = ()
    mark_columns: tuple[tuple[int, int], ...] = ()
    notes: tuple[tuple[str, str], ...] = ()
    measures: str = ""
    listed: bool = False
    title: str = ""
    title_name: str = ""
    title_at: tuple[int, int] | None = None
    unit: FieldCell | None = None
    stub_head: str = ""
    evidence: tuple[Evidence, ...] = ()

    @property
    def names(self) -> tuple[str, ...]:
        """Names of all dimensions: the stub's, then the boxhead's."""
        return tuple(level.name for level in (*self.stub, *self.boxhead))

    @property
    def pattern(self) -> str:
        """How each heading says several things in one; '' where they do not."""
        return self.boxhead[0].pattern[0] if self.boxhead else ""

    @property
    def boxhead_names(self) -> list[str]:
        """A name for each heading row, as a plan states them; rows of units that are no level of their own are named so too."""
        about = {one.level for one in self.about}
        names = {
            part.line: part.name
            for level in self.boxhead
            for part in level.parts
            if level.name not in about and part.line >= 0
        }
        names |= {row: UNIT_ROW for row in self.unit_rows if row not in names}
        return [names[row] for row in sorted(names)]

    @property
    def head_levels(self) -> tuple[Level, ...]:
        """The levels of cut-in heads, outermost first."""
        own = len({one.level for one in self.attached} - {""}) + self.numbered
        inner = len(self.stub_columns) + own + len(self.beside_columns)
        return self.stub[: max(len(self.stub) - inner, 0)]

    @property
    def column_levels(self) -> tuple[Level, ...]:
        """The levels of the label columns before the body."""
        heads = len(self.head_levels)
        return self.stub[heads : heads + len(self.stub_columns)]

    @property
    def beside_levels(self) -> tuple[Level, ...]:
        """The levels of the label columns right of the body."""
        return self.stub[len(self.stub) - len(self.beside_columns) :]

    @property
    def stub_names(self) -> list[str]:
        """A name for each label column before the body, as a plan states them."""
        return [level.name for level in self.column_levels]

    @property
    def questions(self) -> tuple[Evidence, ...]:
        """The decisions that a person must take."""
        return tuple(said for said in self.evidence if said.is_question)

    @property
    def shape(self) -> tuple[int, int]:
        """Body rows and body columns."""
        return len(self.body_rows), len(self.body_columns)

    @property
    def address(self) -> str:
        """The block's rectangle in A1 form, boxhead and stub included."""
        return self.area.address

    def stands_alone(self, others: Sequence[Layout], axis: Literal["row", "column"]) -> bool:
        """Whether no other block lies on any of its rows or columns: a line that is taken out of the sheet is its own then."""
        own = self.area
        rest = [one.area for one in others if one is not self]
        if axis == "row":
            return not any(own.top <= one.bottom and one.top <= own.bottom for one in rest)
        return not any(own.left <= one.right and one.left <= own.right for one in rest)

    def total_lines(self, axis: Literal["row", "column"]) -> tuple[TotalLine, ...]:
        """The total rows or the total columns."""
        return tuple(line for line in self.totals if line.axis == axis)

    def reasons(self) -> list[tuple[str, str]]:
        """The evidence for people: what was decided and why, decisions of one kind together."""
        places: dict[tuple[str, str], list[str]] = {}
        for said in self.evidence:
            what, where = said.what, said.where
            if what == "total":
                line, _, where = where.partition(" ")
                what = f"total {line}"
            places.setdefault((what, said.why), []).append(where)
        told = []
        for (what, why), listed in places.items():
            at = ", ".join(filter(None, listed))
            several = len(listed) > 1
            told.append((f"{what}{'s' * several} {at}".strip() + ", each" * several, why))
        return told

    def level(self, name: str) -> Level:
        """A boxhead level by name.

        Raises:
            PlanError: there is none of that name.
        """
        for level in self.boxhead:
            if level.name == name:
                return level
        known = [level.name for level in self.boxhead]
        near = nearest(name, known)
        raise PlanError(
            f"no boxhead row is named {name!r}", Place(sheet=self.sheet), why=f"there is {', '.join(known) or 'none'}",
            do=f"Did you mean {near!r}?" if near else "Name one of these",
        )  # fmt: skip


@dataclass(frozen=True)
class Stated:
    """What a person states about a layout; whatever is left out is worked out.

    Attributes:
        starts: text of a heading cell in the boxhead (a stub head), or the address of the block's top left cell.
        ends: text of the first cell below the block, or the address of its last cell.
        boxhead: a name per boxhead row, outermost first; '-' for a row that becomes no column.
        stub: a name per stub column, leftmost first.
        measure: name of the value column.
        measures: name of the boxhead row that holds measures, each to become a column; '' for none.
        beside: a name per label column right of the body; none are looked for if it is empty.
        cutins: a name per level of cut-in heads, outermost first; none are looked for if it is empty.
        blanks: whether an empty body cell is kept as missing or left out.
        totals: labels of total lines beyond those that are found; `totals_found` False looks for no others.
        not_totals: labels of lines that are called a total and are none.
        records: labels of rows that are records, whatever they look like.
        fill: 'none' if blank labels are not filled down.
        turn: whether the sheet lists its records across, and is turned round.
        form: the labels of a form, of which each sheet is one record: what is filled in beside or below each.
        within: the rectangle that is read ("C4:F7"); what stands outside of it is left out.
        joined: a name for all heading rows joined into one; '' joins none.
        merged: whether a value that is merged over several cells of a body stands for 'each' of them or 'once'.
        headings: the pattern by which headings are parted, as in '{measure} {year}'.
        about_columns: labels of rows that say something of each column and are no records.
        parts_of_above: labels of rows that are a part of the row above; None looks for those that say so ("of which").
        lines_of_label: what each of the lines under one label holds; None looks for them, none are looked for if it is empty.
        leave_out: what is left out: 'row 7', 'rows 7-9', 'column C', 'block 2', 'block TITLE', 'cell A2', or a label,
            which may hold `*`.
    """

    starts: str = ""
    ends: str = ""
    boxhead: tuple[str, ...] | None = None
    stub: tuple[str, ...] | None = None
    measure: str = ""
    measures: str | None = None
    cutins: tuple[str, ...] | None = None
    beside: tuple[str, ...] | None = None
    blanks: Literal["keep", "leave out"] = "keep"
    totals: tuple[str, ...] = ()
    totals_found: bool = True
    not_totals: tuple[str, ...] = ()
    records: tuple[str, ...] = ()
    fill: Literal["", "none"] = ""
    turn: bool = False
    form: tuple[str, ...] = ()
    within: str = ""
    joined: str = ""
    merged: str = ""
    headings: str = ""
    about_columns: tuple[str, ...] = ()
    parts_of_above: tuple[str, ...] | None = None
    lines_of_label: tuple[str, ...] | None = None
    leave_out: tuple[str, ...] = ()
