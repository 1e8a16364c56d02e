"""Readings of a whole sheet: what its texts can be read as, settled column by column before any layout is sought.

A text is read once (`kebrin.grammar.reading`); where it reads in two ways its column decides, by what the sheet shows:
texts of the column that read in one way only, the sizes of plain numbers beside grouped ones, real numbers in the same
column, the delimiter of the file, the sheet's other columns. What none of these settles is open.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells.kinds import Kind
from kebrin.cells.signs import signs_in_cells
from kebrin.grammar.languages import decimal_sign
from kebrin.grammar.legend import Means, Sign, is_number, means, read_key
from kebrin.grammar.reading import HEDGED, MISSING_MARKS, Look, neat, read_text
from kebrin.grammar.words import is_unit, unknown_units

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

    from kebrin.grammar.reading import Reading

_LONGEST_FLAG = 2
# A text shorter than this explains nothing, and a sign is no longer.
_SHORTEST_KEY, _LONGEST_SIGN = 6, 24
_LOOK_OF = {Means.MISSING: Look.MISSING, Means.ZERO: Look.NUMBER, Means.VALUE: Look.WORDS, Means.MINUS: Look.WORDS}
# Of the cells of a column with digits so many must bear the same unit for it to be a unit and no part of a name.
_UNIT_SHARE = 0.6
_SIGNS = {".": "point", ",": "comma"}


#: Sides of the books, as they stand beside a figure; credits and what is overdrawn are negative unless a person says otherwise.
SIDES = frozenset({"dr", "cr", "od"})
CREDIT = frozenset({"cr", "od"})
_SIDED = re.compile(r"\s*([-+(−]?\d[\d.,\s]*)(CR|DR|OD|Cr|Dr|cr|dr)\.?\s*")


@dataclass(frozen=True)
class Hints:
    """What is known of a sheet's texts from elsewhere.

    Attributes:
        decimal: the decimal sign that a person states ('.' or ','), '' if none does.
        assumed: the decimal sign to try where nothing on the sheet settles it.
        missing: texts that a person states to mean "no value", in small letters.
        none: texts and figures that a person states to stand for no value in the whole table, in small letters.
        spoken: the decimal sign of the language that the file names.
        delimiter: what parts the cells of a text file.
        codes: the columns whose digits are names, by their number formats.
        minus: texts that a person states to make the figure before them negative, in small letters.
        heads: the row of headings over records, where the file's format tells it; -1 where it does not.
        ends: the last of these records, where the format tells it; -1 where all rows below the headings are records.
        key: signs that a text elsewhere in the file explains for all of its tables, each with what is said of it.
        headless: whether the file's format tells that no row holds headings.
        spanned: where the file's format tells of several rows of headings: the first, how many, and the label columns.
    """

    decimal: str = ""
    assumed: str = ""
    missing: frozenset[str] = frozenset()
    none: frozenset[str] = frozenset()
    minus: frozenset[str] = frozenset()
    spoken: str = ""
    delimiter: str = ""
    codes: frozenset[int] = frozenset()
    heads: int = -1
    ends: int = -1
    headless: bool = False
    spanned: tuple[int, int, int] | None = None
    key: tuple[Sign, ...] = ()


@dataclass(frozen=True, eq=False)
class Readings:
    """The readings of a sheet's cells.

    Attributes:
        looks: codes of `Look` (rows x columns); real numbers are `NUMBER`, other kinds `WORDS`.
        numbers: the number in each cell by its column's convention (rows x columns), NaN where there is none.
        decimals: the decimal sign of each column in which it matters, '?' where it is open.
        whys: why that sign is believed, by column.
        legend: signs that a text on the sheet explains, with what it says of each.
        within: cells of figures that a side behind them makes negative ("12.50 CR").
        sides: columns of sides ("DR", "CR") that stand right of figures, with the cells that make theirs negative.
    """

    looks: NDArray[np.uint8]
    numbers: NDArray[np.float64]
    decimals: dict[int, str]
    whys: dict[int, str]
    legend: dict[str, str]
    sides: dict[int, tuple[int, ...]] = field(default_factory=dict)
    within: tuple[tuple[int, int], ...] = ()

    @property
    def open(self) -> tuple[int, ...]:
        """The columns whose decimal sign nothing on the sheet settles."""
        return tuple(column for column, sign in self.decimals.items() if sign == "?")


@dataclass(frozen=True, eq=False)
class _Texts:
    """The text cells of a sheet, side by side."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    texts: list[str]
    readings: list[Reading]
    point: NDArray[np.float64]
    comma: NDArray[np.float64]


