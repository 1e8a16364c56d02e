"""HTML pages and fragments as reports: a sheet for each table, what is said above it as titles, behind it as notes."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from lxml import etree, html

from kebrin.cells import Area, Formats, Report, Sheet, Spots, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.grammar.reading import CURRENCY_SIGNS, Look, read_text
from kebrin.sources import files
from kebrin.sources.delimited import decode
from kebrin.sources.limits import hold, hold_room

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path

_BLOCKS = frozenset(
    {"p", "div", "h1", "h2", "h3", "h4", "h5", "h6", "li", "dt", "dd", "caption", "pre", "blockquote", "address", "td"}
)
_SILENT = frozenset({"script", "style", "head", "noscript", "template", "nav", "button", "select", "option", "svg"})
_HIDDEN = re.compile(r"display\s*:\s*none|visibility\s*:\s*(?:hidden|collapse)", re.IGNORECASE)
_SHIFT = re.compile(r"(?:padding-left|text-indent|margin-left)\s*:\s*([\d.]+)\s*(px|em|pt|rem|%)?", re.IGNORECASE)
_CHARSET = re.compile(rb"""charset\s*=\s*["']?\s*([A-Za-z0-9_.:-]+)""")
_RAISED = str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹")
_LEAD = frozenset({*CURRENCY_SIGNS, *CURRENCY_SIGNS.values(), "$", "(", "-", "−", "+"})
_TRAIL = frozenset({")", "%", ")%", "%)", "*", "€", "kr"})
_MOST_SPAN, _GAP = 1_000, 4
_SPARSE = 200


def read(path: Path) -> Report:
    """Read a page: a sheet for each table that holds no other.

    Raises:
        SourceError: it has no table, or is cut before the first.
    """
    fixed = files.Fixed.of(path)
    content = path.read_bytes()
    fixed.check()
    where = Place(str(path))
    try:
        root = html.document_fromstring(_decoded(content, where).replace("\0", ""))
    except (etree.ParserError, ValueError) as error:
        raise SourceError(
            "the page can't be read", where, why=str(error), do="Save it anew from the browser"
        ) from error
    tables = _tables(root)
    if not tables:
        raise SourceError(
            "the page has no table", where, why="no <table> holds rows of cells",
            do="Save the page that shows the table; one that a script fills must be saved from the browser as it is shown",
        )  # fmt: skip
    hold("sheets", len(tables), where)
    by_name: dict[str, _Table] = {}
    for number, table in enumerate(tables, start=1):
        name = table.caption or (f"{path.stem}" if len(tables) == 1 else f"Table {number}")
        by_name[name if name not in by_name else f"{name} ({number})"] = table
    hidden = sum(_is_hidden(row) for table in tables for row in table.element.iter("tr", "td", "th"))
    said = (f"{hidden:,} of its rows and cells are hidden, and were passed over",) if hidden else ()
    return Report(
        str(path), tuple(by_name), lambda name: _sheet(by_name[name], name, str(path)), {}, lambda: fixed.digest, said=said
    )  # fmt: skip


