"""Delimited text files as reports of one sheet: encoding and delimiter found, every value kept as text."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from dataclasses import replace
from functools import cache
from itertools import islice
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Hints, Report, Sheet, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources import files
from kebrin.sources.boxed import box_sheet, is_boxed
from kebrin.sources.cards import are_cards
from kebrin.sources.control_lines import control_lines
from kebrin.sources.described import described_sheet
from kebrin.sources.encodings import Decoded, decode, strictly
from kebrin.sources.limits import hold, hold_room, limits
from kebrin.sources.lines import Lines, lines_of, numbered_pages
from kebrin.sources.long_text import LongRows, LongText, long_sheet, open_long
from kebrin.sources.page_heads import without_page_heads
from kebrin.sources.printed import is_printed, lay_out, told_of_lines, typical_runs
from kebrin.sources.stated import NONE, StatedText
from kebrin.sources.words_apart import with_words_apart

if TYPE_CHECKING:
    from pathlib import Path

# A file with one of the first in most lines is parted by it: its commas are decimal commas or belong to texts.
# Signs around a whole cell that only say how it looks.
_EMPHASIS = re.compile(r"(?P<sign>[*]{1,3}|__)(?P<text>[^*_\s](?:[^*]*[^*_\s])?)(?P=sign)")
_DELIMITERS = ("\t", ";", "|", "^", "~", ",")
_LINES = 500
# How long a cell may be is looked at when all are there.
csv.field_size_limit(2**31 - 1)
_HEAD = 1 << 17
# Smaller files have few rows.
_LONG = 1 << 16
# Of all its places so many must be between thousands for a comma to part no cells.
_MOSTLY = 0.8
_FEWEST_QUOTES, _FEWEST_PAGES = 4, 2
# A line that is drawn; a mark for a missing value is no longer than this.
_RULE, _LONGEST_MARK = re.compile(r":?(?:-{3,}|={3,}|_{3,}|─{3,}|═{3,}):?"), 3
# Runs of signs with corners between, four signs at least; each run is taken whole, so that a long line costs its length.
_DRAWN = re.compile(r"(?=(?:[^-=_─═]*+[-=_─═]){4})[+*:]?[-=_─═]{2,}+(?:[+*:┼╪][-=_─═]{2,}+)*[+*:┼╪]?")
# Comments that name the columns, their units, or what stands for no value.
_COMMENTS, _COMMENT_LINES = frozenset("#%;!"), 60
_NONE_KEYS = frozenset({"missing", "missing value", "missing values", "no data", "nodata", "fill value", "null"})
_SAYS_NAMES = re.compile(
    r"\s*[#%;!]+\s*(?P<key>columns?|fields|names|variables|headings?|header|units?|"
    + "|".join(sorted(_NONE_KEYS))
    + r")\s*[:=]\s*(?P<first>.*)",
    re.IGNORECASE,
)
# Colons that part no cells: before a blank, in a time of day, in an address.
_NO_DELIMITER, _FEWEST_COLONS = re.compile(r":(?=\s|$)|(?<=\d):(?=[0-5]\d)|:(?=//)"), 3
_QUOTED = re.compile(r'"([^\w\s"])(?=")')
_GROUPED = re.compile(r"(?<=\d),(?=\d{3}(?!\d))")


def read(path: Path, stated: StatedText | None = None) -> Report:
    """Read a text file, delimited or laid out by blanks; the sheet bears the file's name without its ending.

    Args:
        path: the file.
        stated: what a person says of it; the rest is found.

    Raises:
        SourceError: the file is missing, empty, or no text.
    """
    head = files.first_bytes(path)
    if files.nature(head) != "text":
        kind = "a workbook" if files.nature(head) == "zip" else f"a {files.nature(head)}"
        raise SourceError(
            "this is not delimited text",
            Place(str(path)),
            why=f"it starts like {kind}",
            do="Name it by what it is",
        )
    fixed = files.Fixed.of(path)
    stated = stated or StatedText()
    found = (lambda _: stated.delimiter) if stated.delimiter else delimiter
    load = cache(lambda name: _sheet(fixed, name, stated))

    def long(_: str) -> LongText | LongRows | None:
        opened = (
            open_long(fixed, path.stem, lambda text: _plainly_quoted(text, found(text))) if stated.is_plain else None
        )
        return opened or (long_sheet(load(path.stem)) if fixed.state[1] > _LONG else None)

    return Report(str(path), (path.stem,), load, {}, lambda: fixed.digest, open_long=long)  # fmt: skip


def _sheet(fixed: files.Fixed, name: str, stated: StatedText) -> Sheet:
    path = fixed.path
    content = path.read_bytes()
    fixed.check()
    where = Place(str(path))
    text, older = Decoded(strictly(content, stated.encoding, where)) if stated.encoding else decode(content, where)
    told = (older,) if older else ()
    if stated == StatedText() and is_boxed(text) and (boxed := box_sheet(lines_of(text), name, str(path))) is not None:
        return replace(boxed, told=told)
    if stated == StatedText() and (described := described_sheet(lines_of(text), name, str(path))) is not None:
        return replace(described, told=(*told, *described.told))
    mark = NONE if stated.is_printed else stated.delimiter or delimiter(text)
    if mark in {"", NONE}:
        sheet = lay_out(text, name, str(path), stated)
        return replace(sheet, told=(*told, *sheet.told))
    said = list(told)
    if stated.skip:
        said += told_of_lines(text.splitlines(), stated)
        begins = tuple(stated.skip)
        text = re.sub(r"[^\r\n]+", lambda line: "" if line[0].lstrip().startswith(begins) else line[0], text)
    rows = _rows(text.rstrip("\r\n") + "\n", mark, where)
    ruled = [_is_ruled(row, mark) for row in rows]
    rows = [[] if drawn else row for row, drawn in zip(rows, ruled, strict=True)]
    if mark == "|" and any(ruled):
        plain = [list(map(_without_emphasis, row)) for row in rows]
        changed = sum(
            one != other for row, own in zip(rows, plain, strict=True) for one, other in zip(row, own, strict=True)
        )
        said += [f"signs around cells that only make them bold or slanted, taken away: {changed:,}"] if changed else []
        rows = plain
    rows, heads, spots, aside = _without_page_heads(rows, text)
    said += heads
    rows, none, quoted, head = _with_comment_heads(rows, mark)
    said += quoted
    control = control_lines(rows)
    if control.lines:
        said += control.said
        aside = {
            **aside,
            "cells of control lines": sum(bool(cell.strip()) for at in control.lines for cell in rows[at]),
        }
        rows = [[] if at in control.lines else row for at, row in enumerate(rows)]
    width = max(map(len, rows), default=0)
    hold_room(len(rows), width, where)
    if len(text) > limits().letters:
        hold("letters", max((len(cell) for row in rows for cell in row), default=0), where)
    values = np.full((len(rows), width), "", dtype=object)
    for number, row in enumerate(rows):
        values[number, : len(row)] = row
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    hints = Hints(delimiter=mark, none=frozenset(none), heads=head, headless=control.headless)
    return Sheet(
        name, values, kinds, source=str(path), textual=True, hints=hints, told=tuple(said), spots=spots, aside=aside
    )


def _without_page_heads(
    rows: list[list[str]], text: str
) -> tuple[list[list[str]], list[str], list[tuple[str, str]], dict[str, int]]:
    """The rows without page heads that say the same again, what is told of these, where the file has the others, what was left.

    Only where no cell has a line end.
    """
    lines = Lines([" ".join(filter(None, map(str.strip, row))) for row in rows], range(len(rows)))
    if len(numbered_pages(lines.texts)) < _FEWEST_PAGES or text.count("\n") != len(rows):
        return rows, [], [], {}
    kept, gone = without_page_heads(lines)
    if not gone:
        return rows, [], [], {}
    said = f"page heads that say the same again, set aside: {len(gone):,} lines (the first is line {min(gone) + 1:,})"
    spots = [(kept.where(at), kept.texts[at]) for at in range(len(kept.texts))]
    aside = {"cells of page heads said again": sum(bool(cell.strip()) for at in gone for cell in rows[at])}
    return [rows[at] for at in kept.numbers], [said], spots, aside


def _with_comment_heads(rows: list[list[str]], mark: str = ",") -> tuple[list[list[str]], list[str], list[str], int]:
    """The rows with headings and units that comments state; marks for no value; what is told; the row of the headings, or -1.

    >>> _with_comment_heads([["% columns: depth", " salt"], ["% missing: -9.99"], ["5", "34"], ["10", "-9.99"]])[:2]
    ([['depth', 'salt'], [], ['5', '34'], ['10', '-9.99']], ['-9.99'])
    """
    if not rows or not any(row and row[0].lstrip()[:1] in _COMMENTS for row in rows[:_COMMENT_LINES]):
        return rows, [], [], -1
    width = Counter(len(row) for row in rows if len(row) > 1 and row[0].lstrip()[:1] not in _COMMENTS)
    common = width.most_common(1)[0][0] if width else 0
    found = list(rows)
    none: list[str] = []
    said: list[str] = []
    head = -1
    for at, row in enumerate(rows[:_COMMENT_LINES]):
        match = _SAYS_NAMES.fullmatch(row[0]) if row else None
        cells = [match["first"].strip(), *map(str.strip, row[1:])] if match else []
        if match and match["key"].casefold() in _NONE_KEYS and len(cells) == 1:
            none.append(cells[0].casefold())
            said.append(f"{row[0].strip()!r} says that {cells[0]!r} stands for no value")
        elif not match and head < 0 and _names_all(found, at, common):
            found[at] = [row[0].lstrip("#%;! "), *row[1:]]
            head = at
        elif match and len(cells) == common:
            found[at] = cells
            head = at if head < 0 and not match["key"].casefold().startswith("unit") else head
    sign = rows[0][0].lstrip()[:1] if rows[0] else ""
    for at in range(max(head, 0) + 1, len(rows)) if head >= 0 and sign in _COMMENTS else ():
        if len(rows[at]) > 1 and rows[at][0].lstrip()[:1] == sign:
            found[at] = [mark.join(rows[at])]  # a comment is one text, whatever stands in it
    below = next((row for row in found[head + 1 :] if row and row[0].lstrip()[:1] not in _COMMENTS), [])
    figures = len(below) == common and all(any(map(str.isdigit, cell)) for cell in below)
    plain = head >= 0 and figures and not _has_sections(found[head + 1 :], common)
    if plain:
        for at in range(head + 1, found.index(below)):
            found[at] = []  # what a comment says between the headings and the cells is no record
    return found, none, said, head if plain else -1


def _has_sections(rows: list[list[str]], width: int) -> bool:
    """Whether comments stand between rows of cells: they may head what follows."""
    kinds = [len(row) == width and row[0].lstrip()[:1] not in _COMMENTS for row in rows if row]
    last = len(kinds) - kinds[::-1].index(True) if True in kinds else 0
    return True in kinds and False in kinds[kinds.index(True) : last]


def _names_all(rows: list[list[str]], at: int, width: int) -> bool:
    """Whether a comment names the columns: as many words as there are cells, above the first row of cells."""
    row = rows[at]
    if width < 2 or len(row) != width or row[0].lstrip()[:1] not in _COMMENTS:
        return False
    words = [cell.strip(" #%;!") for cell in row]
    above = all(one[0].lstrip()[:1] in _COMMENTS for one in rows[:at] if one and one[0].strip())
    return above and all(words) and len(set(words)) == width and not any(map(str.isdigit, "".join(words)))


def _rows(text: str, mark: str, where: Place) -> list[list[str]]:
    # Lines end at line ends only: a form feed or a U+2028 inside a cell parts nothing.
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=mark, quotechar=quote_of(text, mark))
    try:
        return list(reader)
    except csv.Error as error:
        at = Place(where.file, line=reader.line_num)
        raise SourceError("a line can't be split into cells", at, why=str(error), do="Check its quotes") from error


def _is_ruled(row: list[str], mark: str) -> bool:
    """Whether a row only draws a line: "|----|---:|", "+====+===+"; three signs may mean that a value is missing.

    >>> _is_ruled(["", "-----", "---:", ""], "|"), _is_ruled(["", "---", "---"], ";"), _is_ruled(["a", "-----"], "|")
    (True, False, False)
    """
    if not row or row[0][:1].isalnum():
        return False
    cells = [cell.strip() for cell in row if cell.strip()]
    if len(cells) == 1:
        return _DRAWN.fullmatch(cells[0]) is not None
    return all(map(_RULE.fullmatch, cells)) and len(cells) > 1 and (mark == "|" or max(map(len, cells)) > _LONGEST_MARK)


def _without_emphasis(cell: str) -> str:
    """A cell of a table drawn with bars, without the signs around it that only make it bold or slanted.

    >>> _without_emphasis(" **Total** "), _without_emphasis("*9,810*"), _without_emphasis("410*"), _without_emphasis("**")
    ('Total', '9,810', '410*', '**')
    """
    found = _EMPHASIS.fullmatch(cell.strip())
    return found["text"] if found else cell


def delimiter(text: str) -> str:
    r"""The delimiter under which most lines have the same number of cells; '' if the text is laid out by blanks.

    >>> delimiter("Returns of 2031\nSailing;Cars\n08:00;1,5\n10:00;2,5\n")
    ';'
    >>> delimiter("Crew,Papers\nAnn,Radio; Deck\nBo,Radio; Deck\n")
    ','
    >>> delimiter("Lane      Q1     Q2\nLane 37  3,008    363\nLane 31  1,467  3,577\n")
    ''
    >>> delimiter("No  Name        Rank\n 1  Berg, Anna  Mate\n 2  Lund, Bo    Cook\n 3  Falk, Eva   Mate\n")
    ''
    """
    every = (line.rstrip("\r\n") for line in islice(io.StringIO(text, newline=""), _LINES) if line.strip())
    lines = [line for line in every if not _DRAWN.fullmatch(line.strip())]
    if odd := _between_quotes(lines) or _by_colons(lines):
        return odd
    worth = {mark: _alike(lines, mark) for mark in _DELIMITERS}
    # Of several that part most lines alike the one that parts most of them counts: others stand inside the cells.
    sure = max(_DELIMITERS, key=lambda mark: worth[mark][0])
    best = sure if 2 * worth[sure][0] > len(lines) else max(_DELIMITERS, key=lambda mark: worth[mark])
    parts_most = 2 * worth[best][0] > len(lines)
    printed = is_printed(text[:_HEAD]) or are_cards(lines) or (not parts_most and with_words_apart(lines) != lines)
    inside = parts_most and (_only_groups(lines, best) or (best == "," and typical_runs(lines) > worth[best][1]))
    return "" if printed and (not parts_most or inside) else best


def _between_quotes(lines: list[str]) -> str:
    """A sign that is no usual delimiter and stands between quoted cells on all lines: "a":"b"; '' if there is none.

    >>> _between_quotes(['"Part":"Price"', '"Hose: red":"4.15"']), _between_quotes(['"a","b"'])
    (':', '')
    """
    found = {frozenset(_QUOTED.findall(line)) for line in lines if line.strip()}
    signs = found.pop() if len(found) == 1 else frozenset()
    (sign,) = signs if len(signs) == 1 else ("",)
    return sign if sign not in _DELIMITERS else ""


def _by_colons(lines: list[str]) -> str:
    """A colon, where nearly all lines that are no comments have as many of them, none before a blank or within a time; else ''.

    >>> _by_colons(["# code:port:land", "HAL:Hallan:N", "BRA:Brae:N", "WIC:Wick:S"]), _by_colons(["Vessel: Gull", "Built: 2001"])
    (':', '')
    """
    plain = [line for line in lines if line.lstrip()[:1] not in _COMMENTS]
    counts = Counter(line.count(":") for line in plain)
    common, often = counts.most_common(1)[0] if counts else (0, 0)
    if common < 1 or len(plain) < _FEWEST_COLONS or often < _MOSTLY * len(plain):
        return ""
    signs = sum(line.count(":") for line in plain)
    other = sum(len(_NO_DELIMITER.findall(line)) for line in plain)
    return (
        ":"
        if other <= (1 - _MOSTLY) * signs
        and not any(sign in line for line in plain[:_FEWEST_COLONS] for sign in "\t;|")
        else ""
    )


def _only_groups(lines: list[str], mark: str) -> bool:
    """Whether a comma hardly stands anywhere but between digits and three digits: it parts thousands, and no cells."""
    signs = sum(line.count(mark) for line in lines)
    groups = sum(len(_GROUPED.findall(line)) for line in lines) if mark == "," else 0
    return signs > 0 and groups >= _MOSTLY * signs


def quote_of(text: str, mark: str) -> str:
    r"""The sign that cells are quoted by: a single one where nearly all cells of words begin and end with it.

    >>> quote_of("'vessel';'built'\n'Gull';2001\n", ";"), quote_of("vessel;built\n'Gull';2001\n", ";")
    ("'", '"')
    """
    if text[:_HEAD].count("'") < _FEWEST_QUOTES or '"' + mark in text or mark + '"' in text:
        return '"'
    lines = islice(io.StringIO(text[:_HEAD], newline=""), _LINES)
    cells = [cell.strip() for line in lines for cell in line.strip().split(mark) if any(map(str.isalpha, cell))]
    quoted = sum(cell[:1] == "'" and cell[-1:] == "'" and len(cell) > 1 for cell in cells)
    return "'" if quoted >= _MOSTLY * max(len(cells), 1) else '"'


def _plainly_quoted(text: str, mark: str) -> str:
    """A delimiter, if double signs quote the cells; '' otherwise."""
    return mark if mark and quote_of(text, mark) == '"' else ""


def _alike(lines: list[str], mark: str) -> tuple[int, int]:
    """How many lines have the same number of cells, at least two, and that number."""
    quote = quote_of("\n".join(lines), mark)
    counts = Counter(len(row) for row in csv.reader(lines, delimiter=mark, quotechar=quote) if len(row) > 1)
    return max(((alike, cells) for cells, alike in counts.items()), default=(0, 0))
