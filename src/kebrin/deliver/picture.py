"""The sheet map: a sheet drawn as its grid, each cell marked with what it was taken for. Needs `kebrin[pictures]`.

Uses are told apart by fill, hatching, lettering and frame together, so that the map reads in grey and without colour vision.
Each level of labels has a shade of its own and its column's name beside its row or above its column. A large sheet is cut:
what is not drawn is said, and it is never what a finding speaks of.
"""

from __future__ import annotations

from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.address import column_letters
from kebrin.deliver.guard import PICTURE_SIGN
from kebrin.deliver.picturing import ASKED, HEADINGS, LABELS, LOOKS, OBJECTED, Cut, Style, cut_of
from kebrin.errors import OutputError
from kebrin.proof import Use

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from numpy.typing import NDArray

    from kebrin.address import Area
    from kebrin.cells import Sheet
    from kebrin.layout import Layout

_HIGH, _NARROW = 0.225, 0.5  # inches: a row, a gap between columns
_LETTER, _PAD = 0.068, 0.12  # inches: a letter of a cell's text, the space around it
_INK, _FAINT = "#1b1b1b", "#6f6f6f"
_WIDEST_PAGE, _NARROWEST_PAGE = 13.2, 9.6


def draw_map(
    sheet: Sheet, layouts: Sequence[Layout], uses: NDArray[np.uint8], *,
    objected: Collection[tuple[int, int]] = (), asked: Collection[tuple[int, int]] = (), said: Sequence[str] = (),
) -> bytes:  # fmt: skip
    """The map of a sheet as PNG bytes, about 1,280 pixels wide.

    Args:
        sheet: the sheet.
        layouts: its blocks.
        uses: the `Use` of each cell (rows x columns).
        objected: the cells that the proof objects to.
        asked: the cells that a question or a total that does not tie speaks of.
        said: lines that stand below the map: what breaks the proof, the readings that were weighed.

    Raises:
        OutputError: matplotlib is not installed.
    """
    try:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure
    except ImportError:
        raise OutputError(
            "pictures need matplotlib", why="it is not installed", do="Run: pip install 'kebrin[pictures]'"
        ) from None
    faults = {(int(row), int(column)) for row, column in np.argwhere(sheet.filled & (uses == Use.UNCLAIMED))}
    marked = dict.fromkeys(asked, ASKED) | dict.fromkeys(objected, OBJECTED)
    page = _Page(sheet, layouts, uses, cut_of(sheet, layouts, faults | set(marked)), marked, said)
    figure = Figure(figsize=(page.width, page.height), dpi=1280 / page.width)
    FigureCanvasAgg(figure)
    page.draw(figure.add_axes((0, 0, 1, 1)))
    out = BytesIO()
    figure.savefig(out, format="png", facecolor="white", metadata={"Software": PICTURE_SIGN.decode()})
    return out.getvalue()


