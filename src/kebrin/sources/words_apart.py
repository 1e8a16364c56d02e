"""Columns that a single blank parts: each line holds as many words as every other, and figures stand among them.

"08:00 1.20 9.5" are three columns however wide each word is. Where labels may hold a blank ("Red Kite 12") the lines hold
unlike numbers of words, or the headings fewer than the records, and nothing is parted.
"""

from __future__ import annotations

from collections import Counter
from itertools import pairwise
from typing import TYPE_CHECKING

from kebrin.sources.lines import fields_of, is_rule

if TYPE_CHECKING:
    from collections.abc import Sequence

_FEWEST_WORDS, _FEWEST_LINES, _SAMPLE = 3, 3, 400
# So many of the lines hold as many words, and so many of the words of a column are figures.
_MOSTLY = 0.9


def with_words_apart(texts: Sequence[str]) -> list[str]:
    """The lines with the words of each in columns two blanks apart, where a single blank parts them.

    >>> with_words_apart(["Boat Foot Cars", "Gull 120 3", "Tern 80 12", "Lark 4 0"])
    ['Boat  Foot  Cars', 'Gull   120     3', 'Tern    80    12', 'Lark     4     0']
    >>> with_words_apart(["Boat Foot Cars", "Red Kite 120 3", "Old Hand 80 12", "Sea Lark 4 0"])[1]
    'Red Kite 120 3'
    """
    parted = {at: text.split() for at, text in enumerate(texts) if text.strip() and not is_rule(text)}
    if len(parted) < _FEWEST_LINES:
        return list(texts)
    count, often = Counter(map(len, list(parted.values())[:_SAMPLE])).most_common(1)[0]
    sample = [at for at in list(parted)[:_SAMPLE] if len(parted[at]) == count]
    if count < _FEWEST_WORDS or often < max(_FEWEST_LINES, _MOSTLY * min(len(parted), _SAMPLE)):
        return list(texts)
    if 2 * sum(len(fields_of(texts[at])) >= count for at in sample) > len(sample):
        return list(texts)  # two blanks part them already
    records = [at for at in sample if any(map(str.isdigit, texts[at]))]
    figures = [_are_figures([parted[at][place] for at in records]) for place in range(count)]
    over = [own for at, own in parted.items() if at < (records or [0])[0]][-1:]
    if any(len(own) != count for own in over):
        return list(texts)  # the headings do not stand over as many columns
    words = any(not one and not other for one, other in pairwise(figures))
    headed = sample[0] not in records and sample[0] == next(iter(parted))
    if 2 * sum(figures) < count or (words and not headed):
        return list(texts)
    return _apart(texts, {at: own for at, own in parted.items() if len(own) == count}, figures)


def _are_figures(words: Sequence[str]) -> bool:
    """Whether nearly all words of a column are figures, or hold digits as dates and times do."""
    return sum(any(map(str.isdigit, word)) for word in words) >= _MOSTLY * len(words) > 0


def _apart(texts: Sequence[str], parted: dict[int, list[str]], figures: Sequence[bool]) -> list[str]:
    """The lines with their words in columns: figures flush right, words flush left."""
    found = list(texts)
    widths = [max(len(own[place]) for own in parted.values()) for place in range(len(figures))]
    for at, own in parted.items():
        cells = [
            word.rjust(width) if flush else word.ljust(width)
            for word, width, flush in zip(own, widths, figures, strict=True)
        ]
        found[at] = "  ".join(cells).rstrip()
    return found