def read_cells(values: NDArray[np.object_], kinds: NDArray[np.uint8], hints: Hints | None = None) -> Readings:
    """The readings of a grid of cells.

    >>> values = np.array([["Jan", "Feb"], ["1,120", "2,5"], ["900", "(3,5)"], ["2,000", "7"]], dtype=object)
    >>> found = read_cells(values, np.ones(values.shape, np.uint8))
    >>> found.numbers[1:].tolist(), found.decimals
    ([[1120.0, 2.5], [900.0, -3.5], [2000.0, 7.0]], {0: '.', 1: ','})
    """
    hints = hints or Hints()
    found = _read(values, kinds, hints)
    return _signed(found, sides, hints) if (sides := _sides(values, kinds, found.numbers, hints)) else found


def _without_sides(texts: list[str], minus: Collection[str]) -> tuple[list[str], dict[int, str]]:
    """The texts with figures before a side of the books ("12.50 CR") as the figure alone, and the side of each by its place.

    So are figures beside a sign that the sheet's key says to be a minus ("▼ 12" where "▼ fall (minus)").
    """
    found: dict[int, str] = {}
    plain = texts
    for at, text in enumerate(texts):
        sign = next((one for one in minus if text.startswith(one) or text.endswith(one)), "")
        rest = text.removeprefix(sign).removesuffix(sign).strip() if sign else ""
        if rest and any(map(str.isdigit, rest)) and not any(map(str.isalpha, rest)):
            plain = texts.copy() if plain is texts else plain
            plain[at], found[at] = rest, sign.casefold()
        elif text[-1:] in "RrDd." and (match := _SIDED.fullmatch(text)) is not None:
            plain = texts.copy() if plain is texts else plain
            plain[at], found[at] = match[1].rstrip(), match[2].casefold()
    return plain, found


def _negative_sides(there: set[str]) -> frozenset[str]:
    """Which sides are negative if nothing is stated: what is overdrawn, where that is said, and credits where it is not."""
    return frozenset({"od"}) if "od" in there else CREDIT


def _sides(
    values: NDArray[np.object_], kinds: NDArray[np.uint8], numbers: NDArray[np.float64], hints: Hints
) -> dict[int, dict[int, str]]:
    """Columns that hold nothing but sides of the books below their heading, each right of a figure: the text of each row."""
    words = hints.minus | SIDES
    found: dict[int, dict[int, str]] = {}
    for column in range(1, values.shape[1]):
        rows = np.flatnonzero(kinds[:, column] != Kind.BLANK)
        beside = rows[~np.isnan(numbers[rows, column - 1])]
        if not len(beside) or kinds[beside[0], column] != Kind.TEXT or _side(values[beside[0], column]) not in words:
            continue
        texts = {int(row): _side(values[row, column]) for row in beside}
        above = rows[rows < beside[0]]
        own = not len(above) or not np.isnan(numbers[above[-1] + 1 : beside[0], column - 1]).any()
        if own and set(texts.values()) <= words and len(beside) == len(rows[rows >= beside[0]]):
            found[column] = texts
    return found


def _side(value: object) -> str:
    return value.strip(" .").casefold() if isinstance(value, str) else ""


def _signed(found: Readings, sides: dict[int, dict[int, str]], hints: Hints) -> Readings:
    """The readings with the figures negative that stand before a side that is: credits, if nothing is stated."""
    minus = hints.minus or _negative_sides({text for texts in sides.values() for text in texts.values()})
    numbers = found.numbers.copy()
    turned = {}
    for column, texts in sides.items():
        rows = tuple(row for row, text in texts.items() if text in minus)
        numbers[list(rows), column - 1] *= -1
        turned[column] = rows
    return replace(found, numbers=numbers, sides=turned)


