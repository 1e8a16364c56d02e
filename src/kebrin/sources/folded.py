"""Records that take several lines each, of a text laid out by blanks: joined to one line, as their headings are.

A record begins at the left edge, and its other lines are set in. The headings take as many lines, each over what it heads: that
tells such records from labels with several lines of figures below them.
"""

from __future__ import annotations

from itertools import pairwise, takewhile
from typing import TYPE_CHECKING

from kebrin.grammar.words import total_word
from kebrin.sources.aligned import Field, Placed

if TYPE_CHECKING:
    from collections.abc import Sequence

_FEWEST, _MOST_LINES = 3, 4
# Between the lines of a record that are laid side by side.
_APART = 4


def unfolded(placed: Sequence[Placed], bare: frozenset[int], stated: int = 0) -> list[Placed]:
    """The lines with those of one record joined; as they are where each record takes one line.

    Args:
        placed: the lines of a report.
        bare: the places of lines that are laid out by no columns: a key and its value, a head of a section.
        stated: how many lines a record takes, where a person says so.
    """
    lines = [at for at, one in enumerate(placed) if one.fields and at not in bare]
    edge = min((placed[at].fields[0].left for at in lines if len(placed[at].fields) > 1), default=0)
    starts = [n for n, at in enumerate(lines) if placed[at].fields[0].left <= edge and len(placed[at].fields) > 1]
    groups = [_set_in(placed, lines[first:last], edge) for first, last in pairwise([*starts, len(lines)])]
    found = _size(placed, groups, stated)
    if found is None:
        return list(placed)
    size, first = found
    wide = max(one.right for group in groups[first:] for at in group for one in placed[at].fields) + _APART
    joined: dict[int, Placed] = {}
    gone: set[int] = set()
    bodies = [group for group in groups[first + 1 :] if not _is_total(placed, group)]
    for group in groups[first:]:
        own = group[:size]
        kinds = _own_lines(placed, own, bodies) if _is_total(placed, group) else list(range(len(own)))
        joined[own[0]] = _joined([placed[at] for at in own], kinds, wide)
        gone |= set(own[1:])
    last = max(max(group[:size]) for group in groups[first:])
    # Blank lines between records part nothing; behind the last they do.
    gone |= {at for at in range(groups[first][0], last) if not placed[at].fields}
    return [joined.get(at, one) for at, one in enumerate(placed) if at not in gone]


def _set_in(placed: Sequence[Placed], lines: list[int], edge: int) -> list[int]:
    """A line at the left edge and those below it that are set in."""
    inner = takewhile(lambda at: placed[at].fields[0].left > edge, lines[1:])
    return [lines[0], *inner]


def _size(placed: Sequence[Placed], groups: Sequence[Sequence[int]], stated: int) -> tuple[int, int] | None:
    """How many lines a record takes, and which group is the headings; None if each takes one."""
    for first, heads in enumerate(groups):
        size = stated or len(heads)
        said = [one.text for at in heads[:size] for one in placed[at].fields]
        if not stated and (len(set(said)) < len(said) or any(text.startswith("(") for text in said)):
            continue  # the lines below the first say more of what it heads
        if not 1 < size <= max(_MOST_LINES, stated) or len(heads) < size or _has_figures(placed, heads[:size]):
            continue
        bodies = [group for group in groups[first + 1 :] if not _is_total(placed, group)]
        if len(bodies) < _FEWEST or any(len(group) != size for group in bodies[:-1]) or len(bodies[-1]) < size:
            continue
        if stated or all(_heads(placed[heads[at]], [placed[group[at]] for group in bodies]) for at in range(1, size)):
            return size, first
    return None


def _has_figures(placed: Sequence[Placed], lines: Sequence[int]) -> bool:
    return any(one.is_figure for at in lines for one in placed[at].fields)


def _is_total(placed: Sequence[Placed], group: Sequence[int]) -> bool:
    return bool(total_word(placed[group[0]].fields[0].text))


def _heads(head: Placed, rows: Sequence[Placed]) -> bool:
    """Whether a line of headings stands over the same line of all records: as many, each over one run of text."""
    most = max((row.fields for row in rows), key=len)
    if len(head.fields) != len(most):
        return False
    return all(
        own.left < below.right + 1 and own.right > below.left - 1 for own, below in zip(head.fields, most, strict=True)
    )


def _own_lines(placed: Sequence[Placed], group: Sequence[int], bodies: Sequence[Sequence[int]]) -> list[int]:
    """Of which line of the records each line of a total gives the sums: the one whose figures above it sum to its own."""
    taken: list[int] = []
    for at in group:
        figures = [one for one in placed[at].fields if one.is_figure]
        fits = [
            sum(_sums(one, [placed[body[line]] for body in bodies]) for one in figures)
            for line in range(len(bodies[0]))
        ]
        best = max(range(len(fits)), key=fits.__getitem__)
        taken.append(best if fits[best] else len(taken))
    return taken if len(set(taken)) == len(taken) else list(range(len(group)))


def _sums(total: Field, rows: Sequence[Placed]) -> bool:
    """Whether a figure is the sum of those that end at its place."""
    own = [one for row in rows for one in row.fields if abs(one.right - total.right) <= 1 and one.is_figure]
    numbers = [one.number for one in own]
    return bool(numbers) and abs(sum(numbers) - total.number) <= 1e-6 * max(sum(map(abs, numbers)), 1.0)


def _joined(lines: Sequence[Placed], places: Sequence[int], wide: int) -> Placed:
    """Lines side by side, each in the room of its line of a record."""
    fields: list[Field] = []
    text = ""
    for place, line in sorted(zip(places, lines, strict=True), key=lambda pair: pair[0]):
        shift = place * wide
        # The label of a total stays at the left edge, whatever line its figures belong to.
        lead = [one for one in line.fields[:1] if place and line is lines[0]]
        fields += lead
        text = (text + lead[0].text if lead else text).ljust(shift)
        text += line.text[lead[0].right :].rjust(len(line.text)) if lead else line.text
        fields += [
            one._replace(left=one.left + shift, right=one.right + shift) for one in line.fields if one not in lead
        ]
    where = (
        lines[0].where
        if len(lines) == 1
        else f"{lines[0].where.replace('line ', 'lines ')} to {lines[-1].where.rpartition(' ')[2]}"
    )
    return Placed(where, text.rstrip(), tuple(fields))
