"""Findings and counts as tables of their own: what a person must look at, and what became of how many rows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.table import Table, arrays

if TYPE_CHECKING:
    from collections.abc import Iterable

    from kebrin.proof import Proof
    from kebrin.work.joining import Done


def findings_of(done: Iterable[Done], said: Iterable[tuple[str, str]] = ()) -> Table:
    """What a person must look at, a row each: the table, the kind, the text, where, and how many; empty if there is nothing.

    `said` are texts about outputs, each behind the name of the file.
    """
    rows: list[tuple[str, str, str, str, float]] = []
    for part in done:
        rows += _of_proof(part.name, part.proof)
    rows += [("", "output", text, file, 1.0) for file, text in said]
    return _table(("table", "kind", "text", "where", "count"), list(dict.fromkeys(rows)))


def _of_proof(name: str, proof: Proof) -> list[tuple[str, str, str, str, float]]:
    found: list[tuple[str, str, str, str, float]] = []
    for ledger in proof.ledgers:
        where = f"{ledger.file}, {ledger.sheet}"
        if ledger.unclaimed_count:
            cells = f"{where}: {', '.join(ledger.unclaimed[:20])}"
            found.append((name, "unclaimed", "cells that are in no table", cells, float(ledger.unclaimed_count)))
        found += [
            (name, "objection", one.what, f"{where}: {', '.join(one.cells[:20])}", float(one.count))
            for one in ledger.objections
        ]
    for tie in proof.ties:
        found += [(name, "total", gap.said, f"{tie.file}, {tie.sheet}: {gap.cell}", 1.0) for gap in tie.gaps]
    for remark in proof.remarks:
        if remark.breaks or remark.kind in {"question", "unmatched key", "missing rate", "new label", "new sheet"}:
            place = ", ".join(filter(None, (remark.file, remark.sheet)))
            where = f"{place}: {', '.join(remark.cells)}" if remark.cells else place
            found.append((name, remark.kind, remark.what, where, float(max(remark.count, 1))))
    return found


def counts_of(done: Iterable[Done]) -> Table:
    """What became of how many: cells of each source by their use, rows in and out of each step, sums of measures."""
    rows: list[tuple[str, str, str, float]] = []
    for part in done:
        for ledger in part.proof.ledgers:
            source = f"{ledger.file}, {ledger.sheet}"
            rows += [(part.name, source, f"cells {use}", float(count)) for use, count in ledger.counts.items()]
        for step in part.proof.steps:
            rows.append((part.name, step.step, "rows in", float(step.rows_in)))
            rows.append((part.name, step.step, "rows out", float(step.rows_out)))
        rows.append((part.name, "output", "rows", float(len(part.table))))
        for name in part.table.columns:
            column = part.table.data.column(name)
            if pa.types.is_floating(column.type):
                rows.append((part.name, "output", f"sum of {name}", arrays.sum_of(column)))
    return _table(("table", "where", "what", "count"), rows)


def _table(names: tuple[str, ...], rows: list[Any]) -> Table:
    columns = list(zip(*rows, strict=True)) if rows else [() for _ in names]
    made = [
        arrays.numbers(np.array(column, np.float64)) if name == "count" else arrays.texts([str(one) for one in column])
        for name, column in zip(names, columns, strict=True)
    ]
    return Table(pa.Table.from_arrays(made, names=list(names)), ())
