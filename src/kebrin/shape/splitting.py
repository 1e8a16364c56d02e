"""Split: cells with several entries become a row for each entry, or columns; no amount is counted twice."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.table import Remark, Table, arrays
from kebrin.values.entries import entries_of
from kebrin.values.keys import clean
from kebrin.values.outcome import Outcome, finished, place, unread_of
from kebrin.values.suggesting import suggest
from kebrin.values.texts import Texts, texts_of

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

Share = Literal["", "first", "equal"]


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
    texts = texts_of(table, column, "split", whole=True)
    entries = _Entries.of(texts, at, keep_empty=keep_empty)
    if into:
        return _into_columns(table, column, texts, entries, into)
    return _into_rows(table, column, texts, entries, position, [*along], share, at, keep_empty=keep_empty)


@dataclass(frozen=True, eq=False)
class _Entries:
    """The entries of some texts, one after the other: codes into `words`, and where each text's begin."""

    codes: NDArray[np.int64]
    words: tuple[str, ...]
    counts: NDArray[np.int64]

    @classmethod
    def of(cls, texts: Texts, at: Sequence[str], *, keep_empty: bool) -> _Entries:
        """Split every text."""
        lists, quoted = _split_plainly(texts.values, at)
        flat = Texts.of(pa.chunked_array([lists.flatten()]))
        bare = [clean(str(word)) for word in flat.values.to_pylist()]
        codes = flat.codes
        counts = np.diff(np.frombuffer(lists.buffers()[1], np.int32, len(lists) + 1)).astype(np.int64)
        distinct = {word: place for place, word in enumerate(dict.fromkeys(bare))}
        codes = np.array([distinct[word] for word in bare] or [0], np.int64)[codes]
        if len(quoted):
            codes, counts = _with_quoted(texts, quoted, codes, counts, distinct, at)
        if not keep_empty and "" in distinct:
            there = codes != distinct[""]
            owner = np.repeat(np.arange(len(counts)), counts)
            codes, counts = codes[there], np.bincount(owner[there], minlength=len(counts)).astype(np.int64)
        return cls(codes, tuple(distinct), counts)

    @property
    def starts(self) -> NDArray[np.int64]:
        """Where each text's entries begin."""
        return np.asarray(np.cumsum(self.counts) - self.counts)

    def of_text(self, text: int) -> list[str]:
        """The entries of one text."""
        start = int(self.starts[text])
        return [self.words[code] for code in self.codes[start : start + int(self.counts[text])].tolist()]


def _split_plainly(values: pa.StringArray, at: Sequence[str]) -> tuple[pa.ListArray, NDArray[np.intp]]:
    """The texts split at every delimiter, and which of them hold quotes and must be split with care."""
    import pyarrow.compute as pc

    quoted = np.flatnonzero(np.asarray(pc.match_substring(values, '"')))
    first, *others = sorted(at, key=len, reverse=True)
    for other in others:
        values = pc.replace_substring(values, other, first)
    return pc.split_pattern(values, first), quoted