def _read(values: NDArray[np.object_], kinds: NDArray[np.uint8], hints: Hints) -> Readings:
    looks = np.zeros(kinds.shape, np.uint8)
    numbers = np.full(kinds.shape, np.nan)
    real = kinds == Kind.NUMBER
    looks[real] = Look.NUMBER
    numbers[real] = values[real].astype(np.float64)
    rows, columns = np.nonzero(kinds == Kind.TEXT)
    said = values[rows, columns].tolist()
    keys = {**dict(hints.key), **_keys(said), **signs_in_cells(values, kinds)}
    # "n = negative" says what was found, and nothing of a figure.
    signs = [
        sign for sign, meaning in keys.items() if means(meaning) is Means.MINUS and not any(map(str.isalnum, sign))
    ]
    texts, inside = _without_sides(said, signs)
    readings = [read_text(text) for text in texts]
    own = np.fromiter((reading.look for reading in readings), np.uint8, len(readings))
    legend = _legend(texts, values[real], keys)
    if not own.any() and not legend and not hints.missing and not hints.none:
        return Readings(looks, numbers, {}, {}, legend)
    point = np.fromiter((reading.number for reading in readings), np.float64, len(readings))
    comma = np.fromiter((reading.comma for reading in readings), np.float64, len(readings))
    cells = _Texts(rows, columns, texts, readings, point, comma)
    own = _by_column(cells, own, looks, legend, hints)
    own[[text.strip().casefold() in hints.none for text in texts]] = Look.MISSING
    decimals, whys = _conventions(cells, own, numbers, hints)
    looks[rows, columns] = own
    settled = np.where(np.isnan(point), comma, point)
    for column, sign in decimals.items():
        here = columns == column
        settled[here] = (
            comma[here] if sign == "," else point[here] if sign == "." else _certain(point[here], comma[here])
        )
    settled[(own == Look.WORDS) | (own == Look.CODE) | (own == Look.MISSING)] = np.nan
    minus = (hints.minus or _negative_sides(set(inside.values()))) | {sign.casefold() for sign in signs}
    turned = [at for at, side in inside.items() if side in minus and settled[at] == settled[at]]
    settled[turned] *= -1
    numbers[rows, columns] = settled
    for sign in filter(is_number, legend):  # the key says that this figure stands for none
        none = numbers == float(sign.replace("−", "-"))
        spoken_of = _columns_of(cells, sign)
        none[:, [at for at in range(none.shape[1]) if spoken_of and at not in spoken_of]] = False
        looks[none], numbers[none] = Look.MISSING, np.nan
    for sign in filter(is_number, hints.none):
        none = numbers == float(sign.replace("−", "-"))
        looks[none], numbers[none] = Look.MISSING, np.nan
    within = tuple((int(rows[at]), int(columns[at])) for at in turned)
    return Readings(looks, numbers, decimals, whys, legend, within=within)


def _columns_of(cells: _Texts, sign: str) -> set[int]:
    """The columns that a sign's key speaks of by their headings ("level: 9999 = out of order"); none if it speaks of all."""
    keys = [
        text for text in dict.fromkeys(cells.texts) if sign in text and any(one.sign == sign for one in read_key(text))
    ]
    heads = {neat(text.partition(":")[0]).lstrip("# ").casefold() for text in keys if ":" in text}
    named = zip(cells.texts, cells.columns.tolist(), strict=True)
    return {column for text, column in named if neat(text).casefold() in heads}


def _certain(point: NDArray[np.float64], comma: NDArray[np.float64]) -> NDArray[np.float64]:
    """The numbers that read in one way only, or the same in both."""
    return np.where(np.isnan(point), comma, np.where(np.isnan(comma) | (point == comma), point, np.nan))


def _by_column(
    cells: _Texts, own: NDArray[np.uint8], looks: NDArray[np.uint8], legend: dict[str, str], hints: Hints
) -> NDArray[np.uint8]:
    """The looks, held against the columns: codes, units and flags, letters that only may be marks for "no value"."""
    own = own.copy()
    odd = np.flatnonzero(
        (own == Look.CODE)
        | np.isin(cells.columns, list(hints.codes))
        | np.fromiter((bool(reading.unit or reading.measure) for reading in cells.readings), np.bool_, len(own))
        | np.fromiter((_may_be_mark(text, legend, hints) for text in cells.texts), np.bool_, len(own))
    )
    for column in sorted(set(cells.columns[odd].tolist())):
        here = np.flatnonzero(cells.columns == column)
        real = int((looks[:, column] == Look.NUMBER).sum())
        _settle_column(cells, own, here, real, legend, hints, named=column in hints.codes)
    return own


def _may_be_mark(text: str, legend: Collection[str], hints: Hints) -> bool:
    bare = text.strip()
    return len(bare) <= 12 and (bare.casefold() in {"na", *hints.missing} or bare in legend)


