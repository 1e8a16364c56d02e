"""Reports, sheets and blocks as people hold them."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, TypedDict, Unpack, cast

from kebrin import cells, proof, sources
from kebrin import unpivoting as tidying
from kebrin.api.table import Table
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.notebook import block_html, report_html, sheet_html
from kebrin.errors import Place, PlanError, nearest
from kebrin.layout import Layout, Stated, find_layouts
from kebrin.layout.parted import Pattern
from kebrin.work.leaving import verdict_of
from kebrin.work.pieces import measure_of
from kebrin.work.weighing import in_file, weigh

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.layout import Evidence
    from kebrin.proof import Proof
    from kebrin.unpivoting import Choice


@dataclass(frozen=True, eq=False)
class Sheet(cells.Sheet):
    """One grid of cells, never changed: `values` and `kinds` (rows x columns), `merges`, and `formats()` on request.

    >>> sheet = Sheet.of([["Sailing", "Cars"], ["08:00", 12.0]], name="North Loop")
    >>> sheet.shape, sheet.at(1, 1), sheet.address(1, 1)
    ((2, 2), 12.0, 'B2')
    """

    def blocks(  # noqa: PLR0913 - all that a plan may state
        self, *, starts: str = "", ends: str = "", boxhead: Sequence[str] | None = None, stub: Sequence[str] | None = None,
        measures: str | None = None, cutins: Sequence[str] | None = None, beside: Sequence[str] | None = None,
        totals: Sequence[str] = (), find_totals: bool = True, not_totals: Sequence[str] = (), records: Sequence[str] = (),
        fill: Literal["", "none"] = "", turn: bool = False, form: Sequence[str] = (),
        within: str = "", joined: str = "", leave_out: Sequence[str] = (),
        headings: str = "", merged: Literal["", "each", "once"] = "", missing: Sequence[str] = (),
        about_columns: Sequence[str] = (), minus: Sequence[str] = (), parts_of_above: Sequence[str] | None = None,
        lines_of_label: Sequence[str] | None = None,
    ) -> list[Block]:  # fmt: skip
        """The tables on this sheet, in reading order; whatever is not stated is worked out.

        Args:
            starts: text of a heading cell, or the address of the block's top left cell.
            ends: text of the first cell below the block, or the address of its last cell.
            boxhead: a name per heading row, outermost first.
            stub: a name per label column, leftmost first.
            measures: the heading row whose labels become value columns; '' for none.
            cutins: a name per level of heads of rows, outermost first; none are looked for if it is empty.
            beside: a name per label column right of the body.
            totals: labels of total lines beyond those that are found.
            find_totals: whether others are looked for.
            not_totals: labels of lines that are called a total and are none.
            records: labels of rows that are records, whatever they look like.
            fill: 'none' if blank labels are not filled down.
            turn: whether its records stand side by side.
            form: the labels of a form, which is one record: what is filled in beside or below each.
            within: the one rectangle that is read, as in C4:F7.
            joined: a name for all heading rows joined into one.
            leave_out: rows, columns, blocks and labels that are left out.
            headings: how headings are parted that say several things in one, as in "{measure} {year}".
            merged: whether a value that is merged over cells of the body stands for "each" of them or "once".
            missing: texts and figures that stand for no value.
            minus: texts that make the figure beside them negative.
            about_columns: labels of rows that say something of each column and are no records.
            parts_of_above: labels of rows that are a part of the row above ("of which cars").
            lines_of_label: what each of the lines under one label holds, as in ["number", "per cent"].

        >>> rows = [["Quay", "Jan", "Feb"], ["East", 1.0, 2.0], ["Trial", 9.0, 9.0]]
        >>> Sheet.of(rows).blocks(leave_out=["Trial"])[0].tidy().shape
        (2, 3)
        >>> rows = [["Quay", "Foot 2031", "Foot 2032", "Cars 2032"], ["East", 1.0, 2.0, "shut"], ["West", 3.0, 4.0, 5.0]]
        >>> Sheet.of(rows).blocks(headings="{measure} {year}", missing=["shut"])[0].tidy().columns
        ('Quay', 'year', 'Foot', 'Cars')

        Raises:
            LayoutError: what was stated is not what the sheet shows.
            PlanError: headings names fewer than two parts.
        """
        said = StatedLayout(
            starts=starts, ends=ends, boxhead=boxhead, stub=stub, measures=measures, cutins=cutins, beside=beside, totals=totals,
            find_totals=find_totals, not_totals=not_totals, records=records, fill=fill, turn=turn, form=form, within=within,
            joined=joined, leave_out=leave_out, headings=headings, merged=merged, missing=missing, about_columns=about_columns,
            minus=minus, parts_of_above=parts_of_above, lines_of_label=lines_of_label,
        )  # fmt: skip
        own, stated = _stating(self, Stated(), said)
        try:
            weighed = weigh(own, stated)
        except PlanError:  # two columns of one name: others can be given when a block is tidied
            return [Block(own, layout, stated) for layout in find_layouts(own, stated)]
        return [Block(cast("Sheet", weighed.sheet), piece.layout, stated) for piece in weighed.work.pieces]

    def map(self) -> SheetMap:
        r"""The sheet drawn as its grid, each cell marked with what it was taken for. Needs `kebrin[pictures]`.

        A notebook shows it; `write` keeps it.

        >>> sheet = Sheet.of([["Sailing", "Foot", "Cars"], ["08:00", 12.0, 3.0], ["10:00", 9.0, 1.0]])
        >>> sheet.map().png[:4]
        b'\x89PNG'

        Raises:
            OutputError: matplotlib is not installed.
        """
        from kebrin.deliver.mapping import map_of

        return SheetMap(map_of(weigh(self)))

    def _repr_html_(self) -> str:
        return sheet_html(self)

    def __repr__(self) -> str:
        rows, columns = self.shape
        return f"Sheet {self.name!r}: {rows:,} x {columns:,} cells, {int(self.filled.sum()):,} filled"


@dataclass(frozen=True)
class SheetMap:
    """A drawn sheet as PNG bytes."""

    png: bytes

    def write(self, path: str | Path) -> None:
        """Write the picture.

        Raises:
            OutputError: the file can't be written.
        """
        with whole_file(Path(path)) as part:
            part.write_bytes(self.png)

    def _repr_png_(self) -> bytes:
        return self.png


class StatedLayout(TypedDict, total=False):
    """What may be stated of a layout, as `Sheet.blocks` tells it."""

    starts: str
    ends: str
    boxhead: Sequence[str] | None
    stub: Sequence[str] | None
    measures: str | None
    cutins: Sequence[str] | None
    beside: Sequence[str] | None
    totals: Sequence[str]
    find_totals: bool
    not_totals: Sequence[str]
    records: Sequence[str]
    fill: Literal["", "none"]
    turn: bool
    form: Sequence[str]
    within: str
    joined: str
    leave_out: Sequence[str]
    headings: str
    merged: Literal["", "each", "once"]
    missing: Sequence[str]
    about_columns: Sequence[str]
    minus: Sequence[str]
    parts_of_above: Sequence[str] | None
    lines_of_label: Sequence[str] | None


def _stating(sheet: Sheet, stated: Stated, said: StatedLayout) -> tuple[Sheet, Stated]:
    """The sheet with what is said of its cells, and all that is stated with what is said beside it."""
    if headings := said.get("headings"):
        try:
            Pattern.of(headings)
        except ValueError as error:
            raise PlanError(str(error), do="Name the parts, as in headings = '{measure} {year}'") from None
    if none := frozenset(mark.strip().casefold() for mark in said.get("missing", ())):
        sheet = sheet.hinted(none=none)
    if minus := frozenset(text.strip(" .").casefold() for text in said.get("minus", ())):
        sheet = sheet.hinted(minus=minus)
    keys: dict[str, Any] = {
        "totals_found" if name == "find_totals" else name: tuple(value) if isinstance(value, (list, tuple)) else value
        for name, value in said.items()
        if name not in {"missing", "minus"} and value is not None
    }
    return sheet, replace(stated, **keys)


@dataclass(frozen=True, eq=False)
class Block:
    """One table on a sheet: where everything in it is (`layout`), why (`evidence`), and how to tidy it."""

    sheet: Sheet
    layout: Layout
    stated: Stated

    @property
    def evidence(self) -> tuple[Evidence, ...]:
        """The reasons for the layout, in the order in which they were found."""
        return self.layout.evidence

    def tidy(
        self, *, measure: str = "", blanks: Choice = "leave out", marks: Choice = "leave out", tolerance: float | None = None,
        **layout: Unpack[StatedLayout],
    ) -> Table:  # fmt: skip
        """One row per observation.

        Args:
            measure: name of the value column.
            blanks: whether empty cells are kept as missing or left out.
            marks: whether footnote marks are kept, in a column behind their measure.
            tolerance: the largest difference by which a stated total still ties.
            layout: what else is stated of the layout, as `Sheet.blocks` takes it: boxhead, stub, measures, totals, leave_out, ...

        >>> sheet = Sheet.of([["Sailing", "Foot", "Cars"], ["08:00", 12.0, 3.0], ["10:00", 9.0, 1.0]])
        >>> sheet.blocks()[0].tidy(measures="heading").to_arrow().to_pylist()[1]
        {'Sailing': '10:00', 'Foot': 9.0, 'Cars': 1.0}

        Raises:
            LayoutError: the block has another number of heading rows or label columns than names are given, or its
                layout can be read in two ways.
            PlanError: two columns would bear one name, or `measures` names no boxhead row.
        """
        if unknown := layout.keys() - StatedLayout.__annotations__.keys():
            name = min(unknown)
            near = nearest(name, [*StatedLayout.__annotations__, "measure", "blanks", "marks", "tolerance"])
            raise PlanError(f"tidy takes no {name!r}", do=f"Did you mean {near!r}?" if near else "Take it out")
        block = self._again(layout) if layout else self
        return block._table(measure, tidying.Keep(blanks, marks), tolerance)  # noqa: SLF001 - it is a Block too

    def _again(self, said: StatedLayout) -> Block:
        sheet, stated = _stating(self.sheet, self.stated, said)
        found = [layout for layout in find_layouts(sheet, stated) if layout.area.touches(self.layout.area)]
        return Block(sheet, found[0], stated) if found else self

    def _table(self, measure: str, keep: tidying.Keep, tolerance: float | None) -> Table:
        sheet, layout = self.sheet, self.layout
        bare = tidying.unpivot(sheet, layout, measure=measure or measure_of(layout, self.stated), keep=keep)
        ledger = verdict_of(sheet, [layout], [bare], self.stated).ledger()
        ties = proof.tie_out(sheet, layout, tolerance)
        body = proof.body_accounts(sheet, layout, bare.measures)
        bare = in_file(bare, sheet)

        def prove(table: Table) -> Proof:
            return proof.Proof(
                table=sheet.name,
                sources=(proof.Source(sheet.source, "", (sheet.name,)),),
                ledgers=(ledger,),
                conservation=proof.conserve(table, [body]),
                ties=(ties,),
                steps=table.steps,
                remarks=table.remarks,
            )

        return Table.of(bare, prove)

    def _repr_html_(self) -> str:
        return block_html(self.layout, repr(self))

    def __repr__(self) -> str:
        rows, columns = self.layout.shape
        return f"Block {self.layout.address} on {self.sheet.name!r}: {rows:,} x {columns:,} body, {', '.join(self.layout.names)}"


class Report:
    """A file made for people, opened: its sheets by name, read when asked for.

    `report["North Loop"]` gives a sheet; iterating gives all that are not hidden.
    """

    def __init__(self, core: cells.Report) -> None:
        self.core = core
        self._sheets: dict[str, Sheet] = {}

    @property
    def path(self) -> str:
        """The file, as it was named."""
        return self.core.path

    @property
    def names(self) -> tuple[str, ...]:
        """All sheet names in the file's order, hidden ones too."""
        return self.core.names

    @property
    def hidden(self) -> dict[str, str]:
        """Names of hidden and very hidden sheets, with which of the two."""
        return dict(self.core.hidden)

    def __getitem__(self, name: str) -> Sheet:
        if name not in self.core.names:
            near = nearest(name, self.core.names)
            raise PlanError(
                f"there is no sheet {name!r}", Place(self.core.path), why=f"the sheets are {', '.join(self.core.names)}",
                do=f"Did you mean {near!r}?" if near else "",
            )  # fmt: skip
        if name not in self._sheets:
            core = self.core[name]
            self._sheets[name] = Sheet(**{item.name: getattr(core, item.name) for item in fields(cells.Sheet)})
        return self._sheets[name]

    def __iter__(self) -> Iterator[Sheet]:
        return (self[name] for name in self.core.shown)

    def __len__(self) -> int:
        return len(self.core.names)

    def _repr_html_(self) -> str:
        return report_html(self.core.path, self.core.names, self.core.hidden)

    def __repr__(self) -> str:
        return f"Report {self.core.path!r}: {', '.join(self.core.names)}"


def read(path: str | Path) -> Report:
    """Read a report: .xlsx, .xlsm, .csv, .tsv or .txt. Sheets are parsed when they are asked for.

    >>> import kebrin as kb
    >>> report = kb.read(kb.demo_file("traffic_2031.xlsx"))
    >>> report.names
    ('Cover', 'North Loop', 'Skerry Line', 'Outer Sound', 'Notes')

    Raises:
        SourceError: the file is missing, is not what its ending says, is damaged or locked.
    """
    return Report(sources.read(path))
