"""The flow of a plan in words: what each table is made of, the steps that it takes, where it goes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kebrin.shape.conditions import said_of

if TYPE_CHECKING:
    from kebrin.plan.model import OutputPlan, PlanModel, TablePlan

_SHOWN = 60


def flow_of(plan: PlanModel) -> list[str]:
    r"""The lines of a plan's flow, tables in the order in which they are made.

    >>> from kebrin.plan.plan_file import parse_plan
    >>> text = 'kebrin = 1\n[table.log]\nfiles = "log.csv"\n[[table.log.step]]\nnumber = "Due"\n'
    >>> for line in flow_of(parse_plan(text + '[[output]]\ntable = "log"\nfile = "out.csv"\n')):
    ...     print(line)
    log
      from  log.csv
      step  number Due
      to    out.csv
    """
    lines: list[str] = []
    for name in plan.order:
        table = plan.table[name]
        lines.append(name)
        lines.append(f"  from  {_sources(table)}")
        lines += [f"  step  {_step(table, at)}" for at in range(len(table.step))]
        lines += [f"  with  {detail}, a table beside it" for detail in table.details]
        own = (name, *table.details)
        lines += [f"  to    {_target(output, name)}" for output in plan.output if output.table in own]
    whole = [f"  to    {_target(output, '')}" for output in plan.output if output.what != "table"]
    return [*lines, "the whole run", *whole] if whole else lines


def _sources(table: TablePlan) -> str:
    if table.made_of:
        return f"{', '.join(table.made_of)}{', stacked by name' * (len(table.made_of) > 1)}"
    choice = table.sheets
    sheets = f", all sheets but {', '.join(choice.but)}" if choice.but else ""
    sheets = f", sheets {', '.join(choice.only)}" if choice.only else sheets
    return ", ".join(table.files) + sheets


def _step(table: TablePlan, at: int) -> str:
    step = table.step[at]
    first, options = step.first, step.options()
    said = (
        said_of(first)
        if step.verb in {"only", "leave_out"}
        else ", ".join(map(str, first))
        if _is_many(first)
        else str(first)
    )
    said += f" by {', '.join(options['across'])}" if "across" in options else ""
    using = options.get("using")
    text = f"{step.verb} {said}" + (f" using {using}" if using else "")
    return text if len(text) <= _SHOWN else text[: _SHOWN - 1] + "…"


def _is_many(value: object) -> bool:
    return isinstance(value, (list, tuple, dict))


def _target(output: OutputPlan, name: str) -> str:
    more = [f"the {output.what}"] if output.what != "table" else [output.table] if output.table != name else []
    more += [f"sheet {output.sheet!r}"] if output.sheet else []
    more += [f"one for each {output.by}"] if output.by else []
    more += [f"into {output.template} at {output.at}"] if output.template else []
    where = output.file
    if output.database:  # what stands before the @ may be a password
        where = f"table {output.into or output.table!r} of {output.database.rpartition('@')[2]}"
    return where + (f" ({'; '.join(more)})" if more else "")
