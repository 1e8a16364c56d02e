"""Wanted rows: a few rows of the table that a person wants, and which of them a table holds.

A wanted row is matched by what its cells say, not by how they are typed: `1,234` is the number 1234, case and blanks
do not count, and the columns may bear other names and stand in another order.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import cached_property
from itertools import islice
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, Look, as_label, neat, read_text
from kebrin.errors import Place, PlanError, ValuesError, nearest
from kebrin.sources import read
from kebrin.table import arrays
from kebrin.values.dates import read_dates
from kebrin.values.texts import Texts

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence
    from pathlib import Path

    from numpy.typing import NDArray

    Key = str | float | None

_GROUPED = re.compile(r"[+\-−]?[0-9]{1,3}(?:,[0-9]{3})+(?:\.[0-9]+)?")
_MOST_WANTED = 200
_YES, _NO = frozenset({"yes", "y", "1.0", "true"}), frozenset({"no", "n", "0.0", "false"})
# Assignments of columns that are looked at; people give few columns, and most have one candidate.
_MOST_TRIES = 4000


def key_of(value: Any) -> Key:
    """What a value says, whatever its type: a number, a text in one case, or None where there is none.

    >>> key_of("1,234"), key_of(1234.0), key_of(" North  Loop"), key_of("007"), key_of("")
    (1234.0, 1234.0, 'north loop', '007', None)
    """
    if value is None:
        return None
    if isinstance(value, (int, float)) and not isinstance(value, bool):
        return float(value)
    text = neat(value if isinstance(value, str) else as_label(value))
    if not text:
        return None
    reading = read_text(text)
    if reading.look == Look.NUMBER:
        return reading.number
    if _GROUPED.fullmatch(text):
        return float(text.replace(",", "").replace("−", "-"))
    return text.casefold()


@dataclass(frozen=True, eq=False)
class Wanted:
    """Wanted rows: column names, and per row what each cell says (`keys`) and how it was written (`texts`)."""

    file: str
    columns: tuple[str, ...]
    keys: tuple[tuple[Key, ...], ...]
    texts: tuple[tuple[str, ...], ...]

    def __len__(self) -> int:
        return len(self.keys)


def read_wanted(path: str | Path) -> Wanted:
    """Read wanted rows: a header and at least one row, from the first sheet of any file that Kebrin reads.

    Raises:
        SourceError: the file can't be read.
        PlanError: it has no header or no row, or two columns of one name.
    """
    report = read(path)
    sheet = report[report.shown[0]]
    rows = [row for row in range(sheet.shape[0]) if sheet.filled[row].any()]
    if len(rows) < 2:
        raise PlanError(
            "there are no wanted rows", Place(str(path)), why="it must hold a row of column names and at least one row",
            do="Type a few rows as the table should have them, in any order",
        )  # fmt: skip
    at = np.flatnonzero(sheet.filled[rows[0]]).tolist()
    names = [sheet.text(rows[0], column) for column in at]
    twice = next((name for name in names if names.count(name) > 1), "")
    if twice:
        raise PlanError(f"two wanted columns are named {twice!r}", Place(str(path)), do="Give each column its own name")
    shown = rows[1 : 1 + _MOST_WANTED]
    keys = [
        [key_of(sheet.at(row, column)) if sheet.kinds[row, column] != Kind.BLANK else None for column in at]
        for row in shown
    ]
    texts = [[sheet.text(row, column) for column in at] for row in shown]
    return Wanted(str(path), tuple(names), tuple(map(tuple, keys)), tuple(map(tuple, texts)))


class Lookup:
    """A table's columns, to be asked where they say something."""

    def __init__(self, data: pa.Table) -> None:
        self.data = data
        self._codes: dict[str, tuple[NDArray[np.int64], dict[Key, list[int]]]] = {}
        self._there: dict[tuple[str, Key], bool] = {}

    @property
    def names(self) -> list[str]:
        """The columns' names."""
        return list(self.data.column_names)

    def where(self, name: str, key: Key) -> NDArray[np.bool_]:
        """The rows in which a column says this."""
        column = self.data.column(name)
        if pa.types.is_floating(column.type):
            numbers = arrays.floats_of(column.cast(pa.float64()))
            if key is None:
                return np.asarray(np.isnan(numbers))
            if not isinstance(key, float):
                return np.zeros(len(numbers), np.bool_)
            return np.asarray(np.abs(numbers - key) <= 1e-9 * max(abs(key), 1.0))
        codes, known = self._known(name)
        at = known.get(key, [])
        if not at and key is not None:  # a date may be wanted in any form that the step would read
            at = [code for other in _other_forms(str(key), column.type) for code in known.get(other, [])]
        return np.isin(codes, at)

    def says(self, name: str, key: Key) -> bool:
        """Whether a column says this anywhere."""
        if (name, key) not in self._there:
            self._there[name, key] = bool(self.where(name, key).any())
        return self._there[name, key]

    def _known(self, name: str) -> tuple[NDArray[np.int64], dict[Key, list[int]]]:
        if name not in self._codes:
            column = self.data.column(name).combine_chunks()
            if not pa.types.is_dictionary(column.type):
                column = column.dictionary_encode()
            codes = arrays.codes_of(column)
            known: dict[Key, list[int]] = {None: [-1]}
            for at, value in enumerate(column.dictionary.to_pylist()):
                known.setdefault(key_of(value), []).append(at)
            self._codes[name] = codes, known
        return self._codes[name]

    def texts(self, name: str) -> list[str]:
        """What a column of labels says, each once; empty for numbers."""
        column = self.data.column(name)
        if pa.types.is_floating(column.type):
            return []
        return [as_label(value) for value in column.unique().to_pylist() if value is not None]


