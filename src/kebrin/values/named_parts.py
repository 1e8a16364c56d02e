"""Patterns: what fits a regular expression as RE2 has them; their time is linear in the text, so none can hang."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kebrin.errors import PlanError
from kebrin.grammar.patterns import groups_of, named_groups
from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Sequence


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
        named = named_groups(pattern, keys)
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
