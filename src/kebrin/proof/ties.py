"""Tie-outs: each total that the report states, compared with the sum of its parts.

Rounding. A total and its parts may each have been rounded for print, so a difference of up to half a unit of the last
place shown, times the number of terms, is within rounding. That allowance is given only to a block that shows
rounding: a note says so, formats hide decimals, or many totals are off a little and none is far off.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from math import isclose
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from kebrin.grammar.words import average_word
from kebrin.layout import is_ratio
from kebrin.layout.unlike import balance_of
from kebrin.table.findings import Finding, FindingKind, Settle

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout import Layout, Level

    Numbers = NDArray[np.float64]

# A ratio shows in more rows than this; of more columns none is looked for.
_FEWEST_DIVIDED, _MOST_DIVIDED = 2, 40
# So many totals, and so large a share of all, must be off for figures to be rounded where no word and no format says so.
_ROUNDED_COUNT, _ROUNDED_SHARE = 3, 0.1
_ROUNDED = re.compile(
    r"\b(?:round|arrond|redonde|arrotond|afgerond|afrond|avrund|zaokr)|gerundet|rundung", re.IGNORECASE
)
_MOST_DECIMALS = 6
_LISTED = 200
_TOLD = 4


@dataclass(frozen=True)
class Known:
    """A wrong total of the report that a person knows of: its cell, what it states, what its parts sum to, and why.

    It holds for these figures alone: where the report states other ones, the total is open again.
    """

    cell: str
    states: float
    sums: float
    sheet: str = ""
    file: str = ""
    why: str = ""

    def is_of(self, file: str, sheet: str) -> bool:
        """Whether it speaks of this sheet."""
        return self.sheet in {"", sheet} and self.file in {"", file, Path(file).name}

    def is_gap(self, gap: Gap) -> bool:
        """Whether it is this gap, to the last place."""
        return self.cell == gap.cell and isclose(self.states, gap.stated) and isclose(self.sums, gap.computed)


@dataclass(frozen=True)
class Gap:
    """One stated total that is not the sum of its parts; `line` is the total line that it stands in.

    `cause` says which one cell would make this total and the one that crosses it tie, where one would.
    """

    cell: str
    stated: float
    computed: float
    terms: int
    tolerance: float
    line: str = ""
    cause: str = ""

    @property
    def difference(self) -> float:
        """Stated less computed."""
        return self.stated - self.computed

    @property
    def said(self) -> str:
        """The gap in a clause."""
        parts = "1 part sums" if self.terms == 1 else f"{self.terms} parts sum"
        return (
            f"{self.line} states {self.stated:,.10g}, its {parts} to {self.computed:,.10g}, "
            f"a difference of {self.difference:+,.10g}{f'; {self.cause}' if self.cause else ''}"
        )

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {
            "cell": self.cell, "stated": self.stated, "computed": self.computed, "difference": self.difference,
            "terms": self.terms, "tolerance": self.tolerance, "line": self.line, "cause": self.cause,
        }  # fmt: skip


@dataclass(frozen=True)
class TieOut:
    """The totals of one block: how many cells state one, how many tie exactly or within rounding, and the rest.

    `apart` counts cells of total lines that stand among shares or rates and are no sums of them: nothing is said by these.
    """

    file: str
    sheet: str
    lines: int
    exact: int
    rounded: int
    gaps: tuple[Gap, ...] = ()
    failed: int = 0
    widest: float = field(default=0.0)
    apart: int = 0

    @property
    def cells(self) -> int:
        """Total cells that were compared."""
        return self.exact + self.rounded + self.failed

    @property
    def holds(self) -> bool:
        """Whether every stated total ties."""
        return not self.failed

    def with_more(self, other: TieOut) -> TieOut:
        """These totals and those of another comparison on the same sheet."""
        return replace(
            self, lines=self.lines + other.lines, exact=self.exact + other.exact, rounded=self.rounded + other.rounded,
            gaps=(*self.gaps, *other.gaps), failed=self.failed + other.failed, apart=self.apart + other.apart,
            widest=max(self.widest, other.widest),
        )  # fmt: skip

    def findings(self, *, breaks: bool, known: Sequence[Known] = ()) -> list[Finding]:
        """The totals that do not tie, the first of them one by one; those that a person knows of are told."""
        mine = [one for one in known if one.is_of(self.file, self.sheet)]
        # Two totals may cross in one cell, of which one is known: each is held by its own figures.
        known_as = [next((one for one in mine if one.is_gap(gap)), None) for gap in self.gaps]
        told = [self._told(gap, one) for gap, one in zip(self.gaps, known_as, strict=True) if one is not None]
        kind, left = FindingKind.GAP, self.failed - len(told)
        widely = Settle("totals", "report", "proof", says="wrong totals are then only reported, and break nothing")
        gaps = [gap for gap, one in zip(self.gaps, known_as, strict=True) if one is None]
        found = [
            Finding(
                kind, gap.said, self.file, self.sheet, (gap.cell,), 1, breaks,
                settle=(self._accepted(gap), widely) if breaks else (),
            )
            for gap in gaps[:_TOLD]
        ]  # fmt: skip
        if left > _TOLD:
            what = f"{left - _TOLD:,} more stated totals do not tie"
            settle = (widely,) if breaks else ()
            found.append(Finding(kind, what, self.file, self.sheet, (), left - _TOLD, breaks, settle=settle))
        return [*found, *told]

    def _told(self, gap: Gap, known: Known) -> Finding:
        what = f"a wrong total that is known{f' ({known.why})' if known.why else ''}: {gap.said}"
        return Finding(FindingKind.KNOWN_TOTAL, what, self.file, self.sheet, (gap.cell,), 1)

    def _accepted(self, gap: Gap) -> Settle:
        figures = {"states": _plain(gap.stated), "sums": _plain(gap.computed)}
        said = {"sheet": self.sheet, "cell": gap.cell, **figures, "why": "the report states it so"}
        return Settle("known", [said], "proof", says="this total is wrong in the report, and known to be")

    def known_gaps(self, known: Sequence[Known]) -> int:
        """How many of its totals are wrong as a person knows of."""
        mine = [one for one in known if one.is_of(self.file, self.sheet)]
        return sum(any(one.is_gap(gap) for one in mine) for gap in self.gaps)

    def known_of(self, known: Sequence[Known]) -> list[Known]:
        """Those of the known wrong totals that are wrong here, as they were."""
        mine = [one for one in known if one.is_of(self.file, self.sheet)]
        return [one for one in mine if any(one.is_gap(gap) for gap in self.gaps)]

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {
            "file": self.file, "sheet": self.sheet, "lines": self.lines, "cells": self.cells, "exact": self.exact,
            "within rounding": self.rounded, "widest within rounding": self.widest, "failed": self.failed,
            "among shares or rates": self.apart, "gaps": [gap.to_plain() for gap in self.gaps],
        }  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Checks:
    """All total cells of a block, side by side."""

    rows: NDArray[np.intp]
    columns: NDArray[np.intp]
    stated: Numbers
    computed: Numbers
    terms: NDArray[np.intp]
    decimals: NDArray[np.intp]
    scale: Numbers
    line: NDArray[np.intp]  # which of the layout's total lines
    ratio: NDArray[np.bool_]  # whether a cell stands among shares or rates, which need not add up


def tie_out(sheet: Sheet, layout: Layout, tolerance: float | None = None) -> TieOut:
    """Compare every stated total of a block with the sum of its parts.

    Args:
        sheet: the sheet.
        layout: its layout, total lines and their parts included.
        tolerance: the largest difference that still ties; by default half a unit of the last place shown times the
            number of terms, where the block shows rounding at all.
    """
    parts = [_check(sheet, layout, at) for at, line in enumerate(layout.totals) if not line.loose]
    if not parts:
        return TieOut(sheet.source, sheet.name, 0, 0, 0)
    checks = _Checks(*(np.concatenate(pieces) for pieces in zip(*parts, strict=True)))
    gaps = np.abs(checks.stated - checks.computed)
    exact = gaps <= 1e-9 * np.maximum(checks.scale, 1.0)
    allowed = _allowance(sheet, layout, checks, exact, tolerance)
    within = ~exact & (gaps <= allowed + 1e-9 * np.maximum(checks.scale, 1.0))
    open_gaps = ~exact & ~within
    failed = np.flatnonzero(open_gaps & ~checks.ratio)
    causes = _causes(sheet, layout, checks, failed[:_LISTED])
    listed = tuple(
        Gap(
            sheet.address(int(checks.rows[at]), int(checks.columns[at])), float(checks.stated[at]), float(checks.computed[at]),
            int(checks.terms[at]), float(allowed[at]), _line_of(layout, int(checks.line[at])), causes.get(at, ""),
        )
        for at in failed[:_LISTED].tolist()
    )  # fmt: skip
    widest = float(gaps[within].max()) if within.any() else 0.0
    return TieOut(
        sheet.source,
        sheet.name,
        len(layout.totals),
        int(exact.sum()),
        int(within.sum()),
        listed,
        len(failed),
        widest,
        int((open_gaps & checks.ratio).sum()),
    )


def _causes(sheet: Sheet, layout: Layout, checks: _Checks, failed: NDArray[np.intp]) -> dict[int, str]:
    """For each open check the one body cell that would make it tie, and the one that crosses it too: both are off by as much."""
    along = [at for at in failed.tolist() if layout.totals[checks.line[at]].axis == "row"]
    across = [at for at in failed.tolist() if at not in along]
    found: dict[int, list[str]] = {}
    for one in along:
        for other in across:
            off = float(checks.stated[one] - checks.computed[one])
            row, column = int(checks.rows[other]), int(checks.columns[one])
            inside = row in layout.totals[checks.line[one]].parts and column in layout.totals[checks.line[other]].parts
            if not inside or not isclose(off, float(checks.stated[other] - checks.computed[other]), rel_tol=1e-9):
                continue
            holds = float(np.nan_to_num(sheet.numbers[row, column]))
            instead = f"with {holds + off:,.10g} rather than {holds:,.10g} in {sheet.address(row, column)}"
            for at, crossing in ((one, other), (other, one)):
                crossed = sheet.address(int(checks.rows[crossing]), int(checks.columns[crossing]))
                found.setdefault(at, []).append(f"{instead} it would tie, and the total in {crossed} too")
    return {at: said[0] for at, said in found.items() if len(said) == 1}


def _plain(number: float) -> float | int:
    """A figure as a plan writes it: ten digits, as it is said, and no decimal point where it needs none."""
    return int(number) if number.is_integer() else float(f"{number:.12g}")


def _line_of(layout: Layout, number: int) -> str:
    line = layout.totals[number]
    return f"total {line.name}"


def _check(sheet: Sheet, layout: Layout, number: int) -> tuple[NDArray[Any], ...]:
    """The comparable cells of one total line: rows, columns, stated, computed, terms, decimals, scale, line, ratio."""
    line = layout.totals[number]
    along = line.axis == "row"
    # Where a total crosses a mean, the cell is the mean's: rounded means do not add up.
    # A line that only carries a sum over states nothing about this block.
    crossing = [other for other in layout.total_lines("column" if along else "row") if len(other.parts)]
    others = [other for other in crossing if line.mean or not other.mean]
    own = layout.body_columns if along else layout.body_rows
    cross = np.concatenate((own, np.array([other.at for other in others], np.int32)))
    numbers = sheet.numbers[np.ix_(line.parts, cross)] if along else sheet.numbers[np.ix_(cross, line.parts)].T
    stated = sheet.numbers[line.at, cross] if along else sheet.numbers[cross, line.at]
    there = ~np.isnan(stated) & ~np.isnan(numbers).all(axis=0)
    ratio = _ratios(layout, len(cross), along=along)[there]
    ratio |= _in_per_cent(sheet, line.parts, cross, along=along)[there]
    if along:  # a balance is stated again as it stands last, and is no sum; nor is what is a ratio in every row
        ratio |= _stands_last(numbers, stated)[there]
        ratio |= _divides(numbers, stated)[there]
    elif not ratio.all() and any(is_ratio(sheet.text(row, line.at)) for row in layout.boxhead_rows):
        ratio[:] = True
    numbers, stated, cross = numbers[:, there], stated[there], cross[there]
    terms = (~np.isnan(numbers)).sum(axis=0)
    computed = np.nansum(numbers, axis=0)
    if line.mean:
        computed = _means(computed / terms, stated)
    elif along and (means := _means_among(layout, cross, numbers, stated)).any():
        computed = np.where(means, stated, computed)
    scale = np.abs(np.nan_to_num(numbers)).sum(axis=0) + np.abs(stated)
    decimals = _decimals_of(np.vstack((numbers, stated[None, :])))
    fixed = np.full(len(cross), line.at)
    rows, columns = (fixed, cross) if along else (cross, fixed)
    of_line = np.full(len(cross), number)
    return rows.astype(np.intp), columns.astype(np.intp), stated, computed, terms, decimals, scale, of_line, ratio


def _means(computed: Numbers, stated: Numbers) -> Numbers:
    """Means as they are stated: to so many places whatever their parts were rounded to; a half is rounded either way."""
    half = 0.5 * 10.0 ** -int(_decimals_of(stated[None, :]).max(initial=0))
    return np.where(np.abs(computed - stated) <= half * (1 + 1e-6), stated, computed)


def _means_among(layout: Layout, columns: NDArray[np.int32], numbers: Numbers, stated: Numbers) -> NDArray[np.bool_]:
    """Which cells of a total row are the means of columns whose headings say that they hold means.

    Rain adds up over a year, and the mean temperature does not.
    """
    said = [
        any(average_word(text) for level in layout.boxhead if (text := _heading(layout, level, column)))
        for column in columns
    ]
    terms = (~np.isnan(numbers)).sum(axis=0)
    means = np.nansum(numbers, axis=0) / np.maximum(terms, 1)
    return np.asarray(np.array(said, np.bool_) & (terms > 1) & (_means(means, stated) == stated))


def _heading(layout: Layout, level: Level, column: int) -> str | None:
    """What a level of headings says over a column of the body."""
    places = np.flatnonzero(layout.body_columns == column)
    return level.label(int(places[0])) if len(places) else None


def _stands_last(numbers: Numbers, stated: Numbers) -> NDArray[np.bool_]:
    """The cell of a total row, if there is one, that states a balance again as it stands last in its column."""
    found = np.zeros(len(stated), np.bool_)
    kept = balance_of(numbers)
    if kept >= 0:
        last = numbers[:, kept][~np.isnan(numbers[:, kept])]
        found[kept] = len(last) > 0 and last[-1] == stated[kept]
    return found


def _divides(numbers: Numbers, stated: Numbers) -> NDArray[np.bool_]:
    """Which cells of a total row stand in a column that is, in every row and in this one, one other column divided by another.

    An average or a share of sums is no sum of averages: 29,576 of 474 is 62.4, whatever each row has.
    """
    found = np.zeros(len(stated), np.bool_)
    rows = np.vstack((numbers, stated[None, :]))
    if rows.shape[0] <= _FEWEST_DIVIDED or rows.shape[1] > _MOST_DIVIDED:
        return found
    off = np.abs(np.nansum(numbers, axis=0) - stated) > 1e-9 * np.maximum(np.abs(stated), 1.0)
    places = _decimals_of(rows)
    for at in np.flatnonzero(off).tolist():
        own = rows[:, at, None, None]
        # Shown to so many places, and twice as loose: a figure may be cut as well as rounded. Whole ones must fit.
        slack = 10.0 ** -float(places[at]) if places[at] else 1e-9
        over = rows[:, :, None] / np.where(rows == 0, np.nan, rows)[:, None, :]
        for factor in (1.0, 100.0):
            fits = (np.abs(factor * over - own) <= slack) | np.isnan(over) | np.isnan(own)
            told = ~(np.isnan(over) | np.isnan(own))
            fits &= ~np.eye(rows.shape[1], dtype=np.bool_)[None, :, :]
            pairs = fits.all(axis=0) & (told.sum(axis=0) > _FEWEST_DIVIDED) & told[-1]
            pairs[at, :] = pairs[:, at] = False
            found[at] |= bool(pairs.any())
    return found


def _ratios(layout: Layout, cells: int, *, along: bool) -> NDArray[np.bool_]:
    """Which of a total line's cells stand among shares or rates: these do not add up, unless the whole block is such."""
    own = np.zeros(cells, np.bool_)
    for level in layout.boxhead if along else layout.stub:
        own[: len(level.codes)] |= np.array(
            [bool(label) and is_ratio(label or "") for label in level.labels()], np.bool_
        )
    count = len(layout.body_columns if along else layout.body_rows)
    return np.zeros(cells, np.bool_) if own[:count].all() else own


