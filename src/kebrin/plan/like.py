"""Draft a plan from wanted rows: find the reading of the reports, and the steps, under which they give these rows.

Readings are tried from the likeliest on: the one that is worked out, then others that differ in one decision. For each,
every wanted column is looked for among the table's columns and what stands around its blocks. What no reading says is made
by steps (`kebrin.plan.reaching`); first where the wanted cells stand on no sheet.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.errors import LayoutError, PlanError
from kebrin.grammar.periods import period_name
from kebrin.layout import Stated
from kebrin.plan.around import Around, around
from kebrin.plan.drafting import Draft, compose, names_of
from kebrin.plan.plan_file import parse_plan
from kebrin.plan.reaching import Budget, Reached, reach
from kebrin.plan.running import run_plan
from kebrin.plan.wanted import Match, Wanted, best_match, key_of, same_names
from kebrin.unpivoting import Keep
from kebrin.work.joining import join
from kebrin.work.stamps import Stamp
from kebrin.work.unaided import Group, standardised_group, survey_reports

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from kebrin.cells import Report
    from kebrin.table import Table
    from kebrin.work.unaided import Found

_DEPTHS, _WIDTHS = range(4), range(1, 4)
# What is stamped, by the first word of its place.
_STAMPS = {"file": "file", "sheet": "sheet", "block": "title"}
# Readings that fit best with one decision changed, from which a second is changed, or steps are looked for.
_BEST_SINGLES = 3
# Cells that are laid out anew for other readings, over all of them; but so many readings are always tried.
_MOST_CELLS, _FEWEST_READINGS = 400_000, 3
# Of larger reports it is not looked up whether the wanted cells stand on the sheets.
_MOST_LOOKED_UP = 200_000
_STACKED = "together"


@dataclass(frozen=True, eq=False)
class Like:
    """A plan drafted from wanted rows: its text, and which rows it gives when it is run."""

    text: str
    match: Match


@dataclass(frozen=True, eq=False)
class _Reading:
    """One way to read the reports: what is stated and kept beside what is worked out, and the plan's keys for it."""

    said: tuple[str, ...] = ()
    stated: Mapping[str, Any] = field(default_factory=dict)
    keep: Mapping[str, Any] = field(default_factory=dict)
    extras: Mapping[str, Any] = field(default_factory=dict)

    def and_also(self, other: _Reading) -> _Reading:
        """Both together."""
        return _Reading(
            (*self.said, *other.said), {**self.stated, **other.stated}, {**self.keep, **other.keep},
            {**self.extras, **other.extras},
        )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Candidate:
    """A group of blocks under one reading, the steps taken on it, and how well it holds the wanted rows."""

    reading: _Reading
    found: Found
    group: Group
    around: Around
    reached: Reached
    as_written: bool = False

    @property
    def match(self) -> Match:
        """How well it holds the wanted rows."""
        return self.reached.match

    @property
    def rank(self) -> tuple[tuple[int, ...], tuple[int, ...], bool]:
        """For choosing between candidates."""
        return self.reached.rank, self.match.rank, not self.as_written


def draft_like(reports: Sequence[Report], wanted: Wanted, *, base: Path, output: str = "") -> Like:
    """The plan whose table holds the most wanted rows, under their own column names and in their order.

    Args:
        reports: the reports.
        wanted: the wanted rows.
        base: the folder that the plan will stand in.
        output: the file to write.

    Raises:
        LayoutError: no table was found.
        PlanError: no reading gives any of the rows.
    """
    first = survey_reports(reports)
    plain = list(_of(_Reading(), first, reports, wanted))
    if not any(one.match.whole for one in plain) and (stacked := _stacked(plain, wanted)):
        text = _text_of_stack(stacked, wanted, base, output)
        return Like(text, _run(text, base, wanted, {}))
    best = _first_whole(_searched(first, plain, reports, wanted))
    if not any(best.match.reached):
        raise _nothing_reached(wanted, best)
    constants = _constants(best)
    text = _text(best, wanted, [], constants, base, output)
    match = _run(text, base, wanted, constants)
    # What is not reached is said in the plan itself, so that it is read with it.
    return Like(_text(best, wanted, match.misses, constants, base, output) if match.misses else text, match)


