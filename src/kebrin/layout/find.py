"""Work out a block's layout, helped by whatever a person states."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.cells import Sheet, column_letters, neat
from kebrin.grammar.words import look_of
from kebrin.layout.about import lines_about, stated_about, with_about
from kebrin.layout.across import settle_across
from kebrin.layout.attached import all_attached, with_attached
from kebrin.layout.build import build
from kebrin.layout.calendars import calendar_frames, is_calendar, named_as_calendar
from kebrin.layout.counting import counted_frames, with_record_count
from kebrin.layout.derived import find_derived, with_derived
from kebrin.layout.doubts import first_row_doubt, lone_year_doubt, record_doubt
from kebrin.layout.edges import bare_marks, beside_columns, labels_among, mark_columns, with_sides
from kebrin.layout.fields import without_others_fields
from kebrin.layout.frame import Around, Frame
from kebrin.layout.headings import MOST_SPACERS, boxhead_rows, is_stub_head_row, last_with_data
from kebrin.layout.listing import as_bare_list, as_list, as_records, as_told
from kebrin.layout.lists import is_form
from kebrin.layout.model import Evidence, Layout, Stated
from kebrin.layout.omitting import inside, lines_left_out, without_blocks, without_cells
from kebrin.layout.page_lines import without_page_cells
from kebrin.layout.parted import parted_frame, self_parted
from kebrin.layout.play import Play, from_anchor, in_play
from kebrin.layout.regions import Region, find_regions
from kebrin.layout.spanned import spanned_frame
from kebrin.layout.split import Split, find_split
from kebrin.layout.stating import (
    Anchor,
    find_anchor,
    find_end,
    refuse_depth,
    refuse_width,
    refuse_without_effect,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.layout.model import FieldCell

_WIDEST = 4
_BESIDE = "it holds words, beside columns that are headed by periods"
_MARKS = "it has no heading and holds nothing but short marks beside values"


# So many labels must be numbered alike for the rows above with such a label to belong to the body.
_NUMBERED = 0.8
_FULL = 0.8
# A list of words has more rows than this, where a body of one row of figures would stand against it.
_FEW_WORDS = 2
# A word in place of figures is no longer.
_SHORT = 15


def find_layouts(sheet: Sheet, stated: Stated | None = None, fields: Sequence[FieldCell] = ()) -> list[Layout]:
    """The layouts of a sheet's blocks, in reading order; empty if no block is there.

    Args:
        sheet: the sheet.
        stated: what a person says about the layout.
        fields: fields that a person named, beside those that are found.

    >>> sheet = Sheet.of([["Sailing", "Foot", "Cars"], ["08:00", 12.0, 3.0], ["10:00", 9.0, 1.0]])
    >>> layout = find_layouts(sheet)[0]
    >>> layout.names, layout.shape, layout.address
    (('Sailing', 'heading'), (2, 2), 'A1:C3')

    Raises:
        LayoutError: what was stated is not what the sheet shows.
    """
    stated = stated or Stated()
    if not sheet.filled.any():
        return []
    sheet = without_page_cells(sheet)
    lines = stated_about(sheet, stated.about_columns)
    apart = [line.row for line in lines]
    found = found_layouts(sheet, stated, fields, apart)
    if attached := all_attached(sheet, found, stated):
        apart += [one.row for one in attached]
        found = found_layouts(sheet, stated, fields, apart)
    kept = {neat(label).casefold() for label in stated.records}
    given = {neat(label).casefold() for label in stated.not_totals}
    derived = (
        [
            (place, one)
            for place, layout in enumerate(found)
            for one in find_derived(sheet, layout, given)
            if layout.stands_alone(found, one.axis)
        ]
        if stated.totals_found
        else []
    )
    out = [(one.axis, one.at) for _, one in derived]
    if derived:
        found = found_layouts(sheet, stated, fields, apart, out)
    alone = [layout for layout in found if layout.stands_alone(found, "row")]
    maybe = [one for layout in alone for one in lines_about(sheet, layout) if one.why]
    if more := [one for one in maybe if neat(one.label).casefold() not in kept]:
        lines = [*lines, *more]
        found = found_layouts(sheet, stated, fields, [*apart, *(line.row for line in more)], out)
    found = with_attached(sheet, with_derived(found, derived), attached)
    return with_about(sheet, found, lines, stated)


def found_layouts(
    sheet: Sheet, stated: Stated | None = None, fields: Sequence[FieldCell] = (), without: Sequence[int] = (),
    lines: Sequence[tuple[Literal["row", "column"], int]] = (),
) -> list[Layout]:  # fmt: skip
    """The layouts of a sheet's blocks, read as if some rows, and other lines, were not there."""
    stated = stated or Stated()
    if sheet.hints.headless and stated.boxhead is None:
        stated = replace(stated, boxhead=())
    play = in_play(sheet)
    sides = list(sheet.readings.sides)
    play = replace(
        play, rows=play.rows[~np.isin(play.rows, without)], columns=play.columns[~np.isin(play.columns, sides)]
    )
    play = play.without(lines)
    out = lines_left_out(sheet, stated.leave_out) if stated.leave_out else ()
    play = play.without(out)
    if stated.within:
        play = inside(sheet, play, stated.within)
    if special := _special(sheet, play, stated, fields):
        return special
    anchor = find_anchor(sheet, stated)
    end = find_end(sheet, stated)
    if anchor is not None:
        play = from_anchor(play, anchor)
    if end is not None:
        play = replace(play, rows=play.rows[play.rows <= end.row], columns=play.columns[play.columns <= end.column])
    if anchor is not None and anchor.exact and stated.boxhead is not None and stated.measures in stated.boxhead:
        listed = with_sides(sheet, _list_at(sheet, play, anchor, stated))
        if listed is not None:
            return [build(sheet, listed, stated, Around(_outside(sheet, [listed])), fields)]
    exact = _exact(sheet, play, anchor, stated) if anchor is not None and anchor.exact else None
    exact = with_sides(sheet, _edged(sheet, exact, stated))
    if exact is not None:
        return [build(sheet, exact, stated, Around(_outside(sheet, [exact])), fields)]
    regions = find_regions(sheet, play.rows, play.columns) if len(play.rows) and len(play.columns) else []
    if anchor is not None:
        regions = [
            region for region in regions if anchor.row in region.rows and anchor.column in region.columns
        ] or regions
    framed = [
        (region, _framed(sheet, replace(play.within(region), several=len(regions) > 1), anchor, stated))
        for region in regions
    ]
    found = _built(sheet, [(region, frame) for region, frame in framed if frame is not None], stated, fields)
    refuse_without_effect(sheet, found, stated)
    found = without_cells(sheet, without_blocks(sheet, found, stated), stated)
    return [replace(layout, left_out=tuple(out)) for layout in found] if out else found