def _in_per_cent(sheet: Sheet, parts: NDArray[np.int32], cross: NDArray[np.int32], *, along: bool) -> NDArray[np.bool_]:
    """Which columns of a total row are written in per cent: these need not add up."""
    found = np.zeros(len(cross), np.bool_)
    if not along or not len(parts):
        return found
    numbers = sheet.numbers[np.ix_(parts, cross)]
    small = (np.abs(numbers) <= 1) & (numbers % 1 != 0)
    for at in np.flatnonzero(small.any(axis=0)).tolist():
        row, column = int(parts[int(small[:, at].argmax())]), int(cross[at])
        found[at] = (
            "%" in sheet.text(row, column) if sheet.textual else sheet.formats().family(row, column) == "percent"
        )
    return found


def _decimals_of(numbers: Numbers) -> NDArray[np.intp]:
    """Decimal places that the numbers of each column need, at most six."""
    needed = np.zeros(numbers.shape[1], np.intp)
    values = np.nan_to_num(numbers)
    for places in range(_MOST_DECIMALS):
        shifted = values * 10.0**places
        loose = np.abs(shifted - np.round(shifted)) > 1e-6 * np.maximum(np.abs(shifted), 1.0)
        needed[loose.any(axis=0)] = places + 1
        if not loose.any():
            break
    return needed


