"""The total lines of a framed block: its figures without those that do not add up, and the signs that tell totals."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.grammar.words import are_statistics, average_word, carried_word, is_ratio, of_which, total_word
from kebrin.layout.depths import SMALL
from kebrin.layout.list_totals import list_totals
from kebrin.layout.model import DOUBTED, KEPT, WHOLE, Evidence, Level, Stated, TotalLine
from kebrin.layout.sayings import Sayings, beside_months
from kebrin.layout.sum_formulas import summing_lines
from kebrin.layout.totals import STARRED, Signs, find_totals

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.depths import Depths
    from kebrin.layout.frame import Frame

    _Job = tuple[Literal["row", "column"], NDArray[np.float64], list[tuple[str | None, ...]], NDArray[np.int32]]

_LARGEST_RATE = 1_000
SUMMED = "a formula sums them"
# A share is no larger than this, but for growth.
_MOST_SHARE = 10.0


def totals_of(
    sheet: Sheet, frame: Frame, rows: NDArray[np.bool_], levels: tuple[tuple[Level, ...], tuple[Level, ...]],
    stated: Stated, depths: Depths,
) -> tuple[tuple[TotalLine, ...], list[Evidence]]:  # fmt: skip
    """The totals of a block's rows and columns, and what is to be said of lines that may be such."""
    across, down = levels
    lines = frame.rows[rows]
    numbers = sheet.numbers[np.ix_(lines, frame.columns)]
    at_rows = np.flatnonzero(rows)
    row_paths = paths_of([level.at(at_rows) for level in down], len(lines))
    column_paths = paths_of(across, len(frame.columns))
    found: list[TotalLine] = []
    remarks: list[Evidence] = []
    across_job: _Job = ("column", numbers.T, column_paths, frame.columns.astype(np.int32))
    down_job: _Job = ("row", numbers, row_paths, lines.astype(np.int32))
    kept = {label.casefold() for label in (*stated.not_totals, *stated.records)} | _statistics(levels)
    summing = summing_lines(sheet, lines, frame.columns)
    sayings = {"row": Sayings(row_paths), "column": Sayings(column_paths)}
    if frame.listed:
        listed, remarks = _of_list(sheet, frame, lines, row_paths, kept, stated)
        found += listed
        numbers[np.isin(lines, [line.at for line in listed])] = np.nan
    in_per_cent = _in_per_cent(sheet, lines, frame.columns, numbers)
    for axis, grid, paths, at in (across_job, down_job):
        own, crossing = sayings[axis], sayings["column" if axis == "row" else "row"]
        telling = ~crossing.mask(total_word)
        totals, unmatched, doubted = find_totals(
            axis,
            _without_ratios(
                grid, crossing, own, in_per_cent if axis == "row" else None, adds_up=depths.adds_up and axis == "row"
            ),
            paths,
            at,
            named=stated.totals,
            unworded=stated.totals_found,
            signs=Signs(
                telling,
                [depths.of[line] for line in at_rows] if axis == "row" and depths.told else _shares(paths),
                _wholes(sheet, frame, at_rows, summing[0], depths)
                if axis == "row"
                else dict.fromkeys(_places(frame.columns, summing[1]), SUMMED),
                listed=frame.listed,
                kept=frozenset(kept),
                looks=partial(_looks, sheet, frame, lines) if axis == "row" else dict,
            ),
            said=own,
        )
        if axis == "column" and stated.measures and across and stated.measures == across[-1].name:
            doubted = {}  # each column is a measure, as it is said: one may sum others
        known = {line.at for line in found if line.axis == axis}
        totals = tuple(line for line in totals if line.at not in known)
        unmatched = tuple(line for line in unmatched if line not in known)
        found += totals
        remarks += [Evidence("total", line.name, line.why, line.agree) for line in totals]
        said = {line: (paths[at.tolist().index(line)], why) for line, why in doubted.items()}
        remarks += _told_of(sheet, frame, axis, unmatched, said)
    return tuple(found), remarks


def _wholes(
    sheet: Sheet, frame: Frame, at_rows: NDArray[np.intp], summing: Collection[int], depths: Depths
) -> dict[int, str]:
    """The rows (by their place) that something shows to be sums, with what it is: their sums, a blank label, a formula."""
    return {
        **dict.fromkeys(np.flatnonzero(np.isin(at_rows, depths.wholes)).tolist(), WHOLE),
        **dict.fromkeys(_unlabelled(sheet, frame, at_rows), "it has no label of its own"),
        **dict.fromkeys(_places(frame.rows[at_rows], summing), SUMMED),
    }


def _of_list(
    sheet: Sheet, frame: Frame, lines: NDArray[np.intp], paths: Sequence[tuple[str | None, ...]], kept: Collection[str],
    stated: Stated,
) -> tuple[tuple[TotalLine, ...], list[Evidence]]:  # fmt: skip
    """The totals among the records of a list, and what is said of them and of records in doubt."""
    if not frame.boxhead or not stated.totals_found:
        return (), []
    head = frame.boxhead[-1]
    heads = {column: sheet.text(head, column) for column in (*frame.stub, *frame.columns.tolist())}
    listed = list_totals(
        sheet, lines, heads, kept=kept, begins=[row + 1 for row in frame.sections], named=stated.totals,
        several=[int(lines[at]) for at in beside_months(paths)],
    )  # fmt: skip
    said = [Evidence("total", line.name, line.why, line.agree) for line in listed.totals]
    for row, why in listed.doubted:
        label, cells = _said_at(sheet, row, frame), _named_at(sheet, frame, "row", row)
        said.append(Evidence(DOUBTED, f"row {row + 1} {label!r}", why, 0.5, labels=(label,), cells=cells))
    return tuple(listed.totals), said