def _special(sheet: Sheet, play: Play, stated: Stated, fields: Sequence[FieldCell]) -> list[Layout]:
    """The layouts of calendars, and of blocks of signs that lines of figures count."""
    if weeks := calendar_frames(sheet, play, stated):
        layouts = _built(sheet, [(Region(play.rows, play.columns), frame) for frame in weeks], stated, fields)
        return named_as_calendar(layouts, stated)
    return _built(sheet, counted, stated, fields) if (counted := _counted(sheet, play, stated)) else []


def _counted(sheet: Sheet, play: Play, stated: Stated) -> list[tuple[Region, Frame]]:
    """Blocks of signs that lines of figures count, each with what stands above it."""
    if stated.starts or stated.ends or stated.headings:
        return []
    found, top = [], -1
    for frame in counted_frames(sheet, play, None if stated.boxhead is None else len(stated.boxhead)):
        area = frame.area
        found.append((Region(play.rows[(play.rows > top) & (play.rows <= area.bottom)], play.columns), frame))
        top = area.bottom
    return found


def _list_at(sheet: Sheet, play: Play, anchor: Anchor, stated: Stated) -> Frame | None:
    """The list that begins at a stated cell, if there is one."""
    for region in find_regions(sheet, play.rows, play.columns) if len(play.rows) and len(play.columns) else []:
        if anchor.row in region.rows and anchor.column in region.columns:
            frame = as_records(sheet, play.within(region), None, stated)
            return frame if frame is not None and frame.boxhead == (anchor.row,) else None
    return None


