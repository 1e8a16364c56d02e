"""Charts for looking: lines that leave gaps, bars in order, small multiples, shades, a spread, how full.

They need `kebrin[pictures]`. Colours are told apart without colour vision and in grey (Okabe and Ito, 2008, for lines; one hue
from light to dark for shades).
"""

from __future__ import annotations

import warnings
from io import BytesIO
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from kebrin.shape.looking import Look

ENDINGS = (".png", ".svg", ".pdf")
#: What a chart says of its maker: such a file may be replaced by the next one.
SIGN = "Kebrin chart"
_INK, _DIM, _LINE, _OTHER = "#1b1b1b", "#5f5f5f", "#0072b2", "#d55e00"
_WIDE, _ROW, _LONGEST = 10.0, 0.27, 34
# From so far between the least and the largest on a shade is dark enough for white figures to be read on it.
_DARK = 0.64


def draw(
    look: Look, title: str, *, sources: Sequence[str] = (), before: Look | None = None, name: str = "before"
) -> Any:
    """A chart as a figure of matplotlib's, to go on with.

    Args:
        look: what it shows.
        title: what stands above.
        sources: where the numbers come from, for the caption.
        before: the same of another time or table, drawn beside it.
        name: what that is called.

    Raises:
        OutputError: matplotlib is not installed.
    """
    try:
        from matplotlib.figure import Figure
    except ImportError:
        raise OutputError(
            "charts need matplotlib", why="it is not installed", do="Run: pip install 'kebrin[pictures]'"
        ) from None

    drawn = {"line": _lines, "bars": _bars, "multiples": _multiples, "heat": _heat, "spread": _spread, "full": _full}[
        look.kind
    ]
    figure = Figure(figsize=(_WIDE, _height(look)), layout="constrained")
    drawn(figure, look, before, name)
    figure.suptitle(title, x=0.01, ha="left", fontsize=14, color=_INK)
    caption = [_what(look), *look.said, *([f"from {', '.join(sources)}"] if sources else [])]
    figure.supxlabel("\n".join(_folded(". ".join(caption), 165)), x=0.01, ha="left", fontsize=8.5, color=_DIM)
    return figure


def write(figure: Any, path: Path) -> tuple[bytes, str]:
    """A figure as the bytes of a file, by its ending; and what is said of letters that no font here has.

    Raises:
        OutputError: the ending is none of a chart.
    """
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.backends.backend_pdf import FigureCanvasPdf
    from matplotlib.backends.backend_svg import FigureCanvasSVG

    canvases: dict[str, Any] = {".png": FigureCanvasAgg, ".svg": FigureCanvasSVG, ".pdf": FigureCanvasPdf}
    ending = path.suffix.lower()
    if ending not in canvases:
        raise OutputError(
            f"a chart is not written as {path.suffix or 'a file without an ending'!r}", Place(str(path)),
            do=f"Name a file that ends in {', '.join(ENDINGS)}",
        )  # fmt: skip
    out = BytesIO()
    about = {"Creator": SIGN} if ending != ".png" else {"Software": SIGN}
    with warnings.catch_warnings(record=True) as told:
        warnings.simplefilter("always")
        canvases[ending](figure).print_figure(out, format=ending[1:], dpi=128, metadata=about)
    gone = sum("missing from" in str(one.message) for one in told)
    said = "some letters are in no font that matplotlib finds here, and are drawn as boxes" if gone else ""
    return out.getvalue(), said


def _what(look: Look) -> str:
    by = " and ".join(look.by)
    if look.kind == "spread":
        return f"{look.of}: {len(look.values):,} values"
    return "The share of rows that each column is filled in" if look.kind == "full" else f"Sum of {look.of} by {by}"


