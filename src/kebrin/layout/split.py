"""Where a block's body begins: the row below the boxhead and the column right of the stub.

Each cell is words, data or blank. Every candidate corner divides the sheet into boxhead, stub and body, and is scored
by how well the cells suit the region they fall in; two-dimensional prefix sums make a candidate cost four look-ups.
Years, dates and running numbers in a heading row or a label column are data by kind and words by use, so they are
recognised first.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Look, Sheet, column_letters
from kebrin.cells.arithmetic import places_of
from kebrin.grammar.periods import period_name
from kebrin.grammar.series import are_ranges, run_of_series
from kebrin.grammar.words import (
    are_units,
    average_word,
    is_unit,
    names_a_key,
    period_range,
    says_note,
    says_whole,
    total_word,
)

if TYPE_CHECKING:
    from numpy.typing import NDArray

_MOST_ROWS, _MOST_COLUMNS = 200, 24
_BLANK, _WORDS, _DATA = 0, 1, 2
# Rows at the top that may be headings; headings that make a series; whole numbers that make a key by going up.
_TOP_ROWS, _FEWEST_RISING = 30, 5
# So many of the cells below sailings are times.
_MOSTLY_TIMED = 0.6
# Notes are numbered up to here.
_MOST_NOTES = 60
#: Whole numbers between these may be years.
FIRST_YEAR, LAST_YEAR = 1800, 2150
# How well a cell suits its region: (words, data).
_IN_BODY, _IN_BOXHEAD, _IN_STUB = (-1.5, 1.0), (0.3, -0.6), (0.6, -0.4)


@dataclass(frozen=True)
class Split:
    """The body's first row and column, with the reasons."""

    row: int
    column: int
    sure: float
    why: tuple[str, ...] = ()


def find_split(
    sheet: Sheet,
    rows: NDArray[np.intp],
    columns: NDArray[np.intp],
    *,
    after_row: int = -1,
    depth: int | None = None,
    width: int = 0,
) -> Split | None:
    """The likeliest corner of the body among non-blank rows and columns, or None if there is no data.

    Args:
        sheet: the sheet.
        rows: its rows in play, ascending.
        columns: its columns in play, ascending.
        after_row: the body begins below this row.
        depth: how many rows of headings are stated, if any are; 0 for a block without a boxhead.
        width: label columns that are stated to stand left of the body.
    """
    use, why = _use(sheet, rows, columns)
    if not (use == _DATA).any() or (depth is None and _marks_alone(sheet, rows, columns, use)):
        return None
    words, data = _prefix(use == _WORDS), _prefix(use == _DATA)
    scores = _scores(words, data, min(len(rows), _MOST_ROWS), min(len(columns), _MOST_COLUMNS))
    allowed = (use[: len(scores)] == _DATA).any(axis=1) & (rows[: len(scores)] > after_row)
    if depth != 0 and len(rows) > 1 and after_row < 0:
        allowed[0] = False  # the first row of all heads the rest
    if not allowed.any():
        return None
    scores[~allowed] = -np.inf
    scores[:, : min(width, scores.shape[1] - 1)] = -np.inf
    row, column = (int(at) for at in np.unravel_index(int(scores.argmax()), scores.shape))
    score = float(scores[row, column])
    scores[row], scores[:, column] = -np.inf, -np.inf
    rival = float(scores.max())
    sure = 1.0 if score > 0 and rival < 0.98 * score else 0.7
    return Split(int(rows[row]), int(columns[column]), sure, why)


def _marks_alone(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], use: NDArray[np.int8]) -> bool:
    """Whether all that could be a body are a few marks for no value among words: these show where no body begins."""
    there = use == _DATA
    looks = sheet.looks[np.ix_(rows, columns)][there]
    return bool((looks == Look.MISSING).all()) and 2 * int(there.sum()) < int((use != _BLANK).sum())


