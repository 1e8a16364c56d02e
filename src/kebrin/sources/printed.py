"""Print reports (text laid out by blanks) as reports: pages joined, columns found by alignment over the whole report.

A line of figures shows where the columns end: figures stand flush right under one another, words flush left. Page heads, ruled
lines and overprinting are set aside; what they say once stays.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Hints, Sheet, kinds_of
from kebrin.grammar.periods import period_name
from kebrin.grammar.reading import Look, read_text
from kebrin.grammar.words import total_word

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

_RULE = re.compile(r"[\s\-=_+|*~.:─━═]*[-=_─━═]{3,}[\s\-=_+|*~.:─━═]*|[\s*~.]*[*~]{3,}[\s*~]*")
_PAGE = re.compile(r"\b(?:page|pg|seite|blatt|pagina|página|sida|side)\b\.?\s*:?\s*\d+", re.IGNORECASE)
_STAMP = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}:\d{2}")
_FIELD = re.compile(r"\s*(?P<name>[^\W\d_][^:]{0,38}?)(?:\s*\.)*\s*:\s+(?P<value>\S.*?)\s*")
_GAP = re.compile(r" {2,}")
# Of the lines of figures so many at most may reach over a gap between columns.
_OVER = 0.02
# Headings over several columns may be off their middle by so much of a column.
_OFF, _MOST_COLUMNS = 0.35, 60
_FEWEST, _HEAD_LINES, _MANY = 3, 12, 12


@dataclass(frozen=True)
class _Line:
    """One line of the report: its number in the file (0-based), and what it says."""

    number: int
    text: str


@dataclass(frozen=True)
class Field:
    """A run of text without a gap in one line: where it begins and ends."""

    left: int
    right: int
    text: str

    @property
    def is_figure(self) -> bool:
        """Whether it reads as a number or a mark for none."""
        return read_text(self.text).look in {Look.NUMBER, Look.MARKED, Look.FIGURE, Look.MISSING}


@dataclass(frozen=True)
class Printed:
    """A print report as a grid: its sheet, the line of the file that each row is, and what is said of what was set aside."""

    sheet: Sheet
    lines: tuple[int, ...]
    said: str = ""


def is_printed(text: str) -> bool:
    r"""Whether a text is laid out by blanks: most of its lines hold several runs of text with gaps between them.

    >>> is_printed("Lane        Q1       Q2\nLane 37   3,008      363\nLane 31  18,467   35,577\n")
    True
    >>> is_printed("Lane,Q1,Q2\nLane 37,3008,363\n")
    False
    """
    lines = [line for line in text.replace("\f", "\n").splitlines() if line.strip() and not _RULE.fullmatch(line)]
    if "\t" in text or len(lines) < 2:
        return False
    parted = [_fields(line.expandtabs()) for line in lines]
    figures = sum(len(fields) > 1 and any(one.is_figure for one in fields[1:]) for fields in parted)
    keys = sum(
        len(fields) < 2 and _FIELD.fullmatch(line) is not None for fields, line in zip(parted, lines, strict=True)
    )
    return 2 * figures >= max(len(lines) - keys - _HEAD_LINES, _FEWEST - 1)


def lay_out(text: str, name: str, source: str) -> Printed:
    """A print report as a sheet: a row per line that says something, page heads and ruled lines set aside."""
    lines, pages = _without_page_heads(_lines(text))
    kept = [line for line in lines if not _RULE.fullmatch(line.text) or not line.text.strip()]
    placed = [Placed(line.number, line.text, tuple(_fields(line.text))) for line in kept]
    said = f"{pages:,} page heads that say the same again were set aside" if pages else ""
    return grid(placed, name, source, said=said)


@dataclass(frozen=True)
class Placed:
    """One line with its runs of text by place: in letters, or in points of a page (`parted` if no run can be parted further)."""

    number: int
    text: str
    fields: tuple[Field, ...]
    parted: bool = False


def grid(placed: Sequence[Placed], name: str, source: str, *, near: int = 2, said: str = "") -> Printed:
    """Placed lines as a sheet; columns less than `near` apart are one, unless figures end in the first."""
    loose = [one for one in placed if not (_is_key(one.text) or _is_stamp(one.text, one.fields))]
    columns = _edges([one.fields for one in loose], near)
    bare = {id(one) for one in placed} - {id(one) for one in loose}
    rows: list[list[str]] = []
    merges: list[Area] = []
    numbers: list[int] = []
    first = next((at for at, one in enumerate(placed) if id(one) not in bare and _is_body(one.fields)), len(placed))
    for at, one in enumerate(placed):
        if not one.text.strip() and rows and not any(rows[-1]):
            continue  # one blank line parts as well as several
        row = _bare(one.text, len(columns)) if id(one) in bare else _row(one, columns, head=at < first)
        merges += [Area(len(rows), left, len(rows), right) for left, right in row.spans]
        rows.append(row.cells)
        numbers.append(one.number)
    width = max(map(len, rows), default=1)
    values = np.full((len(rows), width), "", dtype=object)
    for number, cells in enumerate(rows):
        values[number, : len(cells)] = cells
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    sheet = Sheet(name, values, kinds, tuple(merges), source, textual=True, hints=Hints())
    return Printed(sheet, tuple(numbers), said)


def _is_body(fields: Sequence[Field]) -> bool:
    """Whether a line has a figure behind its first run of text that is no year or period."""
    return any(one.is_figure and not period_name([one.text]) for one in fields[1:])


def _lines(text: str) -> list[_Line]:
    """The lines of a text, tabs as blanks, what was printed over itself once; a form feed ends a line too."""
    found = []
    for number, line in enumerate(text.replace("\r\n", "\n").split("\n")):
        for part in line.split("\f"):
            over = [one for one in part.split("\r") if one.strip()]
            plain = [one for one in over if not _RULE.fullmatch(one)] or over
            found.append(_Line(number, (plain[0] if plain else "").expandtabs().rstrip()))
    return found


def _without_page_heads(lines: list[_Line]) -> tuple[list[_Line], int]:
    """The lines without heads that a page before had already, and how many pages these were."""
    starts = _page_starts(lines)
    if len(starts) < 2:
        return lines, 0
    first = [line.text for line in lines[starts[0] : starts[0] + _HEAD_LINES]]
    gone: set[int] = set()
    for start in starts[1:]:
        for at, head in enumerate(first):
            if start + at >= len(lines) or not _same_head(head, lines[start + at].text):
                break
            gone.add(start + at)
    kept = [line for at, line in enumerate(lines) if at not in gone]
    return kept, len(starts) - 1


def _page_starts(lines: Sequence[_Line]) -> list[int]:
    """Where pages begin: at the first of the lines that come again with each page number."""
    forms = [re.sub(r"\d+", "0", " ".join(line.text.split())) for line in lines]
    marked = [at for at, line in enumerate(lines) if _PAGE.search(line.text)]
    common = Counter(forms[at] for at in marked).most_common(1)
    if common and common[0][1] > 1:
        at = [one for one in marked if forms[one] == common[0][0]]
    else:
        again = Counter(form for form in forms if form)
        heads = [form for form in dict.fromkeys(forms) if again[form] > 1 and not _has_figures(form)]
        if not heads:
            return []
        at = [one for one, form in enumerate(forms) if form == heads[0]]
        if at[0] > _HEAD_LINES or len({lines[one].text for one in at}) > 1:
            return []
    up = 0  # the head may begin above the line with the number
    while at[0] - up - 1 >= 0 and len({forms[one - up - 1] for one in at}) == 1 and forms[at[0] - up - 1]:
        up += 1
    return [one - up for one in at]


def _has_figures(form: str) -> bool:
    return bool(re.search(r"0", form))


def _same_head(head: str, line: str) -> bool:
    """Whether a line says what the first page's head says there: the same, but for the page and the time."""
    if head.split() == line.split():
        return True
    if not (_PAGE.search(head) or _STAMP.search(head)):
        return False
    return re.sub(r"\d+", "0", "".join(head.split())) == re.sub(r"\d+", "0", "".join(line.split()))


