"""Fields: single values beside a label outside the block ("Route code: N4")."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Kind, Sheet, neat
from kebrin.grammar.legend import LONGEST_SIGN, heads_key
from kebrin.layout.model import FieldCell

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from numpy.typing import NDArray

    from kebrin.layout.model import Layout

# A value further to the right than this belongs to something else.
_REACH = 4
_LONGEST_LABEL, _LONGEST_VALUE = 40, 80
# A colon that is none of a time of day.
_COLON = re.compile(r"(?<!\d):|:(?!\d)")
_LABEL_WORDS, _MOST_IN_LINE = 4, 12
# When a report was printed says nothing of what stands before it.
_STAMPED = re.compile(r"(?:printed|run|issued|produced|created|as at|gedruckt|erstellt)\b.*\d", re.IGNORECASE)
# So many pairs make a line of fields, and so many lines of them are no headings.
_PAIRS = 2
# Of the cells below a table's headings, but for the labels, so many hold figures.
_MOSTLY = 0.5
UNIT_LABEL = re.compile(r"units?|unit of measure(?:ment)?|einheit(?:en)?|unités?", re.IGNORECASE)
# What stands behind these words speaks of the table's figures, or of where they come from: it tells no rows apart.
_NO_FIELD = re.compile(
    r"(?:table|figure|fig|chart|tab|tabelle|tableau|annex|appendix|exhibit|page|sheet|part|section|units?|sources?|notes?|"
    r"footnotes?|keys?|legends?|remarks?|signed|signature|explanation|symbols?|signs?|nb|quelle|einheit|"
    r"anmerkungen?|unité|noot|bron|missing(?: values?)?|no ?data|fill value|null)\b[\s.]*[\d.ivxIVX]*",
    re.IGNORECASE,
)
# Whom to ask about a report tells no rows apart either, unless it is one of several pairs on a line.
_WHOM = re.compile(r"contact(?: person| name)?", re.IGNORECASE)


def find_fields(sheet: Sheet, block: Area | None, around: NDArray[np.bool_] | None = None) -> tuple[FieldCell, ...]:
    """The fields outside a block, in reading order.

    A label ends with a colon, its value in the same cell, in the next filled cell to the right, or in the cell below. Above a
    block the colon may be left out where rows hold nothing but pairs of a label and a value. Behind a gap beside a block a label
    has a colon and its value a cell of its own.

    Args:
        sheet: the sheet.
        block: the block's rectangle, or None if there is none.
        around: the cells to look at; all outside the block by default.

    >>> sheet = Sheet.of([["Route code:", "N4"], ["Season: summer", None], [None, None], ["Master", "Ada", None, "Crew", 7]])
    >>> [(field.name, field.value, field.address) for field in find_fields(sheet, None)]
    [('Route code', 'N4', 'B1'), ('Season', 'summer', 'A2'), ('Master', 'Ada', 'B4'), ('Crew', '7', 'E4')]
    """
    found: list[FieldCell] = []
    taken: set[tuple[int, int]] = {*key_cells(sheet, block)} if block is not None else set()
    for row, column in _texts_outside(sheet, block):
        if (around is not None and not around[row, column]) or (row, column) in taken:
            continue
        field = _with_colon(sheet, block, row, column)
        if field is not None and (around is None or around[field.value_at]):
            found.append(field)
            taken |= {field.label_at, field.value_at}
    found = [one for one in found if not _WHOM.fullmatch(one.name) or _in_company(one, found)]
    for field in _pairs(sheet, block, around, taken):
        if field.name.casefold() not in {one.name.casefold() for one in found}:
            found.append(field)
    return tuple(sorted(found, key=lambda one: one.label_at))


def key_cells(sheet: Sheet, block: Area) -> tuple[tuple[int, int], ...]:
    """The cells of a key below a block: lines of a sign and what it says, most of the signs seen in the block.

    >>> rows = [["Quay", "Due", None], ["East", 5, "p"], ["West", 7, "q"], ["Key", None, None], ["p", "paid"], ["q", "queried"]]
    >>> key_cells(Sheet.of(rows), Area(0, 0, 2, 2))
    ((4, 0), (4, 1), (5, 0), (5, 1))
    """
    headed = [row for row in key_lines(sheet, np.arange(sheet.shape[0])) if row > block.bottom]
    if headed:
        return tuple((row, column) for row in headed for column in np.flatnonzero(sheet.filled[row]).tolist())
    below = range(block.bottom + 1, sheet.shape[0])
    pairs = {row: own for row in below if len(own := np.flatnonzero(sheet.filled[row]).tolist()) == 2}
    signs = {row: sheet.text(row, own[0]) for row, own in pairs.items()}
    short = {
        row: sign for row, sign in signs.items() if 0 < len(sign) <= LONGEST_SIGN and not sheet.data[row, pairs[row][1]]
    }
    if len(short) < _PAIRS:
        return ()
    area = (slice(block.top, block.bottom + 1), slice(block.left, block.right + 1))
    seen = {text.strip().casefold() for text in sheet.values[area][sheet.kinds[area] == Kind.TEXT]}
    known = [row for row, sign in short.items() if sign.casefold() in seen]
    return tuple((row, column) for row in short for column in pairs[row]) if 2 * len(known) > len(short) else ()


def key_lines(sheet: Sheet, rows: NDArray[np.intp]) -> tuple[int, ...]:
    """The rows of a key below a table: "Key" alone on its row, behind a gap, and lines of a short sign and what it says.

    >>> rows = [["Quay", "St"], ["East", "p"], [None, None], ["Key", None], ["p", "paid"]]
    >>> key_lines(Sheet.of(rows), np.array([0, 1, 3, 4]))
    (3, 4)
    """
    alone = np.flatnonzero((sheet.filled.sum(axis=1)[rows] == 1) & (np.arange(len(rows)) >= _PAIRS))
    for at in alone.tolist():
        row = int(rows[at])
        if not heads_key(sheet.text(row, int(sheet.filled[row].argmax()))):
            continue
        found = [row]
        for below in rows[at + 1 :].tolist():
            own = np.flatnonzero(sheet.filled[below]).tolist()
            short = len(own) == _PAIRS and len(sheet.text(below, own[0])) <= LONGEST_SIGN
            if not short or sheet.data[below, own[1]] or below != found[-1] + 1:
                break
            found.append(below)
        if len(found) > 1 and row - int(rows[at - 1]) > 1:
            return tuple(found)
    return ()


def unit_line(sheet: Sheet, block: Area, around: NDArray[np.bool_]) -> FieldCell | None:
    """The line above a block that says what its figures are given in: its label and what it says; None without one.

    >>> sheet = Sheet.of([["Unit: tonnes", None], ["Quay", "Jan"], ["North", 7]])
    >>> found = unit_line(sheet, Area(1, 0, 2, 1), np.ones((3, 2), np.bool_))
    >>> found and (found.name, found.value)
    ('Unit', 'tonnes')
    """
    for row, column in np.argwhere(around[: block.top] & (sheet.kinds[: block.top] == Kind.TEXT)).tolist():
        label, colon, said = sheet.text(row, column).partition(":")
        if not colon or not UNIT_LABEL.fullmatch(label.strip()):
            continue
        if said.strip():
            return FieldCell(label.strip(), said.strip(), (row, column), (row, column))
        at = _value_beside(sheet, block, row, column)
        return FieldCell(label.strip(), sheet.text(*at), (row, column), at) if at else None
    return None


def without_others_fields(layouts: Sequence[Layout]) -> list[Layout]:
    """The blocks of a sheet without fields that the first says of itself alone, and not of the sheet.

    What stands above the first block speaks for all, unless others say the same of themselves, or it stands below what they say:
    the memo below "Bay: A" is none of the bay B.
    """
    if len(layouts) < 2:
        return list(layouts)
    above = layouts[0].fields
    again = {field.name for layout in layouts[1:] for field in layout.fields if field not in above}
    first = min((field.label_at for field in above if field.name in again), default=None)
    own = [field for field in above if first is not None and field.label_at >= first]
    return [
        layout
        if layout is layouts[0]
        else replace(layout, fields=tuple(one for one in layout.fields if one not in own))
        for layout in layouts
    ]


def _with_colon(sheet: Sheet, block: Area | None, row: int, column: int) -> FieldCell | None:
    """The field that a text with a colon begins."""
    text = str(sheet.at(row, column)).strip()
    colon = _COLON.search(text)
    name = neat(text[: colon.start()]).lstrip("#%;! ") if colon else ""
    if colon is None or not _may_name(name):
        return None
    # Below a block, "Note: ..." and "Source: ..." are the rule and fields the exception.
    above = block is None or row < block.top
    value = text[colon.end() :].strip()
    if value:
        # A time of day has a colon too, and so has a sentence that a blank stands before.
        plain = above and "\n" not in text and not name[0].isdigit() and _says_something(value) and " = " not in value
        return FieldCell(name, neat(value), (row, column), (row, column)) if plain else None
    at = _value_beside(sheet, block, row, column)
    if at is None or not _says_something(sheet.text(*at)):
        return None
    return FieldCell(name, sheet.text(*at), (row, column), at)


def _in_company(field: FieldCell, fields: Sequence[FieldCell]) -> bool:
    """Whether another field stands on the same line, each in cells of its own."""
    alike = [one.label_at[0] == field.label_at[0] and one.label_at != one.value_at for one in fields]
    return field.label_at != field.value_at and sum(alike) >= _PAIRS


def _may_name(name: str) -> bool:
    """Whether a text may name a field: short, with letters in it, and no caption."""
    return 0 < len(name) <= _LONGEST_LABEL and any(map(str.isalpha, name)) and not _NO_FIELD.fullmatch(name)


def _says_something(value: str) -> bool:
    """Whether a value is more than a line to write on."""
    return len(value) <= _LONGEST_VALUE and any(map(str.isalnum, value))


def _pairs(
    sheet: Sheet, block: Area | None, around: NDArray[np.bool_] | None, taken: set[tuple[int, int]]
) -> list[FieldCell]:
    """Fields without colons: rows above a block that hold nothing but pairs of a label and what it says."""
    last = sheet.shape[0] if block is None else block.top
    found: list[FieldCell] = []
    found += _spaced_pairs(sheet, range(last), around, taken)
    below = range(sheet.shape[0]) if block is None else range(block.bottom + 2, sheet.shape[0])
    several = sum(is_field_line(sheet, row) for row in below) > 1
    for row in [*range(last), *(below if several and block is not None else ())]:
        slots = _slots(sheet, row)
        if not slots or any(around is not None and not around[at] for run in slots for at in run):
            continue
        if _stands_apart(sheet, row, slots):
            slots = [list(pair) for pair in zip(slots[0][::2], slots[0][1::2], strict=True)]
        if any(len(run) != 2 for run in slots):
            continue
        pairs = [run for run in slots if run[0] not in taken]
        if all(_is_pair(sheet, *run) for run in pairs):
            found += [FieldCell(sheet.text(*a).rstrip(" :"), sheet.text(*b), a, b) for a, b in pairs]
    return found


def _stands_apart(sheet: Sheet, row: int, slots: Sequence[Sequence[tuple[int, int]]]) -> bool:
    """Whether a line of pairs without a gap is no line of headings: blank lines part it, and figures stand in most values only.

    >>> sheet = Sheet.of([["Skipper", "C. Holm", "Licence", "L-17", "Quarter", "Q3 2031"], [None] * 6, ["Port"] * 6])
    >>> _stands_apart(sheet, 0, _slots(sheet, 0)), _stands_apart(sheet, 2, _slots(sheet, 2))
    (True, False)
    """
    if len(slots) != 1 or len(slots[0]) < 2 * _PAIRS or len(slots[0]) % 2 or row + 1 >= sheet.shape[0]:
        return False
    if sheet.filled[row + 1].any() or (row and sheet.filled[row - 1].any()):
        return False
    bear = [any(map(str.isdigit, sheet.text(*cell))) for cell in slots[0]]
    return not any(bear[::2]) and 2 * sum(bear[1::2]) > len(bear[1::2])


def _spaced_pairs(
    sheet: Sheet, rows: range, around: NDArray[np.bool_] | None, taken: set[tuple[int, int]]
) -> list[FieldCell]:
    """Fields without colons whose values stand a gap apart: lines of such pairs in the same columns, two or more.

    On the sheet as a whole: further forms below show the same lines.
    """
    lines: dict[tuple[int, ...], list[int]] = {}
    filled = sheet.filled.sum(axis=1)
    few = (filled >= 2) & (filled <= _MOST_IN_LINE) & (filled % 2 == 0)
    words = ((sheet.kinds[few] == int(Kind.TEXT)) & ~sheet.data[few]).sum(axis=1)
    for row in np.flatnonzero(few)[2 * words >= filled[few]].tolist():
        slots = [cell for run in _slots(sheet, row) for cell in run]
        even = len(slots) >= 2 and len(slots) % 2 == 0
        pairs = list(zip(slots[::2], slots[1::2], strict=True)) if even else []
        if pairs and all(_is_pair(sheet, *pair) for pair in pairs):
            lines.setdefault(tuple(column for _, column in slots), []).append(row)
    found = []
    for columns, own in lines.items():
        labels = {sheet.text(row, column) for row in own for column in columns[::2]}
        several = len(own) >= 2 and (len(columns) >= 4 or len(labels) < len(own) * len(columns[::2]))
        for row in own if several else ():
            cells = [(row, column) for column in columns]
            if row not in rows or any(cell in taken or (around is not None and not around[cell]) for cell in cells):
                continue
            taken |= set(cells)
            found += [
                FieldCell(sheet.text(*label).rstrip(" :"), sheet.text(*value), label, value)
                for label, value in zip(cells[::2], cells[1::2], strict=True)
            ]
    return found


def is_field_line(sheet: Sheet, row: int) -> bool:
    """Whether a row holds nothing but pairs of a label and what it says."""
    runs = _slots(sheet, row)
    return bool(runs) and all(len(run) == 2 and _is_pair(sheet, *run) for run in runs)


def names_and_says(sheet: Sheet, row: int) -> bool:
    """Whether a row holds nothing but names with a colon, each before what it says.

    >>> sheet = Sheet.of([["Beach:", "Cove", "Sampler:", "M. Ferro"], ["Date", "Time", "Salt", "Temp"]])
    >>> names_and_says(sheet, 0), names_and_says(sheet, 1)
    (True, False)
    """
    texts = [sheet.text(row, column) for column in np.flatnonzero(sheet.filled[row]).tolist()]
    pairs = zip(texts[::2], texts[1::2], strict=False)
    return len(texts) % 2 == 0 and bool(texts) and all(name.endswith(":") and said[-1:] != ":" for name, said in pairs)


def leading_field_lines(sheet: Sheet, rows: NDArray[np.intp]) -> tuple[int, ...]:
    """Rows of pairs without colons right above a table's headings, which look like pairs too: two or more, no row below does.

    >>> rows = [["Port", "Wick", "Month", "June 2031"], ["Crew", "C. Holm", "Pages", 2], ["Fish", "Boxes", "Tons", "Value"]]
    >>> leading_field_lines(Sheet.of([*rows, ["Cod", 12, 480, 1200], ["Ling", 4, 150, 390]]), np.arange(5))
    (0, 1)
    """
    wide = rows[sheet.filled[rows].sum(axis=1) >= 2 * _PAIRS]
    like = [len(_slots(sheet, int(row))) == 1 and _all_pairs(sheet, int(row)) for row in wide[: _MOST_IN_LINE + 1]]
    count = next((at for at, one in enumerate(like) if not one), len(like))
    if gapped := _gapped_field_lines(sheet, rows):
        return gapped
    if count <= _PAIRS or count > len(wide) - 2 or any(like[count:]) or (np.diff(wide[:count]) > 1).any():
        return ()
    below = sheet.data[wide[count:]][:, sheet.filled[wide[count - 1]]]
    if sheet.data[wide[count - 1]].any() or below[:, 1:].mean() < _MOSTLY:
        return ()  # records of words may look like pairs too: they stand over no figures, and bear some themselves
    found = wide[: count - 1].tolist()
    places = [np.flatnonzero(sheet.filled[row]).tolist() for row in found]
    told = any(
        any(map(str.isdigit, sheet.text(row, column))) for row, own in zip(found, places, strict=True) for column in own
    )
    return tuple(found) if told and all(own == places[0] for own in places) else ()


def _gapped_field_lines(sheet: Sheet, rows: NDArray[np.intp]) -> tuple[int, ...]:
    """The lines of a form at the top, a gap above a table: two pairs a line at least, each apart, in the same columns.

    >>> rows = [["Port", "Wick", None, "Crew", "C. Holm"], ["Week", 14, None, "Clerk", "Ada"], [None] * 5, ["Fish", "Boxes"]]
    >>> _gapped_field_lines(Sheet.of([*rows, ["Cod", 12], ["Ling", 4]]), np.array([0, 1, 3, 4, 5]))
    (0, 1)
    """
    gaps = np.flatnonzero(np.diff(rows) > 1)
    form = rows[: int(gaps[0]) + 1].tolist() if len(gaps) else []
    if len(form) < _PAIRS or len(rows) - len(form) < len(form) or len(form) > _MOST_IN_LINE:
        return ()
    runs = [_slots(sheet, row) for row in form]
    same = all([at for run in own for _, at in run] == [at for run in runs[0] for _, at in run] for own in runs)
    return tuple(form) if same and len(runs[0]) >= _PAIRS and all(is_field_line(sheet, row) for row in form) else ()


def trailing_field_lines(sheet: Sheet, rows: NDArray[np.intp]) -> tuple[int, ...]:
    """Rows at the end, behind a gap, that say who signed and when: names with a colon, and what they say, which is no figure.

    >>> rows = [["Port", "Foot"], ["Brae", 10], ["Wick", 8], [None, None], ["Signed:", "A. Berg"]]
    >>> trailing_field_lines(Sheet.of(rows), np.array([0, 1, 2, 4]))
    (4,)
    """
    found: list[int] = []
    for row in rows[:0:-1].tolist():
        columns = np.flatnonzero(sheet.filled[row]).tolist()
        if len(columns) % 2 or len(columns) > 2 * _PAIRS or not all(
            sheet.text(row, name).endswith(":") and (sheet.kinds[row, value] == Kind.DATE or not sheet.data[row, value])
            for name, value in zip(columns[::2], columns[1::2], strict=True)
        ):  # fmt: skip
            break
        found.insert(0, row)
    above = rows[rows < found[0]] if found else rows[:0]
    return tuple(found) if len(above) > 1 and found[0] - int(above[-1]) > 1 else ()


def _all_pairs(sheet: Sheet, row: int) -> bool:
    """Whether a row's filled cells are labels and what they say, one after the other."""
    columns = np.flatnonzero(sheet.filled[row]).tolist()
    pairs = zip(columns[::2], columns[1::2], strict=False)
    return len(columns) % 2 == 0 and all(_is_pair(sheet, (row, one), (row, other)) for one, other in pairs)


