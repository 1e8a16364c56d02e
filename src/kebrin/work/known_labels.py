"""Hold a sheet against what the plan knows of it: labels that are new or gone, and lines that have shifted.

A plan names levels by their place from the body outwards. When a report gains a heading row or a label column, the
names would move by one; the labels that the plan knows show it, and the sheet is refused with the difference.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import column_letters
from kebrin.errors import LayoutError, Place
from kebrin.table import Finding, FindingKind, arrays
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kebrin.cells import Sheet
    from kebrin.layout import Layout, Level
    from kebrin.proof import Source
    from kebrin.table import Table

_SHOWN = 6
# A level is taken for another one if it bears at least this share of the other's labels, and none of its own.
_ALIKE = 0.5


def refuse_shifts(sheet: Sheet, layout: Layout, known: Mapping[str, Sequence[str]]) -> None:
    """Refuse a layout in which a level bears none of its own labels, and those of another line.

    Args:
        sheet: the sheet.
        layout: its layout, as the plan states it.
        known: the labels that the plan knows, by level.

    Raises:
        LayoutError: a level has shifted; the difference is shown.
    """
    for level, line in _lines(layout):
        own = set(known.get(level.name, ()))
        if not own or not level.texts or own & set(level.texts):
            continue
        other = next((name for name, labels in known.items() if name != level.name and _share(labels, level.texts)), "")
        place = _elsewhere(sheet, layout, own)
        if other or place:
            there = f"; these are the labels of {other}" if other else f"; those stand in {place}"
            raise LayoutError(
                f"{level.name!r} is not where the plan expects it", Place(sheet.source, sheet.name, layout.address),
                why=f"{line} says {_some(level.texts)}, and the plan knows {_some(tuple(own))}{there}",
                do="The report has gained or lost a heading row or a label column: name each of them in the plan",
            )  # fmt: skip


def refuse_unnamed_column(sheet: Sheet, layout: Layout) -> None:
    """Refuse a block with words on most of its rows in a column left of it: labels that the plan does not name.

    Raises:
        LayoutError: the report has gained a label column.
    """
    rows = layout.body_rows
    for column in range(layout.area.left - 1, max(layout.area.left - 3, -1), -1):
        words = sheet.filled[rows, column] & ~sheet.data[rows, column]
        if len(rows) and words.sum() * 2 > len(rows) and column not in layout.hidden_columns:
            texts = tuple(dict.fromkeys(sheet.text(row, column) for row in rows[words].tolist()))
            raise LayoutError(
                f"column {column_letters(column)} holds labels that the plan does not name",
                Place(sheet.source, sheet.name, layout.address), why=f"it says {_some(texts)}",
                do="The report has gained a label column: name it in the plan's stub",
            )  # fmt: skip


def _lines(layout: Layout) -> list[tuple[Level, str]]:
    rows = [(level, f"row {level.line + 1}") for level in layout.boxhead]
    return [*rows, *((level, f"column {column_letters(level.line)}") for level in layout.stub)]


def _share(labels: Sequence[str], texts: Sequence[str]) -> bool:
    return bool(labels) and len(set(labels) & set(texts)) >= _ALIKE * min(len(labels), len(set(texts)))


def _elsewhere(sheet: Sheet, layout: Layout, own: set[str]) -> str:
    """The line near the block that bears at least half of these labels and is no level of it, or ''."""
    area = layout.area
    rows = set(range(max(area.top - 3, 0), min(area.top + 8, sheet.shape[0]))) - {
        level.line for level in layout.boxhead
    }
    for row in sorted(rows):
        said = {sheet.text(row, column) for column in range(area.left, area.right + 1)}
        if len(own) > 1 and len(own & said) >= _ALIKE * len(own):
            return f"row {row + 1}"
    columns = set(range(max(area.left - 2, 0), min(area.left + 6, sheet.shape[1]))) - {
        level.line for level in layout.stub
    }
    for column in sorted(columns):
        said = {sheet.text(row, column) for row in layout.body_rows.tolist()}
        if len(own) > 1 and len(own & said) >= _ALIKE * len(own):
            return f"column {column_letters(column)}"
    return ""


def gained_levels(
    sheet: Sheet, layout: Layout, stub: Sequence[str] | None, cutins: Sequence[str] | None
) -> list[Finding]:
    """A level of cut-in heads that the plan does not speak of, now a column: said, not hidden."""
    if stub is None or cutins is not None:
        return []
    return [
        Finding(
            FindingKind.QUESTION,
            f"rows that label others became the column {level.name!r} ({_some(level.texts)}); the plan does not know it: "
            f"state cutins = [{level.name!r}], or [] if they are none",
            sheet.source, sheet.name,
        )
        for level in layout.head_levels
    ]  # fmt: skip


def with_known_spellings(table: Table, known: Mapping[str, Sequence[str]]) -> Table:
    """The table with labels that differ from one that the plan knows in case and blanks alone spelled as the plan has them.

    Nothing is changed, and it is asked, where rows would then bear the same labels.
    """
    for name, labels in known.items():
        table.refuse_absent(name, "labels")
        column = table.data.column(name)
        said = arrays.distinct_texts(column)
        fresh = [text for text in said if text not in labels]
        forms = {folded(label): label for label in reversed(labels)}
        swaps = {text: forms[folded(text)] for text in fresh if folded(text) in forms}
        if not swaps or name not in table.dimensions:
            continue
        shown = ", ".join(f"{old!r} for {new!r}" for old, new in list(swaps.items())[:_SHOWN])
        made = replace(table, data=_spelled(table.data, name, said, swaps))
        own = list(table.dimensions)
        if arrays.distinct_rows(made.data.select(own)) < arrays.distinct_rows(table.data.select(own)):
            what = f"{name} says {shown}, on rows that would then bear the same labels: state which are meant by a recode step"
            table = table.remarked([Finding(FindingKind.QUESTION, what, count=len(swaps))])
        else:
            what = f"{name} says {shown}: taken as the plan spells them"
            table = made.remarked([Finding(FindingKind.SPELLING, what, count=len(swaps))])
    return table


def _spelled(data: pa.Table, name: str, said: Sequence[str], swaps: Mapping[str, str]) -> pa.Table:
    """The data with the labels of one column spelled otherwise."""
    column = data.column(name).combine_chunks()
    column = column if pa.types.is_dictionary(column.type) else column.dictionary_encode()
    forms = list(dict.fromkeys(swaps.get(text, text) for text in said))
    places = {text: at for at, text in enumerate(forms)}
    own = [places.get(swaps.get(text, text), -1) for text in map(str, column.dictionary.to_pylist())]
    codes = np.array([*own, -1], np.int32)[arrays.codes_of(column)]
    return data.set_column(data.column_names.index(name), name, arrays.labels(codes, forms))


def label_changes(table: Table, known: Mapping[str, Sequence[str]]) -> list[Finding]:
    """What is new and what is gone among the labels that the plan knows.

    Raises:
        PlanError: the plan knows labels of a column that the table does not have.
    """
    said: list[Finding] = []
    for name, labels in known.items():
        table.refuse_absent(name, "labels")
        seen = [str(value) for value in table.data.column(name).unique().to_pylist() if value is not None]
        new = [text for text in seen if text not in set(labels)]
        gone = [text for text in labels if text not in set(seen)]
        if new:
            said.append(
                Finding(FindingKind.NEW_LABEL, f"{name}: new since the plan was drafted: {_some(new)}", count=len(new))
            )
        if gone:
            said.append(Finding(FindingKind.LABEL_GONE, f"{name}: no longer there: {_some(gone)}", count=len(gone)))
    return said


def unseen_sheets(source: Source, seen: Sequence[str]) -> list[Finding]:
    """Sheets that the plan has never seen: read or not, they are told."""
    every = [*source.used, *source.left_out]
    fresh = [name for name in every if name not in seen] if seen else []
    read = [name for name in fresh if name in source.used]
    left = [name for name in fresh if name not in source.used]
    said = []
    if read:
        what = f"the plan has not seen the sheet{'s' * (len(read) > 1)} {_some(read)} before: read as the others are"
        said.append(Finding(FindingKind.NEW_SHEET, what, source.file, count=len(read)))
    if left:
        what = f"the plan has not seen the sheet{'s' * (len(left) > 1)} {_some(left)} before: not read"
        said.append(Finding(FindingKind.NEW_SHEET, what, source.file, count=len(left)))
    gone = [name for name in seen if name not in every]
    if gone:
        what = f"no longer there: the sheet{'s' * (len(gone) > 1)} {_some(gone)}"
        said.append(Finding(FindingKind.SHEET_GONE, what, source.file, count=len(gone)))
    return said


def _some(texts: Sequence[str]) -> str:
    more = f" and {len(texts) - _SHOWN} more" if len(texts) > _SHOWN else ""
    return ", ".join(texts[:_SHOWN]) + more
