"""From a frame (boxhead rows, stub columns, the lines below and beside them) to a whole layout."""

from __future__ import annotations

import re
from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.cells import Area, Kind, Sheet, trailing_mark
from kebrin.grammar.legend import read_key
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import is_ratio, says_whole, total_word, without_continued
from kebrin.layout.bands import band_totals, closed_by_totals, with_first_band, with_first_field
from kebrin.layout.depths import BOLD, Depths, depths_by_sums, find_depths
from kebrin.layout.doubts import mixed_doubt
from kebrin.layout.fields import find_fields, key_cells, unit_line
from kebrin.layout.framed_totals import totals_of
from kebrin.layout.heads import Heads, find_heads, keyed, listed_heads, lone_heads
from kebrin.layout.labels import boxhead_levels, label, named, stub_levels
from kebrin.layout.model import (
    COLUMN,
    MISSING,
    NO_COLUMN,
    ROW,
    UNNAMED,
    Evidence,
    FieldCell,
    Layout,
    Level,
    Role,
    Stated,
    TotalLine,
)
from kebrin.layout.naming import find_names, split_corner, with_headings_apart
from kebrin.layout.parted import MEASURE, Pattern, with_parts
from kebrin.layout.units import named_units, units_below, units_tell_measures, with_units, without_units
from kebrin.layout.unlike import unlike_level

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.layout.frame import Around, Frame

    _Job = tuple[Literal["row", "column"], NDArray[np.float64], list[tuple[str | None, ...]], NDArray[np.int32]]


# A note that a small letter begins: "p Provisional", "r = revised".
_LETTERED_NOTE = re.compile(r"([a-z])(?:[.:)]? +(?=[A-Z])|\s*[=:] *(?=\w))")
# Notes behind one another in one cell: "(a) storm. (b) strike."
_NEXT_NOTE = re.compile(r"(?<=[.;,])\s+(?=(?:\([a-z\d]{1,2}\)|\d{1,2}\)|\*{1,3}|[†‡])\s*[^\W\d_])")
_NUMBERED_NOTE = re.compile(r"\d{1,2}\)\s")


def build(
    sheet: Sheet, frame: Frame, stated: Stated, around: Around, stated_fields: Sequence[FieldCell] = ()
) -> Layout:
    """Repair the labels of a framed block, find its totals, heads, fields and texts, and put it all together."""
    area = frame.area
    fields = (*find_fields(sheet, area, around.cells), *stated_fields)
    texts = _texts_around(sheet, area, fields, around.cells)
    marks = _note_marks(sheet, texts)
    names = find_names(sheet, frame.boxhead, frame.heads, frame.stub, stated, frame.beside, marks)
    across = boxhead_levels(sheet, frame.boxhead, frame.columns.tolist(), names.boxhead, marks)
    fill = stated.fill != "none" and (not frame.listed or frame.grouped)
    down = _continued(stub_levels(sheet, frame.rows.tolist(), frame.stub, names.stub, marks, fill=fill))
    across, down = _headed(across, names.heads[0]), _headed(down, names.heads[1])
    rows = _with_data(sheet, frame, stated)
    depths = find_depths(sheet, frame.rows, frame.stub, len(frame.rows) * len(frame.columns))
    if (tree := _by_sums(sheet, frame, (across, down), stated)) is not None:
        # Bold may say less than the sums do.
        depths = replace(depths, adds_up=tree.adds_up) if depths.told and depths.sign != BOLD else tree
    totals, remarks = totals_of(sheet, frame, rows, (across, down), stated, depths)
    heads, bands, said = _found_heads(sheet, frame, stated, (across, down), totals, (texts, marks, depths, fields))
    used = {cell for level in heads.levels for cell in level.cells.tolist()}
    fields = tuple(one for one in fields if one.label_at[0] * sheet.shape[1] + one.label_at[1] not in used)
    if heads.levels:
        down = tuple(_not_from(level, used) for level in down)
        down, totals, remarks = (*heads.levels, *down), (*totals, *bands), [*remarks, *said]
    total_rows = {line.at for line in totals if line.axis == "row"}
    observed = frame.rows[rows | np.isin(frame.rows, heads.bare)]
    body_rows = _without(observed, {*total_rows, *heads.rows, *heads.notes})
    body_columns = _without(frame.columns, {line.at for line in totals if line.axis == "column"})
    kept_columns = np.flatnonzero(np.isin(frame.columns, body_columns))
    kept_rows = np.flatnonzero(np.isin(frame.rows, body_rows))
    boxhead, units, said = _boxhead(stated, [level.at(kept_columns) for level in across])
    units, remarks = [*units, *units_below(sheet, frame, body_columns)], [*remarks, *said]
    down = (*down, *_headed(_beside_levels(sheet, frame, names.beside, marks), names.heads[2]))
    stub = named([level.at(kept_rows) for level in down], "label")
    numbered = not stub and not frame.listed and len(body_rows) > 1 and stated.stub is None
    stub = _numbered(ROW, len(body_rows)) if numbered else stub
    if not boxhead and not frame.listed and len(body_columns) > 1:
        boxhead = _numbered(COLUMN, len(body_columns))
    stub, boxhead = _parted(frame, stated, stub, boxhead)
    heading = partial(boxhead_levels, sheet, frame.boxhead, body_columns.tolist(), names.boxhead, marks, inner=True)
    boxhead, measures, said = _measured(sheet, frame, stated, (boxhead, units), (body_rows, body_columns), heading)
    remarks += said
    texts |= _notes_in(sheet, (*heads.notes, *frame.comments), texts)
    unit = unit_line(sheet, area, around.cells)
    title, title_at = _title(sheet, area, texts, unit, used)
    label_rows = (*(int(row) for row in _without(frame.rows[~rows], {*total_rows, *heads.bare})), *heads.rows)
    return Layout(
        sheet=sheet.name, area=area, boxhead_rows=frame.heads, stub_columns=frame.stub, beside_columns=frame.beside,
        mark_columns=frame.marks, notes=tuple(marks.items()), body_rows=body_rows.astype(np.int32),
        body_columns=body_columns.astype(np.int32), boxhead=tuple(level for level in boxhead if level.name != NO_COLUMN),
        silent_rows=tuple(level.line for level in boxhead if level.name == NO_COLUMN),
        unit_rows=tuple(level.line for level in units if level.line in frame.boxhead), stub=stub, totals=totals,
        fields=(*fields, *_others(around.inherited, fields)), texts=texts, hidden_rows=frame.hidden_rows,
        hidden_columns=frame.hidden_columns, label_rows=label_rows, repeats=frame.repeats, pages=frame.pages, measures=measures,
        listed=frame.listed, title=title,
        title_name=names_period(sheet, area, title_at) if title_at else "",
        title_at=title_at, unit=unit, stub_head=names.found[-1] if names.found else "", evidence=(*frame.evidence, *remarks),
        counts=frame.counts, numbered=numbered,
    )  # fmt: skip


