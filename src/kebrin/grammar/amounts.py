"""What one shape of a number says: its digits, its separators, and what stands before and behind them.

Nothing here decides between conventions: a shape lists every way in which it can be read, and the column decides.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

#: Ways to write a negative amount. `CR` and `DR` are negative only if that is stated.
NEGATIVES = ("minus", "trailing minus", "brackets", "less", "CR", "DR")
# Blanks, apostrophes and minus signs that mean the same as their plain forms; one character each, so that places hold.
_PLAIN = str.maketrans({
    **dict.fromkeys("\u00a0\u2007\u2009\u200a\u202f\t\u3000", " "), **dict.fromkeys("’ʼ‘`´", "'"),
    **dict.fromkeys("−‒–—﹣－", "-"), "（": "(", "）": ")", "％": "%", "．": ".", "，": ",", "＋": "+", "＄": "$", "￥": "¥",
    "٫": ".", "٬": ",",
})  # fmt: skip
_CORE = re.compile(r"[.,]?0(?:[0.,' ]*0)?")
_CURRENCY = re.compile(
    r"[€$£¥₩₹₺₽₴₪฿₫₦₱]|(?:US|C|A|NZ|HK)\$|[A-Z]{3}(?![A-Za-z])|kr\.?(?![a-z])|Fr\.|zł|Kč|Ft(?![a-z])"
)
_SCALES = {
    "k": 1e3, "tsd": 1e3, "thousand": 1e3, "thousands": 1e3, "M": 1e6, "mn": 1e6, "mio": 1e6, "million": 1e6, "millions": 1e6,
    "bn": 1e9, "mrd": 1e9, "billion": 1e9, "billions": 1e9,
}  # fmt: skip
#: Units that may as well be scales: metres or millions, bytes or billions, tonnes or trillions.
MAY_SCALE = frozenset({"m", "b", "B", "t"})
_SCALE = re.compile(r"(?:k|tsd|thousands?|M|mn|mio|millions?|bn|mrd|billions?)\.?(?![A-Za-z])")
_MARK = re.compile(r"[*†‡§]+|[¹²³⁴⁵⁶⁷⁸⁹⁰]+|\([a-z]\)|\[[a-z0]{1,2}\]")
_UNIT = re.compile(r"[A-Za-zµ°]{1,12}[²³]?(?![A-Za-z])")
_SIDE = re.compile(r"(CR|DR|Cr|Dr|cr|dr)\.?(?![A-Za-z])")


@dataclass(frozen=True)
class Reading:
    """One way to read the digits: the decimal and the thousands sign ('' for none) and the digits behind the decimal."""

    decimal: str
    thousands: str
    decimals: int

    def fits(self, decimal: str) -> bool:
        """Whether it can be read where this is the column's decimal sign."""
        return self.decimal in {"", decimal} and self.thousands != decimal


@dataclass(frozen=True)
class Amount:
    """What a shape says: where its digits are, the ways to read them, and what stands around them."""

    runs: tuple[tuple[int, int], ...]  # offset in bytes and width of each run of digits
    readings: tuple[Reading, ...]
    negative: str = ""
    currency: str = ""
    percent: float = 1.0
    scale: float = 1.0
    unit: str = ""
    mark: str = ""

    @property
    def digits(self) -> int:
        """Digits in all."""
        return sum(width for _, width in self.runs)


@lru_cache(maxsize=65_536)
def understand(shape: str) -> Amount | None:
    """What a shape says, or None if it is no amount.

    >>> understand("(0,000.00)").negative, understand("(0,000.00)").readings
    ('brackets', (Reading(decimal='.', thousands=',', decimals=2),))
    >>> understand("€ 0.000,00 CR").currency, understand("0,000").readings[1]
    ('€', Reading(decimal='', thousands=',', decimals=0))
    >>> understand("<0"), understand("0-0-0"), understand("Gull")
    (None, None, None)
    """
    plain = shape.translate(_PLAIN)
    cores = list(_CORE.finditer(plain))
    if not cores:
        return None
    core = cores[0]
    around = _around(plain[: core.start()], plain[core.end() :])
    readings = tuple(_readings(core[0]))
    if around is None or not readings:
        return None
    start = len(shape[: core.start()].encode())
    runs = tuple((start + len(shape[core.start() : core.start() + run.start()].encode()), len(run[0]))
                 for run in re.finditer(r"0+", core[0]))  # fmt: skip
    return Amount(runs, readings, **vars(around))


