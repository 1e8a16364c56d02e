"""Steps that may make the wanted table of another: sums, crosstabs, look-ups in other tables, a total row.

Each is proposed because the wanted rows look so; whether it gives them is seen when it is taken.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from kebrin.errors import KebrinError
from kebrin.grammar.words import total_word
from kebrin.plan.making_columns import computed
from kebrin.plan.seen import MANY
from kebrin.plan.wanted import best_match, key_of
from kebrin.shape.groups import factor
from kebrin.shape.looking_up import lookup
from kebrin.shape.summing import sums
from kebrin.table.arrays import kind_of

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping

    from kebrin.plan.seen import Seen
    from kebrin.table import Table

    Steps = tuple[dict[str, Any], ...]

# One row's figure may be anything's least or mean; its sum and its count can be asked for by one.
_WAYS, _WAYS_OF_ONE = ("sum", "mean", "largest", "least"), ("sum",)
_MOST_NUMBERS = 8
# Labels that head columns of a crosstab are as few as fit on a sheet.
_MOST_ACROSS = 60
# Of one column's keys so many must be found in another's for them to be the same.
_SAME_KEYS = 0.8
# In larger tables no rate is tried that is not wanted itself.
_MOST_ROWS = 200_000
_KINDS_OF_TIME = ("month", "quarter", "year")


def table_steps(seen: Seen) -> Iterator[Steps]:
    """Steps that make a table with the wanted rows, the plainest first."""
    yield from _looked_up(seen)
    if seen.figures:
        yield from _summed(seen)
        yield from _crossed(seen)
    yield from _totalled(seen)


def _looked_up(seen: Seen) -> Iterator[Steps]:
    """Columns of another table of the reports, by keys that both have."""
    for name, other in seen.others.items():
        found = {}
        texts = {column: _keys_of(other, column) for column in other.columns}
        for at in seen.lacking:
            keys = seen.keys(at)
            column = next((one for one, known in texts.items() if keys and set(keys) <= known), None)
            if column is not None:
                found[seen.free(seen.wanted.columns[at])] = column
        for own, theirs in _same_keys(seen, texts, len(other)):
            if found and theirs not in found.values():
                yield ({"lookup": found, "using": name, "by": {own: theirs}},)
            # A rate that is not wanted itself, but what it makes of a figure is.
            figures = (
                [one for one in other.columns if kind_of(other.data.column(one)) == "number"]
                if seen.figures and len(seen.table) <= _MOST_ROWS
                else []
            )
            for rate in figures:
                brought = {"lookup": {seen.free(rate): rate}, "using": name, "by": {own: theirs}}
                yield from _with_rate(seen, brought)


def _same_keys(seen: Seen, texts: Mapping[str, set[Any]], rows: int) -> Iterator[tuple[str, str]]:
    """A column of the table's and one of another table that has the same keys, each once there."""
    for own, said in seen.texts.items():
        mine = {key_of(text) for text in said}
        for theirs, known in texts.items():
            if len(known) == rows and len(mine & known) >= _SAME_KEYS * len(mine):
                yield own, theirs


def _with_rate(seen: Seen, brought: dict[str, Any]) -> Iterator[Steps]:
    """A figure brought in, with a formula over it that makes a wanted column."""
    try:
        made = lookup(seen.table, brought["lookup"], using=seen.others[brought["using"]], by=brought["by"])
    except KebrinError:
        return
    (rate,) = brought["lookup"]
    after = replace(seen, table=made, match=best_match(seen.wanted, made.data))
    for at in after.figures:
        for steps in computed(after, at):
            if f"'{rate}'" in steps[-1]["formula"]:
                yield (brought, *steps)


def _keys_of(table: Table, column: str) -> set[Any]:
    return {key_of(value) for value in factor(table.data.column(column)).values.to_pylist()} - {None}


def _summed(seen: Seen) -> Iterator[Steps]:
    """Sums by the labels that are found: of all ways to sum those that say a wanted figure."""
    by = list(dict.fromkeys(seen.known.values()))
    if not by or len(seen.numbers) > _MOST_NUMBERS:
        return
    numbers = [name for name in seen.numbers if name not in by]
    several = len(seen.wanted) > 1
    of = {f"{way} {name}": f"{way} {name}" for way in (_WAYS if several else _WAYS_OF_ONE) for name in numbers}
    if several:  # one small number is a count of anything
        of |= {f"distinct {name}": f"distinct {name}" for name in seen.own_texts if name not in by}
    try:
        made = sums(seen.table, by, of=of, rows="rows of each")
    except KebrinError:
        return
    match = best_match(seen.wanted, made.data)
    used = [name for name in match.columns if name is not None and name not in by]
    wrong = len(seen.wanted) - sum(match.reached)
    if not used or wrong > (len(seen.wanted) >= MANY):
        return
    free = {name: seen.wanted.columns[match.columns.index(name)] for name in used}
    names = {name: new if new not in by else name for name, new in free.items()}
    counted = names.get("rows of each", "")
    kept = {names[name]: of[name] for name in used if name in of}
    yield ({"sums": by, **({"of": kept} if kept else {}), **({"rows": counted} if counted else {})},)


def _crossed(seen: Seen) -> Iterator[Steps]:
    """A crosstab by the labels that are found, across each other column of labels, and across the months of dates."""
    down = list(dict.fromkeys(seen.known.values()))
    if not down or len(seen.figures) < 2:
        return
    across: list[tuple[Steps, str]] = [
        ((), name) for name, said in seen.texts.items() if name not in down and 1 < len(said) <= _MOST_ACROSS
    ]
    for name, kind in seen.kinds.items():
        if kind in {"date", "moment"} and name not in down:
            across += [(({"period": name, "of": of},), name) for of in _KINDS_OF_TIME]
    names = {name.casefold() for name in seen.wanted.columns}
    # Whose labels head the wanted columns in so many words comes first.
    across.sort(key=lambda one: not names & {text.casefold() for text in seen.texts.get(one[1], [])})
    for totals in ("", "rows", "both"):
        for before, name in across:
            for measure in [one for one in seen.numbers if one not in down]:
                more = {"totals": totals} if totals else {}
                yield (*before, {"crosstab": down, "across": name, "of": measure, **more})


def _totalled(seen: Seen) -> Iterator[Steps]:
    """A total row below, under the label that the wanted rows have for it."""
    for at in seen.known:
        for text in seen.said(at):
            if total_word(text) and not all(seen.match.reached):
                yield ({"total_row": text},)
                return