def _first_whole(candidates: Iterator[_Candidate]) -> _Candidate:
    best = next(candidates)  # a survey that finds no block is an error of its own
    for candidate in candidates:
        if best.match.whole:
            break
        best = max(best, candidate, key=lambda one: one.rank)
    return best


def _searched(
    first: Found, plain: Sequence[_Candidate], reports: Sequence[Report], wanted: Wanted
) -> Iterator[_Candidate]:
    """Candidates one after the other: as worked out; by steps and by other readings, the likelier first; by both."""
    yield from plain
    budget = Budget()
    others: list[_Candidate] = []
    if _stand_there(reports, wanted):
        yield from _kept(_otherwise_read(first, plain, reports, wanted), others)
        yield from _by_steps(plain, budget)
    else:
        yield from _by_steps(plain, budget)
        yield from _kept(_otherwise_read(first, plain, reports, wanted), others)
    usual = max(candidate.reached.rank for candidate in plain)
    tried = {one.reached.table.columns for one in plain}
    for one in sorted(others, key=lambda one: one.rank, reverse=True):
        if one.reached.rank < usual or len(tried) > _BEST_SINGLES + len(plain):
            break
        if one.reached.table.columns not in tried:
            tried.add(one.reached.table.columns)
            yield from _by_steps([one], Budget(budget.rows))


def _kept(candidates: Iterator[_Candidate], into: list[_Candidate]) -> Iterator[_Candidate]:
    for one in candidates:
        into.append(one)
        yield one


def _by_steps(candidates: Sequence[_Candidate], budget: Budget) -> Iterator[_Candidate]:
    for one in sorted(candidates, key=lambda one: one.rank, reverse=True):
        others = _others(one)
        yield replace(one, reached=reach(one.reached.table, one.match.wanted, others, budget, tuple(one.around.places)))


def _others(one: _Candidate) -> dict[str, Table]:
    """The other tables under the same reading, by the names that the plan would give them."""
    groups = [group for group in one.found.groups if group is not one.group]
    _, *names = names_of([one.group, *groups])
    return {name: Draft(group).stepped[0] for name, group in zip(names, groups, strict=True)}


def _stand_there(reports: Sequence[Report], wanted: Wanted) -> bool:
    """Whether all that is wanted stands in the reports' cells, so that reading them otherwise may give it."""
    sheets = [report[name] for report in reports for name in report.shown]
    if sum(int(sheet.filled.sum()) for sheet in sheets) > _MOST_LOOKED_UP:
        return False
    there = {key_of(value) for sheet in sheets for value in sheet.values[sheet.filled].tolist()}
    return all(key is None or key in there for keys in wanted.keys for key in keys)


