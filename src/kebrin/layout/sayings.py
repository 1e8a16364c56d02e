"""What the labels of many lines say: each distinct label is looked at once, and the lines only where one says it."""

from __future__ import annotations

import re
from itertools import chain
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.periods import of_several_months, period_name
from kebrin.grammar.words import speaks

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from numpy.typing import NDArray

_NUMBER = re.compile(r"\d+")


class Sayings:
    """The labels of lines, those apart that say nothing ("S123").

    >>> from kebrin.grammar.words import total_word
    >>> Sayings([("Hallan", "S1"), ("Total", None)]).lines(total_word)
    [1]
    """

    def __init__(self, paths: Sequence[tuple[str | None, ...]]) -> None:
        """Take the labels of each line, outermost first."""
        self._paths = paths
        self._every = set(filter(None, chain.from_iterable(paths)))
        # Names that differ by a number say alike.
        self._telling: dict[str, list[str]] = {}
        for label in filter(speaks, self._every):
            self._telling.setdefault(_NUMBER.sub("1", label), []).append(label)

    def lines(self, what: Callable[[str], object], *, every: bool = False) -> list[int]:
        """The lines of which some label says something; of every label as it stands, or of those that speak, numbers apart."""
        if every:
            said = set(filter(what, self._every))
        else:
            said = {label for alike, labels in self._telling.items() if what(alike) for label in labels}
        return [at for at, path in enumerate(self._paths) if not said.isdisjoint(path)] if said else []

    def mask(self, what: Callable[[str], object], *, every: bool = False) -> NDArray[np.bool_]:
        """The same as a vector."""
        found = np.zeros(len(self._paths), np.bool_)
        found[self.lines(what, every=every)] = True
        return found


def named_as_their_group(paths: Sequence[tuple[str | None, ...]]) -> set[int]:
    """Lines whose innermost label says what a label outside it says: "Q1" under Q1, where others there say more."""
    groups: dict[tuple[str | None, ...], set[str | None]] = {}
    for path in paths:
        groups.setdefault(path[:-1], set()).add(path[-1] if path else None)
    outer = {label for path in paths for label in path[:-1] if label is not None}
    return {
        at
        for at, path in enumerate(paths)
        if len(path) > 1
        and path[-1] in outer
        and (path[-1] in path[:-1] or not any(path[:-1]))
        and (len(groups[path[:-1]]) > 1 or not any(path[:-1]))
    }


_YEARS = frozenset({"year", "fiscal year"})


def beside_months(paths: Sequence[tuple[str | None, ...]]) -> set[int]:
    """Lines whose label names a period of several months or a year, where others name months."""
    found = {
        at for at, path in enumerate(paths)
        if path and path[-1] and (of_several_months(path[-1]) or (path[-1][:1].isdigit() and period_name([path[-1]]) in _YEARS))
    }  # fmt: skip
    if not found:
        return found
    others = [path[-1] or "" for at, path in enumerate(paths) if path and at not in found]
    months = sum(bool(label) and period_name([label]) == "month" for label in dict.fromkeys(others))
    return found if months > 1 else set()
