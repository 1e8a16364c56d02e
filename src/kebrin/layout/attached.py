"""Lines that belong to the line above: a part of it ("of which foot"), or what else is said of it under one label.

Such a line is no record beside the one that it belongs to: "of which foot" would be counted twice, and the second line of
"Brae / 120 / 8.4" has no label at all. They are taken out and the rest is read as if they were not there, so no sum is sought
over them; then each comes back with the labels of the line that it belongs to, and a level of its own says which it is.
"""

from __future__ import annotations

import itertools
import re
from dataclasses import dataclass, replace
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import neat
from kebrin.cells.arithmetic import RATIO, RUNNING, SHARE, follows
from kebrin.errors import LayoutError, Place
from kebrin.grammar.words import is_ratio, of_which, total_word, without_of_which
from kebrin.layout.depths import find_depths
from kebrin.layout.model import MISSING, Attached, Derived, Evidence, Layout, Level, Role, TotalLine

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.model import Stated

#: The levels that say which part of a line another is, and which line of several under one label.
PART, LINE = "of which", "line"
# So many labels have further lines of their own, and each at most so many lines.
_FEWEST_LABELS, _MOST_LINES = 3, 4
# Where so many labels sum the lines below them, these are their parts.
_MOSTLY = 0.5
_ORDER = (
    re.compile(r"\b(?:first|upper|top|1st) (?:line|row)s?\s*[:=]\s*([^;,.]+)", re.IGNORECASE),
    re.compile(r"\b(?:second|lower|bottom|2nd) (?:line|row)s?\s*[:=]\s*([^;,.]+)", re.IGNORECASE),
)
_OF_LINES = re.compile(r"\s+of (?:the|its|each) (?:column|row|line)s?\s*$", re.IGNORECASE)


@dataclass(frozen=True)
class _Lines:
    """The rows of a block that hold figures or labels, the text of each one's label, and whether it holds figures."""

    rows: list[int]
    texts: list[str]
    holds: list[bool]


def all_attached(sheet: Sheet, layouts: Sequence[Layout], stated: Stated) -> list[Attached]:
    """The rows of all blocks that belong to a row above.

    A row is taken out of the whole sheet, so none is where another block stands beside its own.

    Raises:
        LayoutError: what is stated of such rows is true of no block.
    """
    alone = [one for one in layouts if one.stands_alone(layouts, "row")]
    found = [one for layout in alone for one in find_attached(sheet, layout, stated)]
    wanted = stated.parts_of_above or ()
    texts = [sheet.text(one.row, one.cell % sheet.shape[1]) for one in found if one.level == PART and one.cell >= 0]
    absent = [said for said in wanted if not any(_is_called(text, said) for text in texts)]
    why = "another table stands beside it; read one at a time by within" if layouts and not alone else ""
    place = Place(sheet.source, sheet.name, layouts[0].address if layouts else "")
    if absent and layouts:
        raise LayoutError(
            f"no row below another bears the label {absent[0]!r}, which the layout names in parts_of_above", place, why=why,
            do="Correct parts_of_above in the plan, or leave the label out",
        )  # fmt: skip
    names = stated.lines_of_label
    if names and layouts and not any(one.level == LINE for one in found):
        raise LayoutError(
            f"lines_of_label names {', '.join(names)}, and not every label here has {len(names)} lines of figures", place,
            why=why, do="Leave lines_of_label out of the plan, or name as many lines as each label has",
        )  # fmt: skip
    return found


def _is_called(text: str, said: str) -> bool:
    """Whether a label is the one that is stated, which may hold `*`."""
    return fnmatchcase(neat(text).casefold(), neat(said).casefold())


def find_attached(sheet: Sheet, layout: Layout, stated: Stated) -> list[Attached]:
    """The rows of a block that belong to a row above, with what each is of it.

    >>> from kebrin.cells import Sheet
    >>> from kebrin.layout.find import found_layouts
    >>> from kebrin.layout.model import Stated
    >>> sheet = Sheet.of([["Goods", "2030"], ["Fish", 100.0], ["of which cod", 60.0], ["Salt", 50.0]])
    >>> [(one.row, one.to, one.level, one.label) for one in find_attached(sheet, found_layouts(sheet)[0], Stated())]
    [(2, 1, 'of which', 'cod')]
    """
    if layout.listed or not layout.stub_columns or not len(layout.body_rows):
        return []
    lines = _lines_of(sheet, layout)
    under = [*_under_labels(sheet, layout, lines, stated), *_ratios(sheet, layout, lines)]
    taken = {one.row for one in under}
    alone = [at for at, row in enumerate(lines.rows) if row not in taken]
    own = _Lines(*([getattr(lines, name)[at] for at in alone] for name in ("rows", "texts", "holds")))
    return [*_parts(sheet, layout, own, stated), *under]


