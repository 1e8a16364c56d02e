"""Groups: rows that bear the same labels, numbered in the order in which they first appear; codes, not texts, are compared."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

# Up to so many combinations are numbered by a table of all of them; more are sorted.
_DIRECT = 1 << 24


#: What steps made that adds up.
ADD_UP = frozenset({"sum", "count", "share", "convert", "compute"})


@dataclass(frozen=True, eq=False)
class Factor:
    """One column as codes into its distinct values, in the order of the column's own list; -1 where there is no value."""

    codes: NDArray[np.int64]
    values: pa.Array

    def __len__(self) -> int:
        return len(self.values)

    def taken(self, codes: NDArray[np.int64]) -> pa.Array:
        """The values of some codes, as a column of the kind that the table had."""
        if pa.types.is_string(self.values.type) or pa.types.is_large_string(self.values.type):
            return arrays.labels(codes.astype(np.int32), self.values.to_pylist())
        return self.values.take(arrays.whole(np.maximum(codes, 0), pa.int64(), codes >= 0))


def factor(column: pa.ChunkedArray) -> Factor:
    """The distinct values of a column, and the code of each row.

    >>> found = factor(pa.chunked_array([["b", None, "a", "b"]]))
    >>> found.codes.tolist(), found.values.to_pylist()
    ([0, -1, 1, 0], ['b', 'a'])
    """
    one = (
        column.unify_dictionaries().combine_chunks() if pa.types.is_dictionary(column.type) else column.combine_chunks()
    )
    one = one.chunk(0) if isinstance(one, pa.ChunkedArray) else one
    if not pa.types.is_dictionary(one.type):
        one = one.dictionary_encode()
    codes, values = arrays.codes_of(one), one.dictionary
    if values.null_count:
        blank = np.flatnonzero(arrays.truths_of(values.is_null()))
        codes[np.isin(codes, blank)] = -1
    return Factor(codes, values)


@dataclass(frozen=True, eq=False)
class Groups:
    """The groups of a table's rows by some columns.

    Attributes:
        of: int64, the group of each row.
        firsts: int64, the first row of each group.
        columns: the columns, over the groups.
    """

    of: NDArray[np.int64]
    firsts: NDArray[np.int64]
    columns: dict[str, pa.Array]

    def __len__(self) -> int:
        return len(self.firsts)


def groups_of(table: Table, names: Sequence[str]) -> Groups:
    """The groups of a table by some of its columns, in order of first appearance; rows without a value form their own.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"port": ["Brae", "Wick", "Brae"]}), ())
    >>> groups_of(table, ["port"]).of.tolist()
    [0, 1, 0]
    """
    factors = [factor(table.data.column(name)) for name in names]
    key = np.zeros(len(table), np.int64)
    size = 1
    for one in factors:
        if size * (len(one) + 1) >= 1 << 62:
            key, size = _renumbered(key)
        key = key * (len(one) + 1) + one.codes + 1
        size *= len(one) + 1
    of, firsts = _numbered(key, size)
    return Groups(of, firsts, {name: one.taken(one.codes[firsts]) for name, one in zip(names, factors, strict=True)})


def _renumbered(key: NDArray[np.int64]) -> tuple[NDArray[np.int64], int]:
    distinct, key = np.unique(key, return_inverse=True)
    return key.astype(np.int64), len(distinct)


def _numbered(key: NDArray[np.int64], size: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Numbers from 0 on in the order of first appearance, and the first row of each."""
    if not len(key):
        return key, key
    if size <= _DIRECT:
        first = np.full(size, len(key), np.int64)
        first[key[::-1]] = np.arange(len(key) - 1, -1, -1)
        used = np.flatnonzero(first < len(key))
        order = used[np.argsort(first[used], kind="stable")]
        number = np.empty(size, np.int64)
        number[order] = np.arange(len(order))
        return number[key], first[order]
    distinct, firsts, inverse = np.unique(key, return_index=True, return_inverse=True)
    order = np.argsort(firsts, kind="stable")
    number = np.empty(len(distinct), np.int64)
    number[order] = np.arange(len(order))
    return number[inverse], firsts[order].astype(np.int64)
