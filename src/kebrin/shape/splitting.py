"""Split: cells with several entries become a row for each entry, or columns; no amount is counted twice."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.table import Remark, Table, arrays
from kebrin.values.keys import clean
from kebrin.values.marking import labels_of
from kebrin.values.outcome import Outcome, finished, place, unread_of
from kebrin.values.texts import Texts, texts_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

Share = Literal["", "first", "equal"]
DELIMITERS = (",", ";", "/", "|", "\n", " and ", " & ")


def split(
    table: Table, column: str, *, at: Sequence[str] = (",", ";"), into: Sequence[str] = (), position: str = "",
    along: Sequence[str] = (), share: Share = "", keep_empty: bool = False,
) -> Table:  # fmt: skip
    """Split cells with several entries into a row for each, or into columns.

    Entries in double quotes may hold delimiters; blanks around entries go, and empty entries unless they are kept. A row
    whose cell is empty stays one row.

    Args:
        table: the table.
        column: the column with several entries in a cell.
        at: the delimiters.
        into: new columns, one for each entry, in place of new rows; cells with another number of entries are told.
        position: a column to put each entry's place in its cell into, counted from 1.
        along: columns that are split in step (names and amounts that pair up); unequal counts are told.
        share: what becomes of numbers in other columns: they stay with the first entry (the default), or are shared out
            equally; they are never repeated.
        keep_empty: whether empty entries get a row.

    >>> table = Table(pa.table({"crew": ["Ann", "Bo"], "papers": ["A1; B2", ""], "fee": [6.0, 1.0]}), ("fee",))
    >>> split(table, "papers", position="no").data.to_pydict()
    {'crew': ['Ann', 'Ann', 'Bo'], 'papers': ['A1', 'B2', None], 'no': [1, 2, 1], 'fee': [6.0, None, 1.0]}

    Raises:
        PlanError: there is no such column, or an option is wrong.
    """
    if share not in {"", "first", "equal"}:
        raise PlanError(f"share can't be {share!r}", do="State first or equal")
    if not at:
        raise PlanError("split needs a delimiter", do='State at = [",", ";"]')
    texts = texts_of(table, column, "split")
    entries = [_entries(str(one), at, keep_empty=keep_empty) for one in texts.values.to_pylist()]
    if into:
        return _into_columns(table, column, texts, entries, into)
    return _into_rows(table, column, texts, entries, position, [*along], share, at, keep_empty=keep_empty)


def _entries(text: str, at: Sequence[str], *, keep_empty: bool = False) -> list[str]:
    """The entries of one cell.

    >>> _entries('A1, "B, late";; C3', [",", ";"])
    ['A1', 'B, late', 'C3']
    """
    pattern = "|".join(re.escape(one) for one in sorted(at, key=len, reverse=True))
    found, start, quoted = [], 0, False
    for match in re.finditer(rf'"|{pattern}', text):
        if match[0] == '"':
            quoted = not quoted
        elif not quoted:
            found.append(text[start : match.start()])
            start = match.end()
    found.append(text[start:])
    bare = [clean(one).removeprefix('"').removesuffix('"') for one in found]
    return bare if keep_empty else [one for one in bare if one]


def _into_columns(
    table: Table, column: str, texts: Texts, entries: Sequence[Sequence[str]], into: Sequence[str]
) -> Table:
    odd = [at for at, found in enumerate(entries) if found and len(found) != len(into)]
    columns: dict[str, pa.Array | pa.ChunkedArray] = {
        name: labels_of(texts, [found[place] if len(found) == len(into) else None for found in entries])
        for place, name in enumerate(into)
    }
    outcome = Outcome(
        "split", column, int((texts.codes >= 0).sum()), int((texts.codes >= 0).sum()), unread=unread_of(texts, odd),
        convention=f"{len(into)} entries a cell", note=f"into {', '.join(into)}",
    )  # fmt: skip
    return finished(table, columns, outcome)


def _into_rows(
    table: Table, column: str, texts: Texts, entries: Sequence[Sequence[str]], position: str, along: list[str], share: Share,
    at: Sequence[str], *, keep_empty: bool,
) -> Table:  # fmt: skip
    lengths = np.array([max(len(found), 1) for found in entries] or [1], np.int64)
    own = np.asarray(texts.spread(lengths, 1), np.int64) if len(entries) else np.ones(len(table), np.int64)
    others = {name: _other(table, name, at, keep_empty=keep_empty) for name in along}
    times = np.maximum.reduce([own, *(counts for _, _, counts in others.values())])
    rows = np.repeat(np.arange(len(table)), times)
    place_in_cell = np.arange(len(rows)) - np.repeat(np.cumsum(times) - times, times)
    data = table.data.take(pa.Array.from_buffers(pa.int64(), len(rows), [None, pa.py_buffer(rows.astype(np.int64))]))
    columns = {name: data.column(name) for name in table.columns}
    columns[column] = _entry_column(texts, entries, rows, place_in_cell)
    for name, (other, found, _) in others.items():
        columns[name] = _entry_column(other, found, rows, place_in_cell)
    split_too = {column, *along}
    numeric = [name for name in table.columns if pa.types.is_floating(table.data.column(name).type)]
    shared = [name for name in numeric if name not in split_too]
    for name in shared:
        columns[name] = _shared(table.data.column(name).to_numpy(), rows, place_in_cell, times, share)
    names = list(table.columns)
    if position:
        names.insert(names.index(column) + 1, position)
        columns[position] = arrays.whole(place_in_cell + 1, pa.int64())
    uneven = [
        _unequal(table, column, name, own, counts) for name, (_, _, counts) in others.items() if (own != counts).any()
    ]
    made = replace(
        table, data=pa.Table.from_arrays([columns[name] for name in names], names=names),
        origins=table.origins.take(rows) if table.measures else table.origins,
        remarks=(*table.remarks, *_said(table, column, texts, entries, times, shared, share), *uneven),
    )  # fmt: skip
    return made.step(f"split {column}", len(table), f"{int((times > 1).sum()):,} cells held several entries")


def _other(
    table: Table, name: str, at: Sequence[str], *, keep_empty: bool
) -> tuple[Texts, list[list[str]], NDArray[np.int64]]:
    texts = texts_of(table, name, "split")
    entries = [_entries(str(one), at, keep_empty=keep_empty) for one in texts.values.to_pylist()]
    lengths = np.array([max(len(found), 1) for found in entries] or [1], np.int64)
    return texts, entries, np.asarray(texts.spread(lengths, 1), np.int64)


def _entry_column(
    texts: Texts, entries: Sequence[Sequence[str]], rows: NDArray[np.intp], place_in_cell: NDArray[np.int64]
) -> pa.Array:
    """The entry for each new row: one flat list of entries, and where each text's entries begin in it."""
    counts = np.array([len(found) for found in entries] or [0], np.int64)
    starts = np.cumsum(counts) - counts
    flat = [one for found in entries for one in found]
    distinct = {one: at for at, one in enumerate(dict.fromkeys(flat))}
    codes = np.array([*(distinct[one] for one in flat), -1], np.int32)
    text = texts.codes[rows]
    there = (text >= 0) & (place_in_cell < counts[text])
    return arrays.labels(codes[np.where(there, starts[text] + place_in_cell, len(flat))], list(distinct))


