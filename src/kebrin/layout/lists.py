"""Lists: sheets of records or of words with a row for each observation."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Look, Sheet
from kebrin.grammar.periods import of_several_months, period_name
from kebrin.grammar.reading import MISSING_MARKS, bears_currency
from kebrin.grammar.series import run_of_series
from kebrin.grammar.words import (
    YEARS,
    average_word,
    heads_alike,
    is_ratio,
    is_remark,
    is_sentence,
    is_unit,
    leading_zero,
    look_of,
    names_a_key,
    period_range,
    says_money,
    says_style,
    says_whole,
    total_word,
)
from kebrin.layout.alike import alike_texts
from kebrin.layout.depths import depths_by_sums, find_depths
from kebrin.layout.fields import is_field_line
from kebrin.layout.labels import are_series
from kebrin.layout.list_sums import name_totals, sums_column
from kebrin.layout.titled import headed_below_a_gap
from kebrin.layout.unlike import keeps_balance

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray


FEWEST_ROWS = 2
# Header cells are short, and all of the columns below them are mostly filled.
LONGEST_HEADING, FILLED = 40, 0.5
# So few of the records have no key, and so many cells of a row above the header may be filled: a title, a field.
_BLANK_KEYS, _TITLE_CELLS = 0.1, 2
# Of so many headings one may be said again.
_FEWEST_ONCE = 3
# So many columns of labels may stand before periods, if so many periods follow.
_MOST_LABELS, _FEWEST_PERIODS = 6, 3
# Of two columns of words, so many of the second's must look alike (letters and digits apart) to be those of records.
_ALIKE = 0.4
_MOSTLY = 0.7
# A row with so many of the headings says them again.
_SAID_AGAIN = 0.7
_SPANNING_WORDS, _PAIR = 3, 2
_FEWEST_UNLIKE = 3
_LONGEST_UNIT = 14
# The kinds of columns are told by so many rows, spread over all.
_SAMPLE = 2000
_DATE = re.compile(r"\s*\d{1,4}\s*([./-])\s*\d{1,2}\s*\1\s*\d{2,4}\b|\s*\d{1,2}[. ]+[^\W\d_]{3,}[. ]+\d{2,4}\b")


def is_form(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether two columns are labels and what they say: words on every row, then words and figures in turn.

    >>> is_form(Sheet.of([["Vessel", "Gull"], ["Built", 2019], ["Port", "Hallan"]]), np.arange(3), np.arange(2))
    True
    """
    if len(columns) > 2 and len(columns) % 2 == 0:
        return _is_form_of_pairs(sheet, rows, columns)
    if len(columns) != 2 or len(rows) < FEWEST_ROWS:
        return False
    rows = _behind_fields(sheet, rows[sheet.filled[np.ix_(rows, columns)].all(axis=1)], int(columns[0]))
    if len(rows) < FEWEST_ROWS:
        return False
    words = sheet.filled[np.ix_(rows, columns)] & ~sheet.data[np.ix_(rows, columns)]
    figures = sheet.data[rows, columns[1]]
    first = sheet.text(int(rows[0]), int(columns[1]))
    mixed = bool(words[1:, 1].any() or (words[0, 1] and len(rows) > 2 and first and first[0].isupper() and _kinds_differ(
        sheet, rows[1:], int(columns[1])
    )))  # fmt: skip
    return bool(words[:, 0].all() and mixed and figures.any())


