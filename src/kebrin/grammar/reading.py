"""What one text can be read as: a number in either convention, a mark for "no value", a code, or words.

Each distinct text is read once. Where a text reads in two ways nothing is decided here: a column decides
(`kebrin.cells.readings`), and then every cell obeys.
"""

from __future__ import annotations

import re
from enum import IntEnum
from functools import cache, lru_cache
from typing import NamedTuple

from kebrin.grammar.amounts import Amount, understand
from kebrin.grammar.periods import words_for
from kebrin.grammar.words import is_unit

#: Texts that stand for "no value" in statistical tables; the set is closed on purpose, others are asked about.
MISSING_MARKS = frozenset({"-", "--", "---", "–", "—", "..", "...", "…", ":", ".", "n/a", "na", "n.a.", "#n/a"})

_MARK = r"[*†‡§]+|⁽?[¹²³⁴⁵⁶⁷⁸⁹⁰]+⁾?|\([a-zA-Z]\)|\[[a-zA-Z0-9]{1,2}\]"
_PLAIN = re.compile(r"[+\-−]?(?:0|[1-9][0-9]*)(?:\.[0-9]+)?")
_SCIENTIFIC = re.compile(r"[+\-−]?[0-9]+(?:\.[0-9]+)?[eE][+-]?[0-9]{1,3}")
_LETTERED = re.compile(r"(.*\d) ?([a-z])")
_TRAILING_MARK = re.compile(rf"\s?({_MARK})$|\s(\d{{1,2}}\))$|\s?(\(\d{{1,2}}\))$")
# A mark behind a figure: "1 005 1)", "12.5 b)".
_CLOSED_MARK = re.compile(r"(?<=\d)\s(?P<mark>(?:\d{1,2}|[a-z])\))$")
# A mark before a figure: "(p) 14"; what (c) stands before is a year of its own, and a star tells a sum.
_LEADING_MARK = re.compile(r"(?P<mark>\((?!c\))[a-z]\))\s+(?P<rest>[-+−]?\d.*)")
# A figure that is hedged or in company: "<10", "3=" (a place that is shared), "12 (8–16)". It is one, and no number.
_FIGURE = r"[+\-−–]?\d[\d.,' ]*%?"
_HEDGED = re.compile(
    rf"[<>≤≥~≈±]\s?{_FIGURE}|\d{{1,3}}=|{_FIGURE}\s?[(\[]\s?{_FIGURE}\s?(?:[-–—;,]|to)\s?{_FIGURE}\s?[)\]]"
)
#: The unit of a figure that is hedged: the column shows whether figures are meant.
HEDGED = "<>"
_ORDINAL = frozenset({"st", "nd", "rd", "th"})
# No amount is longer, whatever stands around it; no double holds more digits.
_RAISED = "⁰¹²³⁴⁵⁶⁷⁸⁹"
_LONGEST, _MOST_DIGITS = 40, 15
_NONE = float("nan")


class Look(IntEnum):
    """What a text looks like."""

    WORDS = 0
    NUMBER = 1
    MARKED = 2
    MISSING = 3
    FIGURE = 4
    CODE = 5


class Reading(NamedTuple):
    """What one text can be read as.

    Attributes:
        look: the look.
        number: the number that it is under a decimal point, NaN if it can't be read so.
        comma: the same under a decimal comma.
        mark: the footnote mark at its end.
        unit: letters beside the number that may be a unit, a currency or a flag ("12.0 e"): the column shows whether they are.
        percent: whether it bears a per cent sign (the number is then a fraction of one).
        group: the sign between groups of three digits, where it is a comma or a point.
        measure: a unit that is known as one ("kg"): a column has one.
        currency: the currency mark beside it, `€` for EUR and so on.
        negative: the way in which a minus is written, '' for none.
    """

    look: Look
    number: float = _NONE
    comma: float = _NONE
    mark: str = ""
    unit: str = ""
    percent: bool = False
    group: str = ""
    currency: str = ""
    negative: str = ""
    measure: str = ""


#: Marks of currencies that have a code of their own.
CURRENCY_SIGNS = {"€": "EUR", "£": "GBP", "¥": "JPY", "₩": "KRW", "₹": "INR", "US$": "USD", "zł": "PLN", "Kč": "CZK"}
_WORDS = Reading(Look.WORDS)
_UNMARKED = frozenset({Look.NUMBER, Look.FIGURE})
# A decimal sign without a zero before it, as print reports have it: ".50".
_BARE_POINT = re.compile(r"^([-+−(]?(?:[€$£]\s?)?)(?=[.,]\d+\D*$)")


