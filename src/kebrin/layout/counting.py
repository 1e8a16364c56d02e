"""Tables of signs whose last rows or columns count them: rosters, check marks, room plans with "Count" below and beside."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.layout.frame import Frame
from kebrin.layout.headings import boxhead_rows
from kebrin.layout.model import Counted, Evidence

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.play import Play

# So few columns of a row show that it counts, and so few lines are counted; signs are short, and there are few of them.
_FEWEST_COUNTS, _FEWEST_LINES = 3, 2
# What a row that counts records lacks of what nearly all of them say.
_FEWEST_RECORDS, _FEWEST_LACKED, _NEARLY_ALL = 3, 2, 0.8
_LONGEST_SIGN, _MOST_SIGNS, _MOST_LINES = 24, 24, 400


@dataclass(frozen=True)
class _Grid:
    """The texts and numbers of the cells in play, rows first; `whole` are whole numbers from 0 on."""

    texts: NDArray[np.object_]
    whole: NDArray[np.float64]


@dataclass
class _Block:
    """Rows of signs, the columns that are counted, and the lines that count them: the signs of each."""

    rows: list[int]
    columns: list[int]
    below: dict[int, tuple[str, ...]]


def counted_frames(sheet: Sheet, play: Play, depth: int | None = None) -> list[Frame]:
    """The blocks whose lines of figures count the signs in them, each with its headings.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout.play import in_play
    >>> rows = [["Crew", "Mon", "Tue", "Wed"], ["Ada", "E", "L", "E"], ["Bo", "L", "L", ""], ["Cy", "E", "", "E"]]
    >>> sheet = Sheet.of([*rows, ["Number on E", 2, 0, 2], ["Number on L", 1, 2, 0]])
    >>> (frame,) = counted_frames(sheet, in_play(sheet))
    >>> frame.stub, frame.columns.tolist(), frame.rows.tolist(), [(one.at, one.signs) for one in frame.counts]
    ((0,), [1, 2, 3], [1, 2, 3], [(4, ('e',)), (5, ('l',))])
    """
    if len(play.columns) < _FEWEST_COUNTS or not _FEWEST_LINES + 2 <= len(play.rows) <= _MOST_LINES:
        return []
    cells = np.ix_(play.rows, play.columns)
    numbers = np.where(sheet.data[cells], sheet.numbers[cells], np.nan)
    most = max(numbers.shape)
    whole = np.where((numbers >= 0) & (numbers % 1 == 0) & (numbers <= most), numbers, np.nan)
    if int((~np.isnan(whole)).sum(axis=1).max()) < _FEWEST_COUNTS:
        return []
    words = sheet.filled[cells] & ~sheet.data[cells]
    texts = np.full(words.shape, "", object)
    for row, column in np.argwhere(words).tolist():
        texts[row, column] = sheet.text(int(play.rows[row]), int(play.columns[column])).casefold()
    grid = _Grid(texts, whole)
    frames = [_frame(sheet, play, grid, block, depth) for block in reversed(_blocks(grid))]
    return [frame for frame in frames if frame is not None]


def _blocks(grid: _Grid) -> list[_Block]:
    """The blocks of signs, the lowest first, by the rows that count what stands above them."""
    found: list[_Block] = []
    words, figures = grid.texts != "", ~np.isnan(grid.whole)
    for at in range(len(grid.whole) - 1, _FEWEST_LINES, -1):
        columns = np.flatnonzero(~np.isnan(grid.whole[at]) & (words[:at].sum(axis=0) > figures[:at].sum(axis=0)))
        above = [row for row in range(at - 1, -1, -1) if np.isnan(grid.whole[row][columns]).all()]
        counted, signs = (
            _counted(grid, above, columns, grid.whole[at][columns]) if len(columns) >= _FEWEST_COUNTS else ([], ())
        )
        if not counted:
            continue
        if found and found[-1].columns == columns.tolist() and set(found[-1].rows) & set(counted):
            found[-1].rows = sorted({*found[-1].rows, *counted})
            found[-1].below[at] = signs
        elif not found or at < min(found[-1].rows):
            found.append(_Block(sorted(counted), columns.tolist(), {at: signs}))
    return found


def _counted(
    grid: _Grid, above: Sequence[int], columns: NDArray[np.intp], stated: NDArray[np.float64]
) -> tuple[list[int], tuple[str, ...]]:
    """The rows, from the lowest up, of which each column holds one sign, or any, as often as is stated; and the signs."""
    counts: dict[str, NDArray[np.float64]] = {"": np.zeros(len(columns))}
    best: tuple[list[int], tuple[str, ...]] = ([], ())
    for number, row in enumerate(above, 1):
        texts = grid.texts[row][columns]
        if any(len(text) > _LONGEST_SIGN for text in texts) or len(counts) > _MOST_SIGNS:
            break
        for place, text in enumerate(texts):
            if text:
                counts.setdefault(text, np.zeros(len(columns)))[place] += 1
                counts[""][place] += 1
        fits = next((sign for sign, one in counts.items() if (one == stated).all()), None)
        if fits is None or number < _FEWEST_LINES or len(set(stated.tolist())) < 2:
            continue
        if best[0] and not set(texts) - {""} <= set(grid.texts[best[0]][:, columns].ravel().tolist()):
            break  # headings that hold no such sign
        best = list(above[:number]), (fits,) if fits else tuple(sorted(counts.keys() - {""}))
    return best if stated.sum() >= _FEWEST_COUNTS else ([], ())


def _counts_row(grid: _Grid, at: int, block: _Block) -> tuple[str, ...]:
    """The signs that a column counts on each row of the body: one, those that the lines below count, or all; none if none fit."""
    stated = grid.whole[block.rows, at]
    inside = grid.texts[block.rows][:, block.columns]
    every = tuple(sorted({sign for sign in inside.ravel().tolist() if sign}))
    several = tuple(dict.fromkeys(sign for signs in block.below.values() for sign in signs))
    for signs in (*((sign,) for sign in every), several, every):
        if (np.isin(inside, list(signs)).sum(axis=1) == stated).all():
            return signs
    return ()


def _tell_apart(sheet: Sheet, heads: tuple[int, ...], columns: NDArray[np.intp]) -> bool:
    """Whether heading rows say something else over each column, outer ones going on over blanks."""
    said = [""] * len(heads)
    paths = []
    for column in columns.tolist():
        said = [sheet.text(row, column) or before for row, before in zip(heads, said, strict=True)]
        paths.append(tuple(said))
    return len(set(paths)) == len(paths)


def _frame(sheet: Sheet, play: Play, grid: _Grid, block: _Block, depth: int | None) -> Frame | None:
    rows, across = play.rows[block.rows], play.columns[block.columns]
    stub = tuple(int(at) for at in play.columns if at < across[0] and sheet.filled[rows, at].any())
    heads = boxhead_rows(sheet, play, int(rows[0]), int(across[0]), depth)
    # A row of signs that no line counts bears a label, and the headings above it tell the columns apart without it.
    while len(heads) > 1 and sheet.filled[heads[-1], stub[:1]].any() and _tell_apart(sheet, heads[:-1], across):
        rows, heads = np.append(heads[-1], rows), heads[:-1]
    if not stub or not heads or depth not in {None, len(heads)}:
        return None
    counted = [Counted("row", int(play.rows[at]), rows, across, signs) for at, signs in sorted(block.below.items())]
    block = replace(block, rows=np.flatnonzero(np.isin(play.rows, rows)).tolist())
    behind = [
        at for at in range(max(block.columns) + 1, len(play.columns)) if not np.isnan(grid.whole[block.rows, at]).all()
    ]
    counted += [
        Counted("column", int(play.columns[at]), rows, across, signs)
        for at in behind
        if (signs := _counts_row(grid, at, block))
    ]
    taken = {one.at for one in counted if one.axis == "column"}
    beside = tuple(
        int(at) for at in play.columns if at > across[-1] and at not in taken and sheet.filled[rows, at].any()
    )
    said = tuple(Evidence("count", one.name, f"it counts {', '.join(one.signs)} in the body") for one in counted)
    return Frame(
        heads, heads, stub, rows, across, said, play.hidden_rows, play.hidden_columns, play.repeats, play.pages,
        beside=beside, counts=tuple(counted),
    )  # fmt: skip


def with_record_count(sheet: Sheet, frame: Frame | None, kept: Collection[str] = ()) -> Frame | None:
    """The block without a last row that says how many records stand above it, and little else that records say.

    >>> from kebrin.cells import Sheet
    >>> rows = [["Boat", "Berth", "Flag", "Dues"], ["Gull", "E1", "SK", 4], ["Tern", "E2", "SK", 7], ["Skua", "W1", "HA", 9]]
    >>> sheet = Sheet.of([*rows, ["Boats", None, None, 3]])
    >>> frame = Frame((0,), (0,), (0, 1, 2), np.arange(1, 5), np.array([3]), (), (), ())
    >>> found = with_record_count(sheet, frame)
    >>> found and (found.rows.tolist(), found.counts[0].at)
    ([1, 2, 3], 4)
    """
    if frame is None or frame.counts or len(frame.rows) <= _FEWEST_RECORDS:
        return frame
    columns = np.array(sorted({*frame.stub, *frame.columns.tolist(), *frame.beside}), np.intp)
    records, last = frame.rows[:-1], int(frame.rows[-1])
    own = columns[sheet.filled[last, columns]]
    figures = own[~np.isnan(sheet.numbers[last, own])]
    if len(figures) != 1 or len(own) > 2 or sheet.numbers[last, figures[0]] != len(records):
        return frame
    usual = sheet.filled[np.ix_(records, columns)].mean(axis=0) >= _NEARLY_ALL
    lacks = int((usual & ~sheet.filled[last, columns]).sum())
    sums = np.nansum(sheet.numbers[records, figures[0]]) == len(records)
    if lacks < _FEWEST_LACKED or sums or any(sheet.text(last, int(at)).casefold() in kept for at in own):
        return frame
    said = Evidence("count", f"row {last + 1}", f"it counts the {len(records)} records above it")
    counted = Counted("row", last, records, columns, ())
    return replace(frame, rows=records, counts=(counted,), evidence=(*frame.evidence, said))
