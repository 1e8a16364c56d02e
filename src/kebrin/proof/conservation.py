"""Conservation: what went into a table's measures, counted and summed on the sheet, against what came out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, Look, Sheet
from kebrin.table.arrays import block, sum_of
from kebrin.table.findings import Finding, FindingKind

if TYPE_CHECKING:
    from collections.abc import Iterable

    from kebrin.layout import Layout
    from kebrin.table import Table


@dataclass(frozen=True)
class Conservation:
    """One measure's account.

    `cells` counts non-blank body cells on the sheets, of which `missing` say that there is no value (missing marks and
    error cells); `values` counts what the table holds. Sums are None for measures that are not numbers.
    """

    measure: str
    cells: int
    missing: int
    values: int
    sum_in: float | None
    sum_out: float | None

    @property
    def holds(self) -> bool:
        """Whether as much came out as went in."""
        if self.cells != self.missing + self.values:
            return False
        if self.sum_in is None or self.sum_out is None:
            return self.sum_in == self.sum_out
        return abs(self.sum_in - self.sum_out) <= 1e-9 * max(abs(self.sum_in), 1.0)

    @property
    def finding(self) -> Finding:
        """What is found where it does not hold."""
        what = (
            f"{self.measure}: {self.cells:,} cells (sum {self.sum_in}) went in, {self.values:,} values "
            f"(sum {self.sum_out}) and {self.missing:,} missing came out"
        )
        return Finding(
            FindingKind.CONSERVATION,
            what,
            count=abs(self.cells - self.missing - self.values),
            breaks=True,
            column=self.measure,
        )

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {
            "measure": self.measure, "cells": self.cells, "missing": self.missing, "values": self.values,
            "sum in": self.sum_in, "sum out": self.sum_out, "holds": self.holds,
        }  # fmt: skip


class BodyAccount(NamedTuple):
    """What one measure's body cells hold, read from the sheet: filled cells, those that say "no value", the sum."""

    cells: int = 0
    missing: int = 0
    total: float = 0.0

    def plus(self, other: BodyAccount) -> BodyAccount:
        """Both together."""
        return BodyAccount(self.cells + other.cells, self.missing + other.missing, self.total + other.total)


def body_accounts(sheet: Sheet, layout: Layout, measures: tuple[str, ...]) -> dict[str, BodyAccount]:
    """What a block's body holds per measure, by the layout alone: neither the table nor its origins are asked."""
    accounts = dict.fromkeys(measures, BodyAccount())
    for name, columns in _columns_of(layout, measures).items():
        at = block(layout.body_rows, np.array(columns, np.int32))
        filled, kinds, looks = sheet.filled[at], sheet.kinds[at], sheet.looks[at]
        none = ((looks == Look.MISSING) | (kinds == Kind.ERROR)) & filled
        numbers = sheet.numbers[at]
        total = float(np.sum(numbers, where=~np.isnan(numbers)))
        accounts[name] = BodyAccount(int(filled.sum()), int(none.sum()), total)
    return accounts


def conserve(table: Table, bodies: Iterable[dict[str, BodyAccount]]) -> tuple[Conservation, ...]:
    """The account of each measure: the blocks' bodies on one side, the table on the other."""
    inside = dict.fromkeys(table.measures, BodyAccount())
    for body in bodies:
        for name, account in ((name, account) for name, account in body.items() if name in inside):
            inside[name] = inside[name].plus(account)
    accounts = []
    for name in table.measures:
        column = table.data.column(name)
        values = len(column) - column.null_count
        numeric = pa.types.is_floating(column.type)
        total = sum_of(column) if numeric else None
        cells, missing, sum_in = inside[name]
        accounts.append(Conservation(name, cells, missing, values, sum_in if numeric else None, total))
    return tuple(accounts)


def _columns_of(layout: Layout, measures: tuple[str, ...]) -> dict[str, list[int]]:
    """The body columns of each measure, by the layout's labels."""
    if not layout.measures:
        return {measures[0]: layout.body_columns.tolist()}
    columns: dict[str, list[int]] = {}
    known = set(measures)
    for at, label in enumerate(layout.level(layout.measures).labels()):
        name = label if label in known else next(iter(known - set(layout.level(layout.measures).texts)))
        columns.setdefault(name, []).append(int(layout.body_columns[at]))
    return columns
