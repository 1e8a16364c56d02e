"""Words that layouts are recognised by: totals, averages, lines carried forward, units."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Collection, Iterable, Sequence

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
# A label that begins so repeats a sum only where the figures say so too.
_WHOLE = re.compile(
    r"(?:sum(?! of)|all|both|overall|combined|entire|whole|every|alle|sämtliche|tous|toutes|tutti|tutte|todos|todas|wszystkie)\b"
    r"|.*\b(?:in all|as a whole|combined|together)$|(?:full |whole |calendar )?(?:year|annual|annually|jahr|année|año|anno)$"
    r"|(?:year|month|season) to date$|ytd$|to date$|cumulative$|kumuliert$|jahressumme$"
    # "North, all fields"; a compound: "Zwischentotal", "Teilsumme", "Delsumma".
    r"|.*[,:–-] ?(?:all|both|combined|overall|alle|toutes|tous|tutti|todos|todas)\b.*$"
    r"|[^\W\d_]{3,}(?:total|totaal|summe|summa)$",
    re.IGNORECASE,
)
_DRAWN = re.compile(r"[-=_*:.~–—═─]{2,}")
_RATIO = re.compile(
    r"[%‰]|\b(?:per ?cent(?:age)?|pct|shares?|rates?|ratio|index|change|growth|yield|anteil|veränderung|quote|taux|"
    r"évolution|quota|variazione|variación|tasa|aandeel|andel)\b",
    re.IGNORECASE,
)
_DIFFERENCE = re.compile(
    r"\b(?:differences?|diff|variance|deviation|change|net|gross|result|profit|loss|margin|balance|surplus|deficit|opening|"
    r"closing|budget|plan|planned|forecast|differenz|abweichung|saldo|ergebnis|gewinn|verlust|écart|solde|résultat|variación|"
    r"diferencia|scarto|verschil|brutto|netto)\b",
    re.IGNORECASE,
)
_OF_WHICH = re.compile(
    r"\W*(?:of which|of whom|thereof|including|davon|darunter|dont|di cui|de los cuales|waarvan|varav|herav|z tego)\b",
    re.IGNORECASE,
)
_CARRIED = re.compile(
    r"\W*(?:(?:balance |amount |total )?(?:carried|brought)[ -](?:forward|fwd|over|down)|[cb]/[fd]|(?:opening|closing) balance|"
    r"übertrag|report à nouveau|à reporter|suma y sigue)\W*(?:[-+]?\d[\d.,]*\W*)?",
    re.IGNORECASE,
)
_CONTINUED = re.compile(
    r"[\s,;:–—-]*[(\[]?\s*\b(?:cont(?:inued|inuation|['’]?d)?\b\.?|fortsetzung|forts\.|suite|segue|continuaci[oó]n|vervolg)\s*[)\]]?\s*$",
    re.IGNORECASE,
)
#: Looked for first, for that is quick.
CONTINUED_BEGINS = ("cont", "forts", "suite", "segue", "vervolg")
_COMMENTED = re.compile(r"^[#%;!]+\s+(?=[^\W\d_])")
#: A text that says what it is: "Harbour: Hallan".
KEYED = re.compile(r"(?P<key>[^\W\d_][^:]{0,38}?)\s*:\s+(?P<value>[^\s:][^:]*)")
#: What a word for "total" may have in it, in the languages that are known, for RE2: only such texts are looked at.
MAY_TOTAL = (
    "(?i)tot|sum|all|ges|zus|raz|celk|sou|spolu|össz|skup|ukup|topl|kopā|viso|kokku|yht|samt|ensemble|somm|soma|"
    "ито|всего|сум|разом|усьо|σύν|[Σ∑]|合|小|总|計|계|\\*\\*"
)
_NOTE = re.compile(
    r"(?:foot)?notes?|fn\.?|ref\.?|anm\.?|anmerkung(?:en)?|fußnoten?|fotnot(?:er)?|noot|nota|uwagi", re.IGNORECASE
)
# Words too common to stand for a total inside a longer label.
_WHOLE_TOTAL = re.compile(r"\W*(?:sum|all|overall|ensemble|somme|somma|suma|soma|Σ|∑)\W*", re.IGNORECASE)
# Print reports mark the lines of their totals so.
_STARRED = re.compile(r"\s*\*{2,}\s+(?=\w)")
_CJK_TOTAL = re.compile("合計|小計|総計|合计|小计|总计|합계|총계|소계")


_AVERAGE_WORD = re.compile(
    r"(?<![^\W_])(?:average|averages|mean|avg|durchschnitt|mittel|mittelwert|moyenne|media|promedio|gemiddelde|"
    r"medel|gennemsnitt?|keskiarvo|średnia|průměr|среднее)(?![^\W_])|(?:^|(?<=\s))[øØ⌀](?=\s|$)",
    re.IGNORECASE,
)


# Words for a mean that stand in names as well.
_NAMES_TOO = frozenset({"Media", "Mittel", "Medel", "Mean"})


_ONE_UNIT = (
    r"no\.?|nos\.?|nr\.?|number|count|persons?|units?|pcs\.?|"
    r"t|tonnes?|tons|kg|g|mg|µg|ug|ng|km|m|cm|mm|nm|mi|miles|knots|kn|m²|m2|m³|m3|km²|ha|hectares?|l|litres?|ml|cl|dl|hl|bbl|"
    r"kwh|mwh|gwh|kw|mw|hpa|kpa|mpa|mbar|bar|ppm|ppb|mol|mmol|hz|khz|db|rpm|"
    r"h|hrs?|hours?|min|minutes|s|secs?|seconds|ms|days?|°c|°f|degc|degf|deg|°|%|per cent|percent|pct|‰|"
    r"[€$£¥]|kr\.?|zł|kč|ft|eur|usd|gbp|sek|nok|dkk|isk|chf|pln|czk|huf|crowns|euros?|pounds|dollars|"
    r"'?000s?|thousands?|thous\.|tsd\.?|millions?|mill\.|mio\.?|mn|bn"
)
_UNIT = re.compile(
    rf"[(\[]?(?:1[,. ]?000 |'000 )?(?:{_ONE_UNIT})(?:(?:\s*/\s*|\s+per\s+|\s+)(?:{_ONE_UNIT}))?[)\]]?", re.IGNORECASE
)


_FORM = re.compile(r"[(\[]?(?:h{1,2}:mm(?::ss)?|dd?[./-]mm?(?:[./-](?:yy){1,2})?|yyyy-mm(?:-dd)?)[)\]]?", re.IGNORECASE)

# A code: letters at most three, then digits. It speaks of nothing, and large tables have one for every row.
_BARE_CODE = re.compile(r"[^\W\d_]{0,3}[ -]?[\d./:-]+")


def speaks(label: str) -> bool:
    """Whether a label may bear a word at all: a code of few letters and digits bears none.

    >>> speaks("Total 2031"), speaks("S 1204")
    (True, False)
    """
    return not (label[-1:].isdigit() and _BARE_CODE.fullmatch(label))


def is_drawn(text: str) -> bool:
    """Whether a text is a drawn line.

    >>> is_drawn("-----"), is_drawn(":--:"), is_drawn("-"), is_drawn("n/a")
    (True, True, False, False)
    """
    return _DRAWN.fullmatch(text) is not None


def is_unit(label: str) -> bool:
    """Whether a heading is nothing but a unit.

    >>> is_unit("(number)"), is_unit("kr/t"), is_unit("Foot"), is_unit("1,000 t")
    (True, True, False, True)
    >>> is_unit("hh:mm"), is_unit("dd.mm.yyyy")  # how times and dates below are written
    (True, True)
    """
    return _UNIT.fullmatch(label) is not None or says_style(label)


def are_units(texts: Collection[str]) -> bool:
    """Whether headings give units and nothing else: all of them, or two of three where the others are as short ("C", "lx").

    >>> are_units(["m³", "m"]), are_units(["C", "%", "m/s"]), are_units(["Foot", "%", "t"])
    (True, True, False)
    """
    known = sum(map(is_unit, texts))
    if known == len(texts):
        return bool(texts)
    rest = [text for text in texts if not is_unit(text)]
    return 3 * known >= 2 * len(texts) and all(len(text) <= _LONGEST_FLAG and text.isalpha() for text in rest)


def says_style(text: str) -> bool:
    """Whether a text shows how times or dates are written, and nothing else.

    >>> says_style("hh:mm"), says_style("(dd/mm/yy)"), says_style("kg")
    (True, True, False)
    """
    return _FORM.fullmatch(text) is not None


def is_unit_said(text: str) -> bool:
    """Whether a text says in which unit figures are, and nothing else.

    >>> is_unit_said("in tonnes"), is_unit_said("(kg)"), is_unit_said("in port")
    (True, True, False)
    """
    return is_unit(text[3:] if text[:3].casefold() == "in " else text)


_LONGEST_FLAG = 2


def unknown_units(words: Iterable[str]) -> list[str]:
    """The words behind figures that are no units: "4 Weeks" and "5* DELUXE" are terms and classes, and what would leave is lost.

    >>> unknown_units(["kg", "Weeks", "e", ""])
    ['Weeks']
    """
    return sorted(word for word in words if len(word) > _LONGEST_FLAG and not is_unit(word))


_LIMIT = re.compile(
    r"(?:(?:upper |lower |legal )?limits?|targets?|out of|max(?:imum)? (?:marks?|points?|score)|possible|capacity|threshold|"
    r"reference|allowed|permitted|required|quota|grenzwerte?|sollwerte?|ziel|valeurs? limites?|objectif)\b.*"
    r"|(?:number|no\.|count) of \w+ (?:reporting|counted|included|covered)",
    re.IGNORECASE,
)


def says_limit(label: str) -> bool:
    """Whether a label says that its row states what the others are held against, or how many stand behind them.

    >>> says_limit("Out of"), says_limit("Limit"), says_limit("Number of ports reporting"), says_limit("Outer Quay")
    (True, True, True, False)
    """
    return _LIMIT.fullmatch(label.strip()) is not None


_MOST = re.compile(r"(?:out of|max(?:imum)?|possible|capacity|erreichbar|sur)\b.*", re.IGNORECASE)


def says_most(label: str) -> bool:
    """Whether a label says that its row states the most that the others can be: "Out of".

    >>> says_most("Out of"), says_most("Limit")
    (True, False)
    """
    return _MOST.fullmatch(label.strip()) is not None


_COUNT = re.compile(
    r"(?:number|no\.|count) of\b.*|n|n=|(?:un)?weighted base|base(?: size)?|sample(?: size)?|respondents|cases",
    re.IGNORECASE,
)


def names_count(label: str) -> bool:
    """Whether a label says that its row counts what stands behind the figures.

    >>> names_count("Number of ports reporting"), names_count("Limit")
    (True, False)
    """
    return _COUNT.fullmatch(label.strip()) is not None


def speaks_of_columns(label: str) -> bool:
    """Whether the label of a row says that it speaks of the columns: limits, a unit, codes, how many stand behind them.

    >>> speaks_of_columns("Upper limit"), speaks_of_columns("km"), speaks_of_columns("Stop no."), speaks_of_columns("Quay")
    (True, True, True, False)
    """
    codes = bool(names_a_key(label) and " " in label)
    counts = names_count(label) and not label.casefold().startswith(("number of", "no. of", "count of"))
    unit = is_unit(label) and len(label) > 1 and label == label.casefold()
    extreme = _EXTREME.fullmatch(label.strip()) is not None
    return bool(label) and (says_limit(label) or codes or counts or extreme or unit)


# A sentence has so many words, a third of them in small letters.
_SENTENCE = 4
_REMARK_SIGNS = ("#", "//", "--", ";;", "*", "†", "‡", "§")


def is_remark(text: str, longest: int) -> bool:
    """Whether a text shows that it is a remark and no label: by the sign it begins with, its full stop, or its length.

    >>> is_remark("# resumed", 40), is_remark("No sailings from the 4th on.", 40), is_remark("Pools in the east", 40)
    (True, True, False)
    """
    first = text.casefold()
    return (
        text.startswith(_REMARK_SIGNS) or text.endswith((".", "!")) or len(text) > longest or first.startswith("note")
    )


def is_sentence(text: str) -> bool:
    """Whether a text has as many words as a sentence, a good part of them in small letters: it may be a remark.

    >>> is_sentence("resumed after the storm"), is_sentence("North Loop"), is_sentence("Pools in the east")
    (True, False, True)
    """
    words = text.split()
    return len(words) >= _SENTENCE and sum(word[:1].islower() for word in words) * 3 >= len(words)


def heads_alike(text: str, among: Sequence[str]) -> bool:
    """Whether others begin or end as a text does, or say what they are under the same key: such lines head what follows.

    >>> heads_alike("Pools in the east", ["Pools in the east", "Pools in the west"]), heads_alike("Gate of entry: Larch", [])
    (True, False)
    """
    key = KEYED.fullmatch(text)
    words = text.casefold().split()
    for other in among:
        if other == text or not words:
            continue
        theirs = KEYED.fullmatch(other)
        if key and theirs and key["key"] == theirs["key"]:
            return True
        others = other.casefold().split()
        if others and (others[0] == words[0] or others[-1] == words[-1]):
            return True
    return False


_LEADING_ZERO = re.compile(r"0\d+")
_SCALES = (
    (1e3, re.compile(
        r"\bin (?:thousands|tausend|tsd\b\.?|migliaia|duizenden|tusen(?:tal|der)?|tusinder)|"
        r"\bthousands of\b|\ben (?:milliers|miles)\b|"
        r"\bw tys(?:\b\.?|iącach)|[(\[](?:thousands|tsd\.?)[)\]]|[€$£¥'’]\s?000s?\b|[(\[]000s?[)\]]|\b000s\b|[x×]\s?1[,. ]?000\b",
        re.IGNORECASE,
    )),
    (1e6, re.compile(
        r"\bin (?:millions|millionen|mio\b\.?|milioni|miljoenen|miljoner|millioner)|\bmillions of\b|\ben (?:millions|millones)\b|"
        r"\bw (?:mln\b\.?|milionach)|[(\[](?:millions|mio\.?|mln\.?)[)\]]|[€$£¥]\s?(?:m|mn|mio|million)\b",
        re.IGNORECASE,
    )),
    (1e9, re.compile(
        r"\bin (?:billions|milliarden|mrd\b\.?|miliardi|miljarden)|"
        r"\bbillions of\b|\ben milliards\b|[(\[](?:billions|bn|mrd\.?)[)\]]|"
        r"[€$£¥]\s?(?:bn|mrd|billion)\b",
        re.IGNORECASE,
    )),
)  # fmt: skip


def scale_words(text: str) -> tuple[str, float]:
    """The words that say what every number is to be multiplied by, and that number; ('', 1) if none do.

    >>> scale_words("Takings, in thousands of crowns"), scale_words("(£000)"), scale_words("Carried, 2031")
    (('in thousands', 1000.0), ('£000', 1000.0), ('', 1.0))
    """
    for scale, pattern in _SCALES:
        match = pattern.search(text)
        if match is not None:
            return match[0].strip("()[] "), scale
    return "", 1.0


def leading_zero(text: str) -> bool:
    """Whether a text is digits behind a zero, as names are and amounts are not.

    >>> leading_zero(" 007"), leading_zero("0.7"), leading_zero("0")
    (True, False, False)
    """
    return _LEADING_ZERO.fullmatch(text.strip()) is not None


@lru_cache(maxsize=65_536)
def look_of(text: str) -> str:
    """What a text looks like: runs of digits as 0, runs of letters as a.

    >>> look_of("Gull 12"), look_of("2031-04-03")
    ('a 0', '0-0-0')
    """
    return re.sub(r"[^\W\d_]+", "a", re.sub(r"\d+", "0", text))


@lru_cache(maxsize=65_536)
def average_word(label: str) -> str:
    """The word in a label that says "average", or ''.

    >>> average_word("Average per sailing"), average_word("Meantime"), average_word("Ø350"), average_word("Skarrow Media")
    ('Average', '', '', '')
    """
    if not speaks(label):
        return ""
    match = _AVERAGE_WORD.search(label)
    if match is None or (match.start() and match[0] in _NAMES_TOO):
        return ""  # "Skarrow Media" is a name; a mean is no proper noun inside of a label
    return match[0]


@lru_cache(maxsize=65_536)
def total_word(label: str) -> str:
    """The word in a label that says "total", or ''.

    >>> total_word("Outbound total"), total_word("Totality"), total_word("Foot"), total_word("** Hallan")
    ('total', '', '', '**')
    """
    if not speaks(label):
        return ""
    match = (
        _TOTAL_WORD.search(label) or _CJK_TOTAL.search(label) or _WHOLE_TOTAL.fullmatch(label) or _STARRED.match(label)
    )
    return match[0].strip() if match else ""


def without_total_word(label: str) -> str:
    """What a total's label says beside the word itself.

    >>> without_total_word("Total, Outbound"), without_total_word("Subtotal")
    ('Outbound', '')
    """
    return _STARRED.sub("", _TOTAL_WORD.sub("", label)).strip(" ,:;-–—()")


def is_bare_claim(label: str) -> bool:
    """Whether a label says "total" or "mean" and hardly more: then its line is one, whatever its figures are.

    >>> [is_bare_claim(label) for label in ("Grand total", "Total 2031", "Total Gas Works", "Skarrow Media")]
    [True, True, False, False]
    """
    rest = without_total_word(label) if total_word(label) else label.replace(average_word(label), "")
    return not any(len(part) > 2 and part.isalpha() for part in rest.split())


@lru_cache(maxsize=65_536)
def says_whole(label: str) -> bool:
    """Whether a label speaks of all of something, as a total without the word does.

    >>> says_whole("All routes"), says_whole("Both directions"), says_whole("Sum North"), says_whole("Allison Quay")
    (True, True, True, False)
    """
    return speaks(label) and _WHOLE.match(label) is not None


def without_comment(text: str) -> str:
    """A text without the sign of a comment at its beginning: "# cast: 14" says cast: 14.

    >>> without_comment("% cast: 14"), without_comment("#1 quay")
    ('cast: 14', '#1 quay')
    """
    return _COMMENTED.sub("", text)


def without_continued(label: str) -> str:
    """A label without words that say that it goes on from a page before.

    >>> without_continued("Hallan (cont.)"), without_continued("Hallan, continued"), without_continued("Hallan")
    ('Hallan', 'Hallan', 'Hallan')
    """
    return _CONTINUED.sub("", label)


def of_which(label: str) -> bool:
    """Whether a label says that its line is part of the line before it.

    >>> of_which("of which: foot"), of_which("Foot")
    (True, False)
    """
    return _OF_WHICH.match(label) is not None


def without_of_which(label: str) -> str:
    """A label without the words that say that its line is part of the line before it.

    >>> without_of_which("of which: foot"), without_of_which("Foot"), without_of_which("of which")
    ('foot', 'Foot', '')
    """
    return _OF_WHICH.sub("", label, count=1).strip(" :–-—,").strip()


def says_difference(label: str) -> bool:
    """Whether a label speaks of a difference, or of an amount that one is taken from.

    >>> says_difference("Variance"), says_difference("Closing balance"), says_difference("Women")
    (True, True, False)
    """
    return _DIFFERENCE.search(label) is not None


@lru_cache(maxsize=65_536)
def is_ratio(label: str) -> bool:
    """Whether a label speaks of shares, rates or changes, which do not add up.

    >>> is_ratio("Change %"), is_ratio("Foot")
    (True, False)
    """
    return speaks(label) and _RATIO.search(label) is not None


_KEY = re.compile(
    r"(?:[^\W\d_]+[ _.-])*(?:no|nr|id|ident|code|key|ref|reference|phone|telephone|tel|fax|postcode|zip|seq|serial)\.?"
    r"|#|№|line|route|invoice|account|voucher",
    re.IGNORECASE,
)
_PERIODS = {
    "year": (1800, 2150), "jahr": (1800, 2150), "année": (1800, 2150), "half-year": (1, 2), "quarter": (1, 4), "month": (1, 12),
    "monat": (1, 12), "mois": (1, 12), "week": (1, 53), "woche": (1, 53), "semaine": (1, 53), "day": (1, 31), "tag": (1, 31),
    "jour": (1, 31), "hour": (0, 24), "stunde": (0, 24), "heure": (0, 24),
}  # fmt: skip


def period_range(heading: str) -> tuple[int, int] | None:
    """The least and the largest number that a period of this name bears; None if the heading names none.

    >>> period_range("Month"), period_range("Cars")
    ((1, 12), None)
    """
    return _PERIODS.get(heading.strip().casefold())


#: Words in a heading whose figures are years.
YEARS = re.compile(r"\b(?:years?|built|since|founded|baujahr|jahr|année|año|anno|jaar|år)\b", re.IGNORECASE)


def names_a_key(heading: str) -> bool:
    """Whether a heading names a key: figures below it are names, and do not add up.

    >>> names_a_key("Line"), names_a_key("Ticket no."), names_a_key("Cars"), names_a_key("No. of cars")
    (True, True, False, False)
    """
    return _KEY.fullmatch(heading.strip()) is not None


_RANK = re.compile(r"(?:rank(?:ing)?|rang|place|position|index|indices|per (?:head|capita))\b.*", re.IGNORECASE)
_EXTREME = re.compile(
    r"(?:minimum|maximum|min\.?|max\.?|lowest|highest|smallest|largest|median|std\.?(?: dev\.?)?|standard deviation|"
    r"kleinster|größter|mínimo|máximo|minimo|massimo)(?:\s+value)?",
    re.IGNORECASE,
)


_AMOUNTS = re.compile(
    r"\b(?:amounts?|fees?|prices?|costs?|takings|revenues?|fares?|dues|charges?|wages?|rents?|turnover|expenses?|income|betrag|"
    r"preis|kosten|umsatz|montant|prix|coût|importe|precio|costo|bedrag|prijs)\b",
    re.IGNORECASE,
)


def says_money(label: str) -> bool:
    """Whether a heading speaks of amounts of money.

    >>> says_money("Fee"), says_money("Amount paid"), says_money("Boats")
    (True, True, False)
    """
    return _AMOUNTS.search(label) is not None


def says_note(heading: str) -> bool:
    """Whether a heading stands over the numbers of notes.

    >>> says_note("Note"), says_note("Footnotes"), says_note("Noted")
    (True, True, False)
    """
    return _NOTE.fullmatch(heading.strip()) is not None


def says_rank(label: str) -> bool:
    """Whether a heading speaks of a rank or an index: figures that say something of the values beside them.

    >>> says_rank("Rank"), says_rank("Cars")
    (True, False)
    """
    return _RANK.fullmatch(label.strip()) is not None


def extreme_word(label: str) -> str:
    """The word of a label that is nothing but one for the least, the largest or the middle of others, or ''.

    >>> extreme_word("Maximum"), extreme_word("Max Pier")
    ('Maximum', '')
    """
    return label if speaks(label) and _EXTREME.fullmatch(label.strip()) else ""


def are_statistics(labels: Iterable[str]) -> bool:
    """Whether labels name statistics and nothing else, a mean among extremes: then it is a figure in its own right.

    >>> are_statistics(["min", "mean", "max"]), are_statistics(["2030", "2031", "Mean", "Max"]), are_statistics(["Mean"])
    (True, False, False)
    """
    found = False
    for label in filter(None, labels):
        if extreme_word(label):
            found = True
        elif average_word(label) != label.strip():
            return False
    return found


@lru_cache(maxsize=65_536)
def carried_word(label: str) -> bool:
    """Whether a label says that a line only carries a sum over from another page.

    >>> carried_word("Brought forward"), carried_word("Cars carried")
    (True, False)
    """
    return speaks(label) and _CARRIED.fullmatch(label) is not None
