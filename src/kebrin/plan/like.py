"""Draft a plan from wanted rows: find the reading of the reports under which they give these rows.

Readings are tried from the likeliest on: the one that is worked out, then others that differ in one decision. For each,
every wanted column is looked for among the table's columns and the fields around its blocks.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.errors import LayoutError, PlanError
from kebrin.grammar.periods import period_name
from kebrin.layout import Stated
from kebrin.plan.drafting import Draft, compose
from kebrin.plan.reading import parse_plan
from kebrin.plan.running import run_plan
from kebrin.plan.wanted import Match, Wanted, best_match, same_names
from kebrin.unpivoting import Keep
from kebrin.work.joining import join
from kebrin.work.stamps import Stamp, beside, without_caption
from kebrin.work.unaided import survey_reports

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from kebrin.cells import Report
    from kebrin.work.sheet import Piece
    from kebrin.work.unaided import Found, Group

_DEPTHS, _WIDTHS = range(4), range(1, 4)
# What is stamped, by the first word of its place.
_STAMPS = {"file": "file", "sheet": "sheet", "block": "title"}
# Readings that fit best with one decision changed, from which a second is changed.
_BEST_SINGLES = 3


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
    """A group of blocks under one reading, and how well it holds the wanted rows."""

    reading: _Reading
    found: Found
    group: Group
    match: Match


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
    best: _Candidate | None = None
    for candidate in _candidates(reports, wanted):
        if best is None or candidate.match.rank > best.match.rank:
            best = candidate
        if best.match.whole:
            break
    if best is None or not any(best.match.reached):
        raise _nothing_reached(wanted, best)
    text = _text(best, wanted, [], base, output)
    match = _run(text, base, wanted)
    # What is not reached is said in the plan itself, so that it is read with it.
    return Like(_text(best, wanted, match.misses, base, output) if match.misses else text, match)


def _candidates(reports: Sequence[Report], wanted: Wanted) -> Iterator[_Candidate]:
    """Groups of blocks under one reading after the other: as worked out, with one decision changed, with two."""
    first = survey_reports(reports)
    plain = list(_of(_Reading(), first, wanted))
    yield from plain
    best = max(candidate.match.rank for candidate in plain)
    singles = list(_readings(first))
    ranked: list[tuple[tuple[int, ...], int]] = []
    for number, reading in enumerate(singles):
        tried = list(_tried(reading, reports, wanted))
        yield from tried
        rank = max((candidate.match.rank for candidate in tried), default=best)
        if rank > best:  # only a decision that helps is worth a second one
            ranked.append((rank, -number))
    for _, number in sorted(ranked, reverse=True)[:_BEST_SINGLES]:
        likely = singles[-number]
        for other in singles:
            if not other.stated.keys() & likely.stated.keys() and other is not likely:
                yield from _tried(likely.and_also(other), reports, wanted)


def _tried(reading: _Reading, reports: Sequence[Report], wanted: Wanted) -> Iterator[_Candidate]:
    try:
        found = survey_reports(reports, Stated(**reading.stated), keep=Keep(**reading.keep))
        yield from list(_of(reading, found, wanted))
    except (LayoutError, PlanError):
        return  # this reading does not fit the sheets


def _of(reading: _Reading, found: Found, wanted: Wanted) -> Iterator[_Candidate]:
    for group in found.groups:
        places = _around(group.pieces)
        stamps = [{place: values[at] for place, values in places.items()} for at in range(len(group.pieces))]
        table, _ = join(group.pieces, stamps)
        yield _Candidate(reading, found, group, _with_constants(best_match(wanted, table.data), len(group.pieces)))


def _readings(found: Found) -> Iterator[_Reading]:
    """The readings that differ in one decision from the one that is worked out."""
    yield _Reading(("empty cells are kept",), keep={"blanks": "keep"}, extras={"blanks": "keep"})
    yield _Reading(("footnote marks are kept",), keep={"marks": "keep"}, extras={"marks": "keep"})
    levels = dict.fromkeys(
        level.name for group in found.groups for piece in group.pieces[:1] for level in piece.layout.boxhead
    )
    for name in ("", *levels):
        said = f"the labels of {name} are columns" if name else "no heading is a column"
        yield _Reading((said,), {"measures": name}, extras={"measures": name})
    yield _Reading(("totals are kept as data",), {"totals_found": False}, extras={"find_totals": False})
    yield _Reading(("no row heads others",), {"cutins": ()}, extras={"cutins": []})
    for depth in _DEPTHS:
        yield _Reading((f"{depth} rows are headings",), {"boxhead": ("",) * depth})
    for width in _WIDTHS:
        yield _Reading((f"{width} columns are labels",), {"stub": ("",) * width})


def _around(pieces: Sequence[Piece]) -> dict[str, list[str | None]]:
    """What stands around the blocks, by its place in a plan: a value for each block."""
    names = dict.fromkeys(name for piece in pieces for name in piece.fields)
    found: dict[str, list[str | None]] = {
        beside(name, everywhere=all(name in piece.fields for piece in pieces)): [
            piece.fields.get(name) for piece in pieces
        ]
        for name in names
    }
    found["sheet name"] = [piece.sheet for piece in pieces]
    titles = [without_caption(piece.layout.title) for piece in pieces]
    if all(titles):
        found["block title"] = list(titles)
    files = [Path(piece.file).name for piece in pieces]
    found["file name"] = list(files)
    for pattern in _patterns(files[0]):
        matches = [re.search(pattern, file) for file in files]
        if all(matches):
            found[f"file name, '{pattern}'"] = [match[1] for match in matches if match]
    return found


def _patterns(file: str) -> list[str]:
    r"""A pattern for each part of a file's name.

    >>> _patterns("traffic_2031.xlsx")
    ['([^\\W\\d_]+)_\\d+', 'traffic_(\\d{4})']
    """
    stem = Path(file).stem
    parts = re.findall(r"\d+(?:-\d+)*|[^\W\d_]+", stem)
    patterns = []
    for at, part in enumerate(parts):
        own = re.sub(r"\d+", lambda run: rf"\d{{{len(run[0])}}}", part) if part[0].isdigit() else r"[^\W\d_]+"
        start = stem.index(part)
        after = stem[start + len(part) :]
        before = re.sub(r"\d+", r"\\d+", re.escape(stem[:start]).replace("\\_", "_").replace("\\-", "-"))
        rest = re.match(r"_\d+", after) if at == 0 and not part[0].isdigit() else None
        patterns.append(f"{before}({own})" + (r"_\d+" if rest else ""))
    return patterns


def _with_constants(match: Match, pieces: int) -> Match:
    """The match, with a constant in place of each wanted column that says one thing which stands nowhere."""
    columns = list(match.columns)
    found = [name for name in columns if name is not None]
    if pieces > 1 or len(match.wanted) < 2 or len(found) < 2 or not any(match.reached):
        return match  # one row says anything, and what is not found on one of several sheets is no constant over them
    for at, name in enumerate(columns):
        said = {texts[at] for texts in match.wanted.texts}
        # What says when is no constant: the next file's rows would bear it.
        if (
            name is None
            and len(said) == 1
            and "" not in said
            and "'" not in next(iter(said))
            and not period_name(list(said))
        ):
            columns[at] = f"text '{said.pop()}'"
    return replace(match, columns=tuple(columns))


def _text(best: _Candidate, wanted: Wanted, misses: Sequence[str], base: Path, output: str) -> str:
    own = {level.name for piece in best.group.pieces for level in (*piece.layout.stub, *piece.layout.boxhead)}
    own |= {name for piece in best.group.pieces for name in piece.table.columns}
    places, columns = {}, {}
    for name, found in zip(wanted.columns, best.match.columns, strict=True):
        if found is None:
            continue
        if found in own:
            columns[name] = found
        else:
            places[name if name not in own else f"{name} (field)"] = found
            columns[name] = name if name not in own else f"{name} (field)"
    left = [name for name in best.group.pieces[0].table.columns if name not in columns.values()]
    said = list(best.reading.said)
    said += [f"left out, since no wanted column says it: {name}" for name in left]
    head = [f"Drafted by `kebrin draft --like {Path(wanted.file).name}`. Look through it, then run it."]
    head += [f"? not reached: {miss}" for miss in misses]
    head += [f"? {found[6:-1]!r} stands nowhere: a constant" for found in places.values() if found.startswith("text ")]
    draft = Draft(_stamped(best.group, places), best.reading.extras, columns, said)
    return compose(best.found, [draft], head, base=base, output=output)


def _stamped(group: Group, places: Mapping[str, str]) -> Group:
    """The group with these columns around its blocks and no others, so that no step is drafted for one that is not wanted."""
    around = _around(group.pieces)
    stamps = []
    for name, place in places.items():
        values = around.get(place, [place[6:-1]] * len(group.pieces))  # a constant stands nowhere
        stamps.append(Stamp(name, _STAMPS.get(place.split()[0], "field"), place, tuple(values)))
    return replace(group, columns=tuple(stamps))


def _run(text: str, base: Path, wanted: Wanted) -> Match:
    (done,) = run_plan(parse_plan(text), base)
    return same_names(wanted, done.table.data)


def _nothing_reached(wanted: Wanted, best: _Candidate | None) -> PlanError:
    why = best.match.misses[0] if best is not None else "no table was found"
    said = "the wanted row is not" if len(wanted) == 1 else f"none of the {len(wanted)} wanted rows is"
    return PlanError(
        f"{said} in the reports, however they are read", why=why,
        do="Retype a row or two as the report says them: values and labels in its own words",
    )  # fmt: skip
