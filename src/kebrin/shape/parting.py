"""Parting: the entries of all cells of a column, found in the bytes of their texts, and rows made of them."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.table import arrays
from kebrin.table.threads import in_parallel
from kebrin.values.entries import entries_of
from kebrin.values.keys import clean

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.values.texts import Texts

# Stands for delimiters of several bytes; no report has it.
_STAND_IN = 0x1F
# Up to so many entries a cell, neighbours are compared to find those that come twice; beyond it they are sorted.
_FEW_ENTRIES = 32


@dataclass(frozen=True, eq=False)
class Spread:
    """Rows that come several times: how often each old row does."""

    times: NDArray[np.int64]

    def __len__(self) -> int:
        return int(self.times.sum())

    @cached_property
    def rows(self) -> NDArray[np.intp]:
        """The old row of each new one."""
        return np.repeat(np.arange(len(self.times)), self.times)

    @cached_property
    def places(self) -> NDArray[np.int64]:
        """The place of each new row among those of its old one, counted from 0."""
        places = np.arange(len(self))
        places -= np.repeat(np.cumsum(self.times) - self.times, self.times)
        return places


@dataclass(frozen=True, eq=False)
class Entries:
    """The entries of some texts, one after the other: codes into `words`, and how many each text has."""

    codes: NDArray[np.int32]
    words: tuple[str, ...]
    counts: NDArray[np.int64]

    @classmethod
    def of(cls, texts: Texts, at: Sequence[str], *, keep_empty: bool) -> Entries:
        """Part every text at some delimiters; entries in double quotes may hold delimiters.

        >>> from kebrin.values.texts import Texts
        >>> entries = Entries.of(Texts.of(pa.chunked_array([["B;A", "", "A; ;C"]])), [";"], keep_empty=False)
        >>> entries.words, entries.codes.tolist(), entries.counts.tolist()
        (('B', 'A', '', 'C'), [0, 1, 1, 3], [2, 0, 2])
        """
        flat, counts, quoted = _parted(texts.values, at)
        ends = (*(sign for sign in at if len(sign.encode()) == 1), chr(_STAND_IN))
        bare = [clean(str(word)[: -len(_end_of(str(word), ends)) or None]) for word in flat.dictionary.to_pylist()]
        distinct = {word: place for place, word in enumerate(dict.fromkeys(bare))}
        codes = np.array([distinct[word] for word in bare] or [0], np.int32)[arrays.codes_of(flat)]
        if len(quoted):
            codes, counts = _with_quoted(texts, quoted, codes, counts, distinct, at)
        if not keep_empty and "" in distinct:
            there = codes != distinct[""]
            before = np.concatenate(([0], np.cumsum(there)))
            codes, counts = codes[there], np.diff(before[np.concatenate(([0], np.cumsum(counts)))])
        return cls(codes, tuple(distinct), counts)

    @cached_property
    def starts(self) -> NDArray[np.int64]:
        """Where each text's entries begin."""
        return np.asarray(np.cumsum(self.counts) - self.counts)

    def own(self, texts: Texts) -> NDArray[np.int64]:
        """How many entries each row's text has; none where there is no text."""
        return np.append(self.counts, 0)[texts.codes]

    def column(self, texts: Texts, spread: Spread) -> pa.Array:
        """The entry for each new row, None where its cell has no entry at that place."""
        own = self.own(texts)
        if texts.whole and (spread.times == np.maximum(own, 1)).all():
            # The rows as they stand, with a gap for each cell that has no entry.
            codes = np.insert(self.codes, self.starts[own == 0], -1)
            return arrays.labels(codes, list(self.words))
        at = np.repeat(np.append(self.starts, 0)[texts.codes], spread.times)
        at += spread.places
        return self._labels(at, spread.places >= np.repeat(own, spread.times))

    def column_at(self, texts: Texts, place: int, of: int) -> pa.Array:
        """The entry at one place of each cell that has `of` entries, None for the others."""
        own = self.own(texts)
        return self._labels(np.append(self.starts, 0)[texts.codes] + place, own != of)

    def _labels(self, at: NDArray[np.int64], beyond: NDArray[np.bool_]) -> pa.Array:
        codes = np.append(self.codes, np.int32(-1))
        at[beyond] = len(self.codes)
        return arrays.labels(codes[at], list(self.words))

    def twice(self) -> list[int]:
        """The texts that hold an entry twice.

        >>> Entries(np.array([0, 1, 0, 1], np.int32), ("A", "B"), np.array([3, 1])).twice()
        [0]
        """
        most = int(self.counts.max(initial=0))
        if most > _FEW_ENTRIES:
            owner = np.repeat(np.arange(len(self.counts)), self.counts)
            pairs = np.sort(owner * len(self.words) + self.codes)
            return [int(one) for one in np.unique(pairs[1:][pairs[1:] == pairs[:-1]] // len(self.words))]
        ends = np.cumsum(self.counts)
        found: set[int] = set()
        for apart in range(1, most):
            at = np.flatnonzero(self.codes[apart:] == self.codes[:-apart])
            owner = np.searchsorted(ends, at, side="right")
            found.update(owner[owner == np.searchsorted(ends, at + apart, side="right")].tolist())
        return sorted(found)


def _end_of(entry: str, ends: tuple[str, ...]) -> str:
    """The delimiter that an entry still bears at its end, or ''."""
    return entry[-1] if entry.endswith(ends) else ""


def _parted(
    values: pa.StringArray, at: Sequence[str]
) -> tuple[pa.DictionaryArray, NDArray[np.int64], NDArray[np.intp]]:
    """The entries of all texts, a delimiter of one byte still at their end, how many each text has, and which hold quotes.

    The entries are the texts' own bytes with more places where one ends; nothing is copied.
    """
    import pyarrow.compute as pc

    single = [sign.encode()[0] for sign in at if len(sign.encode()) == 1]
    for other in sorted((sign for sign in at if len(sign.encode()) > 1), key=len, reverse=True):
        single = single or [_STAND_IN]
        values = pc.replace_substring(values, other, chr(single[0]))
    offsets, data = arrays.text_bytes(values)
    own = data[offsets[0] : offsets[-1]]
    is_end = own == single[0]
    for sign in single[1:]:
        is_end |= own == sign
    ends = np.flatnonzero(is_end) + (int(offsets[0]) + 1)
    before = np.searchsorted(ends, offsets, side="right")
    bounds = np.concatenate((offsets, ends.astype(np.int32)))
    bounds.sort(kind="stable")  # two runs, merged in one go
    flat = pa.StringArray.from_buffers(len(bounds) - 1, pa.py_buffer(bounds), pa.py_buffer(data))
    has_quotes = (own == ord('"')).any()
    quoted = np.zeros(0, np.intp)
    if has_quotes:
        quoted = np.flatnonzero(arrays.truths_of(pc.match_substring(values, '"').fill_null(False)))
    return _encoded(flat), np.diff(before) + 1, quoted


def _encoded(flat: pa.StringArray) -> pa.DictionaryArray:
    """Texts by their distinct ones; large arrays in halves, side by side."""
    half = len(flat) // 2
    parts = in_parallel(lambda part: part.dictionary_encode(), [flat.slice(0, half), flat.slice(half)])
    return pa.chunked_array(parts).unify_dictionaries().combine_chunks()


def _with_quoted(
    texts: Texts, quoted: NDArray[np.intp], codes: NDArray[np.int32], counts: NDArray[np.int64], distinct: dict[str, int],
    at: Sequence[str],
) -> tuple[NDArray[np.int32], NDArray[np.int64]]:  # fmt: skip
    """The entries with those of texts that hold quotes done again, one text at a time."""
    starts = np.cumsum(counts) - counts
    pieces, done = [], 0
    counts = counts.copy()
    for text in quoted.tolist():
        pieces.append(codes[done : starts[text]])
        done = int(starts[text] + counts[text])
        own = [distinct.setdefault(word, len(distinct)) for word in entries_of(str(texts.values[text].as_py()), at)]
        pieces.append(np.array(own, np.int32))
        counts[text] = len(own)
    return np.concatenate([*pieces, codes[done:]]), counts
