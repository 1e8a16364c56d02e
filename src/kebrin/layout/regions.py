"""Regions: which rows and columns of a sheet belong to which block, when there are several.

Blocks stand below one another where a row of headings follows data, and beside one another where a gap is followed by
a label column of its own. Headings that are said again (pasted-together files, page breaks) start no new block: such
rows are repeats.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import look_of, names_a_key, says_rank, without_continued
from kebrin.layout.again import Again, holds_fields, lines_of_its_own
from kebrin.layout.page_lines import counting_lines, page_lines
from kebrin.layout.titled import heads_a_list

if TYPE_CHECKING:
    from numpy.typing import NDArray

# A heading row has at least this many words beside the label column.
_HEADINGS = 2
_REACH = 5
# So many of the labels behind a gap must differ for them to name rows of their own.
_OWN_NAMES = 0.9
# Years that head columns are apart by no more.
_LONGEST_STEP = 10
# Sheets of no more columns are looked at for tables of two.
_NARROW = 3
# A table has so many rows, headings among them.
_FEWEST_ROWS = 3
# So many rows of a label and a figure follow the headings of such a table.
_FEWEST_PAIRS = 2


@dataclass(frozen=True, eq=False)
class Region:
    """The rows and columns that one block lies in, titles above it included.

    `repeats` are headings said again, `pages` the lines that only say which page this is, or repeat the title.
    """

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    repeats: tuple[int, ...] = ()
    pages: tuple[int, ...] = ()


# So many rows above a row are compared with it.
_LOOKED_BACK = 50


def find_regions(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[Region]:
    """The regions of a sheet in reading order; one if there is nothing to part.

    Args:
        sheet: the sheet.
        rows: its rows in play, ascending.
        columns: its columns in play, ascending.

    >>> sheet = Sheet.of([["Quay", "Jan", "Feb"], ["East", 1, 2], ["Vessel", "Foot", "Cars"], ["Gull", 3, 4]])
    >>> [region.rows.tolist() for region in find_regions(sheet, np.arange(4), np.arange(3))]
    [[0, 1], [2, 3]]
    """
    regions: list[Region] = []
    for whole in _askew(sheet, Region(rows, columns)):
        for part in _beside(sheet, whole):
            regions += _stacked(sheet, part.rows, part.columns)
    return regions


def _askew(sheet: Sheet, whole: Region) -> list[Region]:
    """Parts of which one begins below and right of where the other ends: no row and no column holds anything of both."""
    rows, columns = whole.rows, whole.columns
    if len(columns) < 2 * _HEADINGS or len(rows) < 2 * _FEWEST_ROWS:
        return [whole]
    filled = sheet.filled[np.ix_(rows, columns)]
    for at in range(_HEADINGS, len(columns) - _HEADINGS + 1):
        left, right = np.flatnonzero(filled[:, :at].any(axis=1)), np.flatnonzero(filled[:, at:].any(axis=1))
        if min(len(left), len(right)) >= _FEWEST_ROWS and left[-1] < right[0]:
            first, rest = Region(rows[: left[-1] + 1], columns[:at]), Region(rows[left[-1] + 1 :], columns[at:])
            if all(sheet.data[np.ix_(one.rows, one.columns)].any() for one in (first, rest)):
                return [first, *_askew(sheet, rest)]
    return [whole]


def _stacked(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[Region]:
    pages = (*page_lines(sheet, rows, columns), *counting_lines(sheet, rows, columns))
    rows = rows[~np.isin(rows, pages)] if pages else rows
    if not len(rows):
        return []  # nothing is said but which page it is
    data = sheet.data[np.ix_(rows, columns)].copy()
    words = sheet.filled[np.ix_(rows, columns)] & ~data
    heading = _heading_rows(words, data)
    heading |= _narrow_heads(sheet, rows, columns, words, data)
    _lone_periods(sheet, rows, columns, words, data, heading)
    for at in np.flatnonzero(heading).tolist():
        heading[at] = not holds_fields(sheet, int(rows[at]), columns)
    heading |= _year_rows(sheet, rows, columns, data)
    starts = [0]
    repeats: list[int] = []
    seen_data = False
    head: list[int] = []
    filled, figures, heads = (
        (words | data).sum(axis=1).tolist(),
        np.asarray(data.any(axis=1)).tolist(),
        heading.tolist(),
    )
    again = Again(sheet, rows, columns)
    for at in range(len(rows)):
        follows = at > 0 and (figures[at - 1] or (repeats and repeats[-1] == at - 1))
        said = seen_data and filled[at] > 1 and again.says(head, at)
        lines = lines_of_its_own(sheet, rows, columns, at, (starts[-1], head[0])) if said else 0
        if lines:
            starts.append(at - lines)
            head, seen_data = [at], False
        elif said and follows:
            repeats.append(at)
        elif seen_data and (
            (heads[at] and _heads_what_follows(at, words, data, heading))
            or (not figures[at] and heads_a_list(sheet, rows, columns, words, data, at))
        ):
            above = [one for one in range(max(max(head, default=-1) + 1, at - _LOOKED_BACK), at) if one not in repeats]
            if _like_those_above(sheet, rows[[*above, at]], columns):
                continue
            starts.append(_title_above(rows, words, data, at))
            head, seen_data = [at], False
        elif not seen_data and (heads[at] or (not head and _heads_first(sheet, rows, columns, words, data, at))):
            head.append(at)  # the first full row heads the rest, be it of dates or of numbers
        elif figures[at] and head:
            seen_data = True
    return [
        _region(rows, columns, start, stop, repeats, pages)
        for start, stop in zip(starts, [*starts[1:], len(rows)], strict=True)
    ]


def _lone_periods(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], words: NDArray[np.bool_], data: NDArray[np.bool_],
    heading: NDArray[np.bool_],
) -> None:  # fmt: skip
    """Count years and dates that stand alone on the row above a row of headings as words: they are titles."""
    for at in np.flatnonzero((data.sum(axis=1) == 1) & ~words.any(axis=1)).tolist():
        below = next((one for one in range(at + 1, min(at + 3, len(rows))) if (words[one] | data[one]).any()), -1)
        place = int(data[at].argmax())
        if below > 0 and heading[below] and period_name([sheet.text(int(rows[at]), int(columns[place]))]):
            data[at, place], words[at, place] = False, True


def _heads_first(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], words: NDArray[np.bool_], data: NDArray[np.bool_],
    at: int,
) -> bool:  # fmt: skip
    """Whether a row may head what comes first: it is full enough, or it says two words over rows of a label and a figure."""
    count = int((words[at] | data[at]).sum())
    below = slice(at + 1, at + 1 + _FEWEST_PAIRS)
    pair = count == _HEADINGS and not data[at].any() and at + _FEWEST_PAIRS < len(rows)
    over = pair and bool(((words[below] | data[below]) == words[at]).all() and (data[below].sum(axis=1) == 1).all())
    return (count > _HEADINGS or over) and not holds_fields(sheet, int(rows[at]), columns)


def _region(
    rows: NDArray[np.intp], columns: NDArray[np.intp], start: int, stop: int, repeats: list[int], pages: tuple[int, ...]
) -> Region:
    again = {at for at in repeats if start <= at < stop}
    kept = [at for at in range(start, stop) if at not in again]
    end = int(rows[stop]) if stop < len(rows) else sheet_end(pages, rows)
    own = tuple(page for page in pages if (page >= rows[start] or start == 0) and page < end)
    return Region(rows[kept], columns, tuple(int(rows[at]) for at in sorted(again)), own)


def sheet_end(pages: tuple[int, ...], rows: NDArray[np.intp]) -> int:
    """The row behind the last of some."""
    return max([*pages, int(rows[-1])]) + 1


def _heading_rows(words: NDArray[np.bool_], data: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Rows of words with hardly a figure among them."""
    beside = words[:, 1:].sum(axis=1) if words.shape[1] > 1 else np.zeros(len(words), np.intp)
    return np.asarray((beside >= _HEADINGS) & (data.sum(axis=1) * 3 <= beside))


