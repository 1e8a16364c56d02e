"""`kebrin drift`, and what `kebrin run` says of the changes since the last run."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from kebrin.api import drift as drift_of
from kebrin.cli import show
from kebrin.cli.ending import Exit

if TYPE_CHECKING:
    from collections.abc import Sequence

    from rich.console import Console

    from kebrin.deliver.drift import Drift

# So many single cases of a change are shown; `--json` has all.
_CASES = 5


def drift(old: str, new: str, key: Sequence[str], *, as_json: bool) -> int:
    """Say what is otherwise in the new report or output."""
    found = drift_of(old, new, key)
    if as_json:
        print(json.dumps({"tables": [one.to_plain() for one in found]}, ensure_ascii=False))
        return Exit.DONE
    out = show.console()
    for one in found:
        show.heading(out, f"{one.table}: {_counts(one)}")
        tell(out, one, cases=_CASES)
    return Exit.DONE


def tell(out: Console, drift: Drift, *, cases: int) -> None:
    """The changes of one table, those that time alone does not explain first."""
    usual = [change for change in drift.changes if change.expected]
    if not drift.unexpected:
        show.line(out, "nothing changed" + (" than time explains" if usual else ""))
    for change in drift.unexpected:
        show.line(out, f"· {change}")
        if change.kind == "restated" or (len(change.details) > 1 and change.kind in {"rows", "layout"}):
            for case in change.details[:cases]:
                show.line(out, f"    {case}", "dim")
            if len(change.details) > cases:
                show.line(out, f"    and {len(change.details) - cases:,} more; --json has them all", "dim")
    for change in usual:
        show.line(out, f"  {change.what}", "dim")


def since_last(out: Console, drifts: Sequence[Drift]) -> None:
    """What a run says of the changes since the last one."""
    for one in drifts:
        if one.changes or one.rows[0] != one.rows[1]:
            show.heading(out, f"{one.table}, since the last run: {_counts(one)}")
            tell(out, one, cases=_CASES)


def _counts(drift: Drift) -> str:
    before, after = drift.rows
    said = f"{before:,} rows" if before == after else f"{before:,} rows then, {after:,} now"
    for name, (was, now) in drift.sums.items():
        if was is not None and now is not None and was != now:
            said += f"; {name} {was:,.10g} then, {now:,.10g} now"
    return said