def _readings(core: str) -> list[Reading]:
    signs = re.findall(r"[^0]", core)
    groups = re.split(r"[^0]", core)
    if not signs:
        return [Reading("", "", 0)]
    last, before = signs[-1], signs[:-1]
    found = []
    if last in ".," and last not in before and (not before or _grouped(groups[:-1], before)) and groups[-1]:
        found.append(Reading(last, before[0] if before else "", len(groups[-1])))
    if _grouped(groups, signs):
        found.append(Reading("", last, 0))
    return found


def is_scaled(text: str) -> bool:
    """Whether a figure says that it counts thousands, millions or billions.

    >>> is_scaled("4.9k"), is_scaled("1.2 bn"), is_scaled("12 km"), is_scaled("0.8m")
    (True, True, False, False)
    """
    return bool(_SCALE.match(text.strip().lstrip("+-([€$£ 0123456789.,'").strip()))


def _grouped(groups: list[str], signs: list[str]) -> bool:
    """Whether the digits stand in groups of three, or of two and two and three, behind one sign throughout."""
    widths = [len(group) for group in groups]
    if len(set(signs)) != 1:
        return False
    by_three = 1 <= widths[0] <= 3 and all(width == 3 for width in widths[1:])
    by_two = 1 <= widths[0] <= 2 and widths[-1] == 3 and all(width == 2 for width in widths[1:-1]) and signs[0] == ","
    return by_three or by_two


@dataclass
class _Around:
    """What stands around the digits, as far as it is read."""

    negative: str = ""
    currency: str = ""
    percent: float = 1.0
    scale: float = 1.0
    unit: str = ""
    mark: str = ""

    def say(self, name: str, value: object) -> bool:
        """Note something, once only: two signs or two currencies are not understood."""
        if value is None or getattr(self, name) != getattr(_Around, name):
            return False
        setattr(self, name, value)
        return True


def _around(before: str, behind: str) -> _Around | None:
    """What stands around the digits; None if something there is not understood."""
    said = _Around()
    opened = False
    while before := before.strip():
        if before[0] in "([":
            opened, before = True, before[1:]
        elif before[0] in "+-":
            if before[0] == "-" and not said.say("negative", "minus"):
                return None
            before = before[1:]
        elif match := re.match(r"(?:less|minus)\b", before, re.IGNORECASE):
            if not said.say("negative", "less"):
                return None
            before = before[match.end() :]
        elif (match := _CURRENCY.match(before)) and said.say("currency", match[0]):
            before = before[match.end() :]
        else:
            return None
    return _behind(behind, said, opened=opened)


def _behind(behind: str, said: _Around, *, opened: bool) -> _Around | None:
    while behind := behind.strip():
        if behind[0] in ")]" and opened:
            if not said.say("negative", "brackets"):
                return None
            opened, behind = False, behind[1:]
            continue
        if behind[0] == "-" and len(behind.strip()) == 1:
            if not said.say("negative", "trailing minus"):
                return None
            break
        if behind[0] in "%‰":
            said.percent, behind = 0.01 if behind[0] == "%" else 0.001, behind[1:]
            continue
        for key, pattern in (
            ("negative", _SIDE), ("currency", _CURRENCY), ("scale", _SCALE), ("mark", _MARK), ("unit", _UNIT),
        ):  # fmt: skip
            match = pattern.match(behind)
            if match is not None and said.say(key, _value(key, match[0])):
                behind = behind[match.end() :]
                break
        else:
            return None
    return None if opened else said


def _value(key: str, text: str) -> object:
    if key == "scale":
        bare = text.rstrip(".")
        return _SCALES.get(bare) or _SCALES.get(bare.lower())
    return text.rstrip(".").upper() if key == "negative" else text
