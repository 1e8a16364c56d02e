"""HTML pages and fragments as reports: a sheet for each table, what is said above it as titles, behind it as notes."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from functools import cache
from typing import TYPE_CHECKING, Any

import numpy as np
from lxml import etree

from kebrin.cells import Area, Formats, Report, Sheet, Spots, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.grammar.reading import Look, read_text
from kebrin.sources import files
from kebrin.sources.delimited import decode
from kebrin.sources.limits import hold, hold_room
from kebrin.sources.long_text import long_sheet
from kebrin.sources.marks_apart import joined
from kebrin.sources.plain_rows import MARK, PlainRows

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator
    from pathlib import Path
    from typing import TypeAlias

    from kebrin.sources.long_text import LongRows

    Element: TypeAlias = etree._Element  # noqa: SLF001 - its public name is a function

_BLOCKS = frozenset(
    {"p", "div", "h1", "h2", "h3", "h4", "h5", "h6", "li", "dt", "dd", "caption", "pre", "blockquote", "address", "td"}
)
_SILENT = frozenset({"script", "style", "head", "noscript", "template", "nav", "button", "select", "option", "svg"})
_HIDDEN = re.compile(r"display\s*:\s*none|visibility\s*:\s*(?:hidden|collapse)", re.IGNORECASE)
_SHIFT = re.compile(r"(?:padding-left|text-indent|margin-left)\s*:\s*([\d.]+)\s*(px|em|pt|rem|%)?", re.IGNORECASE)
_CHARSET = re.compile(rb"""charset\s*=\s*["']?\s*([A-Za-z0-9_.:-]+)""")
_RAISED = str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹")
_MAY_HIDE = (
    ".//@hidden/parent::*[self::tr or self::td or self::th] | .//@style/parent::*[self::tr or self::td or self::th]"
)
_MOST_SPAN, _GAP = 1_000, 4
# Where a line ends in a text, until it is parted there; a blank to all others.
_BREAK = "\x1e"
_SPARSE = 200
# Labels with what they say above a table are no more; a table of more is one.
_MOST_FIELDS = 12
# A heading that names a table is no longer.
_LONGEST_NAME = 60


def read(path: Path) -> Report:
    """Read a page: a sheet for each table that holds no other.

    Raises:
        SourceError: it has no table, or is cut before the first.
    """
    fixed = files.Fixed.of(path)
    content = path.read_bytes()
    fixed.check()
    where = Place(str(path))
    text = _decoded(content, where).replace("\0", "")
    run = PlainRows.of(text)
    page = _Page.of(text if run is None else run.head, path)
    if run is not None and page.ends_with(MARK):
        long = run.below(page.sheet(page.only))
        if long is not None:
            hold_room(long.size, long.head.shape[1], long.size * long.head.shape[1], where)
            whole = cache(lambda name: _Page.of(text, path).sheet(name))
            return replace(page.report(fixed), load=whole, open_long=lambda _: long)
    return (page if run is None else _Page.of(text, path)).report(fixed)


@dataclass(frozen=True)
class _Page:
    """A page that is parsed: its tables by the names of their sheets, and how many of their rows and cells are hidden."""

    path: Path
    tables: dict[str, _Table]
    hidden: int

    @classmethod
    def of(cls, text: str, path: Path) -> _Page:
        """A page's text, parsed.

        Raises:
            SourceError: it has no table, or is cut before the first.
        """
        where = Place(str(path))
        try:
            root = etree.fromstring(text, etree.HTMLParser())
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
        headed = _headings(tables)
        for number, table in enumerate(tables, start=1):
            name = table.caption or headed.get(number) or (f"{path.stem}" if len(tables) == 1 else f"Table {number}")
            by_name[name if name not in by_name else f"{name} ({number})"] = table
        return cls(
            path, by_name, sum(_is_hidden(one) for table in tables for one in _elements(table.element, _MAY_HIDE))
        )

    @property
    def only(self) -> str:
        """The name of the first table's sheet."""
        return next(iter(self.tables))

    def ends_with(self, mark: str) -> bool:
        """Whether the last row of the only table bears an identity."""
        (*_, last) = _rows(self.tables[self.only].element)
        return len(self.tables) == 1 and last.get("id") == mark

    def sheet(self, name: str) -> Sheet:
        """One of its sheets."""
        return _sheet(self.tables[name], name, str(self.path))

    def report(self, fixed: files.Fixed) -> Report:
        """All of its sheets."""
        said = (f"{self.hidden:,} of its rows and cells are hidden, and were passed over",) if self.hidden else ()
        load = cache(self.sheet)

        def long(name: str) -> LongRows | None:
            return long_sheet(load(name))

        return Report(str(self.path), tuple(self.tables), load, {}, lambda: fixed.digest, said=said, open_long=long)