def _is_form_of_pairs(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether labels stand beside one another on each row, each with what it says: "Vessel, Skua, Built, 2001".

    No label is said twice, as names of a list are, and words and figures stand below one another.
    """
    rows = rows[sheet.filled[np.ix_(rows, columns)].sum(axis=1) > 2]
    if len(rows) < 2:
        return False
    block = np.ix_(rows, columns)
    filled, figures = sheet.filled[block], sheet.data[block]
    words = filled & ~figures
    labels = [sheet.text(int(row), int(column)) for column in columns[::2] for row in rows if sheet.filled[row, column]]
    said = words[:, ::2].sum() == filled[:, ::2].sum() and len(set(labels)) == len(labels) > len(rows)
    # Below the first row, which may be one of headings.
    mixed = words[1:, 1::2].any(axis=0) & figures[:, 1::2].any(axis=0)
    return bool(said and mixed.all() and not words[0].all())


def _behind_fields(sheet: Sheet, rows: NDArray[np.intp], column: int) -> NDArray[np.intp]:
    """The rows behind labels with a colon and a gap: what stands there is judged by itself, and may be a table."""
    labelled = [sheet.text(int(row), column).endswith(":") for row in rows]
    first = labelled.index(False) if False in labelled else 0
    return rows[first:] if first > 0 and rows[first] - rows[first - 1] > 1 and not any(labelled[first:]) else rows


def _kinds_differ(sheet: Sheet, rows: NDArray[np.intp], column: int) -> bool:
    """Whether a column holds a year beside other figures, or figures with and without decimals: each row says its own."""
    numbers = sheet.numbers[rows, column]
    known = numbers[~np.isnan(numbers)]
    years = (known >= 1800) & (known <= 2150) & (known % 1 == 0)
    return bool(len(known) > 1 and years.any() and not years.all() and (known[~years] < 1800).all())


@dataclass(frozen=True)
class Listing:
    """A list of records: its heading row, its columns, and what each row below the headings is.

    `across` is true if periods head the columns: then it is no list, but a table of words in which they are a dimension.
    `grouped` are the first columns that say for several records what they say once, on the first of them. `units` is a row right
    below the headings that gives their units, -1 where there is none; `inner` are rows below them that head the columns too.
    """

    head: int
    columns: tuple[int, ...]
    records: tuple[int, ...]
    repeats: tuple[int, ...] = ()
    sections: tuple[int, ...] = ()
    comments: tuple[int, ...] = ()
    across: bool = False
    grouped: int = 0
    units: int = -1
    inner: tuple[int, ...] = ()


def find_records(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], *, balance: bool = True
) -> Listing | None:
    """A list of records: a heading over each column, columns of unlike kinds; None if the rows are no such list.

    Columns of figures behind label columns may as well be a crosstab, and so may columns that periods head: these are
    left to others. A list has words or dates behind figures, or no figures at all, or a key and one column of figures.
    `balance` says whether a running balance shows records too: of several blocks a short one would not show it.

    >>> sheet = Sheet.of([["Ticket", "Due", "Port"], ["T1", 12.5, "Hallan"], ["T2", "n/a", "Brae"]])
    >>> find_records(sheet, np.arange(3), np.arange(3)).records
    (1, 2)
    """
    if len(columns) < 2 or len(rows) <= FEWEST_ROWS:
        return None
    filled = sheet.filled[np.ix_(rows, columns)]
    full = np.flatnonzero(filled.all(axis=1))
    if not len(full) or not _heads_records(sheet, rows, columns, filled, int(full[0])):
        return None
    found = classified(sheet, rows, int(full[0]), columns)
    if len(found.records) < FEWEST_ROWS:
        return None
    body = np.array(found.records)
    many = sheet.filled[np.ix_(body, columns)].sum(axis=1)
    # A row of one cell is a head of those below it, a note, or a record that has its key alone: many are no list.
    lone = (many < 2).mean() > FILLED or sheet.filled[body, columns[0]].mean() < 1 - _BLANK_KEYS
    if lone or headed_below_a_gap(sheet, np.array([found.head, *found.records]), columns):
        return None
    if alike_texts(sheet, body, columns):
        return replace(found, across=True)
    heads = [sheet.text(found.head, int(column)) for column in columns]
    return found if _are_records(sheet, body, columns, heads, balance=balance) else None


def rows_across(sheet: Sheet, width: int) -> set[int]:
    """Rows whose one cell is merged over all columns."""
    return {area.top for area in sheet.merges if area.top == area.bottom and area.right - area.left + 1 >= width}


def without_foot(rows: NDArray[np.intp], across: set[int]) -> NDArray[np.intp]:
    """The rows without those at the end that span the whole table: they head nothing, and are said below it."""
    while len(rows) and int(rows[-1]) in across:
        rows = rows[:-1]
    return rows


def classified(sheet: Sheet, rows: NDArray[np.intp], at: int, used: NDArray[np.intp]) -> Listing:
    """What each row below a list's headings is: a record, the headings again, a head of records, a comment."""
    heads = [sheet.text(int(rows[at]), int(column)).casefold() for column in used]
    units = _unit_row(sheet, rows, at, used)
    below = _without_pairs(sheet, rows[at + 1 + (units >= 0) :], used)
    below = without_foot(below, rows_across(sheet, len(used)))
    # A label that is merged over several records is said by each of them.
    many = sheet.covered[np.ix_(below, used)].sum(axis=1)
    last = int(np.flatnonzero(many >= 2)[-1]) if (many >= 2).any() else -1
    keys = _lone_keys(sheet, below, used, many) if last >= 0 else np.zeros(len(below), np.bool_)
    end = max(last, int(np.flatnonzero(keys)[-1]) if keys.any() else -1)
    several = many >= 2
    if 0 < end + 1 < len(below) and many[end + 1] == 1 and sums_column(sheet, below[: end + 2], used):
        end, several = end + 1, several | (np.arange(len(below)) == end + 1)
    below, several = below[: end + 1], several[: end + 1]
    # The first cell of nearly all rows tells that they do not say the headings again.
    first = [text.casefold() in {"", heads[0]} for text in sheet.texts(below, int(used[0]))]
    maybe = below[several & np.array(first, np.bool_)].tolist()
    again = {row for row in maybe if _is_said_again(sheet, row, used, heads)}
    repeats = sorted(again)
    records = [row for row in below[several | keys[: end + 1]].tolist() if row not in again]
    lone = below[~(several | keys[: end + 1])].tolist()
    among = _alone_in(sheet, lone, used)
    comments = [row for row in lone if _is_comment(sheet, row, used, among=among)]
    said = set(comments)
    alone = [row for row in lone if row not in said]
    # Rows with one short label head what follows where a list begins with one; else they are records of a key alone.
    if alone and records and alone[0] < records[0] and all(sheet.filled[row, used[0]] for row in alone):
        sections, more = tuple(alone), []
    else:
        sections, more = (), alone
    return Listing(
        int(rows[at]), tuple(used.tolist()), tuple(sorted([*records, *more])), tuple(repeats), sections, tuple(comments),
        units=units,
    )  # fmt: skip


def _unit_row(sheet: Sheet, rows: NDArray[np.intp], at: int, used: NDArray[np.intp]) -> int:
    """The row right below a list's headings, if it gives nothing but units of several of them; -1 otherwise.

    What is known for no unit ("/100 ml") is one beside others that are known, where figures stand below it.
    """
    if at + 2 >= len(rows) or rows[at + 1] != rows[at] + 1:
        return -1
    row, below = int(rows[at + 1]), rows[at + 2 :]
    texts = {int(column): sheet.text(row, int(column)) for column in used if sheet.filled[row, column]}
    if (
        sheet.data[row, [column for column, text in texts.items() if text not in MISSING_MARKS]].any()
        or len(texts) < _PAIR
    ):
        return -1
    known = [column for column, text in texts.items() if is_unit(text)]
    others = np.array([column for column in texts if column not in known], np.intp)
    figures = sheet.data[np.ix_(below, others)].sum(axis=0) > FILLED * sheet.filled[np.ix_(below, others)].sum(axis=0)
    short = all(len(texts[int(column)]) <= _LONGEST_UNIT for column in others)
    over = np.array([column for column, text in texts.items() if not says_style(text)], np.intp)
    if not (sheet.data[np.ix_(below, over)].sum(axis=0) > 0).all():
        return -1  # a word over words is what one of the records says
    plain = not len(others) or (
        short
        and bool(figures.all())
        and (2 * len(known) >= len(texts) if len(texts) < len(used) else 3 * len(known) > 2 * len(texts))
    )
    return row if known and plain else -1


def _without_pairs(sheet: Sheet, rows: NDArray[np.intp], used: NDArray[np.intp]) -> NDArray[np.intp]:
    """The rows of a list without those behind its last gap, if they are pairs of a label and what it says, and no others are."""
    gaps = np.flatnonzero(np.diff(rows) > 1)
    if not len(gaps) or len(used) < _FEWEST_UNLIKE:
        return rows
    last = int(gaps[-1]) + 1
    few = sheet.filled[np.ix_(rows, used)].sum(axis=1) <= _PAIR
    pairs = few[last:].all() and not few[:last].any() and all(is_field_line(sheet, int(row)) for row in rows[last:])
    return rows[:last] if pairs else rows


def _is_said_again(sheet: Sheet, row: int, used: NDArray[np.intp], heads: Sequence[str]) -> bool:
    """Whether a row says what the headings say, in any case; a heading may be left out the second time."""
    known = 0
    for column, head in zip(used.tolist(), heads, strict=True):
        if sheet.filled[row, column]:
            if sheet.text(row, column).casefold() != head:
                return False  # the first cell tells it of nearly all rows
            known += 1
    return known >= _SAID_AGAIN * sum(map(bool, heads))


def _alone_in(sheet: Sheet, rows: Sequence[int], used: NDArray[np.intp]) -> list[str]:
    """The texts of rows that hold one, in order."""
    return [sheet.text(row, int(used[int(sheet.filled[row, used].argmax())])) for row in rows]


def _is_comment(sheet: Sheet, row: int, used: NDArray[np.intp], among: Sequence[str]) -> bool:
    """Whether the one text of a row is a comment: it begins with a sign for one, is too long for a label, or is a sentence.

    `among` are the texts of all such rows: some that say what they are alike ("Gate of entry: Larch") head what follows.
    """
    column = int(used[sheet.filled[row, used]][0]) if sheet.filled[row, used].any() else int(used[0])
    text = sheet.text(row, column)
    return (
        is_remark(text, LONGEST_HEADING)
        or text.endswith(":")
        or (is_sentence(text) and not heads_alike(text, among) and not _leads(sheet, row, used))
    )


def _leads(sheet: Sheet, row: int, used: NDArray[np.intp]) -> bool:
    """Whether a row stands right below the headings, before any record."""
    above = [one for one in range(max(row - 2, 0), row) if sheet.filled[one, used].any()]
    return bool(above) and bool(sheet.filled[above[-1], used].all()) and not sheet.data[above[-1], used].any()


def _lone_keys(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], many: NDArray[np.intp]
) -> NDArray[np.bool_]:
    """Rows that hold the key of a record and nothing else.

    Of two columns the second may be blank; of more, the key must be numbered as nearly all others are, or all are periods.
    """
    first = int(columns[0])
    lone = many == 1
    if not lone.any():
        return np.zeros(len(rows), np.bool_)
    looks = Counter(look_of(sheet.text(int(row), first)) for row in rows[many >= 2])
    common, count = looks.most_common(1)[0]
    numbered = "0" in common and "a" in common and count >= (1 - _BLANK_KEYS) * looks.total()
    # Days of a week, one of them without a record.
    series = are_series([sheet.text(int(row), first) for row in rows])
    kept = [
        at
        for at in np.flatnonzero(lone).tolist()
        if _is_key(sheet, int(rows[at]), first)
        and (len(columns) == 2 or series or (numbered and look_of(sheet.text(int(rows[at]), first)) == common))
    ]
    return np.isin(np.arange(len(rows)), kept)


