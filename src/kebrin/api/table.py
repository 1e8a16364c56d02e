"""The Table that people hold: the tidy table with its proof, rebuilding, and how it shows itself."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import TYPE_CHECKING, Any

from kebrin import tidy
from kebrin.deliver import publish
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.notebook import table_html, values_html
from kebrin.deliver.tables import write_table
from kebrin.errors import PlanError
from kebrin.table import Table as CoreTable
from kebrin.values.profile import Profile

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.layout import Layout
    from kebrin.proof import Proof
    from kebrin.table import Remark
    from kebrin.values.codes import CodeList


@dataclass(frozen=True, eq=False)
class Table(CoreTable):
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

    prove: Callable[[Table], Proof] | None = None

    @classmethod
    def of(cls, table: CoreTable, prove: Callable[[Table], Proof] | None) -> Table:
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
        return self.prove(self)

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
        return tidy.rebuild(self, layout)

    def number(self, column: str, **options: Any) -> Table:
        """Read a column of texts as numbers; options as in `kebrin.values.numbers.number`."""
        return self._taken("number", column, options)

    def date(self, column: str, **options: Any) -> Table:
        """Read a column of texts as dates; options as in `kebrin.values.dates.date`."""
        return self._taken("date", column, options)

    def period(self, column: str, **options: Any) -> Table:
        """Read or make periods; options as in `kebrin.values.periods.period`."""
        return self._taken("period", column, options)

    def recode(self, column: str, using: CodeList | str | Path, **options: Any) -> Table:
        """Replace texts by the codes of a list; options as in `kebrin.values.recoding.recode`."""
        return self._taken("recode", column, {"using": using, **options})

    def flag(self, column: str, **options: Any) -> Table:
        """Read a column of texts as yes and no; options as in `kebrin.values.marking.flag`."""
        return self._taken("flag", column, options)

    def missing(self, column: str, **options: Any) -> Table:
        """Make marks that mean "no value" missing; options as in `kebrin.values.marking.missing`."""
        return self._taken("missing", column, options)

    def text(self, column: str, **options: Any) -> Table:
        """Make texts alike in form; options as in `kebrin.values.wording.text`."""
        return self._taken("text", column, options)

    def convert(self, column: str, **options: Any) -> Table:
        """Convert amounts through rates; options as in `kebrin.shape.converting.convert`."""
        return self._taken("convert", column, options)

    def split(self, column: str, **options: Any) -> Table:
        """Split cells with several entries; options as in `kebrin.shape.splitting.split`."""
        return self._taken("split", column, options)

    def detail(self, column: str, **options: Any) -> tuple[Table, Table]:
        """The records, and a column's entries in a table of their own; options as in `kebrin.shape.detailing.detail`."""
        from kebrin.shape.detailing import detail

        records, entries = detail(self, column, **options)
        return self._proved(records), self._proved(entries)

    def values(self, *columns: str) -> Values:
        """What is in each column (or in some): filled, distinct, patterns odd ones first, likely meaning and step."""
        from kebrin.values.profile import profile

        found = profile(self, columns)
        return Values(found.rows, found.columns)

    def _taken(self, verb: str, column: str, options: dict[str, Any]) -> Table:
        from kebrin.work.stepping import TAKEN

        return self._proved(TAKEN[verb](self, column, **options))

    def _proved(self, made: CoreTable) -> Table:
        prove = self.prove

        def proof_after(table: Table) -> Proof:
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


def _own(proof: Proof, table: CoreTable) -> tuple[Remark, ...]:
    """The remarks of a proof that are not the table's own."""
    return tuple(remark for remark in proof.remarks if remark not in table.remarks)
