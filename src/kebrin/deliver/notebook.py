"""How a table shows itself in a notebook."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from kebrin.cells import as_label

if TYPE_CHECKING:
    from kebrin.table import Table
    from kebrin.values.profile import Profile

_ROWS = 10
_STYLE = "border-collapse:collapse;font-variant-numeric:tabular-nums"
_CELL = "padding:2px 10px;border-bottom:1px solid #ddd"


def table_html(table: Table, note: str = "") -> str:
    """The first rows of a table as HTML, numbers flush right, missing values as a dot."""
    shown = table.data.slice(0, _ROWS).to_pydict()
    heads = "".join(
        f'<th style="{_CELL};text-align:{_side(table, name)}">{escape(name)}</th>' for name in table.columns
    )
    rows = "".join(
        "<tr>" + "".join(_cell(table, name, shown[name][at]) for name in table.columns) + "</tr>"
        for at in range(min(_ROWS, len(table)))
    )
    more = f"{len(table):,} rows" + (f", the first {_ROWS} shown" if len(table) > _ROWS else "")
    caption = escape(f"{more}; {note}" if note else more)
    return (
        f'<table style="{_STYLE}"><thead><tr>{heads}</tr></thead><tbody>{rows}</tbody></table>'
        f'<p style="color:#666;font-size:90%">{caption}</p>'
    )


def _side(table: Table, name: str) -> str:
    return "right" if name in table.measures else "left"


def _cell(table: Table, name: str, value: object) -> str:
    if value is None:
        return f'<td style="{_CELL};text-align:{_side(table, name)};color:#999" title="missing">·</td>'
    return f'<td style="{_CELL};text-align:{_side(table, name)}">{escape(as_label(value))}</td>'


def values_html(found: Profile) -> str:
    """What is in a table's columns as a table: a row for each, its odd values first."""
    rows = []
    for one in found.columns:
        shown = "<br>".join(
            f"<code>{escape(pattern.pattern)}</code> {pattern.cells:,}, {escape(pattern.example)}"
            + " (odd)" * pattern.odd
            for pattern in one.patterns
        )
        likely = one.suggestion.meaning + (f": {one.suggestion.question}" if one.suggestion.question else "")
        cells = (one.name, one.kind, f"{one.filled:,}", f"{one.missing:,}", f"{one.distinct:,}")
        rows.append(
            "".join(f"<td>{escape(cell)}</td>" for cell in cells) + f"<td>{shown}</td><td>{escape(likely)}</td>"
        )
    heads = ("column", "kind", "filled", "missing", "distinct", "patterns", "likely")
    head = "".join(f"<th>{name}</th>" for name in heads)
    return f"<table><tr>{head}</tr>{''.join(f'<tr>{row}</tr>' for row in rows)}</table><p>{found.rows:,} rows</p>"
