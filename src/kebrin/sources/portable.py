"""PDF files with text as reports: a sheet of all pages, laid out by the places of the letters (pdfminer.six gives these)."""

from __future__ import annotations

import logging
import re
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from kebrin.cells import Report
from kebrin.errors import KebrinError, Place, PlanError, SourceError
from kebrin.sources import files
from kebrin.sources.aligned import Field, Placed, field_of, is_body
from kebrin.sources.lines import KEY
from kebrin.sources.printed import grid
from kebrin.sources.ruled import Box, Edge, Ruled, edges_of, find_ruled
from kebrin.sources.wrapped import joined_text

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence
    from pathlib import Path

# A line of a page: its baseline, the size of its letters, its runs of text.
_Line = tuple[float, float, tuple[Field, ...]]
# A gap of so many times the letters' size parts two runs of text; a smaller one is a blank.
_APART, _BLANK = 0.75, 0.18
# Letters whose baselines are nearer than this share of their size stand on one line.
_ON_LINE = 0.4
_NEAR = 3
# A page's head has so many lines at most, the headings of its columns among them.
_HEAD_LINES = 8
# So many rows of cells at least, nearly all of which have a cell of one line.
_FEWEST_ROWS, _NEARLY_ALL = 3, 0.8
# A letter that is drawn again no farther than this share of its width away is the same one, in bold.
_TWIN = 0.3
_PAGE_NUMBER = re.compile(
    r"(?:page|seite|pagina|-)?\s*(?P<number>\d{1,4})\s*(?:(?:of|von|/|-)\s*\d*)?\s*-?", re.IGNORECASE
)
# A gap between lines of more than so many times their usual distance is a blank line.
_WIDE = 1.6
# Rows are so many times farther apart than the lines within one; of all gaps so many at most are within rows, and a line is no
# farther from the next than so many times the size of its letters.
_APART_ROWS, _MOST_WITHIN, _LEADING = 1.25, 0.75, 2.2


def read(path: Path) -> Report:
    """Read a PDF: one sheet with the lines of all its pages.

    Raises:
        SourceError: it is locked, broken, or a picture without text.
        PlanError: pdfminer.six is not installed.
    """
    fixed = files.Fixed.of(path)
    where = Place(str(path))
    numbers: list[int] = []
    drawn = Drawn()
    lines = list(_lines(path, where, numbers, drawn))
    fixed.check()
    if not lines:
        raise SourceError(
            "the PDF holds no text", where, why="its pages are pictures",
            do="Ask for it as a workbook or a page, or have a program read the pictures first",
        )  # fmt: skip
    sheet = grid(lines, path.stem, str(path), near=_NEAR)
    told: tuple[str, ...] = (f"page numbers, set aside: {len(numbers):,}",) if numbers else ()
    told += (f"lines of page heads that say the same again, set aside: {drawn.again:,}",) if drawn.again else ()
    told += (f"letters that are drawn twice, for bold, taken once: {drawn.twice:,}",) if drawn.twice else ()
    aside = {"cells of page heads said again": drawn.runs_again} if drawn.runs_again else {}
    sheet = replace(sheet, told=(*sheet.told, *told), aside=aside)
    return Report(str(path), (path.stem,), lambda _: sheet, {}, lambda: fixed.digest, lacks=drawn.lacks())