def _framed(sheet: Sheet, play: Play, anchor: Anchor | None, stated: Stated) -> Frame | None:
    found = with_sides(sheet, _any_frame(sheet, play, anchor, stated))
    return with_record_count(sheet, found, {label.casefold() for label in (*stated.records, *stated.totals)})


def _any_frame(sheet: Sheet, play: Play, anchor: Anchor | None, stated: Stated) -> Frame | None:
    if stated.headings:
        return parted_frame(sheet, play, stated.headings)
    found = _found_frame(sheet, play, anchor, stated)
    open_ = stated.boxhead is None and stated.measures is None and not stated.joined
    return self_parted(sheet, play, found) if found is not None and open_ else found


def _found_frame(sheet: Sheet, play: Play, anchor: Anchor | None, stated: Stated) -> Frame | None:
    if anchor is None and (spanned := spanned_frame(sheet, play, stated)) is not None:
        return spanned
    records = as_records(sheet, play, anchor, stated)
    if records is not None:
        return records
    if anchor is None and stated.boxhead is None and is_form(sheet, play.rows, play.columns):
        return None
    frame = _edged(sheet, _worked_out(sheet, play, anchor, stated), stated)
    if frame is not None and stated == Stated() and not frame.boxhead and frame.rows.size == frame.columns.size == 1:
        return None  # one figure beside a word is no table
    if frame is not None and len(frame.rows) == 1 and stated == Stated():
        # One line of figures among lines of words: a list of words with a figure in it says more of them.
        words = as_list(sheet, play, stated)
        frame = words if words is not None and len(words.rows) > _FEW_WORDS else frame
    return frame or as_told(sheet, play, stated) or as_list(sheet, play, stated) or as_bare_list(sheet, play, stated)


def _built(
    sheet: Sheet, framed: list[tuple[Region, Frame]], stated: Stated, fields: Sequence[FieldCell]
) -> list[Layout]:
    outside = _outside(sheet, [frame for _, frame in framed])
    outside[[page for _, frame in framed for page in frame.pages]] = False
    # A cell outside all blocks belongs to the block whose region it lies in, or else to the first.
    owner = np.zeros(sheet.shape, np.int16)
    for number, (region, _) in enumerate(framed):
        owner[np.ix_(region.rows, region.columns)] = number
    layouts: list[Layout] = []
    for number, (_, frame) in enumerate(framed):
        # What stands above the first block speaks for all of them.
        inherited = layouts[0].fields if layouts else ()
        around = Around(outside & (owner == number), inherited)
        layouts.append(build(sheet, frame, stated, around, () if layouts else fields))
    for number, measures in _measures_of_others(layouts, stated).items():
        around = Around(outside & (owner == number), layouts[0].fields if number else ())
        own = replace(stated, measures=measures)
        layouts[number] = build(sheet, framed[number][1], own, around, () if number else fields)
    layouts = [layout for layout in without_others_fields(layouts) if not is_calendar(sheet, layout)]
    return settle_across(sheet, layouts) if len(layouts) > 1 else layouts


