"""HTML pages and fragments as reports: a sheet for each table, what is said above it as titles, behind it as notes."""

from __future__ import annotations

import re
from contextlib import suppress
from dataclasses import dataclass, field, replace
from functools import cache
from typing import TYPE_CHECKING

import numpy as np
from lxml import etree

from kebrin.cells import Area, Formats, Hints, Report, Sheet, Spots, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.grammar.languages import decimal_of
from kebrin.grammar.legend import LONGEST_SIGN, Sign, heads_key, read_key
from kebrin.grammar.reading import Look, read_text
from kebrin.sources import files
from kebrin.sources.encodings import Decoded, decode
from kebrin.sources.limits import hold, hold_room
from kebrin.sources.long_text import long_sheet
from kebrin.sources.marks_apart import joined
from kebrin.sources.page_grid import BREAK, RAISED, all_text, elements, grid_of, is_hidden, is_shown, rows_of, with_rows
from kebrin.sources.page_lists import RECORDS, laid_out_texts, lists_as_tables
from kebrin.sources.plain_rows import MARK, PlainRows
from kebrin.sources.printed import lay_out

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Mapping, Sequence
    from pathlib import Path
    from typing import TypeAlias

    from kebrin.sources.long_text import LongRows

    Element: TypeAlias = etree._Element  # noqa: SLF001 - its public name is a function

_BLOCKS = frozenset(
    {"p", "div", "h1", "h2", "h3", "h4", "h5", "h6", "li", "dt", "dd", "caption", "pre", "blockquote", "address", "td"}
)
_CHARSET = re.compile(rb"""(?:charset|<\?xml[^>]{0,80}\sencoding)\s*=\s*["']?\s*([A-Za-z0-9_.:-]+)""")
_DECLARED = re.compile(r"\s*<\?xml[^>]*\?>")
# What a browser shows no cell of, and the cells in the rest.
_UNSHOWN = re.compile(r"<!--.*?-->|<(script|style|template|textarea|noscript)\b.*?</\1\s*>", re.DOTALL | re.IGNORECASE)
_CELLS = re.compile(r"<t[dh](?=[\s/>])", re.IGNORECASE)
# A table whose cells hold other tables is one of its own if so few of them do, and so many of its rows hold several texts.
_FEW_INSIDE, _FEWEST_ROWS = 0.25, 2
_MAY_HIDE = (
    ".//@hidden/parent::*[self::tr or self::td or self::th] | .//@style/parent::*[self::tr or self::td or self::th]"
)
_GAP, _FEWEST_HEADS = 4, 2
# A table in which fewer of the cells hold figures is one of words: what the page marks as headings heads its records.
_FIGURES = 0.3
# Labels with what they say above a table are no more; a table of more is one.
_MOST_FIELDS = 12
# The mark of a note has no more letters.
_LONGEST_MARK = 3
_BRACKETED = re.compile(r"\[(\w{1,3})\]\s*")
# A heading that names a table is no longer.
_LONGEST_NAME, _LOOKED_BACK = 60, 3


def read(path: Path) -> Report:
    """Read a page: a sheet for each table that holds no other.

    Raises:
        SourceError: it has no table, or is cut before the first.
    """
    fixed = files.Fixed.of(path)
    content = path.read_bytes()
    fixed.check()
    where = Place(str(path))
    decoded = _decoded(content, where)
    text = decoded.text.replace("\0", "")
    older = (decoded.told,) if decoded.told else ()
    run = PlainRows.of(text)
    page = _Page.of(text if run is None else run.head, path)
    if run is not None and page.ends_with(MARK):
        long = run.below(page.sheet(page.only))
        if long is not None:
            hold_room(long.size, long.head.shape[1], where)
            whole = cache(lambda name: _Page.of(text, path).sheet(name))
            report = page.report(fixed)
            return replace(report, load=whole, open_long=lambda _: long, said=(*older, *report.said))
    report = (page if run is None else _Page.of(text, path)).report(fixed)
    return replace(report, said=(*older, *report.said))


