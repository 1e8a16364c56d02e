"""What the sheet map draws: how each use looks, which rows and columns are drawn, how wide they are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from kebrin.cells import Look
from kebrin.proof import Use

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from kebrin.cells import Sheet
    from kebrin.layout import Layout

#: Stands for lines that are not drawn; of several gaps each has a number of its own below it.
GAP = -1
_MOST_ROWS, _LAST_ROWS = 34, 11
# Letters: of a column at least and at most, and of all columns of a map together.
_FEWEST, _WIDEST, _ALL = 5, 30, 168
_LAST_COLUMNS = 3
# A merge over so few columns makes the last of them wider if its text needs it.
_FEW = 3


@dataclass(frozen=True)
class Style:
    """How cells of one use are drawn."""

    word: str
    fill: str = "white"
    hatch: str = ""
    weight: str = "normal"
    style: str = "normal"
    edge: str = "#c9c9c9"
    heavy: bool = False


LOOKS = {
    Use.VALUE: Style("value", edge="#9a9a9a"),
    Use.HEADING: Style("heading (boxhead)", fill="#dce8f3", weight="bold"),
    Use.LABEL: Style("label (stub)", fill="#e2efe3", weight="bold"),
    Use.TOTAL: Style("total line, left out", fill="#e3e3e3", hatch="////", style="italic"),
    Use.FIELD: Style("field", fill="#f6e3a8", hatch="..", weight="bold"),
    Use.TITLE: Style("title", fill="#e9e2f1", weight="bold", style="italic"),
    Use.NOTE: Style("note, reported", fill="#fbfaf3", style="italic", edge="#d9d4b8"),
    Use.REPEAT: Style("said again, left out", fill="#ececec", hatch="\\\\\\\\"),
    Use.DERIVED: Style("derived line", fill="#e3e6f4", style="italic"),
    Use.ABOUT: Style("line about the columns, reported", fill="#e4efe9", style="italic"),
    Use.STATED: Style("left out by the plan", fill="#ececec", hatch="----"),
    Use.HIDDEN: Style("hidden, left out", fill="#d0d0d0", hatch="xxxx"),
    Use.MARK: Style("footnote mark", fill="#f6e3a8", style="italic"),
    Use.MARK_LEFT: Style("footnote mark, left out", fill="#f6e3a8", hatch="////", style="italic"),
    Use.UNCLAIMED: Style(
        "in no table: unclaimed", fill="#ffd9cc", hatch="++", weight="bold", edge="#b3261e", heavy=True
    ),
}
#: Shades of the levels of headings and of labels, those next to the values first.
HEADINGS = tuple(
    Style("heading, a shade for each level", fill=fill, weight="bold")
    for fill in ("#dce8f3", "#b9d1e8", "#94b8d9", "#7aa5cc")
)
LABELS = tuple(
    Style("label, a shade for each level", fill=fill, weight="bold")
    for fill in ("#e2efe3", "#c3dfc7", "#a3cda9", "#86bb8f")
)
ASKED = Style("asked about", fill="#fff7dc", weight="bold", edge="#a15c00", heavy=True)
OBJECTED = Style("the proof objects", fill="#fff1b8", weight="bold", edge="#b3261e", heavy=True)


@dataclass(frozen=True)
class Cut:
    """The rows and columns that are drawn, in order, negative numbers for gaps; and how many letters each column holds."""

    rows: list[int]
    columns: list[int]
    letters: dict[int, int]


def cut_of(sheet: Sheet, layouts: Sequence[Layout], findings: Collection[tuple[int, int]]) -> Cut:
    """What of a sheet is drawn: its beginning and end, where its first block ends, and all that a finding speaks of.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([[f"cell {row}" for _ in range(3)] for row in range(90)])
    >>> cut_of(sheet, (), {(50, 1)}).rows[21:29]
    [21, 22, -1, 49, 50, 51, -2, 79]
    """
    ends = {row for layout in layouts[:1] for row in (layout.area.bottom - 1, layout.area.bottom)}
    rows = _lines(sheet.shape[0], _MOST_ROWS, _LAST_ROWS, {row for row, _ in findings}, ends)
    drawn = [row for row in rows if row >= 0]
    merged = {(area.top, area.left) for area in sheet.merges if area.right > area.left}
    letters = {column: _letters(sheet, drawn, column, merged) for column in range(sheet.shape[1])}
    for area in sheet.merges:
        own = range(area.left, min(area.right, sheet.shape[1] - 1) + 1)
        if 1 < len(own) <= _FEW and area.top in drawn:
            short = len(sheet.text(area.top, area.left)) + 1 - sum(letters[column] for column in own)
            letters[own[-1]] = min(letters[own[-1]] + max(short, 0), _WIDEST)
    most, used = 0, 0
    for column in range(sheet.shape[1]):
        used += letters[column] + 2
        most += used <= _ALL
    must = {column for _, column in findings}
    columns = _lines(sheet.shape[1], max(most, 4), min(_LAST_COLUMNS, max(most - 2, 1)), must, set())
    return Cut(rows, columns, letters)


def _lines(count: int, most: int, last: int, must: Collection[int], likely: Collection[int]) -> list[int]:
    """The lines to draw: all, or the first and the last and those that must be seen with their neighbours."""
    if count <= most:
        return list(range(count))
    wanted = set(range(most - last)) | set(range(count - last, count))
    for line in [*sorted(must)[: most // 2], *likely]:
        wanted |= {at for at in (line - 1, line, line + 1) if 0 <= at < count}
    wanted |= set(must) if len(must) <= most else set()
    drawn: list[int] = []
    gaps = 0
    for line in sorted(wanted):
        before = next((one for one in reversed(drawn) if one >= 0), -1)
        if line == before + 2:
            drawn.append(line - 1)
        elif line > before + 1:
            gaps += 1
            drawn.append(-gaps)
        drawn.append(line)
    return drawn


def _letters(sheet: Sheet, rows: Sequence[int], column: int, merged: Collection[tuple[int, int]]) -> int:
    """How many letters a column needs: those of its cells that can't run on over blank ones beside them."""
    need = _FEWEST
    for row in rows:
        if not sheet.filled[row, column] or (row, column) in merged:
            continue
        free = column + 1 < sheet.shape[1] and not sheet.filled[row, column + 1 : column + 4].any()
        if not free or sheet.looks[row, column] == Look.NUMBER:
            need = max(need, len(sheet.text(row, column)) + 1)
    return min(need, _WIDEST)
