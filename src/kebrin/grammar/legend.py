"""The key of a sheet: signs that a text explains, and what each is by what is said of it.

One reader for all the usual ways of writing a key: `x = done; p = provisional`, `- = exactly none . = unknown`,
`'not counted' means closed`, `– none    .. not available`, several on a line or a line each.
"""

from __future__ import annotations

import re
from enum import Enum
from functools import lru_cache
from typing import NamedTuple

from kebrin.grammar.reading import neat

_KEY_HEAD = re.compile(r"(?:key|legend|symbols?|signs?|codes?|abbreviations?)(?: used)?\s*:?", re.IGNORECASE)
#: A sign that has a cell of its own in a key has no more letters.
LONGEST_SIGN = 4


class Means(Enum):
    """What a sign stands for among figures."""

    MISSING = "no value"
    ZERO = "zero"
    VALUE = "a value of its own"
    MINUS = "a minus"


class Sign(NamedTuple):
    """One sign of a key, and what the key says of it."""

    sign: str
    said: str


_LONGEST_SIGN, _LONGEST_QUOTED = 4, 24
# Signs that need no "=" behind them, for they are no words: "– none", ".. not available", ": confidential".
_BARE = r"(?:[-–—−]{1,4}|\.{1,5}|\*{2,4}|…|[▲△▼▽↑↓↗↘→]|:|\?|§|#)"
_FIGURE = r"(?P<figure>[-−]?\d[\d.,]{0,6})(?=\s*(?:=|\bmeans\b))"
_QUOTED = rf"[\"'‘“](?P<quoted>[^\"'’”]{{1,{_LONGEST_QUOTED}}})[\"'’”]"
_SIGN = rf"(?:{_FIGURE}|{_QUOTED}|(?P<sign>[^\s=:;,\"']{{1,{_LONGEST_SIGN}}}|:|;))"
_PART = re.compile(
    rf"[(\[]?{_SIGN}[)\]]?\s*(?:=|:|–|—|\bmeans\b|\bstands for\b|\bbedeutet\b)\s*(?P<said>[^\W\d_].*|0\b.*)", re.DOTALL
)
_PLAIN = re.compile(rf"(?P<sign>{_BARE})\s+(?P<said>[^\W\d_].*)", re.DOTALL)
_HEAD = re.compile(rf"^\s*[^\W\d_][\w ]{{0,24}}?\s*:\s*(?={_SIGN}\s*(?:=|:|–|—))")
# A comment that speaks of a column: "# level: 9999 = out of order".
_COMMENT = re.compile(r"^#+\s+(?=[^\W\d_][\w ]*:\s)")
_BETWEEN = re.compile(
    r"\s*\n\s*|;\s+|,\s+(?=[^\s,]{1,6}\s*=|[^\s,:]{1,4}:\s)|\s+\|\s+|\s{3,}|"
    r"(?<=[^\W\d_])[.]\s+(?=\S{1,6}\s*(?:=|means))"
)
# Figures that stand for no value: negative ones, and those of one digit said several times.
_STANDS_OUT = re.compile(r"[-−]\d[\d.]*|(\d)(?:\.?\1)+")
# "Values of -999 were not determined."
_VALUES_OF = re.compile(
    r"(?:values?|figures?|entries|cells?)(?: of)? (?P<figure>[-−]?\d[\d.]*),? "
    r"(?:are|were|is|was|means?|stands? for|indicates?|denotes?) (?P<said>.+?)\.?",
    re.IGNORECASE,
)
_MISSING = re.compile(
    r"\b(?:not?|none \w+|never|missing|unknown|unavailable|withheld|suppress\w*|confidential\w*|undisclosed|"
    r"secret|closed|cancel\w*|absent|lost|"
    r"lapsed|blank|empty|vacant|n/?a|out of (?:order|use|service|action)|cannot|can't|too (?:few|small)|"
    r"nicht|kein\w*|ohne|unbekannt|fehlt|fehlend\w*|geheim\w*|entfällt|geschlossen|"
    r"non|pas|sans|aucune?|inconnue?|manquante?s?|fermée?|indisponible|"
    r"sin|ningun[oa]|desconocid[oa]|cerrad[oa]|niet|geen|onbekend|gesloten|ej|ikke|ikkje|ingen|inga|saknas|okänd|mangler|ukendt|"
    r"brak|nie|nieznan\w*|nessun\w*|sconosciut\w*)\b",
    re.IGNORECASE,
)
_MINUS = re.compile(r"\b(?:minus|negativ\w*|négati\w*)\b", re.IGNORECASE)
_ZERO = re.compile(
    r"(?:exactly |genau |magnitude )?(?:zero|nil|null|none|nothing|0)\b(?:\s+(?:at all|vorhanden|or rounds to zero))?\W*",
    re.IGNORECASE,
)


