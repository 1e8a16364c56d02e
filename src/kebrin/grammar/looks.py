"""What the text in a cell looks like: words, a number, a number with a footnote mark, a missing mark, a figure.

A text stays a text; this is a second opinion that layout, totals and unpivoting ask for. Each distinct text is
looked at once.
"""

from __future__ import annotations

import re
from enum import IntEnum
from functools import lru_cache
from typing import NamedTuple

#: Texts that stand for "no value" in statistical tables; the set is closed on purpose, others are asked about.
MISSING_MARKS = frozenset({"-", "--", "---", "–", "—", "..", "...", "…", ":", ".", "n/a", "na", "n.a.", "#n/a"})

_NUMBER = r"[+\-−]?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?"
_MARK = r"[*†‡§]+|[¹²³⁴⁵⁶⁷⁸⁹⁰]+|\([a-zA-Z]\)|\[[a-zA-Z0-9]{1,2}\]"
_PLAIN = re.compile(_NUMBER)
_MARKED = re.compile(rf"({_NUMBER})\s?({_MARK})")
_FIGURE = re.compile(
    r"[(\[]?\s*(?:less\s)?[+\-−]?\s*(?:[A-Z]{3}\s?|[$€£¥₩₹])?\s*[+\-−]?\s*"
    r"[0-9]+(?:[.,'’\s\u00a0\u2009\u202f][0-9]+)*[.,]?\s*"
    r"(?:%|‰|[A-Z]{3}|[$€£¥₩₹])?\s*[)\]]?\s*(?:[-−]|CR|DR|Cr|Dr)?\s*"
    rf"(?:{_MARK})?"
)
_TRAILING_MARK = re.compile(rf"\s?({_MARK})$")


class Look(IntEnum):
    """What a text looks like."""

    WORDS = 0
    NUMBER = 1
    MARKED = 2
    MISSING = 3
    FIGURE = 4


class Reading(NamedTuple):
    """A text's look, the number in it (NaN if it holds none) and the footnote mark at its end."""

    look: Look
    number: float = float("nan")
    mark: str = ""


@lru_cache(maxsize=65_536)
def read_text(text: str) -> Reading:
    """What one text looks like.

    >>> read_text("118*")
    Reading(look=<Look.MARKED: 2>, number=118.0, mark='*')
    >>> read_text("n/a").look, read_text("(1,234.50)").look, read_text("007").look, read_text("Gull").look
    (<Look.MISSING: 3>, <Look.FIGURE: 4>, <Look.FIGURE: 4>, <Look.WORDS: 0>)
    """
    bare = text.strip()
    if _PLAIN.fullmatch(bare):
        return Reading(Look.NUMBER, float(bare.replace("−", "-")))
    if bare.casefold() in MISSING_MARKS:
        return Reading(Look.MISSING)
    if match := _MARKED.fullmatch(bare):
        return Reading(Look.MARKED, float(match[1].replace("−", "-")), match[2])
    if len(bare) <= 40 and _FIGURE.fullmatch(bare):
        return Reading(Look.FIGURE)
    return Reading(Look.WORDS)


def trailing_mark(text: str) -> tuple[str, str]:
    """A label without the footnote mark at its end, and the mark.

    >>> trailing_mark("Cars*"), trailing_mark("Freight t")
    (('Cars', '*'), ('Freight t', ''))
    """
    match = _TRAILING_MARK.search(text)
    if match is None or match.start() == 0:
        return text, ""
    return text[: match.start()], match[1]


def neat(text: str) -> str:
    r"""A text on one line, with single spaces.

    >>> neat("Foot \n passengers ")
    'Foot passengers'
    """
    return " ".join(text.split())