@dataclass
class Drawn:
    """What is drawn on the pages of a PDF: letters twice or turned, pages of pictures alone, letters of no meaning."""

    twice: int = 0
    turned: int = 0
    pictures: list[int] = field(default_factory=list)
    unknown: int = 0
    again: int = 0
    runs_again: int = 0
    head: list[str] = field(default_factory=list)

    def without_head(self, rows: list[_Line]) -> list[_Line]:
        """The rows of a page without those at its top that say what the first page says there, in the same words."""
        said = ["  ".join(one.text for one in fields) for _, _, fields in rows]
        if not self.head:
            self.head = said[:_HEAD_LINES]
            return rows
        # A line of figures is a record, even if it is the first on two pages.
        same = (text in self.head[at : at + 1] and not is_body(rows[at][2]) for at, text in enumerate(said))
        count = next((at for at, again in enumerate(same) if not again), len(said))
        self.again += count
        self.runs_again += sum(len(fields) for _, _, fields in rows[:count])
        return rows[count:]

    def lacks(self) -> tuple[str, ...]:
        """What stands on its pages and was not read: the proof does not hold with it."""
        said = []
        if self.pictures:
            pages = ", ".join(map(str, self.pictures[:6]))
            said.append(f"page {pages} holds a picture and no letters: what it shows is not read")
        if self.turned:
            said.append(f"{self.turned:,} letters are turned round and are not read")
        if self.unknown:
            said.append(
                f"{self.unknown:,} letters have no meaning in the file, only a shape: what they say is not known"
            )
        return tuple(said)


def _lines(path: Path, where: Place, numbers: list[int], drawn: Drawn) -> Iterator[Placed]:
    """The lines of all pages with their runs of text, a blank one where a gap parts two; the pages with numbers are noted."""
    for count, (page, picture, edges) in enumerate(_pages(path, where), start=1):
        if picture and not page:
            drawn.pictures.append(count)
        legible = _legible(page, drawn)
        grids, rest = _in_cells(legible, find_ruled(edges))
        found = [
            (base, size, fields) for base, size, letters in _on_lines(rest) if (fields := tuple(_runs(letters, size)))
        ]
        every = len(found)
        found = [one for at, one in enumerate(found) if not (at in {0, every - 1} and _is_page_number(one[2], count))]
        numbers += [count] * (len(found) < every)
        # Where rules draw cells the layout knows headings that are said again.
        found = _rows(found) if grids else drawn.without_head(_rows(found))
        usual = min((one[0] - two[0] for one, two in pairwise(found)), default=0.0)
        # What stands beside one another in grids of their own is read one grid after the other.
        parts = sorted([*((one[0], [one]) for one in found), *grids], key=lambda part: -part[0])
        for at, (top, rows) in enumerate(parts):
            above = parts[at - 1] if at else (top, rows)
            apart = len(rows) > 1 < len(above[1]) or above[1][-1][0] - top > _WIDE * max(usual, rows[0][1])
            if at and apart:
                yield Placed(f"page {count}", "", (), parted=True)
            for _, _, fields in rows:
                yield Placed(f"page {count}", "  ".join(one.text for one in fields), fields, parted=True)


def _in_cells(letters: list[Any], grids: Sequence[Ruled]) -> tuple[list[tuple[float, list[_Line]]], list[Any]]:
    """The rows of cells that rules draw around letters, grid by grid, each with its upper edge; and the letters outside."""
    found: list[tuple[float, list[_Line]]] = []
    rest = letters
    for ruled in grids:
        inside: dict[Box, list[Any]] = {}
        outside: list[Any] = []
        for one in rest:
            box = ruled.box_at((one.x0 + one.x1) / 2, (one.y0 + one.y1) / 2)
            (outside if box is None else inside.setdefault(box, [])).append(one)
        texts = {box: [tuple(_runs(own, size)) for _, size, own in _on_lines(held)] for box, held in inside.items()}
        if not _tell_rows(texts):
            continue
        rest, lines = outside, []
        for row in sorted({box.top for box in texts}):
            own = sorted((box for box in texts if box.top == row), key=lambda box: box.left)
            fields = tuple(
                field_of(
                    round(ruled.xs[box.left]) + _NEAR,
                    round(ruled.xs[box.right + 1]) - _NEAR,
                    _cell(texts[box], ruled.xs[box.right + 1]),
                )
                for box in own
            )
            size = max(letter.size for box in own for letter in inside[box])
            lines.append((ruled.ys[row + 1], size, fields))
        found.append((ruled.ys[0], lines))
    return found, rest