def _prefix(marks: NDArray[np.bool_]) -> NDArray[np.int64]:
    sums = np.zeros((marks.shape[0] + 1, marks.shape[1] + 1), np.int64)
    np.cumsum(np.cumsum(marks, axis=0, dtype=np.int64), axis=1, out=sums[1:, 1:])
    return sums


def _scores(words: NDArray[np.int64], data: NDArray[np.int64], rows: int, columns: int) -> NDArray[np.float64]:
    """How well the cells suit their regions, for each candidate corner (rows x columns)."""
    scores = np.zeros((rows, columns))
    for counts, place in ((words, 0), (data, 1)):
        head = counts[:rows, :columns]
        stub = counts[-1:, :columns] - head
        body = counts[-1, -1] - counts[:rows, -1:] - stub
        above = counts[:rows, -1:] - head
        scores += body * _IN_BODY[place] + above * _IN_BOXHEAD[place] + stub * _IN_STUB[place]
    return scores


def _use(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> tuple[NDArray[np.int8], tuple[str, ...]]:
    """Words, data or blank for each cell in play, labels that are numbers counted as words."""
    data = sheet.data[np.ix_(rows, columns)]
    filled = sheet.filled[np.ix_(rows, columns)]
    use = np.where(data, _DATA, np.where(filled, _WORDS, _BLANK)).astype(np.int8)
    why: list[str] = []
    told = "holds years, dates or running numbers, as headings do"
    _lone_titles(sheet, use, rows, columns)
    why += [f"row {rows[row] + 1} {told}" for row in _heading_rows(sheet, use, rows, columns)]
    series = _period_row(sheet, use, rows, columns)
    for column in series.columns:
        # A column that a period heads beside others is one of the body, whatever it says.
        below = use[series.body :, column]
        below[below == _WORDS] = _DATA
    for column in _label_columns(sheet, use, rows, columns, series):
        use[:, column][use[:, column] == _DATA] = _WORDS
        why.append(
            f"column {column_letters(int(columns[column]))} holds years, dates, times or running numbers, as labels do"
        )
    return use, tuple(why)


@dataclass(frozen=True)
class _Series:
    """A row of headings that go on from one another, as periods do.

    The columns (by their place) that they head, the first row of figures below, and whether they are ranges.
    """

    row: int = -1
    columns: tuple[int, ...] = ()
    body: int = 0
    ranges: bool = False


def _period_row(sheet: Sheet, use: NDArray[np.int8], rows: NDArray[np.intp], columns: NDArray[np.intp]) -> _Series:
    """The lowest row of headings in a series above the first figures that are no headings."""
    found = _Series()
    for row in range(min(len(rows) - 1, _TOP_ROWS)):
        if (use[row] == _DATA).sum() > 1:
            break
        texts = {at: sheet.text(int(rows[row]), int(columns[at])) for at in np.flatnonzero(use[row] == _WORDS).tolist()}
        plain = [at for at, text in texts.items() if not total_word(text) and not average_word(text)]
        if own := run_of_series([texts[at] for at in plain]):
            inner = plain[own]
            found = _Series(row, tuple(inner), ranges=are_ranges([texts[at] for at in inner]))
    under = list(found.columns)
    below = use[found.row + 1 :, under]
    for at in np.flatnonzero(below.any(axis=1)).tolist():
        said = {sheet.text(int(rows[found.row + 1 + at]), int(column)) for column in columns[under]}
        if (below[at] == _DATA).any():
            return replace(found, body=found.row + 1 + at)
        if len(said) > 1 and not are_units(said):
            break  # headings below it are words throughout: then it heads groups of columns
    return _Series()


def _lone_titles(sheet: Sheet, use: NDArray[np.int8], rows: NDArray[np.intp], columns: NDArray[np.intp]) -> None:
    """Count a year or a date that stands alone above the headings as words."""
    for row in range(min(len(rows) - 1, _TOP_ROWS)):
        at = np.flatnonzero(use[row])
        if len(at) > 1:
            return
        if len(at) == 1 and use[row, at[0]] == _DATA:
            text = sheet.text(int(rows[row]), int(columns[at[0]]))
            if at[0] == 0 and period_name([text]) and (use[row + 1] == _WORDS).sum() > 1:
                use[row, at[0]] = _WORDS


def _heading_rows(sheet: Sheet, use: NDArray[np.int8], rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[int]:
    """The rows at the top whose numbers are headings, marked as words; the first row of real data ends the search."""
    heads: list[int] = []
    for row in range(min(len(rows) - 1, 30)):
        at = np.flatnonzero(use[row] == _DATA)
        if len(at) == 1 and lone_year(sheet, int(rows[row]), int(columns[at[0]]), rows[row + 1 :], use[row:]) is True:
            heads.append(row)
            use[row][at] = _WORDS
            break
        if len(at) < 2:
            continue
        cells = [(int(rows[row]), int(columns[column])) for column in at]
        if _tied_to_headings(sheet, use, rows, columns, row):
            heads.append(row)
            use[row][at] = _WORDS
            continue
        if _over_times(sheet, cells, rows[row + 1 :]):
            heads.append(row)
            use[row][at] = _WORDS
            continue
        headed = row > 0 and (use[row - 1][at] == _WORDS).sum() * 2 > len(at)
        named = headed and _tell_apart(sheet, [(int(rows[row - 1]), column) for _, column in cells])
        if named and not _speaks_of_columns(sheet, cells, use[row]):
            break  # the words above are headings enough
        labels = are_labels(sheet, cells, running=not headed) or (
            named and _is_one_year(sheet, cells, int(rows[row - 1]))
        )
        if not labels or _goes_on(sheet, cells, int(rows[row + 1])):
            break
        heads.append(row)
        use[row][at] = _WORDS
    return heads


def _tied_to_headings(
    sheet: Sheet, use: NDArray[np.int8], rows: NDArray[np.intp], columns: NDArray[np.intp], row: int
) -> bool:
    """Whether headings of the row above are merged down over this row: then it heads the body too, whatever it says.

    The row above heads each of its figures and holds none: a label that is merged over its records begins on one of them.
    """
    above = int(rows[row - 1]) if row else -1
    if above < 0 or (use[row - 1] == _WORDS).sum() < 2 or (use[row - 1] == _DATA).any():
        return False
    spans = [area for area in sheet.merges if area.top <= above <= area.bottom]
    headed = [
        sheet.filled[above, column] or any(area.holds(above, column) for area in spans)
        for column in columns[use[row] == _DATA].tolist()
    ]
    return all(headed) and any(
        area.top == above and area.bottom >= rows[row] and area.left in columns and sheet.filled[area.top, area.left]
        for area in sheet.merges
    )


def _over_times(sheet: Sheet, cells: list[tuple[int, int]], below: NDArray[np.intp]) -> bool:
    """Whether a row of whole numbers stands over times of day: numbers of sailings, which head them."""
    columns = np.array([column for _, column in cells], np.intp)
    numbers = np.array([sheet.numbers[at] for at in cells])
    if np.isnan(numbers).any() or (numbers % 1 != 0).any() or not len(below):
        return False
    under = np.ix_(below, columns)
    timed = (sheet.kinds[under] == Kind.TIME) | (sheet.data[under] & (sheet.looks[under] == Look.WORDS))
    timed |= sheet.looks[under] == Look.MISSING
    plain = bool(np.isnan(sheet.numbers[under]).all()) and bool(timed.any(axis=0).all())
    return plain and float(timed[sheet.filled[under]].mean()) >= _MOSTLY_TIMED


def _is_one_year(sheet: Sheet, cells: list[tuple[int, int]], above: int) -> bool:
    """Whether a row says the same year over and over, below headings that name months or quarters."""
    numbers = {float(sheet.numbers[cell]) for cell in cells}
    year = numbers.pop()
    same = not numbers and FIRST_YEAR <= year <= LAST_YEAR and year % 1 == 0
    return same and period_name([sheet.text(above, column) for _, column in cells]) in {"month", "quarter"}


def lone_year(
    sheet: Sheet, row: int, column: int, below: NDArray[np.intp], use: NDArray[np.int8] | None = None
) -> bool | None:
    """Whether a single year over a single column of figures heads it; None if it may as well be one of them.

    A word must stand beside it, and figures below; none of them may be as large as a year.
    """
    if use is not None and ((use == _DATA).any(axis=0).sum() != 1 or not (use[0] == _WORDS).any()):
        return False
    numbers = sheet.numbers[below, column]
    numbers = np.abs(numbers[~np.isnan(numbers)])
    year = sheet.numbers[row, column]
    if len(numbers) < 2 or sheet.kinds[row, column] == Kind.DATE or not FIRST_YEAR <= year <= LAST_YEAR or year % 1:
        return False
    return True if (numbers < FIRST_YEAR).all() else None


def _tell_apart(sheet: Sheet, cells: list[tuple[int, int]]) -> bool:
    """Whether cells all bear texts of their own."""
    texts = [sheet.text(*at) for at in cells]
    return all(texts) and len(set(texts)) == len(texts)


def _speaks_of_columns(sheet: Sheet, cells: list[tuple[int, int]], use: NDArray[np.int8]) -> bool:
    """Whether a row is all dates, or years without a label: below headings it is one more row of them."""
    if all(sheet.kinds[at] == Kind.DATE for at in cells):
        return True
    numbers = np.array([sheet.numbers[at] for at in cells])
    return not (use == _WORDS).any() and bool(
        ((numbers >= FIRST_YEAR) & (numbers <= LAST_YEAR) & (numbers % 1 == 0)).all()
    )


def _goes_on(sheet: Sheet, cells: list[tuple[int, int]], below: int) -> bool:
    """Whether the row below holds years or dates too: then both are figures, and no row heads the other."""
    under = [(below, column) for _, column in cells if sheet.filled[below, column]]
    if not under:
        return False
    if sheet.kinds[cells[0]] == Kind.DATE:
        return all(sheet.kinds[at] == Kind.DATE for at in under)
    numbers = np.array([sheet.numbers[at] for at in under])
    return bool(((numbers >= FIRST_YEAR) & (numbers <= LAST_YEAR) & (numbers % 1 == 0)).all())


def _label_columns(
    sheet: Sheet, use: NDArray[np.int8], rows: NDArray[np.intp], columns: NDArray[np.intp], series: _Series
) -> list[int]:
    """The columns at the left whose numbers are labels; the first column of real data ends the search."""
    labels: list[int] = []
    for column in range(min(len(columns) - 1, 6)):
        at = np.flatnonzero(use[:, column] == _DATA)
        if len(at) < 2:
            continue
        cells = [(int(rows[row]), int(columns[column])) for row in at]
        # A running number stands at the very left; further in, 1, 2, 3 may well be figures.
        if not are_labels(sheet, cells, running=column == 0, times=True) and not _named_as_labels(
            sheet, use, rows, columns, column, series
        ):
            break
        if _same_kind_beside(sheet, cells, int(columns[column + 1])):
            break
        labels.append(column)
    return labels


def _named_as_labels(
    sheet: Sheet, use: NDArray[np.int8], rows: NDArray[np.intp], columns: NDArray[np.intp], column: int, series: _Series
) -> bool:
    """Whether figures are labels by their heading.

    It stands before headings that are a series without it, or names a key or a period while others do not; or the figures are
    whole, stand first and go up all the way.
    """
    at = np.flatnonzero(use[:, column] == _DATA)
    numbers = sheet.numbers[rows[at], columns[column]]
    if column in series.columns or np.isnan(numbers).any():
        return False
    above = np.flatnonzero(use[: at[0], column] == _WORDS)
    heads = [sheet.text(int(rows[above[-1]]), int(other)) if len(above) else "" for other in columns]
    head = heads[column]
    # A total may stand before what it sums.
    plain = bool(head) and not total_word(head) and not says_whole(head)
    ahead = plain and bool(series.columns) and column < min(series.columns) and above[-1] <= series.row
    if ahead and _labels_series(sheet, rows[at], columns, column, series):
        return True
    if (numbers % 1 != 0).any():
        return False
    if plain and says_note(head):
        return bool((numbers <= _MOST_NOTES).all())
    if column + 1 < len(columns) and heads.count(head) == 1 and _heads_keys(head, numbers, first=column == 0):
        return True
    return column == 0 and len(numbers) >= _FEWEST_RISING and bool((np.diff(numbers) > 0).all()) and len(columns) > 1


def _heads_keys(head: str, numbers: NDArray[np.float64], *, first: bool) -> bool:
    """Whether a heading says that whole numbers below it are keys, or periods that they may be."""
    if names_a_key(head) and not is_unit(head):
        return True
    within = period_range(head)
    told = first or bool((np.diff(numbers) >= 0).all()) or len(set(numbers.tolist())) * 2 <= len(numbers)
    return bool(within and told and ((numbers >= within[0]) & (numbers <= within[1])).all())


def _labels_series(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], column: int, series: _Series
) -> bool:
    """Whether figures that stand before a series say something of their row, and are neither its sum nor one of its terms.

    What a total sums with the series is one of them: "Current" before "31-60" and "61-90". So are figures before ranges, if they
    are written as those are.
    """
    own = sheet.numbers[rows, columns[column]]
    inner = sheet.numbers[np.ix_(rows, columns[list(series.columns)])]
    parts = np.nan_to_num(inner).sum(axis=1)
    slack = 1e-6 * np.maximum(np.abs(parts), 1.0)
    behind = [at for at in range(len(columns)) if at != column and at not in series.columns]
    totals = sheet.numbers[np.ix_(rows, columns[behind])].T
    if (np.abs(parts - own) <= slack).all() or (np.abs(totals - parts - own) <= slack).all(axis=1).any():
        return False
    plain = sheet.kinds[rows, columns[column]] == Kind.NUMBER
    return not (series.ranges and plain.any() and places_of(own) == places_of(inner[~np.isnan(inner)]))


def _same_kind_beside(sheet: Sheet, cells: list[tuple[int, int]], beside: int) -> bool:
    """Whether the next column holds dates, or times, as this one does: then both are figures."""
    kinds = {int(sheet.kinds[row, beside]) for row, _ in cells if sheet.filled[row, beside]}
    return sheet.kinds[cells[0]] in {Kind.DATE, Kind.TIME} and kinds == {int(sheet.kinds[cells[0]])}


def are_labels(sheet: Sheet, cells: list[tuple[int, int]], *, running: bool, times: bool = False) -> bool:
    """Whether numbers look like labels: years, dates, times of day or (if asked) a running number."""
    if len(cells) < 2:
        return False
    at = tuple(np.array(cells).T)
    kinds = sheet.kinds[at]
    if (kinds == Kind.DATE).all():
        return True
    if times and (kinds == Kind.TIME).all():
        return True
    numbers = sheet.numbers[at]
    if np.isnan(numbers).any() or (numbers % 1 != 0).any():
        return False
    steps = np.diff(numbers)
    if ((numbers >= FIRST_YEAR) & (numbers <= LAST_YEAR)).all():
        distinct = len(set(numbers.tolist()))
        return bool((steps > 0).all() or (steps < 0).all() or 1 < distinct <= len(numbers) / 2)
    # A running number may begin anew in every section.
    again = (numbers[1:] == numbers[0]) & (len(numbers) >= _FEWEST_RISING)
    return running and len(numbers) >= 3 and bool(((steps == 1) | again).all()) and bool((steps == 1).any())