@dataclass(frozen=True)
class _Page:
    """A page that is parsed: its tables by the names of their sheets, and how many of their rows and cells are hidden."""

    path: Path
    tables: dict[str, _Table]
    hidden: int
    lost: tuple[str, ...] = ()
    texts: dict[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, text: str, path: Path) -> _Page:
        """A page's text, parsed.

        Raises:
            SourceError: it has no table, or is cut before the first.
        """
        where = Place(str(path))
        try:
            root = with_rows(etree.fromstring(text, etree.HTMLParser(huge_tree=True)))
        except (etree.ParserError, ValueError) as error:
            raise SourceError(
                "the page can't be read", where, why=str(error), do="Save it again from the browser"
            ) from error
        texts = laid_out_texts(root)
        lists_as_tables(root)
        tables = _tables(root)
        if not tables and not texts:
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
        hidden = sum(is_hidden(one) for table in tables for one in elements(table.element, _MAY_HIDE))
        alone = len(texts) == 1 and not by_name
        named = {path.stem if alone else f"Text {number}": one for number, one in enumerate(texts, 1)}
        return cls(path, by_name, hidden, _lost(text, root), named)

    @property
    def only(self) -> str:
        """The name of the first table's sheet."""
        return next(iter(self.tables))

    def ends_with(self, mark: str) -> bool:
        """Whether the last row of the only table bears an identity."""
        (*_, last) = rows_of(self.tables[self.only].element)
        return len(self.tables) == 1 and last.get("id") == mark

    def sheet(self, name: str) -> Sheet:
        """One of its sheets."""
        if name in self.texts:
            return lay_out(self.texts[name], name, str(self.path))
        return _sheet(self.tables[name], name, str(self.path))

    def report(self, fixed: files.Fixed) -> Report:
        """All of its sheets."""
        said = (f"{self.hidden:,} of its rows and cells are hidden, and were passed over",) if self.hidden else ()
        load = cache(self.sheet)

        def long(name: str) -> LongRows | None:
            return None if name in self.texts else long_sheet(load(name))

        names = (*self.tables, *self.texts)
        return Report(
            str(self.path), names, load, {}, lambda: fixed.digest, said=said, lacks=self.lost, open_long=long
        )  # fmt: skip


def _headings(tables: list[_Table]) -> dict[int, str]:
    """What stands above each table of several, if it is short and something else above each: it tells them apart.

    That is the text nearest to the tables that does; texts that say the same above all of them say nothing.
    """
    for back in range(1, _LOOKED_BACK + 1):
        above = [one.caption if one.caption and back == 1 else (["", *one.above][-back:] or [""])[0] for one in tables]
        short = all(0 < len(text) <= _LONGEST_NAME and text[-1] not in ".:;" for text in above)
        if short and len(set(above)) == len(above) > 1:
            return dict(enumerate(above, start=1))
        if len(set(above)) > 1:
            break
    return {}


def _decoded(content: bytes, where: Place) -> Decoded:
    """The text of a page: by its own word, else as any text; without an XML declaration, which speaks of the bytes."""
    stated = _CHARSET.search(content[:4096])
    found = None
    if stated is not None and not content.startswith((b"\xef\xbb\xbf", b"\xff\xfe", b"\xfe\xff")):
        with suppress(LookupError, UnicodeDecodeError):  # it may say what it is not
            found = Decoded(content.decode(stated[1].decode("ascii")))
    found = found or decode(content, where)
    return found._replace(text=_DECLARED.sub("", found.text, count=1)) if _DECLARED.match(found.text) else found


def _lost(text: str, root: Element) -> tuple[str, ...]:
    """What the page's source holds of cells that the parser did not give, and cells that stand in no table."""
    written = len(_CELLS.findall(_UNSHOWN.sub("", text)))
    given = sum(1 for _ in root.iter("td", "th"))
    said = [f"{written - given:,} of the {written:,} cells in its source are in no table that the parser gives"]
    outside = [cell for cell in root.iter("td", "th") if (row := cell.getparent()) is not None and row.tag != "tr"]
    texts = [" ".join(all_text(cell).split()) for cell in outside]
    shown = ", ".join(repr(one) for one in texts[:4] if one)
    more = [f"{len(outside):,} of its cells stand in no row of a table ({shown})"] if shown else []
    return tuple(said * (written > given) + more)


@dataclass
class _Table:
    """One table: its element, its caption, the texts above it and behind it, the signs that a text on the page explains."""

    element: Element
    caption: str = ""
    above: list[str] = field(default_factory=list)
    behind: list[str] = field(default_factory=list)
    key: tuple[Sign, ...] = ()


def _tables(root: Element) -> list[_Table]:
    """The tables, with what is said between them; those that only place others are none."""
    found: list[_Table] = []
    waiting: list[str] = []
    for element, text in _walk(root, _marks_of(root)):
        if element is None:
            waiting.append(text)
            continue
        table = _Table(element, _caption(element), waiting)
        waiting = []
        if any(True for _ in rows_of(element)):
            found.append(table)
    if found:
        found[-1].behind = waiting
    found = _with_fields(found)
    # What the last lines of a page say of signs holds for all of its tables.
    key = tuple(sign for text in found[-1].behind for sign in read_key(text)) if len(found) > 1 else ()
    return [replace(one, key=key) for one in found]


