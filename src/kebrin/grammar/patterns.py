"""Patterns that a person states: searched for as RE2 does, whose time is linear in the text, so that none can hang."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Sequence

_WHOLE = "whole_of_it"


def groups_of(pattern: str) -> list[int]:
    r"""Where the groups of a pattern that have no name begin, signs in classes and behind a backslash left out.

    >>> groups_of(r"(\d+)[(]\((?P<unit>t|kg)(?:s)?"), groups_of("[]()]+")
    ([0], [])
    """
    found, at, opened = [], 0, -1
    while at < len(pattern):
        letter = pattern[at]
        if letter == "\\":
            at += 1
        elif opened >= 0:
            # A bracket that comes first in a class stands for itself.
            if letter == "]" and at > opened + 1 + (pattern[opened + 1 : opened + 2] == "^"):
                opened = -1
        elif letter == "[":
            opened = at
        elif letter == "(" and pattern[at + 1 : at + 2] != "?":
            found.append(at)
        at += 1
    return found


def named_groups(pattern: str, names: Sequence[str]) -> str:
    r"""A pattern whose groups without a name bear these.

    >>> named_groups(r"(\d+) (t|kg)", ["amount", "unit"])
    '(?P<amount>\\d+) (?P<unit>t|kg)'
    """
    for at, name in reversed(list(zip(groups_of(pattern), names, strict=True))):
        pattern = f"{pattern[: at + 1]}?P<{name}>{pattern[at + 1 :]}"
    return pattern


@dataclass(frozen=True)
class Fit:
    """What fits a pattern: all of it, what its groups without a name hold, and what those with one do."""

    whole: str
    groups: tuple[str, ...]
    named: dict[str, str]

    @property
    def part(self) -> str:
        """What the first group holds; all of it where there is none."""
        return next(iter((*self.groups, *self.named.values())), self.whole)


def searched(pattern: str, text: str) -> Fit | None:
    r"""The first place in a text that fits a pattern; None if there is none.

    >>> searched(r"traffic_(\d{4})", "traffic_2031.xlsx").part
    '2031'

    Raises:
        ValueError: the pattern can't be read.
    """
    import numpy as np
    import pyarrow as pa
    import pyarrow.compute as pc

    names = [f"group_{at}" for at, _ in enumerate(groups_of(pattern))]
    content = text.encode("utf-8", "replace")
    # Built from buffers: pyarrow.array imports pandas where it is installed.
    ends = pa.py_buffer(np.array([0, len(content)], np.int32))
    array = pa.Array.from_buffers(pa.string(), 1, [None, ends, pa.py_buffer(content)])
    try:
        found: dict[str, Any] | None = pc.extract_regex(array, f"(?P<{_WHOLE}>{named_groups(pattern, names)})")[
            0
        ].as_py()
    except pa.ArrowInvalid as error:
        raise ValueError(str(error).split(": ", 1)[-1].splitlines()[0]) from None
    if found is None:
        return None
    return Fit(
        found[_WHOLE], tuple(found[name] for name in names),
        {name: one for name, one in found.items() if name not in {_WHOLE, *names}},
    )  # fmt: skip