def _headings(tables: list[_Table]) -> dict[int, str]:
    """What stands right above each table of several, if that is short and something else above each: it tells them apart."""
    above = [table.caption or (table.above[-1] if table.above else "") for table in tables]
    short = all(0 < len(text) <= _LONGEST_NAME and text[-1] not in ".:;" for text in above)
    return dict(enumerate(above, start=1)) if short and len(set(above)) == len(above) > 1 else {}


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

    element: Element
    caption: str = ""
    above: list[str] = field(default_factory=list)
    behind: list[str] = field(default_factory=list)


def _tables(root: Element) -> list[_Table]:
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
    return _with_fields(found)


def _with_fields(tables: list[_Table]) -> list[_Table]:
    """The tables; one of nothing but labels and what they say is text above the next."""
    found: list[_Table] = []
    above: list[str] = []
    for table in tables:
        pairs = [] if table is tables[-1] else _pairs(table.element)
        table.above[:0], above = above, []
        if pairs:
            above = [*table.above, *pairs]
        else:
            found.append(table)
    return found


def _pairs(table: Element) -> list[str]:
    """A small table of labels and what they say as lines of text; none if it is anything else.

    The first of two cells is a heading or ends with a colon, all the way down.
    """
    rows = [[cell for cell in row if cell.tag in {"td", "th"}] for row in _rows(table)]
    if not 0 < len(rows) <= _MOST_FIELDS or _caption(table) or any(len(row) != 2 or row[1].tag == "th" for row in rows):
        return []
    said = [[" ".join(_all_text(cell).split()) for cell in row] for row in rows]
    if not all(
        label and (row[0].tag == "th" or label.endswith(":")) for row, (label, _) in zip(rows, said, strict=True)
    ):
        return []
    if all(read_text(value).look not in {Look.WORDS, Look.CODE} for _, value in said):
        return []  # figures beside labels are a table
    return [f"{label.rstrip(':').rstrip()}: {value}" for label, value in said if value]


def _walk(element: Element) -> Iterator[tuple[Element | None, str]]:
    """Tables that hold no others, and texts, in the order of the page."""
    said = [element.text or ""]
    for child in element:
        if _is_shown(child):
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
    """What was said so far, if anything, line by line; then nothing is."""
    lines = [" ".join(line.split()) for line in "".join(said).split(_BREAK)]
    said.clear()
    yield from ((None, line) for line in lines if line)


def _inline(element: Element) -> str:
    if element.tag == "br":
        return _BREAK
    text = _all_text(element)
    return text.strip("[]()").translate(_RAISED) if element.tag == "sup" else text


def _elements(element: Element, path: str) -> list[Element]:
    """The elements at a path."""
    found: Any = element.xpath(path)
    return list(found)


def _is_shown(node: Any) -> bool:
    """Whether a node is an element that a reader sees: no comment, no script."""
    return isinstance(node.tag, str) and node.tag not in _SILENT and not _is_hidden(node)


def _is_element(node: Any) -> bool:
    """Whether a node is an element, and no comment."""
    return isinstance(node.tag, str)


def _all_text(element: Element) -> str:
    """All texts in an element, one behind the other, with a sign where a line ends."""
    if not len(element):
        return element.text or ""
    if element.find(".//br") is None:
        return str(element.xpath("string()"))
    inner = (_BREAK if one.tag == "br" else _all_text(one) if _is_element(one) else "" for one in element)
    return (element.text or "") + "".join(text + (one.tail or "") for one, text in zip(element, inner, strict=True))


def _is_hidden(element: Element) -> bool:
    if not element.keys():
        return False
    return element.get("hidden") is not None or bool(_HIDDEN.search(element.get("style") or ""))


def _caption(table: Element) -> str:
    caption = table.find("caption")
    return "" if caption is None else " ".join(_all_text(caption).split())


def _rows(table: Element) -> Iterator[Element]:
    """The rows of a table: heads first and feet last, wherever they are written; hidden ones are not there."""
    parts = [table, *(part for part in table if part.tag in {"thead", "tbody", "tfoot"})]
    ranks = {"thead": 0, "table": 1, "tbody": 1, "tfoot": 2}
    for part in sorted(parts, key=lambda one: ranks[one.tag]):
        for row in part:
            if row.tag == "tr" and not _is_hidden(row) and not _is_hidden(part):
                yield row


