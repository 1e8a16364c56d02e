"""The Table that people hold: the tidy table with its proof, rebuilding, and how it shows itself."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import TYPE_CHECKING

from kebrin import tidy
from kebrin.deliver import publish
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.notebook import table_html
from kebrin.deliver.tables import write_table
from kebrin.errors import PlanError
from kebrin.table import Table as CoreTable

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.layout import Layout
    from kebrin.proof import Proof


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

    def write(self, path: str | Path) -> None:
        """Write the data alone, whole or not at all; `Run.write` writes the proof beside it.

        Raises:
            OutputError: the ending is not .csv, .parquet or .xlsx, or the file can't be written.
        """
        from pathlib import Path

        target = Path(path)
        publish.refuse_ending(target)
        with whole_file(target) as part:
            write_table(self, part, kind=target.suffix)

    def __repr__(self) -> str:
        said = f"Table: {len(self):,} rows; {', '.join(self.columns)}"
        return said if self.prove is None else f"{said}; {self._verdict()}"

    def _repr_html_(self) -> str:
        return table_html(self, "" if self.prove is None else self._verdict())

    def _verdict(self) -> str:
        return "proved" if self.proof.holds else f"not proved: {self.proof.failures[0]}"
