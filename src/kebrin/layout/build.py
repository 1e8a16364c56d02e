"""From a frame (boxhead rows, stub columns, the lines below and beside them) to a whole layout."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.cells import Area, Kind, Sheet, trailing_mark
from kebrin.grammar.periods import period_name
from kebrin.grammar.words import average_word, carried_word, is_ratio, is_unit, of_which, says_whole, total_word
from kebrin.layout.depths import Depths, find_depths
from kebrin.layout.fields import find_fields
from kebrin.layout.formulas import summing_lines
from kebrin.layout.heads import Heads, find_heads, listed_heads, lone_heads
from kebrin.layout.labels import boxhead_levels, label, named, stub_levels
from kebrin.layout.model import (
    DOUBTED,
    KEPT,
    MISSING,
    NO_COLUMN,
    Evidence,
    FieldCell,
    Layout,
    Level,
    Role,
    Stated,
    TotalLine,
)
from kebrin.layout.naming import find_names, split_corner
from kebrin.layout.totals import Signs, find_bands, find_totals
from kebrin.layout.unlike import unlike_level

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

    _Job = tuple[Literal["row", "column"], NDArray[np.float64], list[tuple[str | None, ...]], NDArray[np.int32]]


_NUMBERED_NOTE = re.compile(r"\d{1,2}\)\s")


@dataclass(frozen=True)
class Frame:
    """The lines of a block before its totals and labels are known."""

    boxhead: tuple[int, ...]
    heads: tuple[int, ...]  # the boxhead rows and those that hold stub heads only
    stub: tuple[int, ...]
    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    evidence: tuple[Evidence, ...]
    hidden_rows: tuple[int, ...]
    hidden_columns: tuple[int, ...]
    repeats: tuple[int, ...] = ()
    pages: tuple[int, ...] = ()
    beside: tuple[int, ...] = ()
    marks: tuple[tuple[int, int], ...] = ()
    listed: bool = False  # one header row over a list, whose columns are measures
    sections: tuple[int, ...] = ()  # rows of a list that head the records below them
    comments: tuple[int, ...] = ()  # rows of a list that are no records

    @property
    def area(self) -> Area:
        """The rectangle over boxhead, stub and body."""
        rows = (*self.heads, *self.rows.tolist())
        columns = (*self.stub, *self.columns.tolist(), *self.beside, *(column for column, _ in self.marks))
        return Area(min(rows), min(columns), max(rows), max(columns))


@dataclass(frozen=True, eq=False)
class Around:
    """What surrounds a block: the filled cells that are its own but outside every block, and fields from above."""

    cells: NDArray[np.bool_]
    inherited: tuple[FieldCell, ...] = ()


def build(
    sheet: Sheet, frame: Frame, stated: Stated, around: Around, stated_fields: Sequence[FieldCell] = ()
) -> Layout:
    """Repair the labels of a framed block, find its totals, heads, fields and texts, and put it all together."""
    area = frame.area
    fields = (*find_fields(sheet, area, around.cells), *stated_fields)
    texts = _texts_around(sheet, area, fields, around.cells)
    marks = _note_marks(sheet, texts)
    names = find_names(sheet, frame.boxhead, frame.heads, frame.stub, stated, frame.beside)
    across = boxhead_levels(sheet, frame.boxhead, frame.columns.tolist(), names.boxhead, marks)
    fill = stated.fill != "none" and not frame.listed
    down = stub_levels(sheet, frame.rows.tolist(), frame.stub, names.stub, marks, fill=fill)
    across = _headed(across, names.heads[0])
    down = _headed(down, names.heads[1])
    rows = _with_data(sheet, frame, stated)
    depths = find_depths(sheet, frame.rows, frame.stub, len(frame.rows) * len(frame.columns))
    totals, remarks = _find_totals(sheet, frame, rows, (across, down), stated, depths)
    heads = _heads(sheet, frame, totals, stated, marks, depths)
    if heads.levels:
        remarks.append(Evidence("cut-in heads", _lines(heads.rows), heads.why))
        heads = _with_first_band(sheet, frame, heads, texts)
        down = (*heads.levels, *down)
        bands = _band_totals(sheet, frame, down, {*heads.rows, *heads.notes, *(line.at for line in totals)}, stated)
        totals = (*totals, *bands)
        remarks += [Evidence("total", line.name, line.why, line.agree) for line in bands]
    total_rows = {line.at for line in totals if line.axis == "row"}
    total_columns = {line.at for line in totals if line.axis == "column"}
    body_rows = _without(frame.rows[rows], {*total_rows, *heads.rows, *heads.notes})
    body_columns = _without(frame.columns, total_columns)
    kept_columns = np.flatnonzero(np.isin(frame.columns, body_columns))
    kept_rows = np.flatnonzero(np.isin(frame.rows, body_rows))
    boxhead, said = _boxhead(stated, [level.at(kept_columns) for level in across])
    remarks += said
    down = (*down, *_headed(_beside_levels(sheet, frame, names.beside, marks), names.heads[2]))
    stub = named([level.at(kept_rows) for level in down], "label")
    if stated.boxhead is None and stated.stub is None:
        stub, boxhead = split_corner(stub, boxhead)
    measures, said = _measures(sheet, frame, stated, boxhead, (body_rows, body_columns))
    remarks += said
    if measures:
        inner = boxhead_levels(sheet, frame.boxhead, body_columns.tolist(), names.boxhead, marks, inner=True)
        names_by_row = {level.line: level.name for level in boxhead}
        boxhead = tuple(replace(level, name=names_by_row[level.line]) for level in inner if level.line in names_by_row)
    for row in (*heads.notes, *frame.comments):
        texts |= {
            (row, column): Role.NOTE
            for column in np.flatnonzero(sheet.filled[row]).tolist()
            if (row, column) not in texts
        }
    title, title_at = _title(sheet, area, texts)
    return Layout(
        sheet=sheet.name,
        area=area,
        boxhead_rows=frame.heads,
        stub_columns=frame.stub,
        beside_columns=frame.beside,
        mark_columns=frame.marks,
        notes=tuple(marks.items()),
        body_rows=body_rows.astype(np.int32),
        body_columns=body_columns.astype(np.int32),
        boxhead=tuple(level for level in boxhead if level.name != NO_COLUMN),
        silent_rows=tuple(level.line for level in boxhead if level.name == NO_COLUMN),
        stub=stub,
        totals=totals,
        fields=(*fields, *_others(around.inherited, fields)),
        texts=texts,
        hidden_rows=frame.hidden_rows,
        hidden_columns=frame.hidden_columns,
        label_rows=(*(int(row) for row in _without(frame.rows[~rows], total_rows)), *heads.rows),
        repeats=frame.repeats,
        pages=frame.pages,
        measures=measures,
        listed=frame.listed,
        title=title,
        title_name=period_name([title]) if title_at and int(sheet.filled[title_at[0]].sum()) == 1 else "",
        title_at=title_at,
        stub_head=names.found[-1] if names.found else "",
        evidence=(*frame.evidence, *remarks),
    )


def _headed(levels: Sequence[Level], heads: Sequence[int]) -> tuple[Level, ...]:
    """The levels with the cells that name them."""
    return tuple(replace(level, head=head) for level, head in zip(levels, heads, strict=True))


def _boxhead(stated: Stated, levels: list[Level]) -> tuple[tuple[Level, ...], list[Evidence]]:
    """The boxhead's levels by name, without lines that only give units."""
    if stated.boxhead is not None:
        return named(levels, "heading"), []
    kept, units = _without_units(levels)
    why = "its headings are units and tell no columns apart"
    return named(kept, "heading"), [Evidence("unit line", f"row {level.line + 1}", why) for level in units]


