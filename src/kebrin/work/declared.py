"""What a plan declares that columns hold: read where texts stand instead, and every cell that can't be read named.

A cell that is no number makes a whole column text. That the plan declares numbers settles it: the others are read, the row stays,
and the cell breaks the proof until somebody says what it means.
"""

from __future__ import annotations

from contextlib import suppress
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from kebrin.cells import as_label
from kebrin.errors import KebrinError, ValuesError, nearest
from kebrin.grammar.words import leading_zero
from kebrin.table import Finding, FindingKind, arrays
from kebrin.table.arrays import kind_of

if TYPE_CHECKING:
    from collections.abc import Collection, Iterable, Mapping

    from kebrin.table import Table

_VERBS = {"number": "number", "date": "date", "moment": "date", "yes and no": "flag"}
_SHOWN = 6


def ahead(table: Table, kinds: Mapping[str, str]) -> Table:
    """A table with those of its columns as declared that can be read to the last cell; steps may leave out what can't be."""
    for name, wanted in kinds.items():
        texts = name in table.columns and kind_of(table.data.column(name)) == "text"
        if texts and wanted in _VERBS and not _are_codes(table, name):
            with suppress(KebrinError):
                made = _read(table, name, wanted)
                whole = not any(one.breaks and one.column == name for one in made.remarks)
                table = made if whole and kind_of(made.data.column(name)) == wanted else table
    return table


def declared(table: Table, kinds: Mapping[str, str]) -> Table:
    """A table with those of its columns that a plan declares as they are declared.

    Args:
        table: the table.
        kinds: what columns hold, by name.

    Raises:
        ValuesError: texts can't be read as declared without a person's word, or hold something else.
    """
    for name, wanted in kinds.items():
        if name not in table.columns:
            continue
        found = kind_of(table.data.column(name))
        if found == wanted:
            continue
        if found == "text" and wanted in _VERBS and not _are_codes(table, name):
            table = _read(table, name, wanted)
        elif wanted == "text":
            texts = [None if value is None else as_label(value) for value in table.data.column(name).to_pylist()]
            data = table.data.set_column(table.columns.index(name), name, arrays.texts(texts))
            table = replace(table, data=data)
        if kind_of(table.data.column(name)) != wanted:
            raise ValuesError(
                f"the column {name!r} is declared to hold {wanted}", why=f"it holds {found}",
                do="Read it with a step before, or correct kinds in the plan",
            )  # fmt: skip
    return answered(table, kinds)


def with_kinds(tables: Mapping[str, Table], kinds: Mapping[str, str]) -> dict[str, Table]:
    """Some tables, one made beside another, each with those of its columns as a plan declares them.

    Raises:
        ValuesError: a column holds something else.
    """
    return {own: declared(table, kinds) for own, table in tables.items()}


def unfitting(key: str, named: Iterable[str], columns: Collection[str]) -> list[Finding]:
    """Lines of a plan about columns that are not there, once its layout was changed or the report was: asked about, and void."""
    gone = [name for name in named if name not in columns]
    if not gone:
        return []
    near = nearest(gone[0], columns)
    hint = f"Did you mean {near!r}?" if near else "Take out what no longer fits"
    what = f"{key} in the plan names {', '.join(map(repr, gone))}: the columns are {', '.join(columns)}. {hint}"
    return [Finding(FindingKind.QUESTION, what, count=len(gone))]


def answered(table: Table, columns: Mapping[str, str]) -> Table:
    """The table without what was asked about columns that a person has spoken of."""
    kept = [one for one in table.remarks if not (one.kind == FindingKind.QUESTION and one.column in columns)]
    return table if len(kept) == len(table.remarks) else table.with_remarks(kept)


def _read(table: Table, name: str, wanted: str) -> Table:
    """A column of texts read as declared; cells that can't be are empty, named, and break the proof."""
    from importlib import import_module

    from kebrin.shape.effects import EFFECTS

    verb = _VERBS[wanted]
    read: Any = getattr(import_module(f"kebrin.{EFFECTS[verb].module}"), verb)
    made: Table = read(table.with_remarks(()), name)
    lost = _new_gaps(table, made, name)
    if not lost:
        return made.with_remarks((*table.remarks, *made.remarks))
    texts = table.data.column(name)
    cells = [_place(table, name, row) for row in lost[:_SHOWN]]
    said = ", ".join(f"{cell} {texts[row].as_py()!r}" for cell, row in zip(cells, lost, strict=False))
    what = f"{name} is declared to hold {wanted}, and {len(lost):,} of its cells hold none: {said}"
    remarks = [one for one in made.remarks if not one.breaks]
    own = Finding(FindingKind.OTHER_KIND, what, cells=tuple(cells), count=len(lost), breaks=True, column=name)
    return made.with_remarks((*table.remarks, *remarks, own))


def _are_codes(table: Table, name: str) -> bool:
    """Whether a column's texts are digits behind a zero: names, of which a number would keep a part."""
    return any(map(leading_zero, arrays.distinct_texts(table.data.column(name))))


def _new_gaps(before: Table, after: Table, name: str) -> list[int]:
    """The rows that said something, and of which nothing could be read."""
    was, now = arrays.nulls_of(before.data.column(name)), arrays.nulls_of(after.data.column(name))
    return [row for row, gap in enumerate((now & ~was).tolist()) if gap]


def _place(table: Table, name: str, row: int) -> str:
    origin = table.origins.of(row, name) if name in table.measures and len(table.origins) == len(table) else None
    return f"row {row + 1}" if origin is None else f"{origin.sheet} {origin.cell}"
