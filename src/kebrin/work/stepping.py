"""Take a plan's steps on a table, one after the other."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from importlib import import_module
from typing import TYPE_CHECKING, Any, Protocol

from kebrin.errors import KebrinError, Place
from kebrin.shape.choosing import without_totals
from kebrin.shape.effects import EFFECTS, held
from kebrin.work.limiting import Limited

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from kebrin.table import Table


class Taken(Protocol):
    """One step: its verb, the column that it reads, and the options that were given."""

    @property
    def verb(self) -> str:
        """The verb."""
        ...

    @property
    def column(self) -> str:
        """The column that the verb reads, '' if it reads the whole table."""
        ...

    @property
    def first(self) -> Any:
        """What stands at the verb's own key."""
        ...

    def options(self) -> dict[str, Any]:
        """The options that were given, by the names of the verb's arguments."""
        ...


class _Verbs(Mapping[str, "Callable[..., Table]"]):
    """The function of each verb, loaded when it is first asked for."""

    def __getitem__(self, verb: str) -> Callable[..., Table]:
        found: Callable[..., Table] = getattr(import_module(f"kebrin.{EFFECTS[verb].module}"), verb)
        return found

    def __iter__(self) -> Iterator[str]:
        return iter(EFFECTS)

    def __len__(self) -> int:
        return len(EFFECTS)


#: The function of each verb: a table and a column go in, a table comes out.
TAKEN: Mapping[str, Callable[..., Table]] = _Verbs()
# What counts, sums or compares records: a total row is none.
_OF_RECORDS = frozenset({"sums", "crosstab", "top", "rank", "share", "running", "change"})


def _taken(table: Table, own: str, step: Taken, options: dict[str, Any]) -> dict[str, Table]:
    """What one step makes of a table: the table after it, and a second one if the step makes one."""
    if step.verb == "detail":
        from kebrin.shape.detailing import detail

        into = options.pop("into")
        records, entries = detail(table, step.column, **options)
        return {own: records, into: entries}
    if step.verb == "total_row":
        from kebrin.shape.ranking import total_row

        return {own: total_row(table, label=step.first)}
    misses = options.pop("misses", "") if step.verb == "lookup" else ""
    more: dict[str, Table] = {}
    if misses:
        from kebrin.shape.looking_up import unmatched

        asked = {key: options[key] for key in ("using", "by", "alike", "numbers", "sheet") if key in options}
        more[misses] = unmatched(table, **asked)
    return {own: take(table, step.verb, step.first, options), **more}


def take(table: Table, verb: str, first: Any, options: Mapping[str, Any]) -> Table:
    """The table after one verb, which is held to what it says that it does (`kebrin.shape.effects`)."""
    table = without_totals(table, verb) if verb in _OF_RECORDS else table
    made = TAKEN[verb](table, first, **options)
    return made.remarked(held(verb, first, options, table, made))


def take_steps(
    table: Table, steps: Sequence[Taken], base: Path, name: str, made: Mapping[str, Table] | None = None
) -> dict[str, Table]:
    """The table after all steps, and the tables of details that some of them made, by name.

    A step is taken on the table itself, or on the first table of details that has its column if the table does not. Files
    that steps name are relative to `base`; `made` are tables that they may name instead.

    Raises:
        ValuesError: a column reads in two ways; the step and the option that settles it are told.
        PlanError: a step names no column of the table, or an option is wrong.
        SourceError: a file that a step names can't be read.
    """
    tables = {name: table}
    limited = Limited()
    for count, step in enumerate(steps, 1):
        options: dict[str, Any] = step.options()
        if "using" in options:
            options["using"] = (made or {}).get(str(options["using"]), base / str(options["using"]))
        own = next((one for one, part in tables.items() if step.column in part.columns), name) if step.column else name
        where = options.pop("where", None)
        try:
            if where:
                done = limited.take(tables[own], step.column, step.verb, TAKEN[step.verb], options, where)
                said = held(step.verb, step.column, options, tables[own], done)
                tables[own] = done.remarked(said)
                continue
            tables |= _taken(tables[own], own, step, options)
        except KebrinError as error:
            if error.where != Place():
                raise
            raise type(error)(
                f"table {name}, step {count}: {error.what}", why=error.why, do=error.do, answers=error.answers
            ) from None
    return tables