def _is_key(sheet: Sheet, row: int, column: int) -> bool:
    """Whether a cell may be the key of a record that holds nothing else: a few words and no sentence."""
    text = sheet.text(row, column)
    return 0 < len(text) <= LONGEST_HEADING and not text.endswith((".", ":"))


def _are_records(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], heads: Sequence[str], *, balance: bool = True
) -> bool:
    """Whether the kinds of columns show records: words or dates behind figures, one column of figures, or none."""
    kinds = _column_kinds(sheet, rows, columns)
    figures = [place for place, kind in enumerate(kinds) if kind in {"figures", "money"} and place]
    others = [place for place, kind in enumerate(kinds) if kind in {"words", "dates"} and place]
    if heads_periods([heads[place] for place in _without_sums(sheet, rows, columns, figures)]):
        return False  # periods, with totals of them or remarks beside them
    kept = balance and keeps_balance(sheet.numbers[np.ix_(rows, columns[figures])])
    if {"figures", "money"} <= set(kinds[1:]) or kept:
        return True
    if not others:
        few = len(columns) >= _FEWEST_UNLIKE and kinds[0] == "words"
        return (
            _all_figures(kinds, heads)
            or _are_measurements(sheet, rows, columns, kinds, heads)
            or (few and _unlike(sheet, rows, columns, figures, heads))
            or (few and _labels_repeat(sheet, rows, columns, heads))
        )
    if len(columns) == 2:
        return sheet.textual and tells_records(sheet, rows, columns)
    return not figures or max(others) > min(figures) or _labels_first(sheet, rows, columns, kinds, heads)


