"""Tidy reports without a plan: every sheet's layout is worked out, like is stacked with like."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.errors import LayoutError, Place, SourceError
from kebrin.layout import Stated
from kebrin.sources import read
from kebrin.sources.budget import budget_of
from kebrin.table import Finding, FindingKind
from kebrin.table.arrays import distinct_texts
from kebrin.values.entries import has_plain_sign
from kebrin.work.filled import with_copy, with_records
from kebrin.work.gathering import Aside
from kebrin.work.joining import Arrived, Done, Terms, join, prove
from kebrin.work.long_texts import work_on_long
from kebrin.work.memory import kept_low
from kebrin.work.padding import with_lacking
from kebrin.work.pieces import Ask, Piece, SheetWork, source_of
from kebrin.work.spelling import alike_spelled
from kebrin.work.stamps import Stamp, stamps_of, without_caption
from kebrin.work.summaries import without_summaries
from kebrin.work.telling import same_files, same_sheets, units_apart, with_said
from kebrin.work.uneven import uneven
from kebrin.work.weighing import work_sheet

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence

    import pyarrow as pa

    from kebrin.cells import Report, Sheet
    from kebrin.proof import Source
    from kebrin.table import Table
    from kebrin.unpivoting import Keep


_SHORTEST_NAME = 3
# A column of more labels than this is looked at by the verbs themselves, whole columns at a time.
_MANY = 20_000
# A date has at least so many digits.
_DATE_DIGITS = 3


@dataclass(frozen=True, eq=False)
class FileWork:
    """All that came of one file."""

    works: tuple[SheetWork, ...]
    source: Source


@dataclass(frozen=True)
class FileTask:
    """The work on one file without a plan, for this process or any other."""

    keep: Keep | None = None
    tolerance: float | None = None

    def __call__(self, path: Path) -> FileWork:
        """What a file gives.

        Raises:
            SourceError: it can't be read.
        """
        return self.work(read(path))

    def one(self, sheet: Sheet, stated: Stated | None = None) -> SheetWork:
        """What one sheet gives."""
        return work_sheet(sheet, stated, keep=self.keep, tolerance=self.tolerance)

    def _one_or_copy(self, sheet: Sheet, stated: Stated | None) -> SheetWork:
        work = self.one(sheet, stated)
        return work if stated and stated != Stated() else with_copy(sheet, work, Ask(self.keep, self.tolerance))

    def work(self, report: Report, stated: Stated | None = None) -> FileWork:
        """What a report gives: all sheets that are shown."""
        with budget_of(report.path):
            works = [
                work_on_long(report, name, lambda head: (head, self.one(head, stated)), self.keep)
                or self._one_or_copy(report[name], stated)
                for name in report.shown
            ]
        used = tuple(work.ledger.sheet for work in works)
        return FileWork(tuple(with_said(report, works)), source_of(report, used, dict(report.hidden)))


def opened(paths: Sequence[Path], *, alone: bool | None = None) -> Iterator[Report | Aside]:
    """Reports, each opened when it is asked for; those that can't be opened are set aside, but for one that is `alone`."""
    alone = len(paths) < 2 if alone is None else alone
    for path in paths:
        try:
            yield read(path)
        except SourceError as error:
            if alone:
                raise
            yield Aside.of(str(path), error)


def tidy_reports(
    reports: Iterable[Report | Aside],
    stated: Stated | None = None,
    *,
    keep: Keep | None = None,
    terms: Terms | None = None,
) -> list[Done]:
    """The tables of some reports: blocks of one layout are stacked, unlike ones become tables of their own.

    Every field becomes a column; so does what tells one block from another: the file, the sheet, the title. Boxhead rows that
    say the same throughout do not.

    Raises:
        SourceError: none of the reports can be read.
        LayoutError: no table was found on any sheet, or a layout can be read in two ways.
    """
    terms = terms or Terms()
    return tables_of(survey_reports(reports, stated, keep=keep, terms=terms), terms)