def _with_quoted(
    texts: Texts, quoted: NDArray[np.intp], codes: NDArray[np.int64], counts: NDArray[np.int64], distinct: dict[str, int],
    at: Sequence[str],
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:  # fmt: skip
    """The entries with those of texts that hold quotes done again, one text at a time."""
    starts = np.cumsum(counts) - counts
    pieces, done = [], 0
    counts = counts.copy()
    for text in quoted.tolist():
        pieces.append(codes[done : starts[text]])
        done = int(starts[text] + counts[text])
        own = [distinct.setdefault(word, len(distinct)) for word in entries_of(str(texts.values[text].as_py()), at)]
        pieces.append(np.array(own, np.int64))
        counts[text] = len(own)
    return np.concatenate([*pieces, codes[done:]]), counts


def _into_columns(table: Table, column: str, texts: Texts, entries: _Entries, into: Sequence[str]) -> Table:
    odd = np.flatnonzero((entries.counts != len(into)) & (entries.counts > 0)).tolist()
    rows = np.arange(len(table))
    own = np.append(entries.counts, 0)[texts.codes]
    columns: dict[str, pa.Array | pa.ChunkedArray] = {}
    for number, name in enumerate(into):
        place_in_cell = np.where(own == len(into), number, len(entries.codes) + 1)
        columns[name] = _entry_column(texts, entries, rows, place_in_cell)
    outcome = Outcome(
        "split", column, int((texts.codes >= 0).sum()), int((texts.codes >= 0).sum()), unread=unread_of(texts, odd),
        convention=f"{len(into)} entries a cell", note=f"into {', '.join(into)}",
    )  # fmt: skip
    return finished(table, columns, outcome)


def _into_rows(
    table: Table, column: str, texts: Texts, entries: _Entries, position: str, along: list[str], share: Share,
    at: Sequence[str], *, keep_empty: bool,
) -> Table:  # fmt: skip
    own = np.maximum(np.append(entries.counts, 1)[texts.codes], 1)
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
    uneven += [_repeated(table, name) for name in _unread_amounts(table, split_too) if (times > 1).any()]
    made = replace(
        table, data=pa.Table.from_arrays([columns[name] for name in names], names=names),
        origins=table.origins.take(rows) if table.measures else table.origins,
        remarks=(*table.remarks, *_said(table, column, texts, entries, times, shared, share), *uneven),
    )  # fmt: skip
    return made.step(f"split {column}", len(table), f"{int((times > 1).sum()):,} cells held several entries")


def _other(
    table: Table, name: str, at: Sequence[str], *, keep_empty: bool
) -> tuple[Texts, _Entries, NDArray[np.int64]]:
    texts = texts_of(table, name, "split")
    entries = _Entries.of(texts, at, keep_empty=keep_empty)
    return texts, entries, np.maximum(np.append(entries.counts, 1)[texts.codes], 1)


def _entry_column(
    texts: Texts, entries: _Entries, rows: NDArray[np.intp], place_in_cell: NDArray[np.int64]
) -> pa.Array:
    """The entry for each new row, None where its cell has no so manieth entry."""
    text = texts.codes[rows]
    starts, counts = np.append(entries.starts, 0), np.append(entries.counts, 0)
    there = (text >= 0) & (place_in_cell < counts[text])
    codes = np.append(entries.codes, -1)
    return arrays.labels(
        codes[np.where(there, starts[text] + place_in_cell, len(codes) - 1)].astype(np.int32), list(entries.words)
    )


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
    entries: _Entries,
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
    twice = _twice(entries)
    if twice:
        cells = sum(int(texts.counts[at]) for at in twice)
        shown = ", ".join(repr(str(texts.values[at].as_py())) for at in twice[:4])
        said.append(
            Remark("entries twice", f"split {column}: {cells:,} cells hold an entry twice: {shown}", count=cells)
        )
    return said


def _twice(entries: _Entries) -> list[int]:
    """The texts that hold an entry twice."""
    owner = np.repeat(np.arange(len(entries.counts)), entries.counts)
    pairs = np.sort(owner * max(len(entries.words), 1) + entries.codes)
    again = pairs[1:][pairs[1:] == pairs[:-1]] // max(len(entries.words), 1)
    return [int(one) for one in np.unique(again)]


def _unread_amounts(table: Table, split_too: Collection[str]) -> list[str]:
    """Measures that are split by nobody and hold amounts as texts: repeated, they would be counted twice later."""
    texts = [
        name for name in table.measures if name not in split_too and pa.types.is_string(table.data.column(name).type)
    ]
    return [name for name in texts if suggest(Texts.of(table.data.column(name)), name).meaning == "numbers"]


def _repeated(table: Table, name: str) -> Remark:
    what = f"{name} holds amounts as text, now on every row of its cell: read it with the number step before the split"
    return Remark("repeated amount", what, count=len(table), breaks=True)


def _unequal(table: Table, column: str, name: str, own: NDArray[np.int64], counts: NDArray[np.int64]) -> Remark:
    rows = np.flatnonzero(own != counts)
    what = f"split {column}: in {len(rows):,} rows {column} and {name} hold unequal numbers of entries"
    places = tuple(place(table, column, row) for row in rows[:6].tolist())
    return Remark("unequal entries", what, cells=places, count=len(rows), breaks=True)