def _shared(
    numbers: NDArray[np.float64],
    rows: NDArray[np.intp],
    place_in_cell: NDArray[np.int64],
    times: NDArray[np.int64],
    share: Share,
) -> pa.Array:
    if share == "equal":
        return arrays.numbers(numbers[rows] / times[rows])
    return arrays.numbers(np.where(place_in_cell == 0, numbers[rows], np.nan))


def _said(
    table: Table,
    column: str,
    texts: Texts,
    entries: Sequence[Sequence[str]],
    times: NDArray[np.int64],
    shared: Sequence[str],
    share: Share,
) -> list[Remark]:
    rule = "shared out equally" if share == "equal" else "left with the first entry"
    several = int((times > 1).sum())
    what = f"split {column}: {several:,} of {len(table):,} cells held several entries, {int(times.sum()):,} rows now"
    if shared and several:
        what += f"; {', '.join(shared)} {'was' if len(shared) == 1 else 'were'} {rule}"
    said = [Remark("split", what, count=several)]
    twice = [at for at, found in enumerate(entries) if len(set(found)) < len(found)]
    if twice:
        cells = sum(int(texts.counts[at]) for at in twice)
        shown = ", ".join(repr(str(texts.values[at].as_py())) for at in twice[:4])
        said.append(
            Remark("entries twice", f"split {column}: {cells:,} cells hold an entry twice: {shown}", count=cells)
        )
    return said


def _unequal(table: Table, column: str, name: str, own: NDArray[np.int64], counts: NDArray[np.int64]) -> Remark:
    rows = np.flatnonzero(own != counts)
    what = f"split {column}: in {len(rows):,} rows {column} and {name} hold unequal numbers of entries"
    places = tuple(place(table, column, row) for row in rows[:6].tolist())
    return Remark("unequal entries", what, cells=places, count=len(rows), breaks=True)
