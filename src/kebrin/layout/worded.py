"""Lines that are called a total: which others they sum, as their labels and their places suggest."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.words import extreme_word, is_bare_claim, of_which, total_word, without_total_word

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
# Bits that the figures of a line that speaks of a whole must get right, for each way of choosing its parts.
_WHOLE_BITS = 8.0


def settle_worded(search: Search, line: int) -> bool:
    """Find the parts of a line that is called a total; False if it sums nothing that can be found."""
    word = search.words[line]
    if line in search.found:
        return True
    best = _best(search, line)
    if best is None:
        return False
    agree, miss, parts, why = best
    mean = line in search.means
    if agree < 1 and (mean or search.signs.listed) and not is_bare_claim(word):
        return False  # a name may hold such a word: its figures say whether it is one
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


def _best(search: Search, line: int) -> tuple[float, float, NDArray[np.intp], str] | None:
    """The lines that a line most likely sums: the share of its cells that tie, how far it misses, the lines, and why these."""
    stated = ~np.isnan(search.numbers[line])
    if not stated.any():
        return None
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
    return best


def settle_whole(search: Search, line: int) -> bool:
    """Find the parts of a line that speaks of a whole, among the sets that its labels and its place suggest: in every cell."""
    stated = ~np.isnan(search.numbers[line]) & (search.filled[line] != 0)
    if not stated.any() or search.keeps(line) or line in search.carried:
        return False
    bits = float(np.log2(np.abs(search.filled[line][search.telling & stated]) + 1).sum())
    for parts, why in _candidates(search, line):
        own = parts[parts != line]
        gaps = np.abs(search.filled[own].sum(axis=0) - search.filled[line])
        if len(own) > 1 and bits >= _WHOLE_BITS * 2 and bool((gaps[stated] <= search.slack[stated]).all()):
            search.found[line] = (own, f"it adds up over {why}; {search.wholes[line]}", 1.0)
            search.causes[line] = search.wholes[line]
            return True
    return False


def settle_summed(search: Search) -> None:
    """Find the lines that a total sums in place of others: each is the sum of those that stand right before or after it.

    "All" that sums North and South, and none of the harbours among them, says that these two sum the harbours.
    """
    for total, word in enumerate(search.words):
        if not word or total in search.means or search.keeps(total):
            continue
        parts, _, agree = search.found.get(total, (np.empty(0, np.intp), "", 0.0))
        among = _around(search, total)
        own = {at for at in parts.tolist() if at not in search.found} if agree == 1 else set()
        if own and not own < {*among}:
            continue
        for before in (True, False):
            groups = _beside(own, among, before=before) if own else _parted(search, total, among, before=before)
            # Lines that only equal one other line each say too little: both ways of a route may be alike.
            several = any(len(lines) > 1 for lines in groups.values())
            if several and all(_ties(search, line, lines) for line, lines in groups.items()):
                _settle(search, total, groups, "before" if before else "after")
                break
        else:
            _doubt(search, total, own, among)


def _doubt(search: Search, total: int, own: set[int], among: list[int]) -> None:
    """Doubt lines that a total sums, where the lines set in beside them are neither their parts nor summed by it."""
    rest = [at for at in among if at not in own]
    depths = search.signs.depths
    named = all(of_which(label or "") for at in rest for label in search.paths[at][-1:])
    if (
        own
        and rest
        and not named
        and any(depths)
        and all(depths[at] == 0 for at in own)
        and all(depths[at] for at in rest)
    ):
        word = search.words[total]
        why = f"is summed by {word!r} in place of the {len(rest)} lines set in beside such lines, and is not their sum"
        search.doubted |= {line: why for line in own if not search.keeps(line)}


def _settle(search: Search, total: int, groups: dict[int, list[int]], side: str) -> None:
    word = search.words[total]
    for line, lines in groups.items():
        count = f"{len(lines)} lines" if len(lines) > 1 else "line"
        search.found[line] = (
            np.array(lines, np.intp),
            f"it equals the sum of the {count} {side} it; {word!r} sums it",
            1.0,
        )
        search.causes[line] = f"{word!r} sums it in their place"
    if total not in search.found or search.found[total][2] < 1:
        why = f"it is called {word!r} and adds up over the {len(groups)} sums {side} it"
        search.found[total] = (np.array(sorted(groups), np.intp), why, 1.0)


def _around(search: Search, total: int) -> list[int]:
    """The plain lines before a total, or after it where none stand before, up to the next total there."""
    for side in (range(total - 1, -1, -1), range(total + 1, len(search.paths))):
        found = list(itertools.takewhile(lambda at: not (at in search.found or search.words[at]), side))
        if found:
            return sorted(found)
    return []


def _parted(search: Search, total: int, among: list[int], *, before: bool) -> dict[int, list[int]]:
    """Lines parted among those that are their sums and that a total sums: one by one they may be chance, but not all at once."""
    groups: dict[int, list[int]] = {}
    waiting: list[int] = []
    for at in among if before else among[::-1]:
        if waiting and _ties(search, at, waiting):
            groups[at], waiting = sorted(waiting), []
        else:
            waiting.append(at)
    several = len(groups) > 1 and any(len(lines) > 1 for lines in groups.values())
    return groups if several and not waiting and _ties(search, total, list(groups)) else {}


def _beside(own: set[int], among: list[int], *, before: bool) -> dict[int, list[int]]:
    """Of some lines those that stand right before each of a few, or after it; none where some stand beside none."""
    groups: dict[int, list[int]] = {}
    waiting: list[int] = []
    for at in sorted(among, reverse=not before):
        if at not in own:
            waiting.append(at)
        elif waiting:
            groups[at], waiting = sorted(waiting), []
    return {} if waiting else groups


def _ties(search: Search, line: int, parts: list[int]) -> bool:
    """Whether a line is exactly the sum of others, and says something."""
    stated = ~np.isnan(search.numbers[line])
    gaps = np.abs(search.filled[parts].sum(axis=0) - search.filled[line])
    return bool((search.filled[line] != 0).any() and (gaps[stated] <= search.slack[stated]).all())


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
    leaves = np.flatnonzero(search.plain)
    # The smallest of some lines is none of those that their mean is of; a harbour may be called so, and is tried as well.
    plain = leaves[~search.extremes[leaves]]
    if len(plain) < len(leaves) and search.words_count:
        yield from _among(search, line, plain)
    yield from _among(search, line, leaves)


def says_extreme(path: tuple[str | None, ...]) -> bool:
    """Whether a line is called the smallest or the largest of others, or some such."""
    return any(label and extreme_word(label) for label in path)


def _among(search: Search, line: int, leaves: NDArray[np.intp]) -> Iterator[tuple[NDArray[np.intp], str]]:
    """The same among some lines."""
    if not len(leaves):
        return
    named = _parts_by_labels(search, line, leaves)
    if len(named):
        yield named, f"the {len(named)} lines that its labels name"
    outer = leaves[search.depths[leaves] == 0] if search.depths.any() else leaves
    if 0 < len(outer) < len(leaves):
        yield outer, f"the {len(outer)} lines that are no part of another"
    before, after = leaves[leaves < line], leaves[leaves > line]
    marks = np.flatnonzero(~search.plain[:line])[-_RECENT_STARTS:].tolist()
    for start in [0, *[mark + 1 for mark in marks]]:
        run = before[before >= start]
        if len(run):
            yield run, f"the {len(run)} lines before it"
    worded = np.flatnonzero(search.worded[line + 1 :])
    later = line + 1 + int(worded[0]) if len(worded) else len(search.paths)
    for stop in sorted({later, len(search.paths)}):
        run = after[after < stop]
        if len(run):
            yield run, f"the {len(run)} lines after it"


def _parts_by_labels(search: Search, line: int, leaves: NDArray[np.intp]) -> NDArray[np.intp]:
    """Leaves with the total's own labels at every level but the one that says "total"."""
    path = search.paths[line]
    at = next((at for at, label in enumerate(path) if label == search.words[line]), 0)
    said = without_total_word(path[at] or "")

    fitting = leaves
    for level, codes in enumerate(search.codes):
        own = path[level]
        # Further in, what only says "total" again is said of all.
        if level < at or (level > at and own is not None and own != path[at] and not total_word(own)):
            fitting = fitting[codes[fitting] == codes[line]]
    if said and said.casefold() not in search.names:
        same = fitting[np.isin(fitting, search.saying.get(said.casefold(), ()))]
        fitting = same if len(same) else fitting
    return fitting