def _numbered(name: str, count: int) -> tuple[Level, ...]:
    """A level that numbers lines which nothing labels: what stands side by side is told by the line that it stands in."""
    return (Level.of(name, [str(at + 1) for at in range(count)], MISSING),)


def _not_from(level: Level, heads: Collection[int]) -> Level:
    """A level without the labels that it has from heads above its rows: these are levels of their own, and no "same as above"."""
    carried = np.isin(level.cells, list(heads)) & (level.line >= 0)
    if not carried.any():
        return level
    labels = [None if away else level.label(at) for at, away in enumerate(carried.tolist())]
    return replace(
        Level.of(level.name, labels, level.line, np.where(carried, MISSING, level.cells).tolist()), head=level.head
    )


def _parted(
    frame: Frame, stated: Stated, stub: tuple[Level, ...], boxhead: tuple[Level, ...]
) -> tuple[tuple[Level, ...], tuple[Level, ...]]:
    """The levels of labels and of headings: a corner that names both parted, headings joined or parted as stated or found."""
    if stated.boxhead is None and stated.stub is None:
        stub, boxhead = split_corner(stub, boxhead)
    if stated.joined and len(boxhead) > 1:
        boxhead = (Level.join(stated.joined, boxhead),)
    return stub, with_parts(boxhead, Pattern.of(frame.pattern)) if frame.pattern else boxhead


def _by_sums(
    sheet: Sheet, frame: Frame, levels: tuple[Sequence[Level], Sequence[Level]], stated: Stated
) -> Depths | None:
    """The depths of rows by what sums what, where no look of theirs tells them and no record is stated among them."""
    across, down = levels
    if frame.listed or frame.counts or stated.records or not stated.totals_found or not down:
        return None
    texts = [label or "" for label in down[-1].labels()]
    # Labels that cross are no tree: each says something of its own there.
    crossed = any(len(set(level.codes.tolist())) < len(level.codes) for level in down[:-1])
    if crossed:
        return None
    heads = across[-1].labels() if across else []
    sums = [at for at in range(len(frame.columns)) if not (at < len(heads) and is_ratio(heads[at] or ""))]
    if not sums:
        return None
    found = depths_by_sums(
        sheet.numbers[np.ix_(frame.rows, frame.columns[sums])],
        {at for at, text in enumerate(texts) if total_word(text)},
    )
    return found if found.told or found.wholes else None


