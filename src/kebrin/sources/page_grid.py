"""The rows and cells of a page's table: what is shown, and what cells reach over."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from kebrin.cells import Area
from kebrin.sources.limits import hold

if TYPE_CHECKING:
    from collections.abc import Iterator
    from typing import TypeAlias

    from lxml import etree

    from kebrin.errors import Place

    Element: TypeAlias = etree._Element  # noqa: SLF001 - its public name is a function

_SILENT = frozenset({"script", "style", "head", "noscript", "template", "nav", "button", "select", "option", "svg"})
# Fields of forms that hold what somebody entered, and kinds of them that do not.
_ENTERED = frozenset({"input", "select"})
_UNENTERED = frozenset({"hidden", "button", "submit", "reset", "image", "file", "password"})
_HIDDEN = re.compile(r"display\s*:\s*none|visibility\s*:\s*(?:hidden|collapse)", re.IGNORECASE)
_SHIFT = re.compile(r"(?:padding-left|text-indent|margin-left)\s*:\s*([\d.]+)\s*(px|em|pt|rem|%)?", re.IGNORECASE)
RAISED = str.maketrans("0123456789", "⁰¹²³⁴⁵⁶⁷⁸⁹")
# Where a line ends in a text, until it is parted there; a blank to all others.
BREAK = "\x1e"
_MOST_SPAN = 1_000


def elements(element: Element, path: str) -> list[Element]:
    """The elements at a path."""
    found: Any = element.xpath(path)
    return list(found)


def is_shown(node: Any) -> bool:
    """Whether a node is an element that a reader sees: no comment, no script."""
    return isinstance(node.tag, str) and node.tag not in _SILENT and not is_hidden(node)


def _is_element(node: Any) -> bool:
    """Whether a node is an element, and no comment."""
    return isinstance(node.tag, str)


def all_text(element: Element) -> str:
    """All texts in an element, one behind the other, with a sign where a line ends."""
    if not len(element):
        return element.text or ""
    if element.find(".//br") is None:
        return str(element.xpath("string()"))
    inner = (BREAK if one.tag == "br" else all_text(one) if _is_element(one) else "" for one in element)
    return (element.text or "") + "".join(text + (one.tail or "") for one, text in zip(element, inner, strict=True))


def is_hidden(element: Element) -> bool:
    """Whether an element says that it is not shown."""
    if not element.keys():
        return False
    return element.get("hidden") is not None or bool(_HIDDEN.search(element.get("style") or ""))


def with_rows(root: Element) -> Element:
    """A page with a row around cells that stand in a table without one, as HTML's own rules have it."""
    for part in list(root.iter("table", "thead", "tbody", "tfoot")):
        run: Element | None = None
        for child in list(part):
            if child.tag in {"td", "th"}:
                if run is None:
                    run = part.makeelement("tr")
                    child.addprevious(run)
                run.append(child)
            elif _is_element(child):
                run = None
    return root


def rows_of(table: Element) -> Iterator[Element]:
    """The rows of a table: heads first and feet last, wherever they are written; hidden ones are not there."""
    parts = [table, *(part for part in table if part.tag in {"thead", "tbody", "tfoot"})]
    ranks = {"thead": 0, "table": 1, "tbody": 1, "tfoot": 2}
    for part in sorted(parts, key=lambda one: ranks[one.tag]):
        for row in part:
            if row.tag == "tr" and not is_hidden(row) and not is_hidden(part):
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


def _entered(element: Element) -> str:
    """What a field of a form holds: the text that was entered, the option that was chosen, a box that was ticked."""
    if is_hidden(element):
        return ""
    if element.tag == "select":
        options = list(element.iter("option"))
        chosen = [one for one in options if one.get("selected") is not None] or options[:1]
        return ", ".join(" ".join(all_text(one).split()) for one in chosen)
    kind = (element.get("type") or "text").casefold()
    if kind in {"checkbox", "radio"}:
        return "x" if element.get("checked") is not None else ""
    return "" if kind in _UNENTERED else element.get("value") or ""


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
            if child.tag in _ENTERED:
                add(_entered(child), bold=bold)
            elif is_shown(child) and child.tag != "table":  # a table within a cell is one of its own
                if child.tag == "br" or (child.tag in {"p", "div", "li"} and "".join(parts).strip()):
                    parts.append("\n")
                if child.tag == "sup":
                    parts.append(_raised(child))
                else:
                    walk(child, bold=bold or child.tag in {"b", "strong"})
            add(child.tail, bold=bold)

    walk(element, bold=False)
    return _indented("".join(parts), element), not plain[0]


def _indented(joined: str, element: Element) -> str:
    """The text with its lines trimmed and the indent that unbreakable blanks in front give; plain blanks in a page give none."""
    text = joined.replace("\xa0", " ").strip("\n")
    lead = len(text) - len(text.lstrip(" "))
    if element.text and not element.text.startswith("\xa0"):
        lead = 0
    return " " * lead + "\n".join(line.strip() for line in text.strip().split("\n"))


def _raised(element: Element) -> str:
    """A raised sign behind a text: a figure as such, a letter in brackets."""
    raised = " ".join(all_text(element).split()).strip("[]()")
    return raised.translate(RAISED) if raised.isdigit() else f" ({raised})" if raised else ""


@dataclass
class Grid:
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


def grid_of(rows: list[Element], where: Place) -> Grid:
    """The cells of a table's rows."""
    grid = Grid()
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
            if element.tag not in {"td", "th"} or is_hidden(element):
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
