"""Outputs: which tables go into which files and sheets; one file or one sheet per value; each file whole, with its proof."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from kebrin.deliver.books import Page, file_word
from kebrin.deliver.findings import counts_of, findings_of
from kebrin.deliver.tables import TextForm
from kebrin.errors import OutputError, Place
from kebrin.proof import Proof
from kebrin.shape.choosing import rows_of
from kebrin.shape.groups import groups_of
from kebrin.work.joining import Done

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence
    from pathlib import Path

    from kebrin.plan.model import OutputPlan
    from kebrin.table import Table

_MOST_PAGES, _MOST_FILES = 1_000, 20_000
_LINE_ENDS = {"lf": "\n", "crlf": "\r\n"}


@dataclass(frozen=True, eq=False)
class Target:
    """One file to write.

    Attributes:
        path: the file.
        done: the tables that it is made of, with their proofs.
        pages: what stands in it; for anything but a workbook there is one.
        form: how delimited text is written.
        template: a prepared workbook to put the one page into.
        at: the place there.
        turned: whether rows go into columns there.
        headings: whether the column names are put there too.
    """

    path: Path
    done: tuple[Done, ...]
    pages: tuple[Page, ...]
    form: TextForm = field(default_factory=TextForm)
    template: Path | None = None
    at: str = ""
    turned: bool = False
    headings: bool = False

    @property
    def is_plain(self) -> bool:
        """Whether it is one whole table, so that its values can be traced from the file."""
        return (
            len(self.done) == len(self.pages) == 1
            and self.pages[0].table is self.done[0].table
            and self.template is None
        )


def targets_of(outputs: Sequence[OutputPlan], done: Iterable[Done], base: Path) -> list[Target]:
    """The files to write, in the order in which they are first named.

    Raises:
        OutputError: a table of a value has no file of its own, or there are too many values.
    """
    tables = {one.name: one for one in done}
    found: dict[Path, Target] = {}
    for output in outputs:
        for path, own, pages in _parts(output, tables, base):
            before = found.get(path)
            if before is None:
                form = TextForm(output.delimiter, output.encoding, _LINE_ENDS[output.line_ends], output.mark)
                template = base / output.template if output.template else None
                found[path] = Target(path, own, pages, form, template, output.at, output.turned, output.headings)
            else:
                more = tuple(one for one in own if one not in before.done)
                found[path] = Target(path, (*before.done, *more), (*before.pages, *pages), before.form)
    return list(found.values())


def _parts(
    output: OutputPlan, tables: Mapping[str, Done], base: Path
) -> Iterable[tuple[Path, tuple[Done, ...], tuple[Page, ...]]]:
    if output.what != "table":
        made = (findings_of if output.what == "findings" else counts_of)(tables.values())
        own = Done(output.what, made, Proof(output.what))
        yield base / output.file, (own,), (Page(output.sheet or output.what, made),)
        return
    done = tables[output.table]
    if not output.by:
        yield (
            base / output.file,
            (done,),
            (Page(output.sheet or output.table, done.table, output.sheet if output.heading else ""),),
        )
        return
    groups = _by_value(done.table, output.by)
    if "{value}" not in output.file:
        if len(groups) > _MOST_PAGES:
            raise OutputError(
                f"{output.by!r} has {len(groups):,} values, a sheet each", Place(output.file),
                why=f"at most {_MOST_PAGES:,} are written",
                do="Write a file for each: put {value} into the file's name",
            )  # fmt: skip
        yield (
            base / output.file,
            (done,),
            tuple(Page(value, part, value if output.heading else "") for value, part in groups),
        )
        return
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
        yield base / output.file.replace("{value}", word), (done,), (page,)


def _by_value(table: Table, name: str) -> list[tuple[str, Table]]:
    """The rows of each value of a column, in the order in which the values first appear."""
    table.refuse_absent(name, "by")
    groups = groups_of(table, [name])
    order = np.argsort(groups.of, kind="stable")
    ends = np.cumsum(np.bincount(groups.of, minlength=len(groups)))
    values = groups.columns[name].to_pylist()
    return [
        ("(blank)" if value is None else str(value), rows_of(table, order[end - size : end]))
        for value, end, size in zip(values, ends.tolist(), np.diff(ends, prepend=0).tolist(), strict=True)
    ]