def _narrow_heads(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], words: NDArray[np.bool_], data: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Rows of two words that each stand over figures, behind no figures: they head tables of two columns.

    They are said again, or all rows of two words are such, each the first behind a gap with nothing but labels and figures below:
    one such row alone may as well be a label and what it says.
    """
    found = np.zeros(len(rows), np.bool_)
    if words.shape[1] > _NARROW:
        return found
    said: dict[tuple[str, ...], list[int]] = {}
    for at in np.flatnonzero((words.sum(axis=1) == 2) & ~data.any(axis=1)).tolist():
        over = at + 1 < len(rows) and data[at + 1, words[at]].any()
        free = at == 0 or not data[at - 1].any() or rows[at] - rows[at - 1] > 1
        if over and free and not holds_fields(sheet, int(rows[at]), columns):
            said.setdefault(tuple(sheet.text(int(rows[at]), int(one)) for one in columns), []).append(at)
    for places in said.values():
        if len(places) > 1:
            found[places] = True
    every = sorted(at for places in said.values() for at in places)
    pairs = np.flatnonzero((words.sum(axis=1) == 2) & ~data.any(axis=1)).tolist()
    if len(every) > 1 and every == pairs and all(_heads_pairs(rows, words, data, at) for at in every):
        found[every] = True
    return found


def _heads_pairs(rows: NDArray[np.intp], words: NDArray[np.bool_], data: NDArray[np.bool_], at: int) -> bool:
    """Whether a row stands at the top or behind a gap, a title between them at most, and over rows of a label and a figure."""
    above = at - 1 if at and (words[at - 1] | data[at - 1]).sum() == 1 else at
    first = above == 0 or rows[above] - rows[above - 1] > 1 or not (words[above - 1] | data[above - 1]).any()
    below = (words[at + 1 : at + 1 + _FEWEST_PAIRS].sum(axis=1) == 1) & (
        data[at + 1 : at + 1 + _FEWEST_PAIRS].sum(axis=1) == 1
    )
    return bool(first and len(below) == _FEWEST_PAIRS and below.all())


def _year_rows(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], data: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """Rows whose figures are all years, amid rows whose figures are not.

    Figures may be of the size of years by chance: the years go by even steps, or the row stands by itself or bears no label, or
    the one of a row of headings.
    """
    numbers = sheet.numbers[np.ix_(rows, columns)]
    years = (numbers >= 1800) & (numbers <= 2150) & (numbers % 1 == 0)
    count = data.sum(axis=1)
    rows_of_years = (count >= _HEADINGS) & ((years & data).sum(axis=1) == count)
    after = np.append(rows_of_years[1:], False)
    before = np.insert(rows_of_years[:-1], 0, False)
    alone = np.asarray(rows_of_years & ~after & ~before)
    for at in np.flatnonzero(alone).tolist():
        own = numbers[at, data[at]]
        if not (
            _go_by_steps(own) or at == 0 or not count[at - 1] or _labelled_as_head(sheet, rows, columns, count, at)
        ):
            alone[at] = False
    return alone


def _go_by_steps(years: NDArray[np.float64]) -> bool:
    """Whether years follow one another by one step, a small one, or are said again in turn."""
    steps = np.diff(years)
    again = len(set(years.tolist())) * 2 <= len(years)
    return again or bool(len(set(steps.tolist())) == 1 and 0 < abs(steps[0]) <= _LONGEST_STEP)


def _labelled_as_head(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], count: NDArray[np.int64], at: int
) -> bool:
    """Whether a row bears no label, or the one that a row without figures bears too: the heading of the label column."""
    label = sheet.text(int(rows[at]), int(columns[0]))
    heads = {sheet.text(int(rows[other]), int(columns[0])) for other in np.flatnonzero(count[:at] == 0).tolist()}
    return not label or label in heads


def _heads_what_follows(at: int, words: NDArray[np.bool_], data: NDArray[np.bool_], heading: NDArray[np.bool_]) -> bool:
    """Whether figures stand below most of a row's words, before anything else does."""
    for below in range(at + 1, min(at + 1 + _REACH, len(words))):
        if heading[below]:
            continue
        if data[below].any():
            # A list has texts in its body too: most of what is filled there must be figures for a new head.
            under = data[below] & words[at]
            return bool(under.sum() * 2 >= words[at, 1:].sum() and data[below].sum() >= words[below, 1:].sum())
    return False