def _lines_of(sheet: Sheet, layout: Layout) -> _Lines:
    first = max((*layout.boxhead_rows, layout.area.top - 1)) + 1
    rows = [*layout.body_rows.tolist(), *(line.at for line in layout.total_lines("row")), *layout.label_rows]
    own = sorted({row for row in rows if row >= first})
    columns = np.array([*layout.body_columns.tolist(), *(line.at for line in layout.total_lines("column"))], np.intp)
    texts = [sheet.text(row, layout.stub_columns[-1]) for row in own]
    return _Lines(own, texts, sheet.filled[np.ix_(own, columns)].any(axis=1).tolist())


def _parts(sheet: Sheet, layout: Layout, lines: _Lines, stated: Stated) -> list[Attached]:
    """The lines that say that they are a part of the one above, and those that go on below them at the same depth."""
    if stated.parts_of_above is not None:
        said = [any(_is_called(text, one) for one in stated.parts_of_above) for text in lines.texts]
    else:
        kept = {neat(one).casefold() for one in (*stated.records, *stated.not_totals)}
        said = [of_which(text) and neat(text).casefold() not in kept for text in lines.texts]
    if not any(said):
        return []
    column = layout.stub_columns[-1]
    depths = find_depths(sheet, np.array(lines.rows, np.intp), [column], len(lines.rows) * layout.shape[1]).of
    found: list[Attached] = []
    owner, depth = -1, 0
    for at, row in enumerate(lines.rows):
        if not lines.holds[at]:
            # "of which:" alone on its row heads the parts below it.
            heads = said[at] and at > 0 and lines.holds[at - 1] and not without_of_which(lines.texts[at])
            owner, depth = (at - 1, depths[at - 1] + 1) if heads else (-1, 0)
            if heads:
                found.append(Attached(row, lines.rows[owner], PART, "", row * sheet.shape[1] + column))
        elif owner >= 0 and (said[at] or depths[at] >= depth > depths[owner]):
            text = without_of_which(lines.texts[at]) or lines.texts[at]
            found.append(Attached(row, lines.rows[owner], PART, text, row * sheet.shape[1] + column))
        else:
            owner = at if at + 1 < len(said) and said[at + 1] else -1
            depth = depths[at + 1] if owner >= 0 else 0
    return found


def _under_labels(sheet: Sheet, layout: Layout, lines: _Lines, stated: Stated) -> list[Attached]:
    """The lines without a label, where each label has equally many of them."""
    if stated.lines_of_label == ():
        return []
    filled = np.asarray(sheet.filled[lines.rows][:, list(layout.stub_columns)].any(axis=1))
    held = [at for at, holds in enumerate(lines.holds) if holds]
    starts: list[int] = [place for place, at in enumerate(held) if filled[at]]
    counts = {after - start for start, after in itertools.pairwise([*starts, len(held)])}
    names = stated.lines_of_label
    told = starts[:1] == [0] and len(counts) == 1 and max(counts) in range(2, _MOST_LINES + 1)
    if names and (not told or counts != {len(names)}):
        return []
    if not told or (not names and len(starts) < _FEWEST_LABELS):
        return _said_under_each(sheet, layout, lines, held)
    (count,) = counts
    grid = sheet.numbers[np.array([lines.rows[at] for at in held])][:, layout.body_columns].reshape(
        len(starts), count, -1
    )
    if not names and any(_sums_before(grid, at) for at in range(1, count)):
        return []  # a total of each group, without a label
    named = names or _names_said(sheet, layout, count)
    rows = [lines.rows[at] for at in held]
    return [
        Attached(rows[start + more], rows[start], LINE, named[more], MISSING, named[0])
        for start in starts
        for more in range(1, count)
    ]


def _sums_before(grid: NDArray[np.float64], at: int) -> bool:
    """Whether a line of each group (groups x lines x columns) sums those before it."""
    return bool(np.isclose(np.nansum(grid[:, :at], axis=1), np.nan_to_num(grid[:, at])).all())


