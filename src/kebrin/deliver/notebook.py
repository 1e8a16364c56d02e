"""How tables, proofs, runs, sheets, blocks and reports show themselves in a notebook."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from kebrin.cells import as_label

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from kebrin.cells import Sheet
    from kebrin.layout import Layout
    from kebrin.proof import Proof
    from kebrin.table import Table
    from kebrin.values.profile import Profile

_ROWS, _COLUMNS, _TOLD = 10, 16, 12
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


def proof_html(proof: Proof) -> str:
    """A proof: the outcome first, then what does not hold, what is open, and what became of the cells."""
    said = [f"<b>{escape(proof.headline)}</b>"]
    said += [f"! {escape(text)}" for text in proof.failures[:_TOLD]]
    said += [f"? {escape(str(one))}" for one in proof.questions[:_TOLD]]
    counts = [(f"cells {use}", f"{count:,}") for use, count in proof.counts.items()]
    counts += [("cells unclaimed", f"{proof.unclaimed:,}")]
    counts += [
        (f"sum of {one.measure}", f"{as_label(one.sum_in)} in, {as_label(one.sum_out)} out")
        for one in proof.conservation
    ]
    stated = sum(tie.cells for tie in proof.ties)
    counts += [("totals stated", f"{stated:,}, of which {sum(tie.failed for tie in proof.ties):,} do not tie")]
    return f"<p>{'<br>'.join(said)}</p>" + _grid((), counts)


def run_html(tables: Mapping[str, tuple[Table, Proof]]) -> str:
    """What a run made: each table with its outcome."""
    return "".join(
        f"<h4>{escape(name)}</h4>{table_html(table, proof.headline)}" for name, (table, proof) in tables.items()
    )


def sheet_html(sheet: Sheet) -> str:
    """The first rows and columns of a sheet, with the names of its rows and columns."""
    rows, columns = min(sheet.shape[0], _ROWS), min(sheet.shape[1], _COLUMNS)
    heads = ["", *(sheet.address(0, column).rstrip("0123456789") for column in range(columns))]
    lines = [
        [sheet.address(row, 0).lstrip("ABCDEFGHIJKLMNOPQRSTUVWXYZ"), *(sheet.text(row, at) for at in range(columns))]
        for row in range(rows)
    ]
    more = f"{sheet.name}: {sheet.shape[0]:,} x {sheet.shape[1]:,} cells"
    if (rows, columns) != sheet.shape:
        more += f", the first {rows} x {columns} shown"
    return _grid(heads, lines) + f'<p style="color:#666;font-size:90%">{escape(more)}</p>'


def block_html(layout: Layout, said: str) -> str:
    """What was worked out about a block, and why."""
    lines = [(one.what, one.where, one.why, f"{one.sure:.0%}") for one in layout.evidence]
    return f"<p><b>{escape(said)}</b></p>" + _grid(("decided", "where", "because", "sure"), lines)


def report_html(path: str, names: Sequence[str], hidden: Mapping[str, str]) -> str:
    """The sheets of a report."""
    lines = [(name, hidden[name]) if name in hidden else (name,) for name in names]
    return f"<p><b>{escape(path)}</b></p>" + _grid((), lines)


def _grid(heads: Sequence[str], lines: Iterable[Sequence[str]]) -> str:
    head = "".join(f'<th style="{_CELL};text-align:left">{escape(name)}</th>' for name in heads)
    body = "".join(
        "<tr>" + "".join(f'<td style="{_CELL};text-align:left">{escape(cell)}</td>' for cell in line) + "</tr>"
        for line in lines
    )
    return f'<table style="{_STYLE}">' + (f"<tr>{head}</tr>" if head else "") + f"{body}</table>"
