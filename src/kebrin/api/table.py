"""The Table that people hold: the tidy table with its proof, rebuilding, and how it shows itself."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from inspect import signature
from typing import TYPE_CHECKING, Any, Literal

from kebrin import unpivoting
from kebrin.api.frames import as_other, core_of
from kebrin.api.showing import Proof
from kebrin.api.verbs import Verbs
from kebrin.deliver import publish
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.notebook import table_html, values_html
from kebrin.deliver.writing.tables import write_table
from kebrin.errors import PlanError
from kebrin.table import Table as CoreTable
from kebrin.values.profile import Profile

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.api.frames import Stream
    from kebrin.layout import Layout
    from kebrin.proof import Proof as CoreProof
    from kebrin.shape.orders import Order
    from kebrin.table import Finding

    Where = Mapping[str, Any]
    Names = Sequence[str] | Mapping[str, str]


# So many rows are printed.
_PRINTED = 10


@dataclass(frozen=True, eq=False)
class Table(Verbs, CoreTable):
    """A tidy long table: one row per observation, every value with its origin, the whole with its proof.

    It speaks the Arrow C stream protocol, so that `pyarrow.table(table)` or any library that does takes it as it is.

    >>> import kebrin as kb
    >>> sheet = kb.Sheet.of([["Sailing", "Foot", "Cars"], ["08:00", 12.0, 3.0], ["10:00", 9.0, 1.0]])
    >>> table = sheet.blocks()[0].tidy(boxhead=["class"], measure="carried")
    >>> table
    Table: 4 rows; Sailing, class, carried; proved
    >>> table.to_arrow().to_pylist()[0]
    {'Sailing': '08:00', 'class': 'Foot', 'carried': 12.0}
    """

    prove: Callable[[Table], CoreProof] | None = None
    limited: Mapping[tuple[str, str], NDArray[np.bool_]] = field(default_factory=dict)

    @classmethod
    def of(cls, table: CoreTable, prove: Callable[[Table], CoreProof] | None) -> Table:
        """A core table with its proof."""
        return cls(**{item.name: getattr(table, item.name) for item in fields(CoreTable)}, prove=prove)

    @property
    def proof(self) -> Proof:
        """The proof that this table lost nothing of its sources.

        Raises:
            PlanError: the table was not made by tidying.
        """
        if self.prove is None:
            raise PlanError("this table has no proof", why="it was not made from a report", do="Tidy a report")
        return Proof.of(self.prove(self))

    def rebuild(self, layout: Layout) -> NDArray[np.object_]:
        """The body of the block that a layout describes (body rows x body columns), put together again by labels.

        Empty cells are None. Cost: one pass over the rows.

        >>> import kebrin as kb
        >>> sheet = kb.Sheet.of([["Sailing", "Foot", "Cars"], ["08:00", 12.0, 3.0], ["10:00", 9.0, 1.0]])
        >>> block = sheet.blocks()[0]
        >>> block.tidy().rebuild(block.layout).tolist()
        [[12.0, 3.0], [9.0, 1.0]]

        Raises:
            PlanError: a label column is gone.
        """
        return unpivoting.rebuild(self, layout)

    def detail(
        self,
        column: str,
        *,
        key: str = "",
        at: Sequence[str] = (",", ";"),
        along: Sequence[str] = (),
        position: str = "",
        keep_empty: bool = False,
    ) -> tuple[Table, Table]:
        """The records, and a column's entries in a table of their own; options as in `kebrin.shape.detailing.detail`."""
        from kebrin.shape.detailing import detail

        records, entries = detail(self, column, key=key, at=at, along=along, position=position, keep_empty=keep_empty)
        return self._proved(records), self._proved(entries)

    def only(self, where: Where, *, alike: bool = False, into: str = "") -> Table:
        """The rows that fulfil a condition; with `into` all rows, and a column that says which do.

        Conditions and options are those of `kebrin.shape.choosing.only`.

        >>> import kebrin as kb
        >>> sheet = kb.Sheet.of([["Sailing", "Foot", "Cars"], ["08:00", 12.0, 3.0], ["10:00", 9.0, 1.0]])
        >>> len(sheet.blocks()[0].tidy().only({"value": {"from": 3}}))
        3
        """
        return self._taken("only", where, {"alike": alike, "into": into})

    def leave_out(self, where: Where, *, alike: bool = False) -> Table:
        """The rows that do not fulfil a condition; options as in `kebrin.shape.choosing.leave_out`."""
        return self._taken("leave_out", where, {"alike": alike})

    def once(self, by: Sequence[str] = (), *, keep: Literal["first", "last"] = "first") -> Table:
        """Each record once, by some columns or by all; options as in `kebrin.shape.choosing.once`."""
        return self._taken("once", by, {"keep": keep})

    def lookup(
        self, columns: Names, *, using: CoreTable | Stream | str | Path, by: Names, alike: bool = False, numbers: bool = False,
        unmatched: Literal["ask", "keep", "leave out"] = "ask", sheet: str = "",
    ) -> Table:  # fmt: skip
        """Columns from another table, a frame or a file, by keys; options as in `kebrin.shape.looking_up.lookup`."""
        asked = {
            "using": as_other(using),
            "by": by,
            "alike": alike,
            "numbers": numbers,
            "unmatched": unmatched,
            "sheet": sheet,
        }
        return self._taken("lookup", columns, asked)

    def unmatched(
        self, *, using: CoreTable | Stream | str | Path, by: Names, alike: bool = False, numbers: bool = False
    ) -> Table:
        """The keys of either side that the other does not have; options as in `kebrin.shape.looking_up.unmatched`."""
        from kebrin.shape.looking_up import unmatched

        return self._proved(unmatched(self, using=as_other(using), by=by, alike=alike, numbers=numbers))

    def sums(self, by: Sequence[str] = (), *, of: Names = (), per: str = "", rows: str = "") -> Table:
        """One row for each group of rows; options as in `kebrin.shape.summing.sums`."""
        return self._taken("sums", by, {"of": of, "per": per, "rows": rows})

    def crosstab(
        self, down: Sequence[str], across: Sequence[str], of: Sequence[str] = (), *, order: Order = "natural",
        totals: Literal["", "rows", "columns", "both"] = "", blank: Literal["missing", "zero"] = "missing",
        by: Literal["label", "measure"] = "label",
    ) -> Table:  # fmt: skip
        """A row for each group down, a column for each group across; options as in `kebrin.shape.crosstabs.crosstab`."""
        asked = {"across": across, "of": of, "order": order, "totals": totals, "blank": blank, "by": by}
        return self._taken("crosstab", down, asked)

    def sort(self, by: Sequence[str], *, falling: Sequence[str] = (), order: Order = "natural") -> Table:
        """The rows in the order of some columns; options as in `kebrin.shape.ranking.sort`."""
        return self._taken("sort", by, {"falling": falling, "order": order})

    def rank(self, of: str, into: str, *, within: Sequence[str] = (), rising: bool = False) -> Table:
        """A column with the place of each row; options as in `kebrin.shape.ranking.rank`."""
        return self._taken("rank", of, {"into": into, "within": within, "rising": rising})

    def top(self, count: int, of: str, *, by: Sequence[str], rest: str = "other") -> Table:
        """The groups with the largest sums, and one row for the rest; options as in `kebrin.shape.ranking.top`."""
        return self._taken("top", count, {"of": of, "by": by, "rest": rest})

    def share(
        self, of: str, into: str, *, within: Sequence[str] = (), percent: bool = False, places: int | None = None
    ) -> Table:
        """A column with each row's share; options as in `kebrin.shape.ranking.share`."""
        return self._taken("share", of, {"into": into, "within": within, "percent": percent, "places": places})

    def running(self, of: str, into: str, *, within: Sequence[str] = ()) -> Table:
        """A column with the sum up to each row; options as in `kebrin.shape.ranking.running`."""
        return self._taken("running", of, {"into": into, "within": within})

    def change(
        self, of: str, into: str, *, on: str, within: Sequence[str] = (),
        way: Literal["difference", "percent"] = "difference", places: int | None = None,
    ) -> Table:  # fmt: skip
        """A column with the change on the period before; options as in `kebrin.shape.ranking.change`."""
        return self._taken("change", of, {"into": into, "on": on, "within": within, "way": way, "places": places})

    def total_row(self, label: str = "Total") -> Table:
        """The table with a row of sums below it, as `kebrin.shape.ranking.total_row` makes it."""
        from kebrin.shape.ranking import total_row

        return self._proved(total_row(self, label=label))

    def join(self, columns: Sequence[str], into: str, *, between: str = " / ", keep: bool = False) -> Table:
        """Several columns joined into one; options as in `kebrin.shape.columns.join`."""
        return self._taken("join", columns, {"into": into, "between": between, "keep": keep})

    def fixed(self, into: str, value: str | float) -> Table:
        """A column that says the same on every row."""
        return self._taken("fixed", into, {"value": value})

    def compute(self, into: str, formula: str, *, places: int | None = None) -> Table:
        """A column computed from others; the grammar is that of `kebrin.shape.formulas`."""
        return self._taken("compute", into, {"formula": formula, "places": places})

    def first_of(self, columns: Sequence[str], *, into: str = "", otherwise: str | float | None = None) -> Table:
        """What the first of some columns says; options as in `kebrin.shape.firsts.first_of`."""
        return self._taken("first_of", columns, {"into": into, "otherwise": otherwise})

    def turn(self, heads: str, *, into: str = "field") -> Table:
        """The table on its side; options as in `kebrin.shape.columns.turn`."""
        return self._taken("turn", heads, {"into": into})

    def stack(
        self,
        *others: CoreTable,
        same: Mapping[str, Sequence[str]] | None = None,
        origin: str = "",
        names: Sequence[str] = (),
    ) -> Table:
        """The rows of this table and of others, stacked by column name as `kebrin.shape.stacking.stack_tables` does it.

        `names` names the tables for the column `origin`; they are numbered if it is left out.
        """
        from kebrin.shape.stacking import stack_tables

        called = list(names) or [f"table {at}" for at in range(1, len(others) + 2)]
        return self._proved(stack_tables(dict(zip(called, (self, *others), strict=True)), same=same, origin=origin))

    def look(self, *by: str, of: str = "", what: Literal["sums", "spread", "full"] = "sums") -> Any:
        """A chart of the table as a figure of matplotlib's, to go on with; it shows itself in a notebook.

        Args:
            by: the columns to sum by, one or two; the likeliest if none is named.
            of: the measure; the first if none is named.
            what: sums, how the values are spread, or how full each column is.

        >>> import kebrin as kb
        >>> (table,) = kb.tidy(kb.demo_file("fuel.ods")).tables.values()
        >>> type(table.look()).__name__
        'Figure'

        Raises:
            PlanError: a column is not there or holds no numbers, or there is nothing to draw.
            OutputError: matplotlib is not installed.
        """
        from pathlib import PurePath

        from kebrin.deliver.charts import draw
        from kebrin.shape.looking import look

        found = look(self, by, of, what)
        sources = sorted({PurePath(segment.file).name for segment in self.origins.segments})
        return draw(found, f"{found.of} by {' and '.join(found.by)}" if found.by else found.of, sources=sources[:3])

    def rename(self, names: Mapping[str, str]) -> Table:
        """The table with new names for some columns: old name to new.

        >>> import kebrin as kb
        >>> sheet = kb.Sheet.of([["Sailing", "Foot", "Cars"], ["08:00", 12.0, 3.0]])
        >>> sheet.blocks()[0].tidy().rename({"value": "carried"}).columns
        ('Sailing', 'heading', 'carried')
        """
        for name in names:
            self.refuse_absent(name, "rename")
        return self._proved(self.picked({names.get(name, name): name for name in self.columns}))

    def drop(self, *columns: str) -> Table:
        """The table without some columns."""
        for name in columns:
            self.refuse_absent(name, "drop")
        return self._proved(self.picked({name: name for name in self.columns if name not in columns}))

    def head(self, rows: int = 5) -> Table:
        """The first rows."""
        import numpy as np

        from kebrin.shape.choosing import rows_of

        return self._proved(rows_of(self, np.arange(min(rows, len(self)))))

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return len(self), len(self.columns)

    def __getitem__(self, column: str) -> list[Any]:
        """The values of a column."""
        self.refuse_absent(column, "the table")
        return list(self.data.column(column).to_pylist())

    def __iter__(self) -> Iterator[dict[str, Any]]:
        """The rows, each a dict of its columns."""
        for batch in self.data.to_batches(max_chunksize=4096):
            yield from batch.to_pylist()

    def __eq__(self, other: object) -> bool:
        """Whether another table says the same, in the same order."""
        return isinstance(other, CoreTable) and self.data.to_pydict() == other.data.to_pydict()

    def __hash__(self) -> int:
        """Tables that say the same have the same number of rows and the same columns."""
        return hash((len(self), self.columns))

    def values(self, *columns: str) -> Values:
        """What is in each column (or in some): filled, distinct, patterns odd ones first, likely meaning and step."""
        from kebrin.values.profile import profile

        found = profile(self, columns)
        return Values(found.rows, found.columns)

    def _taken(self, verb: str, first: Any, options: dict[str, Any]) -> Table:
        from kebrin.work.limiting import LIMITED, Limited
        from kebrin.work.stepping import TAKEN, take

        where = options.pop("where", None) if verb in LIMITED else None
        parameters = signature(TAKEN[verb]).parameters
        own = list(parameters)[1]
        # One name where several may stand is a name, and not its letters.
        lists = {name for name, one in parameters.items() if str(one.annotation).startswith("Sequence[str]")}
        options = {name: [said] if name in lists and isinstance(said, str) else said for name, said in options.items()}
        first = [first] if own in lists and isinstance(first, str) else first
        if own in lists and not isinstance(first, (Sequence, Mapping)):
            raise PlanError(
                f"{verb} takes names of columns, and no {type(first).__name__}", do="Name one, or a list of them"
            )
        if where:
            limited = Limited(self.limited)
            done = limited.take(self, str(first), verb, TAKEN[verb], options, where)
            return replace(self._proved(done), limited=limited.read)
        return replace(self._proved(take(self, verb, first, options)), limited=self.limited)

    def _proved(self, made: CoreTable) -> Table:
        prove = self.prove

        def proof_after(table: Table) -> CoreProof:
            # What came out of the sheets is proved on the table as it was; each step accounts for itself.
            before = prove(self) if prove is not None else None
            assert before is not None  # noqa: S101 - only asked for where there is one
            return replace(before, steps=table.steps, remarks=(*_own(before, self), *table.remarks))

        return Table.of(made, proof_after if prove is not None else None)

    def write(self, path: str | Path) -> None:
        """Write the data alone, whole or not at all; `Run.write` writes the proof beside it.

        Raises:
            OutputError: the ending is not .csv, .parquet or .xlsx, or the file can't be written.
        """
        from pathlib import Path

        target = Path(path)
        publish.refuse_ending(target)
        with whole_file(target) as part:
            write_table(self, part, kind=target.suffix, shown=target)

    def __str__(self) -> str:
        """The first rows under their headings, and how many there are."""
        shown = [[_shown(value) for value in row.values()] for row in self.data.slice(0, _PRINTED).to_pylist()]
        lines = [list(self.columns), *shown]
        widths = [max(len(line[at]) for line in lines) for at in range(len(self.columns))]
        laid = [
            "  ".join(text.ljust(width) for text, width in zip(line, widths, strict=True)).rstrip() for line in lines
        ]
        return "\n".join([*laid, repr(self)])

    def __repr__(self) -> str:
        said = f"Table: {len(self):,} rows; {', '.join(self.columns)}"
        return said if self.prove is None else f"{said}; {self._verdict()}"

    def _repr_html_(self) -> str:
        return table_html(self, "" if self.prove is None else self._verdict())

    def _verdict(self) -> str:
        return "proved" if self.proof.holds else f"not proved: {self.proof.failures[0]}"


