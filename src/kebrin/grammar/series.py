"""Series: headings that go on from one another, as periods, numbered words and ranges do."""

from __future__ import annotations

import re
from itertools import pairwise
from typing import TYPE_CHECKING

from kebrin.grammar.periods import period_name

if TYPE_CHECKING:
    from collections.abc import Sequence

_FEWEST = 3
# So many columns of labels may stand before a series.
_MOST_AHEAD = 7
_WORD_AND_NUMBER = re.compile(r"(?P<word>[^\W\d_][^\d]*?)[ .]*(?P<number>\d{1,3})")
_FROM_TO = re.compile(r"(?P<first>\d{1,7})\s*(?:-|–|—|to|bis)\s*(?P<last>\d{1,7})(?:\s*[^\W\d_]{1,10})?", re.IGNORECASE)
# The ends of ranges: "50 and more", "65+", "over 90", "under 5".
_OPEN = re.compile(
    r"(?:under|below|up to|less than|over|more than|from|<=?|>=?|≤|≥|bis|ab|über|unter)\s*\d{1,7}(?:\s*[^\W\d_]{1,10})?"
    r"|\d{1,7}\s*(?:\+|and (?:more|over|above|older|under|less)|or (?:more|over|above|less|older)|und (?:mehr|älter))",
    re.IGNORECASE,
)


def go_on(labels: Sequence[str]) -> bool:
    """Whether labels are a series: periods of one kind, a word numbered on, or ranges one behind the other.

    >>> go_on(["Jan", "Feb", "Mar"]), go_on(["Rep 1", "Rep 2", "Rep 3"]), go_on(["1 to 9", "10 to 49", "50 and more"])
    (True, True, True)
    >>> go_on(["Room 4", "Room 9", "Room 2"]), go_on(["Foot", "Cars", "Bikes"]), go_on(["Berth 1", "Berth 2"])
    (False, False, False)
    """
    if len(labels) < _FEWEST:
        return False
    return bool(period_name(list(labels))) or _numbered_on(labels) or are_ranges(labels)


def run_of_series(labels: Sequence[str]) -> slice | None:
    """The first series among headings, if it goes on to the end: labels may stand before it, and one column behind it.

    >>> run_of_series(["Name", "FTE", "Jan", "Feb", "Mar"]), run_of_series(["Ward", "votes", "%", "votes", "%"])
    (slice(2, 5, None), slice(1, 5, None))
    >>> run_of_series(["Name", "Age", "Trips"])
    """
    for start in range(min(len(labels) - _FEWEST + 1, _MOST_AHEAD)):
        if _in_turn(labels[start:]):
            return slice(start, len(labels))
        own = labels[start : start + _FEWEST]
        if len(set(own)) == 1 or not go_on(own):
            continue
        stops = [stop for stop in (len(labels), len(labels) - 1) if stop - start >= _FEWEST]
        return next((slice(start, stop) for stop in stops if go_on(labels[start:stop])), None)
    return None


def _in_turn(labels: Sequence[str]) -> bool:
    """Whether headings say the same few things in turn, as those of groups of columns do.

    >>> _in_turn(["votes", "%", "votes", "%"]), _in_turn(["a", "b", "a"]), _in_turn(["n", "n"])
    (True, False, False)
    """
    own = list(dict.fromkeys(labels))
    return 1 < len(own) < len(labels) and own * (len(labels) // len(own)) == list(labels)


def _numbered_on(labels: Sequence[str]) -> bool:
    """Whether all say one word, numbered in steps of one."""
    found = [_WORD_AND_NUMBER.fullmatch(text.strip()) for text in labels]
    words = {one["word"].casefold() for one in found if one}
    numbers = [int(one["number"]) for one in found if one]
    return len(numbers) == len(labels) and len(words) == 1 and all(b - a == 1 for a, b in pairwise(numbers))


def are_ranges(labels: Sequence[str]) -> bool:
    """Whether labels are ranges, each above the one before; the outermost may be open.

    >>> are_ranges(["under 5", "5-17", "18-64", "65+"]), are_ranges(["5-9", "1-4"])
    (True, False)
    """
    bounds = [(int(one["first"]), int(one["last"])) for text in labels if (one := _FROM_TO.fullmatch(text.strip()))]
    others = [at for at, text in enumerate(labels) if not _FROM_TO.fullmatch(text.strip())]
    ends = all(at in (0, len(labels) - 1) and _OPEN.fullmatch(labels[at].strip()) for at in others)
    rising = all(low <= high for low, high in bounds) and all(a[1] <= b[0] for a, b in pairwise(bounds))
    return len(bounds) > 1 and ends and rising