def _said_under_each(sheet: Sheet, layout: Layout, lines: _Lines, held: Sequence[int]) -> list[Attached]:
    """The lines that say the same below each label ("change on year"), where they are no parts that it sums."""
    column = layout.stub_columns[-1]
    texts, rows = [lines.texts[at] for at in held], [lines.rows[at] for at in held]
    for count in range(2, _MOST_LINES + 1):
        firsts, under = texts[::count], [set(texts[more::count]) for more in range(1, count)]
        apart = len(set(firsts)) == len(firsts) >= _FEWEST_LABELS and "" not in firsts
        said = [text for own in under if len(own) == 1 for text in own]
        if len(texts) % count or not apart or len(said) < count - 1 or "" in said or {*said} & {*firsts}:
            continue
        grid = sheet.numbers[np.array(rows)][:, layout.body_columns].reshape(len(firsts), count, -1)
        sums = np.isclose(np.nansum(grid[:, 1:], axis=1), np.nan_to_num(grid[:, 0])).all(axis=1)
        if len(layout.stub_columns) == 1 and not any(map(total_word, said)) and sums.mean() < _MOSTLY:
            return [
                Attached(rows[at + more], rows[at], LINE, texts[at + more], rows[at + more] * sheet.shape[1] + column)
                for at in range(0, len(rows), count)
                for more in range(1, count)
            ]
    return []


def _ratios(sheet: Sheet, layout: Layout, lines: _Lines) -> list[Attached]:
    """The lines of shares or rates below a line under the same outer label, where an inner label column tells them apart."""
    *outer, inner = layout.stub_columns
    found: list[Attached] = []
    owner = -1
    for row, text, holds in zip(lines.rows, lines.texts, lines.holds, strict=True):
        own = [sheet.text(row, column) for column in outer]
        if not holds or not outer:
            owner = -1
        elif not is_ratio(text):
            owner = row
        elif owner >= 0 and all(
            said in {"", sheet.text(owner, column)} for said, column in zip(own, outer, strict=True)
        ):
            found.append(Attached(row, owner, "", text, row * sheet.shape[1] + inner))
    return found


def _names_said(sheet: Sheet, layout: Layout, count: int) -> list[str]:
    """What each line under a label holds, where a text beside the block says so, or else its number."""
    said = next((found for cell in layout.texts if len(found := _order_said(sheet.text(*cell))) == count), [])
    return said or [f"line {at + 1}" for at in range(count)]


def _order_said(text: str) -> list[str]:
    """What a text says of the lines under each label, in their order; none if it does not speak of them.

    >>> _order_said("First line: number; second line: % of the quay"), _order_said("Upper line: cars, lower line: % of the row")
    (['number', '% of the quay'], ['cars', '%'])
    """
    found = [pattern.search(text) for pattern in _ORDER]
    # "of the column" says where the whole stands on the sheet, which a tidy table does not have.
    return [_OF_LINES.sub("", match[1]).strip() for match in found if match] if all(found) else []


def with_attached(sheet: Sheet, layouts: Sequence[Layout], lines: Sequence[Attached]) -> list[Layout]:
    """The blocks, read without some lines, with these under the labels of the lines that they belong to."""
    found = list(layouts)
    for at, layout in enumerate(found):
        area = layout.area
        own = [one for one in lines if area.top <= one.to <= area.bottom]
        found[at] = _with_lines(sheet, layout, own) if own else layout
    return found


def _with_lines(sheet: Sheet, layout: Layout, lines: Sequence[Attached]) -> Layout:
    totals, derived, kept = _of_totals(sheet, layout, lines)
    body = {int(row): at for at, row in enumerate(layout.body_rows)}
    parts = {line.at: [body[at] for at in line.parts.tolist() if at in body] for line in layout.total_lines("row")}
    to = {one.row: one.to for one in kept}
    owners = {row: row for row in body} | {row: to.get(above, above) for row, above in to.items()}
    rows = sorted(owners)
    places = [[body[owners[row]]] if owners[row] in body else parts.get(owners[row], []) for row in rows]
    own = {one.row: one for one in kept if not one.level}
    stub = [
        _stretched(level, rows, places, own if level.line == layout.stub_columns[-1] else {}) for level in layout.stub
    ]
    after = len(stub) - len(layout.beside_columns)
    more = [_level(layout, name, rows, kept) for name in dict.fromkeys(one.level for one in kept if one.level)]
    gone = {one.row for one in lines}
    area = layout.area

    def is_gone(cell: tuple[int, int]) -> bool:
        return cell[0] in gone and area.left <= cell[1] <= area.right

    texts = {cell: role for cell, role in layout.texts.items() if not is_gone(cell)}
    # What says how the lines under a label follow one another is no field: "First line: number; second line: per cent".
    orders = {one.label_at for one in layout.fields if _order_said(sheet.text(*one.label_at))}
    alone = [(one.row, layout.stub_columns[-1]) for one in lines if not one.label]
    texts |= dict.fromkeys((*orders, *alone), Role.NOTE)
    return replace(
        layout, body_rows=np.array(rows, np.int32), stub=(*stub[:after], *more, *stub[after:]),
        area=area._replace(bottom=max(area.bottom, *gone)), texts=texts,
        fields=tuple(
            one for one in layout.fields
            if one.label_at not in orders and not is_gone(one.label_at) and not is_gone(one.value_at)
        ),
        totals=(*layout.totals, *totals), derived=(*layout.derived, *derived), attached=tuple(kept),
        evidence=(*layout.evidence, *_said(kept)),
    )  # fmt: skip


