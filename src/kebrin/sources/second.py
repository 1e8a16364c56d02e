"""The second look at a workbook's sheet, over the open format itself: what the value parser does not give.

One pass over the rows finds error cells, formulas without a stored result and the cells' formats. It is slower than
the value parser, so it is taken only for a sheet that shows a sign, or when formats are asked for.
"""

from __future__ import annotations

import re
import zipfile
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from lxml import etree

from kebrin.address import a1, parse_a1
from kebrin.errors import Place, SourceError
from kebrin.sources.extent import MOST_ROWS
from kebrin.sources.limits import FREE_CELLS, hold, hold_room

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from kebrin.sources.extent import Extent

# A part of no more bytes is looked through at once.
_AT_ONCE = 256 << 20
_TEXT_RESULTS = frozenset({"str", "inlineStr", "s"})
# Number formats that every workbook knows by number alone (ECMA-376 part 1, 18.8.30).
_BUILT_IN = {
    1: "0", 2: "0.00", 3: "#,##0", 4: "#,##0.00", 5: "$#,##0", 6: "$#,##0", 7: "$#,##0.00", 8: "$#,##0.00",
    9: "0%", 10: "0.00%", 11: "0.00E+00", 14: "mm-dd-yy", 15: "d-mmm-yy", 16: "d-mmm", 17: "mmm-yy",
    18: "h:mm AM/PM", 20: "h:mm", 21: "h:mm:ss", 22: "m/d/yy h:mm", 37: "#,##0", 38: "#,##0", 39: "#,##0.00",
    40: "#,##0.00", 44: '_("$"* #,##0.00_)', 49: "@",
}  # fmt: skip

#: Number formats that only pad with zeros, dashes and blanks between them at most: what bears them is an identifier.
PADDED = re.compile(r"0{2,}(?:(?:\\?[-/. ]|\"[-/. ]\")0{2,})*|0(?:(?:\\?[-/ ]|\"[-/ ]\")0{2,})+")


@dataclass
class SecondLook:
    """What one pass found; keys are 0-based (row, column)."""

    errors: dict[tuple[int, int], str] = field(default_factory=dict)
    unstored: list[tuple[int, int]] = field(default_factory=list)
    styles: dict[tuple[int, int], int] = field(default_factory=dict)
    formulas: dict[tuple[int, int], str] = field(default_factory=dict)
    hidden_rows: set[int] = field(default_factory=set)
    hidden_columns: set[int] = field(default_factory=set)


@dataclass(frozen=True)
class Style:
    """The part of a cell style that layouts ask for."""

    bold: bool = False
    indent: int = 0
    number_format: str = "General"
    filled: bool = False
    spreads: bool = False


def refuse_far_cells(path: Path, part: str, where: Place, extent: Extent) -> None:
    """Refuse a sheet whose cells the value parser should not lay out; it may end the process where it can't.

    Raises:
        SourceError: a cell stands outside of any sheet, or alone far from the rest; it is named. A value holds a comment.
    """
    if extent.is_outside:
        raise SourceError(
            "a cell stands outside of the sheet", where, why="no sheet has such an address",
            do="Open it in a spreadsheet program, save it there, and look whether all is there",
        )  # fmt: skip
    if extent.cut:
        raise SourceError(
            "values hold comments of the file format", where, why="the value parser would leave out a part of them in silence",
            do="Open it in a spreadsheet program and save it there",
        )  # fmt: skip
    hold("merges", extent.merges, where)
    if extent.rows > MOST_ROWS:
        raise SourceError(
            "the sheet has more rows than a sheet can have",
            where,
            why=f"it states {extent.rows:,}",
            do="Ask for it again",
        )
    if extent.area <= FREE_CELLS:
        return
    bottom, right = _used(path, part)
    try:
        hold_room(bottom[0] + 1, right[1] + 1, where)
    except SourceError as error:
        raise SourceError(
            "the sheet is too wide and too long to be a report",
            Place(where.file, where.sheet, ", ".join(dict.fromkeys((a1(*bottom), a1(*right))))),
            why=f"cells in use reach over {bottom[0] + 1:,} rows and {right[1] + 1:,} columns; {error.why}",
            do=f"Clear the stray cell that stands far from the rest. {error.do}",
        ) from error


