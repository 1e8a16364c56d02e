"""What a verb did to a column: how many cells it changed, what it could not read, by which convention and why."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.table import Finding, FindingKind, Table

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.values.texts import Texts

_SHOWN, _LISTED = 6, 200


@dataclass(frozen=True)
class Unread:
    """A text that could not be read: how often it stands there, and the table's first rows that bear it (0-based)."""

    text: str
    count: int
    rows: tuple[int, ...]


@dataclass(frozen=True)
class Lost:
    """All that a verb could not read: the commonest texts are listed, the rest counted."""

    listed: tuple[Unread, ...] = ()
    cells: int = 0
    texts: int = 0


@dataclass(frozen=True)
class Outcome:
    """The result of one verb over one column.

    Attributes:
        verb: the verb.
        column: the column that it read.
        cells: cells that held a text.
        changed: cells that now say something in another form.
        missing: cells that were marks for "no value", now missing.
        unread: texts that could not be read; their cells are missing now, and the proof does not hold.
        convention: what was found or stated, in words.
        evidence: why.
        note: sums or counts before and after.
    """

    verb: str
    column: str
    cells: int
    changed: int
    missing: int = 0
    unread: Lost = Lost()
    convention: str = ""
    evidence: str = ""
    note: str = ""

    def __str__(self) -> str:
        said = f"{self.verb} {self.column}: {self.changed:,} of {self.cells:,} cells"
        said += f" by {self.convention}" if self.convention else ""
        said += f" ({self.evidence})" if self.evidence else ""
        return f"{said}; {self.note}" if self.note else said


def unread_of(texts: Texts, which: Sequence[int]) -> Lost:
    """The unread texts by their place among a column's texts, the commonest listed first."""
    if not len(which):
        return Lost()
    places = np.asarray(which, np.int64)
    counts = texts.counts[places]
    order = np.argsort(-counts, kind="stable")[:_LISTED]
    listed = [
        Unread(str(texts.values[at].as_py()), int(count), tuple(texts.rows(at)))
        for at, count in zip(places[order].tolist(), counts[order].tolist(), strict=True)
    ]
    return Lost(tuple(listed), int(counts.sum()), len(places))


def finished(
    table: Table, columns: dict[str, pa.Array | pa.ChunkedArray], outcome: Outcome, *, lenient: bool = False
) -> Table:
    """The table with columns replaced or added (behind the one that was read), and what is said of it.

    Texts that could not be read break the proof, unless `lenient` says that they may be blank.
    """
    names = list(table.columns)
    at = names.index(outcome.column) + 1
    arrays = {name: table.data.column(name) for name in names}
    for name in [name for name in columns if name not in arrays]:
        names.insert(at, name)
        at += 1
    data = pa.Table.from_arrays([columns.get(name, arrays.get(name)) for name in names], names=names)
    remarks = [Finding(FindingKind(outcome.verb), str(outcome), count=outcome.changed)]
    if outcome.missing:
        remarks.append(
            Finding(
                FindingKind.MISSING_MARK,
                f"{outcome.column}: {outcome.missing:,} marks gave no value",
                count=outcome.missing,
            )
        )
    if outcome.unread.cells:
        remarks.append(_about_unread(table, outcome, lenient=lenient))
    # What was asked about the column is answered now.
    kept = [one for one in table.remarks if not (one.kind == FindingKind.QUESTION and one.column == outcome.column)]
    changed = replace(table, data=data, remarks=(*kept, *remarks))
    return changed.step(f"{outcome.verb} {outcome.column}", len(table), outcome.note)


def _about_unread(table: Table, outcome: Outcome, *, lenient: bool) -> Finding:
    lost = outcome.unread
    shown = ", ".join(f"{one.text!r} ({one.count:,})" for one in lost.listed[:_SHOWN])
    more = f" and {lost.texts - _SHOWN:,} more texts" if lost.texts > _SHOWN else ""
    what = f"{outcome.verb} {outcome.column}: {lost.cells:,} cells could not be read: {shown}{more}"
    places = [place(table, outcome.column, row) for one in lost.listed[:_SHOWN] for row in one.rows[:2]]
    return Finding(FindingKind.UNREAD, what, cells=tuple(places[:_SHOWN]), count=lost.cells, breaks=not lenient)


def place(table: Table, column: str, row: int) -> str:
    """Where a value came from: its cell if it is a measure's, else the table's row, counted from 1."""
    if column in table.measures and row < len(table.origins):
        origin = table.origin(row, column)
        if origin is not None:
            return f"{origin.sheet} {origin.cell}"
    return f"row {row + 1}"