def _labels_repeat(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], heads: Sequence[str]) -> bool:
    """Whether rows that are full all the way say their first label again: each is a record, and its label is one of its values.

    The rows of a crosstab have names of their own. Where sections or totals stand among rows, they sum one another or are set in,
    or headings are a series, the rows are told apart by what they stand under.
    """
    plain = [head for head in heads if not (total_word(head) or average_word(head))]
    labels = sheet.texts(rows, int(columns[0]))
    whole = bool(sheet.filled[np.ix_(rows, columns)].all()) and run_of_series(plain) is None
    if not whole or len(set(labels)) == len(labels) or any(total_word(text) or says_whole(text) for text in labels):
        return False
    tree = depths_by_sums(sheet.numbers[np.ix_(rows, columns[1:])])
    return not (tree.told or tree.wholes or find_depths(sheet, rows, [int(columns[0])], rows.size * columns.size).told)


def _without_sums(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], figures: Sequence[int]) -> list[int]:
    """Columns of figures without those that sum a run of others before them on every row: a year behind its quarters."""
    numbers = np.nan_to_num(sheet.numbers[np.ix_(rows, columns)])
    if len(rows) < 2 or not figures:
        return list(figures)
    own = numbers[:, list(figures)]
    upto = np.concatenate((np.zeros((len(rows), 1)), np.cumsum(own, axis=1)), axis=1)
    # What runs add up to is a difference of sums from the first column on: exact to the size of these.
    near = 1e-12 * np.maximum(np.abs(own).sum(axis=1), 1.0)
    summed = [at for at in range(_FEWEST_UNLIKE - 1, len(figures)) if _sums_a_run(own, upto, near, at)]
    return [place for at, place in enumerate(figures) if at not in summed]


