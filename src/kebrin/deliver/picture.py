"""The sheet map: a sheet drawn as its grid, each cell marked with what it was taken for. Needs `kebrin[pictures]`.

Roles are told apart by fill, hatching and lettering together, so that the map reads in grey and without colour vision.
A large sheet is cut to its first and last rows and columns; the strip between says what was cut.
"""

from __future__ import annotations

from dataclasses import dataclass
from io import BytesIO
from typing import TYPE_CHECKING, Any

from kebrin.address import column_letters
from kebrin.deliver.guard import PICTURE_SIGN
from kebrin.errors import OutputError
from kebrin.proof import Use

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.address import Area
    from kebrin.cells import Sheet
    from kebrin.layout import Layout

_MOST_ROWS, _MOST_COLUMNS = 34, 15
_LAST_ROWS, _LAST_COLUMNS = 11, 4
_GAP = -1
_WIDE, _NARROW, _HIGH = 0.92, 0.55, 0.225  # inches: a column, a gap column, a row
_INK, _FAINT = "#1b1b1b", "#8a8a8a"


@dataclass(frozen=True)
class Look:
    """How cells of one use are drawn."""

    word: str
    fill: str = "white"
    hatch: str = ""
    weight: str = "normal"
    style: str = "normal"
    edge: str = "#c9c9c9"
    heavy: bool = False


_LOOKS = {
    Use.VALUE: Look("value"),
    Use.HEADING: Look("heading (boxhead)", fill="#a9c4dd", weight="bold"),
    Use.LABEL: Look("label (stub)", fill="#dfeaf4", weight="bold"),
    Use.TOTAL: Look("total line, left out", fill="#e3e3e3", hatch="////", style="italic"),
    Use.FIELD: Look("field", fill="#f6e3a8", hatch="..", weight="bold"),
    Use.TITLE: Look("title", fill="#f4f4f4", weight="bold", style="italic"),
    Use.NOTE: Look("note", fill="#fafafa", style="italic"),
    Use.HIDDEN: Look("hidden, left out", fill="#d0d0d0", hatch="xxxx"),
    Use.MARK: Look("footnote mark", fill="#f6e3a8", style="italic"),
    Use.MARK_LEFT: Look("footnote mark, left out", fill="#f6e3a8", hatch="////", style="italic"),
    Use.UNCLAIMED: Look("unclaimed", fill="#ffd9cc", hatch="++", weight="bold", edge="#b3261e", heavy=True),
}