def _found_heads(
    sheet: Sheet, frame: Frame, stated: Stated, levels: tuple[Sequence[Level], Sequence[Level]], totals: Sequence[TotalLine],
    known: tuple[dict[tuple[int, int], Role], Collection[str], Depths, Sequence[FieldCell]],
) -> tuple[Heads, tuple[TotalLine, ...], list[Evidence]]:  # fmt: skip
    """The heads among the rows, the totals of the groups that they make, and what is said of both."""
    (across, down), (texts, marks, depths, fields) = levels, known
    heads = _heads(sheet, frame, totals, stated, marks, depths, {level.line: level.name for level in down})
    heads = with_first_field(sheet, replace(heads, levels=_continued(heads.levels)), fields)
    if stated.cutins is None:
        heads = replace(heads, levels=keyed(heads.levels, [level.name for level in (*across, *down)]))
    if not heads.levels:
        return heads, (), []
    heads = closed_by_totals(sheet, frame, with_first_band(sheet, frame, heads, texts), totals)
    bands, said = _bands(sheet, frame, heads, (*heads.levels, *down), totals, stated)
    return heads, bands, said


def _bands(
    sheet: Sheet, frame: Frame, heads: Heads, down: Sequence[Level], totals: Sequence[TotalLine], stated: Stated
) -> tuple[tuple[TotalLine, ...], list[Evidence]]:
    """The totals of groups that heads make, and what is said of heads and of these."""
    known = {*heads.rows, *heads.notes, *(line.at for line in totals)}
    bands = tuple(band_totals(sheet, frame, down, known, stated))
    said = [Evidence("total", line.name, line.why, line.agree) for line in bands]
    return bands, [Evidence("cut-in heads", _lines(heads.rows), heads.why), *said]


def _notes_in(sheet: Sheet, rows: Sequence[int], texts: Collection[tuple[int, int]]) -> dict[tuple[int, int], Role]:
    """The cells of rows of notes between the others."""
    cells = ((row, column) for row in rows for column in np.flatnonzero(sheet.filled[row]).tolist())
    return {cell: Role.NOTE for cell in cells if cell not in texts}


def _named_as(levels: Sequence[Level], named: Sequence[Level]) -> tuple[Level, ...]:
    """Levels with the names that others on the same lines have; those on no such line are left out."""
    names = {level.line: level.name for level in named}
    return tuple(replace(level, name=names[level.line]) for level in levels if level.line in names)


def _headed(levels: Sequence[Level], heads: Sequence[int]) -> tuple[Level, ...]:
    """The levels with the cells that name them."""
    return tuple(replace(level, head=head) for level, head in zip(levels, heads, strict=True))


def _boxhead(stated: Stated, levels: list[Level]) -> tuple[tuple[Level, ...], list[Level], list[Evidence]]:
    """The boxhead's levels by name, without lines that only give units; these lines; and what is said of them."""
    if stated.boxhead is not None or stated.joined:
        kept, units = named_units(levels, stated.measures)
        return named(kept, UNNAMED), units, []
    kept, units = without_units(levels)
    why = "its headings are units and tell no columns apart"
    return named(kept, UNNAMED), units, [Evidence("unit line", f"row {level.line + 1}", why) for level in units]


def _measures(
    sheet: Sheet,
    frame: Frame,
    stated: Stated,
    boxhead: Sequence[Level],
    body: tuple[NDArray[np.intp], NDArray[np.intp]],
) -> tuple[str, list[Evidence]]:
    """The boxhead row that holds measures, as stated or by what its columns hold; '' if none does."""
    if frame.pattern:
        return stated.measures or (MEASURE if MEASURE in Pattern.of(frame.pattern).names else ""), []
    if stated.measures is not None:
        return stated.measures, []
    rows, columns = body
    headed = int((boxhead[0].codes >= 0).sum()) if len(boxhead) == 1 and not frame.listed else 0
    if headed and 1 < len(boxhead[0].texts) < headed:
        why = "it says one heading of several columns, which only columns of their own keep apart"
        return boxhead[0].name, [Evidence("measures", f"boxhead row {boxhead[0].name!r}", why)]
    found = boxhead[-1].name if frame.listed and boxhead else unlike_level(sheet, rows, boxhead, columns)
    why = "its columns hold values of unlike kinds"
    return found, [Evidence("measures", f"boxhead row {found!r}", why)] if found else []