def _is_key(line: str) -> bool:
    """Whether a line is a key and its value, with nothing beside them."""
    match = _FIELD.fullmatch(line)
    return match is not None and not _GAP.search(match["value"])


def _is_stamp(line: str, runs: Sequence[Field]) -> bool:
    """Whether a line only says which page it is, or when it was printed: it is laid out by no columns."""
    fields = [one.text for one in runs]
    figures = [text for text in fields if Field(0, 0, text).is_figure]
    if _PAGE.search(line):
        return len(figures) < _FEWEST
    return (
        bool(fields)
        and len(fields) < _FEWEST
        and not figures
        and _STAMP.search(fields[-1]) is not None
        and "  " not in line.strip()
    )


def _fields(line: str) -> list[Field]:
    """The runs of text of a line: parted by two blanks or more, and figures by one."""
    found: list[Field] = []
    for match in re.finditer(r"\S+(?: \S+)*", line):
        whole = Field(match.start(), match.end(), match[0])
        parts = [
            Field(match.start() + one.start(), match.start() + one.end(), one[0])
            for one in re.finditer(r"\S+", match[0])
        ]
        # Words and figures side by side are one text; figures alone are a column each.
        found += parts if len(parts) > 1 and all(one.is_figure for one in parts) else [whole]
    return found