def _stretched(
    level: Level, rows: Sequence[int], places: Sequence[Sequence[int]], own: Mapping[int, Attached]
) -> Level:
    """A level over more rows: each has its own label, or that of the row it belongs to; of a total what all its parts say."""
    labels: list[str | None] = []
    cells: list[int] = []
    for row, among in zip(rows, places, strict=True):
        said = {(level.label(place), int(level.cells[place])) for place in among}
        (text, cell) = next(iter(said)) if len(said) == 1 else (None, MISSING)
        labels.append(own[row].label if row in own else text)
        cells.append(own[row].cell if row in own else cell)
    return replace(Level.of(level.name, labels, level.line, cells), head=level.head, pattern=level.pattern)


def _level(layout: Layout, name: str, rows: Sequence[int], lines: Sequence[Attached]) -> Level:
    """The level that says which part or line of its label each row is; blank for a whole."""
    own = {one.row: one for one in lines if one.level == name}
    # What a part of a line is, each line under the part's label is too.
    own |= {one.row: own[one.to] for one in lines if one.level != name and one.to in own}
    firsts = {one.to: one.first for one in own.values()}
    taken = {*layout.names}
    labels = [own[row].label if row in own else firsts.get(row) or None for row in rows]
    cells = [own[row].cell if row in own else MISSING for row in rows]
    return Level.of(f"{name} of the label" if name in taken else name, labels, layout.stub_columns[-1], cells)


def _of_totals(
    sheet: Sheet, layout: Layout, lines: Sequence[Attached]
) -> tuple[list[TotalLine], list[Derived], list[Attached]]:
    """What lines under the label of a total line are: sums of such lines, or shares of a total; or records of their own."""
    found = {line.at: line for line in layout.total_lines("row")}
    place = {(one.to, one.label): one.row for one in lines if one.level != PART}
    totals: list[TotalLine] = []
    derived: list[Derived] = []
    kept: list[Attached] = []
    columns = layout.body_columns
    for one in filter(lambda one: one.label, lines):
        total = found.get(one.to) if one.level != PART else None
        if total is None:
            kept.append(one)
            continue
        parts = [place[at, one.label] for at in total.parts.tolist() if (at, one.label) in place]
        own = sheet.numbers[one.row, columns]
        how = _share(sheet, own, one.to, found, columns)
        sums = bool(parts) and bool(follows(RUNNING, own, sheet.numbers[np.array(parts)][:, columns]).all())
        if how is not None and not sums:
            derived.append(Derived("row", one.row, how[0], how[1], one.label, columns))
        elif sums or (parts and is_ratio(one.label)):  # shares that do not add up to the whole are told as any sum is
            totals.append(TotalLine("row", one.row, np.array(parts, np.int32), total.why, cause=total.cause))
        else:
            kept.append(one)
    return totals, derived, kept


def _share(
    sheet: Sheet, own: NDArray[np.float64], of: int, totals: Iterable[int], columns: NDArray[np.int32]
) -> tuple[str, tuple[int, ...]] | None:
    """Of what a line gives the shares that a total has: of its own sum, or of a total in each column; None if of none."""
    if bool(follows(SHARE, own, sheet.numbers[[of]][:, columns]).all()):
        return SHARE, (of,)
    for base in totals:
        if bool(follows(RATIO, own, sheet.numbers[[of, base]][:, columns]).all()):
            return RATIO, (of, base)
    return None


def _said(lines: Sequence[Attached]) -> Iterable[Evidence]:
    for name in dict.fromkeys(one.level for one in lines):
        rows = [line.row for line in lines if line.level == name]
        shown = ", ".join(str(row + 1) for row in rows[:6]) + (f" and {len(rows) - 6} more" if len(rows) > 6 else "")
        own = ("they belong to the rows above them", "each") if len(rows) > 1 else ("it belongs to the row above", "it")
        why = f"the column {name!r} says what {own[1]} is" if name else "shares are summed by themselves"
        yield Evidence("row" + "s" * (len(rows) > 1), shown, f"{own[0]}; {why}")
