"""What each verb does to a table: one registration, from which plans, methods and the checks after each step go.

A verb says what becomes of the rows, what it wants of the column that it reads, and which columns it may change. What it
does beyond that is a fault of its own, and is found by counting: the proof does not believe a step because it says so.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

import pyarrow as pa

from kebrin.table import Finding, FindingKind, arrays

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from kebrin.table import Table

Rows = Literal["same", "sorted", "fewer", "more", "new"]
Needs = Literal["texts", "figures", "any"]

_EQUAL = 1e-9


@dataclass(frozen=True)
class Effect:
    """What a verb does.

    Attributes:
        module: where its function stands, below `kebrin`.
        rows: what becomes of the rows: they stay, are put in another order, some go, some are added, or others are made.
        needs: what it wants of the column that it reads: the texts as they stand, figures, or whatever is there.
        changes: whether the column that it reads may hold something else afterwards.
        options: options that name columns that it makes or changes.
    """

    module: str
    rows: Rows = "same"
    needs: Needs = "any"
    changes: bool = False
    options: tuple[str, ...] = ("into",)


_READS = ("into", "written")
#: The effect of each verb that makes one table of one table.
EFFECTS: Mapping[str, Effect] = {
    "number": Effect("values.numbers", needs="texts", changes=True, options=_READS),
    "date": Effect("values.dates", needs="texts", changes=True, options=_READS),
    "period": Effect("values.periods", needs="texts", changes=True, options=_READS),
    "recode": Effect("values.recoding", needs="texts", changes=True, options=("label", "written")),
    "flag": Effect("values.marking", needs="texts", changes=True, options=_READS),
    "missing": Effect("values.marking", needs="texts", changes=True, options=("status", "written")),
    "text": Effect("values.wording", needs="texts", changes=True, options=_READS),
    "convert": Effect("shape.converting", needs="figures", options=("into", "rate")),
    "split": Effect("shape.splitting", "more", "texts", changes=True),
    "only": Effect("shape.choosing", "fewer"),
    "leave_out": Effect("shape.choosing", "fewer"),
    "once": Effect("shape.choosing", "fewer"),
    "lookup": Effect("shape.looking_up", "fewer"),
    "sums": Effect("shape.summing", "new"),
    "crosstab": Effect("shape.crosstabs", "new"),
    "sort": Effect("shape.ranking", "sorted"),
    "rank": Effect("shape.ranking", needs="figures"),
    "top": Effect("shape.ranking", "new", "figures"),
    "share": Effect("shape.ranking", needs="figures"),
    "running": Effect("shape.ranking", needs="figures"),
    "change": Effect("shape.ranking", needs="figures"),
    "join": Effect("shape.columns", changes=True),
    "fixed": Effect("shape.columns"),
    "compute": Effect("shape.columns"),
    "first_of": Effect("shape.firsts", changes=True),
    "turn": Effect("shape.columns", "new"),
}


def held(verb: str, first: Any, options: Mapping[str, Any], before: Table, after: Table) -> list[Finding]:
    """What a step did beyond its effect; nothing if it did what it says.

    Args:
        verb: the verb.
        first: what stands at its own key: a column, columns, a condition.
        options: its options.
        before: the table that went in.
        after: the table that came out.

    >>> from kebrin.table import Table
    >>> before = Table(pa.table({"port": ["Brae", "Wick"], "boats": [3.0, 5.0]}), ("boats",))
    >>> after = Table(pa.table({"port": ["Brae"], "boats": [3.0], "place": [1]}), ("boats",))
    >>> [str(one) for one in held("rank", "boats", {"into": "place"}, before, after)]
    ['rank boats: it keeps every row, and of 2 rows 1 came out']
    """
    effect = EFFECTS.get(verb)
    if effect is None or effect.rows == "new":
        return []
    name = f"{verb} {first}" if isinstance(first, str) else verb
    rows_in, rows_out = len(before), len(after)
    if _wrong_count(effect.rows, rows_in, rows_out):
        said = {"same": "keeps every row", "sorted": "keeps every row", "fewer": "adds no row", "more": "drops no row"}
        what = f"{name}: it {said[effect.rows]}, and of {rows_in:,} rows {rows_out:,} came out"
        return [Finding(FindingKind.STEP, what, count=abs(rows_in - rows_out), breaks=True)]
    if rows_in != rows_out or effect.rows == "more":
        return []
    own = {
        *_named(first if effect.changes else ()),
        *(one for key in effect.options for one in _named(options.get(key))),
    }
    wrong = [
        column for column in before.columns
        if column not in own and not _as_before(before, after, column, in_order=effect.rows == "same")
    ]  # fmt: skip
    what = f"{name}: it does not change {', '.join(wrong)}, and what these hold is not what went in"
    return [Finding(FindingKind.STEP, what, count=len(wrong), breaks=True)] if wrong else []


def _wrong_count(rows: Rows, before: int, after: int) -> bool:
    return {"same": after != before, "sorted": after != before, "fewer": after > before, "more": after < before}.get(
        rows, False
    )


def _named(said: Any) -> Iterable[str]:
    """The columns that an option names."""
    if isinstance(said, str):
        return (said,)
    return tuple(str(one) for one in said) if isinstance(said, (list, tuple)) else ()


def _as_before(before: Table, after: Table, name: str, *, in_order: bool) -> bool:
    """Whether a column holds what it held: each value in its row, or as many values with the same sum in another order."""
    if name not in after.columns:
        return False
    was, now = before.data.column(name), after.data.column(name)
    if was is now:
        return True
    if was.type != now.type or was.null_count != now.null_count:
        return False
    if pa.types.is_floating(was.type):
        # Two columns of floats are never equal where one has NaN, and order changes a sum a little.
        sums = arrays.sum_of(was), arrays.sum_of(now)
        return abs(sums[0] - sums[1]) <= _EQUAL * max(abs(sums[0]), 1.0)
    return bool(was.equals(now)) if in_order and not pa.types.is_dictionary(was.type) else True
