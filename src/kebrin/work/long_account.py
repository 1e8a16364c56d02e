"""The account of a long file: what went through in its batches, and what the whole of it gave."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.proof import BodyAccount, Use
from kebrin.proof.ledger import RECORDS
from kebrin.proof.sums import adds_up, sums_among
from kebrin.table import Finding, FindingKind, Origin, StepCount, arrays
from kebrin.work.long_columns import cells_of, over_all
from kebrin.work.pieces import SheetWork
from kebrin.work.steadiness import COUNTED

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.proof import SheetLedger
    from kebrin.sources.long_text import LongRows, LongText
    from kebrin.table import Table
    from kebrin.work.steadiness import Steady


class Account:
    """What went through of a long file: its rows, the records that are kept, keys and bodies; a batch at a time."""

    def __init__(self, file: LongText | LongRows, found: Steady, work: SheetWork) -> None:
        """Begin with nothing but what the first part gave."""
        self.file = file
        self.found = found
        self.head_work = work
        self.rows: list[NDArray[np.int32]] = []
        self.kept: list[NDArray[np.int64]] = []
        self.keys: list[NDArray[np.uint64]] = []
        self.bodies = dict.fromkeys(found.measures, BodyAccount())

    def finished(self, data: pa.Table) -> SheetWork:
        """What the whole file gave: the first part's work, its table and its account those of all rows."""
        found, piece = self.found, self.found.piece
        rows = np.concatenate(self.rows)
        kept = np.concatenate(self.kept) if self.kept else None
        layout = over_all(piece.layout, found, rows, data, kept, self.file.head.shape[1])
        table = replace(self.bare(len(data)), data=data)
        whole = replace(piece, table=table, layout=layout, body=dict(self.bodies))
        return SheetWork((whole,), self.ledger(), self.head_work.remarks)

    def sums_others(self, data: pa.Table) -> bool:
        """Whether some row is the sum of a run of others: the whole sheet tells what it is."""
        figures = self.figures_of(data)
        return figures is not None and bool(sums_among(figures, self.fewest))

    @property
    def fewest(self) -> int:
        """So many figures a row must state to be taken for a sum: of records of several measures one does."""
        return 1 if len(self.found.measures) > 1 else 2

    def figures_of(self, data: pa.Table) -> NDArray[np.float64] | None:
        """The figures of some rows that may add up, a line for each row of the sheet; None where there are none.

        Args:
            data: all records, or those of a stretch of rows if none are left out.
        """
        names = [name for name in self.found.measures if pa.types.is_floating(data.column(name).type)]
        names = [name for name in names if adds_up(name) or len(self.found.measures) == 1]
        width, rows = self.found.width, sum(map(len, self.rows))
        grids = []
        for name in names:
            values = arrays.floats_of(data.column(name))
            if self.kept:
                whole = np.full(rows * width, np.nan)
                whole[np.concatenate(self.kept)] = values
                values = whole
            grids.append(values.reshape(-1, width))
        return np.hstack(grids) if grids else None

    def bare(self, rows_out: int) -> Table:
        """The first part's table, its origins and what is said of it those of the whole file."""
        found, piece = self.found, self.found.piece
        rows = np.concatenate(self.rows)
        kept = np.concatenate(self.kept) if self.kept else None
        (before,) = piece.table.origins.segments
        segment = replace(before, rows=rows, kept=kept, sources=())
        remarks = tuple(one for one in piece.table.remarks if one.kind not in COUNTED)
        table = replace(piece.table, origins=Origin((segment,)), steps=(), remarks=remarks + self._said())
        records = len(rows) * found.width
        note = f"{records - rows_out:,} empty cells left out" if records > rows_out else ""
        return replace(table, steps=(StepCount(f"unpivot {self.file.head.name}", records, rows_out, note),))

    def _said(self) -> tuple[Finding, ...]:
        """What is said of figures and of marks for "no value"; they are counted, and not listed by their cells."""
        head = self.file.head
        said = []
        for one in self.found.piece.table.remarks:
            if one.kind == FindingKind.READ and one.column in self.bodies:
                count = self.bodies[one.column].cells - self.bodies[one.column].missing
                said.append(
                    replace(one, what=re.sub(r": [\d,]+ texts", f": {count:,} texts", one.what, count=1), count=count)
                )
        for name, body in self.bodies.items():
            if body.missing:
                what = f"{name}: {body.missing:,} missing marks gave no value"
                said.append(Finding(FindingKind.MISSING_MARK, what, head.source, head.name, (), body.missing))
        return tuple(said)

    def ledger(self) -> SheetLedger:
        """The account of the whole file."""
        before = self.head_work.ledger
        more = sum(map(len, self.rows)) - len(self.found.piece.layout.body_rows)
        cells = sum(account.cells for account in self.bodies.values())
        labels = len(self.found.labels)
        counts = dict(before.counts)
        counts[Use.VALUE.word] = cells
        counts[Use.LABEL.word] = counts.get(Use.LABEL.word, 0) + more * labels
        tail = sum(len(cells_of(text, self.file.delimiter)) for _, text in self.file.odd)
        if tail:
            counts[Use.NOTE.word] = counts.get(Use.NOTE.word, 0) + tail
        via = {
            name: (count + more, shown, use) if name in self.found.labels else (count, shown, use)
            for name, (count, shown, use) in before.via.items()
        }
        rows = {**before.row_uses, RECORDS: before.row_uses.get(RECORDS, 0) + more}
        return replace(before, counts=counts, via=via, row_uses=rows)
