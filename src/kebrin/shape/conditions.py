"""Conditions on rows: a column equals, is one of, lies between, fits a pattern, is blank; all, any of several, not.

A text is compared as text: `0410250` is not `410250`, and the number 41 is not the text "41".
"""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Mapping
from fnmatch import translate
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.errors import PlanError, nearest
from kebrin.shape.groups import Factor, factor
from kebrin.table import arrays
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from kebrin.table import Table

    Flags = NDArray[np.bool_]

TESTS = ("equals", "from", "to", "above", "below", "like", "blank", "but")
_JOINTS = ("any", "all", "but_not")


def fulfilled(table: Table, where: Mapping[str, Any], *, alike: bool = False) -> Flags:
    """Which rows of a table fulfil a condition.

    Args:
        table: the table.
        where: a test for each column named, all of which must hold. A test is a value, a list of values, or a table of
            `equals`, `from` and `to` (both within), `above`, `below`, `like` (a pattern with `*` and `?`), `blank` (true or
            false) and `but` (a test that must not hold). `any` takes a list of conditions of which one must hold, `but_not`
            one that must not.
        alike: whether case and stray blanks of texts count for nothing.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"port": ["Brae", "Wick", None], "boats": [3.0, 5.0, 9.0]}), ("boats",))
    >>> fulfilled(table, {"port": "Brae"}).tolist(), fulfilled(table, {"boats": {"from": 4, "below": 9}}).tolist()
    ([True, False, False], [False, True, False])
    >>> fulfilled(table, {"but_not": {"port": "Brae"}}).tolist()  # a row without a port is not lost to a "not"
    [False, True, True]

    Raises:
        PlanError: a column or a test is not known, or a value is of another kind than the column.
    """
    if not isinstance(where, Mapping):
        raise PlanError(
            "a condition takes columns and tests", why=f"it says {where!r}", do='Write it as in { port = "Brae" }'
        )
    if not where:
        raise PlanError("the condition is empty", do="Name a column and what it must be")
    found = np.ones(len(table), np.bool_)
    for name, said in where.items():
        if name in _JOINTS and name not in table.columns:
            found &= _joint(table, name, said, alike=alike)
            continue
        table.refuse_absent(name, "the condition")
        found &= _column(table, name, said, alike=alike)
    return found


def _joint(table: Table, name: str, said: Any, *, alike: bool) -> Flags:
    parts = said if isinstance(said, (list, tuple)) else [said]
    if not parts or not all(isinstance(part, Mapping) for part in parts):
        raise PlanError(f"{name} takes conditions", why=f"it says {said!r}", do="Give it tables of columns and tests")
    flags = [fulfilled(table, part, alike=alike) for part in parts]
    if name == "but_not":
        return np.asarray(~np.logical_or.reduce(flags))
    return np.asarray(np.logical_or.reduce(flags) if name == "any" else np.logical_and.reduce(flags))


def _column(table: Table, name: str, said: Any, *, alike: bool) -> Flags:
    column = table.data.column(name)
    if not isinstance(said, Mapping):
        said = {"equals": said}
    unknown = [test for test in said if test not in TESTS]
    if unknown:
        near = nearest(str(unknown[0]), TESTS)
        raise PlanError(
            f"no test is called {unknown[0]!r}", why=f"the tests are {', '.join(TESTS)}",
            do=f"Did you mean {near!r}?" if near else "Take one of these",
        )  # fmt: skip
    found = np.ones(len(table), np.bool_)
    plain = _numbers_of(column)
    one = factor(column) if plain is None else None
    for test, value in said.items():
        if test == "blank":
            nulls = arrays.nulls_of(column) if one is None else one.codes < 0
            found &= nulls if value else ~nulls
        elif test == "but":
            found &= ~_column(table, name, value, alike=alike)
        elif one is None:
            found &= _of_numbers(name, plain, test, value)
        else:
            found &= _of_values(name, one, test, value, alike=alike)
    return found


def _numbers_of(column: pa.ChunkedArray) -> NDArray[np.float64] | None:
    if pa.types.is_floating(column.type):
        return arrays.floats_of(column)
    if pa.types.is_integer(column.type):
        return arrays.floats_of(column.cast(pa.float64()))
    return None