def _other_forms(text: str, kind: pa.DataType) -> list[str]:
    """The other texts that say the same as a wanted one in a column of dates, or of yes and no.

    >>> _other_forms("03/01/2031", pa.date32()), _other_forms("yes", pa.bool_())
    (['2031-01-03', '2031-03-01'], ['true'])
    """
    if pa.types.is_boolean(kind):
        return ["true"] if text in _YES else ["false"] if text in _NO else []
    if not pa.types.is_date(kind):
        return []
    texts = Texts.of(pa.chunked_array([[text]]))
    found = []
    for order in ("day first", "month first", "year first"):
        try:
            read = read_dates(texts, "", order=order)
        except ValuesError:
            continue
        if not read.unread[0]:
            found.append(str(np.datetime64(int(read.units[0]) // read.per_second, "s").astype("datetime64[D]")))
    return list(dict.fromkeys(found))


@dataclass(frozen=True, eq=False)
class Match:
    """How well a table holds the wanted rows.

    Attributes:
        wanted: the wanted rows.
        columns: the table's column for each wanted one, None where no column says any of it.
        reached: for each wanted row whether the table holds it.
        stamped: what a plan says in wanted columns that stand nowhere; no row is reached by that.
    """

    wanted: Wanted
    lookup: Lookup
    columns: tuple[str | None, ...]
    reached: tuple[bool, ...]
    stamped: Mapping[str, str] = field(default_factory=dict)

    @property
    def whole(self) -> bool:
        """Whether every row is reached in every column."""
        return all(self.reached) and None not in self.columns

    @property
    def absent(self) -> tuple[str, ...]:
        """The wanted columns that the table lacks."""
        return tuple(name for name, found in zip(self.wanted.columns, self.columns, strict=True) if found is None)

    @property
    def rank(self) -> tuple[int, int, int, int]:
        """For choosing between matches: rows reached whole, columns found, rows reached in these, names alike."""
        same = sum(
            wanted.casefold() == (found or "").casefold()
            for wanted, found in zip(self.wanted.columns, self.columns, strict=True)
        )
        reached, found = sum(self.reached), sum(name is not None for name in self.columns)
        return reached if not self.absent else 0, found, reached, same

    @cached_property
    def said(self) -> int:
        """The wanted cells that are said in their columns, beside what is wanted with them or not."""
        return sum(
            self.lookup.says(found, keys[at])
            for at, found in enumerate(self.columns) if found is not None for keys in self.wanted.keys
        )  # fmt: skip

    @cached_property
    def misses(self) -> tuple[str, ...]:
        """Why each row that is not reached is not, a sentence each."""
        if self.stamped and set(self.absent) <= self.stamped.keys():
            return ()  # the columns that are stamped say why
        return tuple(self._why(row) for row, reached in enumerate(self.reached) if not reached)

    def _why(self, row: int) -> str:
        keys, texts = self.wanted.keys[row], self.wanted.texts[row]
        mapped = [
            (at, found, self.lookup.where(found, keys[at]))
            for at, found in enumerate(self.columns)
            if found is not None
        ]
        said = f"row {row + 2} ({', '.join(text or 'blank' for text in texts)})"
        for at, found, there in mapped:
            if not there.any() and not isinstance(keys[at], float):
                near = nearest(texts[at], self.lookup.texts(found))
                hint = f"; the nearest is {near!r}" if near else ""
                return f"{said}: {texts[at]!r} is nowhere in {found!r}{hint}"
        if not mapped:
            return f"{said}: no column says any of it"
        if every(there for _, _, there in mapped).any():
            return f"{said}: what is wanted in {' and '.join(map(repr, self.absent))} stands in no column"
        # All of it is there, but not together: leave out the column that keeps the most of the rest.
        best = max(mapped, key=lambda one: int(every(there for other, _, there in mapped if other != one[0]).sum()))
        rest = every(there for other, _, there in mapped if other != best[0])
        if len(mapped) > 1 and rest.any():
            place = int(np.flatnonzero(rest)[0])
            instead = as_label(self.lookup.data.column(best[1])[place].as_py() or "blank")
            return f"{said}: where the rest stands together, {best[1]!r} says {instead!r}, not {texts[best[0]]!r}"
        gone = next((f"{texts[at]!r} is nowhere in {found!r}" for at, found, there in mapped if not there.any()), "")
        return f"{said}: {gone or 'all of it is there, but no row holds it together'}"


def every(parts: Iterator[NDArray[np.bool_]]) -> NDArray[np.bool_]:
    """Where all of some masks hold; nowhere if there are none."""
    first, *others = list(parts) or [np.zeros(1, np.bool_)]
    for other in others:
        first = first & other
    return first


def same_names(wanted: Wanted, data: pa.Table) -> Match:
    """The match by the columns' own names, for checking an output."""
    lookup = Lookup(data)
    columns = tuple(name if name in lookup.names else None for name in wanted.columns)
    reached = []
    for keys in wanted.keys:
        parts = [lookup.where(name, key) for name, key in zip(columns, keys, strict=True) if name is not None]
        reached.append(bool(parts) and None not in columns and bool(every(iter(parts)).any()))
    return Match(wanted, lookup, columns, tuple(reached))


def best_match(wanted: Wanted, data: pa.Table) -> Match:
    """The match that reaches the most rows, over all ways to pair the wanted columns with the table's."""
    lookup = Lookup(data)
    there = {
        (at, name): [lookup.where(name, keys[at]) for keys in wanted.keys]
        for at in range(len(wanted.columns))
        for name in lookup.names
    }
    candidates = [_candidates(at, wanted, lookup, there) for at in range(len(wanted.columns))]
    best = Match(wanted, lookup, (None,) * len(wanted.columns), (False,) * len(wanted))
    for columns in islice(
        _pairings(candidates, sorted(range(len(candidates)), key=lambda at: len(candidates[at]))), _MOST_TRIES
    ):
        reached = []
        for row in range(len(wanted)):
            parts = [there[at, name][row] for at, name in enumerate(columns) if name is not None]
            reached.append(bool(parts) and bool(every(iter(parts)).any()))
        match = Match(wanted, lookup, columns, tuple(reached))
        if match.rank > best.rank:
            best = match
    return best


def _candidates(
    at: int, wanted: Wanted, lookup: Lookup, there: Mapping[tuple[int, str], Sequence[NDArray[np.bool_]]]
) -> list[str]:
    """The table's columns that say most of what a wanted column says, the likeliest first."""
    own = wanted.columns[at].casefold()
    counts = {name: sum(bool(part.any()) for part in there[at, name]) for name in lookup.names}
    most = max(counts.values(), default=0)
    # A typing mistake in one row must not rule the right column out.
    fitting = [name for name in lookup.names if most and counts[name] >= max(1, most - 1)]
    return sorted(fitting, key=lambda name: (-counts[name], name.casefold() != own))


def _pairings(candidates: Sequence[Sequence[str]], order: Sequence[int]) -> Iterator[tuple[str | None, ...]]:
    """Every way to give each wanted column one of its candidates, no column twice; None if none is free."""
    chosen: list[str | None] = [None] * len(candidates)

    def place(step: int) -> Iterator[tuple[str | None, ...]]:
        if step == len(order):
            yield tuple(chosen)
            return
        free: list[str | None] = [name for name in candidates[order[step]] if name not in chosen]
        for name in free or [None]:
            chosen[order[step]] = name
            yield from place(step + 1)
            chosen[order[step]] = None

    yield from place(0)
