"""Whether a boxhead row holds measures of unlike kinds (count and money, say) and not values of one dimension."""

from __future__ import annotations

import re
from itertools import combinations, permutations
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Look, Sheet
from kebrin.grammar.periods import period_name
from kebrin.grammar.reading import bears_currency
from kebrin.grammar.words import YEARS, leading_zero, says_difference, says_money, total_word

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from numpy.typing import NDArray

    from kebrin.layout.model import Level

_MOST_MEASURES = 12
# Figures written in unlike ways tell more of them apart: no crosstab writes each of its columns in a way of its own.
_MOST_WRITTEN = 60
_SAMPLE_ROWS, _LOOKED_AT = 3, 200
# A balance is kept by so many columns, over so many rows; a total line between may break it.
_FEWEST_KEPT, _MOSTLY_KEPT = 3, 0.9
_PERCENT = re.compile(r"%|\bper ?cent\b|\bpct\b", re.IGNORECASE)


def unlike_level(sheet: Sheet, rows: NDArray[np.intp], levels: Sequence[Level], columns: NDArray[np.intp]) -> str:
    """The name of the boxhead row whose labels tell values of unlike kinds apart, innermost first; '' if none does.

    A row of years or months never does: periods are no measures.

    A column's kind is that of its cells (number, text, date, ...), its number format (money, percent, plain) and the
    unit in its label.
    """
    if not len(rows):
        return ""
    if own := _level_kept_by(keeps_balance, sheet, rows, levels, columns):
        return own
    # Of months beside what was used in all of them only the last column is a difference.
    periods = [text for level in levels[-1:] for text in level.texts if period_name([text])]
    if len(periods) < 2 and (own := _level_kept_by(states_difference, sheet, rows, levels, columns)):
        return own
    counts = _counts(sheet, rows, columns)
    for level in reversed(levels):
        if not 2 <= len(level.texts) <= _MOST_WRITTEN or (level.codes < 0).any() or period_name(list(level.texts)):
            continue
        groups = [np.flatnonzero(level.codes == code) for code in range(len(level.texts))]
        kinds = (
            []
            if len(level.texts) > _MOST_MEASURES
            else [
                _kind(sheet, rows, columns[group], text, counts[:, group].sum(axis=1))
                for group, text in zip(groups, level.texts, strict=True)
            ]
        )
        if len({kind for kind in kinds if kind}) > 1 or _written_unlike(
            sheet, rows, [columns[group] for group in groups]
        ):
            return level.name
    return ""


def keeps_balance(numbers: NDArray[np.float64], heads: Sequence[str] = ()) -> bool:
    """Whether some column keeps the balance of two others, whatever their headings say; see `balance_of`."""
    del heads
    return balance_of(numbers) >= 0


def balance_of(numbers: NDArray[np.float64]) -> int:
    """The column that keeps the balance of two others, -1 if none does: each row adds one to what stood before, takes the other.

    What was paid in, what was paid out and what is left are three things, whatever their figures look like.

    Args:
        numbers: float64 (rows x columns), NaN where a cell holds no number.

    >>> balance_of(np.array([[np.nan, np.nan, 10], [5, np.nan, 15], [np.nan, 3, 12], [1, np.nan, 13]]))
    2
    >>> balance_of(np.array([[1, 2, 3.0], [4, 5, 9], [6, 7, 13], [2, 2, 4]]))
    -1
    """
    count = numbers.shape[1]
    if count < _FEWEST_KEPT or count > _MOST_MEASURES:
        return -1
    filled = np.nan_to_num(numbers)
    for kept in range(count):
        rows = np.flatnonzero(~np.isnan(numbers[:, kept]))
        # A row with nothing but a balance begins an account.
        goes_on = np.asarray(~np.isnan(np.delete(numbers[rows], kept, axis=1)).all(axis=1))[1:]
        if goes_on.sum() < _FEWEST_KEPT:
            continue
        steps, rest = np.diff(filled[rows, kept])[goes_on], rows[1:][goes_on]
        for more, less in permutations([at for at in range(count) if at != kept], 2):
            added, taken = filled[rest, more], filled[rest, less]
            ties = np.abs(steps - added + taken) <= 1e-6 * np.maximum(np.abs(filled[rest, kept]), 1.0)
            # Something is paid in or paid out: figures in both on every row tie by chance where they rise evenly.
            either = ((added != 0) ^ (taken != 0)).mean() >= _MOSTLY_KEPT and added.any() and taken.any()
            if either and ties.mean() >= _MOSTLY_KEPT:
                return kept
    return -1


