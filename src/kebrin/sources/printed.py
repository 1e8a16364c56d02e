"""Print reports (text laid out by blanks) as reports: pages joined, columns found by alignment over the whole report.

A line of figures shows where the columns end: figures stand flush right under one another, words flush left. Page heads, ruled
lines and overprinting are set aside; what they say once stays.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Sheet, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources.aligned import Columns, Field, Placed, Row, field_of, is_body, reads_as_figure
from kebrin.sources.folded import unfolded
from kebrin.sources.limits import hold, hold_room
from kebrin.sources.stated import StatedText

if TYPE_CHECKING:
    from collections.abc import Sequence

_RULE = re.compile(r"[\s\-=_+|*~.:─━═]*[-=_─━═]{3,}[\s\-=_+|*~.:─━═]*|[\s*~.]*[*~]{3,}[\s*~]*")
_PAGE = re.compile(r"\b(?:page|pg|seite|blatt|pagina|página|sida|side)\b\.?\s*:?\s*\d+", re.IGNORECASE)
_PAGE_BEGINS = ("pag", "pág", "pg", "seite", "blatt", "sid")  # looked for first, for that is quick
_STAMP = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}:\d{2}")
_FIELD = re.compile(r"\s*(?P<name>[^\W\d_][^:]{0,38}?)(?:\s*\.)*\s*:\s+(?P<value>\S.*?)\s*")
_GAP, _WORD, _RUN = re.compile(r" {2,}"), re.compile(r"\S+"), re.compile(r"\S+(?: \S+)*")
_FEWEST, _HEAD_LINES, _MOSTLY = 3, 12, 0.7
# So many runs of text are two labels with what they say.
_PAIRED = 4


@dataclass(frozen=True)
class _Line:
    """One line of the report: its number in the file (0-based), and what it says."""

    number: int
    text: str


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
    if 2 * figures >= max(len(lines) - keys - _HEAD_LINES, _FEWEST - 1):
        return True
    starts = Counter(one.left for fields in parted for one in fields[1:])
    several = [fields for fields in parted if len(fields) > 1]
    flush = sum(all(starts[one.left] >= max(_FEWEST, len(lines) / 4) for one in fields[1:]) for fields in several)
    return flush >= _MOSTLY * len(several) and len(several) > _FEWEST and 2 * len(several) > len(lines)


def lay_out(text: str, name: str, source: str, stated: StatedText | None = None) -> Sheet:
    """A print report as a sheet: a row per record or line that says something, page heads and ruled lines set aside."""
    stated = stated or StatedText()
    every = _lines(text)
    hold("letters", max((len(one.text) for one in every), default=0), Place(source, name))
    lines, pages = _without_page_heads([one for one in every if not _begins(one.text, stated.skip)], stated.pages)
    kept = [line for line in lines if not _RULE.fullmatch(line.text) or not line.text.strip()]
    placed = [
        Placed(
            f"line {line.number + 1:,}",
            line.text,
            tuple(_cut(line.text, stated.columns) if stated.columns else _fields(line.text)),
            parted=bool(stated.columns),
        )
        for line in kept
    ]
    bare = frozenset(at for at, one in enumerate(placed) if _is_bare(one, stated))
    unfold = unfolded(placed, bare, stated.lines)
    if stated.lines > 1 and len(unfold) == len(placed):
        raise _no_effect(f"lines = {stated.lines}", "its records do not take so many lines", source)
    if stated.pages and not any(_begins(one.text, (stated.pages,)) for one in every):
        raise _no_effect(f"pages = {stated.pages!r}", "no line begins so", source)
    told = [f"page heads that say the same again, set aside: {pages:,}"] if pages else []
    told += told_of_lines([one.text for one in every], stated)
    printed = grid(unfold, name, source, stated=stated)
    return replace(printed, told=tuple(told))


def told_of_lines(lines: Sequence[str], stated: StatedText) -> list[str]:
    """What is said of lines that a person states: how many were passed over, and what no line begins with."""
    passed = sum(_begins(line, stated.skip) for line in lines)
    absent = [word for word in (*stated.skip, *stated.sections) if not any(_begins(line, (word,)) for line in lines)]
    return [
        *([f"lines passed over, as the plan states: {passed:,}"] if passed else []),
        *(f"no line begins with {word!r}, which the plan states in text" for word in absent),
    ]


def _no_effect(what: str, why: str, source: str) -> SourceError:
    return SourceError(
        f"{what} is stated for this text and has no effect", Place(source), why=why,
        do="Correct text in the plan, or leave it out",
    )  # fmt: skip


def _begins(line: str, words: Sequence[str]) -> bool:
    return bool(words) and line.lstrip().startswith(tuple(words))


def _is_bare(line: Placed, stated: StatedText) -> bool:
    """Whether a line is laid out by no columns."""
    if _begins(line.text, stated.sections) or (stated.columns and not line.fields and line.text.strip()):
        return True
    if ":" not in line.text:
        return _is_stamp(line.text, line.fields)
    return _is_key(line.text) or _is_stamp(line.text, line.fields) or bool(_pairs(line.fields))


def grid(placed: Sequence[Placed], name: str, source: str, *, near: int = 2, stated: StatedText | None = None) -> Sheet:
    """Placed lines as a sheet; columns less than `near` apart are one, unless figures end in the first."""
    stated = stated or StatedText()
    hold("letters", round(max((one.right for line in placed for one in line.fields), default=0)), Place(source, name))
    bare = {at for at, one in enumerate(placed) if _is_bare(one, stated)}
    body = [at for at, one in enumerate(placed) if at not in bare and is_body(one.fields)]
    columns = Columns.of(
        [one.fields for at, one in enumerate(placed) if at not in bare],
        near,
        tuple((left - 1, right) for left, right in stated.columns),
    )
    # Without figures the first line of several runs heads the rest.
    several = next((at + 1 for at, one in enumerate(placed) if at not in bare and len(one.fields) > 1), len(placed))
    first = body[0] if body else several
    bare |= {at for at in range(first - 1) if len(placed[at].fields) == 1 and not placed[at + 1].text.strip()}  # titles
    heads = {one.text for one in placed[:first]} - {""}  # said again on later pages they are laid out alike
    spaced = _spaced_pairs(placed[:first])
    rows: list[list[str]] = []
    merges: list[Area] = []
    spots: list[tuple[str, str]] = []
    for at, one in enumerate(placed):
        if not one.text.strip() and rows and not any(rows[-1]):
            continue  # one blank line parts as well as several
        plain = columns.heading if at < first or one.text in heads else columns.row
        row = Row(spaced[at], []) if at in spaced else _bare(one, len(columns)) if at in bare else plain(one)
        merges += [Area(len(rows), left, len(rows), right) for left, right in row.spans]
        rows.append(row.cells)
        spots.append((one.where, one.text))
    width = max(map(len, rows), default=1)
    hold_room(len(rows), width, sum(len(one.fields) for one in placed), Place(source, name))
    values = np.full((len(rows), width), "", dtype=object)
    for number, cells in enumerate(rows):
        values[number, : len(cells)] = cells
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    return Sheet(name, values, kinds, tuple(merges), source, textual=True, spots=tuple(spots))


def _lines(text: str) -> list[_Line]:
    """The lines of a text, tabs as blanks, what was printed over itself once; a form feed ends a line too."""
    found = []
    for number, line in enumerate(text.replace("\r\n", "\n").split("\n")):
        for part in line.split("\f"):
            over = [one for one in part.split("\r") if one.strip()]
            plain = [one for one in over if not _RULE.fullmatch(one)] or over
            found.append(_Line(number, (plain[0] if plain else "").expandtabs().rstrip()))
    return found


def _without_page_heads(lines: list[_Line], begin: str = "") -> tuple[list[_Line], int]:
    """The lines without heads that a page before had already, and how many pages these were; `begin` is how each begins."""
    starts = [at for at, one in enumerate(lines) if _begins(one.text, (begin,))] if begin else _page_starts(lines)
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
    marked = [at for at, line in enumerate(lines) if _says_page(line.text)]
    common = Counter(forms[at] for at in marked).most_common(1)
    if common and common[0][1] > 1:
        at = [one for one in marked if forms[one] == common[0][0]]
    else:
        again = Counter(form for form in forms if form)
        heads = [form for form in dict.fromkeys(forms) if again[form] > 1 and not _has_figures(form)]
        if not heads:
            return []
        at = [one for one, form in enumerate(forms) if form == heads[0]]
        if any(forms[: at[0]]) or len({lines[one].text for one in at}) > 1:
            return []
    up = 0  # the head may begin above the line with the number
    while at[0] - up - 1 >= 0 and len({forms[one - up - 1] for one in at}) == 1 and forms[at[0] - up - 1]:
        up += 1
    return [one - up for one in at]


def _says_page(line: str) -> bool:
    """Whether a line says which page it is."""
    low = line.lower()
    return any(word in low for word in _PAGE_BEGINS) and _PAGE.search(line) is not None


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
    match = _FIELD.fullmatch(line) if ":" in line else None
    return match is not None and not _GAP.search(match["value"]) and not _GAP.search(match["name"])


def _pairs(runs: Sequence[Field]) -> list[str]:
    """The keys of a line with their values ("Master: Ada Holm"), two or more side by side; none if it holds anything else."""
    found: list[str] = []
    name = ""
    for one in runs:
        text = one.text.strip()
        if name:
            if text.endswith(":"):
                return []
            found.append(f"{name} {text}")
            name = ""
        elif text.endswith(":") and any(map(str.isalpha, text)):
            name = text
        elif (match := _FIELD.fullmatch(text)) is not None:
            found.append(f"{match['name'].strip()}: {match['value']}")
        else:
            return []
    return found if len(found) > 1 and not name else []


def _spaced_pairs(above: Sequence[Placed]) -> dict[int, list[str]]:
    """Lines of labels and what they say, side by side and without colons, as cells with a gap between the pairs.

    They stand one below the other, as many on each, and a blank line parts them from the headings.
    """
    found: dict[int, list[str]] = {}
    group: list[int] = []
    for at, line in enumerate(above):
        runs = [one.text for one in line.fields]
        if runs and len(runs) % 2 == 0 and len(runs) >= _PAIRED and not any(one.is_figure for one in line.fields):
            group.append(at)
            continue
        counts = {len(above[one].fields) for one in group}
        labels = [run.text for one in group for run in above[one].fields[::2]]
        plain = all(len(text.split()) <= _FEWEST and not any(map(str.isdigit, text)) for text in labels)
        if not line.text.strip() and len(group) > 1 and len(counts) == 1 and plain and len(set(labels)) == len(labels):
            for one in group:
                texts = [run.text for run in above[one].fields]
                found[one] = [text for place in range(0, len(texts), 2) for text in (*texts[place : place + 2], "")]
        group = []
    return found


def _is_stamp(line: str, runs: Sequence[Field]) -> bool:
    """Whether a line only says which page it is, or when it was printed: it is laid out by no columns."""
    if not runs or len(runs) > _FEWEST + 1:
        return False
    if _says_page(line):
        return sum(one.is_figure for one in runs) < _FEWEST
    alone = len(runs) == 1 and not runs[0].is_figure
    return alone and _STAMP.search(line) is not None


def _fields(line: str) -> list[Field]:
    """The runs of text of a line: parted by two blanks or more, and figures by one."""
    found: list[Field] = []
    for match in _RUN.finditer(line):
        begin, text = match.start(), match[0]
        # Words and figures side by side are one text; figures alone are a column each.
        if " " in text and all(map(reads_as_figure, text.split(" "))):
            found += [Field(begin + one.start(), begin + one.end(), one[0], True) for one in _WORD.finditer(text)]
        else:
            found.append(Field(begin, match.end(), text, reads_as_figure(text)))
    return found


def _cut(line: str, columns: Sequence[tuple[int, int]]) -> list[Field]:
    """The runs of text of a line at stated places; none if it does not keep to them."""
    inside = [" "] * len(line)
    found = []
    for left, right in columns:
        part = line[left - 1 : right]
        inside[left - 1 : right] = part
        begin = left - 1 + len(part) - len(part.lstrip())
        if part.strip():
            found.append(field_of(begin, begin + len(part.strip()), part.strip()))
    return found if "".join(inside) == line else []


def _bare(line: Placed, width: int) -> Row:
    """A line that is laid out by no columns: keys and their values, or what is said of the page."""
    pairs = _pairs(line.fields)
    if pairs:
        return Row([*pairs, *[""] * (width - len(pairs))], [])
    key = _FIELD.fullmatch(line.text) if _is_key(line.text) else None
    if key is None:
        return Row([" ".join(line.text.split()), *[""] * (width - 1)], [])
    return Row([f"{key['name'].strip()}: {key['value']}", *[""] * (width - 1)], [])