def _with_fields(tables: list[_Table]) -> list[_Table]:
    """The tables; one of nothing but labels and what they say is text above the next."""
    found: list[_Table] = []
    above: list[str] = []
    for table in tables:
        if found and (key := _key(table)):
            found[-1].behind += [*table.above, *key, *table.behind]
            continue
        pairs = [] if table is tables[-1] else _pairs(table.element)
        table.above[:0], above = above, []
        if pairs:
            above = [*table.above, *pairs]
        else:
            found.append(table)
    return found


def _key(table: _Table) -> list[str]:
    """A table of signs and what they stand for, "Key" above them, as lines of text; none if it is anything else."""
    rows = [
        [" ".join(all_text(cell).split()) for cell in row if cell.tag in {"td", "th"}] for row in rows_of(table.element)
    ]
    headed = [row for row in rows if len(row) == 1 and heads_key(row[0])]
    pairs = [row for row in rows if row not in headed]
    if not pairs or not (headed or any(map(heads_key, [table.caption, *table.above[-1:]]))):
        return []
    if any(len(row) != 2 or not 0 < len(row[0]) <= LONGEST_SIGN or not row[1] for row in pairs):
        return []
    return [*(row[0] for row in headed), *(" = ".join(row) for row in pairs)]


def _pairs(table: Element) -> list[str]:
    """A small table of labels and what they say as lines of text; none if it is anything else.

    Every other cell of every row is a heading or ends with a colon, from the first on.
    """
    rows = [[cell for cell in row if cell.tag in {"td", "th"}] for row in rows_of(table)]
    if not 0 < len(rows) <= _MOST_FIELDS or _caption(table) or any(len(row) % 2 or not row for row in rows):
        return []
    cells = [(label, value) for row in rows for label, value in zip(row[::2], row[1::2], strict=True)]
    said = [[" ".join(all_text(cell).split()) for cell in pair] for pair in cells]
    if not all(
        name and value.tag == "td" and (label.tag == "th" or name.endswith(":"))
        for (label, value), (name, _) in zip(cells, said, strict=True)
    ):
        return []
    if all(read_text(value).look not in {Look.WORDS, Look.CODE} for _, value in said):
        return []  # figures beside labels are a table
    return [f"{label.rstrip(':').rstrip()}: {value}" for label, value in said if value]


def _marks_of(root: Element) -> dict[str, str]:
    """What marks the notes of a page by the links that lead to them: a short text, which a list does not say again."""
    found: dict[str, str] = {}
    for link in root.iter("a"):
        target, mark = link.get("href") or "", all_text(link).strip("[]() ")
        if target.startswith("#") and 0 < len(mark) <= _LONGEST_MARK:
            found.setdefault(target[1:], mark.translate(RAISED))
    return found


def _walk(element: Element, marks: Mapping[str, str]) -> Iterator[tuple[Element | None, str]]:
    """Tables that hold no others, and texts, in the order of the page; notes begin with the mark that leads to them."""
    said = [element.text or ""]
    mark = marks.get(element.get("id") or "", "")
    if mark and not all_text(element).lstrip("[( ").translate(RAISED).startswith(mark):
        said.insert(0, f"{mark} ")
    for child in element:
        if is_shown(child):
            if child.tag == "table" and (child.find(".//table") is None or _holds_records(child)):
                yield from _flushed(said)
                yield child, ""
                for one in elements(child, ".//table"):
                    yield one, ""
            elif child.tag in _BLOCKS or child.xpath("self::*[.//table or .//p or .//div or .//li]"):
                yield from _flushed(said)
                yield from _walk(child, marks)
            else:
                said.append(_inline(child))
        said.append(child.tail or "")
    yield from _flushed(said)


def _marked_alike(note: str, texts: Sequence[Sequence[str]]) -> str:
    """A note below a table, its mark in square brackets written as the raised sign in the table is ("[a]" as "(a)")."""
    bracketed = _BRACKETED.match(note)
    if bracketed is None:
        return note
    said = bracketed[1]
    mark = said.translate(RAISED) if said.isdigit() else f"({said})"
    return f"{mark} {note[bracketed.end() :]}" if any(text.endswith(mark) for row in texts for text in row) else note