def _measures_of_others(layouts: Sequence[Layout], stated: Stated) -> dict[int, str]:
    """The blocks with the headings of another one, whose figures showed that these are measures: theirs are too."""
    if stated.measures is not None:
        return {}
    known = {
        layout.level(layout.measures).texts: layout.measures
        for layout in layouts
        if layout.measures and not layout.listed and not layout.pattern
    }
    return {
        at: known[layout.boxhead[-1].texts]
        for at, layout in enumerate(layouts)
        if layout.boxhead and not layout.measures and not layout.listed and layout.boxhead[-1].texts in known
        and layout.boxhead[-1].name == known[layout.boxhead[-1].texts]
    }  # fmt: skip


def _outside(sheet: Sheet, frames: list[Frame]) -> NDArray[np.bool_]:
    outside = sheet.filled.copy()
    for frame in frames:
        area = frame.area
        outside[area.top : area.bottom + 1, area.left : area.right + 1] = False
    return outside


def _exact(sheet: Sheet, play: Play, anchor: Anchor, stated: Stated) -> Frame | None:
    """The frame when corner, boxhead and stub are all stated: nothing is left to work out but where it ends."""
    if stated.boxhead is None or stated.stub is None:
        return None
    depth, width = len(stated.boxhead), len(stated.stub)
    refuse_depth(sheet, play.rows, anchor, depth)
    refuse_width(sheet, play.columns, anchor, width)
    return _frame(sheet, play, tuple(play.rows[:depth].tolist()), tuple(play.columns[:width].tolist()), ())


def _worked_out(sheet: Sheet, play: Play, anchor: Anchor | None, stated: Stated) -> Frame | None:
    depth = None if stated.boxhead is None else len(stated.boxhead)
    marks = bare_marks(sheet, play.rows, play.columns)
    play, every = replace(play, columns=play.columns[~np.isin(play.columns, marks)]), play
    after = -1 if anchor is None else anchor.row - (depth == 0)
    split = find_split(sheet, play.rows, play.columns, after_row=after, depth=depth, width=len(stated.stub or ()))
    if split is None:
        return None
    if depth != 0:
        split = replace(split, row=_first_like_it(sheet, play, split, depth or 1))
    after = sheet.shape[0] if anchor is None or anchor.exact else anchor.row
    boxhead = boxhead_rows(sheet, play, split.row, split.column, depth, after)
    if depth and len(boxhead) < depth and (lower := _lower(sheet, play, split, depth - len(boxhead))) is not None:
        split = lower  # the headings that are stated are figures, and were taken for the body's
        boxhead = boxhead_rows(sheet, play, split.row, split.column, depth)
    split = _after_stated(sheet, play, split, boxhead, stated)
    first = boxhead[0] if boxhead else split.row
    width = None if stated.stub is None else len(stated.stub)
    stub = _stub_columns(sheet, play, first, split.column, width)
    evidence = [
        Evidence(
            "body",
            f"from {sheet.address(split.row, split.column)}",
            "below and right of it cells hold data, above and left words",
            split.sure,
        ),
        *[Evidence("labels", "", why) for why in split.why],
    ]
    if depth is None:
        inner = play.columns[play.columns >= split.column]
        evidence += first_row_doubt(sheet, play.rows, inner, boxhead)
        if len(boxhead) == 1:
            evidence += record_doubt(sheet, boxhead[0], play.rows[play.rows > boxhead[0]], inner)
        evidence += lone_year_doubt(sheet, play.rows[play.rows >= split.row], inner) if not boxhead else []
    else:
        refuse_depth(sheet, play.rows[play.rows < split.row], anchor, depth)
        if len(boxhead) < depth:
            refuse_depth(sheet, np.array(boxhead, np.intp), anchor, depth)
    if width is not None:
        refuse_width(sheet, play.columns[play.columns < split.column], anchor, width)
        if len(stub) < width:
            refuse_width(sheet, np.array(stub, np.intp), anchor, width)
    if anchor is not None:
        anchor.check(sheet, boxhead, stub)
    return _frame(sheet, every, boxhead, stub, tuple(evidence), split.row, split.column, marks)