def _allowance(
    sheet: Sheet, layout: Layout, checks: _Checks, exact: NDArray[np.bool_], tolerance: float | None
) -> Numbers:
    """How far each stated total may be off: nothing, unless the block shows that its figures are rounded.

    It shows so if a note says so, if formats hide decimals, or if many totals are off a little and none is far off.
    """
    if tolerance is not None:
        return np.full(len(exact), float(tolerance))
    none = np.zeros(len(exact))
    off = np.flatnonzero(~exact & ~checks.ratio)
    if not len(off):
        return none
    decimals = checks.decimals.copy()
    hidden = False
    formats = sheet.formats()
    for at in off.tolist():
        row, column = int(checks.rows[at]), int(checks.columns[at])
        shown = _written(sheet, row, column) if sheet.textual else formats.decimals(row, column)
        if shown is not None:
            # Values may hold more places than they show: the number formats say, and are asked only now.
            hidden |= not sheet.textual and shown < decimals[at]
            decimals[at] = max(shown, decimals[at]) if sheet.textual else shown
    allowed = 0.5 * 10.0 ** (-decimals.astype(np.float64)) * checks.terms
    gaps = np.abs(checks.stated - checks.computed)
    several = len(off) >= _ROUNDED_COUNT and len(off) >= _ROUNDED_SHARE * int((~checks.ratio).sum())
    within = bool((gaps[off] <= allowed[off] + 1e-9 * np.maximum(checks.scale[off], 1.0)).all())
    return allowed if hidden or _says_rounded(sheet, layout) or (several and within) else none


def _says_rounded(sheet: Sheet, layout: Layout) -> bool:
    """Whether a text around the block speaks of rounding."""
    return any(_ROUNDED.search(sheet.text(*at)) for at in layout.texts)


def _written(sheet: Sheet, row: int, column: int) -> int | None:
    """The decimal places that a text writes."""
    sign = sheet.readings.decimals.get(column, ".")
    _, found, behind = sheet.text(row, column).rpartition(sign)
    return sum(map(str.isdigit, behind)) if found else 0