def _like_those_above(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether the last of some rows of one block is a row as the others are.

    Some word of it stands above it too, or looks as most of those above it do, figures in it; or it has a label of their kind,
    a date or a number, and says one word in place of all figures.

    >>> sheet = Sheet.of([["Gull 1", 4], ["Gull 2", 7], ["Gull 3", "?"], ["Vessel", "Crew"]])
    >>> _like_those_above(sheet, np.arange(3), np.arange(2)), _like_those_above(sheet, np.arange(4), np.arange(2))
    (True, False)
    >>> days = Sheet.of([[2029.0, 4, 7], [2030.0, "closed", "closed"]])
    >>> _like_those_above(days, np.arange(2), np.arange(3))
    True
    """
    *above, own = rows.tolist()
    words = columns[sheet.filled[own, columns] & ~sheet.data[own, columns]].tolist()
    first = int(columns[np.argmax(sheet.filled[own, columns])])
    alike = sheet.kinds[above, first] == sheet.kinds[own, first]
    labelled = first not in words and 2 * int(alike.sum()) > len(above)
    if labelled and len(words) > 1 and len({sheet.text(own, column) for column in words}) == 1:
        return True
    for column in words:
        text = sheet.text(own, column)
        others = [sheet.text(row, column) for row in above if sheet.filled[row, column] and not sheet.data[row, column]]
        if text in others:
            return True
        look = look_of(text)
        if "0" in look and others and 2 * sum(look_of(other) == look for other in others) > len(above):
            return True
    return False


def _title_above(rows: NDArray[np.intp], words: NDArray[np.bool_], data: NDArray[np.bool_], at: int) -> int:
    """The first row of what belongs to a heading row: further headings and titles above it, up to a gap or to data."""
    start = at
    while start > 0 and not data[start - 1].any():
        if rows[start] - rows[start - 1] > 1 and start != at and words[start - 1].sum() <= 1 and start - 1 > 0:
            break
        start -= 1
    return start


def _beside(sheet: Sheet, region: Region) -> list[Region]:
    """A region parted where a blank column is followed by a label column with data beyond it."""
    rows, columns = region.rows, region.columns
    cuts = [0]
    for at in range(2, len(columns) - 1):
        gap = sheet.gaps[1][columns[at]] > sheet.gaps[1][columns[at - 1]]
        if (
            (
                gap
                and (
                    _heads_figures(sheet, rows, columns, cuts[-1], at)
                    or _heads_words(sheet, rows, columns, cuts[-1], at)
                )
                and _is_block_of_its_own(sheet, rows, columns, cuts[-1], at)
            )
            or (gap and _same_labels_again(sheet, rows, columns, cuts[-1], at))
            or (
                not gap
                and (
                    _same_heads_again(sheet, rows, columns, cuts[-1], at)
                    or _other_heads(sheet, rows, columns, cuts[-1], at)
                )
            )
        ):
            cuts.append(at)
    if len(cuts) == 1:
        return [region]
    parts = [columns[first:last] for first, last in zip(cuts, [*cuts[1:], len(columns)], strict=True)]
    return [Region(_own_rows(sheet, rows, part), part) for part in parts]


def _heads_figures(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], first: int, at: int) -> bool:
    """Whether a label column with figures behind it follows figures."""
    return _is_label_column(sheet, rows, int(columns[at])) and _has_data(sheet, rows, columns[first:at])


def _heads_words(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], first: int, at: int) -> bool:
    """Whether two columns of words or more follow two or more: lists side by side."""
    behind = columns[at : at + 2]
    if at - first < _HEADINGS or len(behind) < _HEADINGS or sheet.gaps[1][behind[1]] > sheet.gaps[1][behind[0]]:
        return False
    several = sheet.filled[np.ix_(rows, behind)].sum(axis=0) > _HEADINGS
    return bool(several.all()) and not sheet.data[rows, columns[at]].any()


def _is_block_of_its_own(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], first: int, at: int) -> bool:
    """Whether what follows a gap is another block: its first column names rows of its own, or it has rows of its own.

    A column that says the same on several rows only goes on with the records before the gap.
    """
    left, right = sheet.filled[np.ix_(rows, columns[first:at])].any(axis=1), sheet.filled[rows, columns[at]]
    if (left != right).sum() > 1:
        return True
    # Headings, and labels that both sides have, are said again in blocks below one another.
    pairs = [(sheet.text(int(row), int(columns[first])), sheet.text(int(row), int(columns[at]))) for row in rows[right]]
    texts = [text for before, text in pairs if text != before]
    return len(set(texts)) >= _OWN_NAMES * len(texts)


def _own_rows(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> NDArray[np.intp]:
    return rows[sheet.filled[np.ix_(rows, columns)].any(axis=1)]


def _is_label_column(sheet: Sheet, rows: NDArray[np.intp], column: int) -> bool:
    """Whether a column holds words on at least two rows that hold data further right, and hardly any data."""
    right = sheet.data[rows, column + 1 : column + 12].any(axis=1)
    words = (sheet.kinds[rows, column] == Kind.TEXT) & ~sheet.data[rows, column]
    return int((words & right).sum()) >= 2 and int((words & right).sum()) >= 3 * int(sheet.data[rows, column].sum())


def _has_data(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    return bool(sheet.data[np.ix_(rows, columns)].any())


def _same_heads_again(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], first: int, at: int) -> bool:
    """Whether some row says the same from here on as from the block's first column on."""
    width = at - first
    # A rank or a number may stand before the labels.
    begins = [_is_label_column(sheet, rows, int(column)) for column in columns[at : at + 2]]
    if width < 2 or at + width > len(columns) or not any(begins):
        return False
    for row in rows[:12].tolist():
        left = [sheet.text(row, int(column)) for column in columns[first:at]]
        right = [without_continued(sheet.text(row, int(column))) for column in columns[at : at + width]]
        if all(left) and left == right:
            return begins[0] or says_rank(left[0]) or names_a_key(left[0])
    return False


def _same_labels_again(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], first: int, at: int) -> bool:
    """Whether the columns behind a gap bear the headings of those before it, and the first of them says the same all the way.

    So blocks side by side do whose labels are numbers, each under a name of its own.
    """
    width = at - first
    if width < _HEADINGS or at + width > len(columns):
        return False
    own, other = columns[first:at], columns[at : at + width]
    for place, row in enumerate(rows[:_LOOKED_BACK].tolist()):
        heads = [sheet.text(row, int(column)) for column in own]
        if not all(heads) or heads != [sheet.text(row, int(column)) for column in other] or sheet.data[row, own].any():
            continue
        below = rows[place + 1 :]
        labels = [sheet.texts(below, int(column)) for column in (own[0], other[0])]
        return len(below) > 1 and labels[0] == labels[1] and len(set(labels[0])) == len(below)
    return False


def _other_heads(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], first: int, at: int) -> bool:
    """Whether periods head the columns up to here, and a label column with periods of another kind begins here."""
    if at - first < 3 or at + 1 >= len(columns) or not _is_label_column(sheet, rows, int(columns[at])):
        return False
    for row in rows[:12].tolist():
        texts = [sheet.text(row, int(column)) for column in columns[first:]]
        if all(texts):
            left, label, right = texts[1 : at - first], texts[at - first], texts[at - first + 1 :]
            apart = period_name(left), period_name(right)
            return all(apart) and apart[0] != apart[1] and not period_name([label])
    return False