def _after_stated(sheet: Sheet, play: Play, split: Split, boxhead: Sequence[int], stated: Stated) -> Split:
    """The corner right behind the label columns stated by their headings, where columns with figures look like labels."""
    names = {neat(name).casefold() for name in stated.stub or () if name}
    left = play.columns[play.columns < split.column].tolist()
    own = [at for at in left if {neat(sheet.text(row, at)).casefold() for row in boxhead} & names]
    if not own or len(own) != len(names) or own[-1] == left[-1]:
        return split
    more = [at for at in left if at > own[-1]]
    if not sheet.data[np.ix_(play.rows[play.rows >= split.row], more)].any(axis=0).all():
        return split  # a column of words that the report has gained is no figure's
    return replace(split, column=int(play.columns[play.columns > own[-1]][0]))


def _first_like_it(sheet: Sheet, play: Play, split: Split, depth: int) -> int:
    """The body's first row, moved up over rows whose label is numbered as those of nearly all rows below are.

    At least `depth` rows stay above it.
    """
    left = play.columns[play.columns < split.column]
    if not len(left):
        return split.row
    looks = [look_of(sheet.text(int(row), int(left[-1]))) for row in play.rows[play.rows >= split.row]]
    look, count = Counter(looks).most_common(1)[0]
    first = split.row
    if "0" in look and "a" in look and count >= _NUMBERED * len(looks) and len(looks) > 1:
        for row in play.rows[play.rows < split.row][depth:][::-1].tolist():
            if look_of(sheet.text(row, int(left[-1]))) != look:
                break
            first = row
    return first


def _lower(sheet: Sheet, play: Play, split: Split, missing: int) -> Split | None:
    """The corner some rows further down, if a body is left there."""
    below = play.rows[play.rows >= split.row]
    after = int(below[min(missing, len(below)) - 1])
    return find_split(sheet, play.rows, play.columns, after_row=after, depth=missing)


def _frame(
    sheet: Sheet, play: Play, boxhead: tuple[int, ...], stub: tuple[int, ...], evidence: tuple[Evidence, ...],
    first_row: int | None = None, first_column: int | None = None, marks: Sequence[int] = (),
) -> Frame | None:  # fmt: skip
    after_row = boxhead[-1] if boxhead else -1
    after_column = stub[-1] if stub else -1
    columns = play.columns[play.columns > after_column]
    if first_column is not None:
        columns = columns[columns >= first_column]
    if first_row is not None and boxhead:
        above = [int(row) for row in play.rows[(play.rows < first_row)]][::-1]
        if is_stub_head_row(sheet, above, columns, first_row):
            after_row = above[0]
    elif first_row is not None:
        after_row = first_row - 1
    rows = play.rows[play.rows > after_row]
    if not len(rows) or not len(columns):
        return None
    data = sheet.data[np.ix_(rows, columns)]
    in_use = np.asarray(data.any(axis=0) | _headed(sheet, boxhead, columns) | np.isin(columns, marks))
    columns = columns[: _until_gap(columns, in_use, sheet.gaps[1])]
    data = data[:, : len(columns)]
    stop = _until_gap(rows, np.asarray(data.any(axis=1)), sheet.gaps[0])
    while stop and stop < len(rows) and _says_one_word(sheet, int(rows[stop]), int(rows[stop - 1]), stub, columns):
        stop += 1
    while stop and stub and sheet.text(int(rows[stop - 1]), stub[0]).endswith(":"):
        stop -= 1  # fields below the block ("Prepared on:") are no rows of it
    if not stop or not len(columns):
        return None
    heads = tuple(int(row) for row in play.rows if boxhead and boxhead[0] <= row <= after_row)
    first, last = min([*heads, int(rows[0])]), int(rows[stop - 1])
    return Frame(
        boxhead, heads, stub, rows[:stop], columns, evidence, play.hidden_rows, play.hidden_columns, play.repeats,
        play.pages, comments=tuple(row for row in play.comments if first < row < last),
    )  # fmt: skip


