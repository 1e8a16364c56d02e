"""Hand-outs: a table for people as a PDF or a page, with heading, fields, totals, notes, a chart if asked, and contents.

PDF needs `kebrin[handouts]` (reportlab), charts `kebrin[pictures]`.
"""

from __future__ import annotations

import hashlib
from base64 import b64encode
from dataclasses import dataclass
from html import escape
from importlib.resources import files as packaged
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.cells import as_label
from kebrin.errors import OutputError, Place
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.deliver.writing.books import Page

ENDINGS = (".pdf", ".html")
_LONG, _MOST_ROWS = 44, 50_000
_MARGIN, _WIDTH, _HEIGHT = 42.0, 595.28, 841.89  # points; ISO 216 A4
_SIZE, _LETTER = 8.5, 4.5


@dataclass(frozen=True)
class HandOut:
    """What one part says: its heading, what is so on all its rows, the other columns as lines of text, totals and notes."""

    heading: str
    fields: tuple[tuple[str, str], ...]
    columns: tuple[str, ...]
    right: frozenset[int]
    lines: list[list[str]]
    totals: tuple[str, ...]
    notes: tuple[str, ...]
    chart: str = ""
    chart_said: str = ""


@dataclass(frozen=True)
class About:
    """What is said over all parts: the letterhead, the column to chart by, where it all comes from."""

    title: str
    letterhead: str = ""
    chart: str = ""
    sources: tuple[str, ...] = ()


def write_handout(pages: Sequence[Page], path: Path, about: About, *, kind: str) -> None:
    """Write a hand-out.

    Args:
        pages: its parts, a table each.
        path: the file.
        about: what is said over all of them.
        kind: '.pdf' or '.html'.

    Raises:
        OutputError: a part has too many rows to be read, or what is needed is not installed.
    """
    parts = [_part(page, about) for page in pages]
    if kind == ".html":
        path.write_text(_page(parts, about), "utf-8")
    else:
        path.write_bytes(_document(parts, about))


def _part(page: Page, about: About) -> HandOut:
    table = page.table
    if len(table) > _MOST_ROWS:
        raise OutputError(
            f"{page.name!r} has {len(table):,} rows, and a hand-out is for people",
            why=f"at most {_MOST_ROWS:,} are written", do="Choose rows, or a hand-out for each value of a column: by",
        )  # fmt: skip
    same = [
        name for name in table.columns if name not in table.measures and _is_same(table.data.column(name), len(table))
    ]
    fields = tuple((name, _text(table.data.column(name)[0].as_py())) for name in same)
    names = tuple(name for name in table.columns if name not in same) or table.columns
    columns = [table.data.column(name) for name in names]
    right = frozenset(at for at, column in enumerate(columns) if arrays.kind_of(column) == "number")
    texts = [[_text(value) for value in column.to_pylist()] for column in columns]
    totals = tuple(
        _text(arrays.sum_of(column.cast(pa.float64()))) if at in right and name in table.measures else ""
        for at, (name, column) in enumerate(zip(names, columns, strict=True))
    )
    if any(totals) and not totals[0]:
        totals = ("Total", *totals[1:])
    gaps = [f"{column.null_count:,} of {len(column):,} have no {name}" for name, column in zip(names, columns, strict=True)
            if column.null_count and name in table.measures]  # fmt: skip
    notes = (*(f"· {one}" for one in gaps), *([f"From {', '.join(about.sources[:6])}"] if about.sources else []))
    chart, said = _chart(page, about) if about.chart else ("", "")
    lines = [list(line) for line in zip(*texts, strict=True)]
    return HandOut(
        page.heading or page.name, fields, names, right, lines, totals if any(totals) else (), notes, chart, said
    )


def _is_same(column: pa.ChunkedArray, rows: int) -> bool:
    return rows > 1 and not column.null_count and len(column.unique()) == 1


def _text(value: object) -> str:
    if value is None:
        return "·"
    if isinstance(value, float):
        return f"{value:,.10g}"
    return f"{value:,}" if isinstance(value, int) and not isinstance(value, bool) else as_label(value)