def states_balance(numbers: NDArray[np.float64], line: int, balance: int, *, begins: bool) -> bool:
    """Whether a row states a balance and nothing else: the one that an account begins with, or the last above it again.

    Args:
        numbers: float64 (rows x columns), NaN where a cell holds no number.
        line: the row.
        balance: the column that keeps the balance, -1 if none does.
        begins: whether an account begins with the row.

    >>> states_balance(np.array([[np.nan, np.nan, 10], [5, np.nan, 15], [np.nan, np.nan, 15]]), 2, 2, begins=False)
    True
    """
    if balance < 0 or np.flatnonzero(~np.isnan(numbers[line])).tolist() != [balance]:
        return False
    above = numbers[:line, balance]
    above = above[~np.isnan(above)]
    return begins or (len(above) > 0 and bool(above[-1] == numbers[line, balance]))


def states_difference(numbers: NDArray[np.float64], heads: Sequence[str]) -> bool:
    """Whether one column of three is a difference of the two others: what was, what is, and what lies between.

    On every row one is the sum of two others. A sum of parts stands before them or behind them: where it stands between, or a
    heading speaks of a difference, the three are no values of one dimension. So are a meter read before, read now, and what was
    used; births, deaths and what is left.

    Args:
        numbers: float64 (rows x columns), NaN where a cell holds no number.
        heads: the heading of each column.

    >>> states_difference(np.array([[10, 12, 2.0], [7, 7, 0], [5, 14, 9]]), ["Before", "Now", "Used"])
    True
    >>> sums = np.array([[12, 10, 2.0], [7, 7, 0], [14, 5, 9]])
    >>> states_difference(sums, ["All", "Men", "Women"]), states_difference(sums, ["Came", "Went", "Net"])
    (False, True)
    """
    count = numbers.shape[1]
    if not _FEWEST_KEPT <= count <= _MOST_MEASURES:
        return False
    said = [says_difference(head) and not total_word(head) for head in heads]
    return any(
        (one < whole < other or said[one] or said[whole] or said[other]) and _are_sums(numbers[:, (whole, one, other)])
        for whole in range(count)
        for one, other in combinations([at for at in range(count) if at != whole], 2)
    )


def _are_sums(numbers: NDArray[np.float64]) -> bool:
    """Whether the first of three columns is the sum of the others on every row, of several, that states all of them."""
    if len(numbers) > _LOOKED_AT and not _are_sums(numbers[:_LOOKED_AT]):
        return False  # most columns are told apart by their first rows
    own = numbers[~np.isnan(numbers).any(axis=1)]
    if len(own) < max(_FEWEST_KEPT, _MOSTLY_KEPT * len(numbers)) or not own.any(axis=0).all():
        return False
    off = np.abs(own[:, 0] - own[:, 1] - own[:, 2])
    return bool((off <= 1e-9 * np.maximum(np.abs(own).sum(axis=1), 1.0)).all())


def _level_kept_by(
    shows: Callable[[NDArray[np.float64], Sequence[str]], bool], sheet: Sheet, rows: NDArray[np.intp], levels: Sequence[Level],
    columns: NDArray[np.intp],
) -> str:  # fmt: skip
    """The innermost level of headings, if the columns under one heading outside it show measures by their figures; ''."""
    if not levels or not _FEWEST_KEPT <= len(levels[-1].texts) <= _MOST_MEASURES:
        return ""
    outer = list(zip(*(level.codes.tolist() for level in levels[:-1]), strict=True)) or [()] * len(columns)
    groups = [[at for at, one in enumerate(outer) if one == key] for key in dict.fromkeys(outer)]
    heads = levels[-1].labels()
    return (
        levels[-1].name
        if any(shows(sheet.numbers[np.ix_(rows, columns[own])], [heads[at] or "" for at in own]) for own in groups)
        else ""
    )