def _says_one_word(sheet: Sheet, row: int, above: int, stub: tuple[int, ...], columns: NDArray[np.intp]) -> bool:
    """Whether a row right below a body has a label and says one short word of each column, as "free" under fares."""
    said = {sheet.text(row, int(column)) for column in columns} if row == above + 1 and len(columns) > 1 else set()
    return len(said) == 1 and 0 < len(said.pop()) <= _SHORT and bool(stub) and bool(sheet.filled[row, stub[-1]])


def _edged(sheet: Sheet, frame: Frame | None, stated: Stated) -> Frame | None:
    """The frame with label columns right of the body, and columns of marks, taken out of the body."""
    if frame is None:
        return None
    if not frame.stub and stated.stub is None and (own := labels_among(sheet, frame.rows, frame.columns)) >= 0:
        why = Evidence("label column", column_letters(own), "it alone holds words, each once, among figures")
        frame = replace(
            frame, stub=(own,), columns=frame.columns[frame.columns != own], evidence=(*frame.evidence, why)
        )
    beside = beside_columns(sheet, frame.rows, frame.columns, frame.boxhead, stated.beside)
    body = frame.columns[~np.isin(frame.columns, beside)]
    marks = mark_columns(sheet, frame.rows, body, frame.boxhead)
    body = body[~np.isin(body, [column for column, _ in marks])]
    if not len(body) or not (beside or marks):
        return frame
    said = [
        *[Evidence("label column", column_letters(column), _BESIDE) for column in beside],
        *[Evidence("marks", f"column {column_letters(column)}", _MARKS) for column, _ in marks],
    ]
    return replace(frame, columns=body, beside=tuple(beside), marks=tuple(marks), evidence=(*frame.evidence, *said))


def _headed(sheet: Sheet, boxhead: tuple[int, ...], columns: NDArray[np.intp]) -> NDArray[np.bool_]:
    if not boxhead:
        return np.zeros(len(columns), np.bool_)
    return np.asarray(sheet.filled[np.ix_(np.array(boxhead), columns)].any(axis=0))


def _until_gap(lines: NDArray[np.intp], used: NDArray[np.bool_], blanks: NDArray[np.int64]) -> int:
    """How many of the lines belong to the block: up to the last one in use before a gap of several blank lines."""
    last = 0
    for at in np.flatnonzero(used).tolist():
        if last and blanks[lines[at]] - blanks[lines[last - 1]] > MOST_SPACERS:
            break
        last = at + 1
    return last


def _stub_columns(sheet: Sheet, play: Play, first_row: int, body_column: int, width: int | None) -> tuple[int, ...]:
    """The label columns left of the body, leftmost first."""
    left = [int(column) for column in play.columns[play.columns < body_column]][::-1]
    if width is not None:
        return tuple(sorted(left[:width]))
    taken: list[int] = []
    # Notes below the body make no label column of the one that they stand in.
    inner = play.columns[play.columns >= body_column]
    below = play.rows[play.rows >= first_row]
    last = int(below[max(last_with_data(sheet, below, inner) - 1, 0)]) if len(below) else first_row
    skipped = 0  # columns that hold notes below the body and nothing beside it are gaps here
    for column in left:
        gap = int(sheet.gaps[1][taken[-1] if taken else body_column] - sheet.gaps[1][column]) + 1 + skipped
        own = sheet.filled[first_row : last + 1, column]
        if not own.any() and gap <= MOST_SPACERS:
            skipped += 1
            continue
        # Columns that are full all the way are labels however many there are.
        # A label that is merged over several rows is said by each of them.
        wide = len(taken) >= _WIDEST and (gap > 1 or sheet.covered[first_row : last + 1, column].mean() < _FULL)
        if wide or gap > MOST_SPACERS or not own.any():
            break
        taken.append(column)
        skipped = 0
    return tuple(sorted(taken))