def _measured(
    sheet: Sheet, frame: Frame, stated: Stated, levels: tuple[tuple[Level, ...], list[Level]],
    body: tuple[NDArray[np.intp], NDArray[np.intp]], inner: Callable[[], Sequence[Level]],
) -> tuple[tuple[Level, ...], str, list[Evidence]]:  # fmt: skip
    """The boxhead with its measures named, units with them; the level that names them; what is said, of headings in doubt too."""
    boxhead, units = levels
    measures, said = _measures(sheet, frame, stated, boxhead, body)
    measures = measures or (units_tell_measures(boxhead, units) if stated.measures is None else "")
    said += mixed_doubt(boxhead, {label.casefold() for label in stated.not_totals})
    if measures:
        own = () if frame.pattern else inner()
        boxhead, measures = _with_measures(boxhead, measures, own, stated) if own else (boxhead, measures)
        boxhead, twice = with_headings_apart(boxhead, measures)
        said += twice
    return with_units(boxhead, measures, units), measures, said


def _with_measures(
    boxhead: tuple[Level, ...], measures: str, inner: Sequence[Level], stated: Stated
) -> tuple[tuple[Level, ...], str]:
    """The boxhead and the name of its measures: one joined level where several say one heading, else the inner labels."""
    if stated.measures is None and _never_beside(boxhead, measures):
        return (Level.join(UNNAMED, boxhead),), UNNAMED
    return (boxhead if stated.joined else _named_as(inner, boxhead)), measures


def _never_beside(boxhead: Sequence[Level], measures: str) -> bool:
    """Whether no two measures of a level would ever stand beside one another: the levels say one heading on several lines."""
    others = [level.labels() for level in boxhead if level.name != measures]
    bare = all(level.name.startswith(UNNAMED) for level in boxhead)  # else each says something of its own
    return bare and bool(others) and len(set(zip(*others, strict=True))) == len(others[0])


def _heads(
    sheet: Sheet, frame: Frame, totals: Sequence[TotalLine], stated: Stated, marks: Collection[str], depths: Depths,
    names: Mapping[int, str],
) -> Heads:  # fmt: skip
    if not frame.stub or stated.cutins == () or (frame.listed and not frame.sections):
        return Heads()
    if frame.listed:
        found = listed_heads(sheet, frame.rows, frame.stub[0], frame.sections, marks)
        return _with_stated_names(found, stated)
    if len(frame.stub) > 1 and not depths.told:
        return _with_stated_names(lone_heads(sheet, frame.rows, frame.stub, frame.columns, marks), stated)
    column = frame.stub[-1]
    above = {
        line.at
        for line in totals
        if line.axis == "row"
        and len(line.parts)
        and line.parts[0] > line.at
        and not total_word(sheet.text(line.at, column))
        and not says_whole(sheet.text(line.at, column))
    }
    outer = {at: names.get(at, "code") for at in frame.stub[:-1]}
    found = find_heads(sheet, frame.rows, column, frame.columns, above, marks, depths, outer)
    return _with_stated_names(found, stated)


def _continued(levels: Sequence[Level]) -> tuple[Level, ...]:
    """Levels with labels that go on from a page before ("Hallan (cont.)") as those they go on from."""
    return tuple(level.joined_where(without_continued) for level in levels)


def _with_stated_names(found: Heads, stated: Stated) -> Heads:
    if stated.cutins is None or not found.levels:
        return found
    # A head that says its own name is without it under that name, and as it stands under another.
    own = keyed(found.levels, ())
    levels = tuple(
        one if one.name == name else replace(level, name=name)
        for level, one, name in zip(found.levels, own, stated.cutins, strict=False)
    )
    return replace(found, levels=(*levels, *found.levels[len(levels) :]))


def _beside_levels(sheet: Sheet, frame: Frame, names: Sequence[str], marks: Collection[str]) -> tuple[Level, ...]:
    """Levels of the label columns right of the body: each cell speaks of its own row only."""
    rows = frame.rows.tolist()
    return tuple(
        Level.of(
            name,
            [label(sheet.at(row, at), marks) if sheet.filled[row, at] else None for row in rows],
            at,
            [row * sheet.shape[1] + at if sheet.filled[row, at] else MISSING for row in rows],
        )
        for name, at in zip(names, frame.beside, strict=True)
    )


def _lines(rows: Sequence[int]) -> str:
    shown = ", ".join(str(row + 1) for row in rows[:6])
    return f"row {shown}" + (f" and {len(rows) - 6} more" if len(rows) > 6 else "")