def _measures(
    sheet: Sheet,
    frame: Frame,
    stated: Stated,
    boxhead: Sequence[Level],
    body: tuple[NDArray[np.intp], NDArray[np.intp]],
) -> tuple[str, list[Evidence]]:
    """The boxhead row that holds measures, as stated or by what its columns hold; '' if none does."""
    if stated.measures is not None:
        return stated.measures, []
    rows, columns = body
    found = boxhead[-1].name if frame.listed else unlike_level(sheet, rows, boxhead, columns)
    why = "its columns hold values of unlike kinds"
    return found, [Evidence("measures", f"boxhead row {found!r}", why)] if found else []


def _heads(
    sheet: Sheet, frame: Frame, totals: Sequence[TotalLine], stated: Stated, marks: Collection[str], depths: Depths
) -> Heads:
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
    return _with_stated_names(find_heads(sheet, frame.rows, column, frame.columns, above, marks, depths), stated)


def _with_first_band(sheet: Sheet, frame: Frame, heads: Heads, texts: dict[tuple[int, int], Role]) -> Heads:
    """The heads with the text right above the headings as that of the first rows, where later rows stand under heads.

    "Persons" above the headings and "Men", "Women" between the rows are bands of one kind.
    """
    level = heads.levels[0]
    first = int(frame.rows[0])
    top = frame.heads[0] - 1 if frame.heads else -1
    cells = [at for at, role in texts.items() if role == Role.TITLE and at[0] == top]
    if len(heads.levels) != 1 or first in heads.rows or len(cells) != 1 or int(sheet.filled[top].sum()) != 1:
        return heads
    (at,) = cells
    text = sheet.text(*at)
    blank = [place for place, code in enumerate(level.codes.tolist()) if code < 0]
    until = next((place for place, row in enumerate(frame.rows.tolist()) if row in heads.rows), 0)
    longest = max(map(len, level.texts))
    if ":" in text or len(text) > 2 * longest or not until or blank[:until] != list(range(until)):
        return heads
    cell = at[0] * sheet.shape[1] + at[1]
    labels = [text if place < until else level.label(place) for place in range(len(level.codes))]
    cells_of = [cell if place < until else int(level.cells[place]) for place in range(len(level.codes))]
    level = replace(Level.of(level.name, labels, level.line, cells_of), head=level.head)
    return replace(heads, levels=(level,))