def _tell_rows(texts: Mapping[Box, Sequence[object]]) -> bool:
    """Whether the boxes between rules are cells: nearly every row has one of a single line, and most rows hold several."""
    rows: dict[int, list[int]] = {}
    for box, lines in texts.items():
        rows.setdefault(box.top, []).append(len(lines))
    single = sum(1 in counts for counts in rows.values())
    several = sum(len(counts) > 1 for counts in rows.values())
    return len(rows) >= _FEWEST_ROWS and single >= _NEARLY_ALL * len(rows) and 2 * several > len(rows)


def _cell(lines: Sequence[tuple[Field, ...]], end: float) -> str:
    """The text of a cell of several lines: one text if it goes on in small letters or had no room left, else an entry each."""
    said = [" ".join(one.text for one in line) for line in lines]
    rooms = [end - line[-1].right for line in lines]
    text = said[0]
    for at in range(1, len(said)):
        word = said[at].split(" ")[0]
        width = (lines[at][-1].right - lines[at][0].left) * len(word) / max(len(said[at]), 1)
        goes_on = said[at][0].islower() or rooms[at - 1] < width + _NEAR
        text = joined_text(text, said[at]) if goes_on else f"{text}\n{said[at]}"
    return text


def _is_page_number(fields: Sequence[Field], count: int) -> bool:
    """Whether a line at a page's edge says no more than which page it is."""
    match = _PAGE_NUMBER.fullmatch(fields[0].text) if len(fields) == 1 else None
    return match is not None and int(match["number"]) == count


def _rows(lines: list[_Line]) -> list[_Line]:
    """The lines with those of one row together: where some stand clearly nearer to one another, cells have several lines.

    Lines are of one row only if no run of text of one stands over two of the other, as a heading over columns does.
    """
    gaps = sorted(one[0] - two[0] for one, two in pairwise(lines))
    split = next((at for at in range(1, len(gaps)) if gaps[at] >= _APART_ROWS * gaps[at - 1]), 0)
    if not split or split > _MOST_WITHIN * len(gaps) or gaps[split - 1] > _LEADING * lines[0][1]:
        return lines
    near = gaps[split - 1]
    rows: list[_Line] = []
    for base, size, fields in lines:
        beside = bool(rows) and rows[-1][0] - base <= near + 0.01 and not (_is_key(rows[-1][2]) and _is_key(fields))
        if beside and _fit(rows[-1][2], fields) and _fit(fields, rows[-1][2]):
            rows[-1] = (base, size, _together(rows[-1][2], fields))
        else:
            rows.append((base, size, fields))
    return rows


def _is_key(fields: Sequence[Field]) -> bool:
    """Whether a line is a key and its value, and nothing else."""
    return len(fields) == 1 and KEY.fullmatch(fields[0].text) is not None


def _fit(ones: Iterable[Field], others: Sequence[Field]) -> bool:
    """Whether none of some runs of text stands over two others."""
    return all(sum(one.left < other.right and one.right > other.left for other in others) < 2 for one in ones)


def _together(above: Sequence[Field], below: Sequence[Field]) -> tuple[Field, ...]:
    """Two lines of one row: runs of text over one another are one cell's."""
    found = list(above)
    for one in below:
        at = next((at for at, other in enumerate(found) if one.left < other.right and one.right > other.left), -1)
        if at < 0:
            found.append(one)
        else:
            other = found[at]
            found[at] = field_of(min(one.left, other.left), max(one.right, other.right), f"{other.text}\n{one.text}")
    return tuple(sorted(found, key=lambda field: field.left))


def _legible(letters: list[Any], drawn: Drawn) -> list[Any]:
    """The letters of a page that can be read: each once, upright as most are, and with a meaning."""
    upright = [one for one in letters if one.upright]
    if 2 * len(upright) >= len(letters):
        drawn.turned += len(letters) - len(upright)
        letters = upright
    drawn.unknown += sum(one.get_text().startswith("(cid:") for one in letters)
    found: list[Any] = []
    near: dict[tuple[str, int, int], list[Any]] = {}
    for one in letters:
        width = max(one.x1 - one.x0, 0.1)
        column, row = round(one.x0 / (2 * one.size)), round(one.y0 / (2 * one.size))
        around = [near.get((one.get_text(), column + x, row + y), ()) for x in (-1, 0, 1) for y in (-1, 0, 1)]
        if any(
            abs(one.x0 - other.x0) <= _TWIN * width and abs(one.y0 - other.y0) <= _TWIN * one.size
            for listed in around for other in listed
        ):  # fmt: skip
            drawn.twice += 1
            continue
        near.setdefault((one.get_text(), column, row), []).append(one)
        found.append(one)
    return found