def _height(look: Look) -> float:
    if look.kind in {"bars", "full"}:
        return min(max(2.4 + _ROW * len(look.rows), 3.6), 24.0)
    if look.kind == "heat":
        return min(max(2.6 + _ROW * len(look.rows), 4.0), 16.0)
    if look.kind == "multiples":
        return 1.6 + 1.9 * -(-len(look.rows) // 3)
    return 5.6


def _folded(text: str, width: int) -> list[str]:
    import textwrap

    return textwrap.wrap(text, width)[:4]


def _short(text: str) -> str:
    """A label as far as there is room, no sign of it read as mathematics."""
    cut = text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"
    return cut.replace("$", r"\$")


def _plain(axes: Any) -> None:
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.tick_params(colors=_DIM, labelsize=9)
    axes.set_axisbelow(True)


def _numbers(axis: Any, values: Any) -> None:
    """Numbers with thousands apart; very large and very small ones in powers of ten."""
    from matplotlib.ticker import FuncFormatter, ScalarFormatter

    largest = float(np.nanmax(np.abs(values))) if np.isfinite(values).any() else 0.0
    plain = 1e-3 <= largest < 1e9 or largest == 0.0
    axis.set_major_formatter(
        FuncFormatter(lambda value, _: f"{value:,.10g}") if plain else ScalarFormatter(useMathText=True)
    )


def _ticks(axes: Any, labels: Sequence[str], most: int) -> None:
    """Labels below, as many as have room; none collides with another."""
    step = max(-(-len(labels) // most), 1)
    at = list(range(0, len(labels), step))
    axes.set_xticks(at, [_short(labels[one]) for one in at])
    if max((len(labels[one]) for one in at), default=0) * len(at) > most * 8:
        axes.tick_params(axis="x", labelrotation=45)
        for label in axes.get_xticklabels():
            label.set_horizontalalignment("right")


def _lines(figure: Any, look: Look, before: Look | None, name: str) -> None:
    axes = figure.subplots()
    rows = list(dict.fromkeys([*look.rows, *(before.rows if before is not None and before.kind == "line" else ())]))
    if before is not None:
        rows = sorted(rows)
    at = {row: place for place, row in enumerate(rows)}
    if before is not None:
        axes.plot(
            [at[row] for row in before.rows],
            before.values,
            color=_OTHER,
            ls="--",
            marker="s",
            ms=3.5,
            lw=1.6,
            label=name,
        )
    axes.plot([at[row] for row in look.rows], look.values, color=_LINE, marker="o", ms=4, lw=2, label="now")
    _plain(axes)
    axes.grid(axis="y", color="#dddddd", lw=0.8)
    axes.set_ylabel(look.of, color=_DIM)
    low = float(np.nanmin(look.values))
    axes.margins(y=0.1)
    axes.set_ylim(bottom=0 if low >= 0 else None)
    _numbers(axes.yaxis, look.values)
    _ticks(axes, rows, 13)
    if before is not None:
        axes.legend(frameon=False)


def _bars(figure: Any, look: Look, before: Look | None, name: str) -> None:
    axes = figure.subplots()
    at = np.arange(len(look.rows))
    other = dict(zip(before.rows, before.values.tolist(), strict=True)) if before is not None else {}
    wide = 0.38 if before is not None else 0.74
    axes.barh(at - (wide / 2 if other else 0), np.nan_to_num(look.values), wide, color=_LINE, label="now")
    if before is not None:
        own = [other.get(row, 0.0) for row in look.rows]
        axes.barh(at + wide / 2, own, wide, color="white", edgecolor=_OTHER, hatch="///", label=name)
        axes.legend(frameon=False, loc="lower right")
    axes.set_yticks(at, [_short(row) for row in look.rows])
    axes.invert_yaxis()
    axes.margins(x=0.14)
    for place, value in zip(at.tolist(), look.values.tolist(), strict=True):
        said = "no value" if np.isnan(value) else f"{value:,.6g}"
        axes.annotate(
            said, (0 if np.isnan(value) else value, place - (wide / 2 if other else 0)), xytext=(4 if not value < 0 else -4, 0),
            textcoords="offset points", va="center", ha="left" if not value < 0 else "right", fontsize=8.5, color=_DIM,
        )  # fmt: skip
    _plain(axes)
    axes.grid(axis="x", color="#dddddd", lw=0.8)
    axes.set_xlabel(look.of, color=_DIM)
    axes.xaxis.set_major_locator(_few())
    _numbers(axes.xaxis, look.values)


def _few() -> Any:
    from matplotlib.ticker import MaxNLocator

    return MaxNLocator(6)


def _multiples(figure: Any, look: Look, _: Look | None, __: str) -> None:
    columns = min(3, len(look.rows))
    lines = -(-len(look.rows) // columns)
    grid = figure.subplots(lines, columns, sharex=True, sharey=True, squeeze=False)
    for place, axes in enumerate(grid.ravel()):
        if place >= len(look.rows):
            axes.set_visible(False)
            continue
        axes.plot(range(len(look.across)), look.values[place], color=_LINE, marker="o", ms=2.5, lw=1.6)
        axes.set_title(_short(look.rows[place]), fontsize=10, loc="left", color=_INK)
        _plain(axes)
        axes.grid(axis="y", color="#dddddd", lw=0.8)
        _ticks(axes, look.across, 5)
        _numbers(axes.yaxis, look.values)
    if np.nanmin(look.values) >= 0:
        grid[0, 0].set_ylim(bottom=0)
    grid[0, 0].set_ylabel(look.of, color=_DIM)


def _heat(figure: Any, look: Look, _: Look | None, __: str) -> None:
    from matplotlib.colors import LinearSegmentedColormap

    axes = figure.subplots()
    shades = LinearSegmentedColormap.from_list("shades", ["#f2f6fa", "#7fb0d6", "#0b3c5d"])
    shades.set_bad("#ffffff")
    image = axes.imshow(np.ma.masked_invalid(look.values), cmap=shades, aspect="auto")
    axes.set_yticks(range(len(look.rows)), [_short(row) for row in look.rows])
    _ticks(axes, look.across, 20)
    axes.tick_params(colors=_DIM, labelsize=9)
    if look.values.size <= 200:
        low, high = np.nanmin(look.values), np.nanmax(look.values)
        dark = low + _DARK * (high - low)
        for (row, column), value in np.ndenumerate(look.values):
            said = "–" if np.isnan(value) else f"{value:,.4g}"
            ink = "white" if value > dark else _INK
            axes.text(column, row, said, ha="center", va="center", fontsize=7.5, color=ink)
    bar = figure.colorbar(image, ax=axes, shrink=0.8, pad=0.02)
    bar.set_label(look.of, color=_DIM)
    _numbers(bar.ax.yaxis, look.values)


def _spread(figure: Any, look: Look, before: Look | None, name: str) -> None:
    axes = figure.subplots()
    count = int(min(max(np.sqrt(len(look.values)), 5), 60))
    ends = (float(look.values.min()), float(look.values.max()))
    if ends[0] == ends[1]:
        pad = max(abs(ends[0]) / 2, 0.5)
        ends = (ends[0] - pad, ends[1] + pad)
    axes.hist(look.values, bins=count, range=ends, color=_LINE, edgecolor="white", lw=0.5, label="now")
    if before is not None:
        axes.hist(before.values, bins=count, range=ends, histtype="step", color=_OTHER, lw=1.8, ls="--", label=name)
        axes.legend(frameon=False)
    _plain(axes)
    axes.grid(axis="y", color="#dddddd", lw=0.8)
    axes.set_xlabel(look.of, color=_DIM)
    axes.set_ylabel("rows", color=_DIM)
    axes.xaxis.set_major_locator(_few())
    _numbers(axes.xaxis, look.values)


def _full(figure: Any, look: Look, before: Look | None, name: str) -> None:
    axes = figure.subplots()
    at = np.arange(len(look.rows))
    axes.barh(at, np.ones(len(at)), 0.74, color="white", edgecolor="#bbbbbb")
    axes.barh(at, look.values, 0.74, color=_LINE)
    if before is not None:
        own = dict(zip(before.rows, before.values.tolist(), strict=True))
        known = [(place, own[row]) for place, row in enumerate(look.rows) if row in own]
        axes.plot(
            [share for _, share in known],
            [place for place, _ in known],
            "D",
            color=_OTHER,
            ms=6,
            mec="white",
            label=name,
        )
        axes.legend(frameon=False, loc="lower right")
    axes.set_yticks(at, [_short(row) for row in look.rows])
    axes.invert_yaxis()
    axes.set_xlim(0, 1.12)
    axes.set_xticks([0, 0.25, 0.5, 0.75, 1], ["0%", "25%", "50%", "75%", "100%"])
    for place, share in zip(at.tolist(), look.values.tolist(), strict=True):
        axes.annotate(
            "full" if share == 1 else f"{share:.1%}", (1, place), xytext=(4, 0), textcoords="offset points", va="center",
            fontsize=8.5, color=_DIM,
        )  # fmt: skip
    _plain(axes)
