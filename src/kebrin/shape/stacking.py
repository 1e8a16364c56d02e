"""Stack tables by the names of their columns, whatever their order, case or stray blanks."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, nearest
from kebrin.shape.stack import stack
from kebrin.table import Finding, FindingKind, arrays
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kebrin.table import Table


def stack_tables(
    tables: Mapping[str, Table], *, same: Mapping[str, Sequence[str]] | None = None, origin: str = ""
) -> Table:
    """One table with the rows of several, stacked by column name.

    Names that differ in case and stray blanks alone are one; so are those that `same` says to be. A column that only some
    have is missing elsewhere, not zero. A column that holds numbers in one and texts in another is one of texts, and asked
    about. Names that are merely like one another stay apart, and are told.

    Args:
        tables: the tables by name.
        same: columns with the other names that mean the same.
        origin: a column to put each row's table in.

    >>> from kebrin.table import Table
    >>> one = Table(pa.table({"port": ["Brae"], "boats": [3.0]}), ())
    >>> two = Table(pa.table({"Boats ": [5.0], "Harbour": ["Wick"]}), ())
    >>> stack_tables({"a": one, "b": two}, same={"port": ["Harbour"]}, origin="from").data.to_pylist()
    [{'from': 'a', 'port': 'Brae', 'boats': 3.0}, {'from': 'b', 'port': 'Wick', 'boats': 5.0}]

    Raises:
        PlanError: there is no table, or two columns of one would bear the same name.
    """
    if not tables:
        raise PlanError("there is nothing to stack", do="Name at least one table")
    forms = {folded(alias): name for name, aliases in (same or {}).items() for alias in (name, *aliases)}
    named: dict[str, Table] = {}
    for source, table in tables.items():
        names: dict[str, str] = {}
        for column in table.columns:
            name = forms.setdefault(folded(column), column)
            if name in names:
                raise PlanError(
                    f"two columns of {source!r} would be {name!r}", do="Rename one of them, or correct same"
                )
            names[name] = column
        named[source] = table.picked(names)
    every = list(dict.fromkeys(name for table in named.values() for name in table.columns))
    said = [*_clashes(named, every), *_likely(named, every)]
    for source, table in named.items():
        gone = [name for name in every if name not in table.columns]
        what = f"{source} has no {', '.join(gone)}: missing on its {len(table):,} rows"
        said += [Finding(FindingKind.MISSING_COLUMN, what, count=len(table))] if gone else []
    whole = [_with_all(table, every) for table in named.values()]
    if origin:
        whole = [table.stamped({origin: source}) for table, source in zip(whole, named, strict=True)]
    rows = ", ".join(f"{len(table):,} of {source}" for source, table in named.items())
    return stack(whole).remarked([*said, Finding(FindingKind.STACKED, f"stacked {rows}", count=sum(map(len, whole)))])


def _with_all(table: Table, every: Sequence[str]) -> Table:
    """The table with all columns, missing where it has none; only measures that all have keep origins."""
    columns: dict[str, Any] = {name: table.data.column(name) for name in table.columns}
    blank = arrays.numbers(np.full(len(table), np.nan))
    data = pa.Table.from_arrays([columns.get(name, blank) for name in every], names=list(every))
    return replace(table, data=data)


def _clashes(named: Mapping[str, Table], every: Sequence[str]) -> list[Finding]:
    """Columns that hold numbers here and texts there."""
    said = []
    for name in every:
        kinds = {
            source: arrays.kind_of(table.data.column(name))
            for source, table in named.items()
            if name in table.columns and table.data.column(name).null_count < len(table)
        }
        if len(set(kinds.values())) > 1:
            shown = ", ".join(f"{kind} in {source}" for source, kind in kinds.items())
            what = f"{name} holds {shown}: it is text now; read it alike before stacking"
            said.append(Finding(FindingKind.QUESTION, what, count=1))
    return said


def _likely(named: Mapping[str, Table], every: Sequence[str]) -> list[Finding]:
    """Names that are in no table together and alike: told, and not taken for one."""
    of = {name: {source for source, table in named.items() if name in table.columns} for name in every}
    said = []
    for at, name in enumerate(every):
        near = nearest(name, [other for other in every[at + 1 :] if not of[name] & of[other]])
        if near:
            what = f"{name!r} and {near!r} are alike and in no table together"
            said.append(
                Finding(
                    FindingKind.ALIKE, f"{what}: if they are one, state same = {{ {name!r} = [{near!r}] }}", count=1
                )
            )
    return said
