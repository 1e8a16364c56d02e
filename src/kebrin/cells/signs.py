"""A key whose signs and what they stand for have cells of their own, below a table."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells.kinds import Kind
from kebrin.grammar.legend import LONGEST_SIGN, Means, heads_key, means

if TYPE_CHECKING:
    from numpy.typing import NDArray

_PAIR, _MOST_LINES = 2, 100


def signs_in_cells(values: NDArray[np.object_], kinds: NDArray[np.uint8]) -> dict[str, str]:
    """The signs of a key in pairs of cells, with what is said of each: under "Key", or at the foot where they mean no value.

    >>> rows = [["Quay", "Jan", "Feb"], ["East", 4.0, "c"], ["West", 7.0, 9.0], ["Key", "", ""], ["c", "not counted", ""]]
    >>> values = np.array(rows, dtype=object)
    >>> from kebrin.cells import kinds_of
    >>> signs_in_cells(values, kinds_of(values))
    {'c': 'not counted'}
    """
    filled = kinds != Kind.BLANK
    counts = filled.sum(axis=1)
    wide = np.flatnonzero(counts > _PAIR)
    found: dict[str, str] = {}
    headed = False
    foot = int(wide[-1]) + 1 if len(wide) else len(values)
    for row in range(foot, min(len(values), foot + _MOST_LINES)):
        own = np.flatnonzero(filled[row])
        if not (kinds[row, own] == Kind.TEXT).all() or not 0 < len(own) <= _PAIR:
            headed = headed and not len(own)
            continue
        if len(own) == 1:
            headed = heads_key(values[row, own[0]])
            continue
        sign, said = (values[row, column].strip() for column in own)
        if 0 < len(sign) <= LONGEST_SIGN and (headed or means(said) in {Means.MISSING, Means.ZERO}):
            found.setdefault(sign, said)
    return found
