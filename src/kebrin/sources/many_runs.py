"""The runs of text of many lines at once, as vectors: what `lines.fields_of` finds in one."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from kebrin.sources.aligned import PLAIN_NUMBER, SURE_AMOUNT, TIME, Field, Runs, is_amount, reads_as_figure
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from numpy.typing import NDArray

_OTHER_BLANK = re.compile(r"[^\S \n]")
_BLANK, _END = 32, 10


@dataclass(frozen=True, eq=False)
class ManyRuns:
    """The runs of text of many lines.

    Attributes:
        lines: how many lines there are.
        line: the line of each run, 0-based; it only grows.
        left: where each begins, in letters.
        right: where each ends.
        texts: what each says.
        is_figure: whether each reads as a number or a mark for none.
    """

    lines: int
    line: NDArray[np.int64]
    left: NDArray[np.int64]
    right: NDArray[np.int64]
    texts: pa.StringArray
    is_figure: NDArray[np.bool_]

    @classmethod
    def of(cls, lines: Sequence[str]) -> ManyRuns | None:
        """The runs of text of lines without blanks behind them; None if there are none, or other blanks than plain ones."""
        content = "\n".join(lines) + "\n"
        if _OTHER_BLANK.search(content):
            return None
        raw = np.frombuffer(content.encode(), np.uint8)
        turns = np.flatnonzero(np.diff((raw != _BLANK) & (raw != _END), prepend=False))
        starts, stops = turns[::2], turns[1::2]  # of words
        if not len(starts):
            return None
        joined = (starts[1:] == stops[:-1] + 1) & (raw[stops[:-1]] == _BLANK)
        # Words and figures side by side are one text; figures alone are a column each.
        first, last = _ends_of(joined)
        several = np.flatnonzero(last > first)
        several = several[_each(_texts(raw, starts[first[several]], stops[first[several]]), reads_as_figure)]
        texts = _texts(raw, starts[first[several]], stops[last[several]])
        for one in several[_each(texts, _are_figures)].tolist():
            joined[first[one] : last[one]] = False
        first, last = _ends_of(joined)
        begin, end = starts[first], stops[last]
        texts = _texts(raw, begin, end)
        line_ends = np.flatnonzero(raw == _END)
        line = np.searchsorted(line_ends, begin)
        edge = np.concatenate([[0], line_ends + 1])[line]
        letters = _letters(raw, len(content))
        figures = _matching(texts, PLAIN_NUMBER)
        rest = np.flatnonzero(~figures)
        # Names that are numbered read alike, whatever their number.
        words = texts.take(arrays.places(rest))
        alike = pc.replace_substring_regex(words, "[2-9]", "1")
        named = pc.match_substring_regex(words, r"^\pL")
        figures[rest] = _each(pc.if_else(named, alike, words), reads_as_figure)
        return cls(len(lines), line, letters(begin) - letters(edge), letters(end) - letters(edge), texts, figures)

    @cached_property
    def counts(self) -> NDArray[np.int64]:
        """How many runs each line has."""
        return np.bincount(self.line, minlength=self.lines)

    @cached_property
    def firsts(self) -> NDArray[np.int64]:
        """The first run of each line; of a line without any, that of the next with one."""
        return np.concatenate([[0], np.cumsum(self.counts)[:-1]])

    @cached_property
    def is_first(self) -> NDArray[np.bool_]:
        """Whether each run is the first of its line."""
        return np.diff(self.line, prepend=-1) > 0

    def has_amount(self) -> NDArray[np.bool_]:
        """Whether each line has a figure behind its first run of text that is no year or period."""
        behind = np.flatnonzero(self.is_figure & ~self.is_first)
        texts = self.texts.take(arrays.places(behind))
        sure = _matching(texts, SURE_AMOUNT)
        found = np.zeros(self.lines, np.bool_)
        found[self.line[behind[sure]]] = True
        doubtful = np.flatnonzero(~found[self.line[behind]])
        also = _each(texts.take(arrays.places(doubtful)), is_amount)
        found[self.line[behind[doubtful[also]]]] = True
        return found

    def has_time(self) -> NDArray[np.bool_]:
        """Whether each line has a time of day behind its first run of text."""
        found = np.zeros(self.lines, np.bool_)
        found[self.line[_matching(self.texts, TIME) & ~self.is_first]] = True
        return found

    def first_says(self, what: Callable[[str], bool]) -> NDArray[np.bool_]:
        """Whether something is true of what the first run of each line says, with 1 for every number; false of none."""
        at = np.flatnonzero(self.is_first)
        found = np.zeros(self.lines, np.bool_)
        found[self.line[at]] = _each(
            pc.replace_substring_regex(self.texts.take(arrays.places(at)), "[0-9]+", "1"), what
        )
        return found

    def places(self, of: NDArray[np.bool_]) -> Runs:
        """The places of some runs."""
        return Runs(self.left[of], self.right[of], self.is_figure[of])

    def fields(self, line: int) -> tuple[Field, ...]:
        """The runs of one line."""
        first = int(self.firsts[line])
        return tuple(
            Field(int(self.left[at]), int(self.right[at]), self.texts[at].as_py(), bool(self.is_figure[at]))
            for at in range(first, first + int(self.counts[line]))
        )


def _are_figures(text: str) -> bool:
    return all(map(reads_as_figure, text.split(" ")))


def _ends_of(joined: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The first and the last word of each run, by whether each word but the first is joined to the one before."""
    first = np.flatnonzero(np.concatenate([[True], ~joined]))
    return first, np.append(first[1:], len(joined) + 1) - 1


def _texts(raw: NDArray[np.uint8], begin: NDArray[np.int64], end: NDArray[np.int64]) -> pa.StringArray:
    """The texts from place to place of some bytes."""
    sizes = end - begin
    offsets = np.concatenate([[0], np.cumsum(sizes)])
    data = raw[np.arange(offsets[-1]) + np.repeat(begin - offsets[:-1], sizes)]
    return pa.StringArray.from_buffers(len(begin), pa.py_buffer(offsets.astype(np.int32)), pa.py_buffer(data))


def _letters(raw: NDArray[np.uint8], count: int) -> Callable[[NDArray[np.int64]], NDArray[np.int64]]:
    """How many letters stand before a byte."""
    if len(raw) == count:
        return lambda at: at
    begun = np.concatenate([[0], np.cumsum((raw & 0xC0) != 0x80)])  # bytes that carry a letter on begin none
    return lambda at: begun[at]


def _matching(texts: pa.StringArray, form: str) -> NDArray[np.bool_]:
    """Which texts are of a form, as a vector that may be written to."""
    return arrays.truths(pc.match_substring_regex(texts, f"^(?:{form})$"))


def _each(texts: pa.StringArray, what: Callable[[str], bool]) -> NDArray[np.bool_]:
    """Whether something is true of each text; each distinct one is looked at once."""
    found = texts.dictionary_encode()
    of_each = np.array(list(map(what, found.dictionary.to_pylist())), np.bool_)
    return of_each[arrays.codes_of(found)]
