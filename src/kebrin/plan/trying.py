"""Try a drafted layout on the files that it was drafted from, and leave to be worked out what would read them otherwise.

A layout that was worked out can say more than its words can: two headings may be alike, a stub head may stand on several
blocks, a heading level may say its labels in two languages. Stated, such a key stops the run or reads another table. It is
then left out of the draft, and the work finds it next month as it found it now.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from kebrin.errors import KebrinError, SourceError
from kebrin.plan.plan_file import parse_plan
from kebrin.plan.running import Means, lay_out
from kebrin.sources.remote import is_address
from kebrin.work.joining import Terms, join

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from kebrin.layout import Layout
    from kebrin.plan.drafting import Draft
    from kebrin.table import Table

# Layout keys left out, the fewest first.
_UNSTATED = (
    (), ("starts",), ("stub",), ("boxhead",), ("starts", "stub"), ("starts", "boxhead"), ("boxhead", "stub"),
    ("starts", "boxhead", "stub", "cutins", "beside"),
)  # fmt: skip
# What is drafted of a list, whose headings, labels and figures the work finds as they stand.
_OF_A_LIST = ("starts", "boxhead", "stub", "measures", "measure")
# Reading sheets of more cells than this once more would take longer than the draft itself.
_MOST_CELLS = 200_000


def tried(draft: Draft, written: Callable[[Draft], str], base: Path) -> Draft:
    """The draft with as many keys of its layout as give the table that it was drafted from.

    Args:
        draft: one table to be drafted.
        written: the part of a plan that says this table.
        base: the folder that its file names are relative to.
    """
    pieces = draft.group.pieces
    cells = sum(len(piece.table) * len(piece.table.columns) for piece in pieces)
    if cells > _MOST_CELLS or any(is_address(piece.file) for piece in pieces):
        return draft
    joined, _ = join(pieces, draft.group.stamps, drop_constant=True)
    first = ""
    asked = any(
        remark.asks for remark in draft.stepped[0].remarks
    )  # what is asked may be answered by a line of the layout
    plain = not asked and all(_is_plain_list(piece.layout) for piece in pieces)
    ways = (_OF_A_LIST, *_UNSTATED) if plain else _UNSTATED
    for keys in ways:
        less = replace(draft, unstated=frozenset(keys))
        try:
            why = _otherwise(joined, _laid_out(written(less), base))
        except SourceError:
            return draft  # a report that does not stand on disk
        except KebrinError as error:
            why = error.what
        if not why:
            said = f"left to be worked out: {', '.join(keys)}. Stated, this would stop the run or read another table: {first}"
            return less if not keys or keys is _OF_A_LIST else replace(less, said=(*draft.said, said))
        first = first or (why if keys is not _OF_A_LIST else "")
    said = f"? what is stated here stops the run or reads another table: {first}. Correct it, or leave this table out."
    return replace(draft, said=(*draft.said, said))


def _is_plain_list(layout: Layout) -> bool:
    """Whether a list has one row of headings, nothing right above it, and nothing that is asked about."""
    above = any(row == layout.area.top - 1 for row, _ in layout.texts)
    return layout.listed and len(layout.boxhead_rows) == 1 and not above and not layout.questions


def _laid_out(text: str, base: Path) -> Table:
    ((name, plan),) = parse_plan(f"kebrin = 1\n{text}").table.items()
    return lay_out(name, plan, base, Terms(), Means()).table


def _otherwise(table: Table, again: Table) -> str:
    """What is otherwise in a table that was read again; '' if nothing is."""
    gone = [name for name in table.columns if name not in again.columns]
    more = [name for name in again.columns if name not in table.columns]
    if gone or more:
        return f"the columns are {', '.join(again.columns)}, not {', '.join(table.columns)}"
    if len(table) != len(again):
        return f"there are {len(again)} rows, not {len(table)}"
    other = [
        name for name in table.columns if table.data.column(name).to_pylist() != again.data.column(name).to_pylist()
    ]
    return f"{other[0]!r} says something else" if other else ""