def _holds_records(table: Element) -> bool:
    """Whether a table that holds others is one of its own: few of its cells hold them, and its rows hold several texts."""
    rows = [[cell for cell in row if cell.tag in {"td", "th"}] for row in rows_of(table)]
    inside = sum(cell.find(".//table") is not None for row in rows for cell in row)
    texts = [sum(bool(all_text(cell).strip()) for cell in row if cell.find(".//table") is None) for row in rows]
    return inside <= _FEW_INSIDE * sum(map(len, rows)) and sum(count > 1 for count in texts) >= _FEWEST_ROWS


def _flushed(said: list[str]) -> Iterator[tuple[None, str]]:
    """What was said so far, if anything, line by line; then nothing is."""
    lines = [" ".join(line.split()) for line in "".join(said).split(BREAK)]
    said.clear()
    yield from ((None, line) for line in lines if line)


def _inline(element: Element) -> str:
    if element.tag == "br":
        return BREAK
    text = all_text(element)
    if element.tag != "sup":
        return text
    raised = text.strip("[]() ")
    # One letter is a mark, as it is behind a text of a cell: "(a) provisional".
    return f"({raised})" if len(raised) == 1 and raised.isalpha() else raised.translate(RAISED)


def _caption(table: Element) -> str:
    caption = table.find("caption")
    return "" if caption is None else " ".join(all_text(caption).split())


def _sheet(table: _Table, name: str, source: str) -> Sheet:
    elements = list(rows_of(table.element))
    grid = grid_of(elements, Place(source, name))
    hold_room(len(grid.texts), grid.width, Place(source, name))
    texts, merges, bold = joined(grid.texts, grid.merges, grid.bold)
    texts = [[_marked_alike(row[0], texts), *row[1:]] if row and row[0].startswith("[") else row for row in texts]
    caption = [table.caption] if table.caption else []
    above = [*table.above, *caption]
    top = len(above) + (1 if above else 0)
    behind = [""] * _GAP + [_marked_alike(text, texts) for text in table.behind] if table.behind else []
    width = max(len(texts[0]) if texts else 1, 1)
    lines = [*([text] for text in above), *([[]] if above else []), *texts, *([text] for text in behind)]
    hold_room(len(lines), width, Place(source, name))
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
    sheet = Sheet(name, values, kinds, areas, source, textual=True, look_up_formats=_constant(formats), spots=spots)
    head = _head_of_records(elements) if elements else -1
    if table.element.get(RECORDS) is None and (head < 0 or sheet.data[top + head + 1 :].mean() >= _FIGURES):
        head = -1 - top
    around = [*table.element.iterancestors(), *table.element.iter()]
    spoken = decimal_of({str(one.get("lang") or "") for one in around})
    spanned = _spanned_heads(elements, areas, top) if elements else None
    at, ends = (top + head, top + len(texts) - 1) if head >= 0 else (-1, -1)
    hints = Hints(heads=at, ends=ends, spoken=spoken, spanned=spanned, key=table.key)
    return sheet if hints == Hints() else replace(sheet, hints=hints)


def _spanned_heads(rows: Sequence[Element], merges: Sequence[Area], top: int) -> tuple[int, int, int] | None:
    """The rows that a page marks as headings, where they are several: the first, how many, and how many columns of labels.

    A cell alone above them is a title. The labels' columns are those
    whose heading is merged down over all of these rows; one, where none is.
    """
    own = [[cell.tag for cell in row if cell.tag in {"td", "th"}] for row in rows]
    titles = next((at for at, tags in enumerate(own) if len(tags) > 1), 0)
    ends = next((at for at, tags in enumerate(own) if "td" in tags or not tags), len(own))
    top, count = top + titles, ends - titles
    if not (count >= _FEWEST_HEADS and ends < len(rows)):
        return None
    down = {
        area.left for area in merges if area.top == top and area.bottom == top + count - 1 and area.left == area.right
    }
    width = next(at for at in range(len(down) + 1) if at not in down)
    return top, count, max(width, 1)


def _head_of_records(rows: list[Element]) -> int:
    """The one row of a table that the page marks as its headings, over rows that it marks as data; -1 if there is no such row."""
    cells = [[cell for cell in row if cell.tag in {"td", "th"}] for row in rows]
    heads = [at for at, own in enumerate(cells) if len(own) > 1 and all(cell.tag == "th" for cell in own)]
    if (
        heads != [0]
        or len(cells) < _FEWEST_ROWS
        or any(cell.get("colspan") or cell.get("rowspan") for cell in cells[0])
    ):
        return -1
    below = [cell.tag for own in cells[1:] if len(own) > 1 for cell in own]
    return 0 if below and "th" not in below else -1


def _constant(formats: Formats) -> Callable[[int | None], Formats]:
    return lambda _: formats
