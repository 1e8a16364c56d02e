"""Find total lines by arithmetic plus wording.

A line is a total if its numbers are the sums of other lines' numbers. Two families of parts are tried: those that
the labels name (a "Total" under Q1 sums what else stands under Q1), and a run of neighbours that ends or begins at
the line. Runs are looked up, not tried: over a random projection of the lines to one number each, "line = sum of the
run from s" is an entry in a table of prefix sums, so the search is linear in the lines.
"""

from __future__ import annotations

import itertools
from collections import Counter
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.grammar.words import (
    average_word,
    carried_word,
    extreme_word,
    of_which,
    says_difference,
    says_whole,
    total_word,
)
from kebrin.layout.aggregates import find_aggregates
from kebrin.layout.model import CARRIES, PARTING, SET_IN, STATED, TotalLine
from kebrin.layout.sayings import Sayings, beside_months, named_as_their_group
from kebrin.layout.unlike import balance_of, states_balance
from kebrin.layout.worded import settle_summed, settle_whole, settle_worded
from kebrin.table.arrays import uneven

if TYPE_CHECKING:
    from collections.abc import Callable, Container, Mapping, Sequence

    from numpy.typing import NDArray

    Numbers = NDArray[np.float64]

# A line that is called a mean is the plain one if this share of its cells ties, or if it misses by this little.
_ENOUGH_TIES, _NEAR_MEAN = 0.34, 0.01
# A line that nothing but its place makes a total sums this many others at least.
_FEWEST_PLACED = 3
# Bits that an unworded sum must get right beyond the number of places it could have started at.
_BITS = 14.0
# As many suffice for a line whose label speaks of a whole ("All routes").
_WHOLE_BITS = 4.0


#: How the labels of sums end in prints: "DEPT 10 *", "COMPANY **".
STARRED = "ends with stars"


@dataclass(frozen=True)
class Signs:
    """What else than figures and words shows which lines are totals.

    Attributes:
        telling: cross lines that are evidence of their own; a cross line that sums others only says things twice.
        depths: how deep each line's label stands in a hierarchy, if its labels show one.
        wholes: lines that few figures show to be a sum, with what says so: they have no label of their own, say.
        listed: whether the lines are records of a list, none of which leaves by its sums.
        kept: labels, in small letters, of lines that are stated to be no totals.
        grouped: whether each line is a whole group of lines, whose labels go with those of the others.
        looks: asks for the lines whose label looks as sums do, with how.
    """

    telling: NDArray[np.bool_] | None = None
    depths: Sequence[int] = ()
    wholes: Mapping[int, str] = field(default_factory=dict)
    listed: bool = False
    kept: frozenset[str] = frozenset()
    grouped: bool = False
    looks: Callable[[], Mapping[int, str]] = dict