def _band_totals(
    sheet: Sheet, frame: Frame, down: Sequence[Level], out: set[int], stated: Stated
) -> tuple[TotalLine, ...]:
    """Sections that are the sum of the others."""
    if not stated.totals_found or frame.listed:
        return ()
    lines = np.array([at for at, row in enumerate(frame.rows.tolist()) if row not in out], np.intp)
    numbers = sheet.numbers[np.ix_(frame.rows[lines], frame.columns)]
    if not len(lines) or np.isnan(numbers).all():
        return ()
    paths = _paths([level.at(lines) for level in down], len(lines))
    return find_bands(numbers, paths, frame.rows[lines].astype(np.int32))


def _with_stated_names(found: Heads, stated: Stated) -> Heads:
    if stated.cutins is None or not found.levels:
        return found
    levels = tuple(replace(level, name=name) for level, name in zip(found.levels, stated.cutins, strict=False))
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


def _without_units(boxhead: list[Level]) -> tuple[list[Level], list[Level]]:
    """The levels without those that only give units, and the latter; units that tell columns apart stay."""
    units: list[Level] = []
    for level in boxhead:
        rest = [other for other in boxhead if other is not level and other not in units]
        paths = set(zip(*(other.codes.tolist() for other in rest), strict=True))
        if rest and level.texts and all(map(is_unit, level.texts)) and len(paths) == len(level.codes):
            units.append(level)
    return [level for level in boxhead if level not in units], units


def _others(inherited: Sequence[FieldCell], own: Sequence[FieldCell]) -> list[FieldCell]:
    """Fields from above that the block does not state itself."""
    names = {field.name for field in own}
    return [field for field in inherited if field.name not in names]


def _title(sheet: Sheet, area: Area, texts: dict[tuple[int, int], Role]) -> tuple[str, tuple[int, int] | None]:
    """The text nearest above a block, and its cell; of several on one row the first."""
    above = [at for at, role in texts.items() if role == Role.TITLE and at[0] < area.top]
    if not above:
        return "", None
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


def _find_totals(
    sheet: Sheet, frame: Frame, rows: NDArray[np.bool_], levels: tuple[tuple[Level, ...], tuple[Level, ...]],
    stated: Stated, depths: Depths,
) -> tuple[tuple[TotalLine, ...], list[Evidence]]:  # fmt: skip
    across, down = levels
    lines = frame.rows[rows]
    numbers = sheet.numbers[np.ix_(lines, frame.columns)]
    at_rows = np.flatnonzero(rows)
    row_paths = _paths([level.at(at_rows) for level in down], len(lines))
    column_paths = _paths(across, len(frame.columns))
    found: list[TotalLine] = []
    remarks: list[Evidence] = []
    across_job: _Job = ("column", numbers.T, column_paths, frame.columns.astype(np.int32))
    down_job: _Job = ("row", numbers, row_paths, lines.astype(np.int32))
    summing = summing_lines(sheet, lines, frame.columns)
    for axis, grid, paths, at in (across_job, down_job):
        crossing = column_paths if axis == "row" else row_paths
        telling = np.array([not any(total_word(label or "") for label in path) for path in crossing], np.bool_)
        totals, unmatched, doubted = find_totals(
            axis,
            _without_ratios(grid, crossing, paths),
            paths,
            at,
            named=stated.totals,
            unworded=stated.totals_found,
            signs=Signs(
                telling,
                [depths.of[line] for line in at_rows] if axis == "row" and depths.told else _shares(paths),
                {
                    **dict.fromkeys(_unlabelled(sheet, frame, at_rows), "it has no label of its own"),
                    **dict.fromkeys(_places(lines, summing[0]), "a formula sums them"),
                }
                if axis == "row"
                else dict.fromkeys(_places(frame.columns, summing[1]), "a formula sums them"),
                listed=frame.listed,
                kept=frozenset(label.casefold() for label in stated.not_totals),
            ),
        )
        found += totals
        remarks += [Evidence("total", line.name, line.why, line.agree) for line in totals]
        why = "it is called a total but is the sum of nothing here"
        remarks += [Evidence(KEPT, TotalLine(axis, line, at[:0], "").name, why, 0.5) for line in unmatched]
        for line, count in doubted.items():
            label = " / ".join(filter(None, paths[int(np.flatnonzero(at == line)[0])]))
            said = f"equals the sum of {count} lines beside it, and nothing else says that it is a total"
            remarks.append(Evidence(DOUBTED, f"{TotalLine(axis, line, at[:0], '').name} {label!r}", said, 0.5))
    return tuple(found), remarks


