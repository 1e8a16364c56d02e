"""Look for steps by which a table comes to hold the wanted rows.

Steps are proposed by what the wanted cells look like beside the table's (`making_columns`, `making_tables`), taken, and kept
where the table then says more of what is wanted. So a chain grows: a look-up, then a sum; a month, then a crosstab.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.errors import KebrinError
from kebrin.plan.making_columns import column_steps
from kebrin.plan.making_tables import table_steps
from kebrin.plan.seen import Seen
from kebrin.plan.steps import VERBS
from kebrin.plan.wanted import best_match
from kebrin.work.stepping import take_steps

if TYPE_CHECKING:
    from collections.abc import Collection, Iterator, Mapping

    from kebrin.plan.wanted import Match, Wanted
    from kebrin.table import Table

    Steps = tuple[dict[str, Any], ...]

# So many tables are gone on from at each length of the chain, and so long does a chain get.
_KEPT, _LONGEST = 3, 5
# Each step that is tried costs as many rows as it reads, and so many more; the whole search as many as this.
_ROWS_MORE, _MOST_ROWS = 5_000, 6_000_000


@dataclass(eq=False)
class Budget:
    """How much may be tried yet, in rows: the same for everybody, however quick the machine is."""

    rows: int = _MOST_ROWS

    def spend(self, rows: int) -> bool:
        """Whether there is enough for a try over so many rows."""
        self.rows -= rows + _ROWS_MORE
        return self.rows > 0


@dataclass(frozen=True, eq=False)
class Reached:
    """A table, the steps that made it, and how well it holds the wanted rows."""

    table: Table
    match: Match
    steps: Steps = ()
    others: Mapping[str, Table] = field(default_factory=dict)
    around: Collection[str] = ()

    @property
    def rank(self) -> tuple[int, ...]:
        """For choosing: rows reached whole, cells said, rows reached in the columns found; then the fewest steps."""
        match = self.match
        return (0 if match.absent else sum(match.reached), match.said, sum(match.reached), -len(self.steps))

    @property
    def used(self) -> set[str]:
        """The other tables that the steps name."""
        return {str(step["using"]) for step in self.steps if "using" in step}


def reach(
    start: Table, wanted: Wanted, others: Mapping[str, Table], budget: Budget, around: Collection[str] = ()
) -> Reached:
    """The steps that bring a table nearest to the wanted rows; none if it holds them, or if no step helps.

    Args:
        start: the table.
        wanted: the wanted rows.
        others: other tables that steps may look things up in, by the names that they would have in the plan.
        budget: how much may be tried.
        around: the columns for what stands around the blocks.
    """
    best = Reached(start, best_match(wanted, start.data), others=others, around=around)
    front = [best]
    seen = {_key(best)}
    for _ in range(_LONGEST):
        if best.match.whole:
            return best
        grown: list[Reached] = []
        for one in front:
            for nearer in _grown(one, budget):
                if nearer.rank[:3] <= one.rank[:3] or _key(nearer) in seen:
                    continue
                seen.add(_key(nearer))
                grown.append(nearer)
                if nearer.match.whole:
                    return nearer
        grown.sort(key=lambda one: one.rank, reverse=True)
        front = grown[:_KEPT]
        if not front:
            break
        best = max(best, front[0], key=lambda one: one.rank)
    return best


def _key(one: Reached) -> tuple[Any, ...]:
    return (one.table.columns, len(one.table), one.match.columns, one.match.said)


def _grown(one: Reached, budget: Budget) -> Iterator[Reached]:
    seen = Seen(one.table, one.match, one.others, one.around)
    for ways in (column_steps, table_steps):
        for steps in ways(seen):
            if not budget.spend(len(one.table)):
                return
            table = taken(one.table, steps, one.others)
            if table is not None:
                match = best_match(one.match.wanted, table.data)
                yield replace(one, table=table, match=match, steps=(*one.steps, *steps))


def taken(table: Table, steps: Steps, others: Mapping[str, Table]) -> Table | None:
    """The table after some steps; None if one of them does not fit, or loses something."""
    models = [VERBS[next(iter(step))].model_validate(step) for step in steps]
    try:
        made = take_steps(table, models, Path(), "wanted", others)["wanted"]
    except KebrinError:
        return None
    known = set(map(id, table.remarks))
    broken = any(remark.breaks for remark in made.remarks if id(remark) not in known)
    return None if broken else made
