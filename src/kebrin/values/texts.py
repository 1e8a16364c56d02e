"""The texts of one column: each distinct one once if they repeat, all as they stand if they do not."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.table import arrays

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.table import Table

# Encoding pays if a sample of this size has at most this share of distinct texts.
_SAMPLE, _REPEATS, _GROWTH = 20_000, 0.6, 1.8
ROWS_TOLD = 5


@dataclass(frozen=True, eq=False)
class Texts:
    """Texts to be worked on (`values`, no nulls), and the column whose rows bear them; none if they are the rows' own."""

    values: pa.StringArray
    column: pa.ChunkedArray | None

    @property
    def whole(self) -> bool:
        """Whether the texts are those of the rows as they stand."""
        return self.column is None

    @cached_property
    def codes(self) -> NDArray[np.int64]:
        """For each row the place of its text; -1 for null. Of long columns they are only made when asked for."""
        if self.column is None:
            return np.arange(len(self.values))
        return np.concatenate([np.empty(0, np.int64), *map(arrays.codes_of, self.column.chunks)])

    @cached_property
    def cells(self) -> int:
        """How many rows have a text."""
        return len(self.values) if self.column is None else len(self.column) - self.column.null_count

    @classmethod
    def of(cls, column: pa.ChunkedArray, *, whole: bool = False) -> Texts:
        """The texts of a column of labels or texts; `whole` allows them as they stand, for verbs that work on arrays.

        >>> texts = Texts.of(pa.chunked_array([["Hallan", None, "Brae", "Hallan"]]))
        >>> texts.codes.tolist()
        [0, -1, 1, 0]
        """
        if arrays.share_one_list(column):
            return cls(_plain(column.chunk(0).dictionary), column)
        one = column.combine_chunks()
        if pa.types.is_large_string(one.type):
            one = one.cast(pa.string())
        if not pa.types.is_dictionary(one.type):
            if whole and len(one) > 2 * _SAMPLE and not one.null_count and _hardly_repeats(one):
                return cls(one, None)
            one = one.dictionary_encode()
        return cls(_plain(one.dictionary), pa.chunked_array([one]))

    def __len__(self) -> int:
        return len(self.values)

    @cached_property
    def counts(self) -> NDArray[np.int64]:
        """How many rows bear each text."""
        if self.column is None:
            return np.ones(len(self.values), np.int64)
        found = np.zeros(len(self.values), np.int64)
        for chunk in self.column.chunks:
            codes = arrays.codes_of(chunk)
            codes = codes[codes >= 0] if chunk.null_count else codes
            if len(codes) < len(found):
                np.add.at(found, codes, 1)  # a count of all texts for every chunk would grow with their product
            else:
                found += np.bincount(codes, minlength=len(found))
        return found

    def cells_of(self, which: NDArray[np.bool_]) -> int:
        """How many rows bear one of some texts."""
        return int(np.count_nonzero(which)) if self.whole else int(self.counts[which].sum())

    def cells_at(self, places: NDArray[np.intp]) -> int:
        """How many rows bear one of the texts at some places."""
        return len(places) if self.whole else int(self.counts[places].sum())

    def spread(self, values: NDArray[np.generic], empty: object) -> NDArray[np.generic]:
        """One value per text as one per row, with a stand-in where the column is null."""
        if self.column is None:
            return values
        padded = np.append(values, np.array([empty], values.dtype))
        return padded[self.codes]

    def rows(self, text: int, most: int = ROWS_TOLD) -> list[int]:
        """The first rows that bear a text."""
        return [text] if self.whole else np.flatnonzero(self.codes == text)[:most].tolist()


def _plain(words: pa.Array) -> pa.StringArray:
    return words if pa.types.is_string(words.type) else words.cast(pa.string())


def _hardly_repeats(texts: pa.StringArray) -> bool:
    """Whether new texts keep coming: in a sample, and in one of twice its size."""
    once, twice = (len(texts.slice(0, size).unique()) for size in (_SAMPLE, 2 * _SAMPLE))
    return once > _REPEATS * _SAMPLE and twice > _GROWTH * once


def texts_of(table: Table, name: str, verb: str, *, whole: bool = False) -> Texts:
    """The texts of a column by name.

    Raises:
        PlanError: there is no such column, or it holds no text.
    """
    table.refuse_absent(name, verb)
    column = table.data.column(name)
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    if pa.types.is_null(kind):
        none = arrays.labels(np.full(len(column), -1, np.int32), [])
        return Texts(arrays.texts([]), pa.chunked_array([none]))
    if not (pa.types.is_string(kind) or pa.types.is_large_string(kind)):
        raise PlanError(
            f"{verb} reads texts, and {name!r} holds {arrays.kind_of(column)}s",
            why="it has a kind already",
            do="Leave this step out",
        )
    return Texts.of(column, whole=whole)


def is_text(table: Table, name: str) -> bool:
    """Whether a column holds texts or labels."""
    kind = table.data.column(name).type
    kind = kind.value_type if pa.types.is_dictionary(kind) else kind
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))