def _written_unlike(sheet: Sheet, rows: NDArray[np.intp], groups: Sequence[NDArray[np.intp]]) -> bool:
    """Whether a text writes each kind of figure with as many decimals throughout, and not all kinds with as many.

    What writes "1,000.00" writes money beside minutes; a text that drops zeros at the end shows nothing.
    """
    if not sheet.textual or len(rows) < _SAMPLE_ROWS:
        return False
    found: set[int] = set()
    for columns in groups:
        at = np.ix_(rows, columns)
        figures = sheet.values[at][(sheet.kinds[at] == Kind.TEXT) & ~np.isnan(sheet.numbers[at])]
        sign = sheet.readings.decimals.get(int(columns[0]), ".")
        places = {len(str(text).strip().rpartition(sign)[2]) if sign in str(text) else 0 for text in figures.tolist()}
        if len(figures) < _SAMPLE_ROWS or len(places) != 1:
            return False
        found |= places
    return len(found) > 1


def _counts(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> NDArray[np.int64]:
    """Cells of each kind (kinds x columns); texts that are figures count as numbers, missing marks as nothing."""
    cells = np.ix_(rows, columns)
    kinds, looks = sheet.kinds[cells], sheet.looks[cells]
    if (kinds == Kind.TEXT).any():
        figures = (kinds == Kind.TEXT) & (looks != Look.WORDS)
        kinds[figures] = Kind.NUMBER
        kinds[looks == Look.MISSING] = Kind.BLANK
    kinds[kinds == Kind.ERROR] = Kind.BLANK
    return np.stack([np.count_nonzero(kinds == kind, axis=0) for kind in Kind])


def _kind(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], label: str, counts: NDArray[np.int64]
) -> str:
    """The one kind of all cells under a label, '' if they are blank or mixed."""
    telling = counts[1:]
    if not telling.any() or telling.max() < 0.8 * telling.sum():
        return ""
    kind = Kind(int(telling.argmax()) + 1)
    return f"{kind.word} {_family(sheet, rows, columns, label)}" if kind == Kind.NUMBER else kind.word


def _has_leading_zeros(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether some figure is written as 007 is: then all of them are names, and no amounts."""
    at = np.ix_(rows, columns)
    figures = sheet.values[at][(sheet.kinds[at] == Kind.TEXT) & (sheet.looks[at] == Look.FIGURE)]
    return any(leading_zero(str(text)) for text in figures.tolist())


def _are_years(numbers: NDArray[np.float64]) -> bool:
    known = numbers[~np.isnan(numbers)]
    return bool(len(known) and ((known >= 1700) & (known <= 2200) & (known % 1 == 0)).all())


def _written(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> str:
    """What the figures of a text are written as: all as percentages, all as money, or plain."""
    at = np.ix_(rows, columns)
    figures = sheet.values[at][(sheet.kinds[at] == Kind.TEXT) & ~np.isnan(sheet.numbers[at])].tolist()
    if figures and all("%" in text for text in figures):
        return "percent"
    return "money" if figures and all(map(bears_currency, figures)) else "plain"


def _family(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], label: str) -> str:
    if bears_currency(label) or says_money(label):
        return "money"
    if _PERCENT.search(label):
        return "percent"
    if _has_leading_zeros(sheet, rows, columns):
        return "identifier"
    if YEARS.search(label) and _are_years(sheet.numbers[np.ix_(rows, columns)]):
        return "year"
    if sheet.textual:
        return _written(sheet, rows, columns)
    sample = rows[:_SAMPLE_ROWS]
    formats = sheet.formats(int(sample[-1]) + 1)
    families = {formats.family(int(row), int(column)) for row in sample for column in columns[:_SAMPLE_ROWS]}
    return families.pop() if len(families) == 1 else "plain"