def _of_numbers(name: str, numbers: NDArray[np.float64] | None, test: str, value: Any) -> Flags:
    assert numbers is not None  # noqa: S101 - only asked for columns of numbers
    values = value if test == "equals" and isinstance(value, (list, tuple)) else [value]
    if test == "like" or any(isinstance(one, (str, bool)) or not isinstance(one, (int, float)) for one in values):
        raise PlanError(
            f"{name!r} holds numbers, and the condition says {value!r}", why="a number is not a text",
            do="Write it as a number, without quotes",
        )  # fmt: skip
    ways: dict[str, Callable[[Any], Any]] = {
        "equals": lambda one: np.isin(numbers, one), "from": lambda one: numbers >= one[0], "to": lambda one: numbers <= one[0],
        "above": lambda one: numbers > one[0], "below": lambda one: numbers < one[0],
    }  # fmt: skip
    return np.asarray(ways[test]([float(one) for one in values]), np.bool_)


def _of_values(name: str, one: Factor, test: str, value: Any, *, alike: bool) -> Flags:
    """A test on distinct values, then on all rows by their codes; a row without a value fulfils none."""
    kept = np.array([*_tested(name, one.values.to_pylist(), test, value, alike=alike), False], np.bool_)
    return np.asarray(kept[one.codes])


def _tested(name: str, known: list[Any], test: str, value: Any, *, alike: bool) -> list[bool]:
    sample = next((one for one in known if one is not None), "")
    values = list(value) if isinstance(value, (list, tuple)) else [value]
    if isinstance(sample, str):
        odd = [one for one in values if not isinstance(one, str)]
        if odd and test in {"equals", "like"}:
            raise PlanError(
                f"{name!r} holds texts, and the condition says the number {odd[0]!r}", why="the text '41' is not the number 41",
                do=f"Write it as a text: {str(odd[0])!r}",
            )  # fmt: skip
        same = folded if alike else str
        if test == "equals":
            wanted = {same(one) for one in values}
            return [one is not None and same(one) in wanted for one in known]
        if test == "like":
            patterns = [re.compile(translate(same(one))) for one in values]
            return [one is not None and any(pattern.match(same(one)) for pattern in patterns) for one in known]
        values = [str(one) for one in values]
    else:
        values = [_as_kind(one, sample, name) for one in values]
    ways: dict[str, Callable[[Any], bool]] = {
        "equals": lambda own: own in values, "from": lambda own: own >= values[0], "to": lambda own: own <= values[0],
        "above": lambda own: own > values[0], "below": lambda own: own < values[0],
    }  # fmt: skip
    if test not in ways:
        raise PlanError(f"{name!r} holds no texts, and {test!r} is a test of texts", do="Take from, to, above or below")
    return [own is not None and ways[test](own) for own in known]


def _as_kind(value: Any, sample: Any, name: str) -> Any:
    """A value as the column's kind; dates may be written as texts in ISO form."""
    try:
        if isinstance(sample, dt.datetime):
            moment = dt.datetime.fromisoformat(value) if isinstance(value, str) else value
            if not isinstance(moment, dt.datetime):
                return dt.datetime.combine(moment, dt.time(), sample.tzinfo)
            return moment.replace(tzinfo=sample.tzinfo)
        if isinstance(sample, dt.date):
            return dt.date.fromisoformat(value) if isinstance(value, str) else value
        if isinstance(sample, dt.time):
            return dt.time.fromisoformat(value) if isinstance(value, str) else value
    except ValueError:
        raise PlanError(
            f"{name!r} holds dates or times, and the condition says {value!r}",
            do="Write it in ISO form, as in 2031-04-01",
        ) from None
    return value


def said_of(where: Mapping[str, Any]) -> str:
    """A condition in words.

    >>> said_of({"route": ["N4", "N7"], "carried": {"from": 10}})
    "route is 'N4' or 'N7', carried from 10"
    """
    parts = []
    for name, said in where.items():
        if name in _JOINTS:
            own = [said_of(part) for part in (said if isinstance(said, (list, tuple)) else [said])]
            parts.append(
                f"not ({'; '.join(own)})" if name == "but_not" else f" {'or' if name == 'any' else 'and'} ".join(own)
            )
        elif isinstance(said, Mapping):
            parts.append(f"{name} " + " and ".join(f"{test} {value!r}" for test, value in said.items()))
        else:
            values = said if isinstance(said, (list, tuple)) else [said]
            parts.append(f"{name} is {' or '.join(map(repr, values))}")
    return ", ".join(parts)
