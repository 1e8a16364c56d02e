"""Lines that are called a total: which others they sum, as their labels and their places suggest."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import total_word, without_total_word

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

    from kebrin.layout.totals import Search

    Numbers = NDArray[np.float64]

# A line that is called a mean is the plain one if this share of its cells ties, or if it misses by this little.
_ENOUGH_TIES, _NEAR_MEAN = 0.34, 0.01

# A line that is called a total and misses its parts by more than this share, in every cell, is none.
_FAR = 0.5


_RECENT_STARTS = 12


def settle_worded(search: Search, line: int) -> bool:
    """Find the parts of a line that is called a total; False if it sums nothing that can be found."""
    word = search.words[line]
    if line in search.found:
        return True
    stated = ~np.isnan(search.numbers[line])
    if not stated.any():
        return False
    best: tuple[float, float, NDArray[np.intp], str] | None = None
    for parts, why in _candidates(search, line):
        gaps = np.abs(_combined(search, parts, mean=line in search.means) - search.filled[line])[stated]
        slack = np.maximum(search.slack[stated], 0.5 * (1 if line in search.means else len(parts) + 1))
        agree = float(
            np.mean(gaps <= np.minimum(slack, np.abs(search.filled[line][stated]) * 0.02 + search.slack[stated]))
        )
        size = float(np.abs(search.filled[line][stated]).sum())
        miss = float(gaps.sum()) / size if size else float(gaps.sum() > 0)
        if best is None or (agree, -miss) > (best[0], -best[1]):
            best = (agree, miss, parts, why)
    if best is None:
        return False
    agree, miss, parts, why = best
    mean = line in search.means
    if mean and agree < _ENOUGH_TIES and miss > _NEAR_MEAN:
        best = _between(search, line, best)
        if best is None:
            return False
        agree, _, parts, why = best
    if not mean and not agree and miss > _FAR:
        return False  # whatever it is, it is no sum of these
    verb = "is the mean" if mean else "adds up"
    tied = verb if agree == 1 else f"{verb} in {agree:.0%} of its cells" if agree else f"{verb} nowhere"
    search.found[line] = (parts, f"it is called {word!r} and {tied} over {why}", agree)
    return True


def _between(
    search: Search, line: int, best: tuple[float, float, NDArray[np.intp], str]
) -> tuple[float, float, NDArray[np.intp], str] | None:
    """A mean that is no plain one, if each of its numbers lies between those of its parts."""
    agree, miss, parts, why = best
    stated = ~np.isnan(search.numbers[line])
    own = search.numbers[parts][:, stated]
    said = search.numbers[line][stated]
    if (
        np.isnan(own).all(axis=0).any()
        or not ((np.nanmin(own, axis=0) <= said) & (said <= np.nanmax(own, axis=0))).all()
    ):
        return None
    search.loose.add(line)
    return agree, miss, parts, why


def _combined(search: Search, parts: NDArray[np.intp], *, mean: bool) -> Numbers:
    """The sum of some lines, or their mean over the numbers that are there."""
    sums = search.filled[parts].sum(axis=0)
    if not mean:
        return np.asarray(sums)
    return np.asarray(sums / np.maximum((~np.isnan(search.numbers[parts])).sum(axis=0), 1))


def _candidates(search: Search, line: int) -> Iterator[tuple[NDArray[np.intp], str]]:
    """Sets of lines that a worded total could sum, the likeliest first."""
    leaves = np.array(
        [at for at in range(len(search.paths)) if not search.words[at] and at not in search.found], np.intp
    )
    if not len(leaves):
        return
    named = _parts_by_labels(search, line, leaves)
    if len(named):
        yield named, f"the {len(named)} lines that its labels name"
    depths = search.signs.depths
    outer = leaves[[depths[leaf] == 0 for leaf in leaves.tolist()]] if any(depths) else leaves
    if 0 < len(outer) < len(leaves):
        yield outer, f"the {len(outer)} lines that are no part of another"
    before, after = leaves[leaves < line], leaves[leaves > line]
    marks = [at for at in range(line) if search.words[at] or at in search.found]
    for start in [0, *[mark + 1 for mark in marks[-_RECENT_STARTS:]]]:
        run = before[before >= start]
        if len(run):
            yield run, f"the {len(run)} lines before it"
    later = next((at for at in range(line + 1, len(search.paths)) if search.words[at]), len(search.paths))
    for stop in sorted({later, len(search.paths)}):
        run = after[after < stop]
        if len(run):
            yield run, f"the {len(run)} lines after it"


def _parts_by_labels(search: Search, line: int, leaves: NDArray[np.intp]) -> NDArray[np.intp]:
    """Leaves with the total's own labels at every level but the one that says "total"."""
    path = search.paths[line]
    at = next((at for at, label in enumerate(path) if label == search.words[line]), 0)
    said = without_total_word(path[at] or "")

    def fits(other: tuple[str | None, ...]) -> bool:
        outer = all(other[level] == path[level] for level in range(at))
        inner = all(
            path[level] is None
            or total_word(path[level] or "")
            or path[level] == path[at]
            or other[level] == path[level]
            for level in range(at + 1, len(path))
        )
        return outer and inner

    fitting = [leaf for leaf in leaves.tolist() if fits(search.paths[leaf])]
    if said and said.casefold() not in search.names:
        same = [leaf for leaf in fitting if _says(search.paths[leaf], said)]
        fitting = same or fitting
    return np.array(fitting, np.intp)


def _says(path: tuple[str | None, ...], said: str) -> bool:
    return any(label is not None and label.casefold() == said.casefold() for label in path)