def _edges(parted: Sequence[Sequence[Field]], near: int) -> list[tuple[int, int]]:
    """The columns: where each begins and ends, by the gaps that nearly all lines of figures share."""
    lines = [
        fields
        for fields in parted
        if len(fields) > 1 and any(one.is_figure for one in fields[1:]) and not total_word(fields[0].text)
    ]
    if len(lines) < 2:
        lines = [fields for fields in parted if len(fields) > 1]
    width = max((one.right for fields in lines for one in fields), default=0)
    if not width:
        return []
    used = np.zeros(width + 1, np.int64)
    for fields in lines:
        for one in fields:
            used[one.left : one.right] += 1
    blank = used <= _OVER * len(lines) + (len(lines) >= _MANY)
    columns: list[tuple[int, int]] = []
    at = 0
    while at < width:
        if blank[at]:
            at += 1
            continue
        end = at
        while end < width and not blank[end]:
            end += 1
        columns.append((at, end))
        at = end
    return _merged(columns, lines, near)


def _merged(columns: list[tuple[int, int]], lines: Sequence[Sequence[Field]], near: int) -> list[tuple[int, int]]:
    """Columns one blank apart are one, unless figures end in the first: "Lane 37" is a label, and no two columns."""
    found: list[tuple[int, int]] = []
    for left, right in columns:
        if found and left - found[-1][1] < near:
            ends = [one for fields in lines for one in fields if one.right == found[-1][1]]
            if not ends or sum(one.is_figure for one in ends) * 2 < len(ends):
                found[-1] = (found[-1][0], right)
                continue
        found.append((left, right))
    return found


@dataclass(frozen=True)
class _Row:
    """One row of the grid: its cells, and which of them reach over several columns."""

    cells: list[str]
    spans: list[tuple[int, int]]


def _bare(text: str, width: int) -> _Row:
    """A line that is laid out by no columns: a key and its value, or what is said of the page."""
    key = _FIELD.fullmatch(text) if _is_key(text) else None
    said = " ".join(text.split()) if key is None else f"{key['name'].strip()}: {key['value']}"
    return _Row([said, *[""] * (width - 1)], [])


