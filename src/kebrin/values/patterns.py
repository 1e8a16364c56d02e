"""Patterns: what fits a regular expression as RE2 has them; their time is linear in the text, so none can hang."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kebrin.errors import PlanError
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Sequence


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


def fitting(said: Sequence[str | None], pattern: str, names: Sequence[str]) -> list[dict[str, str] | None]:
    r"""What fits each text, by group; None where nothing does.

    Args:
        said: the texts.
        pattern: the pattern, its groups named or not.
        names: names for the groups that have none; with one name and no group, the whole pattern is the group.

    >>> fitting(["N4 north", "?"], r"([A-Z]\d) (\w+)", ["code", "label"])
    [{'code': 'N4', 'label': 'north'}, None]

    Raises:
        PlanError: the pattern can't be read, or has another number of groups.
    """
    import pyarrow as pa
    import pyarrow.compute as pc

    bare = groups_of(pattern)
    keys = [f"g{at}" for at in range(len(names))]
    if not bare and len(names) == 1 and "(?P<" not in pattern:
        named = f"(?P<{keys[0]}>{pattern})"
    elif "(?P<" in pattern and not bare:
        named, keys = pattern, []
    elif len(bare) == len(names):
        named = pattern
        for at, key in reversed(list(zip(bare, keys, strict=True))):
            named = f"{named[: at + 1]}?P<{key}>{named[at + 1 :]}"
    else:
        raise PlanError(
            f"the pattern {pattern!r} has {len(bare)} groups", why=f"they go into {len(names)} columns ({', '.join(names)})",
            do="Name a column for each group; (?:...) makes none",
        )  # fmt: skip
    try:
        taken = pc.extract_regex(arrays.texts(list(said)), named).to_pylist()
    except pa.ArrowInvalid as error:
        why = str(error).split(": ", 1)[-1].splitlines()[0]
        raise PlanError(
            f"the pattern {pattern!r} can't be read", why=why, do="It is a regular expression as RE2 has them"
        ) from None
    renamed = dict(zip(keys, names, strict=True)) if keys else {}
    return [None if one is None else {renamed.get(key, key): text for key, text in one.items()} for one in taken]
