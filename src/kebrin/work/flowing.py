"""Flow: a long text whose table would not fit into memory passes through in batches, its proof made as it goes."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.proof import Conservation, Proof, Source
from kebrin.proof.sums import RunningSums
from kebrin.sources.long_text import UnevenRowsError
from kebrin.table import Finding, FindingKind, arrays
from kebrin.work.joining import Done, same_labels
from kebrin.work.long_texts import begun
from kebrin.work.pieces import source_of
from kebrin.work.unaided import FileTask, FileWork, grouped, standardised_group

if TYPE_CHECKING:
    from collections.abc import Iterator

    from kebrin.cells import Report
    from kebrin.work.joining import Terms
    from kebrin.work.long_texts import Run
    from kebrin.work.unaided import Group

# A table of fewer records is made in memory, where every step can be taken on it.
_MOST_IN_MEMORY = 3_000_000
_SAMPLE = 5


class Flow:
    """One table on its way from a long text to a file.

    Attributes:
        name: the table's name.
        rows: the rows that have passed so far.
        sample: the first rows, for people to look at.
    """

    def __init__(self, run: Run, group: Group, report: Report, terms: Terms) -> None:
        self.name = group.name
        self.rows = 0
        self.sample: pa.Table | None = None
        self._run = run
        self._stamps = group.stamps[0]
        self._report = report
        self._terms = terms
        self._values = dict.fromkeys(run.found.measures, 0)
        self._sums = dict.fromkeys(run.found.measures, 0.0)

    @property
    def likely(self) -> int:
        """How many rows it will have, about."""
        return self._run.likely

    def tables(self) -> Iterator[pa.Table]:
        """The table, a batch at a time, what is stamped on all rows in front.

        Raises:
            UnevenRowsError: the rest of the file is not as its first part.
        """
        sums: RunningSums | None = None
        for table in self._run.tables():
            if self._run.kept:
                raise UnevenRowsError  # which cells are left out must be known of all rows at once
            self._count(table)
            figures = self._run.figures_of(table)
            if figures is not None:
                sums = sums or RunningSums(figures.shape[1], self._run.fewest)
                if sums.finds(figures):
                    raise UnevenRowsError  # a row may be the sum of others: the whole file tells
            zeros = np.zeros(len(table), np.int32)
            stamps = {
                name: arrays.labels(zeros - (text is None), [] if text is None else [text])
                for name, text in self._stamps.items()
            }
            columns = [*stamps.values(), *table.columns]
            whole = pa.Table.from_arrays(columns, schema=self._schema_of([*stamps, *table.column_names], columns))
            if self.sample is None:
                self.sample = whole.slice(0, _SAMPLE)
            yield whole

    def _schema_of(self, names: list[str], columns: list[pa.Array]) -> pa.Schema:
        """The table's columns; those of labels, which no row lacks, are marked so: they are written quicker."""
        full = self._run.found.labels
        return pa.schema([
            pa.field(name, column.type, nullable=name not in full) for name, column in zip(names, columns, strict=True)
        ])  # fmt: skip

    def _count(self, table: pa.Table) -> None:
        self.rows += len(table)
        for name in self._values:
            column = table.column(name)
            self._values[name] += len(column) - column.null_count
            if pa.types.is_floating(column.type):
                self._sums[name] += arrays.sum_of(column)

    def done(self) -> Done:
        """The table's sample and its proof, when all has passed."""
        run = self._run
        table = run.bare(self.rows)
        sample = self.sample if self.sample is not None else table.data.slice(0, 0)
        numbers = {name for name in self._values if pa.types.is_floating(sample.column(name).type)}
        conservation = tuple(
            Conservation(
                name, body.cells, body.missing, self._values[name],
                body.total if name in numbers else None, self._sums[name] if name in numbers else None,
            )
            for name, body in run.bodies.items()
        )  # fmt: skip
        source = source_of(self._report, self._report.names, {})
        proof = Proof(
            table=self.name, sources=(source,), ledgers=(run.ledger().resolved(sample.column_names),),
            conservation=conservation, ties=(run.found.piece.ties,), steps=table.steps,
            remarks=(*self._repeated(), *run.head_work.remarks, *table.remarks), totals_must_tie=self._terms.totals_must_tie,
            known=self._terms.known, leave_open=self._terms.leave_open, strict=self._terms.strict,
        )  # fmt: skip
        return Done(self.name, replace(table, data=sample), proof)

    def _repeated(self) -> list[Finding]:
        """Rows of the sheet that bear the labels of another; of a list this is no fault."""
        if self._run.found.piece.layout.listed or not self._run.found.labels:
            return []
        keys = np.sort(np.concatenate(self._run.keys))
        again = int((keys[1:] == keys[:-1]).sum()) * self._run.found.width
        if not again:
            return []
        return [Finding(FindingKind.SAME_LABELS, same_labels(again), count=again, breaks=not self._terms.repeats)]


def flow_of(report: Report, task: FileTask, terms: Terms) -> Flow | None:
    """A report as a flow; None if it is no long text, its table fits into memory, or a step would have to see all of it."""
    run = (
        begun(report, report.shown[0], lambda head: (head, task.one(head)), task.keep)
        if len(report.shown) == 1
        else None
    )
    if run is None or run.likely < _MOST_IN_MEMORY:
        return None
    (group,) = grouped([FileWork((run.head_work,), Source(report.path, "", report.names))]).groups
    table = run.found.piece.table
    after, steps = standardised_group(group, table)
    if steps or after is not table:
        return None
    return Flow(run, group, report, terms)