@lru_cache(maxsize=65_536)
def read_text(text: str) -> Reading:
    """What one text can be read as.

    >>> read_text("118*").look, read_text("118*").number, read_text("118*").mark
    (<Look.MARKED: 2>, 118.0, '*')
    >>> read_text("(p) 14").number, read_text("(p) 14").mark, read_text("(c) 2031").look.name
    (14.0, '(p)', 'WORDS')
    >>> read_text("1 005 1)").number, read_text("1 005 1)").mark
    (1005.0, '1)')
    >>> read_text("(1,234.50)").number, read_text("–2,5").comma, read_text("1'486").number, read_text("2 004").number
    (-1234.5, -2.5, 1486.0, 2004.0)
    >>> read_text("1,234")[1:3], read_text("0,984")[1:3]
    ((1234.0, 1.234), (nan, 0.984))
    >>> read_text(".50").number, read_text("-.5").number, read_text(",25-").comma
    (0.5, -0.5, -0.25)
    >>> read_text("n/a").look.name, read_text("007").look.name, read_text("4 Sep").look.name, read_text("12.0 e").unit
    ('MISSING', 'CODE', 'WORDS', 'e')
    """
    bare = text.strip()
    if not bare or len(bare) > _LONGEST:
        return _WORDS
    if bare.isascii() and bare.isdigit() and bare[0] != "0" and len(bare) <= _MOST_DIGITS:
        return Reading(Look.NUMBER, float(bare), float(bare))  # most of what stands in a long list
    plain = bare.rstrip(_RAISED)
    if plain.casefold() in MISSING_MARKS:
        return Reading(Look.MISSING, mark=bare[len(plain) :])
    if (bare[0] in "<>≤≥~≈±(" or bare[-1] in "=)") and (found := _in_company(bare)) is not None:
        return found
    if _SCIENTIFIC.fullmatch(bare):
        number = float(bare.replace("−", "-"))
        return Reading(Look.NUMBER, number, number)
    bare = _BARE_POINT.sub(r"\g<1>0", bare)
    shape = re.sub(r"\d", "0", bare)
    amount = understand(shape) if "0" in shape else None
    return _WORDS if amount is None else _of_amount(bare, amount)


def _in_company(bare: str) -> Reading | None:
    """A figure that is hedged, or that a mark of a note stands before or behind; None if a text is neither."""
    if _HEDGED.fullmatch(bare) is not None:
        return Reading(Look.FIGURE, unit=HEDGED)
    if "(" not in bare and (closed := _CLOSED_MARK.search(bare)) is not None:
        figure = read_text(bare[: closed.start()])
        return figure._replace(look=Look.MARKED, mark=closed["mark"]) if figure.look in _UNMARKED else None
    led = _LEADING_MARK.fullmatch(bare)
    if led is None:
        return None
    behind = read_text(led["rest"])
    return behind._replace(look=Look.MARKED, mark=led["mark"]) if behind.look == Look.NUMBER else None


def _of_amount(bare: str, amount: Amount) -> Reading:
    digits = "".join(str(int(letter)) for letter in bare if letter.isdecimal())[: amount.digits]
    look = _look(bare, amount, digits)
    if look in {Look.WORDS, Look.CODE} or amount.negative in {"CR", "DR"}:
        return Reading(look)  # of CR and DR: which side is negative depends on whose books they are
    point, group = _number(amount, digits, ".")
    comma, other = _number(amount, digits, ",")
    if _is_none(point) and _is_none(comma):
        return _WORDS
    unit, measure = amount.currency if _is_strange(amount) else amount.unit, ""
    if is_unit(unit) and len(unit) > 1:
        unit, measure = "", unit.casefold().removesuffix("s")
    currency = CURRENCY_SIGNS.get(amount.currency, amount.currency)
    return Reading(
        look,
        point,
        comma,
        amount.mark,
        unit,
        amount.percent != 1.0,
        group or other,
        currency,
        amount.negative,
        measure,
    )


def _is_none(number: float) -> bool:
    """Whether a number is none."""
    return number != number  # noqa: PLR0124 - NaN is the one that differs from itself


def _look(bare: str, amount: Amount, digits: str) -> Look:
    bare_amount = not (amount.currency or amount.percent != 1 or amount.unit or amount.negative)
    if amount.digits > _MOST_DIGITS or (bare_amount and amount.runs[0][1] > 1 and digits[0] == "0"):
        return Look.CODE  # 007 is a name, and a double does not hold more digits
    if amount.unit in _ORDINAL or amount.unit.casefold() in _month_words():
        return Look.WORDS
    if is_name(amount):
        return Look.WORDS
    if _PLAIN.fullmatch(bare):
        return Look.NUMBER
    return Look.MARKED if amount.mark and _PLAIN.fullmatch(_TRAILING_MARK.sub("", bare)) else Look.FIGURE


