"""Figures where they should not be: among labels, and as records that sum other records.

A body whose corner was taken one row too low or one column too far right has figures for labels; one whose totals were not
seen has sums among its records. Both give tables in which every cell has arrived, and which are wrong.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Look
from kebrin.grammar.periods import period_name
from kebrin.grammar.series import go_on
from kebrin.grammar.words import is_ratio, names_a_key, period_range, says_note, says_rank, speaks_of_columns
from kebrin.proof.labelling import lines_in_use
from kebrin.proof.sums import adds_up, sums_among
from kebrin.table.arrays import block, distinct_texts

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.table import Labels, Segment, Table

    Numbers = NDArray[np.float64]

_MOSTLY = 0.8
# A line that misses the mean of all others by more than this share in most cells is no mean of them, whatever it is called.
_NEAR = 0.25
# A total that is wrong misses the sum by no more than this share.
_NEARLY = 0.1


def figures_as_labels(sheet: Sheet, segment: Segment, table: Table) -> list[tuple[Labels, list[tuple[int, int]]]]:
    """Levels of labels that are figures and tell no lines apart that the other levels do not."""
    found = []
    series = _stand_under_series(segment, table)
    for axis, used in enumerate(lines_in_use(segment)):
        levels = [one for one in segment.sources if one.axis == axis]
        if axis == 0 and len(segment.columns) > 1 and not any(one.axis == 1 for one in segment.sources):
            continue  # records: a figure in their first column is one of their own, as any other
        if _over_words(sheet, segment) or (axis == 1 and any(one.measure for one in levels)):
            continue
        for level in levels:
            there = np.flatnonzero(used & (level.rows >= 0))
            rows, columns = level.rows[there], level.columns[there]
            figures = _are_figures(sheet, rows, columns)
            if len(there) < 2 or figures.mean() < _MOSTLY:
                continue
            if axis == 0 and len(levels) > 1 and _in_series(sheet, segment, level):
                found.append((level, list(zip(rows.tolist(), columns.tolist(), strict=True))))
                continue
            # Figures beside or over words are labels; those between words and the body may be values.
            if level is not levels[-1] or _may_label(sheet, level, rows, columns):
                continue
            # What stands under no period of a series says something of its whole line.
            outside = series or _is_outside_groups(sheet, segment, level)
            if axis == 0 and (outside or _stands_beside(sheet, segment, level) or _is_merged_down(sheet, level)):
                continue
            others = [one for one in levels if one is not level]
            whole = bool((sheet.numbers[rows, columns][figures] % 1 == 0).all())
            if (
                (others and _tell_apart(sheet, others, there))
                or not whole
                or (axis == 0 and not others and _in_series(sheet, segment, level))
            ):
                found.append((level, list(zip(rows.tolist(), columns.tolist(), strict=True))))
    return found


def _over_words(sheet: Sheet, segment: Segment) -> bool:
    """Whether the values are words: figures over and before them are no values that were taken for labels."""
    for name in segment.columns:
        rows, columns = segment.cells(name)
        there = columns >= 0
        looks = sheet.looks[rows[there], columns[there]]
        if not ((looks == Look.WORDS) | (looks == Look.MISSING)).all():
            return False
    return True


def _are_figures(sheet: Sheet, rows: NDArray[np.int32], columns: NDArray[np.int32]) -> NDArray[np.bool_]:
    looks = sheet.looks[rows, columns]
    return np.asarray((looks == Look.NUMBER) | (looks == Look.MARKED) | (looks == Look.FIGURE))


def _may_label(sheet: Sheet, level: Labels, rows: NDArray[np.int32], columns: NDArray[np.int32]) -> bool:
    """Whether figures are labels by what they are (years, a running number) or by what heads them."""
    head = sheet.text(*level.head) if level.head[0] >= 0 else ""
    if (
        level.axis == 1
        and level.head[0] == int(rows[0])
        and (speaks_of_columns(head) or _are_shares(sheet, rows, columns))
    ):
        return True
    if head and (names_a_key(head) or says_rank(head) or says_note(head) or period_range(head)):
        return True
    texts = list(
        dict.fromkeys(sheet.text(row, column) for row, column in zip(rows.tolist(), columns.tolist(), strict=True))
    )
    if period_name(texts) or (sheet.kinds[rows, columns] == Kind.DATE).all():
        return True
    numbers = np.array(list(dict.fromkeys(sheet.numbers[rows, columns].tolist())))
    steps = np.diff(numbers)
    even = len(numbers) >= 3 and len(set(steps.tolist())) == 1
    rising = len(numbers) >= 5 and bool((steps > 0).all()) and bool((numbers % 1 == 0).all())
    leftmost = level.axis == 0 and int(columns.min()) == int(np.flatnonzero(sheet.filled[rows].any(axis=0))[0])
    return even or (rising and (level.axis == 1 or leftmost))


def _are_shares(sheet: Sheet, rows: NDArray[np.int32], columns: NDArray[np.int32]) -> bool:
    """Whether figures are written per cent: behind a label of their own they say how much each column weighs."""
    cells = list(zip(rows.tolist(), columns.tolist(), strict=True))
    if sheet.textual:
        return all("%" in sheet.text(*cell) for cell in cells)
    formats = sheet.formats(int(rows.max()) + 1)
    return all(formats.family(*cell) == "percent" for cell in cells)


def _is_merged_down(sheet: Sheet, level: Labels) -> bool:
    """Whether the heading of a label column is merged down over several heading rows: beside spanners it heads rows."""
    spans = [area for area in sheet.merges if (area.top, area.left) == level.head and area.bottom > area.top]
    wide = [area for area in sheet.merges if area.top == level.head[0] and area.right > area.left]
    return bool(spans) and len(wide) == 1


def _stands_beside(sheet: Sheet, segment: Segment, level: Labels) -> bool:
    """Whether figures right of the body say something of the values of their row: a share, a rank, a change."""
    head = sheet.text(*level.head) if level.head[0] >= 0 else ""
    body = max((int(one.columns.max()) for one in segment.sources if one.axis == 1 and len(one.columns)), default=-1)
    there = level.columns[level.columns >= 0]
    return len(there) > 0 and -1 < body < int(there.min()) and (is_ratio(head) or says_rank(head))


def _stand_under_series(segment: Segment, table: Table) -> bool:
    """Whether the innermost headings over the figures are a series and nothing else."""
    heads = [one.column for one in segment.sources if one.axis == 1 and one.column in table.columns]
    if not heads:
        return False
    return go_on(distinct_texts(table.data.column(heads[-1])))


def _is_outside_groups(sheet: Sheet, segment: Segment, level: Labels) -> bool:
    """Whether measures have headings of their own under those of groups, and a label column has none on their row.

    Figures that stand among the groups would be one of the measures.
    """
    named = {cell for cells in segment.heads.values() for cell in cells}
    columns = set(level.columns[level.columns >= 0].tolist())
    several = len(segment.columns) > 1 and len({row for row, _ in named}) == 1
    return several and not any(sheet.filled[row, column] for row, _ in named for column in columns)


def _tell_apart(sheet: Sheet, levels: Sequence[Labels], lines: NDArray[np.intp]) -> bool:
    """Whether some levels give every line a path of its own."""
    paths = [
        tuple(sheet.text(int(one.rows[at]), int(one.columns[at])) if one.rows[at] >= 0 else "" for one in levels)
        for at in lines.tolist()
    ]
    return len(set(paths)) == len(paths)


def _in_series(sheet: Sheet, segment: Segment, level: Labels) -> bool:
    """Whether the heading of a label column goes on in those of the body: a period before other periods."""
    head = sheet.text(*level.head) if level.head[0] >= 0 else ""
    beside = [
        sheet.text(int(row), int(column))
        for one in segment.sources if one.axis == 1
        for row, column in zip(one.rows, one.columns, strict=True)
        if row == level.head[0]
    ]  # fmt: skip
    return bool(head and beside and period_name([head, *beside]))


def may_sum(sheet: Sheet, segment: Segment, axis: int, lines: Sequence[int]) -> bool:
    """Whether body lines could be sums of lines beside them: what a word claims, figures can refute.

    A sum of figures that are not below zero is no smaller than any of them. A line that is smaller than the line before it and
    than the one behind it, in whatever column, sums neither.

    Args:
        sheet: the sheet.
        segment: the records.
        axis: 0 for rows, 1 for column groups.
        lines: places among the segment's rows or groups.
    """
    numbers = _grid_of(sheet, segment, axis)
    for line in lines:
        beside = [numbers[at] for at in (line - 1, line + 1) if 0 <= at < len(numbers)]
        if not beside or not all(_falls_short(numbers[line], other) for other in beside):
            return True
    return False


def _falls_short(line: Numbers, part: Numbers) -> bool:
    """Whether a line is smaller than a part of it would let it be."""
    known = ~np.isnan(line) & ~np.isnan(part) & (part > 0) & (line >= 0)
    return bool((line[known] < part[known]).any())


def may_average(sheet: Sheet, segment: Segment, axis: int, lines: Sequence[int]) -> bool:
    """Whether body lines could be means of all others: nearly their mean in most columns that state one."""
    numbers = _grid_of(sheet, segment, axis)
    rest = np.delete(numbers, lines, axis=0)
    if len(rest) < 2:
        return True
    for line in lines:
        known = ~np.isnan(numbers[line]) & ~np.isnan(rest).all(axis=0)
        if not known.any():
            return True
        own, mean = numbers[line][known], np.nanmean(rest[:, known], axis=0)
        if 2 * (np.abs(own - mean) <= _NEAR * np.maximum(np.abs(mean), 1e-12)).sum() > known.sum():
            return True
    return False


def nearly_sums_all(sheet: Sheet, segment: Segment, axis: int, lines: Sequence[int]) -> bool:
    """Whether a body line is nearly the sum of all others in every cell, and wholly in some: a total that is wrong somewhere."""
    numbers = _grid_of(sheet, segment, axis)
    for line in lines:
        rest = np.delete(numbers, lines, axis=0)
        own, sums = numbers[line], np.nansum(rest, axis=0)
        known = ~np.isnan(own) & (own != 0)
        gaps = np.abs(own - sums)[known]
        if (
            len(rest) > 1
            and known.any()
            and (gaps <= _NEARLY * np.abs(sums[known])).all()
            and (gaps <= 1e-9 * np.abs(sums[known])).any()
        ):
            return True
    return False


def _grid_of(sheet: Sheet, segment: Segment, axis: int) -> Numbers:
    """The figures of a block, its lines on an axis as rows."""
    grids = [
        sheet.numbers[np.ix_(segment.rows, columns)] for columns in segment.columns.values() if (columns >= 0).any()
    ]
    return np.hstack(grids) if axis == 0 else np.hstack([one.T for one in grids])


def kept_sums(sheet: Sheet, segment: Segment) -> list[tuple[int, int, int, int]]:
    """Body rows and columns that sum a run of their neighbours in every cell, beyond chance: axis, line, first part, parts."""
    if not segment.columns:
        return []
    if len(segment.columns) > 1:
        return _sums_of_records(sheet, segment)
    (columns,) = segment.columns.values()
    rows, own = segment.rows, columns
    if segment.kept is not None:
        used_rows, used_groups = lines_in_use(segment)
        rows, own = rows[used_rows], own[used_groups]
    numbers = sheet.numbers[block(rows, own)]
    if np.isnan(numbers).all():
        return []
    return [
        (axis, int(lines[line]), int(lines[first]), count)
        for axis, grid, lines in ((0, numbers, rows), (1, numbers.T, own))
        for line, first, count in sums_among(grid)
    ]


def _sums_of_records(sheet: Sheet, segment: Segment) -> list[tuple[int, int, int, int]]:
    """Records of several measures that sum a run of their neighbours in every measure that adds up."""
    adds = [
        columns for name, columns in segment.columns.items()
        if len(columns) == 1 and columns[0] >= 0 and adds_up(name)
    ]  # fmt: skip
    if not adds:
        return []
    numbers = sheet.numbers[np.ix_(segment.rows, np.concatenate(adds))]
    found = sums_among(numbers[:, ~np.isnan(numbers).all(axis=0)], fewest=1)
    return [(0, int(segment.rows[line]), int(segment.rows[first]), count) for line, first, count in found]
