"""Standardise a table unaided: the steps that its values ask for, taken only where the evidence is conclusive."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.shape.splitting import split
from kebrin.table import Remark, arrays
from kebrin.values.dates import date
from kebrin.values.entries import has_plain_sign
from kebrin.values.numbers import number
from kebrin.values.spellings import folded
from kebrin.values.suggesting import Suggestion, is_text, suggest, suggestions
from kebrin.values.texts import Texts
from kebrin.values.wording import text

if TYPE_CHECKING:
    from kebrin.table import Table

_LOOKED_AT = 2000


def standardised(table: Table) -> tuple[Table, list[dict[str, Any]]]:
    """The table with every column standardised for which the evidence is conclusive, and the steps taken.

    Text measures become numbers or dates; names that differ in case and blanks alone take one form; cells of lists are
    split. Where the evidence is not conclusive, the texts stay as they are and the question is put.
    """
    steps: list[dict[str, Any]] = []
    for name in table.columns:
        kind = table.data.column(name).type
        if pa.types.is_dictionary(kind) and pa.types.is_string(kind.value_type):
            table, step = _with_plain_names(table, name)
        elif pa.types.is_string(kind) and name in table.measures:
            table, step = _with_read_measure(table, name)
        else:
            continue
        steps += [step] if step else []
    table, step = _with_lists_split(table)
    return table, [*steps, step] if step else steps


def _with_plain_names(table: Table, name: str) -> tuple[Table, dict[str, Any]]:
    texts = Texts.of(table.data.column(name))
    if len({folded(str(one)) for one in texts.values.to_pylist()[:_LOOKED_AT]}) >= min(len(texts), _LOOKED_AT):
        return table, {}
    return _with_one_form(table, name, suggest(texts, name))


def _with_read_measure(table: Table, name: str) -> tuple[Table, dict[str, Any]]:
    column = table.data.column(name)
    if column.null_count == len(column):
        return table, {}
    found = suggest(Texts.of(column), name)
    if found.conclusive and not found.question and ("number" in found.step or "date" in found.step):
        verb, options = next(iter(found.step)), dict(found.step)
        del options[verb]
        return (number if verb == "number" else date)(table, name, **options), found.step
    if found.meaning == "identifiers":
        return _answered(table, name), {}
    if found.question and found.meaning in {"numbers", "dates"}:
        asked = Remark("question", f"{name} stays text: {found.question}", count=len(column))
        return _answered(table, name).remarked([asked]), {}
    return _with_one_form(table, name, found)


def _with_one_form(table: Table, name: str, found: Suggestion) -> tuple[Table, dict[str, Any]]:
    """The table with the plain variants of a column in one form, unless rows would then bear the same labels."""
    if "text" not in found.step or not found.conclusive:
        return table, {}
    made = text(table, name, spelled=found.step.get("spelled", ()))
    if name in table.dimensions:
        labels = list(table.dimensions)
        if arrays.distinct_rows(made.data.select(labels)) < arrays.distinct_rows(table.data.select(labels)):
            what = (
                f"{name} has names that differ in case and blanks alone, on rows that would then bear the same labels"
            )
            return table.remarked([Remark("question", what, count=len(found.step.get("spelled", ())) or 1)]), {}
    return made, found.step


def _with_lists_split(table: Table) -> tuple[Table, dict[str, Any]]:
    """The table with its one column of lists split, where every sign says list and no amount could be counted twice."""
    texts = [name for name in table.columns if is_text(table, name)]
    if not any(has_plain_sign(arrays.distinct_texts(table.data.column(name), _LOOKED_AT)) for name in texts):
        return table, {}
    lists = {name: found for name, found in suggestions(table).items() if found.meaning == "lists"}
    if len(lists) != 1:
        return table, {}
    ((name, found),) = lists.items()
    if not found.conclusive or found.question:
        return table, {}
    return split(table, name, at=found.step["at"]), found.step


def _answered(table: Table, name: str) -> Table:
    """The table without what was asked about a column before its texts were looked at."""
    return table.with_remarks([one for one in table.remarks if not one.what.startswith(f"{name} stays")])
