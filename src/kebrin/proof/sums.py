"""Sums among lines: which line of figures is the sum of a run of its neighbours, in every cell and beyond chance.

It asks for figures alone, so that every way through the program can ask it: a sheet, a long file's columns, a batch of a stream.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import average_word, is_ratio, names_a_key, says_rank
from kebrin.table.arrays import uneven

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Numbers = NDArray[np.float64]

# Bits that a sum must get right to be no chance, beyond the lines that it could be and the places it could begin at.
_SURE_BITS = 14.0
# Of so many lines or more only those are looked at that could be sums at all.
_MANY = 2_000


def adds_up(name: str) -> bool:
    """Whether a measure of this name may add up: no share or rate, no rank, no key.

    >>> adds_up("Boats"), adds_up("Share of boats"), adds_up("Ticket no.")
    (True, False, False)
    """
    return not (is_ratio(name) or says_rank(name) or names_a_key(name) or average_word(name))


def sums_among(numbers: Numbers, fewest: int = 2) -> list[tuple[int, int, int]]:
    """Lines that are the sum of a run that ends before them or begins behind them: line, first part, how many.

    A line's numbers are weighed and summed to one; what the lines up to a place come to then tells what any run comes to. A run
    that ends before a line and sums to it begins where they came to the line less; one behind it ends where they come to it more.

    Args:
        numbers: lines x cross lines, NaN where there is no number.
        fewest: how many numbers a line must state.

    >>> lines = np.array([[410.0, 722.0], [1355.0, 96.0], [5021.0, 8230.0], [6786.0, 9048.0], [77.0, 15.0]])
    >>> sums_among(lines)
    [(3, 0, 3)]
    """
    count = len(numbers)
    if count < 3 or not numbers.shape[1]:
        return []
    blank = np.isnan(numbers)
    filled = np.where(blank, 0.0, numbers)
    maybe = np.flatnonzero(_may_be_sums(filled)) if count >= _MANY else np.arange(count)
    if not len(maybe):
        return []
    projected = filled @ uneven(filled.shape[1])
    slack = max(1e-9 * float(np.abs(filled).sum()), 1e-9)
    reached = np.concatenate(([0.0], np.cumsum(projected)))
    wanted = np.concatenate((reached[maybe] - projected[maybe], reached[maybe + 1] + projected[maybe]))
    rank = np.argsort(reached)
    ordered = reached[rank]
    near = np.searchsorted(ordered, wanted - slack)
    hits = np.flatnonzero(ordered[np.minimum(near, count)] <= wanted + slack)
    found = []
    for hit in hits[near[hits] <= count].tolist():
        line, at = int(maybe[hit % len(maybe)]), int(near[hit])
        if not _is_telling(filled, blank, line, fewest):
            continue
        while at <= count and ordered[at] <= wanted[hit] + slack:
            end = int(rank[at])
            at += 1
            parts = range(end, line) if hit < len(maybe) else range(line + 1, end)
            if len(parts) >= 2 and _is_sum(filled, blank, line, parts):
                found.append((line, parts[0], len(parts)))
                break
    return found


def _may_be_sums(filled: Numbers) -> NDArray[np.bool_]:
    """Which lines may be sums of two or more neighbours: as large as the two before them, or behind them, in each column.

    A column with numbers below zero says nothing of that.
    """
    before, behind = (np.ones(len(filled), np.bool_) for _ in range(2))
    for column in filled.T:
        if column.min() < 0:
            continue
        two = column[:-1] + column[1:]
        eased = column * (1 + 1e-9)
        before[2:] &= eased[2:] >= two[:-1]
        behind[:-2] &= eased[:-2] >= two[1:]
    before[:2], behind[-2:] = False, False
    return before | behind


def _is_telling(filled: Numbers, blank: NDArray[np.bool_], line: int, fewest: int) -> bool:
    """Whether a chance match of a line's numbers would have to get enough right."""
    bits = float(np.log2(np.abs(filled[line]) + 1).sum())
    return bits >= _SURE_BITS + 2 * np.log2(len(filled)) and int((~blank[line]).sum()) >= fewest


def _is_sum(filled: Numbers, blank: NDArray[np.bool_], line: int, parts: range) -> bool:
    stated = ~blank[line]
    run = filled[parts.start : parts.stop]
    gaps = np.abs(run.sum(axis=0) - filled[line])[stated]
    scale = np.abs(run).sum(axis=0)[stated]
    return bool((gaps <= 1e-9 * np.maximum(scale, 1.0)).all())


class RunningSums:
    """Sums among lines that pass in batches and are not kept: of all lines before them, or all since a line that may be one.

    Two weighings of a line's numbers must both come out, so that the lines themselves are not needed again.

    >>> running = RunningSums(2)
    >>> running.finds(np.array([[410.0, 722.0], [1355.0, 96.0]])), running.finds(np.array([[5021.0, 8230.0], [6786.0, 9048.0]]))
    (False, True)
    """

    def __init__(self, width: int, fewest: int = 2) -> None:
        """Begin for lines of so many numbers."""
        weights = uneven(2 * width)
        self._weights = np.column_stack((weights[:width], weights[width:]))
        self._fewest = fewest
        self._reached = np.zeros(2)
        self._scale = 0.0
        self._lines = 0
        self._starts = [np.zeros((1, 2))]
        self._tail = np.zeros((0, width))

    def finds(self, numbers: Numbers) -> bool:
        """Whether one of some more lines is such a sum."""
        whole = np.vstack((self._tail, np.nan_to_num(numbers)))
        old = len(self._tail)
        maybe = np.flatnonzero(_may_be_sums(whole) if len(whole) > 2 else np.zeros(len(whole), np.bool_))
        maybe = maybe[maybe >= old] - old
        filled = whole[old:]
        projected = filled @ self._weights
        reached = np.concatenate(([self._reached], self._reached + np.cumsum(projected, axis=0)))
        self._scale += float(np.abs(filled).sum())
        self._lines += len(filled)
        starts = np.vstack(self._starts)
        order = np.argsort(starts[:, 0])
        slack = max(1e-9 * self._scale, 1e-9)
        blank = np.isnan(numbers)
        found = False
        for line in maybe.tolist():
            wanted = reached[line] - projected[line]
            first = int(np.searchsorted(starts[order, 0], wanted[0] - slack))
            last = int(np.searchsorted(starts[order, 0], wanted[0] + slack))
            near = np.abs(starts[order[first:last], 1] - wanted[1]) <= slack
            bits = float(np.log2(np.abs(filled[line]) + 1).sum())
            stated = int((~blank[line]).sum())
            found |= bool(near.any()) and bits >= _SURE_BITS + 2 * np.log2(self._lines) and stated >= self._fewest
        self._starts.append(reached[maybe + 1])
        self._reached, self._tail = reached[-1], whole[-2:]
        return found