@dataclass(frozen=True, eq=False)
class Values(Profile):
    """What is in a table's columns; a notebook shows it as a table."""

    __repr__ = Profile.__repr__

    def _repr_html_(self) -> str:
        return values_html(self)


def as_table(frame: Stream, measures: Sequence[str] | None = None) -> Table:
    """What another library holds as a table that takes all verbs: a frame of pandas or polars, an Arrow table.

    It has no cells and no proof: it was not made from a report.

    Args:
        frame: anything that speaks the Arrow C stream protocol.
        measures: the columns that hold values; those of numbers by default.

    >>> import kebrin as kb
    >>> import pyarrow as pa
    >>> table = kb.as_table(pa.table({"quay": ["East", "East", "West"], "boats": [4, 2, 7]}))
    >>> table.sums("quay")["boats"]
    [6.0, 7.0]

    Raises:
        PlanError: it does not speak that protocol, or a measure is no column of it.
    """
    return Table.of(core_of(frame, measures), None)


def _shown(value: object) -> str:
    """A value as the first rows show it."""
    if value is None:
        return ""
    return f"{value:.10g}" if isinstance(value, float) else str(value)


def _own(proof: CoreProof, table: CoreTable) -> tuple[Finding, ...]:
    """The remarks of a proof that are not the table's own."""
    return tuple(remark for remark in proof.remarks if remark not in table.remarks)
