"""Lines that state the mean, the end, the least or the largest of all others."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import extreme_word, says_whole
from kebrin.layout.worded import says_extreme

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.layout.totals import Search

    Numbers = NDArray[np.float64]


def find_aggregates(search: Search) -> None:
    """Lines that state the mean, the end, the least or the largest of all others, where their names speak of such."""
    taken = {*search.found, *(line for line, word in enumerate(search.words) if word)}
    for line, path in enumerate(search.paths):
        extreme = next((label for label in path if label and extreme_word(label)), "")
        whole = any(label and says_whole(label) for label in path)
        if line in taken or search.keeps(line) or not (extreme or whole):
            continue
        rest = [
            at
            for at in range(len(search.paths))
            if at != line and at not in taken and not says_extreme(search.paths[at])
        ]
        stated = ~np.isnan(search.numbers[line])
        own = search.numbers[rest][:, stated] if rest else np.empty((0, 0))
        if len(rest) < 2 or not stated.any() or np.isnan(own).all(axis=0).any():
            continue
        if (np.nanmin(own, axis=0) == np.nanmax(own, axis=0)).all():
            continue  # of like numbers any one is the mean
        said = search.numbers[line][stated]
        found = _as_extreme(own, said) if extreme else _as_mean(own, said)
        if found:
            search.found[line] = (np.array(rest, np.intp), f"it states {found} of the {len(rest)} other lines", 1.0)
            search.causes[line] = f"called {extreme!r}" if extreme else search.wholes[line]
            search.means.add(line)
            search.loose.add(line)


def _as_extreme(own: Numbers, said: Numbers) -> str:
    """Which of least, largest and middle some numbers are, of all that stand in their columns."""
    ways = (
        ("the least", np.nanmin(own, axis=0)), ("the largest", np.nanmax(own, axis=0)), ("the middle", np.nanmedian(own, axis=0))
    )  # fmt: skip
    return next((name for name, numbers in ways if np.allclose(numbers, said, rtol=1e-9, atol=1e-9)), "")


def _as_mean(own: Numbers, said: Numbers) -> str:
    """Whether numbers are the means of others, rounded as they are written, or the last of them."""
    places = next((at for at in range(7) if np.allclose(said, np.round(said, at), rtol=0, atol=1e-9)), 6)
    if len(said) > 1 and (np.abs(np.nanmean(own, axis=0) - said) <= 0.5 * 10.0**-places + 1e-9).all():
        return "the mean"
    return "the last" if len(said) > 1 and np.allclose(own[-1], said, rtol=0, atol=1e-9) else ""
