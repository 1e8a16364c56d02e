"""Columns by alignment: where runs of text stand under one another, in letters of a line or in points of a page.

Figures stand flush right, words flush left; headings stand over one column, or in the middle over several.
"""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.grammar.periods import period_name
from kebrin.grammar.reading import Look, read_text
from kebrin.grammar.words import total_word
from kebrin.sources.middles import parted

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from numpy.typing import NDArray

_FIGURES = frozenset({Look.NUMBER, Look.MARKED, Look.FIGURE, Look.MISSING})
#: Plain numbers, most of what stands in a report; and those that name no year, month or day.
PLAIN_NUMBER = r"[1-9][0-9]{0,11}(?:\.[0-9]{1,6})?"
SURE_AMOUNT = r"[1-9][0-9]{0,2}(?:,[0-9]{3})*(?:\.[0-9]{1,3})?|[1-9][0-9]{4,11}"
_PLAIN, _SURE = re.compile(PLAIN_NUMBER), re.compile(SURE_AMOUNT)
#: A time of day.
TIME = r"[012]?[0-9][:.][0-5][0-9](?::[0-5][0-9])?"
# A heading in the middle of a drawn line.
_DRAWN_OUT = re.compile(r"<?[-=_─═]{2,}\s?[^-=_─═].*?\s?[-=_─═]{2,}>?")
_WORD, _TIME = re.compile(r"[^\W\d_]{4}"), re.compile(TIME)
_ALIKE = str.maketrans("23456789", "11111111")
# Of the lines of figures so many at most may reach over a gap between columns, and one of many.
_OVER, _MANY = 0.02, 12
# So many lines show where a column begins.
_FEWEST_ALIKE = 3
# Headings over several columns may be off their middle by so much of a column.
_OFF, _OFF_EVENLY = 0.35, 0.5
# Columns at the end without such a heading, and how much better the middles must fit then.
_WITHOUT, _BETTER = 2, 0.5
# Places in points of a page differ by a little where those in letters do not.
_POINTS = 3


def reads_as_figure(text: str) -> bool:
    """Whether a text reads as a number or a mark for none."""
    if _PLAIN.fullmatch(text):
        return True
    # Names that are numbered read alike, whatever their number.
    return _looks_as_figure(text.translate(_ALIKE) if text[:1].isalpha() else text)


@lru_cache(maxsize=1 << 17)
def _looks_as_figure(text: str) -> bool:
    return read_text(text).look in _FIGURES


class Field(NamedTuple):
    """A run of text without a gap in one line: where it begins and ends."""

    left: int
    right: int
    text: str
    is_figure: bool  # whether it reads as a number or a mark for none

    @property
    def number(self) -> float:
        """What it reads as; 0 where it is a mark for none."""
        found = read_text(self.text).number
        return 0.0 if found != found else found  # noqa: PLR0124 - not a number


def field_of(left: int, right: int, text: str) -> Field:
    """A run of text at its place."""
    return Field(left, right, text, reads_as_figure(text))


class Runs(NamedTuple):
    """The places of many runs of text, a vector each: where they begin, where they end, and whether they are figures."""

    left: NDArray[np.int64]
    right: NDArray[np.int64]
    is_figure: NDArray[np.bool_]

    @classmethod
    def of(cls, lines: Iterable[Sequence[Field]]) -> Runs:
        """Those of lines."""
        every = [one for fields in lines for one in fields]
        return cls(
            np.array([one.left for one in every], np.int64),
            np.array([one.right for one in every], np.int64),
            np.array([one.is_figure for one in every], np.bool_),
        )


@dataclass(frozen=True)
class Placed:
    """One line with its runs of text by place: in letters, or in points of a page (`parted` if no run can be parted further).

    `where` says where the file has it: "line 13", "page 2".
    """

    where: str
    text: str
    fields: tuple[Field, ...]
    parted: bool = False


def is_body(fields: Sequence[Field]) -> bool:
    """Whether a line has a figure behind its first run of text that is no year or period."""
    return any(is_amount(one.text) for one in fields[1:])


def holds_marks_alone(fields: Sequence[Field]) -> bool:
    """Whether all figures of a line are marks for none: one such line alone shows no body."""
    return not any(any(map(str.isdigit, one.text)) for one in fields[1:] if is_amount(one.text))


