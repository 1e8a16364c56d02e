"""How a line of figures follows from others by arithmetic: what has run up, a change, a mean, a share, a rank, a count.

The layout finds such lines by it and the proof works them out again, so it stands below both.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    Numbers = NDArray[np.float64]

RUNNING, CHANGE, MEAN, SHARE, RANK = "sum of all before", "last less first", "mean of all before", "share", "rank"
RATIO, DIFFERENCE = "ratio", "one less another"
COUNT, ABOVE, BELOW = "count", "count above", "count below"


def follows(how: str, own: Numbers, parts: Numbers) -> NDArray[np.bool_]:
    """Which figures of a line follow from those of its parts (lines x cells), as it is said that they do.

    >>> follows(CHANGE, np.array([4.0, 2.0]), np.array([[1.0, 5.0], [3.0, np.nan], [5.0, 8.0]])).tolist()
    [True, False]
    """
    if how in {SHARE, RANK}:
        return _of_one(how, own, parts)
    if how == RATIO:
        return _shares_of(own, parts)
    if how == MEAN:
        off = np.abs(own - np.nanmean(np.where(np.isnan(parts).all(axis=0), 0.0, parts), axis=0))
        # The mean and its parts are each rounded, by half of their last place at most.
        return np.asarray(off <= 0.5001 * (10.0 ** -places_of(own) + 10.0 ** -places_of(parts)))
    if how == CHANGE:
        there = ~np.isnan(parts)
        first, last = there.argmax(axis=0), len(parts) - 1 - there[::-1].argmax(axis=0)
        across = np.arange(parts.shape[1])
        other = parts[last, across] - parts[first, across]
    elif how in {COUNT, ABOVE, BELOW}:
        other = _counted(own, -parts if how == BELOW else parts, every=how == COUNT)
    else:
        other = parts[0] - parts[1] if how == DIFFERENCE else np.nansum(parts, axis=0)
    return _near(own, other)


def _of_one(how: str, own: Numbers, parts: Numbers) -> NDArray[np.bool_]:
    """Which figures are the shares, or the ranks, of one other line."""
    (part,) = parts
    blank = np.isnan(own) & np.isnan(part)
    if how == SHARE:
        total = float(np.nansum(part))
        places = places_of(own)
        shares = part / total if total else part * np.nan
        near = [np.abs(own - factor * shares) <= 0.5001 * 10.0**-places for factor in (1, 100)]
        return np.asarray(blank | near[0] | near[1])
    known = part[~np.isnan(part)]
    ranks = [1 + (sign * known[:, None] < sign * part[None, :]).sum(axis=0) for sign in (1, -1)]
    best = max(ranks, key=lambda one: int((own == one).sum()))
    return np.asarray(blank | (own == best))


def _counted(own: Numbers, parts: Numbers, *, every: bool) -> Numbers:
    """How many of the parts state a figure in each cell; or how many are above one bound, if one fits all cells.

    >>> _counted(np.array([1.0, 2.0]), np.array([[0.0, 4.0], [3.0, 9.0], [np.nan, 1.0]]), every=False).tolist()
    [1.0, 2.0]
    """
    there = ~np.isnan(parts)
    if every:
        return np.asarray(there.sum(axis=0), np.float64)
    if np.isnan(own).any() or (own % 1 != 0).any() or (own < 0).any() or (own > there.sum(axis=0)).any():
        return np.full_like(own, np.nan)
    falling = -np.sort(-np.where(there, parts, -np.inf), axis=0)
    ends = np.vstack([np.full((1, parts.shape[1]), np.inf), falling, np.full((1, parts.shape[1]), -np.inf)])
    at, across = own.astype(np.int64), np.arange(parts.shape[1])
    # The bound lies below the last that is counted and not below the first that is not.
    least, bound = ends[at, across].min(), ends[at + 1, across].max()
    return own if bound < least else np.full_like(own, np.nan)


def _shares_of(own: Numbers, parts: Numbers) -> NDArray[np.bool_]:
    part, base = parts
    ratio = np.divide(part, base, out=np.full_like(part, np.nan), where=base != 0)
    off = np.minimum(np.abs(own - ratio), np.abs(own - 100 * ratio))
    return np.asarray((np.isnan(own) & np.isnan(ratio)) | (off <= 0.5001 * 10.0 ** -places_of(own)))


def _near(own: Numbers, other: Numbers) -> NDArray[np.bool_]:
    return np.asarray(np.abs(own - other) <= 1e-9 * np.maximum(np.abs(own), 1.0))


def places_of(numbers: Numbers) -> int:
    """The decimal places that some figures need, at most six."""
    known = numbers[~np.isnan(numbers)]
    return next((at for at in range(6) if (np.abs(known * 10**at - np.round(known * 10**at)) < 1e-6).all()), 6)