def _decoded(content: bytes, where: Place) -> str:
    """The text of a page: by its own word, else as any text."""
    stated = _CHARSET.search(content[:4096])
    if stated is not None and not content.startswith((b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff")):
        try:
            return content.decode(stated[1].decode("ascii"))
        except (LookupError, UnicodeDecodeError):
            pass  # it says what it is not
    return re.sub(r"^\s*<\?xml[^>]*\?>", "", decode(content, where))


@dataclass
class _Table:
    """One table: its element, its caption, the texts above it and behind it."""

    element: html.HtmlElement
    caption: str = ""
    above: list[str] = field(default_factory=list)
    behind: list[str] = field(default_factory=list)


def _tables(root: html.HtmlElement) -> list[_Table]:
    """The tables that hold no others, with what is said between them."""
    found: list[_Table] = []
    waiting: list[str] = []
    for element, text in _walk(root):
        if element is None:
            waiting.append(text)
            continue
        table = _Table(element, _caption(element), waiting)
        waiting = []
        if any(True for _ in _rows(element)):
            found.append(table)
    if found:
        found[-1].behind = waiting
    return found


def _walk(element: html.HtmlElement) -> Iterator[tuple[html.HtmlElement | None, str]]:
    """Tables that hold no others, and texts, in the order of the page."""
    said = [element.text or ""]
    for child in element:
        if isinstance(child.tag, str) and child.tag not in _SILENT and not _is_hidden(child):
            if child.tag == "table" and not child.xpath(".//table"):
                yield from _flushed(said)
                yield child, ""
            elif child.tag in _BLOCKS or child.xpath("self::*[.//table or .//p or .//div or .//li]"):
                yield from _flushed(said)
                yield from _walk(child)
            else:
                said.append(_inline(child))
        said.append(child.tail or "")
    yield from _flushed(said)


def _flushed(said: list[str]) -> Iterator[tuple[None, str]]:
    """What was said so far, if anything; then nothing is."""
    text = " ".join("".join(said).split())
    said.clear()
    if text:
        yield None, text


def _inline(element: html.HtmlElement) -> str:
    if element.tag == "br":
        return " "
    text = str(element.text_content())
    return text.strip("[]()").translate(_RAISED) if element.tag == "sup" else text


def _is_hidden(element: html.HtmlElement) -> bool:
    if not element.attrib:
        return False
    return element.get("hidden") is not None or bool(_HIDDEN.search(element.get("style") or ""))


def _caption(table: html.HtmlElement) -> str:
    caption = table.find("caption")
    return "" if caption is None else " ".join(caption.text_content().split())


def _rows(table: html.HtmlElement) -> Iterator[html.HtmlElement]:
    """The rows of a table: heads first and feet last, wherever they are written; hidden ones are not there."""
    parts = [table, *(part for part in table if part.tag in {"thead", "tbody", "tfoot"})]
    ranks = {"thead": 0, "table": 1, "tbody": 1, "tfoot": 2}
    for part in sorted(parts, key=lambda one: ranks[one.tag]):
        for row in part:
            if row.tag == "tr" and not _is_hidden(row) and not _is_hidden(part):
                yield row


@dataclass
class _Cell:
    """One cell: its text, how far it reaches, whether it is in bold."""

    text: str
    down: int
    across: int
    bold: bool


def _cell(element: html.HtmlElement) -> _Cell:
    text, strong = _text(element)
    if not element.attrib:
        return _Cell(text, 1, 1, element.tag == "th" or (bool(text.strip()) and strong))
    shift = _SHIFT.search(element.get("style") or "")
    if shift is not None and text.strip():
        unit = {"em": 2.0, "rem": 2.0, "pt": 0.2}.get((shift[2] or "px").lower(), 0.125)
        text = " " * round(float(shift[1]) * unit) + text
    bold = element.tag == "th" or (bool(text.strip()) and strong)
    return _Cell(text, _span(element, "rowspan"), _span(element, "colspan"), bold)


def _span(element: html.HtmlElement, name: str) -> int:
    said = (element.get(name) or "1").strip()
    return min(max(int(said), 1), _MOST_SPAN) if said.isdigit() else 1


def _text(element: html.HtmlElement) -> tuple[str, bool]:
    """A cell's text, line breaks kept, raised signs behind it as such; and whether all of it is in bold."""
    if not len(element) and (
        element.text is None or element.text.isascii()
    ):  # the common cell: a text and nothing in it
        bare = " ".join((element.text or "").split())
        return bare, not bare

    parts: list[str] = []
    plain = [False]

    def add(text: str | None, *, bold: bool) -> None:
        if text:
            parts.append(re.sub(r"[ \t\r\n\f]+", " ", text))
            plain[0] |= not bold and bool(text.strip())

    def walk(one: html.HtmlElement, *, bold: bool) -> None:
        add(one.text, bold=bold)
        for child in one:
            if isinstance(child.tag, str) and child.tag not in _SILENT and not _is_hidden(child):
                if child.tag == "br" or (child.tag in {"p", "div", "li"} and "".join(parts).strip()):
                    parts.append("\n")
                if child.tag == "sup":
                    raised = " ".join(child.text_content().split()).strip("[]()")
                    parts.append(raised.translate(_RAISED) if raised.isdigit() else f" ({raised})" if raised else "")
                else:
                    walk(child, bold=bold or child.tag in {"b", "strong"})
            add(child.tail, bold=bold)

    walk(element, bold=False)
    text = "".join(parts).replace("\xa0", " ").strip("\n")
    lead = len(text) - len(text.lstrip(" "))
    if element.text and not element.text.startswith("\xa0"):
        lead = 0  # plain blanks in the source indent nothing
    return " " * lead + "\n".join(line.strip() for line in text.strip().split("\n")), not plain[0]


def _sheet(table: _Table, name: str, source: str) -> Sheet:
    elements = list(_rows(table.element))
    cells, merges = _grid(elements, Place(source, name))
    width = max((column for _, column in cells), default=0) + 1
    rows = max((row for row, _ in cells), default=-1) + 1
    hold_room(rows, width, len(cells), Place(source, name))
    texts = [[""] * width for _ in range(rows)]
    bold = set()
    for (row, column), cell in cells.items():
        texts[row][column] = cell.text
        if cell.bold:
            bold.add((row, column))
    texts, merges, bold = _joined(texts, merges, bold)
    caption = [table.caption] if table.caption else []
    above = [*table.above, *caption]
    top = len(above) + (1 if above else 0)
    behind = [""] * _GAP + table.behind if table.behind else []
    width = max(len(texts[0]) if texts else 1, 1)
    lines = [*([text] for text in above), *([[]] if above else []), *texts, *([text] for text in behind)]
    hold_room(len(lines), width, len(cells) + len(above) + len(behind), Place(source, name))
    values = np.full((len(lines), width), "", dtype=object)
    for number, line in enumerate(lines):
        values[number, : len(line)] = line
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    areas = tuple(Area(a.top + top, a.left, a.bottom + top, a.right) for a in merges)
    formats = Formats(bold=frozenset((row + top, column) for row, column in bold))

    def spot(row: int) -> tuple[str, str]:
        if not top <= row < top + len(elements):
            return "", ""
        element = elements[row - top]
        return element.getroottree().getpath(element), "  ".join(filter(None, map(str.strip, values[row].tolist())))

    spots = Spots(len(lines), spot)
    return Sheet(name, values, kinds, areas, source, textual=True, look_up_formats=_constant(formats), spots=spots)


def _constant(formats: Formats) -> Callable[[int | None], Formats]:
    return lambda _: formats


def _grid(rows: list[html.HtmlElement], where: Place) -> tuple[dict[tuple[int, int], _Cell], list[Area]]:
    """The cells of a table's rows by place, and the rectangles that some of them reach over."""
    cells: dict[tuple[int, int], _Cell] = {}
    taken: set[tuple[int, int]] = set()
    merges: list[Area] = []
    for number, row in enumerate(rows):
        column = 0
        for element in row:
            if element.tag not in {"td", "th"} or _is_hidden(element):
                continue
            while (number, column) in taken:
                column += 1
            cell = _cell(element)
            bottom = min(number + cell.down, len(rows)) - 1
            cells[number, column] = cell
            if cell.down > 1 or cell.across > 1:
                taken |= {(down, column + at) for down in range(number, bottom + 1) for at in range(cell.across)}
                merges.append(Area(number, column, bottom, column + cell.across - 1))
            else:
                taken.add((number, column))
            column += cell.across
        hold("cells", len(taken), where)
        if len(taken) > _SPARSE * len(cells):
            hold("sparse", len(taken), where)
    right = max((column for _, column in cells), default=0)
    clipped = (Area(a.top, a.left, a.bottom, min(a.right, right)) for a in merges)
    return cells, [a for a in clipped if (a.top, a.left) != (a.bottom, a.right)]


def _joined(
    texts: list[list[str]], merges: list[Area], bold: set[tuple[int, int]]
) -> tuple[list[list[str]], list[Area], set[tuple[int, int]]]:
    """The table with columns of nothing but currency marks or closing signs joined to the figures beside them."""
    width = len(texts[0]) if texts else 0
    for column in range(width - 1, -1, -1):
        wide = {
            row
            for a in merges
            if a.left <= column <= a.right and a.right > a.left
            for row in range(a.top, a.bottom + 1)
        }
        said = {line[column].strip() for row, line in enumerate(texts) if row not in wide and line[column].strip()}
        if not said or not (said <= _LEAD or said <= _TRAIL):
            continue
        own = column + 1 if said <= _LEAD else column - 1
        if not 0 <= own < len(texts[0]):
            continue
        for row, line in enumerate(texts):
            mark, figure = line[column].strip(), line[own].strip()
            if mark and row in wide:
                line[own] = mark
            elif mark and read_text(figure).look != Look.MISSING:
                line[own] = f"{mark}{figure}" if own > column else f"{figure}{mark}"
            del line[column]
        merges = [Area(a.top, a.left - (a.left > column), a.bottom, a.right - (a.right >= column)) for a in merges]
        merges = [a for a in merges if a.right >= a.left and (a.top, a.left) != (a.bottom, a.right)]
        bold = {(row, at - (at > column)) for row, at in bold if at != column}
    return texts, merges, bold
