"""Keys: what is left of a text when case, accents, punctuation, width, blanks and the order of words are taken away."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

_PARTS = re.compile(r"[\W_]+")
# Letters that no decomposition takes apart.
_LETTERS = str.maketrans({"ø": "o", "æ": "ae", "œ": "oe", "ł": "l", "đ": "d", "ð": "d", "þ": "th", "ı": "i", "ß": "ss"})


@lru_cache(maxsize=262_144)
def key(text: str) -> str:
    """The key of a text.

    >>> key("  Wick-of-Ness "), key("NESS, WICK OF"), key("Ｂrae"), key("Tårn Skerrý")
    ('ness of wick', 'ness of wick', 'brae', 'skerry tarn')
    """
    return " ".join(sorted(_words(text)))


def key_in_order(text: str) -> str:
    """The key of a text, its words in the order in which they stand.

    >>> key_in_order("NESS, Wick of")
    'ness wick of'
    """
    return " ".join(_words(text))


def _words(text: str) -> list[str]:
    if text.isascii():
        bare = text.lower()
    else:
        plain = unicodedata.normalize("NFKD", text).casefold().translate(_LETTERS)
        bare = "".join(letter for letter in plain if not unicodedata.combining(letter))
    return [word for word in _PARTS.split(bare) if word]


def clean(text: str) -> str:
    r"""A text in composed form, without control characters, with single plain blanks and none around.

    >>> clean(" Hallan\u00a0 quay\x00 ")
    'Hallan quay'
    """
    if text.isascii() and text.isprintable():
        return " ".join(text.split())
    composed = unicodedata.normalize("NFC", text)
    return " ".join(
        "".join(" " if unicodedata.category(one) in {"Cc", "Zs", "Zl"} else one for one in composed).split()
    )