def tables_of(found: Found, terms: Terms, said: Sequence[Finding] = ()) -> list[Done]:
    """The tables of what some reports gave; `said` is what their proofs say of the run besides.

    Raises:
        LayoutError: a layout can be read in two ways.
    """
    return [_done(group, found, terms, said) for group in found.groups]


@dataclass(frozen=True, eq=False)
class Group:
    """Blocks of one layout: their pieces, and what is stamped on each."""

    name: str
    pieces: tuple[Piece, ...]
    columns: tuple[Stamp, ...]

    @property
    def stamps(self) -> list[dict[str, str | None]]:
        """The stamped columns with their values, for each piece."""
        return [{stamp.name: stamp.values[at] for stamp in self.columns} for at in range(len(self.pieces))]


@dataclass(frozen=True, eq=False)
class Found:
    """All that some reports gave."""

    groups: tuple[Group, ...]
    works: tuple[SheetWork, ...]
    sources: tuple[Source, ...]
    asides: tuple[Aside, ...] = ()

    def others(self, group: Group) -> set[str]:
        """The columns of all tables but one: cells of a sheet may have arrived in any of them."""
        return {
            name
            for one in self.groups
            if one is not group
            for name in (*one.pieces[0].table.columns, *(stamp.name for stamp in one.columns))
        }


def survey_reports(
    reports: Iterable[Report | Aside],
    stated: Stated | None = None,
    *,
    keep: Keep | None = None,
    terms: Terms | None = None,
) -> Found:
    """Work on every sheet of some reports, and group the blocks of one layout.

    Raises:
        SourceError: none of them can be read.
        LayoutError: no table was found on any sheet.
    """
    task = FileTask(keep, None if terms is None else terms.tolerance)
    found: list[FileWork | Aside] = []
    for report in kept_low(reports):
        if isinstance(report, Aside):
            found.append(report)
            continue
        try:
            found.append(task.work(report, stated))
        except SourceError as error:
            found.append(Aside.of(report.path, error))
    return grouped(found)


def grouped(found: Iterable[FileWork | Aside]) -> Found:
    """What some files gave, the blocks of one layout together.

    Raises:
        SourceError: all of them were set aside.
        LayoutError: no table was found on any sheet.
    """
    found = list(found)
    files = [one for one in found if isinstance(one, FileWork)]
    asides = tuple(one for one in found if isinstance(one, Aside))
    if asides and not files and asides[0].error is not None:
        raise asides[0].error
    works = with_lacking(
        alike_spelled(without_summaries(with_records([work for file in files for work in file.works])))
    )
    pieces = [piece for work in works for piece in work.pieces]
    sources = tuple(file.source for file in files)
    if not pieces:
        raise LayoutError(
            "no table was found", Place(", ".join(source.file for source in sources[:3])),
            why=f"{sum(work.ledger.cells for work in works):,} cells hold something, and none of them a body of values",
            do="State where the table starts in a plan: starts, boxhead, stub",
        )  # fmt: skip
    groups = _with_own_names([_group(own) for own in _alike(pieces)])
    return Found(groups, tuple(works), sources, asides)


def _works_of(pieces: Sequence[Piece], works: Sequence[SheetWork], *, first: bool) -> list[SheetWork]:
    """The sheets that gave a table its rows; those that gave none are accounted for with the first table."""
    own = {id(piece) for piece in pieces}
    return [work for work in works if own & {id(piece) for piece in work.pieces} or (first and not work.pieces)]


def _alike(pieces: Sequence[Piece]) -> list[list[Piece]]:
    groups: dict[frozenset[str], list[Piece]] = {}
    for piece in pieces:
        groups.setdefault(frozenset(piece.table.columns), []).append(piece)
    return list(groups.values())


def _group(pieces: list[Piece]) -> Group:
    name = _name_of(pieces)
    return Group(name, tuple(pieces), tuple(stamps_of(pieces)))