def _sums_a_run(own: NDArray[np.float64], upto: NDArray[np.float64], near: NDArray[np.float64], at: int) -> bool:
    """Whether a column is the sum of a run of two columns or more right before it, on every row."""
    sums = own[:, at]
    row = int(np.abs(sums).argmax())
    if not sums[row]:
        return False
    near = near + 1e-9 * np.maximum(np.abs(sums), 1.0)
    begins = np.flatnonzero(np.abs(upto[row, at] - upto[row, : at - 1] - sums[row]) <= near[row])
    ties = np.abs(upto[:, [at]] - upto[:, begins] - sums[:, np.newaxis]) <= near[:, np.newaxis]
    return bool(ties.all(axis=0).any())


def heads_periods(heads: Sequence[str]) -> bool:
    """Whether two headings or more, beside those of totals and means, name periods of one kind."""
    plain = [head for head in heads if not (total_word(head) or says_whole(head) or average_word(head))]
    months = [head for head in plain if not of_several_months(head)]  # quarters among months are totals of them
    return any(len(some) >= 2 and bool(period_name(some)) for some in (months, plain))


def _labels_first(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], kinds: Sequence[str], heads: Sequence[str]
) -> bool:
    """Whether columns of labels before columns of figures are records nevertheless."""
    figures = [place for place, kind in enumerate(kinds) if kind in {"figures", "money"} and place]
    others = [place for place, kind in enumerate(kinds) if kind in {"words", "dates"} and place]
    if name_totals(sheet, rows, {int(columns[place]): heads[place] for place in (0, *others)}):
        return False
    if _has_key(sheet, rows, columns) and (len(figures) == 1 or _unlike(sheet, rows, columns, figures, heads)):
        return True
    # Labels before figures: dates that are texts are none, and one that is said once for several rows is none of a record.
    unlike = len(figures) == 1 or (sheet.textual and "dates" in kinds[1:])
    return unlike and bool((sheet.filled[np.ix_(rows, columns[others])].mean(axis=0) > _MOSTLY).all())


