"""Findings and counts as tables of their own: what a person must look at, and what became of how many rows."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.table import Does, FindingKind, Table, arrays

if TYPE_CHECKING:
    from collections.abc import Iterable

    from kebrin.proof import Proof
    from kebrin.work.joining import Done

_LOOKED_AT = frozenset({FindingKind.UNMATCHED, FindingKind.MISSING_RATE, FindingKind.NEW_LABEL, FindingKind.NEW_SHEET})


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
    """What breaks a proof, what it asks, and what it tells of keys, rates, labels and sheets that are new or missing."""
    found: list[tuple[str, str, str, str, float]] = []
    for one in proof.findings:
        if one.does is not Does.TELLS or one.kind in _LOOKED_AT:
            place = ", ".join(filter(None, (one.file, one.sheet)))
            where = f"{place}: {', '.join(one.cells)}" if one.cells and place else place or ", ".join(one.cells)
            answers = f"; state {one.advice}" if one.settle else ""
            found.append((name, str(one.kind), one.what + answers, where, float(max(one.count, 1))))
    return found


def counts_of(done: Iterable[Done]) -> Table:
    """What became of how many: cells and rows of each source by their use, rows in and out of each step, sums of measures."""
    from kebrin.shape.choosing import without_totals  # few runs need it

    rows: list[tuple[str, str, str, float]] = []
    for part in done:
        for ledger in part.proof.ledgers:
            source = f"{ledger.file}, {ledger.sheet}"
            rows += [(part.name, source, f"cells {use}", float(count)) for use, count in ledger.counts.items()]
            rows += [
                (part.name, source, f"rows that are {use}", float(count)) for use, count in ledger.row_uses.items()
            ]
        for step in part.proof.steps:
            rows.append((part.name, step.step, "rows in", float(step.rows_in)))
            rows.append((part.name, step.step, "rows out", float(step.rows_out)))
        rows.append((part.name, "output", "rows", float(len(part.table))))
        records = without_totals(part.table)
        for name in records.columns:
            column = records.data.column(name)
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
