"""Entries: cells that hold several things, the signs between them, and whether a column of texts is one of lists."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

from kebrin.values.keys import clean

if TYPE_CHECKING:
    from collections.abc import Sequence

# Signs between entries, those that are rarely anything else first.
PLAIN_SIGNS = (";", "|", "\n")
_SLASH, _OTHER_SIGNS = " / ", (",", " and ", " & ")
# Of the filled cells so many must hold several entries, and of these so many must be seen again, for a column to be one
# of lists; and so many for every sign to say so (fewer where
# all entries are short).
_SEVERAL, _AGAIN, _MOSTLY, _SURELY = 0.2, 0.5, 0.75, 0.95
_LONGEST = 40
_SHAPED = re.compile(r"\d")
_FEWEST = 3
_FEW_WORDS = 4
# A letter, or two, with its dot.
_INITIAL = 3
#: An entry that is a label and an amount.
LABELLED = re.compile(r"(?P<label>[^\W\d_][^:=]*?)\s*[:=]\s*(?P<amount>[-−]?\d[\d.,' ]*)")


@dataclass(frozen=True)
class Lists:
    """What a column of lists shows.

    Attributes:
        signs: the signs between entries.
        cells: how many of its distinct texts hold several entries.
        entries: how many distinct entries there are.
        sure: whether every sign says list: plain signs alone, and hardly an entry that is not seen again.
    """

    signs: tuple[str, ...]
    cells: int
    entries: int
    sure: bool


def entries_of(text: str, at: Sequence[str]) -> list[str]:
    """The entries of one cell, those in double quotes kept whole.

    >>> entries_of('A1, "B, late",; C3', [",", ";"])
    ['A1', 'B, late', '', 'C3']
    """
    pattern = "|".join(re.escape(one) for one in sorted(at, key=len, reverse=True))
    found, start, quoted = [], 0, False
    for match in re.finditer(rf'"|{pattern}', text):
        if match[0] == '"':
            quoted = not quoted
        elif not quoted:
            found.append(text[start : match.start()])
            start = match.end()
    found.append(text[start:])
    return [clean(one).removeprefix('"').removesuffix('"') for one in found]


def find_lists(said: Sequence[str]) -> Lists | None:
    """Whether texts are lists: many hold a sign, and what stands between the signs is seen again elsewhere.

    >>> find_lists(["Radio; Medical", "Medical", "Radio", "Lifeboat; Radio", "Lifeboat"]).signs
    (';',)
    >>> find_lists(["Ness, Wick of", "Hallan", "Brae"]) is None
    True
    """
    found: list[Lists] = []
    for signs in (PLAIN_SIGNS, (*PLAIN_SIGNS, _SLASH), (*PLAIN_SIGNS, _SLASH, *_OTHER_SIGNS)):
        used = tuple(sign for sign in signs if any(sign in text for text in said))
        lists = _with_signs(said, used) if used else None
        found += [lists] if lists is not None else []
    # A sign that was overlooked leaves entries that are made of others.
    return min(found, key=lambda one: one.entries, default=None)


def has_plain_sign(said: Sequence[str]) -> bool:
    """Whether some text holds a sign that rarely stands for anything but the end of an entry."""
    return any(sign in text for text in said for sign in PLAIN_SIGNS)


def _with_signs(said: Sequence[str], signs: tuple[str, ...]) -> Lists | None:
    cells = [[entry for entry in entries_of(text, signs) if entry] for text in said]
    several = [cell for cell in cells if len(cell) > 1]
    if len(several) < max(_SEVERAL * len(said), 1):
        return None
    counts: dict[str, int] = {}
    for cell in cells:
        for entry in set(cell):
            counts[entry.casefold()] = counts.get(entry.casefold(), 0) + 1
    entries = [entry for cell in several for entry in cell]
    again = sum(counts[entry.casefold()] > 1 for entry in entries)
    # Days and numbers are rarely seen again, but look alike.
    alike = set(signs) <= {*PLAIN_SIGNS, _SLASH} and len({_SHAPED.sub("0", entry) for entry in entries}) == 1
    # Signs that hardly stand for anything else, short entries in most cells: a list whose entries are seen once only.
    brief = 2 * len(several) >= len(said) > 2 and all(map(_is_short, entries))
    once = brief and set(signs) <= {";", "|"}
    maybe = brief and set(signs) <= set(PLAIN_SIGNS)  # a line break may be one inside a name: it is asked
    if (again < _AGAIN * len(entries) and not alike and not maybe and not labelled(said, signs)) or any(
        len(entry) > _LONGEST for entry in entries
    ):
        return None
    short = all(map(_is_short, counts))
    surely = again >= (_MOSTLY if short else _SURELY) * len(entries)
    plain = set(signs) <= set(PLAIN_SIGNS) and surely and len(counts) >= _FEWEST
    return Lists(signs, len(several), len(counts), plain or once or labelled(said, signs))


def _is_short(entry: str) -> bool:
    """Whether an entry is a few words and no sentence: it may end with an initial.

    >>> _is_short("Berg, A."), _is_short("It was late.")
    (True, False)
    """
    words = entry.split()
    return len(words) <= _FEW_WORDS and (not entry.endswith(".") or len(words[-1]) <= _INITIAL)


def labelled(said: Sequence[str], signs: Sequence[str]) -> bool:
    """Whether every entry is a label and an amount ("Plastic: 8"), and the labels are seen again.

    >>> labelled(["Plastic: 8; Metal: 19", "Plastic: 3"], [";"]), labelled(["at 8:30; at 9:30"], [";"])
    (True, False)
    """
    matches = [LABELLED.fullmatch(entry) for text in said for entry in entries_of(text, signs) if entry]
    labels = [match["label"].casefold() for match in matches if match]
    return None not in matches and len(set(labels)) * 2 <= len(labels) + 1 and len(labels) >= _FEWEST


def in_step(first: Sequence[str | None], second: Sequence[str | None], at: Sequence[str]) -> bool:
    """Whether the cells of two columns hold as many entries on every row, and several on some.

    >>> in_step(["Radio; Medical", None], ["2033; 2034", None], [";"]), in_step(["A; B"], ["2033"], [";"])
    (True, False)
    """
    counts = [(_count(one, at), _count(other, at)) for one, other in zip(first, second, strict=True)]
    return any(one > 1 for one, _ in counts) and all(one == other for one, other in counts)


def _count(text: str | None, at: Sequence[str]) -> int:
    return len(entries_of(text, at)) if text else 0
