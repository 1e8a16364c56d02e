"""What is seen of a table while steps towards wanted rows are looked for: its columns, its match, what is lacking yet."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import neat
from kebrin.plan.wanted import every
from kebrin.table.arrays import distinct_texts, kind_of

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping

    from kebrin.plan.wanted import Key, Match, Wanted
    from kebrin.table import Table

_PLACES = re.compile(r"\.(\d+)\s*%?$")
#: Of so many wanted rows one may be mistyped, of fewer none.
MANY = 4
# Of a column so many different texts are looked at.
_LOOKED_AT = 2000


@dataclass(frozen=True, eq=False)
class Seen:
    """A table on the way to the wanted rows.

    Attributes:
        table: the table.
        match: how well it holds the wanted rows.
        others: other tables of the same reports, by the names that they would have in the plan.
        around: the columns for what stands around the blocks.
    """

    table: Table
    match: Match
    others: Mapping[str, Table]
    around: Collection[str] = ()

    @property
    def wanted(self) -> Wanted:
        """The wanted rows."""
        return self.match.wanted

    @cached_property
    def lacking(self) -> tuple[int, ...]:
        """The wanted columns that nothing says yet: without a column, or with figures that stand there by chance."""
        return tuple(
            at for at, found in enumerate(self.match.columns) if found is None or not self._says_all(at, found)
        )

    def _says_all(self, at: int, found: str) -> bool:
        there = [self.match.lookup.says(found, keys[at]) for keys in self.wanted.keys]
        # Figures of another row: all of them stand in the column, but not beside the labels that are wanted with them.
        beside = all(self.match.reached) or not self._are_figures(at)
        return beside and sum(there) >= len(there) - (len(there) >= MANY)

    def _are_figures(self, at: int) -> bool:
        return kind_of(self.match.lookup.data.column(self.match.columns[at])) == "number"

    @cached_property
    def known(self) -> dict[int, str]:
        """The table's column for each wanted one that is no figure and is found."""
        return {
            at: found for at, found in enumerate(self.match.columns)
            if found is not None and at not in self.lacking and not self._are_figures(at)
        }  # fmt: skip

    @cached_property
    def figures(self) -> tuple[int, ...]:
        """The lacking columns that hold figures."""
        return tuple(at for at in self.lacking if self._says(at, float))

    @cached_property
    def words(self) -> tuple[int, ...]:
        """The lacking columns that hold words."""
        return tuple(at for at in self.lacking if self._says(at, str))

    def _says(self, at: int, kind: type) -> bool:
        keys = self.keys(at)
        return bool(keys) and all(isinstance(key, kind) for key in keys)

    def keys(self, at: int) -> list[Key]:
        """What a wanted column says, without blanks."""
        return [keys[at] for keys in self.wanted.keys if keys[at] is not None]

    def said(self, at: int) -> list[str]:
        """The texts of a wanted column, each once, without blanks."""
        return list(dict.fromkeys(neat(texts[at]) for texts in self.wanted.texts if texts[at].strip()))

    def places(self, at: int) -> int:
        """The decimal places of a wanted column of figures."""
        return max((len(match[1]) for match in map(_PLACES.search, self.said(at)) if match), default=0)

    def free(self, name: str) -> str:
        """A name for a new column."""
        taken = {column.casefold() for column in self.table.columns}
        return name if name.casefold() not in taken else next(
            new for number in range(2, len(taken) + 3) if (new := f"{name} {number}").casefold() not in taken
        )  # fmt: skip

    @cached_property
    def kinds(self) -> dict[str, str]:
        """What each column holds."""
        return {name: kind_of(self.table.data.column(name)) for name in self.table.columns}

    @cached_property
    def texts(self) -> dict[str, list[str]]:
        """What each column of texts says, each once; without columns that say too much to be looked at."""
        found = {
            name: list(distinct_texts(self.table.data.column(name))) for name in self.table.columns
            if self.kinds[name] == "text"
        }  # fmt: skip
        return {name: said for name, said in found.items() if 0 < len(said) <= _LOOKED_AT}

    @cached_property
    def own_texts(self) -> dict[str, list[str]]:
        """The same for the blocks' own columns."""
        return {name: said for name, said in self.texts.items() if name not in self.around}

    @cached_property
    def numbers(self) -> list[str]:
        """The columns of numbers."""
        return [name for name, kind in self.kinds.items() if kind == "number"]

    @cached_property
    def rows(self) -> list[int] | None:
        """The row of the table for each wanted row, by the labels that are found; None if one has none or several."""
        found = []
        for keys in self.wanted.keys:
            parts = [self.match.lookup.where(name, keys[at]) for at, name in self._firm.items()]
            at = np.flatnonzero(every(iter(parts))) if parts else np.empty(0, np.intp)
            if len(at) != 1:
                return None
            found.append(int(at[0]))
        return found

    @cached_property
    def _firm(self) -> dict[int, str]:
        """All columns that are found, figures that stand beside their labels among them."""
        return {
            at: found for at, found in enumerate(self.match.columns) if found is not None and at not in self.lacking
        }