def _without_ratios(
    grid: NDArray[np.float64], crossing: Sequence[tuple[str | None, ...]], paths: Sequence[tuple[str | None, ...]]
) -> NDArray[np.float64]:
    """The numbers without those that do not add up: shares, rates, crossing means and lines carried over.

    Where all are such, none is left out.
    """
    lines, across = (
        np.array([any(is_ratio(label or "") for label in path) for path in side], np.bool_)
        for side in (paths, crossing)
    )
    across |= np.array(
        [any(average_word(label or "") or carried_word(label or "") for label in path) for path in crossing], np.bool_
    )
    if lines.all() or across.all() or not (lines.any() or across.any()):
        return grid
    told = grid.copy()
    told[:, across] = np.nan
    told[lines] = np.nan
    return told


def _places(lines: NDArray[np.intp], wanted: Collection[int]) -> list[int]:
    return [at for at, line in enumerate(lines.tolist()) if line in wanted]


def _unlabelled(sheet: Sheet, frame: Frame, at_rows: NDArray[np.intp]) -> list[int]:
    """Rows (by their place) whose innermost label cell is blank and covered by no merge, among rows that bear labels."""
    if not frame.stub:
        return []
    inner = frame.stub[-1]
    blank = [at for at, line in enumerate(at_rows.tolist()) if not sheet.filled[frame.rows[line], inner]]
    if not blank or len(blank) * 2 > len(at_rows):
        return []
    covered = {
        row for area in sheet.merges if area.left <= inner <= area.right for row in range(area.top, area.bottom + 1)
    }
    return [at for at in blank if int(frame.rows[at_rows[at]]) not in covered]


def _shares(paths: Sequence[tuple[str | None, ...]]) -> list[int]:
    """Depth 1 for lines that are "of which" the line before them."""
    return [int(bool(path) and of_which(path[-1] or "")) for path in paths]


def _paths(levels: Sequence[Level], lines: int) -> list[tuple[str | None, ...]]:
    return list(zip(*(level.labels() for level in levels), strict=True)) if levels else [()] * lines


def _texts_around(
    sheet: Sheet, area: Area, fields: Sequence[FieldCell], around: NDArray[np.bool_]
) -> dict[tuple[int, int], Role]:
    """The role of each filled cell outside the block: titles above it, notes elsewhere, labels and values of fields.

    A number outside the block that no label explains gets no role: the ledger will list it.
    """
    texts: dict[tuple[int, int], Role] = {}
    for field in fields:
        texts[field.label_at] = texts[field.value_at] = Role.FIELD
    for row, column in np.argwhere(around).tolist():
        plain = sheet.kinds[row, column] == Kind.TEXT and not sheet.data[row, column]
        if (row, column) not in texts and (plain or _is_title(sheet, row, column, area)):
            texts[row, column] = Role.TITLE if row < area.top else Role.NOTE
    return texts


def _is_title(sheet: Sheet, row: int, column: int, area: Area) -> bool:
    """Whether a year or a date stands alone on one of the rows right above a block."""
    alone = int(sheet.filled[row].sum()) == 1 and row < area.top
    return alone and not sheet.filled[row + 1 : area.top].any() and bool(period_name([sheet.text(row, column)]))


def _note_marks(sheet: Sheet, texts: dict[tuple[int, int], Role]) -> dict[str, str]:
    """Footnote marks that some note around the block begins with, and what it says."""
    marks: dict[str, str] = {}
    for row, column in texts:
        said = sheet.text(row, column)
        numbered = _NUMBERED_NOTE.match(said)
        first = numbered[0].rstrip() if numbered else said.split(" ", 1)[0].rstrip(".:)") if said else ""
        _, mark = trailing_mark(("x " if numbered else "x") + (first + ")" if first.startswith("(") else first))
        if mark:
            marks.setdefault(mark, said[len(first) :].lstrip(" .:)=-–—"))
    return marks
