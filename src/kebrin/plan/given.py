"""Values from outside: what a plan names under `[set]` is filled in where `{name}` stands in its texts.

One plan serves every month: `period = "2031-04"` under `[set]`, `{period}` in names, patterns, conditions and texts, and
`kebrin run PLAN --set period=2031-05`.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

from kebrin.errors import Place, PlanError, nearest

if TYPE_CHECKING:
    from collections.abc import Mapping

#: The part of a plan that names the values, with what they are where nothing else is said; "" must be said.
SET = "set"
# What outputs fill in themselves.
_TAKEN = frozenset({"value", "number", "run date", "run time"})
# A pattern of headings names parts of its own ("{measure} {year}").
_PATTERN = "headings"
_NAME = re.compile(r"\{([^{}]+)\}")


def filled(
    content: Mapping[str, Any], given: Mapping[str, Any], file: str = "", *, needed: bool = True
) -> dict[str, Any]:
    """A plan's content with the values that it names in their places.

    A text that is nothing but `{name}` becomes a number where the value under `[set]` is one.

    Args:
        content: the plan, as TOML has it.
        given: the values that are said from outside, by name.
        file: the plan's file, for people.
        needed: whether values that must be said are asked for; else their places stay as they are, to be looked at.

    >>> plan = {"set": {"month": "04", "least": 5}, "files": "trips_{month}.csv", "only": {"trips": {"from": "{least}"}}}
    >>> filled(plan, {"month": "05"})["files"], filled(plan, {"least": "7"})["only"]
    ('trips_05.csv', {'trips': {'from': 7.0}})

    Raises:
        PlanError: a value is not named under `[set]`, is needed and not said, is no number, or stands nowhere.
    """
    named = content.get(SET, {})
    if not isinstance(named, dict) or not all(isinstance(one, (str, int, float)) for one in named.values()):
        return dict(content)  # the model says what is wrong with it
    where = Place(file)
    for name in given:
        if name not in named:
            near = nearest(name, named)
            raise PlanError(
                f"--set names {name!r}, which is not under [set] in the plan", where,
                why=f"there are {', '.join(named)}" if named else "nothing is there",
                do=f"Did you mean {near!r}?" if near else f'State it in the plan: [set], {name} = ""',
            )  # fmt: skip
    if taken := _TAKEN & named.keys():
        raise PlanError(f"[set] names {min(taken)!r}, which outputs fill in themselves", where, do="Take another name")
    values = {name: _typed(name, given.get(name, usual), usual, where) for name, usual in named.items()}
    lacking = [name for name, value in values.items() if value == ""]
    values |= {name: f"{{{name}}}" for name in lacking}
    if lacking and needed:
        raise PlanError(
            f"the plan needs {', '.join(lacking)}", where, why="it is empty under [set]",
            do=f"State it: kebrin run PLAN --set {lacking[0]}=...",
        )  # fmt: skip
    used: set[str] = set()
    rest = {key: _put(value, values, used) for key, value in content.items() if key != SET}
    if idle := [name for name in named if name not in used]:
        raise PlanError(
            f"[set] names {idle[0]!r}, and {{{idle[0]}}} stands nowhere in the plan", where, why="it has no effect",
            do="Put it where it is wanted, or take it out",
        )  # fmt: skip
    return rest


def _typed(name: str, said: Any, usual: Any, where: Place) -> Any:
    """A value as a number where its usual one is a number."""
    if isinstance(usual, (int, float)) and not isinstance(usual, bool) and isinstance(said, str):
        try:
            return float(said)
        except ValueError:
            raise PlanError(
                f"{name} must be a number, and is {said!r}", where, why=f"under [set] it is {usual}", do="Correct it"
            ) from None
    return said


def _put(value: Any, values: Mapping[str, Any], used: set[str]) -> Any:
    """A part of a plan with the values in their places."""
    if isinstance(value, dict):
        return {
            _written(_put(key, values, used)): one if key == _PATTERN else _put(one, values, used)
            for key, one in value.items()
        }
    if isinstance(value, list):
        return [_put(one, values, used) for one in value]
    if not isinstance(value, str) or "{" not in value:
        return value
    names = [name for name in _NAME.findall(value) if name in values]
    used.update(names)
    if names and value == f"{{{names[0]}}}":
        return values[names[0]]
    return _NAME.sub(lambda match: _written(values[match[1]]) if match[1] in values else match[0], value)


def _written(value: Any) -> str:
    return f"{value:.15g}" if isinstance(value, float) else str(value)