def _chart(page: Page, about: About) -> tuple[str, str]:
    """A chart of the part as PNG in base64, and what it shows, for who can't see it."""
    from kebrin.deliver import charts
    from kebrin.shape.looking import look

    found = look(page.table, [about.chart])
    figure = charts.draw(found, f"{found.of} by {about.chart}")
    content, _ = charts.write(figure, Path("chart.png"))
    shown = ", ".join(
        f"{row} {_text(value)}" for row, value in list(zip(found.rows, found.values.tolist(), strict=True))[:20]
    )
    return b64encode(content).decode(), f"{found.of} by {about.chart}: {shown}"


def _page(parts: Sequence[HandOut], about: About) -> str:
    from jinja2 import Environment
    from markupsafe import Markup

    style = _asset("handout.css")
    page = Environment(autoescape=True, trim_blocks=True).from_string(_asset("handout.html"))
    digest = b64encode(hashlib.sha256(style.encode()).digest()).decode()
    return page.render(
        title=about.title,
        letterhead=about.letterhead,
        sheets=parts,
        style=Markup(style),  # noqa: S704 - ours
        style_hash=digest,
    )


def _asset(name: str) -> str:
    return (packaged("kebrin.deliver") / "templates" / name).read_text("utf-8")


def _document(parts: Sequence[HandOut], about: About) -> bytes:
    """The hand-out as a PDF: headings of tables on each page, "page n of m", contents if there are several parts."""
    try:
        from reportlab.platypus import BaseDocTemplate, Frame, PageTemplate
    except ModuleNotFoundError:
        raise OutputError(
            "hand-outs as PDF need reportlab, which is not installed", do="Run: pip install 'kebrin[handouts]'"
        ) from None
    font = _font(parts, about)
    out = BytesIO()
    top = _MARGIN + (14.0 * len(about.letterhead.splitlines()) + 6 if about.letterhead else 0)
    document = BaseDocTemplate(
        out,
        pagesize=(_WIDTH, _HEIGHT),
        title=about.title,
        author="",
        creator="Kebrin hand-out",
        invariant=1,
        initialFontName=font,
    )
    frame = Frame(_MARGIN, _MARGIN + 14, _WIDTH - 2 * _MARGIN, _HEIGHT - top - _MARGIN - 14, 0, 0, 0, 0)

    def dress(canvas: Any, _: Any) -> None:
        canvas.setFont(font, 9)
        for at, line in enumerate(about.letterhead.splitlines()):
            canvas.drawString(_MARGIN, _HEIGHT - _MARGIN - 4 - 14 * at, line)

    document.addPageTemplates([PageTemplate("all", [frame], onPage=dress)])
    document.build(_story(parts, about, font), canvasmaker=_numbered(font))
    return out.getvalue()


def _font(parts: Sequence[HandOut], about: About) -> str:
    """A font that has the letters: the one that every PDF reader has, or one with many more if it is at hand.

    Raises:
        OutputError: letters are in none.
    """
    said = about.letterhead + about.title
    said += "".join(
        part.heading + "".join(map("".join, part.lines)) + "".join(map("".join, part.fields)) for part in parts
    )
    said += "".join(name for part in parts for name in part.columns)
    odd = next((letter for letter in dict.fromkeys(said) if not _is_common(letter)), "")
    if not odd:
        return "Helvetica"
    try:
        import matplotlib as mpl
        from reportlab.pdfbase import pdfmetrics
        from reportlab.pdfbase.ttfonts import TTFont

        pdfmetrics.registerFont(TTFont("DejaVuSans", Path(mpl.get_data_path()) / "fonts" / "ttf" / "DejaVuSans.ttf"))
        known = pdfmetrics.getFont("DejaVuSans").face.charToGlyph
    except (ImportError, OSError):
        known = {}
    odd = next((letter for letter in dict.fromkeys(said) if ord(letter) not in known and letter not in "\n\t"), "")
    if not odd:
        return "DejaVuSans"
    raise OutputError(
        f"the letter {odd!r} is in no font that a PDF can be made with here", Place(about.title),
        why="it would be a box",
        do="Write .html, which every browser shows; or install kebrin[pictures], which brings more letters",
    )  # fmt: skip


def _is_common(letter: str) -> bool:
    try:
        letter.encode("cp1252")
    except UnicodeEncodeError:
        return False
    return True