def refuse_lost(path: Path, part: str, where: Place, stated: int, given: int) -> None:
    """Refuse a sheet of which the value parser gave fewer cells than hold something, blank texts apart.

    Args:
        path: the workbook.
        part: the sheet's part of it.
        where: the sheet, for people.
        stated: how many values its bytes hold, blank texts too.
        given: how many cells the value parser gave.

    Raises:
        SourceError: cells would be lost.
    """
    with zipfile.ZipFile(path) as package:
        blank = _blank_texts(package)
        if blank and package.getinfo(part).file_size <= _AT_ONCE:
            # Blank texts account for the difference nearly always: they are counted by a pattern, which is quick.
            numbers = "|".join(map(str, sorted(blank))).encode()
            found = re.findall(rb't="s"[^<>]*><v>(?:' + numbers + rb")</v>", package.read(part))
            if stated - len(found) <= given:
                return
        with package.open(part) as stream:
            held = sum(_holds(cell, blank) for _, cells in _rows(stream) for _, cell in cells)
    if held > given:
        raise SourceError(
            "some cells of this sheet would be lost", where,
            why=f"{held:,} of its cells hold something, and the value parser gives {given:,}",
            do="Open it in a spreadsheet program, save it there, and run this again",
        )  # fmt: skip


def is_dressed_below(path: Path, part: str, rows: int) -> bool:
    """Whether cells below the first rows of a sheet are set in or in bold; also where that can't be told at a glance."""
    styles = "|".join(str(at) for at, style in enumerate(read_styles(path)) if style.bold or style.indent)
    if not styles:
        return False
    with zipfile.ZipFile(path) as package:
        if package.getinfo(part).file_size > _AT_ONCE:
            return True
        content = package.read(part)
    first = re.search(rb'<row (?:[^<>]* )?r="%d"' % (rows + 1), content)
    if first is None or b"='" in content:
        return True
    return re.compile(b'<c (?:[^<>]* )?s="(?:%s)"' % styles.encode()).search(content, first.start()) is not None


def _blank_texts(package: zipfile.ZipFile) -> frozenset[int]:
    """Which of the texts that sheets share are blank, by their number."""
    names = [name for name in package.namelist() if name.casefold() == "xl/sharedstrings.xml"]
    if not names:
        return frozenset()
    with package.open(names[0]) as stream:
        texts = (item for _, item in etree.iterparse(stream, tag="{*}si", resolve_entities=False))
        return frozenset(at for at, item in enumerate(texts) if not _text(item))


def _text(element: etree._Element) -> str:
    return "".join(map(str, element.itertext())).strip()


def _holds(cell: etree._Element, blank: frozenset[int]) -> bool:
    """Whether a cell holds a value, and not only a formula or a blank text."""
    texts = [_text(part) for part in cell if etree.QName(part).localname in {"v", "is"}]
    if not any(texts):
        return False
    said = texts[0]
    return cell.get("t") != "s" or not said.isdigit() or int(said) not in blank


def _used(path: Path, part: str) -> tuple[tuple[int, int], tuple[int, int]]:
    """The lowest and the rightmost cell that holds something."""
    bottom = right = (0, 0)
    with zipfile.ZipFile(path) as package, package.open(part) as stream:
        for number, cells in _rows(stream):
            for column, cell in cells:
                if len(cell):
                    # The value parser goes by the cell's own address, whatever row it stands in.
                    place = parse_a1(cell.get("r", ""))
                    row = number if place is None else place[0]
                    bottom = max(bottom, (row, column))
                    right = max(right, (row, column), key=lambda at: at[1])
    return bottom, right


def look_again(path: Path, part: str, rows: int | None = None) -> SecondLook:
    """One pass over a sheet's rows, the first `rows` of them or all."""
    found = SecondLook()
    with zipfile.ZipFile(path) as package:
        with package.open(part) as stream:
            found.hidden_columns = _hidden_columns(stream)
        with package.open(part) as stream:
            for row, cells in _rows(stream, found.hidden_rows):
                if rows is not None and row >= rows:
                    break
                for column, cell in cells:
                    _take(found, (row, column), cell)
    return found


def spread_areas(path: Path, part: str, rows: int) -> list[tuple[int, int, int, int]]:
    """What texts that are centred across blank cells stand over in the first rows of a sheet: top, left, bottom, right."""
    spread = {at for at, style in enumerate(read_styles(path)) if style.spreads}
    found = []
    with zipfile.ZipFile(path) as package, package.open(part) as stream:
        for row, cells in _rows(stream):
            if row >= rows:
                break
            left = right = -1
            for column, cell in cells:
                own = int(cell.get("s", "0")) in spread
                if left >= 0 and own and column == right + 1 and not len(cell):
                    right = column
                    continue
                found += [(row, left, row, right)] * (right > left)
                left = right = column if own and len(cell) else -1
            found += [(row, left, row, right)] * (right > left)
    return found


