"""Split: cells with several entries become a row for each entry, or columns; no amount is counted twice."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.shape.columnwise import Parts, by_label, by_pattern, by_width
from kebrin.shape.parting import Entries, Spread
from kebrin.table import Finding, FindingKind, Table, arrays
from kebrin.values.entries import PLAIN_SIGNS
from kebrin.values.marking import labels_of
from kebrin.values.outcome import Outcome, finished, place, unread_of
from kebrin.values.suggesting import suggest
from kebrin.values.texts import Texts, texts_of

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

Share = Literal["", "first", "equal"]


def split(
    table: Table, column: str, *, at: Sequence[str] = (",", ";"), into: Sequence[str] = (), position: str = "",
    along: Sequence[str] = (), share: Share = "", keep_empty: bool = False, widths: Sequence[int] = (), pattern: str = "",
    labelled: str = "",
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
        widths: with `into`, cut at fixed places instead: the letters of each column but the last, which takes the rest.
        pattern: with `into`, a regular expression (RE2) with a group for each column instead.
        labelled: with `into`, the sign between an entry's label and its value (`deck: 2; engine: 3`): each value goes into
            the column of its label.

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
    ways = [name for name, given in (("widths", widths), ("pattern", pattern), ("labelled", labelled)) if given]
    if ways:
        _refuse_ways(ways, into)
        texts = texts_of(table, column, "split")
        said = [str(text) for text in texts.values.to_pylist()]
        parts = (
            by_width(said, widths, into) if widths
            else by_pattern(said, pattern, into) if pattern
            else by_label(said, labelled, at, into)
        )  # fmt: skip
        return _by_parts(table, column, texts, parts, into, ways[0])
    texts = texts_of(table, column, "split", whole=True)
    table = table.remarked(_other_signs(column, texts, at))
    entries = Entries.of(texts, at, keep_empty=keep_empty)
    if into:
        return _into_columns(table, column, texts, entries, into)
    return _into_rows(table, column, texts, entries, position, [*along], share, at, keep_empty=keep_empty)


def _refuse_ways(ways: Sequence[str], into: Sequence[str]) -> None:
    if not into:
        raise PlanError(f"split with {ways[0]} needs the names of columns", do='State into = ["...", "..."]')
    if len(ways) > 1:
        raise PlanError(f"split takes {' or '.join(ways)}, not both", do="State one of them")


def _by_parts(table: Table, column: str, texts: Texts, parts: Parts, into: Sequence[str], way: str) -> Table:
    """The table with a column for each part of a text; texts that have no such parts are told."""
    blank = [not str(text).strip() for text in texts.values.to_pylist()]
    odd = [at for at, part in enumerate(parts) if part is None and not blank[at]]
    columns: dict[str, pa.Array | pa.ChunkedArray] = {
        name: labels_of(texts, [(part or {}).get(name) or None for part in parts]) for name in into
    }
    changed = texts.cells_of(np.array([part is not None for part in parts], np.bool_))
    outcome = Outcome(
        "split",
        column,
        texts.cells,
        changed,
        unread=unread_of(texts, odd),
        convention=way,
        note=f"into {', '.join(into)}",
    )
    return finished(table, columns, outcome)


def _into_columns(table: Table, column: str, texts: Texts, entries: Entries, into: Sequence[str]) -> Table:
    odd = np.flatnonzero((entries.counts != len(into)) & (entries.counts > 0)).tolist()
    columns: dict[str, pa.Array | pa.ChunkedArray] = {
        name: entries.column_at(texts, number, len(into)) for number, name in enumerate(into)
    }
    outcome = Outcome(
        "split", column, texts.cells, texts.cells, unread=unread_of(texts, odd),
        convention=f"{len(into)} entries a cell", note=f"into {', '.join(into)}",
    )  # fmt: skip
    return finished(table, columns, outcome)


def _into_rows(
    table: Table, column: str, texts: Texts, entries: Entries, position: str, along: list[str], share: Share,
    at: Sequence[str], *, keep_empty: bool,
) -> Table:  # fmt: skip
    own = np.maximum(entries.own(texts), 1)
    others = {name: _other(table, name, at, keep_empty=keep_empty) for name in along}
    spread = Spread(np.maximum.reduce([own, *(counts for _, _, counts in others.values())]))
    split_too = {column, *along}
    kept = [name for name in table.columns if name not in split_too]
    columns: dict[str, pa.Array | pa.ChunkedArray] = {column: entries.column(texts, spread)}
    if kept:
        data = table.data.select(kept).take(arrays.whole(spread.rows, pa.int64()))
        columns |= {name: data.column(name) for name in kept}
    for name, (other, found, _) in others.items():
        columns[name] = found.column(other, spread)
    shared = [name for name in kept if pa.types.is_floating(table.data.column(name).type)]
    for name in shared:
        columns[name] = _shared(arrays.floats_of(table.data.column(name).cast(pa.float64())), spread, share)
    names = list(table.columns)
    if position:
        names.insert(names.index(column) + 1, position)
        columns[position] = arrays.whole(spread.places + 1, pa.int64())
    several = int((spread.times > 1).sum())
    uneven = [
        _unequal(table, column, name, own, counts) for name, (_, _, counts) in others.items() if (own != counts).any()
    ]
    uneven += [_repeated(table, name) for name in _unread_amounts(table, split_too) if several]
    uneven += [_changed_sum(table, name, columns[name]) for name in shared if not _same_sum(table, name, columns[name])]
    made = replace(
        table, data=pa.Table.from_arrays([columns[name] for name in names], names=names),
        parts=None,
        origins=table.origins.take(spread.rows) if table.measures else table.origins,
        remarks=(*table.remarks, *_said(table, column, texts, entries, spread, shared, share), *uneven),
    )  # fmt: skip
    return made.step(f"split {column}", len(table), f"{several:,} cells held several entries")


def _other(table: Table, name: str, at: Sequence[str], *, keep_empty: bool) -> tuple[Texts, Entries, NDArray[np.int64]]:
    texts = texts_of(table, name, "split")
    entries = Entries.of(texts, at, keep_empty=keep_empty)
    return texts, entries, np.maximum(entries.own(texts), 1)


def _shared(numbers: NDArray[np.float64], spread: Spread, share: Share) -> pa.Array:
    if share == "equal":
        return arrays.numbers(np.repeat(numbers / spread.times, spread.times))
    return arrays.numbers(np.where(spread.places == 0, numbers[spread.rows], np.nan))


def _same_sum(table: Table, name: str, after: pa.Array | pa.ChunkedArray) -> bool:
    before = arrays.sum_of(table.data.column(name))
    return math.isclose(before, arrays.sum_of(pa.chunked_array([after])), rel_tol=1e-9, abs_tol=1e-9)


def _changed_sum(table: Table, name: str, after: pa.Array | pa.ChunkedArray) -> Finding:
    sums = arrays.sum_of(table.data.column(name)), arrays.sum_of(pa.chunked_array([after]))
    return Finding(
        FindingKind.CHANGED_SUM,
        f"{name}: the sum was {sums[0]:,.10g} before the split and is {sums[1]:,.10g}",
        breaks=True,
    )


def _other_signs(column: str, texts: Texts, at: Sequence[str]) -> list[Finding]:
    """Signs that part entries as a rule, stand in the cells and are not among the delimiters: it is asked."""
    import pyarrow.compute as pc

    said = []
    for sign in PLAIN_SIGNS:
        if any(sign in one or one in sign for one in at):
            continue
        cells = int(pc.sum(pc.match_substring(texts.values, sign)).as_py() or 0)
        if cells:
            held = "1 cell holds" if cells == 1 else f"{cells:,} cells hold"
            what = f"split {column}: {held} {sign!r}, which is not among the delimiters: does it part entries? Then add it to at"
            said.append(Finding(FindingKind.QUESTION, what, count=cells))
    return said


def _said(
    table: Table, column: str, texts: Texts, entries: Entries, spread: Spread, shared: Sequence[str], share: Share
) -> list[Finding]:
    rule = "shared out equally" if share == "equal" else "left with the first entry"
    several = int((spread.times > 1).sum())
    what = f"split {column}: {several:,} of {len(table):,} cells held several entries, {len(spread):,} rows now"
    if shared and several:
        sums = ", ".join(
            f"{name} (sum {arrays.sum_of(table.data.column(name)):,.10g} before and after)" for name in shared
        )
        what += f"; {sums} {'was' if len(shared) == 1 else 'were'} {rule}"
    said = [Finding(FindingKind.SPLIT, what, count=several)]
    twice = entries.twice()
    if twice:
        cells = int(texts.counts[twice].sum())
        shown = ", ".join(repr(str(texts.values[at].as_py())) for at in twice[:4])
        said.append(
            Finding(
                FindingKind.ENTRIES_TWICE, f"split {column}: {cells:,} cells hold an entry twice: {shown}", count=cells
            )
        )
    return said


def _unread_amounts(table: Table, split_too: Collection[str]) -> list[str]:
    """Measures that are split by nobody and hold amounts as texts: repeated, they would be counted twice later."""
    texts = [
        name for name in table.measures if name not in split_too and pa.types.is_string(table.data.column(name).type)
    ]
    return [name for name in texts if suggest(Texts.of(table.data.column(name)), name).meaning == "numbers"]


def _repeated(table: Table, name: str) -> Finding:
    what = f"{name} holds amounts as text, now on every row of its cell: read it with the number step before the split"
    return Finding(FindingKind.REPEATED_AMOUNT, what, count=len(table), breaks=True)


def _unequal(table: Table, column: str, name: str, own: NDArray[np.int64], counts: NDArray[np.int64]) -> Finding:
    rows = np.flatnonzero(own != counts)
    what = f"split {column}: in {len(rows):,} rows {column} and {name} hold unequal numbers of entries"
    places = tuple(place(table, column, row) for row in rows[:6].tolist())
    return Finding(FindingKind.UNEQUAL_ENTRIES, what, cells=places, count=len(rows), breaks=True)
