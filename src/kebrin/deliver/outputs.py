"""Outputs: which tables go into which files and sheets; one file or one sheet per value; each file whole, with its proof."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from kebrin.deliver.file_names import file_word, filled, standing_like
from kebrin.deliver.finding_tables import counts_of, findings_of
from kebrin.deliver.sending import at_hand
from kebrin.deliver.writing.books import Page
from kebrin.deliver.writing.handouts import ENDINGS as HANDOUTS
from kebrin.deliver.writing.tables import TextForm
from kebrin.errors import OutputError, Place
from kebrin.proof import Proof
from kebrin.sources.remote import is_address
from kebrin.table import Origin
from kebrin.work.joining import Done

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence

    from kebrin.plan.model import OutputPlan
    from kebrin.table import Table

_MOST_PAGES, _MOST_FILES = 1_000, 20_000
# Beyond so many values times blocks the parts of a table do not know their cells: they would be asked for one by one.
_MOST_SEGMENTS = 1_000_000
_LINE_ENDS = {"lf": "\n", "crlf": "\r\n"}


@dataclass(frozen=True, eq=False)
class Target:
    """One file to write, or one table of a database.

    Attributes:
        path: the file; for a database the name that its proof bears.
        done: the tables that it is made of, with their proofs.
        pages: what stands in it; for anything but a workbook there is one.
        form: how delimited text is written.
        template: a prepared workbook to put the one page into.
        at: the place there.
        turned: whether rows go into columns there.
        insert: whether rows are put in there where the place is too short.
        headings: whether the column names are put there too.
        if_there: what becomes of a file that stands there.
        stale: whether what no value owns any more is removed.
        pattern: the name as the plan states it, if there is a file for each value.
        what: whether it holds a table, the findings or the counts.
        metadata: whether its columns are described beside it.
        letterhead: the text above a hand-out.
        chart: the column that a hand-out's chart is drawn by.
        database: the address of a database.
        into: what the table is called there.
        key: the columns that tell its rows apart.
    """

    path: Path
    done: tuple[Done, ...]
    pages: tuple[Page, ...]
    form: TextForm = field(default_factory=TextForm)
    template: Path | None = None
    at: str = ""
    turned: bool = False
    insert: bool = False
    headings: bool = False
    if_there: str = "refuse"
    stale: str = "tell"
    pattern: str = ""
    what: str = "table"
    metadata: bool = False
    letterhead: str = ""
    chart: str = ""
    database: str = ""
    into: str = ""
    key: tuple[str, ...] = ()

    @property
    def is_whole(self) -> bool:
        """Whether it is one whole table and nothing else."""
        return (
            len(self.done) == len(self.pages) == 1
            and self.pages[0].table is self.done[0].table
            and self.template is None
        )


def targets_of(outputs: Sequence[OutputPlan], done: Iterable[Done], base: Path) -> list[Target]:
    """The files to write, in the order in which they are first named; findings and counts last.

    Raises:
        OutputError: a table of a value has no file of its own, there are too many values, or a key is not one.
    """
    tables = {one.name: one for one in done}
    found: dict[Path, Target] = {}
    for output in outputs:
        for target in _targets(output, tables, base):
            _refuse_no_key(target)
            before = found.get(target.path)
            found[target.path] = target if before is None else _with_pages(before, target)
    return sorted(found.values(), key=lambda target: target.what == "findings")


def with_findings(target: Target, done: Iterable[Done], said: Sequence[tuple[str, str]]) -> Target:
    """A target whose findings know of what was said while the others were written."""
    if target.what != "findings":
        return target
    made = findings_of(done, said)
    return replace(
        target, done=(Done("findings", made, Proof("findings")),), pages=(replace(target.pages[0], table=made),)
    )


def _with_pages(before: Target, more: Target) -> Target:
    """A workbook with more sheets."""
    said = ("if_there", "stale", "form", "letterhead", "chart")
    other = next((name for name in said if getattr(before, name) != getattr(more, name)), "")
    if other or before.path.suffix.lower() not in {".xlsx", ".ods", *HANDOUTS} or before.template or more.template:
        raise OutputError(
            "two outputs of this run would be one file", Place(str(before.path)),
            why=f"they say different things of {other!r}" if other else "only sheets of a workbook go into one file",
            do="Say the same of both" if other else "Give each output a name of its own",
        )  # fmt: skip
    own = tuple(one for one in more.done if one not in before.done)
    return replace(before, done=(*before.done, *own), pages=(*before.pages, *more.pages), what="table")


def _targets(output: OutputPlan, tables: Mapping[str, Done], base: Path) -> Iterator[Target]:
    if output.what == "table":
        done = tables[output.table]
    else:
        made = (findings_of if output.what == "findings" else counts_of)(tables.values())
        done = Done(output.what, made, Proof(output.what))
    if output.database:
        into = output.into or done.name
        path = base / f"{file_word(into)}.database"
        yield replace(_target(output, path, done, (), base), pages=(Page(into, done.table),), into=into)
        return
    if is_address(output.file):
        output = output.model_copy(update={"file": str(at_hand(output.file))})
    name = filled(output.file, done.table, base)
    if not output.by:
        page = Page(output.sheet or done.name, done.table, output.sheet if output.heading else "")
        yield _target(output, base / name, done, (page,), base)
        return
    groups = _by_value(done.table, output.by)
    if output.by_column == "leave out":
        rest = [column for column in done.table.columns if column != output.by]
        groups = [(value, part.narrowed(rest)) for value, part in groups]
    if "{value}" in output.file:
        yield from _files(output, base, name, done, groups)
        return
    if len(groups) > _MOST_PAGES:
        raise OutputError(
            f"{output.by!r} has {len(groups):,} values, a sheet each", Place(output.file),
            why=f"at most {_MOST_PAGES:,} are written",
            do="Write a file for each: put {value} into the file's name",
        )  # fmt: skip
    pages = tuple(Page(value, part, value if output.heading else "") for value, part in groups)
    yield _target(output, base / name, done, pages, base)


def _files(output: OutputPlan, base: Path, name: str, done: Done, groups: list[tuple[str, Table]]) -> Iterator[Target]:
    if len(groups) > _MOST_FILES:
        raise OutputError(
            f"{output.by!r} has {len(groups):,} values, a file each", Place(output.file),
            why=f"at most {_MOST_FILES:,} are written",
            do="Choose a column with fewer values",
        )  # fmt: skip
    taken: set[str] = set()
    for value, part in groups:
        word, count = file_word(value), 1
        while word.casefold() in taken:
            count += 1
            word = f"{file_word(value)}_{count}"
        taken.add(word.casefold())
        page = Page(output.sheet or value, part, value if output.heading else "")
        path = base / name.replace("{value}", word)
        yield replace(_target(output, path, done, (page,), base), pattern=str(base / name))


def _target(output: OutputPlan, path: Path, done: Done, pages: tuple[Page, ...], base: Path) -> Target:
    """A target with all that the plan says of it."""
    return Target(
        path, (done,), pages,
        TextForm(
            output.delimiter, output.encoding, _LINE_ENDS[output.line_ends], output.mark, output.guard, output.quotes == "all",
            output.one_row == "object",
        ),
        template=base / output.template if output.template else None, at=output.at, turned=output.turned,
        insert=output.more_rows == "insert",
        headings=output.headings, if_there=output.if_there, stale=output.stale, what=output.what, metadata=output.metadata,
        database=output.database, key=output.key, letterhead=output.letterhead, chart=output.chart,
    )  # fmt: skip


def _refuse_no_key(target: Target) -> None:
    """Refuse columns as a key that do not tell the rows apart."""
    table = target.pages[0].table
    for name in target.key:
        table.refuse_absent(name, "key")
        if table.data.column(name).null_count:
            raise OutputError(
                f"{name!r} is part of the key and is missing on some rows", Place(str(target.path)),
                why=f"it is missing on {table.data.column(name).null_count:,} rows", do="Choose columns that are always filled",
            )  # fmt: skip
    if not target.key:
        return
    from kebrin.shape.groups import groups_of  # few outputs need it

    groups = groups_of(table, list(target.key))
    if len(groups) < len(table):
        sizes = np.bincount(groups.of, minlength=len(groups))
        at = int(sizes.argmax())
        shown = ", ".join(f"{name} {groups.columns[name][at].as_py()!r}" for name in target.key)
        raise OutputError(
            f"the key {', '.join(target.key)} does not tell the rows apart", Place(str(target.path)),
            why=f"{int(sizes[at]):,} rows have {shown}", do="Add the column in which they differ",
        )  # fmt: skip


def ownerless(targets: Iterable[Target]) -> Iterator[tuple[Target, Path]]:
    """The files that a pattern finds there, other than those that are written now; with the target that shares their pattern."""
    by_pattern: dict[str, list[Target]] = {}
    for target in targets:
        if target.pattern:
            by_pattern.setdefault(target.pattern, []).append(target)
    for pattern, group in by_pattern.items():
        written = {target.path.name.casefold() for target in group}
        for _, path in standing_like(Path(pattern).name, Path(pattern).parent):
            if path.name.casefold() not in written and not path.name.endswith(".proof.json"):
                yield group[0], path


def _by_value(table: Table, name: str) -> list[tuple[str, Table]]:
    """The rows of each value of a column, in the order in which the values first appear."""
    from kebrin.shape.choosing import rows_of, without_totals
    from kebrin.shape.groups import groups_of

    table.refuse_absent(name, "by")
    if name in table.totals:  # a total of all parts has none
        table = without_totals(table)
    groups = groups_of(table, [name])
    order = np.argsort(groups.of, kind="stable")
    ends = np.cumsum(np.bincount(groups.of, minlength=len(groups)))
    values = groups.columns[name].to_pylist()
    whole = rows_of(replace(table, origins=Origin(), parts=None), order)
    data = whole.data.combine_chunks()
    known = len(groups) * (len(table.origins.segments) + 1) <= _MOST_SEGMENTS
    found = []
    for value, end, size in zip(values, ends.tolist(), np.diff(ends, prepend=0).tolist(), strict=True):
        rows = order[end - size : end]
        origins = table.origins.take(rows).bare() if known and len(table.origins) == len(table) else Origin()
        parts = table.parts.take(rows).bare() if known and table.parts is not None else None
        part = replace(whole, data=data.slice(end - size, size), origins=origins, parts=parts)
        found.append(("(blank)" if value is None else str(value), part))
    return found
