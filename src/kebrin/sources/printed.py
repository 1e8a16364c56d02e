"""Print reports (text laid out by blanks) as reports: pages joined, columns found by alignment over the whole report.

A line of figures shows where the columns end: figures stand flush right under one another, words flush left. Page heads, ruled
lines and overprinting are set aside; what they say once stays.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Sheet, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources.aligned import Columns, Placed, Row, holds_marks_alone, holds_times, is_body
from kebrin.sources.cards import cards
from kebrin.sources.folded import unfolded
from kebrin.sources.limits import hold, hold_room
from kebrin.sources.lines import (
    KEY,
    bare_row,
    begins,
    cut,
    fields_of,
    is_bare,
    is_rule,
    lines_of,
    number_cut,
    said_on,
    spaced_pairs,
    with_joined_groups,
    without_leaders,
    without_page_behind,
)
from kebrin.sources.page_heads import without_count, without_page_heads
from kebrin.sources.rulers import Ruler, find_gutters, find_ruler
from kebrin.sources.stated import StatedText
from kebrin.sources.words_apart import with_words_apart
from kebrin.sources.wrapped import begun_above, joined_text, set_below, wrapped

if TYPE_CHECKING:
    from collections.abc import Collection, Iterable, Sequence

    from kebrin.sources.lines import Lines

_FEWEST, _HEAD_LINES, _MOSTLY = 3, 12, 0.7
# So many numbers of a line end where those of another do.
_ALIKE = 2
# So many lines are worked on all at once.
_MANY = 1_000


@lru_cache(maxsize=2)  # the first part of a long file is looked at twice
def is_printed(text: str) -> bool:
    r"""Whether a text is laid out by blanks: most of its lines hold several runs of text with gaps between them.

    >>> is_printed("Lane        Q1       Q2\nLane 37   3,008      363\nLane 31  18,467   35,577\n")
    True
    >>> is_printed("Lane,Q1,Q2\nLane 37,3008,363\n"), is_printed("Hot\nTea ..... 2.10\nCocoa ... 2.90\nCold\nMilk .... 1.80\n")
    (False, True)
    """
    lines = [line for line in text.replace("\f", "\n").splitlines() if line.strip() and not is_rule(line)]
    if "\t" in text or len(lines) < 2:
        return False
    lines = without_leaders(lines)
    parted = [fields_of(line.expandtabs()) for line in lines]
    figures = sum(any(one.is_figure for one in fields[1:]) or holds_times(fields) for fields in parted)
    keys = sum(len(fields) < 2 and KEY.fullmatch(line) is not None for fields, line in zip(parted, lines, strict=True))
    if 2 * figures >= max(len(lines) - keys - _HEAD_LINES, _FEWEST - 1):
        return True
    if _close_columns(lines):
        return True
    starts = Counter(one.left for fields in parted for one in fields[1:])
    several = [fields for fields in parted if len(fields) > 1]
    flush = sum(all(starts[one.left] >= max(_FEWEST, len(lines) / 4) for one in fields[1:]) for fields in several)
    return flush >= _MOSTLY * len(several) and len(several) > _FEWEST and 2 * len(several) > len(lines)


def typical_runs(lines: Sequence[str]) -> int:
    """How many runs of text with gaps between them the middle one of some lines has, of those that have several.

    >>> typical_runs(["Berth   Vessel   Fee", "A1      Gull       4", "Paid on 3 May"])
    3
    """
    counts = sorted(count for line in lines if (count := len(fields_of(line.expandtabs()))) > 1)
    return counts[len(counts) // 2] if counts else 0


def lay_out(text: str, name: str, source: str, stated: StatedText | None = None) -> Sheet:
    """A print report as a sheet: a row per record or line that says something, page heads and ruled lines set aside."""
    stated = stated or StatedText()
    said = lines_of(text)
    every = replace(said, texts=with_joined_groups(without_leaders(said.texts)))
    if not _says_where(stated):
        every = replace(every, texts=with_words_apart(every.texts))
    hold("letters", max(map(len, every.texts)), Place(source, name))
    passed = {at for at, line in enumerate(every.texts) if begins(line, stated.skip)} if stated.skip else ()
    rest = every.but(passed)
    lines, heads = without_page_heads(rest, stated.pages)
    on = said_on(lines.texts) if heads else []
    repeated = _runs_in(lines.texts[at] for at in on)
    lines = without_count(lines, heads).but(set(on))
    ruler = Ruler() if _says_where(stated) else find_ruler(lines.texts) or _close_columns(lines.texts)
    kept = lines.but({at for at, line in enumerate(lines.texts) if is_rule(line)})
    kept = replace(kept, texts=without_page_behind(kept.texts))
    stated_places = _says_where(stated) or bool(stated.sections)
    printed = None if stated_places else cards(kept, name, source)
    if printed is None and len(kept.texts) >= _MANY and not _says_where(stated):
        from kebrin.sources.long_print import long_sheet  # what it needs takes long to load

        printed = long_sheet(kept, name, source, stated, ruler)
    printed = printed or _by_lines(kept, name, source, stated, ruler)
    printed = _as_written(printed, said, every)
    if stated.pages and not any(begins(line, (stated.pages,)) for line in every.texts):
        raise _no_effect(f"pages = {stated.pages!r}", "no line begins so", source)
    if stated.sections and not is_printed(text) and not any(begins(line, stated.sections) for line in every.texts):
        words = ", ".join(map(repr, stated.sections))
        raise _no_effect(f"sections = [{words}]", "no line begins so, and the text is not laid out by blanks", source)
    told = [_told_of_heads(rest, heads)] if heads else []
    told += told_of_lines(every.texts, stated)
    aside = {
        "cells of page heads said again": _runs_in(rest.texts[at] for at in heads) + repeated,
        "cells of lines that the plan passes over": _runs_in(every.texts[at] for at in passed),
    }
    aside = {what: count for what, count in aside.items() if count}
    return replace(printed, told=(*printed.told, *told), aside=aside)


def _close_columns(texts: Sequence[str]) -> Ruler:
    """Columns a single blank apart, where that tells more of them, or of their headings, than gaps of two blanks do."""
    found = find_gutters(texts)
    told = min((len(fields_of(head)) for head in found.heads), default=0)
    return found if found and len(found.places) > min(told, typical_runs(texts[:_MANY])) else Ruler()


def _runs_in(lines: Iterable[str]) -> int:
    """How many runs of text some lines hold: what they would be cells of."""
    return sum(len(fields_of(line)) for line in lines)


def _told_of_heads(lines: Lines, heads: Sequence[int]) -> str:
    """What is told of page heads that were set aside: how many there are, the lines of the first, and what it says."""
    runs = [at for at, line in enumerate(heads) if not at or line != heads[at - 1] + 1]
    first = heads[: runs[1]] if len(runs) > 1 else heads
    said = next((" ".join(lines.texts[at].split()) for at in first if lines.texts[at].strip()), "")
    where = (
        lines.where(first[0])
        if len(first) == 1
        else f"lines {lines.numbers[first[0]] + 1:,} to {lines.numbers[first[-1]] + 1:,}"
    )
    return f"page heads that say the same again, set aside: {len(runs):,} (the first in {where}: {said[:60]!r})"


def _as_written(sheet: Sheet, said: Lines, read: Lines) -> Sheet:
    """The sheet with its lines shown as the file has them, where dots or blanks within figures were taken out to read them."""
    pairs = enumerate(zip(said.texts, read.texts, strict=True))
    changed = {said.where(at): text for at, (text, own) in pairs if text is not own and text != own}
    if not changed:
        return sheet
    return replace(sheet, spots=[(where, changed.get(where, text)) for where, text in sheet.spots])


def _says_where(stated: StatedText) -> bool:
    """Whether a person says where the columns or the records stand."""
    return bool(stated.columns or stated.lines)


def _by_lines(lines: Lines, name: str, source: str, stated: StatedText, ruler: Ruler) -> Sheet:
    """Lines as a sheet, one line at a time."""
    if stated.columns:
        _refuse_cut_numbers(lines, stated, source)
    placed = [
        Placed(
            lines.where(at),
            line,
            tuple(cut(line, stated.columns) if stated.columns else fields_of(line)),
            parted=bool(stated.columns),
        )
        for at, line in enumerate(lines.texts)
    ]
    bare = frozenset(at for at, one in enumerate(placed) if is_bare(one, stated))
    unfold = unfolded(placed, bare, stated.lines)
    if stated.lines > 1 and len(unfold) == len(placed):
        raise _no_effect(f"lines = {stated.lines}", "its records take another number of lines", source)
    return grid(unfold, name, source, stated=stated, ruler=ruler if len(unfold) == len(placed) else None)


def _refuse_cut_numbers(lines: Lines, stated: StatedText, source: str) -> None:
    """Refuse stated columns that end within numbers: each half would be a figure of its own, and both wrong.

    Raises:
        SourceError: on half of the lines or more that bear numbers a column ends within one.
    """
    cuts = {at: one for at, line in enumerate(lines.texts) if (one := number_cut(line, stated.columns))}
    bearing = sum(any(map(str.isdigit, line)) for line in lines.texts)
    if cuts and 2 * len(cuts) >= bearing:
        at, number = next(iter(cuts.items()))
        raise SourceError(
            f"a stated column ends within {number!r}", Place(source, line=lines.numbers[at] + 1),
            why=f"so it does on {len(cuts):,} of {bearing:,} lines with figures", do="Correct columns in the plan's text",
        )  # fmt: skip


def told_of_lines(lines: Sequence[str], stated: StatedText) -> list[str]:
    """What is said of lines that a person states: how many were passed over, and what no line begins with."""
    passed = sum(begins(line, stated.skip) for line in lines) if stated.skip else 0
    absent = [word for word in (*stated.skip, *stated.sections) if not any(begins(line, (word,)) for line in lines)]
    return [
        *([f"lines passed over, as the plan states: {passed:,}"] if passed else []),
        *(f"no line begins with {word!r}, which the plan states in text" for word in absent),
    ]


def _under(above: Placed, line: Placed, cells: Sequence[str]) -> int | None:
    """The column of the heading that a line of one text goes on with: it stands below one of several, in small letters."""
    if len(line.fields) != 1 or len(above.fields) < _ALIKE or not line.fields[0].text[0].islower():
        return None
    one = line.fields[0]
    own = [field for field in above.fields if min(field.right, one.right) - max(field.left, one.left) > 0]
    return cells.index(own[0].text) if len(own) == 1 and own[0].text in cells else None


def _go_on_below(above: Placed, line: Placed, cells: Sequence[str], own: Sequence[str]) -> dict[int, str]:
    """The headings that the texts of a line go on with, with these, if all do: in small letters, one below each of several.

    A heading that is parted by a hyphen shows it ("Agree-" over "ment"). In a print of capitals other headings may begin on the
    line below.

    Args:
        above: a line of headings.
        line: the line below it.
        cells: the cells of the line above.
        own: those of the line itself.
    """
    found: dict[int, str] = {}
    parted = False
    capitals = line.text.isupper() and above.text.isupper()
    for one in line.fields if len(above.fields) >= _ALIKE else ():
        over = [field for field in above.fields if min(field.right, one.right) - max(field.left, one.left) > 0]
        said = over[0].text.strip("-=<> ") if over else ""
        place = next(
            (at for at, cell in enumerate(cells) if said and cell.strip("-=<> ") == said and at not in found), -1
        )
        if capitals and not over and one.text in own and not cells[own.index(one.text)]:
            found[own.index(one.text)] = one.text
            continue
        if len(over) != 1 or place < 0 or not (one.text[0].islower() or capitals):
            return {}
        parted = parted or (over[0].text[-1] == "-" and over[0].text[-2:-1].isalpha())
        found[place] = joined_text(over[0].text, one.text)
    return found if parted else {}


def _first_alike(placed: Sequence[Placed], body: int, bare: Collection[int]) -> int:
    """The first line with numbers that begin with a zero, and end where those of the first sure figures do.

    "0610" is no sure figure, and "1000" is one: the lines above it are records too.
    """
    ends = {one.right for one in placed[body].fields if one.text.isdigit()}
    first = body
    for at in range(body - 1, -1, -1):
        numbers = [one for one in placed[at].fields if one.text.isdigit()]
        if at in bare or not placed[at].fields:
            break
        if any(one.text[0] == "0" for one in numbers) and sum(one.right in ends for one in numbers) >= _ALIKE:
            first = at
        elif len(placed[at].fields) > 1:
            break
    return first


def _no_effect(what: str, why: str, source: str) -> SourceError:
    return SourceError(
        f"{what} is stated for this text and has no effect", Place(source), why=why,
        do="Correct text in the plan, or leave it out",
    )  # fmt: skip


@dataclass(frozen=True)
class _Laid:
    """How lines become rows: their columns, the first line below the headings, what heads, and which lines keep to no columns."""

    columns: Columns
    first: int
    heads: frozenset[str]
    bare: frozenset[int]
    spaced: dict[int, list[str]]
    ruler: Ruler

    @classmethod
    def of(cls, placed: Sequence[Placed], near: int, stated: StatedText, ruler: Ruler) -> _Laid:
        """That of some lines."""
        bare = {at for at, one in enumerate(placed) if is_bare(one, stated)}
        body = [at for at, one in enumerate(placed) if at not in bare and is_body(one.fields)]
        if len(body) == 1 and holds_marks_alone(placed[body[0]].fields):
            body = []
        places = tuple((left - 1, right) for left, right in stated.columns) or ruler.places
        columns = Columns.of([one.fields for at, one in enumerate(placed) if at not in bare], near, places)
        # Without figures the lines of times are the body, or the first line of several runs heads the rest.
        body = body or [at for at, one in enumerate(placed) if at not in bare and holds_times(one.fields)]
        several = next((at + 1 for at, one in enumerate(placed) if at not in bare and len(one.fields) > 1), len(placed))
        first = _first_alike(placed, body[0], bare) if body else several
        first = ruler.first_below([one.text for one in placed]) if ruler else first
        first = columns.first_headed(first, placed.__getitem__, bare.__contains__)
        # Titles stand alone above a blank line.
        bare |= {at for at in range(first - 1) if len(placed[at].fields) == 1 and not placed[at + 1].text.strip()}
        heads = frozenset(
            {one.text for one in placed[:first]} - {""}
        )  # said again on later pages they are laid out alike
        return cls(columns, first, heads, frozenset(bare), spaced_pairs(placed[:first]), ruler)

    def row(self, at: int, one: Placed) -> Row:
        """One line as cells."""
        if at in self.spaced:
            return Row(self.spaced[at], [])
        if at in self.bare:
            return bare_row(one, len(self.columns))
        if at >= self.first and one.text not in self.heads:
            return self.columns.row(one)
        return self.ruler.above(self.columns, one)

    def goes_on(self, placed: Sequence[Placed]) -> dict[int, dict[int, str]]:
        """The lines that only go on with texts of the line above, with these by column; headings under a ruler among them."""
        if not self.ruler:
            return wrapped(placed, self.columns, self.first, self.bare)
        found = set_below(placed, self.columns, self.first, self.bare)
        for at in range(1, len(placed)):
            pair = [placed[at - 1], placed[at]]
            if any(one.text not in self.ruler.heads for one in pair):
                continue
            rows = [self.columns.under(one) for one in pair]
            if not any(row.spans for row in rows):
                found[at] = {place: text for place, text in enumerate(rows[1].cells) if text}
        return found


def grid(
    placed: Sequence[Placed], name: str, source: str, *, near: int = 2, stated: StatedText | None = None,
    ruler: Ruler | None = None,
) -> Sheet:  # fmt: skip
    """Placed lines as a sheet; columns less than `near` apart are one, unless figures end in the first."""
    hold("letters", round(max((one.right for line in placed for one in line.fields), default=0)), Place(source, name))
    laid = _Laid.of(placed, near, stated or StatedText(), ruler or Ruler())
    goes_on = laid.goes_on(placed)
    goes_on |= {
        at: {place: text for place, text in enumerate(laid.columns.row(placed[at]).cells) if text}
        for at in begun_above(placed, laid.bare)
        if at >= laid.first and at not in goes_on and at - 1 not in goes_on
    }
    rows: list[list[str]] = []
    merges: list[Area] = []
    spots: list[tuple[str, str]] = []
    for at, one in enumerate(placed):
        if not one.text.strip() and rows and not any(rows[-1]):
            continue  # one blank line parts as well as several
        if at in goes_on:
            for place, text in goes_on[at].items():
                rows[-1][place] = joined_text(rows[-1][place], text)
            continue
        row = laid.row(at, one)
        if 0 < at < laid.first and rows and (more := _go_on_below(placed[at - 1], one, rows[-1], row.cells)):
            for place, text in more.items():
                rows[-1][place] = text
            continue
        if 0 < at < laid.first and rows and (under := _under(placed[at - 1], one, rows[-1])) is not None:
            row = Row([one.fields[0].text if place == under else "" for place in range(len(rows[-1]))], [])
        merges += [Area(len(rows), left, len(rows), right) for left, right in row.spans]
        rows.append(row.cells)
        spots.append((one.where, one.text))
    records = sum(at >= laid.first and placed[at].text not in laid.heads for at in goes_on)
    told = (f"lines that go on with a text of the line above, joined to it: {records:,}",) if records else ()
    width = max(map(len, rows), default=1)
    hold_room(len(rows), width, Place(source, name))
    values = np.full((len(rows), width), "", dtype=object)
    for number, cells in enumerate(rows):
        values[number, : len(cells)] = cells
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    return Sheet(name, values, kinds, tuple(merges), source, textual=True, spots=tuple(spots), told=told)