def _settle_column(
    cells: _Texts, own: NDArray[np.uint8], here: NDArray[np.intp], real: int, legend: dict[str, str], hints: Hints, *,
    named: bool = False,
) -> None:  # fmt: skip
    readings = [cells.readings[at] for at in here.tolist()]
    texts = [cells.texts[at].strip() for at in here.tolist()]
    hard = real + sum(not one.unit and one.look in {Look.NUMBER, Look.MARKED, Look.FIGURE} for one in readings)
    codes = sum(one.look == Look.CODE for one in readings)
    hedged = sum(one.unit == HEDGED for one in readings)
    units = Counter(one.unit for one in readings if one.unit not in {"", HEDGED})
    common, count = units.most_common(1)[0] if units else ("", 0)
    measures = Counter(one.measure or one.unit for one in readings if one.measure or one.unit in units)
    first = measures.most_common(1)[0][0] if measures else ""
    letters = sum(len(text) == 2 and text.isalpha() and text.isupper() for text in set(texts))
    for at, one, text in zip(here.tolist(), readings, texts, strict=True):
        if text.casefold() in hints.missing:
            own[at] = Look.FIGURE  # a step says that it means no value: it is one of the body
        elif text in legend and hard and not one.unit and own[at] in {Look.WORDS, Look.MISSING}:
            # The key says what it stands for, among figures: no value, zero, or something of its own.
            meaning = _meaning(text, legend[text])
            own[at] = _LOOK_OF[meaning]
            if meaning is Means.ZERO:
                cells.point[at] = cells.comma[at] = 0.0
        elif text.casefold() == "na":
            own[at] = Look.MISSING if hard and letters < 2 else Look.WORDS
        elif one.unit == HEDGED:
            own[at] = Look.FIGURE if hard or 2 * hedged > len(texts) else Look.WORDS
        elif len(measures) > 1 and (one.measure or one.unit) not in {"", first} and (one.measure or is_unit(one.unit)):
            own[at] = Look.WORDS  # 30 ft among metres are no 30
        elif one.unit:
            flag = len(one.unit) <= _LONGEST_FLAG and one.unit.islower() and hard >= count
            # "4 Weeks" and "5* DELUXE" are terms and classes: what is no unit must not leave the figure.
            unit = (
                not unknown_units([one.unit])
                and one.unit == common
                and count >= _UNIT_SHARE * (hard + sum(units.values()))
                and count > 1
            )
            own[at] = Look.FIGURE if flag or unit or one.unit in legend else Look.WORDS
        elif one.look == Look.NUMBER and text.isdigit() and (named or (codes and real == 0)):
            own[at] = Look.CODE  # with leading zeros among them the others are names too


def _meaning(sign: str, said: str) -> Means:
    """What a sign stands for among figures; of one that means no value everywhere the key may say why there is none."""
    meaning = means(said)
    bare = sign in MISSING_MARKS and not any(map(str.isalnum, sign))
    return Means.MISSING if bare and meaning is Means.VALUE else meaning


def _conventions(
    cells: _Texts, own: NDArray[np.uint8], numbers: NDArray[np.float64], hints: Hints
) -> tuple[dict[int, str], dict[int, str]]:
    figures = (own == Look.NUMBER) | (own == Look.MARKED) | (own == Look.FIGURE)
    only_point = figures & np.isnan(cells.comma) & ~np.isnan(cells.point)
    only_comma = figures & np.isnan(cells.point) & ~np.isnan(cells.comma)
    both = figures & ~np.isnan(cells.point) & ~np.isnan(cells.comma) & (cells.point != cells.comma)
    decimals: dict[int, str] = {}
    whys: dict[int, str] = {}
    if not (only_comma.any() or both.any()):
        return decimals, whys
    left: list[int] = []
    for column in sorted(set(cells.columns[only_point | only_comma | both].tolist())):
        here = cells.columns == column
        points, commas = int((here & only_point).sum()), int((here & only_comma).sum())
        unsure = np.flatnonzero(here & both)
        sign, why = _settled(points, commas)
        if hints.decimal:
            sign, why = hints.decimal, "as stated"
        elif not sign and not (points and commas):
            sign, why = _by_sizes(cells, unsure, np.flatnonzero(here & figures), numbers[:, column])
        if sign:
            decimals[column], whys[column] = sign, why
        elif points and commas:
            decimals[column] = "?"
        elif len(unsure):
            left.append(column)
    _settle_rest(left, decimals, whys, hints, cells.texts)
    return decimals, whys


