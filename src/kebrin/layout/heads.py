"""Cut-in heads and hierarchies in a stub: rows that label the rows below them become levels.

Three signs are read: how deep each label stands, rows that hold a label and nothing else, and rows without a word for
"total" that hold the sum of the rows below them. Each level becomes a column.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.grammar.periods import period_name
from kebrin.grammar.words import KEYED, heads_alike, is_remark, is_sentence, look_of, without_comment
from kebrin.layout.depths import BOLD, find_depths
from kebrin.layout.labels import are_series, label
from kebrin.layout.model import MISSING, Level

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout.depths import Depths

# A label-only row longer than this, or one that ends as a sentence, is a note between the rows.
_LONGEST_HEAD = 60
_NUMBERED = 0.8
# So many of the rows with figures must bear a label of their own beside those that stand alone.
_OWN_LABELS = 0.5


def keyed(levels: Sequence[Level], others: Collection[str]) -> tuple[Level, ...]:
    """Levels whose heads all say what they are ("Harbour: Hallan") under that name, without it.

    Args:
        levels: the levels of the heads.
        others: names that other levels have.

    >>> keyed([Level.of("section", ["Harbour: Brae", "Harbour: Wick"], 0)], ())[0].texts
    ('Brae', 'Wick')
    """
    found: list[Level] = []
    for level in levels:
        matches = [KEYED.fullmatch(without_comment(text)) for text in level.texts]
        keys = {match["key"] for match in matches if match}
        values = tuple(match["value"] for match in matches if match)
        taken = {*others, *(other.name for other in levels if other is not level)}
        fits = len(values) == len(matches) == len(set(values)) > 1 and len(keys) == 1 and not keys & taken
        found.append(replace(level, name=keys.pop(), texts=values) if fits else level)
    return tuple(found)


@dataclass(frozen=True, eq=False)
class Heads:
    """Levels over all rows of a block, outermost first; the rows that only label others; notes between the rows.

    `bare` are rows of one label that head nothing: observations without values.
    """

    levels: tuple[Level, ...] = ()
    rows: tuple[int, ...] = ()
    notes: tuple[int, ...] = ()
    why: str = ""
    bare: tuple[int, ...] = ()


def find_heads(
    sheet: Sheet, rows: NDArray[np.intp], column: int, columns: NDArray[np.intp], sums_above: Collection[int],
    marks: Collection[str] = (), depths: Depths | None = None, outer: Mapping[int, str] | None = None,
) -> Heads:  # fmt: skip
    """The heads among a block's rows.

    Args:
        sheet: the sheet.
        rows: the block's rows, total rows included.
        column: the label column.
        columns: the body columns.
        sums_above: rows that hold the sum of rows below them and are not called a total.
        marks: footnote marks that the notes explain.
        depths: how deep each row's label stands.
        outer: label columns before that one, with their names: a head may stand there, or say something there too (its code).

    >>> from kebrin.cells import Sheet
    >>> rows = [["Quay", "Jan", "Feb"], ["North"], ["East", 1, 2], ["South"], ["Old", 3, 4]]
    >>> found = find_heads(Sheet.of(rows), np.arange(1, 5), 0, np.array([1, 2]), ())
    >>> found.levels[0].labels(), found.rows
    ([None, 'North', None, 'South'], (1, 3))
    """
    lanes = _lanes(sheet, rows, [*(outer or ()), column])
    bare = ~sheet.filled[np.ix_(rows, columns)].any(axis=1) & sheet.filled[rows, lanes]
    told = bool(depths and depths.told)
    notes = tuple(int(row) for row in rows[bare] if _is_note(sheet.text(int(row), column)))
    if not told and bare.any() and not bare[0]:
        # The first rows stand under no head: among plain labels a sentence is a note and no head.
        among = [sheet.text(int(row), column) for row in rows[bare]]
        said = (int(row) for row, text in zip(rows[bare], among, strict=True) if _may_be_note(text, among))
        notes = tuple(sorted({*notes, *said}))
    without = _without_values(sheet, rows, column, bare)
    heads = [
        at
        for at, row in enumerate(rows.tolist())
        if (bare[at] and row not in notes and at not in without) or row in sums_above
    ]
    empty = tuple(int(rows[at]) for at in sorted(without) if at not in heads and int(rows[at]) not in notes)
    if not heads:
        return Heads(notes=notes, bare=empty)
    texts = _said(sheet, rows, lanes, marks)
    only = tuple(int(rows[at]) for at in heads if bare[at])
    indents = (depths or find_depths(sheet, rows, [column], 0)).of
    body = [at for at in range(len(rows)) if at not in heads and int(rows[at]) not in notes]
    # Bold says which rows head others, but not which of two heads is the inner one.
    by_bold = depths is not None and depths.sign == BOLD
    set_in = bool(body) and not by_bold and min(indents[at] for at in heads) < max(indents[at] for at in body)
    if set_in:
        levels = {
            at: sum(1 for other in sorted({indents[head] for head in heads}) if other < indents[at]) for at in heads
        }
        why = "rows with a label alone, or with the sum of those below, head what is indented below them"
    else:
        levels = _depths_by_runs(heads, bare)
        why = "rows with a label alone, or with the sum of those below, head the rows below them"
    width = sheet.shape[1]
    depth_of = indents if set_in else None
    found = _levels(rows, texts, heads, levels, depth_of, lanes, width)
    beside: list[list[Level]] = [[] for _ in found]
    for other, name in (outer or {}).items():
        # What a head says in a column before that of its label: its code.
        codes_of: list[str | None] = [None] * len(rows)
        for at in heads:
            codes_of[at] = label(sheet.at(int(rows[at]), other), marks) if lanes[at] != other else None
        there = [
            None if lane == other else text
            for text, lane in zip(_said(sheet, rows, [other] * len(rows), marks), lanes, strict=True)
        ]
        if _begin_their_parts(there, codes_of, heads, levels):
            continue  # 1.1 says that it is below 1
        codes = _levels(rows, codes_of, heads, levels, depth_of, [other] * len(rows), width) if any(codes_of) else ()
        for own, code, level in zip(beside, codes, found, strict=False):
            own.extend([replace(code, name=f"{level.name} {name}")] if code.texts else [])
    ordered = [one for own, level in zip(beside, found, strict=True) for one in (*own, level)]
    return Heads(tuple(ordered), only, notes, why, empty)


def _begin_their_parts(
    texts: Sequence[str | None], codes: Sequence[str | None], heads: Sequence[int], depths: Mapping[int, int]
) -> bool:
    """Whether the code of each head begins those of all rows below it, up to the next head that is no deeper."""
    for at in heads:
        end = next((other for other in heads if other > at and depths[other] <= depths[at]), len(texts))
        code = codes[at]
        if code and not all((texts[below] or code).startswith(code) for below in range(at + 1, end)):
            return False
    return True


def _lanes(sheet: Sheet, rows: NDArray[np.intp], stub: Sequence[int]) -> list[int]:
    """The innermost label column that each row fills; the last where it fills none."""
    filled = sheet.filled[np.ix_(rows, np.array(stub, np.intp))][:, ::-1]
    return [stub[len(stub) - 1 - int(own.argmax())] for own in filled]


def _said(sheet: Sheet, rows: NDArray[np.intp], lanes: Sequence[int], marks: Collection[str]) -> list[str | None]:
    return [
        label(sheet.at(int(row), lane), marks) if sheet.filled[row, lane] else None
        for row, lane in zip(rows, lanes, strict=True)
    ]


def listed_heads(
    sheet: Sheet, rows: NDArray[np.intp], column: int, sections: Collection[int], marks: Collection[str] = ()
) -> Heads:
    """The heads of a list: rows that are known to head the records below them."""
    heads = [at for at, row in enumerate(rows.tolist()) if row in sections]
    return _by_runs(sheet, rows, [column] * len(rows), heads, marks)


def lone_heads(
    sheet: Sheet, rows: NDArray[np.intp], stub: Sequence[int], columns: NDArray[np.intp], marks: Collection[str] = ()
) -> Heads:
    """The heads beside several label columns: rows that hold one label and nothing else, among rows that bear their own.

    >>> from kebrin.cells import Sheet
    >>> rows = [["Fish", None, None], ["Cod", "t", 1], ["Eel", "t", 2], ["Grain", None, None], ["Oats", "t", 3]]
    >>> found = lone_heads(Sheet.of(rows), np.arange(5), (0, 1), np.array([2]))
    >>> found.levels[0].labels(), found.rows
    ([None, 'Fish', 'Fish', None, 'Grain'], (0, 3))
    """
    labels = sheet.filled[np.ix_(rows, np.array(stub, np.intp))]
    bare = ~sheet.filled[np.ix_(rows, columns)].any(axis=1) & (labels.sum(axis=1) == 1)
    own = labels[~bare & sheet.filled[np.ix_(rows, columns)].any(axis=1)]
    # Where the column is blank on the rows below, it is a label column whose labels stand on rows of their own.
    if not bare.any() or not len(own) or (own[:, 0].mean() < _OWN_LABELS and not _begin_groups(labels, bare)):
        return Heads()
    lanes = [stub[int(found.argmax())] for found in labels]
    among = [sheet.text(int(row), int(lane)) for row, lane in zip(rows[bare], np.array(lanes)[bare], strict=True)]
    notes = tuple(
        int(row) for row, text in zip(rows[bare], among, strict=True)
        if _is_note(text) or (not bare[0] and _may_be_note(text, among))
    )  # fmt: skip
    empty = _said_elsewhere(sheet, rows, lanes, bare, stub[0])
    heads = [at for at, row in enumerate(rows.tolist()) if bare[at] and row not in notes and at not in empty]
    found = _by_runs(sheet, rows, lanes, heads, marks)
    return Heads(found.levels, found.rows, notes, found.why, tuple(int(rows[at]) for at in sorted(empty)))


def _said_elsewhere(
    sheet: Sheet, rows: NDArray[np.intp], lanes: Sequence[int], bare: NDArray[np.bool_], outer: int
) -> set[int]:
    """Rows of an inner label alone, which other rows bear beside their values, or of a day among days: without values."""
    series = are_series([sheet.text(int(row), outer) for row in rows])
    inner = {lane: {sheet.text(int(row), lane) for row in rows[~bare]} for lane in set(lanes) - {outer}}
    return {
        at for at in np.flatnonzero(bare).tolist()
        if (series if lanes[at] == outer else sheet.text(int(rows[at]), lanes[at]) in inner[lanes[at]])
    }  # fmt: skip


def _begin_groups(labels: NDArray[np.bool_], bare: NDArray[np.bool_]) -> bool:
    """Whether rows of one label each stand over groups of rows, the first of which says its own label in every column."""
    after = [at + 1 for at in np.flatnonzero(bare).tolist() if at + 1 < len(bare) and not bare[at + 1]]
    return len(after) > 0 and bool(labels[after].all()) and bool(labels[bare][:, 0].all())


def _by_runs(
    sheet: Sheet, rows: NDArray[np.intp], lanes: Sequence[int], heads: Sequence[int], marks: Collection[str]
) -> Heads:
    if not heads:
        return Heads()
    bare = np.isin(np.arange(len(rows)), heads)
    texts = _said(sheet, rows, lanes, marks)
    levels = _levels(rows, texts, heads, _depths_by_runs(heads, bare), None, lanes, sheet.shape[1])
    why = "rows with a label alone head the rows below them"
    return Heads(levels, tuple(int(rows[at]) for at in heads), (), why)


def _without_values(sheet: Sheet, rows: NDArray[np.intp], column: int, bare: NDArray[np.bool_]) -> set[int]:
    """Rows that hold a label alone and are no heads: nearly all labels are numbered as theirs are, or all are periods."""
    if bare.any() and are_series([sheet.text(int(row), column) for row in rows]):
        return set(np.flatnonzero(bare).tolist())
    looks = [look_of(sheet.text(int(row), column)) for row in rows.tolist()] if bare.any() else []
    common = (
        Counter(look for look, alone in zip(looks, bare.tolist(), strict=True) if not alone) if looks else Counter()
    )
    numbered = {look for look, count in common.items() if "0" in look and count >= _NUMBERED * common.total()}
    return {at for at, look in enumerate(looks) if bare[at] and look in numbered}


def _is_note(text: str) -> bool:
    return is_remark(text, _LONGEST_HEAD)


def _may_be_note(text: str, among: Sequence[str]) -> bool:
    """Whether a text alone among rows with figures may be a remark: a sentence, and the only one of its form."""
    return is_sentence(text) and not heads_alike(text, among)


def _depths_by_runs(heads: Sequence[int], bare: NDArray[np.bool_]) -> dict[int, int]:
    """Without indents, heads that stand one below another are one inside another; a single one is innermost."""
    runs: list[list[int]] = []
    for at in heads:
        if runs and bare[at] and bare[at - 1] and runs[-1][-1] == at - 1:
            runs[-1].append(at)
        else:
            runs.append([at])
    deepest = max(map(len, runs))
    return {at: deepest - len(run) + place for run in runs for place, at in enumerate(run)}


def _levels(
    rows: NDArray[np.intp], texts: list[str | None], heads: Sequence[int], depths: dict[int, int],
    indents: Sequence[int] | None, lanes: Sequence[int], width: int,
) -> tuple[Level, ...]:  # fmt: skip
    count = max(depths.values()) + 1
    here: list[str | None] = [None] * count
    since = [0] * count
    source = [MISSING] * count
    labels: list[list[str | None]] = [[] for _ in range(count)]
    cells: list[list[int]] = [[] for _ in range(count)]
    head_rows = set(heads)
    for at in range(len(rows)):
        if at in head_rows:
            depth = depths[at]
            here[depth:] = [texts[at], *([None] * (count - depth - 1))]
            since[depth] = indents[at] if indents else 0
            source[depth] = int(rows[at]) * width + lanes[at]
        elif indents:
            # A row that is set in no further than a head is not below it.
            for depth in range(count):
                if here[depth] is not None and indents[at] <= since[depth]:
                    here[depth:] = [None] * (count - depth)
                    break
        for depth in range(count):
            known = at not in head_rows and here[depth] is not None
            labels[depth].append(here[depth] if known else None)
            cells[depth].append(source[depth] if known else MISSING)
    ordinals = [f" {depth + 1}" for depth in range(count)] if count > 1 else [""]
    return tuple(
        Level.of(period_name([*filter(None, found)]) or f"section{ordinal}", found, lanes[0], own)
        for ordinal, found, own in zip(ordinals, labels, cells, strict=True)
    )
