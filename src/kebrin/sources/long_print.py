"""Long print reports: lines that keep to the columns are laid out all at once, and only the others one by one.

The sheet is that of `printed.grid`, cell for cell.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Area, Kind, Sheet, Spots, kinds_of
from kebrin.errors import Place
from kebrin.grammar.words import total_word
from kebrin.sources.aligned import Columns, Placed, Row, holds_marks_alone
from kebrin.sources.limits import hold, hold_room
from kebrin.sources.lines import bare_row, begins, counts_records, is_bare, numbered_pages, spaced_pairs
from kebrin.sources.many_runs import ManyRuns
from kebrin.table import arrays

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.sources.lines import Lines
    from kebrin.sources.rulers import Ruler
    from kebrin.sources.stated import StatedText

_NEAR, _FEWEST = 2, 2


def long_sheet(lines: Lines, name: str, source: str, stated: StatedText, ruler: Ruler) -> Sheet | None:
    """Lines as a sheet; None where other blanks than plain ones stand in them, or a record may take several lines."""
    runs = ManyRuns.of(lines.texts)
    if runs is None:
        return None
    hold("letters", int(runs.right.max()), Place(source, name))
    bare = _bare_lines(lines, runs, stated)
    if _may_fold(runs, bare):
        return None
    return _Grid(lines, runs, bare, ruler).sheet(name, source)


_PAIR = 2
# A heading that is parted by a hyphen, and goes on below.
_PARTED = re.compile(r"[^\W\d_]-(?=\s|$)")


def _may_begin(label: str, below: str) -> bool:
    """Whether a label may go on with the first text of the line below it, which is set in and in small letters."""
    own, under = label.lstrip(), below.lstrip()
    return own[:1].isupper() and under[:1].islower() and len(label) - len(own) < len(below) - len(under)


class _Grid:
    """A report's lines, their columns, and which lines keep to them.

    Attributes:
        lines: the lines.
        runs: their runs of text.
        bare: which lines are laid out by no columns.
        columns: the columns.
        first: the first line that no heading stands in.
    """

    def __init__(self, lines: Lines, runs: ManyRuns, bare: NDArray[np.bool_], ruler: Ruler) -> None:
        self.ruler = ruler
        self.lines, self.runs, self.bare = lines, runs, bare.copy()
        amounts = runs.has_amount() & ~bare
        times = runs.has_time() & ~bare
        self.columns = _columns(runs, amounts, times, bare, ruler)
        several = np.flatnonzero(~bare & (runs.counts > 1))
        body = np.flatnonzero(amounts)
        if not len(body) or (len(body) == 1 and holds_marks_alone(runs.fields(int(body[0])))):
            body = np.flatnonzero(times)
        self.first = int(body[0] if len(body) else several[0] + 1 if len(several) else runs.lines)
        self.first = ruler.first_below(lines.texts) if ruler else self.first
        self.first = self.columns.first_headed(self.first, self._placed, lambda at: bool(bare[at]))
        above = runs.counts[: self.first]
        self.bare[: max(self.first - 1, 0)] |= (above[:-1] == 1) & (above[1:] == 0)  # titles
        self._heads = set(lines.texts[: self.first]) - {""}
        self._spaced = spaced_pairs([self._placed(at) for at in range(self.first)])

    def sheet(self, name: str, source: str) -> Sheet | None:
        """All of them; None if a line that says something gives an empty row."""
        said = self.runs.counts > 0
        kept = said | np.concatenate([[True], said[:-1]])  # one blank line parts as well as several
        row_of = np.cumsum(kept) - 1
        if self._may_wrap():
            return None
        column, regular = self._regular()
        others = {int(row_of[at]): self._row(int(at)) for at in np.flatnonzero(said & ~regular)}
        if not all(any(row.cells) for row in others.values()):
            return None
        height, width = int(row_of[-1]) + 1, max([len(self.columns), 1, *(len(row.cells) for row in others.values())])
        hold_room(height, width, Place(source, name))
        values = np.full((height, width), "", dtype=object)
        kinds = np.full((height, width), Kind.BLANK, np.uint8)
        own = np.flatnonzero(regular[self.runs.line])
        cells = row_of[self.runs.line[own]], column[own]
        values[cells], kinds[cells] = self._texts(own, column), Kind.TEXT
        for at, row in others.items():
            values[at, : len(row.cells)] = row.cells
        kinds[list(others)] = kinds_of(values[list(others)])
        merges = tuple(Area(at, left, at, right) for at, row in others.items() for left, right in row.spans)
        values.flags.writeable = kinds.flags.writeable = False
        line_of = np.flatnonzero(kept)

        def spot(row: int) -> tuple[str, str]:
            return self.lines.where(line_of[row]), self.lines.texts[line_of[row]]

        return Sheet(name, values, kinds, merges, source, textual=True, spots=Spots(height, spot))

    def _may_wrap(self) -> bool:
        """Whether texts may go on from the line above: all of a line begin where columns of words do, or a label does."""
        labels = np.flatnonzero((self.runs.counts[:-1] == 1) & (self.runs.counts[1:] > 1) & ~self.bare[:-1]).tolist()
        if any(_may_begin(*self.lines.texts[at : at + 2]) for at in labels):
            return True
        if any(_PARTED.search(text) for text in self.lines.texts[: self.first]):
            return True
        if self.ruler:
            return len(self.ruler.heads) > 1 or bool((self.runs.counts[self.first :] == 1).any())
        begins = [left for at, (left, _) in enumerate(self.columns.places) if at and at not in self.columns.figures]
        elsewhere = np.bincount(self.runs.line[~np.isin(self.runs.left, begins)], minlength=self.runs.lines)
        maybe = (self.runs.counts > 0) & (elsewhere == 0) & ~self.bare
        return bool(begins) and bool(maybe[self.first :].any())

    def _regular(self) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """The column of each run of text, and which lines hold several, each in a column to itself."""
        runs = self.runs
        begin, end = (np.array([place[side] for place in self.columns.places], np.int64) for side in (0, 1))
        column = np.searchsorted(end, runs.left, side="right")
        last = np.searchsorted(begin, runs.right) - 1
        same = np.concatenate([[False], (column[1:] == column[:-1]) & (runs.line[1:] == runs.line[:-1])])
        regular = ~self.bare & (runs.counts > 1)
        regular[runs.line[(column != last) | same]] = False
        regular[: self.first] = False
        regular[[at for at, text in enumerate(self.lines.texts) if text in self._heads]] = False
        return column, regular

    def _texts(self, own: NDArray[np.int64], column: NDArray[np.int64]) -> NDArray[np.object_]:
        """What some runs say; labels are set in as they stand in their columns."""
        texts = np.array(self.runs.texts.take(arrays.places(own)).to_pylist(), dtype=object)
        begin = np.array([left for left, _ in self.columns.places], np.int64)
        labels = ~self.runs.is_figure[own] & ~np.isin(column[own], self.columns.figures)
        set_in = np.where(labels, self.runs.left[own] - begin[column[own]], 0)
        for at in np.flatnonzero(set_in > 0):
            texts[at] = " " * int(set_in[at]) + texts[at]
        return texts

    def _row(self, at: int) -> Row:
        """A line that does not keep to the columns."""
        if at in self._spaced:
            return Row(self._spaced[at], [])
        line = self._placed(at)
        if self.bare[at]:
            return bare_row(line, len(self.columns))
        if at >= self.first and line.text not in self._heads:
            return self.columns.row(line)
        return self.ruler.above(self.columns, line)

    def _placed(self, at: int) -> Placed:
        return Placed(self.lines.where(at), self.lines.texts[at], self.runs.fields(at))


def _columns(
    runs: ManyRuns, amounts: NDArray[np.bool_], times: NDArray[np.bool_], bare: NDArray[np.bool_], ruler: Ruler
) -> Columns:
    """The columns that the lines of figures share, or of times; where there are none, those of all lines with several runs."""
    body = amounts & ~runs.first_says(lambda text: bool(total_word(text)))
    for instead in (amounts, times, ~bare & (runs.counts > 1)):
        if np.count_nonzero(body) < _FEWEST:
            body = instead
    return Columns.shared(runs.places(body[runs.line]), int(np.count_nonzero(body)), _NEAR, ruler.places)


def _bare_lines(lines: Lines, runs: ManyRuns, stated: StatedText) -> NDArray[np.bool_]:
    """Which lines are laid out by no columns: only those that hold one run, a key or a page's number can be."""
    texts = lines.texts
    may = set(np.flatnonzero(runs.counts == 1).tolist()) | set(numbered_pages(texts))
    may |= {at for at, text in enumerate(texts) if ": " in text or text[-1:] == ":"}
    may |= {at for at in np.flatnonzero(runs.counts == _PAIR).tolist() if counts_records(texts[at])}
    may |= {at for at, text in enumerate(texts) if begins(text, stated.sections)} if stated.sections else set()
    found = np.zeros(runs.lines, np.bool_)
    found[[at for at in may if is_bare(Placed("", texts[at], runs.fields(at)), stated)]] = True
    return found


def _may_fold(runs: ManyRuns, bare: NDArray[np.bool_]) -> bool:
    """Whether headings may take several lines, and the records with them: a line without figures, and one set in below it."""
    lines = np.flatnonzero(~bare & (runs.counts > 0))
    left = runs.left[runs.firsts[lines]]
    several = runs.counts[lines] > 1
    if not several.any():
        return False
    edge = left[several].min()
    words = np.bincount(runs.line[runs.is_figure], minlength=runs.lines)[lines] == 0
    starts = (left <= edge) & several & words
    return bool((starts[:-1] & (left[1:] > edge) & words[1:]).any())
