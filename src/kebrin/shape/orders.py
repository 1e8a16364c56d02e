"""Orders of labels: as they first appear, A to Z, or the natural one of periods (Jan before Feb, Q1 before Q2, Mon first)."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any, Literal

from kebrin.grammar.periods import period_name, words_for

if TYPE_CHECKING:
    from collections.abc import Sequence

Order = Literal["natural", "as it comes", "a to z"]
_LANGUAGES = ("en", "de", "fr", "es", "it", "nl")
_PARTS = re.compile(r"(\d+)")


def ordered(values: Sequence[Any], order: Order = "natural") -> list[int]:
    """The places of some distinct values in an order; values without one (None) come last.

    The natural order is that of numbers, of dates and of periods; other texts stay as they come.

    >>> [["Mar", "Jan", "Feb"][at] for at in ordered(["Mar", "Jan", "Feb"])], ordered(["b", "a"]), ordered(["b", "a"], "a to z")
    (['Jan', 'Feb', 'Mar'], [0, 1], [1, 0])
    """
    places = list(range(len(values)))
    known = [at for at in places if values[at] is not None]
    keys = {at: key_of(values[at], order) for at in known}
    if order == "natural":
        texts = [values[at] for at in known if isinstance(values[at], str)]
        kind = period_name(texts) if texts and len(texts) == len(known) else ""
        if texts:
            keys = {at: _of_period(values[at], kind) if kind else (at,) for at in known}
    elif order == "as it comes":
        keys = {at: (at,) for at in known}
    return [*sorted(known, key=lambda at: keys[at]), *(at for at in places if values[at] is None)]


def key_of(value: Any, order: Order) -> Any:
    """What a value is sorted by: numbers within texts count as numbers."""
    if not isinstance(value, str):
        return value
    if order == "a to z":
        return [
            (0, int(part), "") if part.isdigit() else (1, 0, part.casefold()) for part in _PARTS.split(value) if part
        ]
    return value


def _of_period(text: str, kind: str) -> tuple[Any, ...]:
    """The place of a period: its year, then its month, quarter or weekday, then its words."""
    years = re.findall(r"(?:1[89]|20|21)\d\d", text)
    rest = re.sub(r"(?:1[89]|20|21)\d\d", " ", text)
    numbers = [int(part) for part in re.findall(r"\d+", rest)]
    word = 0
    if kind in {"month", "weekday"}:
        known = words_for(kind, list(_LANGUAGES))
        for part in re.findall(r"[^\W\d_]+\.?", text.casefold()):
            word = next((known[one] for one in (part, part.rstrip(".")) if one in known), word)
    return (int(years[0]) if years else 0, word, *numbers, text)