def _has_key(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether the first column says something else on every row: each is a record of its own."""
    keys = sheet.texts(rows, int(columns[0]))
    return all(keys) and len(set(keys)) == len(keys)


def _unlike(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], figures: Sequence[int], heads: Sequence[str]
) -> bool:
    """Whether columns of figures are of unlike kinds by their headings: keys, years, shares, money, or plain amounts."""
    return len({_family(sheet, rows, int(columns[place]), heads[place]) for place in figures}) > 1


def _family(sheet: Sheet, rows: NDArray[np.intp], column: int, head: str) -> str:
    numbers = sheet.numbers[rows, column]
    known = numbers[~np.isnan(numbers)]
    if len(known) and YEARS.search(head) and ((known >= 1700) & (known <= 2200) & (known % 1 == 0)).all():
        return "year"
    if names_a_key(head) or period_range(head):
        return "key"
    if bears_currency(head) or says_money(head):
        return "money"
    return "share" if is_ratio(head) else "plain"


def _all_figures(kinds: Sequence[str], heads: Sequence[str]) -> bool:
    """Whether columns of nothing but figures are records: some headings name keys or periods, and others amounts."""
    if set(kinds) != {"figures"} or len(kinds) < 2:
        return False
    keys = [names_a_key(head) or period_range(head) is not None for head in heads]
    return any(keys[1:]) and not all(keys)


def _are_measurements(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], kinds: Sequence[str], heads: Sequence[str]
) -> bool:
    """Whether columns of nothing but figures are records, since the first can label none: it holds fractions, or repeats.

    Which row a figure belongs to is then told by its place alone.
    """
    if set(kinds) != {"figures"} or heads_periods(heads[1:]) or period_range(heads[0]) is not None:
        return False
    first = sheet.numbers[rows, columns[0]]
    known = first[~np.isnan(first)]
    return len(known) == len(first) > 1 and bool((known % 1 != 0).any() or len(np.unique(known)) < len(known))


def _heads_records(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], filled: NDArray[np.bool_], at: int
) -> bool:
    """Whether a full row heads records: short words, nearly all different, no periods, titles at most above it."""
    cells = [(int(rows[at]), int(column)) for column in columns]
    heads = [sheet.text(*cell) for cell in cells]
    plain = all(sheet.kinds[cell] == Kind.TEXT and not sheet.data[cell] for cell in cells)
    short = all(len(head) <= LONGEST_HEADING and not head.endswith(":") for head in heads)
    own = set(columns.tolist())
    # A merge over columns that hold nothing else is one wide cell.
    merged = any(
        area.bottom >= rows[max(at - 1, 0)] and area.top <= rows[-1]
        and (area.bottom > area.top or len(own & set(range(area.left, area.right + 1))) > 1)
        for area in sheet.merges
    )  # fmt: skip
    # A short word over some column further right, right above the headings, spans columns: it is no title.
    above = int(rows[at - 1]) if at > 0 and rows[at] - rows[at - 1] == 1 else -1
    over = above >= 0 and any(
        sheet.filled[above, own] and _may_span(sheet.text(above, own)) for own in columns[1:].tolist()
    )
    return bool(
        plain and short and not over and not merged and not _periods_last(heads)
        and len(heads) - len(set(heads)) <= len(heads) // _FEWEST_ONCE
        and (filled[:at].sum(axis=1) <= _TITLE_CELLS).all()
    )  # fmt: skip


def _periods_last(heads: Sequence[str]) -> bool:
    """Whether headings are periods, but for the first, or for a few where three periods or more follow."""
    ends = range(2, min(_MOST_LABELS, len(heads) - _FEWEST_PERIODS) + 1)
    return bool(period_name(heads[1:])) or any(period_name(heads[at:]) for at in ends)


def _may_span(text: str) -> bool:
    """Whether a text over headings may be one over several of them: a few words that are no unit and no field."""
    return 0 < len(text.split()) <= _SPANNING_WORDS and ":" not in text and not is_unit(text)


def _column_kinds(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> list[str]:
    """Each column's kind by most of its cells: figures, money, dates, words, or '' if it holds nothing."""
    rows = rows[:: max(len(rows) // _SAMPLE, 1)]
    cells = np.ix_(rows, columns)
    known = (sheet.filled[cells] & (sheet.looks[cells] != Look.MISSING)).sum(axis=0)
    figures = sheet.data[cells] & (sheet.kinds[cells] != Kind.DATE) & (sheet.looks[cells] != Look.MISSING)
    dates = sheet.kinds[cells] == Kind.DATE
    money = np.zeros_like(figures)
    for row, column in np.argwhere(figures & (sheet.kinds[cells] == Kind.TEXT)).tolist():
        text = sheet.text(int(rows[row]), int(columns[column]))
        if _DATE.match(text):
            dates[row, column], figures[row, column] = True, False
        elif bears_currency(text):
            money[row, column] = True
        elif leading_zero(text):
            figures[:, column] = False  # with 007 among them they are names
    counts = {"money": money.sum(axis=0), "figures": figures.sum(axis=0), "dates": dates.sum(axis=0)}
    return [
        next((kind for kind, count in counts.items() if 2 * count[at] >= known[at]), "words") if known[at] else ""
        for at in range(len(columns))
    ]


def begins_with_amounts(sheet: Sheet, found: Listing) -> bool:
    """Whether a list's first column holds amounts, which label nothing: figures with decimals, or below nothing.

    >>> sheet = Sheet.of([["Dues", "Paid", "Boat"], [12.5, "yes", "Gull"], [9, "no", "Tern"], [-3, "no", "Lark"]])
    >>> begins_with_amounts(sheet, find_records(sheet, np.arange(4), np.arange(3)))
    True
    """
    own = sheet.numbers[np.array(found.records), found.columns[0]]
    return not np.isnan(own).any() and bool((own < 0).any() or (own % 1 != 0).mean() > _BLANK_KEYS)


def labels_last(sheet: Sheet, found: Listing) -> bool:
    """Whether a list's last column labels its rows: words, each said once, behind nothing but figures that do not rise.

    >>> sheet = Sheet.of([["Foot", "Cars", "Quay"], [12, 3, "Brae"], [9, 1, "Wick"], [14, 5, "Foss"]])
    >>> labels_last(sheet, find_records(sheet, np.arange(4), np.arange(3)))
    True
    """
    rows, columns = np.array(found.records), np.array(found.columns)
    *first, last = _column_kinds(sheet, rows, columns)
    if last != "words" or found.sections or len(rows) < FEWEST_ROWS or set(first) != {"figures"}:
        return False
    texts = sheet.texts(rows, int(columns[-1]))
    own = sheet.numbers[rows, columns[0]]
    rises = bool((np.diff(own) > 0).all() or (np.diff(own) < 0).all())
    return all(texts) and len(set(texts)) == len(texts) and not rises and not np.isnan(own).any()


def tells_records(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> bool:
    """Whether two columns of words are records and no form: keys that differ, and values of one look or a few."""
    keys, values = (
        [sheet.text(int(row), int(column)) for row in rows if sheet.filled[row, column]] for column in columns
    )
    different = len(set(keys)) == len(keys) and not any(key.endswith(":") for key in keys)
    if not different or not values:
        return False
    numbered = {look_of(key) for key in keys}
    return (
        2 * len(set(values)) <= len(values)
        or max(Counter(map(look_of, values)).values()) > _ALIKE * len(values)
        or (len(numbered) == 1 and "0" in numbered.pop())
    )