def _cell(element: Element) -> tuple[str, bool]:
    """A cell's text, its indent as blanks before it, and whether it is in bold."""
    text, strong = _text(element)
    if not element.keys():
        return text, element.tag == "th" or (strong and bool(text.strip()))
    shift = _SHIFT.search(element.get("style") or "")
    if shift is not None and text.strip():
        unit = {"em": 2.0, "rem": 2.0, "pt": 0.2}.get((shift[2] or "px").lower(), 0.125)
        text = " " * round(float(shift[1]) * unit) + text
    return text, element.tag == "th" or (strong and bool(text.strip()))


def _span(element: Element, name: str) -> int:
    said = (element.get(name) or "1").strip()
    return min(max(int(said), 1), _MOST_SPAN) if said.isdigit() else 1


def _text(element: Element) -> tuple[str, bool]:
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

    def walk(one: Element, *, bold: bool) -> None:
        add(one.text, bold=bold)
        for child in one:
            if _is_shown(child):
                if child.tag == "br" or (child.tag in {"p", "div", "li"} and "".join(parts).strip()):
                    parts.append("\n")
                if child.tag == "sup":
                    raised = " ".join(_all_text(child).split()).strip("[]()")
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
    grid = _grid(elements, Place(source, name))
    hold_room(len(grid.texts), grid.width, grid.cells, Place(source, name))
    texts, merges, bold = joined(grid.texts, grid.merges, grid.bold)
    caption = [table.caption] if table.caption else []
    above = [*table.above, *caption]
    top = len(above) + (1 if above else 0)
    behind = [""] * _GAP + table.behind if table.behind else []
    width = max(len(texts[0]) if texts else 1, 1)
    lines = [*([text] for text in above), *([[]] if above else []), *texts, *([text] for text in behind)]
    hold_room(len(lines), width, grid.cells + len(above) + len(behind), Place(source, name))
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


@dataclass
class _Grid:
    """The cells of a table by rows: their texts, those in bold, and the rectangles that some of them reach over."""

    texts: list[list[str]] = field(default_factory=list)
    bold: set[tuple[int, int]] = field(default_factory=set)
    merges: list[Area] = field(default_factory=list)
    cells: int = 0

    @property
    def width(self) -> int:
        """The columns that hold a cell."""
        return max(map(len, self.texts), default=0)

    def even(self) -> None:
        """Give all rows the same width, but for blank ones at the end; nothing reaches further."""
        while self.texts and not self.texts[-1]:
            self.texts.pop()
        width = self.width
        clipped = (Area(a.top, a.left, a.bottom, min(a.right, width - 1)) for a in self.merges)
        self.merges = [a for a in clipped if (a.top, a.left) != (a.bottom, a.right)]
        for line in self.texts:
            line.extend([""] * (width - len(line)))


def _grid(rows: list[Element], where: Place) -> _Grid:
    """The cells of a table's rows."""
    grid = _Grid()
    taken: dict[int, set[int]] = {}  # by rows, the columns that cells from elsewhere reach over
    reached = 0
    for number, row in enumerate(rows):
        line: list[str] = []
        covered = taken.pop(number, set())
        for element in row:
            plain = _plain(element)
            if plain is not None and not covered:
                line.append(plain)
                continue
            if element.tag not in {"td", "th"} or _is_hidden(element):
                continue
            while len(line) in covered:
                line.append("")
            text, bold = _cell(element)
            if bold:
                grid.bold.add((number, len(line)))
            if element.keys():
                reached += _reach(element, (number, len(line)), len(rows), grid.merges, taken, covered)
            line.append(text)
        grid.texts.append(line)
        grid.cells += len(line)
        hold("cells", grid.cells + reached, where)
        if grid.cells + reached > _SPARSE * grid.cells:
            hold("sparse", grid.cells + reached, where)
    grid.even()
    return grid


def _plain(element: Element) -> str | None:
    """The text of a cell that is a text and nothing else, as nearly all are; None of any other."""
    text = element.text
    if element.tag != "td" or len(element) or element.keys() or (text and not text.isascii()):
        return None
    return " ".join(text.split()) if text else ""


def _reach(
    element: Element, at: tuple[int, int], rows: int, merges: list[Area], taken: dict[int, set[int]], own: set[int]
) -> int:
    """Note what a cell reaches over, if anything; with how many places beside its own."""
    down, across = _span(element, "rowspan"), _span(element, "colspan")
    if down == across == 1:
        return 0
    row, column = at
    bottom = min(row + down, rows) - 1
    places = range(column, column + across)
    own.update(places)
    for one in range(row + 1, bottom + 1):
        taken.setdefault(one, set()).update(places)
    merges.append(Area(row, column, bottom, column + across - 1))
    return (bottom - row + 1) * across - 1