def heads_key(text: str) -> bool:
    """Whether a text stands over a key: "Key", "Symbols used:".

    >>> heads_key("Key"), heads_key("Symbols used:"), heads_key("Key figures")
    (True, True, False)
    """
    return _KEY_HEAD.fullmatch(text.strip()) is not None


def means(said: str) -> Means:
    """What a sign is among figures, by what the key says of it.

    >>> [means(said).name for said in ("not counted", "none reported", "exactly none", "done", "half a day of hire", "No")]
    ['MISSING', 'MISSING', 'ZERO', 'VALUE', 'VALUE', 'VALUE']
    """
    bare = neat(said).strip(" .()")
    if _ZERO.fullmatch(bare):
        return Means.ZERO
    if _MINUS.search(bare):
        return Means.MINUS
    if bare.casefold() in {"no", "nein", "non", "nej", "nee"}:
        return Means.VALUE  # yes and no
    return Means.MISSING if _MISSING.search(bare) else Means.VALUE


def is_number(sign: str) -> bool:
    """Whether a sign is a figure: "9999", "-77.7"."""
    return any(map(str.isdigit, sign)) and not any(map(str.isalpha, sign))


@lru_cache(maxsize=4096)
def read_key(text: str) -> tuple[Sign, ...]:
    """The signs that a text explains; empty if it is no key.

    >>> read_key("Key: x = done; p = provisional")
    (Sign(sign='x', said='done'), Sign(sign='p', said='provisional'))
    >>> read_key("R: revised, E: estimated")
    (Sign(sign='R', said='revised'), Sign(sign='E', said='estimated'))
    >>> read_key("– none    .. not available")
    (Sign(sign='–', said='none'), Sign(sign='..', said='not available'))
    >>> read_key("'not seen' = none"), read_key("Sailings of the Gull: see below")
    ((Sign(sign='not seen', said='none'),), ())
    >>> read_key("level: 9999 = out of order"), read_key("1 = closed; 2 = open")
    ((Sign(sign='9999', said='out of order'),), ())
    >>> read_key("Values of -999 were not determined")
    (Sign(sign='-999', said='not determined'),)
    """
    found = []
    for part in _BETWEEN.split(_HEAD.sub("", _COMMENT.sub("", text.strip()))):
        own = part.strip(" ()") if not part.strip().startswith(("(", "[")) else part.strip()
        match = _PART.fullmatch(own) or _PLAIN.fullmatch(own) or _VALUES_OF.fullmatch(own)
        if match is None:
            continue
        groups = match.groupdict()
        sign = groups.get("figure") or groups.get("quoted") or groups["sign"]
        # A code of figures is no sign, but for one that no figure is taken for: 9999, -77.7.
        if not is_number(sign) or (_STANDS_OUT.fullmatch(sign) and means(match["said"]) is Means.MISSING):
            found.append(Sign(sign.strip("()[]"), neat(match["said"]).strip(" )")))
    return tuple(found)