def _take(found: SecondLook, at: tuple[int, int], cell: etree._Element) -> None:
    kind = cell.get("t", "n")
    style = cell.get("s")
    if style and style != "0":
        found.styles[at] = int(style)
    formula = result = None
    for child in cell:
        name = etree.QName(child).localname
        if name == "f":
            formula = child
        elif name == "v":
            result = child.text
    if kind == "e":
        found.errors[at] = result or "#ERROR"
    if formula is not None:
        found.formulas[at] = formula.text or ""
        if not result and kind not in _TEXT_RESULTS:
            found.unstored.append(at)


def _rows(stream: object, hidden: set[int] | None = None) -> Iterator[tuple[int, Iterator[tuple[int, etree._Element]]]]:
    """Row numbers (0-based) with their cells; each row is let go when the next one is asked for."""
    number = -1
    for _, row in etree.iterparse(stream, tag="{*}row", resolve_entities=False, huge_tree=True):
        stated = row.get("r")
        number = int(stated) - 1 if stated else number + 1
        if hidden is not None and row.get("hidden") in {"1", "true"}:
            hidden.add(number)
        if len(row):
            yield number, _cells(row)
        row.clear()
        while row.getprevious() is not None:
            del row.getparent()[0]


def _cells(row: etree._Element) -> Iterator[tuple[int, etree._Element]]:
    column = -1
    for cell in row:
        place = parse_a1(cell.get("r", ""))
        column = column + 1 if place is None else place[1]
        yield column, cell


def _hidden_columns(stream: object) -> set[int]:
    hidden: set[int] = set()
    for _, element in etree.iterparse(stream, tag=("{*}col", "{*}row"), resolve_entities=False):
        if etree.QName(element).localname == "row":
            break
        if element.get("hidden") in {"1", "true"}:
            first, last = int(element.get("min")), int(element.get("max"))
            hidden.update(range(first - 1, min(last, 16_384)))
    return hidden


def read_styles(path: Path) -> list[Style]:
    """The cell styles of a workbook, in the order that cells refer to them by."""
    with zipfile.ZipFile(path) as package:
        if "xl/styles.xml" not in package.namelist():
            return []
        root = etree.fromstring(package.read("xl/styles.xml"))
    codes = {int(code.get("numFmtId", "0")): code.get("formatCode", "") for code in root.iter("{*}numFmt")}
    fonts = [_on(font.find("{*}b")) for font in root.findall("{*}fonts/{*}font")]
    fills = [_is_filled(fill) for fill in root.findall("{*}fills/{*}fill")]
    return [_style(entry, codes, fonts, fills) for entry in root.findall("{*}cellXfs/{*}xf")]


def padded(number: float, code: str) -> str:
    r"""A whole number as a format of zeros writes it.

    >>> padded(410.0, "00000"), padded(5550123.0, "000\\-0000")
    ('00410', '555-0123')
    """
    shape = code.replace("\\", "").replace('"', "")
    digits = str(int(abs(number))).zfill(shape.count("0"))
    ahead = len(digits) - shape.count("0")
    rest = iter(digits[ahead:])
    written = digits[:ahead] + "".join(next(rest) if sign == "0" else sign for sign in shape)
    return f"-{written}" if number < 0 else written


def _style(entry: etree._Element, codes: dict[int, str], fonts: list[bool], fills: list[bool]) -> Style:
    font, fill = int(entry.get("fontId", "0")), int(entry.get("fillId", "0"))
    code = int(entry.get("numFmtId", "0"))
    alignment = entry.find("{*}alignment")
    return Style(
        bold=font < len(fonts) and fonts[font],
        indent=0 if alignment is None else int(alignment.get("indent", "0")),
        number_format=codes.get(code) or _BUILT_IN.get(code, "General"),
        filled=fill < len(fills) and fills[fill],
        spreads=alignment is not None and alignment.get("horizontal") == "centerContinuous",
    )


def _on(element: etree._Element | None) -> bool:
    return element is not None and element.get("val", "1") not in {"0", "false"}


def _is_filled(fill: etree._Element) -> bool:
    pattern = fill.find("{*}patternFill")
    return pattern is not None and pattern.get("patternType", "none") not in {"none", "gray125"}