def holds_times(fields: Sequence[Field]) -> bool:
    """Whether a line has a time of day behind its first run of text: a timetable, where no figures are."""
    return any(_TIME.fullmatch(one.text) for one in fields[1:])


def is_amount(text: str) -> bool:
    """Whether a text reads as a figure and as no year or period; one with a word beside it ("6 records") says more."""
    if _SURE.fullmatch(text) is not None:
        return True
    return reads_as_figure(text) and not _WORD.search(text) and not period_name([text])


@dataclass(frozen=True)
class Row:
    """One row of the grid: its cells, and which of them reach over several columns."""

    cells: list[str]
    spans: list[tuple[int, int]]


@dataclass(frozen=True)
class Columns:
    """The columns of a report: where each begins and ends, and which hold figures.

    Figures stand flush right, so the room of a column of figures begins where the one before it ends.
    """

    places: tuple[tuple[int, int], ...]
    figures: tuple[int, ...]
    near: int
    _forms: dict[tuple[tuple[float, float, bool], ...], tuple[int, ...] | None] = field(
        default_factory=dict, compare=False, repr=False
    )

    def __len__(self) -> int:
        return len(self.places)

    @classmethod
    def of(cls, lines: Sequence[Sequence[Field]], near: int, stated: tuple[tuple[int, int], ...] = ()) -> Columns:
        """The columns that the lines of figures share; where there are none, those of all lines with several runs of text.

        Places that a person states are taken as they are.
        """
        body = [fields for fields in lines if is_body(fields) and not total_word(fields[0].text.translate(_ALIKE))]
        if len(body) < 2:
            body = [fields for fields in lines if is_body(fields)]
        if len(body) < 2:
            body = [fields for fields in lines if holds_times(fields)]
        if len(body) < 2:
            body = [fields for fields in lines if len(fields) > 1]
        return cls.shared(Runs.of(_parted_alike(body)), len(body), near, stated)

    @classmethod
    def shared(cls, runs: Runs, lines: int, near: int, stated: tuple[tuple[int, int], ...] = ()) -> Columns:
        """The columns that runs of text of so many lines share."""
        places = stated or tuple(_merged(_used(runs, lines), runs, near, lines))
        over = [runs.is_figure[(runs.left < right) & (runs.right > left)] for left, right in places]
        figures = tuple(at for at, kinds in enumerate(over) if 2 * np.count_nonzero(kinds) > len(kinds))
        return cls(places, figures, near)

    def row(self, line: Placed) -> Row:
        """A line of the body as cells."""
        cells = [""] * max(len(self), 1)
        form = tuple((one.left, one.right, one.is_figure) for one in line.fields)
        if form not in self._forms:
            self._forms[form] = self._form(line)
        known = self._forms[form]
        if known is not None:
            for at, one in zip(known, line.fields, strict=True):
                cells[at] = self._set_in(one, at)
            return Row(cells, [])
        return self._worked_out(line, cells)

    def first_headed(self, first: int, line_of: Callable[[int], Placed], bare: Callable[[int], bool]) -> int:
        """The first line of the body, moved up over what heads the first records: it stands between them and the headings."""
        while first and not bare(first - 1) and self.goes_through(line_of(first - 1)):
            first -= 1
        return first

    def goes_through(self, line: Placed) -> bool:
        """Whether a line of several runs keeps to no columns: words from the left edge on, through a gap, and no figures.

        "ACCOUNT 4010  Repairs" is one text over the columns of dates and names below it.
        """
        if len(line.fields) < 2 or not self.figures or line.parted:
            return False
        over = [self._over(one) for one in line.fields]
        through = line.fields[0].left <= self.places[0][0] and len(over[0]) > 1
        figures = any(one.is_figure for one in line.fields) or any(at in self.figures for own in over for at in own)
        return through and not figures

    def _form(self, line: Placed) -> tuple[int, ...] | None:
        """The column of each run of text of a line, if each has one to itself: so it is for all with runs at the same places."""
        over = [self._over(one) for one in line.fields]
        apart = len(over) > 1 and all(len(own) == 1 for own in over)
        found = tuple(own[0] for own in over) if apart else ()
        return found if found and len(set(found)) == len(found) else None

    def _worked_out(self, line: Placed, cells: list[str]) -> Row:
        """A line of which some run stands over several columns, over none, or shares one."""
        parts = list(self._parts(line))
        if len(line.fields) == 1 and not line.fields[0].is_figure and self._aligned(line.fields[0]) is None:
            cells[0] = line.fields[0].text  # it stands over or in the middle of all columns: it heads what follows
            return Row(cells, [(0, len(cells) - 1)] if len(cells) > 1 else [])
        if self.goes_through(line):
            cells[0] = " ".join(one.text for one in line.fields)
            return Row(cells, [(0, len(cells) - 1)])
        for one in parts:
            over = self._over(one)
            at = (over[-1] if one.is_figure else over[0]) if over else self._nearest(one)
            cells[at] = f"{cells[at]} {one.text}" if cells[at] else self._set_in(one, at)
        return Row(cells, [])

    def _set_in(self, one: Field, at: int) -> str:
        """A label as it is set in from where its column begins: that says how deep it stands."""
        if one.is_figure or at in self.figures or not self.places:
            return one.text
        letters = (one.right - one.left) / max(len(one.text), 1)
        return " " * max(round((one.left - self.places[at][0]) / max(letters, 1.0)), 0) + one.text

    def heading(self, line: Placed) -> Row:
        """A line above the figures as cells: titles, headings over one column each, and those in the middle over several."""
        cells = [""] * max(len(self), 1)
        parts = list(self._parts(line))
        if not parts:
            return Row(cells, [])
        edge = self._room(self.figures[0])[0] if self.figures else max(right for _, right in self.places or [(0, 0)])
        if len(line.fields) == 1 and self._over_all(line.fields[0], edge):
            cells[0] = line.fields[0].text
            return Row(cells, [(0, len(cells) - 1)] if len(cells) > 1 else [])
        ahead = self.places[: self.figures[0]] if self.figures else self.places
        left = [
            one for one in parts
            if one.right <= edge + self.near or any(one.left < right and one.right > start for start, right in ahead)
        ]  # fmt: skip
        right = parts[len(left) :]
        for one in left:
            over = self._over(one)
            at = over[0] if over else self._nearest(one)
            cells[at] = f"{cells[at]} {one.text}".strip()
        taken = [at for at, text in enumerate(cells) if text]
        placed = self._drawn_over(right) or (self._headed(right, taken) if right else [])
        if placed is None:  # a title, or what else is laid out by no columns
            if not any(cells):
                return Row([" ".join(one.text for one in parts), *[""] * (len(cells) - 1)], [])
            placed = [(at, at) for one in right for at in [(self._over(one) or [self._nearest(one)])[0]]]
        spans = []
        for one, (first, last) in zip(right, placed, strict=True):
            cells[first] = f"{cells[first]} {one.text.strip('-=<> ')}".strip()
            spans += [(first, last)] if last > first else []
        return Row(cells, spans)

    def under(self, line: Placed) -> Row:
        """A line of headings over columns that a ruler draws: each stands over those that it reaches over."""
        cells = [""] * len(self)
        spans = []
        for one in self._parts(line):
            over = self._over(one) or [self._nearest(one)]
            cells[over[0]] = f"{cells[over[0]]} {one.text.strip('-=<> ')}".strip()
            spans += [(over[0], over[-1])] if len(over) > 1 else []
        return Row(cells, spans)

    def _over_all(self, one: Field, edge: float) -> bool:
        """Whether a run of text stands in the middle of all columns rather than of those of figures."""
        if not self.places or not self.figures or one.right <= edge:
            return False
        middle, end = (one.left + one.right) / 2, self.places[-1][1]
        whole, inner = (self.places[0][0] + end) / 2, (edge + end) / 2
        return abs(middle - whole) < abs(middle - inner) and abs(middle - whole) <= _OFF * (end - edge) / len(
            self.figures
        )

    def _drawn_over(self, parts: Sequence[Field]) -> list[tuple[int, int]]:
        """The columns that headings between lines drawn on either side ("---- 2031 ----") reach over; none if one has none."""
        if not parts or not all(_DRAWN_OUT.fullmatch(one.text.strip()) for one in parts):
            return []
        over = [self._over(one) for one in parts]
        apart = all(one and other and one[-1] < other[0] for one, other in pairwise(over))
        return [(own[0], own[-1]) for own in over] if apart and all(over) else []

    def _headed(self, parts: Sequence[Field], taken: Sequence[int]) -> list[tuple[int, int]] | None:
        """The columns that headings stand over, first and last of each; None if they stand over none but those taken."""
        own = [at for at in self.figures if at not in taken]
        # Words behind the figures have a column of their own too.
        last = self.figures[-1] if self.figures else len(self)
        own += range(last + 1, len(self))
        if own and len(parts) > len(own):
            return self._one_each(parts)  # words stand between the figures
        if not own:
            return None
        if len(parts) == len(own):
            return [(at, at) for at in own]
        aligned = [self._aligned(one) for one in parts]
        if None not in aligned and len(set(aligned)) == len(aligned):
            return [(at, at) for at in aligned if at is not None]
        return self._over_labels(parts) or self._over_all_but_the_first(parts) or self._in_the_middle(parts, own)

    def _over_labels(self, parts: Sequence[Field]) -> list[tuple[int, int]] | None:
        """The columns of words between figures that titles of tables side by side begin over, one each; None if they do not."""
        inner = [at for at in range(self.figures[0] if self.figures else 0, len(self)) if at not in self.figures]
        found = [next((at for at in inner if _begins_over(one, self.places[at])), -1) for one in parts]
        return [(at, at) for at in found] if -1 not in found and len(set(found)) == len(found) else None

    def _over_all_but_the_first(self, parts: Sequence[Field]) -> list[tuple[int, int]] | None:
        """The columns that headings reach over, if these are all of them but for those before the first heading; None if not."""
        over = [self._over(one) for one in parts]
        reached = [at for columns in over for at in columns]
        whole = all(over) and reached == list(range(reached[0], len(self)))
        return [(columns[0], columns[-1]) for columns in over] if whole else None

    def _one_each(self, parts: Sequence[Field]) -> list[tuple[int, int]] | None:
        """The columns that runs of text stand over, if it is one for each and another for every one."""
        over = [self._over(one) for one in parts]
        found = [columns[0] for columns in over if len(columns) == 1]
        return [(at, at) for at in found] if len(found) == len(parts) == len(set(found)) else None

    def _aligned(self, one: Field) -> int | None:
        """The column that a run of text ends or begins with, to the letter."""
        slack = 0 if self.near < _POINTS else 1
        for at, (left, right) in enumerate(self.places):
            if abs(one.right - right) <= slack if at in self.figures else abs(one.left - left) <= slack:
                return at
        return None

    def _in_the_middle(self, parts: Sequence[Field], own: Sequence[int]) -> list[tuple[int, int]] | None:
        """The columns parted among headings so that the middles differ least; columns at the end may have none (a total's)."""
        best: tuple[float, list[tuple[int, int]]] | None = None
        pitch = max((self.places[own[-1]][1] - self._room(own[0])[0]) / len(own), 1.0)
        even = [
            one
            for gone in range(min(_WITHOUT, len(own) - len(parts)) + 1)
            for one in self._evenly(parts, own[: len(own) - gone])
        ]
        if even and min(even)[0] <= _OFF_EVENLY * pitch * len(parts):
            return min(even)[1]
        for gone in range(min(_WITHOUT, len(own) - len(parts)) + 1):
            rooms = [self._room(at) for at in own[: len(own) - gone]]
            found = parted(parts, rooms)
            if found is not None and (best is None or found[0] < _BETTER * best[0]):
                best = (found[0], [(own[first], own[last]) for first, last in found[1]])
        return None if best is None or best[0] > _OFF * pitch * len(parts) else best[1]

    def _evenly(self, parts: Sequence[Field], own: Sequence[int]) -> list[tuple[float, list[tuple[int, int]]]]:
        """As many columns to each heading, and how far the middles are off; nothing where they can't be parted so."""
        size, rest = divmod(len(own), len(parts))
        if rest:
            return []
        groups = [(own[at * size], own[at * size + size - 1]) for at in range(len(parts))]
        off = sum(
            abs((self._room(first)[0] + self._room(last)[1]) / 2 - (one.left + one.right) / 2)
            for one, (first, last) in zip(parts, groups, strict=True)
        )
        return [(off, groups)]

    def _room(self, at: int) -> tuple[float, float]:
        """Where a column's room begins and ends."""
        left, right = self.places[at]
        if at not in self.figures:
            return left, self.places[at + 1][0] if at + 1 < len(self) else right
        before = self.places[at - 1] if at else (0, 0)
        if at - 1 in self.figures:
            return before[1], right
        widths = [self.places[two][1] - self.places[one][1] for one, two in pairwise(self.figures) if two == one + 1]
        return max(before[1], right - sorted(widths)[len(widths) // 2]) if widths else left, right

    def _parts(self, line: Placed) -> Iterable[Field]:
        if line.parted:
            return line.fields
        return [part for one in line.fields for part in _parts(one, self.places)]

    def _over(self, one: Field) -> list[int]:
        return [at for at, (left, right) in enumerate(self.places) if one.left < right and one.right > left]

    def _nearest(self, one: Field) -> int:
        """The column nearest to a run of text: by its right end or its left, whichever is nearer."""
        gaps = [min(abs(one.right - right), abs(one.left - left)) for left, right in self.places]
        return gaps.index(min(gaps)) if gaps else 0


def _parted_alike(body: Sequence[Sequence[Field]]) -> list[Sequence[Field]]:
    """Lines of figures with a run parted at its blank where most lines begin another: a long text may end right before it."""
    count = Counter(one.left for fields in body for one in fields[1:])
    begins = sorted(left for left, lines in count.items() if 2 * lines > len(body) and lines < len(body))
    if not begins or len(body) < _FEWEST_ALIKE:
        return list(body)
    return [[part for one in fields for part in _parted_at(one, begins)] for fields in body]


def _parted_at(one: Field, begins: Sequence[int]) -> Iterable[Field]:
    """A run of text parted at the places where others begin, if a blank stands right before; letters take a place each."""
    inner = [at for at in begins if one.left < at < one.right] if one.right - one.left == len(one.text) else []
    cuts = [at for at in inner if one.text[at - one.left - 1] == " " != one.text[at - one.left]]
    for left, right in pairwise([one.left, *cuts, one.right]):
        text = one.text[left - one.left : right - one.left].rstrip()
        yield field_of(left, left + len(text), text) if cuts else one


def _begins_over(one: Field, place: tuple[int, int]) -> bool:
    """Whether a run of text begins over the first half of a column, or before it by as much."""
    left, right = place
    return abs(one.left - left) <= (right - left) / 2


def _used(runs: Runs, lines: int) -> list[tuple[int, int]]:
    """Where nearly all lines leave gaps, and what stands between these."""
    width = int(runs.right.max(initial=0))
    begun = np.bincount(runs.left, minlength=width + 1) - np.bincount(runs.right, minlength=width + 1)
    filled = np.cumsum(begun) > _OVER * lines + (lines >= _MANY)
    turns = np.flatnonzero(np.diff(filled, prepend=False, append=False))
    return [(int(left), int(right)) for left, right in turns.reshape(-1, 2)]


def _merged(columns: list[tuple[int, int]], runs: Runs, near: int, lines: int) -> list[tuple[int, int]]:
    """Columns hardly apart are one: "Lane 37" is a label, and no two columns.

    They are two where figures end in the first, or where most lines begin a run of text with the second: a long text of the
    first may end one blank before it.
    """
    found: list[tuple[int, int]] = []
    for left, right in columns:
        begins = 2 * np.count_nonzero(runs.left == left) > lines
        if found and left - found[-1][1] < near and not begins:
            ends = runs.is_figure[runs.right == found[-1][1]]
            if 2 * np.count_nonzero(ends) < max(len(ends), 1):
                found[-1] = (found[-1][0], right)
                continue
        found.append((left, right))
    return found


def _parts(one: Field, columns: Sequence[tuple[int, int]]) -> Iterable[Field]:
    """A run of text that reaches over a gap between columns, parted there if it has a blank all along it."""
    start = one.left
    for (_, right), (left, _) in pairwise(columns):
        if not start < right < one.right or not left < one.right:
            continue
        gap = one.text[right - one.left : left - one.left]
        if gap and not gap.strip():
            yield field_of(start, right, one.text[start - one.left : right - one.left].strip())
            start = left
    yield field_of(start, one.right, one.text[start - one.left :].strip())