def _others(inherited: Sequence[FieldCell], own: Sequence[FieldCell]) -> list[FieldCell]:
    """Fields from above that the block does not state itself."""
    names = {field.name for field in own}
    return [field for field in inherited if field.name not in names]


def _title(
    sheet: Sheet, area: Area, texts: Mapping[tuple[int, int], Role], unit: FieldCell | None, used: Collection[int]
) -> tuple[str, tuple[int, int] | None]:
    """The text nearest above a block that gives no unit, and its cell; a period before all, of several on a row the first.

    What heads the first rows (`used`) is no title of all of them.
    """
    own = None if unit is None else unit.label_at
    above = [at for at, role in texts.items() if role == Role.TITLE and at[0] < area.top and at != own]
    above = [at for at in above if at[0] * sheet.shape[1] + at[1] not in used]
    if not above:
        return "", None
    above = [at for at in above if names_period(sheet, area, at)] or above
    row = max(row for row, _ in above)
    at = min(at for at in above if at[0] == row)
    return sheet.text(*at), at


def _without(lines: NDArray[np.intp], out: Collection[int]) -> NDArray[np.intp]:
    return lines[~np.isin(lines, list(out))] if out else lines


def _with_data(sheet: Sheet, frame: Frame, stated: Stated) -> NDArray[np.bool_]:
    """Which rows are observations: a row whose outer label alone is filled only labels the rows below it."""
    filled = np.asarray(sheet.filled[np.ix_(frame.rows, frame.columns)].any(axis=1))
    if frame.listed:
        return ~np.isin(frame.rows, frame.sections)
    if len(frame.stub) < 2:
        return np.ones(len(frame.rows), np.bool_) if frame.stub and stated.cutins == () else filled
    return np.asarray(np.logical_or(filled, sheet.filled[frame.rows, frame.stub[-1]]))


def _texts_around(
    sheet: Sheet, area: Area, fields: Sequence[FieldCell], around: NDArray[np.bool_]
) -> dict[tuple[int, int], Role]:
    """The role of each filled cell outside the block: titles above it, notes elsewhere, labels and values of fields.

    A number outside the block that no label explains gets no role: the ledger will list it.
    """
    texts: dict[tuple[int, int], Role] = dict.fromkeys(
        [cell for cell in key_cells(sheet, area) if around[cell]], Role.NOTE
    )
    for field in fields:
        texts[field.label_at] = texts[field.value_at] = Role.FIELD
    for row, column in np.argwhere(around).tolist():
        plain = sheet.kinds[row, column] == Kind.TEXT and not sheet.data[row, column]
        if (row, column) not in texts and (plain or _is_title(sheet, row, column, area)):
            texts[row, column] = Role.TITLE if row < area.top else Role.NOTE
    return texts


def _is_title(sheet: Sheet, row: int, column: int, area: Area) -> bool:
    """Whether a year or a date stands alone on one of the rows right above a block."""
    between = sheet.data[row + 1 : area.top, area.left : area.right + 1].any()
    return row < area.top and not between and bool(names_period(sheet, area, (row, column)))


def names_period(sheet: Sheet, area: Area, at: tuple[int, int]) -> str:
    """What kind of period a text above a block names, where it stands alone on its row over the block; ''."""
    alone = int(sheet.filled[at[0], area.left : area.right + 1].sum()) == 1 and area.left <= at[1] <= area.right
    return period_name([sheet.text(*at)]) if alone else ""


def _note_marks(sheet: Sheet, texts: dict[tuple[int, int], Role]) -> dict[str, str]:
    """Footnote marks that some note around the block begins with, and what it says."""
    marks: dict[str, str] = {}
    for said in (part for cell in texts for part in _NEXT_NOTE.split(sheet.text(*cell).strip())):
        numbered = _NUMBERED_NOTE.match(said)
        first = numbered[0].rstrip() if numbered else said.split(" ", 1)[0].rstrip(".:)") if said else ""
        _, mark = trailing_mark(("x " if numbered else "x") + (first + ")" if first.startswith("(") else first))
        if not mark and (lettered := _LETTERED_NOTE.match(said)):
            first = mark = lettered[1]
        # What stands on both sides of a text sets it off: "*** END OF REPORT ***".
        if mark and not said.endswith(f" {first}"):
            key = {one.sign: one.said for one in read_key(said)}  # several on a line: "x = done, o = open"
            marks.setdefault(mark, key.get(mark) or said[len(first) :].lstrip(" .:)=-–—"))
    return marks
