"""Words that layouts are recognised by: totals, months, quarters."""

from __future__ import annotations

import re
from functools import lru_cache

# Words for "total" in the languages that reports come in; a label bears one if it stands in it as a word.
_TOTAL = (
    "total|totals|subtotal|sub-total|sub total|grand total|altogether|"  # English
    "gesamt|insgesamt|summe|zwischensumme|gesamtsumme|zusammen|"  # German
    "totaux|sous-total|"  # French
    "totale|subtotale|complessivo|totales|"  # Italian, Spanish, Polish
    "totaal|subtotaal|totalt|delsumma|summa|i alt|sammenlagt|yhteensä|samtals|"  # Dutch and the Nordic ones
    "razem|celkem|součet|spolu|összesen|skupaj|ukupno|toplam|genel toplam|kopā|iš viso|kokku|"
    "итого|всего|сумма|разом|усього|σύνολο|"
    '合計|小計|総計|合计|小计|总计|합계|총계|소계|المجموع|סה"כ|total geral'
)
_TOTAL_WORD = re.compile(rf"(?<![^\W_])(?:{_TOTAL})(?![^\W_])", re.IGNORECASE)
# Words too common to stand for a total inside a longer label.
_WHOLE_TOTAL = re.compile(r"\W*(?:sum|all|overall|ensemble|somme|somma|suma|soma)\W*", re.IGNORECASE)
_CJK_TOTAL = re.compile("合計|小計|総計|合计|小计|总计|합계|총계|소계")
_MONTHS = {
    month: number
    for number, names in enumerate(
        ("jan january", "feb february", "mar march", "apr april", "may", "jun june", "jul july", "aug august",
         "sep sept september", "oct october", "nov november", "dec december"), 1,
    )
    for month in names.split()
}  # fmt: skip
_QUARTER = re.compile(r"(?:q[1-4]|[1-4]q|quarter [1-4]|[1-4](?:st|nd|rd|th) quarter)(?: \d{4})?", re.IGNORECASE)
_YEAR = re.compile(r"(?:1[89]|20|21)\d\d(?:[/–-]\d{2,4})?")
_DAY = re.compile(r"(?:mon|tue|wed|thu|fri|sat|sun)[a-z]*", re.IGNORECASE)
_ISO_DATE = re.compile(r"\d{4}-\d\d-\d\d")


_AVERAGE_WORD = re.compile(
    r"(?<![^\W_])(?:average|averages|mean|avg|durchschnitt|mittel|mittelwert|moyenne|media|promedio|gemiddelde|"
    r"medel|gennemsnitt?|keskiarvo|średnia|průměr|среднее)(?![^\W_])|[øØ⌀]",
    re.IGNORECASE,
)


_UNIT = re.compile(
    r"[(\[]?(?:no\.?|nos\.?|nr\.?|number|count|persons?|units?|t|tonnes?|kg|g|km|m|m²|m³|l|litres?|h|hrs?|hours?|min|"
    r"minutes|days|%|per cent|‰|[€$£]|eur|usd|gbp|'?000s?|thousands?|millions?|mio\.?)[)\]]?",
    re.IGNORECASE,
)


def is_unit(label: str) -> bool:
    """Whether a heading is nothing but a unit.

    >>> is_unit("(number)"), is_unit("t"), is_unit("Foot")
    (True, True, False)
    """
    return _UNIT.fullmatch(label) is not None


@lru_cache(maxsize=65_536)
def average_word(label: str) -> str:
    """The word in a label that says "average", or ''.

    >>> average_word("Average per sailing"), average_word("Meantime")
    ('Average', '')
    """
    match = _AVERAGE_WORD.search(label)
    return match[0] if match else ""


@lru_cache(maxsize=65_536)
def total_word(label: str) -> str:
    """The word in a label that says "total", or ''.

    >>> total_word("Outbound total"), total_word("Totality"), total_word("Foot")
    ('total', '', '')
    """
    match = _TOTAL_WORD.search(label) or _CJK_TOTAL.search(label) or _WHOLE_TOTAL.fullmatch(label)
    return match[0].strip() if match else ""


def without_total_word(label: str) -> str:
    """What a total's label says beside the word itself.

    >>> without_total_word("Total, Outbound"), without_total_word("Subtotal")
    ('Outbound', '')
    """
    return _TOTAL_WORD.sub("", label).strip(" ,:;-–—()")


def period_name(labels: list[str]) -> str:
    """The kind of period that all labels name ('year', 'quarter', 'month', 'weekday', 'date'), or ''.

    >>> period_name(["Q1", "Q2"]), period_name(["Jan", "February"]), period_name(["Foot", "May"])
    ('quarter', 'month', '')
    """
    if not labels:
        return ""
    bare = [label.strip(" .").casefold() for label in labels]
    if all(label.split()[0].strip(".") in _MONTHS if label else False for label in bare):
        return "month"
    for name, pattern in (("year", _YEAR), ("quarter", _QUARTER), ("date", _ISO_DATE)):
        if all(pattern.fullmatch(label) for label in bare):
            return name
    return "weekday" if all(_DAY.fullmatch(label) for label in bare) else ""