def _told_of(
    sheet: Sheet, frame: Frame, axis: Literal["row", "column"], unmatched: Sequence[int],
    doubted: Mapping[int, tuple[tuple[str | None, ...], str]],
) -> list[Evidence]:  # fmt: skip
    """What is said of lines that are called totals and sum nothing, and of those in doubt, with their labels."""
    none, why = np.empty(0, np.int32), "it is called a total, and no run of lines adds up to it"
    said = [
        Evidence(KEPT, TotalLine(axis, line, none, "").name, why, 0.5, cells=_named_at(sheet, frame, axis, line))
        for line in unmatched
    ]
    for line, (path, reason) in doubted.items():
        labels = tuple(filter(None, path))
        name = f"{TotalLine(axis, line, none, '').name} {' / '.join(labels)!r}"
        cells = _named_at(sheet, frame, axis, line)
        said.append(Evidence(DOUBTED, name, reason, 0.5, labels=labels[-1:], cells=cells))
    return said


def _named_at(sheet: Sheet, frame: Frame, axis: Literal["row", "column"], line: int) -> tuple[int, ...]:
    """The cell that names a line: its first filled label, or the lowest heading."""
    cells = [(line, column) for column in frame.stub] if axis == "row" else [(row, line) for row in frame.boxhead[::-1]]
    return tuple(row * sheet.shape[1] + column for row, column in cells if sheet.filled[row, column])[:1]


def _in_per_cent(
    sheet: Sheet, rows: NDArray[np.intp], columns: NDArray[np.intp], numbers: NDArray[np.float64]
) -> NDArray[np.bool_]:
    """Which columns are written in per cent; formats are looked up only for columns of fractions."""
    found = np.zeros(len(columns), np.bool_)
    known = ~np.isnan(numbers)
    small = np.where(known, (np.abs(numbers) <= _MOST_SHARE) & (numbers % 1 != 0), False).any(axis=0)
    small &= np.where(known, np.abs(numbers) <= _MOST_SHARE, True).all(axis=0)
    for at in np.flatnonzero(small).tolist():
        first = int(rows[int(known[:, at].argmax())])
        column = int(columns[at])
        shown = (
            "%" in sheet.text(first, column) if sheet.textual else sheet.formats().family(first, column) == "percent"
        )
        found[at] = shown
    return found


def _said_at(sheet: Sheet, row: int, frame: Frame) -> str:
    """The first text of a row of a list."""
    columns = [*frame.stub, *frame.columns.tolist()]
    return next((sheet.text(row, column) for column in columns if sheet.filled[row, column]), "")


def _without_ratios(
    grid: NDArray[np.float64], crossing: Sayings, own: Sayings, in_per_cent: NDArray[np.bool_] | None, *, adds_up: bool
) -> NDArray[np.float64]:
    """The numbers without those that do not add up: shares, rates, crossing means and lines carried over.

    Where all are such, none is left out; and no line where `adds_up` says that the sums show that all do ("Rates" are a tax).
    """
    lines, across = own.mask(is_ratio), crossing.mask(is_ratio)
    lines &= not adds_up
    # A share or a rate is no larger: "Rent and rates" of 83,219 are money.
    lines &= ~(np.abs(np.nan_to_num(grid)) > _LARGEST_RATE).any(axis=1)
    across |= crossing.mask(lambda label: bool(average_word(label)))
    if in_per_cent is None:
        across |= crossing.mask(carried_word)  # rows; a column that is called so holds figures of its own
    else:
        across |= in_per_cent
    if lines.all() or across.all() or not (lines.any() or across.any()):
        return grid
    told = grid.copy()
    told[:, across] = np.nan
    told[lines] = np.nan
    return told


def _statistics(levels: tuple[tuple[Level, ...], tuple[Level, ...]]) -> set[str]:
    """The labels of levels of nothing but statistics: a mean beside a least and a largest sums up none of them."""
    return {
        label.casefold() for side in levels for level in side if are_statistics(level.texts) for label in level.texts
    }


def _places(lines: NDArray[np.intp], wanted: Collection[int]) -> list[int]:
    return [at for at, line in enumerate(lines.tolist()) if line in wanted]


def _looks(sheet: Sheet, frame: Frame, lines: NDArray[np.intp]) -> dict[int, str]:
    """The rows (by their place) whose innermost label looks as those of sums do, with how."""
    if not frame.stub:
        return {}
    inner = frame.stub[-1]
    found = {at: STARRED for at, row in enumerate(lines.tolist()) if sheet.text(row, inner).endswith("*")}
    if found or sheet.textual or len(lines) * len(frame.columns) > SMALL:
        return found
    formats = sheet.formats()
    return {at: "stands in bold" for at, row in enumerate(lines.tolist()) if formats.is_bold(row, inner)}


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


def paths_of(levels: Sequence[Level], lines: int) -> list[tuple[str | None, ...]]:
    """The labels of each line, outermost first."""
    return list(zip(*(level.labels() for level in levels), strict=True)) if levels else [()] * lines