@dataclass
class Search:
    """The lines of one axis while its totals are looked for."""

    axis: Literal["row", "column"]
    numbers: Numbers  # lines x cross lines, NaN where there is no number
    paths: Sequence[tuple[str | None, ...]]
    at: NDArray[np.int32]  # the sheet's row or column of each line
    names: frozenset[str]
    words_count: bool  # whether words for "total" and "average" are looked for beside the names
    signs: Signs
    said: Sayings | None = None  # what the labels of `paths` say, if that is at hand
    filled: Numbers = field(init=False)  # the same with zeros
    found: dict[int, tuple[NDArray[np.intp], str, float]] = field(default_factory=dict)
    means: set[int] = field(default_factory=set)
    telling: NDArray[np.bool_] = field(init=False)
    groups: set[int] = field(default_factory=set)
    wholes: dict[int, str] = field(default_factory=dict)
    carried: set[int] = field(default_factory=set)
    causes: dict[int, str] = field(default_factory=dict)
    loose: set[int] = field(default_factory=set)
    doubted: dict[int, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.filled = np.nan_to_num(self.numbers, nan=0.0)
        self.slack = 1e-9 * np.maximum(np.abs(self.filled).sum(axis=0), 1.0)
        told = self.signs.telling
        self.telling = np.ones(self.numbers.shape[1], np.bool_) if told is None else told
        said = self.said or Sayings(self.paths)
        self.words = [""] * len(self.paths)
        for at in said.lines(self._calls_total, every=bool(self.names)):
            self.words[at] = self._word(self.paths[at])
        self.depths = np.asarray(self.signs.depths, np.intp)
        self.worded = np.array(list(map(bool, self.words)), np.bool_)
        if self.words_count:
            self.means = set(said.lines(average_word))
            self.carried = _carrying(self, said.lines(carried_word)) if self.axis == "row" else set()
            self.groups = set(named_as_their_group(self.paths))
            self.wholes = dict.fromkeys(self.groups, "it bears the name of its group")
            self.wholes |= dict.fromkeys(self.carried, "it only carries a sum over") | dict(self.signs.wholes)
            counts = Counter(label for path in self.paths for label in path)
            for at in said.lines(says_whole):
                label = next(label for label in reversed(self.paths[at]) if label and says_whole(label))
                if 2 * counts[label] > len(self.paths):
                    continue  # where most lines say so, it is what they are called: a leave that is "Annual"
                self.wholes[at] = f"{label!r} speaks of a whole"
            self.wholes |= dict.fromkeys(beside_months(self.paths), "it names several months, beside months")

    @property
    def plain(self) -> NDArray[np.bool_]:
        """Which lines are called no total, and are not known to be one."""
        left = ~self.worded
        left[list(self.found)] = False
        return left

    @cached_property
    def balance(self) -> int:
        """The cross line that keeps the balance of others, -1 if none does; what sums or carries over by its name keeps none."""
        carries = (self.said or Sayings(self.paths)).mask(carried_word)
        return balance_of(self.numbers[~(self.worded | carries)])

    @cached_property
    def extremes(self) -> NDArray[np.bool_]:
        """The lines that are called the smallest or the largest of others, or some such."""
        return (self.said or Sayings(self.paths)).mask(extreme_word, every=True)

    @cached_property
    def codes(self) -> list[NDArray[np.intp]]:
        """What each line is called at each level, as numbers: alike labels have one."""
        seen: dict[str | None, int] = {}
        return [
            np.array([seen.setdefault(label, len(seen)) for label in level]) for level in zip(*self.paths, strict=True)
        ]

    @cached_property
    def saying(self) -> dict[str, list[int]]:
        """The lines that bear each label, in small letters."""
        found: dict[str, list[int]] = {}
        for at, path in enumerate(self.paths):
            for label in dict.fromkeys(label.casefold() for label in path if label is not None):
                found.setdefault(label, []).append(at)
        return found

    def _calls_total(self, label: str) -> bool:
        return label.casefold() in self.names or (self.words_count and bool(total_word(label) or average_word(label)))

    def _word(self, path: tuple[str | None, ...]) -> str:
        if any(label is not None and label.casefold() in self.signs.kept for label in path):
            return ""
        return next((label for label in path if label is not None and self._calls_total(label)), "")

    def keeps(self, line: int) -> bool:
        """Whether a line is stated to be no total."""
        return any(label is not None and label.casefold() in self.signs.kept for label in self.paths[line])


def _carrying(search: Search, said: Sequence[int]) -> set[int]:
    """The rows among some that are called so that carry a sum over: of like ones all, where most are seen to do so."""
    found = {at for at in said if _carries(search, at)}
    alike: dict[str, list[int]] = {}
    for at in said:
        alike.setdefault(
            next(label for label in reversed(search.paths[at]) if label and carried_word(label)), []
        ).append(at)
    return {
        at for lines in alike.values() if 2 * len(found & {*lines}) > len(lines) for at in lines if not search.keeps(at)
    }


def _carries(search: Search, line: int) -> bool:
    """Whether a row that says so carries a sum over: it states the sum of the rows before it, or what another such row states.

    A column that is called so holds figures of its own, and a row whose figures are no such sum is a record.
    """
    if search.keeps(line):
        return False
    stated = ~np.isnan(search.numbers[line]) & (search.filled[line] != 0)
    own = search.filled[line][stated]
    said = [at for at, path in enumerate(search.paths) if any(label and carried_word(label) for label in path)]
    if not stated.any():
        return True  # it says nothing beside its label
    if states_balance(search.numbers, line, search.balance, begins=line == 0):
        return True
    slack = search.slack[stated]
    if any(at != line and (np.abs(search.filled[at][stated] - own) <= slack).all() for at in said):
        return True
    # A balance is carried as it stands: such a column states again what stands last above.
    again = np.abs(_last_above(search.numbers, line)[stated] - own) <= slack
    # What an earlier page carried over is the first of the sum, wherever it begins.
    for start in [0, *(at for at in said if at < line)]:
        parts = [at for at in range(start, line) if at == start or (at not in said and not search.words[at])]
        sums = np.abs(search.filled[parts][:, stated].sum(axis=0) - own) <= slack
        if len(parts) > 1 and (sums | again).all():
            return True
    # The first of all may carry over what the last of them is made of.
    last = len(search.paths) - 1
    rest = [at for at in range(line, last) if at == line or at not in said]
    return (
        line == 0
        and len(rest) > 2
        and bool((np.abs(search.filled[rest][:, stated].sum(axis=0) - search.filled[last][stated]) <= slack).all())
    )


def _last_above(numbers: Numbers, line: int) -> Numbers:
    """The last number above a line in each column (columns,), NaN where there is none."""
    above = numbers[:line]
    last = np.where(np.isnan(above), -1, np.arange(line)[:, np.newaxis]).max(axis=0, initial=-1)
    return np.where(last >= 0, above[last, np.arange(above.shape[1])] if line else np.nan, np.nan)


def find_totals(
    axis: Literal["row", "column"], numbers: Numbers, paths: Sequence[tuple[str | None, ...]],
    at: NDArray[np.int32], *, named: Sequence[str] = (), unworded: bool = True,
    signs: Signs | None = None, said: Sayings | None = None,
) -> tuple[tuple[TotalLine, ...], tuple[int, ...], dict[int, str]]:  # fmt: skip
    """Total lines among the lines of one axis, the lines that are called a total but sum nothing, and those in doubt.

    In doubt are lines that equal the sum of others, which nothing but arithmetic shows to be totals, and those that a total sums
    in place of lines that they do not sum; with what is to be said of them.

    Args:
        axis: which lines these are, for the result.
        numbers: float64 (lines x cross lines), NaN where a cell holds no number.
        paths: the labels of each line, outermost first.
        at: the sheet's row or column of each line.
        named: labels stated to be totals.
        unworded: whether lines that are not named are looked at: by sums alone, and by words for "total".
        signs: what else shows which lines are totals.
        said: what the labels say, if that is at hand.

    >>> numbers = np.array([[1.0, 4.0], [2.0, 5.0], [3.0, 9.0]])
    >>> paths = [("Out", "08:00"), ("Out", "10:00"), ("Out", "Total")]
    >>> totals, unmatched, _ = find_totals("row", numbers, paths, np.arange(3, dtype=np.int32))
    >>> [(line.name, line.parts.tolist(), line.agree) for line in totals], unmatched
    ([('row 3', [0, 1], 1.0)], ())
    """
    names = frozenset(name.casefold() for name in named)
    search = Search(axis, numbers, paths, at, names, unworded, signs or Signs(), said)
    if numbers.shape[0] < 2 or numbers.shape[1] == 0:
        return (), (), {}
    if unworded and not search.signs.listed:
        _find_parents(search)
        _find_runs(search)
        _find_groups(search)
    for line in [line for line, word in enumerate(search.words) if word]:
        settle_worded(search, line)
    if unworded and not search.signs.listed:
        for line in [line for line in search.wholes if line not in search.found and not search.words[line]]:
            settle_whole(search, line)
    if unworded and not search.signs.listed:
        settle_summed(search)
        find_aggregates(search)
    _find_stated(search)
    unmatched = [line for line, word in enumerate(search.words) if word and line not in search.found]
    for line in search.carried - set(search.found):
        search.found[line] = (np.empty(0, np.intp), CARRIES, 1.0)
    totals = tuple(
        TotalLine(
            axis,
            int(at[line]),
            at[parts].astype(np.int32),
            why,
            agree,
            line in search.means,
            loose=line in search.loose,
            cause=search.causes.get(line)
            or (f"called {search.words[line]!r}" if search.words[line] else search.wholes.get(line, "")),
        )
        for line, (parts, why, agree) in sorted(search.found.items())
    )
    doubted = {int(at[line]): why for line, why in search.doubted.items() if line not in search.found}
    return totals, tuple(int(at[line]) for line in unmatched), doubted


def _find_stated(search: Search) -> None:
    """Lines that a person states to be totals and whose figures are the sum of nothing here: out they go, and it is told."""
    for line, path in enumerate(search.paths):
        if line in search.found or not any(label and label.casefold() in search.names for label in path):
            continue
        label = next(label for label in path if label and label.casefold() in search.names)
        parts = np.array([at for at in range(len(search.paths)) if at != line and at not in search.found], np.intp)
        search.found[line] = (
            parts,
            f"{label!r} is stated to be a total; its figures are the sum of no lines here",
            0.0,
        )
        search.causes[line] = STATED
        search.loose.add(line)


def find_bands(
    numbers: Numbers,
    paths: Sequence[tuple[str | None, ...]],
    at: NDArray[np.int32],
    telling: NDArray[np.bool_] | None = None,
) -> tuple[TotalLine, ...]:
    """Rows of a section that is the sum of other sections, row by row: persons beside men and women.

    >>> numbers = np.array([[30.0, 44.0], [50.0, 61.0], [10.0, 20.0], [30.0, 31.0], [20.0, 24.0], [20.0, 30.0]])
    >>> paths = [(band, port) for band in ("Persons", "Men", "Women") for port in ("Hallan", "Brae")]
    >>> [(line.name, line.parts.tolist()) for line in find_bands(numbers, paths, np.arange(6, dtype=np.int32))]
    [('row 1', [2, 4]), ('row 2', [3, 5])]
    """
    search = Search("row", numbers, paths, at, frozenset(), words_count=True, signs=Signs(telling))
    _find_groups(search)
    return tuple(
        TotalLine("row", int(at[line]), at[parts].astype(np.int32), why, agree, cause=search.causes[line])
        for line, (parts, why, agree) in sorted(search.found.items())
    )


def _find_parents(search: Search) -> None:
    """Lines that are exactly the sum of the deeper lines below them: the hierarchy says whose sum, so few figures do."""
    depths = search.signs.depths
    if len(set(depths)) < 2:
        return
    for line in range(len(search.paths) - 1, -1, -1):
        below = []
        for at in range(line + 1, len(search.paths)):
            if depths[at] <= depths[line]:
                break
            if at not in search.found and not search.words[at]:
                below.append(at)
        stated = ~np.isnan(search.numbers[line])
        if not below or search.words[line] or search.keeps(line) or not (stated & (search.filled[line] != 0)).any():
            continue
        gaps = np.abs(search.filled[below].sum(axis=0) - search.filled[line])
        if np.all(gaps[stated] <= search.slack[stated]):
            count = f"{len(below)} lines" if len(below) > 1 else "line"
            search.found[line] = (np.array(below, np.intp), f"it equals the sum of the {count} set in below it", 1.0)
            named = all(of_which(label or "") for part in below for label in search.paths[part][-1:])
            search.causes[line] = "they are called parts of it" if named else SET_IN


def _has_group(search: Search, line: int, parts: NDArray[np.intp], found: Container[int]) -> bool:
    """Whether a line that bears its group's name sums all of the group: one that sums a part of it is a record of that name."""
    group = search.paths[line][:-1]
    if not any(group):  # it stands among groups, and sums one of them
        return True
    own = {at for at, path in enumerate(search.paths) if path[:-1] == group and at != line and at not in found}
    return own <= set(parts.tolist())


def _find_runs(search: Search) -> None:
    """Lines that are exactly the sum of the run before them (or, failing that, after them), word or no word."""
    weights = uneven(search.filled.shape[1])
    # einsum, not @: a threaded product costs more in start-up than it saves here.
    projected = np.einsum("ij,j->i", search.filled, weights)
    slack = max(float((search.slack * weights).sum()), 1e-9)
    forward, backward = range(len(projected)), range(len(projected) - 1, -1, -1)
    known = set(search.found)
    before, after = (_runs(search, projected, slack, order, passed=known) for order in (forward, backward))
    # Totals stand below their parts or above them; the side that explains more lines is believed, and the other is
    # asked once more about the lines that are left.
    found, other = (before, backward) if len(before) >= len(after) else (after, forward)
    if found:
        left = projected.copy()
        left[[*found, *known]] = 0.0
        found = {**found, **_runs(search, left, slack, other, passed={*found, *known})}
    for line, parts in _with_cause(search, found).items():
        word = search.words[line]
        count = f"{len(parts)} lines" if len(parts) > 1 else "line"
        why = f"it equals the sum of the {count} {'before' if parts[0] < line else 'after'} it"
        search.found[line] = (parts, f"{why} and is called {word!r}" if word else f"{why}; {search.causes[line]}", 1.0)


def _with_cause(search: Search, found: dict[int, NDArray[np.intp]]) -> dict[int, NDArray[np.intp]]:
    """The lines among some that equal sums which something beside arithmetic says to be totals."""
    told = {line for line in found if search.words[line]}
    known = {
        line: search.wholes[line] for line, parts in found.items()
        if line in search.wholes and line not in told and (line not in search.groups or _has_group(search, line, parts, found))
    }  # fmt: skip
    bare = [line for line in found if line not in told and line not in known]
    looks = search.signs.looks() if bare else {}
    marked = {
        line: f"it {looks[line]}, and what it sums does not" for line in bare if _looks_apart(line, found[line], looks)
    }
    known |= {line: why for line, why in marked.items() if looks[line] == STARRED}
    plain = {line for line in range(len(search.paths)) if not search.words[line]}
    left = [line for line in bare if line not in known]
    if len(left) > 1:
        covered = {*left, *(part for line in left for part in found[line].tolist())}
        if covered == plain and len({tuple(parts.tolist()) for parts in found.values()}) == len(found):
            known |= dict.fromkeys(left, PARTING)
    known |= {line: place for line in left if line not in known and (place := _place(search, line, found[line]))}
    known |= {line: why for line, why in marked.items() if line not in known}
    search.causes |= known
    search.doubted |= {
        line: f"equals the sum of {len(parts)} lines beside it, and nothing else says that it is a total"
        for line, parts in found.items()
        if line in bare and line not in known and not _are_sides(search, line, parts)
    }
    return {line: parts for line, parts in found.items() if line in told or line in known}


def _looks_apart(line: int, parts: NDArray[np.intp], looks: Mapping[int, str]) -> bool:
    """Whether a line looks as sums do, and none of its parts looks so."""
    return line in looks and not any(looks.get(part) == looks[line] for part in parts.tolist())


def _place(search: Search, line: int, parts: NDArray[np.intp]) -> str:
    """What a line's place says: it stands last or first of all lines, or of its own group, and sums the rest of it.

    Of three lines one is often the sum of the two others and no total: budget, actual and variance; opening, change, closing.
    """
    telling = (~np.isnan(search.numbers[line])) & (search.filled[line] != 0) & search.telling
    if telling.sum() < 2 or len(parts) < 2 or (len(parts) < _FEWEST_PLACED and not _may_be_halves(search, line, parts)):
        return ""
    before = parts[0] < line
    plain = [at for at in range(len(search.paths)) if at == line or (at not in search.found and not search.words[at])]
    if line == plain[-1 if before else 0] and set(plain) - {line} <= set(parts.tolist()):
        return f"it stands {'last' if before else 'first'} of all"
    outer = search.paths[line][:-1]
    if any(outer):
        own = [at for at, path in enumerate(search.paths) if path[:-1] == outer]
        if line == own[-1 if before else 0] and set(parts.tolist()) == set(own) - {line}:
            return f"it stands {'last' if before else 'first'} of its group"
    return ""


def _are_sides(search: Search, line: int, parts: NDArray[np.intp]) -> bool:
    """Whether three columns are the two sides of a difference and itself, by their headings: budget, actual and variance."""
    labels = [search.paths[at][-1] or "" for at in (line, *parts.tolist()) if search.paths[at]]
    return search.axis == "column" and len(parts) == 2 and any(map(says_difference, labels))


def _may_be_halves(search: Search, line: int, parts: NDArray[np.intp]) -> bool:
    """Whether a group that sums two others may do so as a whole its halves, and neither is a difference."""
    labels = [label or "" for at in (line, *parts.tolist()) for label in search.paths[at]]
    return (
        search.signs.grouped
        and not any(map(says_difference, labels))
        and not bool((search.numbers[[line, *parts.tolist()]] < 0).any())
    )


def _find_groups(search: Search) -> None:
    """Groups of lines that are the sums of other groups, line by line: a quarter's pair beside its months' pairs."""
    depth = len(search.paths[0]) if search.paths else 0
    for level in range(depth - 1):
        lines = [at for at in range(len(search.paths)) if at not in search.found]
        keys = [search.paths[at][: level + 1] for at in lines]
        starts = [at for at in range(len(keys)) if not at or keys[at] != keys[at - 1]]
        groups = [lines[start:stop] for start, stop in itertools.pairwise([*starts, len(keys)])]
        inner = [[search.paths[at][level + 1 :] for at in group] for group in groups]
        if len(groups) < 3 or len(inner[0]) < 2 or any(one != inner[0] for one in inner):
            continue
        wide = np.stack([search.numbers[group].ravel() for group in groups])
        labels = [key[level:] for key in (keys[start] for start in starts)]
        telling = np.tile(search.telling, len(inner[0]))
        own = Search(
            search.axis, wide, labels, np.arange(len(groups), dtype=np.int32), search.names, search.words_count,
            Signs(telling, (), {}, listed=False, kept=search.signs.kept, grouped=True),
        )  # fmt: skip
        _find_runs(own)
        for number, (parts, why, agree) in own.found.items():
            for place, line in enumerate(groups[number]):
                own_parts = np.array([groups[part][place] for part in parts.tolist()], np.intp)
                search.found[line] = (own_parts, why.replace("lines", "groups"), agree)
                search.causes[line] = own.causes.get(number) or f"called {own.words[number]!r}"


def _runs(
    search: Search, projected: Numbers, slack: float, order: range, passed: Container[int] = frozenset()
) -> dict[int, NDArray[np.intp]]:
    if not _some_run(projected[[line for line in order if line not in passed]], slack):
        return {}
    leaves: list[int] = []
    sums: dict[int, int] = {}  # prefix sum in grains -> how many leaves it spans; the latest start wins
    prefix, steps = 0.0, projected.tolist()
    found: dict[int, NDArray[np.intp]] = {}
    grain = slack * 4
    for line in order:
        if line in passed:
            continue
        key = int((prefix - steps[line]) // grain)
        start = sums.get(key)
        if start is None and (start := sums.get(key - 1)) is None:
            start = sums.get(key + 1)
        if start is not None and _is_sum(search, line, leaves[start:]):
            found[line] = np.sort(np.array(leaves[start:], np.intp))
            continue
        if search.words[line]:
            continue  # it is called a total and does not add up: no part of any other sum
        sums[int(prefix // grain)] = len(leaves)
        leaves.append(line)
        prefix += steps[line]
    return found


def _some_run(projected: Numbers, slack: float) -> bool:
    """Whether any line could be the sum of a run before it, all lines taken as parts: the first total must be."""
    prefix = np.concatenate(([0.0], np.cumsum(projected)))
    wanted = prefix[:-1] - projected
    order = np.sort(prefix)
    right = np.searchsorted(order, wanted - 4 * slack)
    near = order[np.minimum(right, len(order) - 1)]
    # A line that projects to nothing matches its own place; it is no total.
    return bool(((np.abs(near - wanted) <= 4 * slack) & (np.abs(projected) > slack)).any())


def _is_sum(search: Search, line: int, parts: list[int]) -> bool:
    """Whether a line is the sum of these parts beyond chance."""
    worded = bool(search.words[line])
    stated = ~np.isnan(search.numbers[line])
    telling = stated & (search.filled[line] != 0)
    few = worded or line in search.wholes
    if len(parts) < (1 if few else 2) or not telling.any() or search.keeps(line):
        return False
    # Small numbers are easily the sum of their neighbours by chance; long ones, or many at once, are not.
    several = max(len(search.wholes), 1)  # each that fits makes chance less likely for all
    enough = _WHOLE_BITS / several if line in search.wholes else _BITS + np.log2(len(search.paths))
    if not worded and _bits(search.filled[line][search.telling]) < enough:
        return False
    gaps = np.abs(search.filled[parts].sum(axis=0) - search.filled[line])
    return bool(np.all(gaps[stated] <= search.slack[stated]))


def _bits(stated: Numbers) -> float:
    """How much a chance match of these numbers would have to get right, in bits."""
    return float(np.log2(np.abs(stated) + 1).sum())