def _number(amount: Amount, digits: str, sign: str) -> tuple[float, str]:
    """The number under a decimal sign, and the sign between its groups if that is a point or a comma."""
    fitting = [one for one in amount.readings if one.fits(sign)]
    lone_zero = amount.runs[0][1] == 1 and digits[0] == "0" and len(digits) > 1
    if not fitting or (lone_zero and not fitting[0].decimals):
        return _NONE, ""
    # One division, so that what is written is the double nearest to it: 33.3% is 0.333.
    value = int(digits) * amount.scale / (10.0 ** fitting[0].decimals * round(1 / amount.percent))
    group = fitting[0].thousands if fitting[0].thousands in {".", ","} else ""
    return -value if amount.negative else value, group


@cache
def _month_words() -> frozenset[str]:
    return frozenset(words_for("month", ["en", "de", "fr", "es", "it", "nl"]))


#: The alphabetic codes of ISO 4217 that are in use, without those of metals and of testing.
CURRENCIES = frozenset(
    """AED AFN ALL AMD ANG AOA ARS AUD AWG AZN BAM BBD BDT BGN BHD BIF BMD BND BOB BRL BSD BTN BWP BYN BZD CAD CDF CHF CLP CNY
    COP CRC CUP CVE CZK DJF DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GNF GTQ GYD HKD HNL HTG HUF IDR ILS INR
    IQD IRR ISK JMD JOD JPY KES KGS KHR KMF KPW KRW KWD KYD KZT LAK LBP LKR LRD LSL LYD MAD MDL MGA MKD MMK MNT MOP MRU MUR
    MVR MWK MXN MYR MZN NAD NGN NIO NOK NPR NZD OMR PAB PEN PGK PHP PKR PLN PYG QAR RON RSD RUB RWF SAR SBD SCR SDG SEK SGD
    SHP SLE SOS SRD SSP STN SYP SZL THB TJS TMT TND TOP TRY TTD TWD TZS UAH UGX USD UYU UZS VES VND VUV WST XAF XCD XOF XPF
    YER ZAR ZMW ZWG SKC""".split()  # noqa: SIM905 - a table; SKC are the crowns of the demo's isles
)


_CURRENCY_WORD = re.compile(r"[€$£¥₩₹₺₽₴₪฿₫₦₱]|\b[A-Z]{3}\b")


def bears_currency(text: str) -> bool:
    """Whether a text bears the sign or the code of a currency.

    >>> bears_currency("Due (EUR)"), bears_currency("£ 3"), bears_currency("YTD")
    (True, True, False)
    """
    return any(len(found) == 1 or found in CURRENCIES for found in _CURRENCY_WORD.findall(text))


def is_name(amount: Amount) -> bool:
    """Whether an amount is a name that ends with a number.

    >>> [is_name(understand(text)) for text in ("AAA00", "EUR 00", "AAA 0.00")]
    [True, False, False]
    """
    return _is_strange(amount) and len(amount.runs) == 1


def _is_strange(amount: Amount) -> bool:
    """Whether three letters beside a number are no code of a currency: `BUS 12` is a name."""
    mark = amount.currency
    return len(mark) == 3 and mark.isalpha() and mark.isupper() and mark not in CURRENCIES


def trailing_mark(text: str) -> tuple[str, str]:
    """A label without the footnote mark at its end, and the mark.

    >>> trailing_mark("Cars*"), trailing_mark("Freight t")
    (('Cars', '*'), ('Freight t', ''))
    """
    match = _TRAILING_MARK.search(text)
    if match is None or match.start() == 0:
        return text, ""
    return text[: match.start()], match[1] or match[2] or match[3]


def lettered_mark(text: str) -> tuple[str, str]:
    """A label without the small letter behind its last figure, and the letter: a mark, if a note says what it means.

    >>> lettered_mark("2031 p"), lettered_mark("2031/32r"), lettered_mark("Berth a")
    (('2031', 'p'), ('2031/32', 'r'), ('Berth a', ''))
    """
    match = _LETTERED.fullmatch(text)
    return (match[1], match[2]) if match else (text, "")


def neat(text: str) -> str:
    r"""A text on one line, with single spaces.

    >>> neat("Foot \n passengers ")
    'Foot passengers'
    """
    return " ".join(text.split())