def _with_own_names(groups: list[Group]) -> tuple[Group, ...]:
    """The groups with a name each: those of one sheet are told apart by their title, or by what their rows are called."""
    names = [group.name for group in groups]
    told: list[Group] = []
    for group in groups:
        name = group.name
        if names.count(name) > 1:
            layout = group.pieces[0].layout
            own = without_caption(layout.title) or layout.stub_head or (layout.names[0] if layout.names else "")
            titles = [one.pieces[0].layout.title for one in groups if one.name == name]
            own = layout.stub_head or own if titles.count(layout.title) > 1 else own
            name = f"{name} {own}" if own else name
        count = sum(
            one.name == name or (one.name.startswith(f"{name} ") and one.name[len(name) + 1 :].isdigit())
            for one in told
        )
        told.append(replace(group, name=f"{name} {count + 1}" if count else name))
    return tuple(told)


def _name_of(pieces: Sequence[Piece]) -> str:
    """A table's name: its sheet's if there is one, else its file's, or what the names of its files begin with."""
    stems = list(dict.fromkeys(Path(piece.file).stem for piece in pieces))
    if len(stems) > 1:
        begin = stems[0]
        while not all(stem.startswith(begin) for stem in stems):
            begin = begin[:-1]
        begin = begin.rstrip("0123456789 _-.")
        return begin if len(begin) >= _SHORTEST_NAME else stems[0]
    return stems[0] if len({piece.sheet for piece in pieces}) > 1 else pieces[0].sheet


def _done(group: Group, found: Found, terms: Terms, more: Sequence[Finding]) -> Done:
    table, constant = join(group.pieces, group.stamps, drop_constant=True)
    said = [
        Finding(FindingKind.CONSTANT_HEADING, f"{name!r} says the same on every row and is no column", count=1)
        for name in constant
    ]
    said += [*(aside.remark() for aside in found.asides), *more]
    twice = same_files(found.sources)
    said += twice or same_sheets(group.pieces)
    said += units_apart(group.pieces)
    works = _works_of(group.pieces, found.works, first=group is found.groups[0])
    after, _ = standardised_group(group, table)
    said += uneven(after, group.pieces, [stamp.name for stamp in group.columns])
    arrived = Arrived((*table.columns, *found.others(group)), constant, _under_other_names(group))
    proof = prove(
        group.name, table, group.pieces, group.stamps, works, found.sources, terms, said, after=after, arrived=arrived
    )
    return Done(group.name, after, proof)


def _under_other_names(group: Group) -> dict[str, str]:
    """Fields that are stamped under other names than they bear on the sheets."""
    return {
        stamp.name.removesuffix(f" ({stamp.kind})"): stamp.name for stamp in group.columns if stamp.name.endswith(")")
    }


def standardised_group(group: Group, table: Table) -> tuple[Table, list[dict[str, Any]]]:
    """A table standardised where the evidence is conclusive; where nothing can be, the verbs are not even loaded."""
    legend = {sign: said for piece in group.pieces for sign, said in piece.legend.items()}
    if not legend and not any(map(_may_need_it, table.data.columns)):
        return table, []
    from kebrin.work.standardising import standardised

    return standardised(table, legend=legend)


def _may_need_it(column: pa.ChunkedArray) -> bool:
    """Whether a column holds texts, or labels that differ in case and blanks alone or may be lists."""
    if str(column.type) == "string":
        return True
    if not str(column.type).startswith("dictionary"):
        return False
    labels = distinct_texts(column, _MANY)
    if all(": " in label for label in labels[:20]):
        return True
    if len(labels) == _MANY or any(
        sum(map(str.isdigit, label)) >= _DATE_DIGITS and not label.isdigit() for label in labels[:20]
    ):
        return True
    return len({" ".join(label.casefold().split()) for label in labels}) < len(labels) or has_plain_sign(labels)