def _row(line: Placed, columns: Sequence[tuple[int, int]], *, head: bool) -> _Row:
    """A line as cells."""
    cells = [""] * max(len(columns), 1)
    spans: list[tuple[int, int]] = []
    parts = list(line.fields) if line.parted else [part for one in line.fields for part in _parts(one, columns)]
    wide = _spanners(parts, columns) if head else {}
    for number, one in enumerate(parts):
        over = [at for at, (left, right) in enumerate(columns) if one.left < right and one.right > left]
        at = over[0] if over else _nearest(one, columns)
        if number in wide:
            at = wide[number][0]
            spans += [wide[number]] if wide[number][0] < wide[number][1] else []
        elif len(over) > 1 and one.is_figure:
            at = over[-1]
        elif len(over) > 1 and len(parts) > 1 and not cells[at] and not total_word(one.text):
            spans.append((over[0], over[-1]))
        said = one.text.strip("-=<> ") if len(over) > 1 else one.text
        cells[at] = f"{cells[at]} {said}".strip()
    return _Row(cells, spans)


def _spanners(parts: Sequence[Field], columns: Sequence[tuple[int, int]]) -> dict[int, tuple[int, int]]:
    """Headings in the middle over several columns: which columns each stands over, if all stand well in the middle of theirs.

    The columns are parted among the headings so that the middles differ least.
    """
    left = min((one.left for one in parts), default=0)
    own = [at for at, (_, right) in enumerate(columns) if right > left]
    count = len(parts)
    if count < 1 or len(own) <= count or not own:
        return {}
    # The first columns may be those of labels, without a heading on this line.
    best: tuple[float, list[tuple[int, int]]] | None = None
    for begin in range(len(own) - count):
        found = _parted(parts, [columns[at] for at in own[begin:]])
        if found is not None and (best is None or found[0] < best[0] - 1e-9):
            best = (found[0], [(own[begin + first], own[begin + last]) for first, last in found[1]])
    if best is None:
        return {}
    width = max((columns[own[-1]][1] - columns[own[0]][0]) / len(own), 1)
    return dict(enumerate(best[1])) if best[0] <= _OFF * width * count else {}


def _parted(parts: Sequence[Field], columns: Sequence[tuple[int, int]]) -> tuple[float, list[tuple[int, int]]] | None:
    """The columns in consecutive groups, one for each part, whose middles differ least from those of the parts."""
    count, many = len(parts), len(columns)
    if many < count or many > _MOST_COLUMNS:
        return None
    middles = [(one.left + one.right) / 2 for one in parts]
    costs: list[dict[int, tuple[float, int]]] = [{0: (0.0, 0)}]
    for middle in middles:
        now: dict[int, tuple[float, int]] = {}
        for start, (cost, _) in costs[-1].items():
            for stop in range(start + 1, many + 1):
                off = abs((columns[start][0] + columns[stop - 1][1]) / 2 - middle)
                if stop not in now or cost + off < now[stop][0]:
                    now[stop] = (cost + off, start)
        costs.append(now)
    if many not in costs[-1]:
        return None
    groups: list[tuple[int, int]] = []
    stop = many
    for at in range(count, 0, -1):
        start = costs[at][stop][1]
        groups.append((start, stop - 1))
        stop = start
    return costs[-1][many][0], groups[::-1]


def _parts(one: Field, columns: Sequence[tuple[int, int]]) -> Iterable[Field]:
    """A run of text that reaches over a gap between columns, parted there if it has a blank all along it."""
    start = one.left
    for (_, right), (left, _) in pairwise(columns):
        if not start < right < one.right or not left < one.right:
            continue
        gap = one.text[right - one.left : left - one.left]
        if gap and not gap.strip():
            yield Field(start, right, one.text[start - one.left : right - one.left].strip())
            start = left
    yield Field(start, one.right, one.text[start - one.left :].strip())


def _nearest(one: Field, columns: Sequence[tuple[int, int]]) -> int:
    """The column nearest to a run of text: by its right end or its left, whichever is nearer."""
    if not columns:
        return 0
    gaps = [min(abs(one.right - right), abs(one.left - left)) for left, right in columns]
    return gaps.index(min(gaps))