def _otherwise_read(
    first: Found, plain: Sequence[_Candidate], reports: Sequence[Report], wanted: Wanted
) -> Iterator[_Candidate]:
    """Groups of blocks under other readings: with one decision changed, then with two."""
    cells = sum(work.ledger.cells for work in first.works)
    left = iter(range(max(_MOST_CELLS // max(cells, 1), _FEWEST_READINGS)))
    best = max(candidate.match.rank for candidate in plain)
    singles = list(_readings(first))
    ranked: list[tuple[tuple[int, ...], int]] = []
    for number, reading in enumerate(singles):
        if next(left, None) is None:
            return
        tried = list(_tried(reading, reports, wanted))
        yield from tried
        rank = max((candidate.match.rank for candidate in tried), default=best)
        if rank > best:  # only a decision that helps is worth a second one
            ranked.append((rank, -number))
    for _, number in sorted(ranked, reverse=True)[:_BEST_SINGLES]:
        likely = singles[-number]
        for other in singles:
            if other.stated.keys() & likely.stated.keys() or other is likely:
                continue
            if next(left, None) is None:
                return
            yield from _tried(likely.and_also(other), reports, wanted)


def _tried(reading: _Reading, reports: Sequence[Report], wanted: Wanted) -> Iterator[_Candidate]:
    try:
        found = survey_reports(reports, Stated(**reading.stated), keep=Keep(**reading.keep))
        yield from list(_of(reading, found, reports, wanted))
    except (LayoutError, PlanError):
        return  # this reading does not fit the sheets


def _of(reading: _Reading, found: Found, reports: Sequence[Report], wanted: Wanted) -> Iterator[_Candidate]:
    """Each group of blocks, standardised and, where that changes something, as it is written too."""
    for group in found.groups:
        beside = around(group.pieces, reports)
        bare, _ = join(group.pieces, [{} for _ in group.pieces])
        table, _ = join(group.pieces, beside.stamps(len(group.pieces)))
        after, steps = standardised_group(group, bare)
        if steps:
            stood = beside.on(after, table)
            yield _Candidate(reading, found, group, beside, Reached(stood, best_match(wanted, stood.data)))
        match = best_match(wanted, table.data)
        yield _Candidate(reading, found, group, beside, Reached(table, match), as_written=bool(steps))


def _readings(found: Found) -> Iterator[_Reading]:
    """The readings that differ in one decision from the one that is worked out."""
    levels = dict.fromkeys(
        level.name for group in found.groups for piece in group.pieces[:1] for level in piece.layout.boxhead
    )
    for name in ("", *levels):
        said = f"the labels of {name} are columns" if name else "no heading is a column"
        yield _Reading((said,), {"measures": name}, extras={"measures": name})
    yield _Reading(("totals are kept as data",), {"totals_found": False}, extras={"find_totals": False})
    yield _Reading(("empty cells are kept",), keep={"blanks": "keep"}, extras={"blanks": "keep"})
    yield _Reading(("footnote marks are kept",), keep={"marks": "keep"}, extras={"marks": "keep"})
    yield _Reading(("no row heads others",), {"cutins": ()}, extras={"cutins": []})
    for depth in _DEPTHS:
        yield _Reading((f"{depth} rows are headings",), {"boxhead": ("",) * depth})
    for width in _WIDTHS:
        yield _Reading((f"{width} columns are labels",), {"stub": ("",) * width})


def _constants(best: _Candidate) -> dict[str, str]:
    """What a wanted column says on all rows that stands nowhere, for each such column; the plan stamps it, and says so."""
    match = best.match
    found = [name for name in match.columns if name is not None]
    if len(best.group.pieces) > 1 or len(match.wanted) < 2 or len(found) < 2 or not any(match.reached):
        return {}  # one row says anything, and what is not found on one of several sheets is no constant over them
    said = {}
    for at, name in enumerate(match.wanted.columns):
        texts = {texts[at] for texts in match.wanted.texts}
        text = next(iter(texts))
        # What says when is no constant: the next file's rows would bear it. Nor is a figure: it may be any.
        free = match.columns[at] is None and len(texts) == 1 and text and "'" not in text
        if free and not isinstance(key_of(text), float) and not period_name([text]):
            said[name] = text
    return said


def _stacked(plain: Sequence[_Candidate], wanted: Wanted) -> list[_Candidate]:
    """Groups that hold all wanted rows together, each whole ones of its own; none if they do not."""
    best: dict[int, _Candidate] = {}
    for one in sorted(plain, key=lambda one: one.rank):
        if any(one.match.reached) and not one.match.absent:
            best[id(one.group)] = one
    chosen = list(best.values())
    held = np.array([one.match.reached for one in chosen], np.bool_).reshape(len(chosen), len(wanted))
    return chosen if len(chosen) > 1 and held.any(axis=0).all() else []


def _text_of_stack(chosen: Sequence[_Candidate], wanted: Wanted, base: Path, output: str) -> str:
    order = {id(group): at for at, group in enumerate(chosen[0].found.groups)}
    drafts = [_draft(one, wanted, {}) for one in sorted(chosen, key=lambda one: order[id(one.group)])]
    head = [f"Drafted by `kebrin draft --like {Path(wanted.file).name}`. Look through it, then run it."]
    return compose(chosen[0].found, drafts, head, base=base, output=output, stacked=_STACKED)


def _text(
    best: _Candidate, wanted: Wanted, misses: Sequence[str], constants: Mapping[str, str], base: Path, output: str
) -> str:
    head = [f"Drafted by `kebrin draft --like {Path(wanted.file).name}`. Look through it, then run it."]
    head += [f"? not reached: {miss}" for miss in misses]
    head += [
        f"? {text!r} stands nowhere: {name} is a constant, and next month's rows bear it too"
        for name, text in constants.items()
    ]
    groups = [group for group in best.found.groups if group is not best.group]
    first, *names = names_of([best.group, *groups])
    main = replace(_draft(best, wanted, constants), name=first)
    used = [Draft(group, name=name) for name, group in zip(names, groups, strict=True) if name in best.reached.used]
    return compose(best.found, [main, *used], head, base=base, output=output, written=[first])


def _draft(best: _Candidate, wanted: Wanted, constants: Mapping[str, str]) -> Draft:
    """The draft of the table: the fields that it needs, its steps, and its columns under the wanted names."""
    table, steps = best.reached.table, best.reached.steps
    read = best.around.read_by(steps)
    places: dict[str, str] = {name: best.around.places[name] for name in read}
    columns: dict[str, str] = {}
    own = set(table.columns) - best.around.places.keys()
    for name, found in zip(wanted.columns, best.match.columns, strict=True):
        if found is None and name in constants:
            columns[name] = _field(name, f"text '{constants[name]}'", places, own)
        elif found is not None and found in best.around.places and found not in read:
            columns[name] = _field(name, best.around.places[found], places, own)
        elif found is not None:
            columns[name] = found
    left = [name for name in table.columns if name not in columns.values() and name not in best.around.places]
    said = list(best.reading.said)
    said += [f"left out, since no wanted column says it: {', '.join(left)}"] if left else []
    if [*columns] == list(table.columns) == [*columns.values()]:
        columns = {}  # what the steps make is what is wanted; next month's new columns are too
    group = _stamped(best.group, places, best.around)
    return Draft(
        group, best.reading.extras, columns, said, steps=steps, as_written=best.as_written, others=best.reached.others,
        wanted=True,
    )  # fmt: skip


def _field(name: str, place: str, places: dict[str, str], own: set[str]) -> str:
    """The name of a field at a place, put among the others."""
    free = name if name not in own and name not in places else f"{name} (field)"
    places[free] = place
    return free


def _stamped(group: Group, places: Mapping[str, str], beside: Around) -> Group:
    """The group with these columns around its blocks and no others, so that no step is drafted for one that is not wanted."""
    stamps = []
    for name, place in places.items():
        values = beside.values_at(place) or [place[6:-1]] * len(group.pieces)  # a constant stands nowhere
        stamps.append(Stamp(name, _STAMPS.get(place.split()[0], "field"), place, tuple(values)))
    return replace(group, columns=tuple(stamps))


def _run(text: str, base: Path, wanted: Wanted, constants: Mapping[str, str]) -> Match:
    """Which wanted rows the plan gives; what it only stamps as a constant is not reached."""
    plan = parse_plan(text)
    written = plan.output[0].table
    done = next(one for one in run_plan(plan, base) if one.name == written)
    data = done.table.data
    match = same_names(wanted, data.select([name for name in data.column_names if name not in constants]))
    return replace(match, stamped=constants)


def _nothing_reached(wanted: Wanted, best: _Candidate) -> PlanError:
    said = "the wanted row is not" if len(wanted) == 1 else f"none of the {len(wanted)} wanted rows is"
    return PlanError(
        f"{said} in the reports, however they are read", why=next(islice(best.match.misses, 1), ""),
        do="Retype a row or two as the report says them: values and labels in its own words",
    )  # fmt: skip
