"""What is in each column of a table: how much, of what kind, in which shapes, the odd ones first, and what to do."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.cells import as_label
from kebrin.values.suggesting import Suggestion, suggest, suggestions
from kebrin.values.texts import Texts, is_text

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.table import Table

_SHAPES = 6
_COMMON = 5


@dataclass(frozen=True)
class Pattern:
    """A pattern of texts (`9` digits, `A` capitals, `a` small letters): cells, distinct texts, and one of them."""

    pattern: str
    cells: int
    example: str
    odd: bool


@dataclass(frozen=True)
class ColumnValues:
    """What is in one column.

    Attributes:
        name: the column.
        kind: the kind of its values.
        filled, missing, distinct: cells and distinct values.
        patterns: the patterns of its texts, the odd ones first.
        common: its commonest values with their cells.
        range: the smallest and the largest value, of numbers and dates.
        suggestion: what it likely means and the step to take.
    """

    name: str
    kind: str
    filled: int
    missing: int
    distinct: int
    patterns: tuple[Pattern, ...]
    common: tuple[tuple[str, int], ...]
    range: tuple[str, str] | None
    suggestion: Suggestion


def column_values(table: Table, name: str, found: Suggestion | None = None) -> ColumnValues:
    """What is in one column; `found` is what it likely means, if that is known already.

    >>> from kebrin.table import Table
    >>> found = column_values(Table(pa.table({"due": ["1,234.50", "(7.00)", "n/a", "12.00"]}), ()), "due")
    >>> found.filled, found.distinct, found.patterns[0].pattern, found.suggestion.meaning
    (4, 4, '9,9.9', 'numbers')

    Raises:
        PlanError: there is no such column.
    """
    table.refuse_absent(name, "values")
    column = table.data.column(name)
    filled = len(column) - column.null_count
    if not is_text(table, name):
        return _of_kind(name, column, filled)
    texts = Texts.of(column)
    counts = texts.counts
    said = [str(text) for text in texts.values.to_pylist()]
    order = np.argsort(-counts, kind="stable")[:_COMMON].tolist()
    found = found or suggest(texts, name)
    patterns = _patterns(said, counts.tolist(), runs=found.meaning == "numbers")
    common = tuple((said[at], int(counts[at])) for at in order)
    distinct = len(set(said)) if texts.whole else int((counts > 0).sum())
    return ColumnValues(name, "text", filled, column.null_count, distinct, patterns, common, None, found)


def _of_kind(name: str, column: pa.ChunkedArray, filled: int) -> ColumnValues:
    values = column.drop_null()
    ends = None
    if len(values) and not pa.types.is_boolean(column.type):
        import pyarrow.compute as pc

        least = pc.min_max(values).as_py()
        ends = (as_label(least["min"]), as_label(least["max"]))
    word = "number" if pa.types.is_floating(column.type) else str(column.type)
    return ColumnValues(
        name, word, filled, column.null_count, len(column.unique().drop_null()), (), (), ends, Suggestion(word)
    )


def _patterns(said: Sequence[str], counts: Sequence[int], *, runs: bool) -> tuple[Pattern, ...]:
    """The patterns of texts, the rarest first: a mistake is rarely alone in its kind, and rarely common."""
    cells: dict[str, int] = {}
    first: dict[str, str] = {}
    for text, count in zip(said, counts, strict=True):
        shape = pattern_of(text, runs=runs)
        cells[shape] = cells.get(shape, 0) + count
        first.setdefault(shape, text)
    total = sum(cells.values())
    order = sorted(cells, key=lambda shape: cells[shape])
    shown = order[: _SHAPES - 2] + [shape for shape in order[-2:] if shape not in order[: _SHAPES - 2]]
    return tuple(Pattern(shape, cells[shape], first[shape], cells[shape] * 20 <= total) for shape in shown)


def pattern_of(text: str, *, runs: bool = False) -> str:
    """The pattern of a text: digits as 9, letters as A or a, runs of letters shortened, and of digits if asked.

    >>> pattern_of("N4 Loop"), pattern_of("(1,234.50)"), pattern_of("(1,234.50)", runs=True)
    ('A9 Aa', '(9,999.99)', '(9,9.9)')
    """
    made: list[str] = []
    for letter in text[:60]:
        sign = "9" if letter.isdecimal() else "A" if letter.isupper() else "a" if letter.isalpha() else letter
        if sign in ("Aa9" if runs else "Aa") and made and made[-1] == sign:
            continue
        made.append(sign)
    return "".join(made)


@dataclass(frozen=True, eq=False)
class Profile:
    """All columns of a table, for a notebook or a terminal."""

    rows: int
    columns: tuple[ColumnValues, ...]

    def __repr__(self) -> str:
        return f"{self.rows:,} rows\n" + "\n".join(map(said_of, self.columns))

    def to_plain(self) -> list[dict[str, Any]]:
        """Plain values, for programs."""
        return [_plain(one) for one in self.columns]


def _plain(one: ColumnValues) -> dict[str, Any]:
    found = one.suggestion
    return {
        "column": one.name, "kind": one.kind, "filled": one.filled, "missing": one.missing, "distinct": one.distinct,
        "patterns": [[pattern.pattern, pattern.cells, pattern.example] for pattern in one.patterns],
        "common": [list(pair) for pair in one.common], "range": one.range, "meaning": found.meaning, "why": found.why,
        "question": found.question, "step": found.step,
    }  # fmt: skip


def profile(table: Table, columns: Sequence[str] = ()) -> Profile:
    """What is in each column, or in some of them."""
    for name in columns:
        table.refuse_absent(name, "values")
    found = suggestions(table, columns)
    return Profile(len(table), tuple(column_values(table, name, found.get(name)) for name in columns or table.columns))


def said_of(one: ColumnValues) -> str:
    """One column in a line."""
    share = f"{one.filled:,} filled" + (f", {one.missing:,} missing" if one.missing else "")
    said = f"{one.name}: {one.kind}, {share}, {one.distinct:,} distinct"
    if one.range:
        said += f", {one.range[0]} to {one.range[1]}"
    return said + (f"; likely {one.suggestion.meaning}" if one.kind == "text" else "")


def step_text(step: dict[str, Any]) -> str:
    """A step as a plan states it, in one line.

    >>> step_text({"number": "due", "missing": ["x"]})
    'number = "due", missing = ["x"]'
    """
    return ", ".join(step_lines(step))


def step_lines(step: dict[str, Any]) -> list[str]:
    """A step as a plan states it, a key to a line."""
    return [f"{name} = {json.dumps(value, ensure_ascii=False)}" for name, value in step.items()]
