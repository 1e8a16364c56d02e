"""Lists of words: sheets without figures, with a row for each observation."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import look_of
from kebrin.layout.alike import alike_texts
from kebrin.layout.lists import FEWEST_ROWS, FILLED, LONGEST_HEADING, Listing, classified, tells_records

if TYPE_CHECKING:
    from numpy.typing import NDArray

_FEWEST_PERIODS = 2
# Of a list's records so many have blank keys where these are said once for several.
_FEWEST_BELOW = 0.2
# One column in so many may hold remarks on few of the records.
_ONE_IN, _FEWEST_RECORDS = 3, 6


def _is_bold(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    """Whether a row's cells are bold, and those of the row below it are not."""
    formats = sheet.formats(row + 2)
    return all(formats.is_bold(row, int(at)) and not formats.is_bold(row + 1, int(at)) for at in columns)


def find_word_list(sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp]) -> Listing | None:
    """A list of words, among rows without figures; None if they are no list.

    >>> sheet = Sheet.of([["Vessel", "Home port", "Crew"], ["Gull", "Hallan", "full"], ["Tern", "Brae", "short"]])
    >>> find_word_list(sheet, np.arange(3), np.arange(3)).records
    (1, 2)
    """
    if len(columns) < 2 or len(rows) < FEWEST_ROWS + 1:
        return None
    filled = sheet.filled[np.ix_(rows, columns)]
    widest = int(filled.sum(axis=1).max())
    if widest < 2:
        return None
    at = int(np.argmax(filled.sum(axis=1) == widest))
    used = columns[filled[at]]
    at = _without_corner(sheet, rows, used, at)
    header = [sheet.text(int(rows[at]), int(column)) for column in used]
    labels = next((n for n in range(1, len(used) - _FEWEST_PERIODS + 1) if period_name(header[n:])), 0)
    across = labels > 0 or alike_texts(sheet, rows[at + 1 :], used)
    inner = _headings_below(sheet, rows, used[labels:], used[:labels], at) if labels else ()
    plain = across or all(sheet.kinds[rows[at], column] == Kind.TEXT for column in used[header[0] == "" :])
    short = all(len(text) <= LONGEST_HEADING and not text.endswith((":", ".")) for text in header)
    if not plain or not short or len(set(header)) < len(header):
        return None
    found = replace(classified(sheet, rows[~np.isin(rows, inner)], at, used), inner=inner)
    body = sheet.filled[np.ix_(found.records, used)]
    grouped = _grouped(body)
    found = replace(found, grouped=max(grouped, labels if labels > 1 else 0))
    few = len(found.records) < FEWEST_ROWS
    covered = sheet.covered[np.ix_(found.records, used)]  # a label may be merged over its records
    if few or (_is_sparse(covered[:, grouped:]) if not across else not (body[:, 0].all() or grouped)):
        return None
    if len(used) == 2 and not (
        _is_bold(sheet, int(rows[at]), used) or tells_records(sheet, np.array(found.records), used)
    ):
        return None  # two columns of words may as well be labels and what they say
    names = [sheet.text(row, int(used[0])) for row in found.records]
    return None if any(text.endswith(":") for text in names) else replace(found, across=across)


def _headings_below(
    sheet: Sheet, rows: NDArray[np.intp], body: NDArray[np.intp], labels: NDArray[np.intp], at: int
) -> tuple[int, ...]:
    """Rows right below a row of periods that name periods too and have no label: weekdays below dates."""
    found: list[int] = []
    for row in rows[at + 1 :].tolist():
        whole = sheet.filled[row, body].all() and not sheet.filled[row, labels].any()
        if not whole or not period_name([sheet.text(row, int(column)) for column in body]):
            break
        found.append(row)
    return tuple(found)


def _without_corner(sheet: Sheet, rows: NDArray[np.intp], used: NDArray[np.intp], at: int) -> int:
    """The row of headings above the widest row, if it lacks the heading of the labels alone; else that row.

    It names periods, or is unlike the columns below, which are alike (times of boats under the names of quays).
    """
    for place, row in enumerate(rows[:at].tolist()):
        own = sheet.filled[row, used]
        texts = [sheet.text(row, int(column)) for column in used[1:]]
        if own[0] or not own[1:].all():
            continue
        periods = any(period_name(texts[:n]) for n in range(_FEWEST_PERIODS, len(texts) + 1))
        below = {look_of(text) for column in used[1:] for text in sheet.texts(rows[place + 1 :], int(column))}
        if periods or (alike_texts(sheet, rows[place + 1 :], used) and not below & {look_of(text) for text in texts}):
            return place
    return at


def _is_sparse(body: NDArray[np.bool_]) -> bool:
    """Whether columns are blank on too many rows to be those of records: a column in three may hold a remark here and there."""
    filled = body.mean(axis=0) >= FILLED
    few = len(body) < _FEWEST_RECORDS or len(filled) < _ONE_IN or not filled[0]
    return bool((~filled).sum() > (0 if few else len(filled) // _ONE_IN))


def _grouped(body: NDArray[np.bool_]) -> int:
    """How many of a list's first columns are said once for several records: on the first of them, and blank below.

    >>> _grouped(np.array([[1, 1, 1], [0, 0, 1], [0, 1, 1], [1, 1, 1], [0, 0, 1]], bool))
    2
    >>> _grouped(np.array([[1, 1, 1], [1, 1, 1], [0, 1, 1], [1, 0, 1], [1, 1, 0]], bool))
    0
    """
    below = ~body[:, 0]
    leading = np.where(body.any(axis=1), body.argmax(axis=1), body.shape[1])
    count = int(leading.max(initial=0))
    few = below.sum() < max(FEWEST_ROWS, _FEWEST_BELOW * len(body))
    if few or below[0] or count >= body.shape[1] or not body[~below, : count + 1].all():
        return 0
    return count