class _Page:
    """One map being drawn; places are in inches from the top left."""

    left, top = 0.66, 1.06

    def __init__(
        self, sheet: Sheet, layouts: Sequence[Layout], uses: NDArray[np.uint8], cut: Cut, marked: dict[tuple[int, int], Style],
        said: Sequence[str],
    ) -> None:  # fmt: skip
        self.sheet, self.layouts, self.uses, self.marked, self.said = sheet, layouts, uses, marked, said
        self.rows, self.columns = cut.rows, cut.columns
        self.wide = {column: _NARROW if column < 0 else cut.letters[column] * _LETTER + _PAD for column in cut.columns}
        self.covered = {
            (row, column): area for area in sheet.merges
            for row in range(area.top, area.bottom + 1) for column in range(area.left, area.right + 1)
        }  # fmt: skip
        self.x, at = {}, self.left
        for column in cut.columns:
            self.x[column] = at
            at += self.wide[column]
        self.right = at
        self.y = {row: self.top + 0.3 + place * _HIGH for place, row in enumerate(cut.rows)}
        self.bottom = self.top + 0.3 + len(cut.rows) * _HIGH
        beside = max([len(name) for name in self._row_names().values()] + [0]) * _LETTER + 0.45
        self.width = min(max(self.right + beside, _NARROWEST_PAGE), max(_WIDEST_PAGE, self.right + beside))
        self.places = self._legend_places()
        self.height = self.places[-1][1] + 0.5 + 0.2 * len(said)

    def draw(self, axes: Any) -> None:
        """All of it."""
        axes.set_xlim(0, self.width)
        axes.set_ylim(self.height, 0)
        axes.axis("off")
        self._title(axes)
        self._rulers(axes)
        for row in self.rows:
            for column in self.columns:
                if row >= 0 and column >= 0:
                    self._cell(axes, row, column)
        self._gaps(axes)
        self._blocks(axes)
        self._below(axes, self._legend(axes))

    def _text(self, axes: Any, x: float, y: float, text: str, **style: Any) -> None:
        axes.text(x, y, text, **{"fontsize": 8, "color": _INK, "va": "center", "parse_math": False} | style)

    def _title(self, axes: Any) -> None:
        rows, columns = self.sheet.shape
        file = Path(self.sheet.source).name
        self._text(axes, self.left, 0.34, self.sheet.name, fontsize=14, weight="bold")
        if file:
            self._text(axes, self.width - 0.25, 0.34, file, fontsize=10, color=_FAINT, ha="right")
        said = f"{rows:,} rows x {columns:,} columns, {int(self.sheet.filled.sum()):,} cells filled"
        for layout in self.layouts[:3]:
            said += f"  ·  block {layout.address}: {len(layout.body_rows):,} x {len(layout.body_columns):,} body"
        more = len(self.layouts) - 3
        self._text(axes, self.left, 0.64, said + (f"  ·  and {more} more blocks" if more > 0 else ""), fontsize=8.5)

    def _rulers(self, axes: Any) -> None:
        names = {
            part.line: level.name for layout in self.layouts[:1] for level in (*layout.column_levels, *layout.beside_levels)
            for part in level.parts
        }  # fmt: skip
        for column in self.columns:
            if column >= 0:
                x = self.x[column] + self.wide[column] / 2
                self._text(axes, x, self.top + 0.2, column_letters(column), color=_FAINT, ha="center")
                room = int(self.wide[column] / _LETTER)
                name = names.get(column, "")
                shown = name if len(name) <= room else name[: room - 1] + "…"
                self._text(axes, x, self.top + 0.03, shown, ha="center", style="italic", fontsize=7.6)
        for row in self.rows:
            if row >= 0:
                self._text(axes, self.left - 0.1, self.y[row] + _HIGH / 2, f"{row + 1:,}", color=_FAINT, ha="right")
        for row, name in self._row_names().items():
            if row in self.y:
                self._text(axes, self.right + 0.1, self.y[row] + _HIGH / 2, f"◂ {name}", style="italic", fontsize=7.6)

    def _row_names(self) -> dict[int, str]:
        """What stands right of a row: the name of a heading row's column, or that a cell of the row is in no table."""
        names: dict[int, str] = {}
        for layout in self.layouts:
            for level in layout.boxhead:
                named = f"{level.name}, a column each" if level.name == layout.measures else level.name
                names |= {part.line: named for part in level.parts}
            names |= self._section_names(layout)
        for row in np.flatnonzero((self.sheet.filled & (self.uses == Use.UNCLAIMED)).any(axis=1)).tolist():
            names[row] = "gave no record" if self._labels_nothing(row) else "in no table"
        return names

    def _section_names(self, layout: Layout) -> dict[int, str]:
        """The rows of heads that label those below them, with the name of their column."""
        width = self.sheet.shape[1]
        cells = {level.name: np.unique(level.cells[level.cells >= 0]) for level in layout.head_levels}
        return {int(cell) // width: name for name, own in cells.items() for cell in own}

    def _labels_nothing(self, row: int) -> bool:
        """Whether what is unclaimed in a row stands among the labels: the row gave no record."""
        own = np.flatnonzero(self.sheet.filled[row] & (self.uses[row] == Use.UNCLAIMED)).tolist()
        return any(set(own) <= set(one.stub_columns) and one.area.top < row <= one.area.bottom for one in self.layouts)

    def _look(self, cell: tuple[int, int]) -> Style:
        use = Use(int(self.uses[cell]))
        if cell in self.marked and use != Use.UNCLAIMED:
            return self.marked[cell]
        if use in {Use.HEADING, Use.LABEL}:
            shades = HEADINGS if use == Use.HEADING else LABELS
            return shades[min(self._depth(cell, use), len(shades) - 1)]
        return LOOKS[use]

    def _depth(self, cell: tuple[int, int], use: Use) -> int:
        """How far out a label's level is: 0 next to the values."""
        for layout in self.layouts:
            levels = layout.boxhead if use == Use.HEADING else layout.stub
            for depth, level in enumerate(reversed(levels)):
                flat = cell[0] * self.sheet.shape[1] + cell[1]
                if any((part.cells == flat).any() for part in level.parts):
                    return depth
        return 0

    def _cell(self, axes: Any, row: int, column: int) -> None:
        from matplotlib.patches import Rectangle

        area = self.covered.get((row, column))
        anchor = (row, column) if area is None else (area.top, area.left)
        if not self._is_first_shown(row, column, area):
            return
        width, height = self._extent(row, column, area)
        place = (self.x[column], self.y[row])
        if not self.sheet.filled[anchor]:
            self._blank(axes, row, column, (width, height))
            return
        look = self._look(anchor)
        axes.add_patch(Rectangle(
            place, width, height, facecolor=look.fill, hatch=look.hatch or None, lw=1.6 if look.heavy else 0.6,
            edgecolor="#a8a8a8" if look.hatch and not look.heavy else look.edge, zorder=3 if look.heavy else 1,
        ))  # fmt: skip
        number = self.sheet.looks[anchor] == 1
        room = self._room(row, column, width, number=number)
        text = self.sheet.text(*anchor)
        text = text if len(text) <= room else text[: max(room - 1, 1)] + "…"
        plate = {"facecolor": look.fill, "edgecolor": "none", "pad": 0.6} if look.hatch else None
        self._text(
            axes, place[0] + (width - 0.06 if number else 0.06), self.y[row] + height / 2, text, fontsize=7.6,
            weight=look.weight, style=look.style, ha="right" if number else "left", bbox=plate, zorder=4,
        )  # fmt: skip

    def _blank(self, axes: Any, row: int, column: int, size: tuple[float, float]) -> None:
        """A blank cell: empty among the values, or among labels that were filled down into it."""
        from matplotlib.patches import Rectangle

        for layout in self.layouts:
            if row not in layout.body_rows:
                continue
            place = (self.x[column], self.y[row])
            if column in layout.body_columns:
                axes.add_patch(Rectangle(place, *size, facecolor="none", edgecolor="#dddddd", lw=0.5))
            level = next((one for one in layout.column_levels if one.line == column), None)
            at = int(np.flatnonzero(layout.body_rows == row)[0])
            if level is not None and level.codes[at] >= 0:
                depth = len(layout.stub) - 1 - layout.stub.index(level)
                fill = LABELS[min(depth, len(LABELS) - 1)].fill
                axes.add_patch(Rectangle(place, *size, facecolor=fill, edgecolor="none", alpha=0.45, lw=0))
                self._text(
                    axes,
                    place[0] + 0.06,
                    place[1] + size[1] / 2,
                    "as above",
                    fontsize=6.8,
                    style="italic",
                    color=_FAINT,
                )
            return

    def _is_first_shown(self, row: int, column: int, area: Area | None) -> bool:
        """Whether a cell is the one at which a merge is drawn: the first of its cells that is not cut."""
        if area is None:
            return True
        rows = [at for at in self.rows if area.top <= at <= area.bottom]
        columns = [at for at in self.columns if area.left <= at <= area.right]
        return (row, column) == (min(rows), min(columns))

    def _extent(self, row: int, column: int, area: Area | None) -> tuple[float, float]:
        if area is None:
            return self.wide[column], _HIGH
        last = max(at for at in self.columns if column <= at <= area.right)
        low = max(at for at in self.rows if row <= at <= area.bottom)
        return self.x[last] + self.wide[last] - self.x[column], self.y[low] + _HIGH - self.y[row]

    def _room(self, row: int, column: int, width: float, *, number: bool) -> int:
        """Letters that fit; a text runs on over blank cells, as it does in a workbook."""
        at = self.columns.index(column) + 1
        if not number and (row, column) not in self.covered:
            while at < len(self.columns) and self.columns[at] >= 0 and not self.sheet.filled[row, self.columns[at]]:
                width += self.wide[self.columns[at]]
                at += 1
            if at == len(self.columns) and row not in self._row_names():
                width = self.width - 0.2 - self.x[column]
        return int((width - 0.06) / _LETTER)

    def _gaps(self, axes: Any) -> None:
        for lines, what, where in ((self.rows, "row", self.y), (self.columns, "column", self.x)):
            for place, line in enumerate(lines):
                if line >= 0:
                    continue
                after = lines[place + 1] if place + 1 < len(lines) else self.sheet.shape[0 if what == "row" else 1]
                count = after - lines[place - 1] - 1
                said = f"· · ·  {count:,} {what}{'s' * (count > 1)} not drawn  · · ·"
                if what == "row":
                    middle = (self.left + self.right) / 2
                    self._text(axes, middle, where[line] + _HIGH / 2, said, ha="center", style="italic")
                else:
                    middle = (self.top + self.bottom) / 2
                    self._text(axes, where[line] + _NARROW / 2, middle, said, ha="center", style="italic", rotation=90)

    def _blocks(self, axes: Any) -> None:
        """A heavy frame around each block."""
        from matplotlib.patches import Rectangle

        for number, layout in enumerate(self.layouts, 1):
            area = layout.area
            rows = [row for row in self.rows if area.top <= row <= area.bottom]
            columns = [column for column in self.columns if area.left <= column <= area.right]
            if not rows or not columns:
                continue
            x, y = self.x[columns[0]], self.y[rows[0]]
            width, height = self.x[columns[-1]] + self.wide[columns[-1]] - x, self.y[rows[-1]] + _HIGH - y
            axes.add_patch(Rectangle((x, y), width, height, facecolor="none", edgecolor=_INK, lw=1.8, zorder=2))
            if len(self.layouts) > 1 and not any(
                area.touches(other.area) for other in self.layouts if other is not layout
            ):
                self._text(axes, x + width - 0.05, y - 0.07, f"block {number}", weight="bold", ha="right")

    def _present(self) -> list[Style]:
        """The looks that the map has, each with the words of the legend."""
        uses = [Use(int(use)) for use in np.unique(self.uses[self.sheet.filled])]
        found = [LOOKS[use] for use in LOOKS if use in uses and use not in {Use.HEADING, Use.LABEL}]
        for use, shades in ((Use.LABEL, LABELS), (Use.HEADING, HEADINGS)):
            if use in uses:
                found.insert(1, shades[0])
        return [*found, *dict.fromkeys(self.marked.values())]

    def _legend_places(self) -> list[tuple[float, float]]:
        """Where each entry of the legend stands, in as many lines as it takes."""
        x, y, places = self.left, self.bottom + 0.22, []
        for look in self._present():
            need = 0.42 + 0.064 * len(look.word) + 0.22
            if x + need > self.width:
                x, y = self.left, y + 0.26
            places.append((x, y))
            x += need
        return places or [(x, y)]

    def _legend(self, axes: Any) -> float:
        from matplotlib.patches import Rectangle

        for look, (x, y) in zip(self._present(), self.places, strict=False):
            edge, weight = (look.edge, 1.4) if look.heavy else (_FAINT, 0.7)
            hatch = look.hatch or None
            axes.add_patch(Rectangle((x, y), 0.3, 0.17, facecolor=look.fill, hatch=hatch, edgecolor=edge, lw=weight))
            self._text(axes, x + 0.37, y + 0.085, look.word, weight=look.weight, style=look.style)
        return self.places[-1][1]

    def _below(self, axes: Any, y: float) -> None:
        """What stands below the map: what breaks the proof, the readings that were weighed."""
        room = int((self.width - self.left) / (_LETTER * 1.06))
        for number, line in enumerate(self.said):
            text = line if len(line) <= room else line[: room - 1] + "…"
            self._text(axes, self.left, y + 0.42 + 0.2 * number, text)
