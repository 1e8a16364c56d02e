"""Which decimal sign the words of a text go with: English writes 4,047.5, German, French and most others 4.047,5.

Looked at are words that join others, and plain ones for things, sizes and times; none that is a name
("East"), and none that two of these languages share ("in", "an", "for", "en").
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable

_OF_POINTS = (
    "the of and by from with without to not each all as is are were was been than under over between after before "
    "other others only both at into their its which when where three years year number taken includes included "
    "area beds height depth weight width length hours days weeks months water town village school "
    "road bridge house amount price valley street owner opened staff pupils harbour berth vessel boats"
)
_OF_COMMAS = (
    "der die das und von mit ohne nicht alle sind wurde zwischen nach vor andere für über bei zum zur im am ein eine "
    "le la les des du et avec sans pas tous sont entre après avant autres pour dans aux par sur une "
    "el los las y con sin todos son después otros para del una por "
    "il gli della delle dei e con senza tutti sono dopo altri nel alla "
    "het een van met zonder niet alle zijn tussen voor naar andere "
    "og av med uten ikke alle er mellom etter før andre till och utan inte alla är mellan efter före på "
    "w na z bez nie wszystkie są między przed inne oraz dla"
)
_POINT, _COMMA = frozenset(_OF_POINTS.split()), frozenset(_OF_COMMAS.split())
_POINT_TAGS = frozenset({"en", "ga", "cy", "ja", "zh", "ko", "th", "he", "ms"})
_COMMA_TAGS = frozenset(
    {
        "de",
        "fr",
        "es",
        "it",
        "nl",
        "da",
        "nb",
        "nn",
        "no",
        "sv",
        "fi",
        "pl",
        "pt",
        "cs",
        "sk",
        "ru",
        "uk",
        "tr",
        "el",
        "hu",
    }
)
_FEWEST = 2
_WORD = re.compile(r"[^\W\d_]+")


def decimal_of(tags: Iterable[str]) -> str:
    """The decimal sign of the languages that a file names ("en", "de-AT"); '' where it names none, or several unlike ones.

    >>> decimal_of(["en-GB", "EN"]), decimal_of(["de"]), decimal_of(["en", "fr"]), decimal_of([])
    ('.', ',', '', '')
    """
    names = {tag.casefold().partition("-")[0] for tag in tags if tag}
    signs = {"." if name in _POINT_TAGS else "," if name in _COMMA_TAGS else "" for name in names}
    return signs.pop() if len(signs) == 1 else ""


def decimal_sign(texts: Iterable[str]) -> str:
    """The decimal sign that goes with the words of some texts; '' where they say nothing, or both.

    >>> decimal_sign(["Refuse collected by ward", "n/a = not weighed"]), decimal_sign(["Umsatz nach Monat und Lager", "von 2031"])
    ('.', ',')
    >>> decimal_sign(["Wick", "Brae", "Total"])
    ''
    """
    words = {word for text in texts for word in _WORD.findall(text.casefold())}
    point, comma = len(words & _POINT), len(words & (_COMMA - _POINT))
    if point >= _FEWEST and not comma:
        return "."
    return "," if comma >= _FEWEST and not point else ""