def _settled(points: int, commas: int) -> tuple[str, str]:
    if bool(points) == bool(commas):
        return "", ""
    sign, count = (".", points) if points else (",", commas)
    return sign, f"{count:,} of its cells read with a decimal {_SIGNS[sign]} only"


def _by_sizes(
    cells: _Texts, unsure: NDArray[np.intp], figures: NDArray[np.intp], real: NDArray[np.float64]
) -> tuple[str, str]:
    """The sign by the sizes of numbers: grouped ones all at least a thousand, plain ones beside them all below."""
    signs = {cells.readings[at].group for at in unsure.tolist()}
    if len(signs) != 1:
        return "", ""
    (group,) = signs
    grouped = np.abs(cells.point if group == "," else cells.comma)[unsure]
    decimals = np.abs(cells.comma if group == "," else cells.point)[unsure]
    others = np.setdiff1d(figures, unsure)
    if len(others) and _is_year(cells.point[others[0]]) and cells.rows[others[0]] < cells.rows[unsure].min():
        others = others[1:]  # it heads the column
    plain = np.abs(np.concatenate((cells.point[others], real[~np.isnan(real)])))
    plain = plain[~np.isnan(plain)]
    sign = "." if group == "," else ","
    if len(plain) and (plain % 1 == 0).all() and (plain < 1000).all() and (grouped >= 1000).all():
        return sign, f"numbers below 1,000 are written plainly and larger ones with {group!r} between groups of three"
    if len(plain) >= 3:
        low, high = plain.min() / 3, plain.max() * 3
        as_grouped, as_decimals = ((low <= one) & (one <= high) for one in (grouped, decimals))
        if as_grouped.all() and not as_decimals.any():
            return sign, "only as thousands are they of the size of the plain numbers beside them"
        if as_decimals.all() and not as_grouped.any():
            return group, "only as decimals are they of the size of the plain numbers beside them"
    return "", ""


def _is_year(number: float) -> bool:
    return bool(number % 1 == 0 and 1800 <= number <= 2150)


def _settle_rest(
    left: Sequence[int], decimals: dict[int, str], whys: dict[int, str], hints: Hints, texts: Sequence[str]
) -> None:
    known = set(decimals.values()) - {"?"}
    open_ = left and not known and not hints.assumed and hints.delimiter != ","
    spoken = (hints.spoken or decimal_sign(texts)) if open_ else ""
    for column in left:
        if hints.delimiter == ",":
            decimals[column], whys[column] = ".", "commas part the cells of this file, so none is a decimal comma"
        elif len(known) == 1:
            decimals[column] = next(iter(known))
            whys[column] = f"the sheet's other columns have a decimal {_SIGNS[decimals[column]]}"
        elif hints.assumed:
            decimals[column], whys[column] = hints.assumed, f"tried with a decimal {_SIGNS[hints.assumed]}"
        elif spoken:
            decimals[column], whys[column] = spoken, f"the language of its words has a decimal {_SIGNS[spoken]}"
        else:
            decimals[column] = "?"


def _keys(texts: Sequence[str]) -> dict[str, str]:
    """Signs that some text explains ("x = not recorded; p = provisional"), with what it says of each."""
    found: dict[str, str] = {}
    for text in texts:
        if len(text) >= _SHORTEST_KEY and _may_explain(text):
            for sign, said in read_key(text):
                found.setdefault(sign, said)
    return found


def _legend(texts: Sequence[str], numbers: NDArray[np.object_], found: dict[str, str]) -> dict[str, str]:
    """The signs of a key that stand in cells as they are, or behind a figure."""
    if not found:
        return found
    seen = {text.strip() for text in texts if len(text) <= _LONGEST_SIGN}
    ends = {reading.unit for text in seen if (reading := read_text(text)).unit}
    if any(map(is_number, found)):
        seen |= {f"{number:.15g}" for number in set(numbers.tolist())}
    return {sign: said for sign, said in found.items() if sign in seen or sign in ends}


def _may_explain(text: str) -> bool:
    return (
        any(sign in text for sign in ("=", ":", "–", "—", " means ", "alues of "))
        or text.lstrip()[0] in "-.…*▲△▼▽↑↓↗↘→"
    )


__all__ = ["MISSING_MARKS", "Hints", "Readings", "read_cells"]
