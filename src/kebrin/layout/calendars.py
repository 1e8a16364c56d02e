"""Calendars with entries: weeks down, weekdays across, the day of the month above what stands there. Each week is a block."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind
from kebrin.grammar.periods import period_name
from kebrin.layout.frame import Frame
from kebrin.layout.model import CALENDAR, Evidence
from kebrin.layout.play import hidden_lines

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.model import Layout, Stated
    from kebrin.layout.play import Play

_FEWEST_WEEKDAYS, _FEWEST_DAYS, _LAST_DAY = 5, 10, 31
# A row of weekdays is looked for among so many rows of words.
_MOST_ROWS = 500
#: What the two heading rows of a calendar are called.
CALENDAR_NAMES = ("weekday", "day")


@dataclass(frozen=True)
class _Head:
    """A row of weekdays, and the columns that they head."""

    row: int
    columns: tuple[int, ...]


def calendar_frames(sheet: Sheet, play: Play, stated: Stated) -> list[Frame]:
    """A frame for each week of the calendars on a sheet; none if what is stated is no calendar's layout.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout import Stated
    >>> from kebrin.layout.play import in_play
    >>> days = [["Mon", "Tue", "Wed", "Thu", "Fri"], [1, 2, 3, 4, 5], ["Ada", "Bo", "Ada", "", "Cy"], [8, 9, 10, 11, 12]]
    >>> calendar_frames(Sheet.of(days), in_play(Sheet.of(days)), Stated())
    []
    >>> weeks = [days[0], *([[7 * at + day for day in range(1, 6)], days[2]] for at in range(2))]
    >>> sheet = Sheet.of([weeks[0], *weeks[1], [6, 7, 8, 9, 10], days[2]])
    >>> [frame.boxhead for frame in calendar_frames(sheet, in_play(sheet), Stated())]
    [(0, 1), (0, 3)]
    """
    if (stated.boxhead is not None and len(stated.boxhead) != len(CALENDAR_NAMES)) or stated.stub or stated.starts:
        return []
    return [frame for head in _heads(sheet, play) for frame in _weeks(sheet, play, head)]


def is_calendar(sheet: Sheet, layout: Layout) -> bool:
    """Whether a block is a calendar: days of the month in order under the days of the week. It holds no values.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout.find import find_layouts
    >>> rows = [["Mon", "Tue", "Wed", "Thu"], [None, None, 1, 2], [3, 4, 5, 6], [7, 8, 9, 10]]
    >>> find_layouts(Sheet.of(rows))
    []
    """
    if len(layout.boxhead) != 1 or period_name(layout.boxhead[0].texts) != "weekday":
        return False
    numbers = sheet.numbers[np.ix_(layout.body_rows, layout.body_columns)].ravel()
    days = numbers[~np.isnan(numbers)]
    return len(days) >= _FEWEST_DAYS and bool((days == np.arange(1, len(days) + 1)).all())


def named_as_calendar(layouts: list[Layout], stated: Stated) -> list[Layout]:
    """The weeks of a calendar with their heading rows named for what they are, unless they are named in a plan.

    What stands above the first week, the month, is the title of all.
    """
    titled = next((layout for layout in layouts if layout.title_name), layouts[0])
    found = [
        replace(layout, title=titled.title, title_name=titled.title_name, title_at=titled.title_at)
        for layout in layouts
    ]
    if stated.boxhead is not None:
        return found
    return [_named(layout) if len(layout.boxhead) == len(CALENDAR_NAMES) else layout for layout in found]


def _named(layout: Layout) -> Layout:
    levels = tuple(replace(level, name=name) for level, name in zip(layout.boxhead, CALENDAR_NAMES, strict=True))
    return replace(layout, boxhead=levels)


def _heads(sheet: Sheet, play: Play) -> list[_Head]:
    """The rows of weekdays: five of them at least in adjacent columns, each said once."""
    found = []
    words = ((sheet.kinds == Kind.TEXT) & ~sheet.data).sum(axis=1)
    for row in play.rows[words[play.rows] >= _FEWEST_WEEKDAYS][:_MOST_ROWS].tolist():
        run: list[int] = []
        for column in [*play.columns.tolist(), -1]:
            text = sheet.text(row, column) if column >= 0 else ""
            if text and (not run or column == run[-1] + 1) and period_name([text]) == "weekday":
                run.append(column)
                continue
            if len(run) >= _FEWEST_WEEKDAYS and len({sheet.text(row, one) for one in run}) == len(run):
                found.append(_Head(row, tuple(run)))
            run = []
    return found


def _weeks(sheet: Sheet, play: Play, head: _Head) -> list[Frame]:
    """The weeks below a row of weekdays, if days of the month go on from each to the next and some have entries."""
    columns = np.array(head.columns)
    days: list[int] = []
    weeks: list[tuple[int, list[int]]] = []
    for row in play.rows[play.rows > head.row].tolist():
        numbers = _days(sheet, row, columns)
        if numbers and (not days or numbers[0] == days[-1] + 1):
            days += numbers
            weeks.append((row, []))
        elif weeks and row == weeks[-1][0] + len(weeks[-1][1]) + 1 and _is_within(sheet, row, columns):
            weeks[-1][1].append(row)
        elif weeks:
            break
        else:
            return []
    # A note may stand below the last week: of what follows its days only as much is its own as other weeks have.
    most = max((len(rows) for _, rows in weeks[:-1]), default=1)
    entered = any(sheet.filled[rows][:, columns].any() for _, rows in weeks if rows)
    if len(days) < _FEWEST_DAYS or days[0] != 1 or not entered:
        return []
    why = "days of the month under weekdays, in order, with entries below them"
    said = Evidence(CALENDAR, f"from {sheet.address(head.row, head.columns[0])}", why, 0.9)
    # Of a week in which nothing stands the line below its days is a blank one, or there is none: its days head nothing.
    return [
        Frame(
            (head.row, row), (head.row, row), (), np.array(rows[:most] or [row + 1], np.intp), _with_days(sheet, row, columns),
            (said,), *hidden_lines(play),
        )
        for row, rows in weeks
        if rows or (row + 1 < sheet.shape[0] and not sheet.filled[row + 1].any())
    ]  # fmt: skip


def _days(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> list[int]:
    """The days of the month in a row that holds nothing else, in order; none if it is no such row."""
    filled = columns[sheet.filled[row, columns]]
    numbers = sheet.numbers[row, filled]
    whole = len(numbers) and not np.isnan(numbers).any() and (numbers % 1 == 0).all()
    if not whole or numbers[0] < 1 or numbers[-1] > _LAST_DAY or (np.diff(numbers) != 1).any():
        return []
    return [int(number) for number in numbers]


def _with_days(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> NDArray[np.intp]:
    return np.asarray(columns[sheet.filled[row, columns]], np.intp)


def _is_within(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    """Whether a row holds nothing outside the calendar's columns."""
    return int(sheet.filled[row].sum()) == int(sheet.filled[row, columns].sum())