def _is_pair(sheet: Sheet, label_at: tuple[int, int], value_at: tuple[int, int]) -> bool:
    label, value = sheet.text(*label_at), sheet.text(*value_at)
    wordy = sheet.kinds[label_at] == Kind.TEXT and not sheet.data[label_at] and not any(map(str.isdigit, label))
    short = len(label.split()) <= _LABEL_WORDS and _may_name(label.rstrip(" :"))
    said = (
        _says_something(value)
        and not _STAMPED.match(value)
        and ": " not in value
        and not value.endswith(":")
        and not _NO_FIELD.match(value)
    )
    return wordy and short and said and not label.startswith("# ")  # a comment that its commas cut is none


def _slots(sheet: Sheet, row: int) -> list[list[tuple[int, int]]]:
    """The filled cells of a row in runs without a gap; a merge is one cell however wide it is."""
    runs: list[list[tuple[int, int]]] = []
    after = -2
    column = 0
    while column < sheet.shape[1]:
        area = _merge_at(sheet, row, column)
        if sheet.filled[row, column]:
            if column != after:
                runs.append([])
            runs[-1].append((row, column))
            after = area.right + 1
        column = area.right + 1
    return runs


def _texts_outside(sheet: Sheet, block: Area | None) -> Iterator[tuple[int, int]]:
    """Text cells above or below the block, and those behind a gap beside it: right at the block they label its rows.

    Names with a colon do so nowhere.
    """
    limits = (0, -1) if block is None else (block.top, block.bottom)
    above = sheet.kinds[: limits[0]] == Kind.TEXT
    below = sheet.kinds[limits[1] + 1 :] == Kind.TEXT
    yield from ((int(row), int(column)) for row, column in zip(*above.nonzero(), strict=True))
    yield from ((int(row) + limits[1] + 1, int(column)) for row, column in zip(*below.nonzero(), strict=True))
    if block is not None:
        gaps = sheet.gaps[1]
        right = np.arange(block.right + 1, sheet.shape[1])
        names = np.array([_all_name(sheet, block, column) for column in right.tolist()], np.bool_)
        behind = right[(gaps[right] > gaps[block.right]) | names]
        beside = sheet.kinds[np.ix_(np.arange(block.top, block.bottom + 1), behind)] == Kind.TEXT
        yield from ((int(row) + block.top, int(behind[at])) for row, at in np.argwhere(beside).tolist())