def draw_map(sheet: Sheet, layouts: Sequence[Layout], uses: NDArray[np.uint8]) -> bytes:
    """The map of a sheet as PNG bytes, about 1,280 pixels wide.

    Args:
        sheet: the sheet.
        layouts: its blocks.
        uses: the `Use` of each cell (rows x columns), as `uses_of` gives it.

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
    rows = _shown(sheet.shape[0], _MOST_ROWS, _LAST_ROWS, _keep(layouts))
    columns = _shown(sheet.shape[1], _MOST_COLUMNS, _LAST_COLUMNS, ())
    page = _Page(sheet, layouts, uses, rows, columns)
    figure = Figure(figsize=(page.width, page.height), dpi=1280 / page.width if page.width > 10 else 110)
    FigureCanvasAgg(figure)
    page.draw(figure.add_axes((0, 0, 1, 1)))
    out = BytesIO()
    figure.savefig(out, format="png", facecolor="white", metadata={"Software": PICTURE_SIGN.decode()})
    return out.getvalue()


def _keep(layouts: Sequence[Layout]) -> tuple[int, ...]:
    return tuple(layout.area.bottom for layout in layouts[:1])


def _shown(count: int, most: int, last: int, keep: Sequence[int]) -> list[int]:
    """The lines to draw: all, or the first and the last with a gap between; the block's end stays in sight."""
    if count <= most:
        return list(range(count))
    tail = last
    for line in keep:
        tail = max(tail, min(count - line + 2, most // 2))
    return [*range(most - tail), _GAP, *range(count - tail, count)]


class _Page:
    """One map being drawn; places are in inches from the top left."""

    left, top, foot = 0.62, 0.95, 0.95

    def __init__(
        self, sheet: Sheet, layouts: Sequence[Layout], uses: NDArray[np.uint8], rows: list[int], columns: list[int]
    ) -> None:
        self.sheet, self.layouts, self.uses = sheet, layouts, uses
        self.rows, self.columns = rows, columns
        self.x, at = {}, self.left
        self.widths = [_NARROW if column == _GAP else _WIDE for column in columns]
        for column, width in zip(columns, self.widths, strict=True):
            self.x[column] = at
            at += width
        self.right = at
        self.y = {row: self.top + 0.26 + place * _HIGH for place, row in enumerate(rows)}
        self.bottom = self.top + 0.26 + len(rows) * _HIGH
        self.width = max(self.right + 0.25, 9.6)
        self.height = self.bottom + self.foot
        self.covered = self._merges()

    def _merges(self) -> dict[tuple[int, int], Area]:
        covered: dict[tuple[int, int], Area] = {}
        for area in self.sheet.merges:
            for row in range(area.top, area.bottom + 1):
                for column in range(area.left, area.right + 1):
                    covered[row, column] = area
        return covered

    def draw(self, axes: Any) -> None:
        """All of it."""
        axes.set_xlim(0, self.width)
        axes.set_ylim(self.height, 0)
        axes.axis("off")
        self._title(axes)
        self._rulers(axes)
        for row in self.rows:
            for column in self.columns:
                if _GAP not in {row, column}:
                    self._cell(axes, row, column)
        self._gaps(axes)
        self._blocks(axes)
        self._legend(axes)

    def _title(self, axes: Any) -> None:
        rows, columns = self.sheet.shape
        axes.text(self.left, 0.34, self.sheet.name, fontsize=14, weight="bold", color=_INK, va="center")
        said = f"{rows:,} rows x {columns:,} columns, {int(self.sheet.filled.sum()):,} cells filled"
        for layout in self.layouts:
            said += f"  ·  block {layout.address}: {len(layout.body_rows):,} x {len(layout.body_columns):,} body"
        axes.text(self.left, 0.64, said, fontsize=8.5, color=_INK, va="center")

    def _rulers(self, axes: Any) -> None:
        for column in self.columns:
            if column != _GAP:
                axes.text(self.x[column] + _WIDE / 2, self.top + 0.14, column_letters(column), fontsize=8, color=_FAINT,
                          ha="center", va="center")  # fmt: skip
        for row in self.rows:
            if row != _GAP:
                axes.text(
                    self.left - 0.1,
                    self.y[row] + _HIGH / 2,
                    f"{row + 1:,}",
                    fontsize=8,
                    color=_FAINT,
                    ha="right",
                    va="center",
                )

    def _cell(self, axes: Any, row: int, column: int) -> None:
        from matplotlib.patches import Rectangle

        area = self.covered.get((row, column))
        anchor = (row, column) if area is None else (area[0], area[1])
        shown_anchor = area is None or (
            row == min(r for r in self.rows if area[0] <= r <= area[2])
            and column == min(c for c in self.columns if area[1] <= c <= area[3])
        )
        if not shown_anchor:
            return
        filled = bool(self.sheet.filled[anchor])
        width, height = self._extent(row, column, area)
        if not filled:
            axes.add_patch(
                Rectangle((self.x[column], self.y[row]), width, height, facecolor="none", edgecolor="#eeeeee", lw=0.5)
            )
            return
        look = _LOOKS[Use(int(self.uses[anchor]))]
        axes.add_patch(Rectangle(
            (self.x[column], self.y[row]), width, height, facecolor=look.fill, hatch=look.hatch or None,
            edgecolor="#b5b5b5" if look.hatch and not look.heavy else look.edge, lw=1.6 if look.heavy else 0.6,
        ))  # fmt: skip
        number = self.sheet.looks[anchor] == 1
        room = self._room(row, column, width, number=number)
        text = self.sheet.text(*anchor)
        text = text if len(text) <= room else text[: max(room - 1, 1)] + "…"
        plate = {"facecolor": look.fill, "edgecolor": "none", "pad": 0.6} if look.hatch else None
        place = self.x[column] + (width - 0.06 if number else 0.06)
        axes.text(
            place, self.y[row] + height / 2, text, fontsize=7.6, weight=look.weight, style=look.style, color=_INK, va="center",
            ha="right" if number else "left", bbox=plate,
        )  # fmt: skip

    def _extent(self, row: int, column: int, area: Area | None) -> tuple[float, float]:
        if area is None:
            return _WIDE, _HIGH
        columns = [at for at in self.columns if at != _GAP and column <= at <= area[3]]
        rows = [at for at in self.rows if at != _GAP and row <= at <= area[2]]
        return self.x[columns[-1]] + _WIDE - self.x[column], self.y[rows[-1]] + _HIGH - self.y[row]

    def _room(self, row: int, column: int, width: float, *, number: bool) -> int:
        """Letters that fit; a text runs on over blank cells, as it does in a workbook."""
        at = self.columns.index(column) + 1
        while not number and at < len(self.columns) and self.columns[at] != _GAP and width <= _WIDE * 8:
            if (row, column) in self.covered or self.sheet.filled[row, self.columns[at]]:
                break
            width += _WIDE
            at += 1
        return int(width / 0.078)

    def _gaps(self, axes: Any) -> None:
        if _GAP in self.y:
            cut = self.rows[self.rows.index(_GAP) + 1] - self.rows[self.rows.index(_GAP) - 1] - 1
            axes.text((self.left + self.right) / 2, self.y[_GAP] + _HIGH / 2, f"· · ·  {cut:,} rows not drawn  · · ·", fontsize=8,
                      color=_INK, ha="center", va="center", style="italic")  # fmt: skip
        if _GAP in self.x:
            cut = self.columns[self.columns.index(_GAP) + 1] - self.columns[self.columns.index(_GAP) - 1] - 1
            axes.text(self.x[_GAP] + _NARROW / 2, (self.top + self.bottom) / 2, f"· · ·  {cut:,} columns not drawn  · · ·",
                      fontsize=8,
                      color=_INK, ha="center", va="center", style="italic", rotation=90)  # fmt: skip

    def _blocks(self, axes: Any) -> None:
        """A heavy frame around each block, and the names of its levels."""
        from matplotlib.patches import Rectangle

        for number, layout in enumerate(self.layouts):
            area = layout.area
            rows = [row for row in self.rows if row != _GAP and area.top <= row <= area.bottom]
            columns = [column for column in self.columns if column != _GAP and area.left <= column <= area.right]
            if not rows or not columns:
                continue
            x, y = self.x[columns[0]], self.y[rows[0]]
            width, height = self.x[columns[-1]] + _WIDE - x, self.y[rows[-1]] + _HIGH - y
            axes.add_patch(Rectangle((x, y), width, height, facecolor="none", edgecolor=_INK, lw=1.8))
            if len(self.layouts) > 1:
                axes.text(
                    x + width - 0.05, y - 0.06, f"block {number + 1}", fontsize=8, weight="bold", color=_INK, ha="right"
                )

    def _legend(self, axes: Any) -> None:
        from matplotlib.patches import Rectangle

        present = [use for use in _LOOKS if (self.uses[self.sheet.filled] == use).any()]
        x, y = self.left, self.bottom + 0.22
        for use in present:
            look = _LOOKS[use]
            need = 0.42 + 0.075 * len(look.word) + 0.2
            if x + need > self.width:
                x, y = self.left, y + 0.26
            edge, weight = (look.edge, 1.4) if look.heavy else (_FAINT, 0.7)
            hatch = look.hatch or None
            axes.add_patch(Rectangle((x, y), 0.3, 0.17, facecolor=look.fill, hatch=hatch, edgecolor=edge, lw=weight))
            axes.text(
                x + 0.37,
                y + 0.085,
                look.word,
                fontsize=8,
                weight=look.weight,
                style=look.style,
                color=_INK,
                va="center",
            )
            x += need
        names = [f"row {level.line + 1}: {level.name}" for layout in self.layouts[:1] for level in layout.boxhead]
        names += [
            f"column {column_letters(level.line)}: {level.name}" for layout in self.layouts[:1] for level in layout.stub
        ]
        if names:
            axes.text(self.left, y + 0.42, "levels   " + "   ·   ".join(names), fontsize=8, color=_INK, va="center")