def _pages(path: Path, where: Place) -> Iterator[tuple[list[Any], bool, list[Edge]]]:
    """The letters of each page, whether it holds a picture, and the lines drawn on it."""
    try:
        from pdfminer.high_level import extract_pages
        from pdfminer.layout import LAParams, LTChar, LTCurve, LTImage
        from pdfminer.pdfdocument import PDFPasswordIncorrect, PDFTextExtractionNotAllowed
    except ModuleNotFoundError:
        raise PlanError(
            "reading a PDF needs pdfminer.six, which is not installed",
            do="Install kebrin[pdf]: pip install 'kebrin[pdf]'",
        ) from None

    # What it complains of is told by us or is no matter; without a handler it would be printed.
    logging.getLogger("pdfminer").addHandler(logging.NullHandler())

    try:
        for page in extract_pages(str(path), laparams=LAParams(boxes_flow=None, all_texts=True)):
            parts = list(_parts(page))
            found = [one for one in parts if isinstance(one, LTChar) and one.get_text().strip()]
            shapes = [one for one in parts if isinstance(one, LTCurve)]
            edges = [
                edge for one in shapes for edge in edges_of(one.x0, one.y0, one.x1, one.y1, outlined=bool(one.stroke))
            ]
            yield found, not found and any(isinstance(one, LTImage) for one in parts), edges
    except (PDFPasswordIncorrect, PDFTextExtractionNotAllowed) as error:
        raise SourceError("the PDF is locked", where, do="Ask for it without a password") from error
    except KebrinError:
        raise
    except Exception as error:  # it raises whatever comes of what a damaged file holds
        raise SourceError(
            "the PDF is cut short or damaged", where, why=str(error).partition("\n")[0] or type(error).__name__,
            do="Copy or download it again",
        ) from error  # fmt: skip


def _parts(whole: Any) -> Iterator[Any]:
    """All that is drawn on a page, in whatever it stands."""
    for one in whole:
        yield one
        if hasattr(one, "__iter__"):
            yield from _parts(one)


def _on_lines(letters: list[Any]) -> Iterator[tuple[float, float, list[Any]]]:
    """The letters of a page line by line from above: the baseline, the size, the letters from the left."""
    line: list[Any] = []
    base = size = 0.0
    for one in sorted(letters, key=lambda letter: (-letter.y0, letter.x0)):
        if line and base - one.y0 > _ON_LINE * max(size, one.size):
            yield base, size, sorted(line, key=lambda letter: float(letter.x0))
            line = []
        if not line:
            base, size = one.y0, one.size
        line.append(one)
    if line:
        yield base, size, sorted(line, key=lambda letter: float(letter.x0))


def _runs(letters: list[Any], size: float) -> Iterator[Field]:
    """The runs of text of a line; figures side by side are a run each."""
    words: list[list[Any]] = []
    for one in letters:
        if words and one.x0 - words[-1][-1].x1 <= _BLANK * size:
            words[-1].append(one)
        else:
            words.append([one])
    runs: list[list[Field]] = []
    for word in words:
        text = "".join(letter.get_text() for letter in word)
        own = field_of(round(word[0].x0), round(word[-1].x1), text)
        beside = bool(runs) and own.left - runs[-1][-1].right <= _APART * size
        if beside and not (own.is_figure and all(one.is_figure for one in runs[-1])):
            runs[-1].append(own)
        else:
            runs.append([own])
    for run in runs:
        yield field_of(run[0].left, run[-1].right, " ".join(one.text for one in run))