def _numbered(font: str) -> Any:
    """A canvas that knows at the end how many pages there are."""
    from reportlab.pdfgen.canvas import Canvas

    class Numbered(Canvas):
        def __init__(self, *arguments: Any, **named: Any) -> None:
            super().__init__(*arguments, **named)
            self._kept: list[dict[str, Any]] = []

        def showPage(self) -> None:  # noqa: N802 - the package's name
            self._kept.append(dict(self.__dict__))
            self._startPage()

        def save(self) -> None:
            for state in self._kept:
                self.__dict__.update(state)
                self.setFont(font, 8)
                self.drawRightString(_WIDTH - _MARGIN, _MARGIN - 6, f"page {self._pageNumber} of {len(self._kept)}")
                super().showPage()
            super().save()

    return Numbered


def _story(parts: Sequence[HandOut], about: About, font: str) -> list[Any]:
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Image, PageBreak, Paragraph, Spacer

    plain = ParagraphStyle("plain", fontName=font, fontSize=_SIZE, leading=_SIZE * 1.25)
    small = ParagraphStyle("small", parent=plain, fontSize=7.5, leading=9.5, textColor="#555555")
    head = ParagraphStyle("head", parent=plain, fontSize=15, leading=19, spaceAfter=4)
    story: list[Any] = []
    if len(parts) > 1:
        story.append(Paragraph(escape(about.title), head))
        story += [
            Paragraph(
                f'<a href="#part-{at}" color="#0b4f8a">{escape(part.heading)}</a>, {len(part.lines):,} rows', plain
            )
            for at, part in enumerate(parts)
        ]
    for at, part in enumerate(parts):
        story += [PageBreak()] if story else []
        story.append(Paragraph(f'<a name="part-{at}"/>{escape(part.heading)}', head))
        story += [Paragraph(f"{escape(name)}: {escape(value)}", plain) for name, value in part.fields]
        if part.chart:
            from base64 import b64decode

            wide = _WIDTH - 2 * _MARGIN
            picture = Image(BytesIO(b64decode(part.chart)))
            picture._restrictSize(wide, 260)  # noqa: SLF001 - the package's own way
            story += [Spacer(1, 6), picture]
        story += [Spacer(1, 6), _grid(part, plain)]
        story += [Spacer(1, 4), *(Paragraph(escape(note), small) for note in part.notes)]
    return story


def _grid(part: HandOut, plain: Any) -> Any:
    from reportlab.platypus import LongTable, Paragraph

    def cell(text: str) -> Any:
        return Paragraph(escape(text), plain) if len(text) > _LONG else text

    rows = [[cell(name) for name in part.columns], *([cell(text) for text in line] for line in part.lines)]
    rows += [list(part.totals)] if part.totals else []
    font = plain.fontName
    style = [
        ("FONT", (0, 0), (-1, -1), font, _SIZE), ("LEADING", (0, 0), (-1, -1), _SIZE * 1.2), ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("TOPPADDING", (0, 0), (-1, -1), 1.5), ("BOTTOMPADDING", (0, 0), (-1, -1), 1.5),
        ("LINEBELOW", (0, 0), (-1, 0), 1, "#222222"),
        ("LINEBELOW", (0, 1), (-1, -1), 0.25, "#bbbbbb"), *(("ALIGN", (at, 0), (at, -1), "RIGHT") for at in sorted(part.right)),
    ]  # fmt: skip
    if part.totals:
        style.append(("LINEABOVE", (0, -1), (-1, -1), 1, "#222222"))
    return LongTable(rows, colWidths=_widths(part), repeatRows=1, style=style, hAlign="LEFT")


def _widths(part: HandOut) -> list[float]:
    """The width of each column by its longest text, all of them no wider than the page."""
    longest = [
        min(
            max(
                [len(name), *(len(line[at]) for line in part.lines[:2000]), len(part.totals[at]) if part.totals else 0]
            ),
            _LONG,
        )
        for at, name in enumerate(part.columns)
    ]
    wanted = [_LETTER * count + 12 for count in longest]
    room = _WIDTH - 2 * _MARGIN
    return wanted if sum(wanted) <= room else [one * room / sum(wanted) for one in wanted]
