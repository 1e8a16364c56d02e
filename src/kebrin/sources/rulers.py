"""Rulers: the drawn line below (or above) the headings of a print report, a stroke for each column, says where the columns are.

It says so of columns that hold nothing on any line, and of those a single blank apart; what stands right above it is the
headings. A line of strokes under figures, above a total, is none: it stands under no headings.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

from kebrin.sources.aligned import Row, is_body, reads_as_figure
from kebrin.sources.lines import apart_row, fields_of, is_rule

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.sources.aligned import Columns, Placed

_STROKE, _ONLY = re.compile(r"[-=_─━═]{2,}"), re.compile(r"[-=_─━═ ]+")
_WORD = re.compile(r"\S+")
_FEWEST, _HEADINGS, _LOOKED_AT, _TITLE_RUNS = 3, 4, 60, 2
# So many of the lines with several runs of text must keep to the columns.
_MOSTLY, _SAMPLE, _FEWEST_RECORDS, _HEADS_TRIED = 0.8, 400, 6, 8
# So many records do where figures stand on both sides of each single blank.
_FEWEST_FIGURES = 3


@dataclass(frozen=True)
class Ruler:
    """Where columns are, first letter and end of each (0-based), and the lines of headings that stand over them.

    `close` is true where a single blank may part them: then each word of the headings stands over one.
    """

    places: tuple[tuple[int, int], ...] = ()
    heads: frozenset[str] = frozenset()
    close: bool = False

    def first_below(self, texts: Sequence[str]) -> int:
        """The first line below the headings."""
        at = next((at for at, text in enumerate(texts) if text in self.heads), -1)
        while 0 <= at < len(texts) and texts[at] in self.heads:
            at += 1
        return max(at, 0)

    def above(self, columns: Columns, line: Placed) -> Row:
        """A line above the records as cells: one of the headings under the ruler, or a text that stands apart."""
        if not self or not line.text.strip():
            return columns.heading(line)
        if line.text not in self.heads:
            return apart_row(line, len(columns))
        if not self.close or len(columns) != len(self.places):
            return columns.under(line)
        words = [(match.span(), match[0]) for match in _WORD.finditer(line.text)]
        return Row(
            [
                " ".join(word for (begin, end), word in words if left < end and begin < right)
                for left, right in self.places
            ],
            [],
        )

    def __bool__(self) -> bool:
        return bool(self.places)


def find_ruler(texts: Sequence[str]) -> Ruler:
    """The first ruler of a report; one without places if there is none.

    >>> lines = ["Vessel    Due  Flag", "------  -----  ----", "Gull        4", "Tern       12", "Skua        7"]
    >>> find_ruler(lines).places, find_ruler(lines).heads == {lines[0]}
    (((0, 6), (8, 13), (15, 19)), True)
    >>> bool(find_ruler(lines[2:]))
    False
    """
    for at, line in enumerate(texts[:_LOOKED_AT]):
        strokes = [match.span() for match in _STROKE.finditer(line)] if _ONLY.fullmatch(line) else []
        if len(strokes) < _FEWEST:
            continue
        for heads in _headings(texts, at, strokes):
            if _head_each(heads, strokes) and _keep_to(texts[at + 1 :], strokes):
                return Ruler(tuple(strokes), frozenset(heads))
    return Ruler()


def find_gutters(texts: Sequence[str]) -> Ruler:
    """Columns a single blank apart: where all lines of records are blank, and the headings above them are too.

    >>> lines = ["No Vessel      Fee Ref", "01 Gull      12.50 A", "02 Tern     112.00 B2", "03 Old Hand   8.25 A"]
    >>> lines += ["04 Skua      19.00", "05 Fulmar     4.00 C1", "06 Red Kite  61.75 A"]
    >>> find_gutters(lines).places
    ((0, 2), (3, 11), (12, 18), (19, 21))
    """
    sample = [text for text in texts[:_SAMPLE] if text.strip() and not is_rule(text)]
    for at, head in enumerate(sample[:_HEADS_TRIED]):
        if is_body(fields_of(head)):
            break  # the first record: what heads it stands above it
        body = [text for text in sample[at + 1 :] if text != head]
        records = [text for text in body if len(text.split()) >= _FEWEST and any(map(str.isdigit, text))]
        if len(records) < max(_FEWEST_FIGURES, _MOSTLY * len(body)):
            continue
        width = max(map(len, records))
        places = _runs_of([any(text[one : one + 1] not in {"", " "} for text in records) for one in range(width)])
        words = [match.span() for match in _WORD.finditer(head)]
        over = [
            [one for one, (left, right) in enumerate(places) if left < end and begin < right] for begin, end in words
        ]
        each = all(len(own) == 1 for own in over) and {one for own in over for one in own} == {*range(len(places))}
        # Words of some few names may all end at one place, figures do not.
        many = len(records) >= _FEWEST_RECORDS or all(
            right - left > 1 or all(_is_figure(text, one) for text in records for one in pair)
            for pair in pairwise(places)
            for right, left in [(pair[1][0], pair[0][1])]
        )
        if len(places) >= _FEWEST and each and many:
            return Ruler(tuple(places), frozenset({head}), close=True)
    return Ruler()


def _is_figure(text: str, place: tuple[int, int]) -> bool:
    """Whether a line holds a figure at a place, or nothing."""
    own = text[slice(*place)].strip()
    return not own or reads_as_figure(own)


def _runs_of(filled: Sequence[bool]) -> list[tuple[int, int]]:
    """Where runs of true stand."""
    ends = [at for at, (one, other) in enumerate(pairwise([False, *filled, False])) if one != other]
    return list(zip(ends[::2], ends[1::2], strict=True))


def _headings(texts: Sequence[str], at: int, strokes: Sequence[tuple[int, int]]) -> Iterator[list[str]]:
    """The lines right above a ruler that stand over its strokes, and those between it and the next one."""
    above: list[str] = []
    for line in texts[max(at - _HEADINGS, 0) : at][::-1]:
        if is_rule(line):
            continue
        if not line.strip() or _is_title(line, strokes) or is_body(fields_of(line)):
            break
        above.append(line)
    yield above
    below: list[str] = []
    for line in texts[at + 1 : at + 2 + _HEADINGS]:
        if is_rule(line):
            yield below
            return
        below.append(line)


def _is_title(line: str, strokes: Sequence[tuple[int, int]]) -> bool:
    """Whether a line begins at the left edge and says little, or goes over the first gap there: it is no line of headings."""
    fields = fields_of(line)
    at_edge = fields[0].left <= strokes[0][0] + 1
    return at_edge and (
        fields[0].right > strokes[1][0] or (len(fields) <= _TITLE_RUNS and len(strokes) > 2 * _TITLE_RUNS - 1)
    )


def _head_each(heads: Sequence[str], strokes: Sequence[tuple[int, int]]) -> bool:
    """Whether some word stands over each stroke."""
    words = [match.span() for line in heads for match in _WORD.finditer(line)]
    return all(any(left < end and begin < right for begin, end in words) for left, right in strokes)


def _keep_to(texts: Sequence[str], strokes: Sequence[tuple[int, int]]) -> bool:
    """Whether nearly all lines of several runs of text leave blank nearly all that parts the strokes."""
    kept = seen = 0
    for line in texts[:_SAMPLE]:
        fields = fields_of(line)
        if is_rule(line) or len(fields) < len(strokes) / 2 or not is_body(fields):
            continue
        seen += 1
        gaps = [line[right:left] for (_, right), (left, _) in pairwise(strokes)]
        # A text may reach a letter into the gap behind it.
        kept += sum(not gap.strip() or " " in gap for gap in gaps) >= len(gaps) - len(gaps) // 6
    return seen > 1 and kept >= _MOSTLY * seen
