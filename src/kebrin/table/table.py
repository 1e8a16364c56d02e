"""Table: a tidy long table and the origin of its values; the second of the two things that travel."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, NamedTuple, Self

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, nearest
from kebrin.table import arrays
from kebrin.table.origin import Origin

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    import pandas as pd
    import polars as pl
    from numpy.typing import NDArray

    from kebrin.table.findings import Finding
    from kebrin.table.origin import CellOrigin, Parts

# Whole numbers up to this one are the same as floating point numbers.
_WHOLE = 2**53


class StepCount(NamedTuple):
    """Rows before and after one step."""

    step: str
    rows_in: int
    rows_out: int
    note: str = ""


class Way(NamedTuple):
    """How a step made a column: in words, and of which columns, each with its name in the other table of a look-up."""

    said: str
    of: tuple[tuple[str, str], ...]

    def renamed(self, new: Mapping[str, str]) -> Way:
        """The same with other names for the table's columns."""
        return self._replace(of=tuple((new.get(name, name), other) for name, other in self.of))


@dataclass(frozen=True, eq=False)
class Table:
    """One row per observation: dimension columns (labels), measure columns (values), and where each value came from.

    Attributes:
        data: the Arrow table; labels are dictionary-encoded.
        measures: names of the measure columns; all other columns are dimensions or fields.
        origins: the source cell of each measure value.
        steps: rows per step so far.
        remarks: what the steps had to say.
        made: what each column of figures is that a step made ("sum", "mean", "count", "rank", ...): it is no label.
        parts: what sums and the cells of crosstabs are made of.
        ways: how steps made the columns that were looked up or computed: what they are made of, where no cell is.
        totals: the columns in which total rows bear a label, and that label; such a row is no record.
    """

    data: pa.Table
    measures: tuple[str, ...]
    origins: Origin = Origin()  # noqa: RUF009 - it is frozen
    steps: tuple[StepCount, ...] = ()
    remarks: tuple[Finding, ...] = ()
    made: Mapping[str, str] = field(default_factory=dict)
    parts: Parts | None = None
    ways: Mapping[str, Way] = field(default_factory=dict)
    totals: Mapping[str, str] = field(default_factory=dict)

    def __bool__(self) -> bool:
        """Refused: a table without rows is a table, and `table or other` would lose it without a word."""
        raise TypeError("a table is neither true nor false: ask len(table), or whether it is None")

    def __len__(self) -> int:
        return int(self.data.num_rows)

    @cached_property
    def columns(self) -> tuple[str, ...]:
        """Column names in order."""
        return tuple(self.data.column_names)

    @property
    def figures(self) -> tuple[str, ...]:
        """Names of the columns that hold figures and no labels: measures, and what steps made of them."""
        known = {*self.measures, *self.made}
        return tuple(name for name in self.columns if name in known)

    @property
    def dimensions(self) -> tuple[str, ...]:
        """Names of the columns that are no measures."""
        known = set(self.measures)
        return tuple(name for name in self.columns if name not in known)

    def refuse_absent(self, name: str, by: str) -> None:
        """Refuse a column name that the table does not have; `by` says what names it.

        Raises:
            PlanError: there is no such column; the nearest is told.
        """
        if name not in self.columns:
            near = nearest(name, self.columns)
            raise PlanError(
                f"{by} names {name!r}, which is no column", why=f"the table has {', '.join(self.columns)}",
                do=f"Did you mean {near!r}?" if near else "Name one of these",
            )  # fmt: skip

    def origin(self, row: int, measure: str | None = None) -> CellOrigin | None:
        """The source cell of a value.

        Args:
            row: the table's row, 0-based.
            measure: the measure column; may be left out if there is one only.

        Raises:
            PlanError: no such row or measure, or the measure is not told though there are several.
        """
        if measure is None and len(self.measures) == 1:
            measure = self.measures[0]
        if not self.measures:
            raise PlanError(
                "the table has no measure", why="only the values of measures know their cell",
                do="Trace the table that holds the records",
            )  # fmt: skip
        if measure not in self.measures:
            near = nearest(measure or "", self.measures)
            raise PlanError(
                f"no measure is named {measure!r}" if measure else "the table has several measures",
                why=f"there is {', '.join(self.measures)}", do=f"Did you mean {near!r}?" if near else "Name one of them",
            )  # fmt: skip
        if not 0 <= row < len(self):
            raise PlanError(f"there is no row {row}", why=f"the table has {len(self):,} rows, counted from 0")
        return self.origins.of(row, measure)

    def refuse_present(self, names: Iterable[str]) -> None:
        """Refuse names for new columns that are taken.

        Raises:
            PlanError: one of them is.
        """
        taken = [name for name in names if name in self.columns]
        if taken:
            raise PlanError(
                f"there is a column {taken[0]!r} already", why=f"the table has {', '.join(self.columns)}",
                do="Give the field or the dimension another name",
            )  # fmt: skip

    def led_by(self, columns: Mapping[str, pa.Array]) -> Self:
        """The table with more columns of labels in front."""
        mine = {name: self.data.column(name) for name in self.columns}
        every: dict[str, Any] = {**columns, **mine}
        return replace(self, data=pa.Table.from_arrays(list(every.values()), names=list(every)))

    def stamped(self, values: dict[str, str | None], *, first: bool = True) -> Self:
        """The table with constant columns added, in front of or behind the dimensions; None is missing throughout."""
        self.refuse_present(values)
        import numpy as np

        known, unknown = np.zeros(len(self), np.int32), np.full(len(self), -1, np.int32)
        constants = {
            name: arrays.labels(unknown, []) if value is None else arrays.labels(known, [value])
            for name, value in values.items()
        }
        mine = {name: self.data.column(name) for name in self.columns}
        before = {} if first else {name: mine[name] for name in self.dimensions}
        ordered: dict[str, Any] = {**before, **constants, **mine}
        return replace(self, data=pa.Table.from_arrays(list(ordered.values()), names=list(ordered)))

    def narrowed(self, names: Sequence[str]) -> Self:
        """The table with some of its columns, in this order; measures that go take their origins along."""
        measures = tuple(name for name in self.measures if name in names)
        return replace(self, data=self.data.select(list(names)), measures=measures)

    def picked(self, names: Mapping[str, str]) -> Self:
        """The table with some columns under new names: new name to old, in this order.

        >>> table = Table(pa.table({"Route": ["North"], "value": [1.0]}), ("value",))
        >>> table.picked({"carried": "value", "route": "Route"}).columns
        ('carried', 'route')
        """
        new = {old: name for name, old in names.items()}
        kept = self.narrowed(list(names.values()))
        data = kept.data.rename_columns(list(names))
        measures = tuple(new[name] for name in kept.measures)
        made = {new[name]: way for name, way in self.made.items() if name in new}
        parts = self.parts and self.parts.renamed(new)
        ways = {new[name]: way.renamed(new) for name, way in self.ways.items() if name in new}
        origins = self.origins.renamed(new)
        totals = {new[name]: label for name, label in self.totals.items() if name in new}
        return replace(
            kept, data=data, measures=measures, made=made, parts=parts, ways=ways, origins=origins, totals=totals
        )

    def shortened(self, ends: Sequence[str]) -> Self:
        """The table with beginnings and ends dropped from its column names.

        >>> Table(pa.table({"2031: Foot": [1.0], "2031: Cars": [2.0]}), ()).shortened(["2031: "]).columns
        ('Foot', 'Cars')

        Raises:
            PlanError: no column begins or ends so, two columns would bear one name, or one none.
        """
        if not ends:
            return self
        names = {name: name for name in self.columns}
        for end in ends:
            new = {old: name.removeprefix(end).removesuffix(end).strip() for old, name in names.items()}
            if new == names:
                raise PlanError(
                    f"no column name begins or ends with {end!r}", why=f"the table has {', '.join(names.values())}",
                    do="Correct it, or leave it out",
                )  # fmt: skip
            names = new
        alike = [name for name in names.values() if not name or list(names.values()).count(name) > 1]
        if alike:
            olds = [old for old, name in names.items() if name == alike[0]]
            raise PlanError(
                f"without {', '.join(map(repr, ends))} the columns {', '.join(olds)} would be called {alike[0]!r}",
                do="Drop less of their names, or name them with columns",
            )  # fmt: skip
        return self.picked({name: old for old, name in names.items()})

    @property
    def total_rows(self) -> NDArray[np.bool_]:
        """Which rows are sums of others, that a step has put below them.

        >>> Table(pa.table({"port": ["Brae", "Total"], "boats": [3.0, 3.0]}), (), totals={"port": "Total"}).total_rows.tolist()
        [False, True]
        """
        found = np.zeros(len(self), np.bool_)
        for name, label in self.totals.items():
            if name in self.columns:
                found |= np.array([value == label for value in self.data.column(name).to_pylist()], np.bool_)
        return found

    def with_made(self, **ways: str) -> Self:
        """The table with more columns known as figures that a step made, and how."""
        return replace(self, made={**self.made, **ways})

    def with_way(self, said: str, of: Mapping[str, str], *columns: str) -> Self:
        """The table with columns of which is known how a step made them, and of what."""
        return replace(self, ways={**self.ways, **dict.fromkeys(columns, Way(said, tuple(of.items())))})

    def step(self, name: str, rows_in: int, note: str = "") -> Self:
        """The table with one more step on its record."""
        return replace(self, steps=(*self.steps, StepCount(name, rows_in, len(self), note)))

    def remarked(self, remarks: Sequence[Finding]) -> Self:
        """The table with more said about it."""
        return replace(self, remarks=(*self.remarks, *remarks)) if remarks else self

    def with_remarks(self, remarks: Sequence[Finding]) -> Self:
        """The table with these remarks in place of its own."""
        return replace(self, remarks=tuple(remarks))

    def to_arrow(self) -> pa.Table:
        """The Arrow table itself; nothing is copied."""
        return self.data

    def to_pandas(self, *, categories: bool = False) -> pd.DataFrame:
        """A pandas frame of plain kinds: texts, dates, whole numbers as such where none is missing. Needs `kebrin[pandas]`.

        Args:
            categories: whether labels become categories.
        """
        data = self.data
        for at, field_ in enumerate(data.schema):
            column = data.column(at)
            if pa.types.is_dictionary(field_.type):
                column = arrays.compacted(column) if categories else column.cast(field_.type.value_type)
            elif pa.types.is_floating(field_.type) and not column.null_count:
                values = np.asarray(column)
                whole = len(values) > 0 and bool((np.abs(values) < _WHOLE).all() and (values % 1 == 0).all())
                column = pa.chunked_array([values.astype(np.int64)]) if whole else column
            data = data.set_column(at, field_.name, column)
        frame: pd.DataFrame = data.to_pandas(date_as_object=False)
        return frame

    def to_polars(self) -> pl.DataFrame:
        """A polars frame, by the Arrow protocol; labels become categories. Needs the extra `kebrin[polars]`."""
        import polars as pl

        return pl.DataFrame(self)

    def __arrow_c_stream__(self, requested_schema: object = None) -> object:
        return self.data.__arrow_c_stream__(requested_schema)
