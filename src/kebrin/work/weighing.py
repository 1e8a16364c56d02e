"""Weigh the readings of a sheet: the first is taken if its proof is clean; where it is not, others are proposed and proved."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace
from typing import TYPE_CHECKING

import numpy as np

from kebrin.errors import KebrinError, LayoutError, Place
from kebrin.layout import Stated, as_one_record, labels_of
from kebrin.table import Finding, FindingKind
from kebrin.work.choose import (
    complaints,
    keeps_values,
    lies_across,
    open_columns,
    proposals,
    said_of_sign,
    sign_by_ties,
)
from kebrin.work.known_sheets import recall, remember
from kebrin.work.merged import spread, told
from kebrin.work.pieces import Ask, SheetWork, worked

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.cells import Sheet
    from kebrin.layout import FieldCell
    from kebrin.table import Table
    from kebrin.unpivoting import Keep

_FAULTS = ("cell unclaimed", "objection", "label path twice", "total that does not tie")
_FAULTS_MANY = ("cells unclaimed", "objections", "label paths twice", "totals that do not tie")
FIRST = "as it stands"


@dataclass(frozen=True)
class Reading:
    """One reading that was weighed: what it is, what its proof found, and whether it was taken."""

    said: str
    found: str
    taken: bool

    def __str__(self) -> str:
        return f"{self.said}: {self.found}{'; taken' if self.taken else ''}"


@dataclass(frozen=True, eq=False)
class Weighed:
    """The reading of a sheet that was taken: its work, the sheet as it was read, and all readings that were weighed."""

    work: SheetWork
    sheet: Sheet
    readings: tuple[Reading, ...]


def work_sheet(
    sheet: Sheet, stated: Stated | None = None, *, keep: Keep | None = None, tolerance: float | None = None,
    fields: Sequence[FieldCell] = (),
) -> SheetWork:  # fmt: skip
    """Find a sheet's blocks, unpivot each, and check totals, body and reach; stated fields count as fields found.

    A sheet of a form that is known is held to that form instead.
    """
    ask = Ask(keep, tolerance, tuple(fields))
    # Figures too large to be summed are told by the checks that they fail; no warning says it better.
    with np.errstate(all="ignore"):
        known = recall(sheet, stated, ask)
        if known is not None:
            return known
        weighed = weigh(sheet, stated, ask)
    if weighed.sheet is sheet and len(weighed.readings) == 1:
        remember(sheet, stated, ask, weighed.work)
    return weighed.work


def weigh(sheet: Sheet, stated: Stated | None = None, ask: Ask | None = None) -> Weighed:
    """Work on a sheet in the reading that its proof finds best.

    >>> from kebrin.cells import Sheet
    >>> rows = [["Quay", "Jan", "Feb"], ["East", 1.0, 2.0], ["West", 3.0, 4.0]]
    >>> [str(one) for one in weigh(Sheet.of(rows)).readings]
    ['as it stands: clean; taken']
    """
    ask = ask or Ask()
    anew = _laid_anew(sheet, stated, ask)
    if anew is not None:
        return anew
    first, sheet = _first(sheet, stated, ask)
    tried: list[Reading] = []
    if open_columns(sheet, first):
        first, sheet, tried = _with_sign_by_ties(sheet, stated, ask, first)
    before = complaints(first)
    if not any(before[:3]):
        return Weighed(first, sheet, tuple(tried or [_reading(FIRST, first, taken=True)]))
    tried = tried or [_reading(FIRST, first)]
    record = _as_form(sheet, stated, ask, first)
    if record is not None:
        return replace(record, readings=(*tried, *record.readings))
    for proposal in proposals(sheet, stated, first):
        try:
            other = worked(proposal.sheet, proposal.stated, ask)
        except KebrinError as error:
            tried.append(Reading(proposal.said, f"not possible: {error.what}", taken=False))
            continue
        after = complaints(other)
        clean = other.pieces and not any(after[:3]) and after[3] <= before[3]
        if clean and keeps_values(first, other) and not _gains_blank_level(first, other):
            said = Finding(
                FindingKind.READING, f"read so that nothing is lost: {proposal.said}", sheet.source, sheet.name
            )
            work = replace(other, remarks=(said, *other.remarks))
            return Weighed(work, proposal.sheet, (*tried, _reading(proposal.said, other, taken=True)))
        lost = ", and values are lost" if clean else ""
        tried.append(replace(_reading(proposal.said, other), found=_found(other) + lost))
    tried[0] = replace(tried[0], taken=True)
    return Weighed(first, sheet, tuple(tried))


def _gains_blank_level(first: SheetWork, other: SheetWork) -> bool:
    """Whether a reading takes a line above for headings that says nothing of some columns: it may as well be a title."""
    known = {level.line for piece in first.pieces for level in piece.layout.boxhead}
    more = [level for piece in other.pieces for level in piece.layout.boxhead if level.line not in known]
    return any(bool((level.codes < 0).any()) for level in more)


def _first(sheet: Sheet, stated: Stated | None, ask: Ask) -> tuple[SheetWork, Sheet]:
    """The first reading: as the sheet stands, but that texts merged over several cells of a body stand for each of them."""
    first = worked(sheet, stated, ask)
    other = spread(sheet, first, stated)
    if other is None:
        return first, sheet
    work = worked(other, stated, ask)
    if not work.pieces or (not first.pieces and any(complaints(work)[:3])):
        return first, sheet
    return replace(work, remarks=(told(sheet, other), *work.remarks)), other


def _reading(said: str, work: SheetWork, *, taken: bool = False) -> Reading:
    return Reading(said, _found(work), taken)


def _found(work: SheetWork) -> str:
    """What the proof of a reading found, in words."""
    faults = [
        f"{count:,} {one if count == 1 else many}"
        for count, one, many in zip(complaints(work), _FAULTS, _FAULTS_MANY, strict=True)
        if count
    ]
    return ", ".join(faults) if faults else "clean" if work.pieces else "no table"


def _with_sign_by_ties(
    sheet: Sheet, stated: Stated | None, ask: Ask, first: SheetWork
) -> tuple[SheetWork, Sheet, list[Reading]]:
    """The work under the one decimal sign by which the stated totals tie, if there is one."""
    tried = {sign: sheet.hinted(assumed=sign) for sign in (".", ",")}
    works = {sign: worked(own, stated, ask) for sign, own in tried.items()}
    ties = {
        sign: (sum(p.ties.exact for p in work.pieces), sum(p.ties.failed for p in work.pieces))
        for sign, work in works.items()
    }
    sign = sign_by_ties(ties)
    if not sign:
        return first, sheet, []
    readings = [
        Reading(
            f"decimal {'point' if one == '.' else 'comma'}",
            f"{exact:,} stated totals tie, {failed:,} do not",
            taken=one == sign,
        )
        for one, (exact, failed) in ties.items()
    ]
    said = Finding(FindingKind.READING, said_of_sign(sign, ties[sign][0]), sheet.source, sheet.name)
    return replace(works[sign], remarks=(said, *works[sign].remarks)), tried[sign], readings


def is_turned(sheet: Sheet, stated: Stated | None) -> bool:
    """Whether a sheet is turned round before it is laid out: as stated, or since its records lie across."""
    return (stated is not None and stated.turn) or ((stated is None or stated == Stated()) and lies_across(sheet))


def as_read(sheet: Sheet, stated: Stated | None) -> Sheet:
    """The sheet as its layout is sought: turned round where its records lie across, a form as one record.

    Raises:
        LayoutError: a form that is stated is not this sheet's, or something of rows and columns is stated with it.
    """
    if stated is not None and stated.form:
        _refuse_other_layout(sheet, stated)
        return as_one_record(sheet, stated.form)
    return sheet.turned() if is_turned(sheet, stated) else sheet


def _refuse_other_layout(sheet: Sheet, stated: Stated) -> None:
    """Refuse what is stated beside a form of rows and columns, which it has not; what texts are no totals may be stated."""
    plain = Stated(form=stated.form, not_totals=stated.not_totals, records=stated.records, blanks=stated.blanks)
    others = [one.name for one in fields(Stated) if getattr(stated, one.name) != getattr(plain, one.name)]
    if others:
        raise LayoutError(
            f"form names the labels of a form, which has no {', '.join(others)}", Place(sheet.source, sheet.name),
            why="it is one record, whose rows and columns nobody states", do=f"Take {' and '.join(others)} out, or form",
        )  # fmt: skip


def in_file(table: Table, sheet: Sheet) -> Table:
    """A table of a sheet as it was read, with the places that its cells have in the file."""
    if sheet.places is not None:
        return replace(table, origins=table.origins.placed(sheet.places))
    return replace(table, origins=table.origins.turned()) if sheet.is_turned else table


def _as_form(sheet: Sheet, stated: Stated | None, ask: Ask, first: SheetWork) -> Weighed | None:
    """The work on a sheet as one record, if all that it holds are labels with what was filled in, and something was left over."""
    if (stated is not None and stated != Stated()) or not first.pieces or not (names := labels_of(sheet, or_list=True)):
        return None
    try:
        record = _laid_anew(sheet, Stated(form=names), ask)
    except KebrinError:
        return None
    return record if record is not None and record.work.pieces and not any(complaints(record.work)) else None


def _laid_anew(sheet: Sheet, stated: Stated | None, ask: Ask) -> Weighed | None:
    """The work on a sheet that is read otherwise than as it lies in the file, its cells named as they lie there."""
    laid = as_read(sheet, stated)
    if laid is sheet:
        return None
    if laid.places is None:
        said, what = "turned round", "it lists its records across, a field to each row, and was turned round"
    else:
        said, what = "one record", "each copy of the form, its labels with what was filled in, was read as one record"
    work = worked(laid, stated, ask)
    pieces = tuple(replace(piece, table=in_file(piece.table, laid)) for piece in work.pieces)
    told = Finding(FindingKind.READING, what, sheet.source, sheet.name)
    work = replace(work, pieces=pieces, remarks=(told, *work.remarks))
    return Weighed(work, laid, (_reading(said, work, taken=True),))