def _all_name(sheet: Sheet, block: Area, column: int) -> bool:
    """Whether a column beside a block holds nothing but names with a colon, two or more: they label no rows."""
    rows = np.flatnonzero(sheet.filled[block.top : block.bottom + 1, column]) + block.top
    return len(rows) > 1 and all(sheet.text(row, column).endswith(":") for row in rows.tolist())


def stated_field(sheet: Sheet, name: str, label: str, *, below: bool = False) -> FieldCell | None:
    """The field beside (or below) a stated label; None if no cell bears the label or nothing stands there.

    The label may stand in a cell of its own or before the value in one cell; its colon may be left out.

    >>> sheet = Sheet.of([["Route code: N4"]])
    >>> stated_field(sheet, "route code", "Route code:").value
    'N4'
    """
    sought = neat(label).lstrip("#%;! ").rstrip(" :").casefold()
    for row, column in np.argwhere(sheet.kinds == Kind.TEXT).tolist():
        text = neat(str(sheet.at(row, column))).lstrip("#%;! ")
        if text.rstrip(" :").casefold() == sought:
            at = _value_below(sheet, None, row, column) if below else _value_beside(sheet, None, row, column)
            if at is not None:
                return FieldCell(name, sheet.text(*at), (row, column), at)
        elif not below and text.casefold().startswith(sought) and text[len(sought) :].lstrip().startswith(":"):
            return FieldCell(name, text[len(sought) :].lstrip()[1:].strip(), (row, column), (row, column))
    return None


def _value_beside(sheet: Sheet, block: Area | None, row: int, column: int) -> tuple[int, int] | None:
    merge = _merge_at(sheet, row, column)
    for right in range(merge.right + 1, min(merge.right + 1 + _REACH, sheet.shape[1])):
        if sheet.filled[row, right]:
            return None if _is_label(sheet, row, right) else (row, right)
    return _value_below(sheet, block, row, column)


def _value_below(sheet: Sheet, block: Area | None, row: int, column: int) -> tuple[int, int] | None:
    below = _merge_at(sheet, row, column).bottom + 1
    inside = block is not None and block.holds(below, column)
    if below < sheet.shape[0] and not inside and sheet.filled[below, column] and not _is_label(sheet, below, column):
        return below, column
    return None


def _merge_at(sheet: Sheet, row: int, column: int) -> Area:
    return sheet.merge_at(row, column) or Area(row, column, row, column)


def _is_label(sheet: Sheet, row: int, column: int) -> bool:
    return sheet.kinds[row, column] == Kind.TEXT and str(sheet.at(row, column)).rstrip().endswith(":")
