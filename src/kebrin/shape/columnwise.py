"""Columnwise: cells that hold several things become several columns: by place, by pattern, or by label."""

from __future__ import annotations

from itertools import accumulate
from typing import TYPE_CHECKING

from kebrin.errors import PlanError
from kebrin.values.entries import entries_of
from kebrin.values.keys import clean
from kebrin.values.named_parts import fitting
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Sequence

# What each text gives, by column; None where it does not fit.
Parts = list[dict[str, str] | None]


def by_width(said: Sequence[str], widths: Sequence[int], into: Sequence[str]) -> Parts:
    """Texts cut at fixed places; the last column takes the rest.

    >>> by_width(["N4Gull  12", "N"], [2, 6], ["route", "vessel", "crew"])
    [{'route': 'N4', 'vessel': 'Gull', 'crew': '12'}, None]

    Raises:
        PlanError: the columns are not one more than the widths, or a width is not above zero.
    """
    if len(into) != len(widths) + 1 or min(widths, default=0) < 1:
        raise PlanError(
            f"split has {len(widths)} widths and {len(into)} columns", why="the last column takes what is left behind the widths",
            do="State one column more than widths, each width above zero",
        )  # fmt: skip
    cuts = [0, *accumulate(widths)]
    return [
        {name: clean(text[start:stop]) for name, start, stop in zip(into, cuts, [*cuts[1:], None], strict=True)}
        if len(text) > cuts[-1]
        else None
        for text in said
    ]


def by_pattern(said: Sequence[str], pattern: str, into: Sequence[str]) -> Parts:
    r"""What the groups of a pattern take out of each text.

    >>> by_pattern(["2 t 40 kg", "3 t"], r"(\d+) t (\d+) kg", ["t", "kg"])
    [{'t': '2', 'kg': '40'}, None]

    Raises:
        PlanError: the pattern can't be read, or has another number of groups than there are columns.
    """
    parts = fitting(said, pattern, into)
    named = next((list(part) for part in parts if part is not None), list(into))
    if set(named) != set(into):
        raise PlanError(
            f"the groups of the pattern are named {', '.join(named)}", why=f"the columns are {', '.join(into)}",
            do="Name both alike, or leave the groups without names",
        )  # fmt: skip
    return parts


def by_label(said: Sequence[str], sign: str, at: Sequence[str], into: Sequence[str]) -> Parts:
    """Entries that bear a label ("deck: 2; engine: 3"), each in the column of its label, whatever their order.

    A text with an entry that has no label, an unknown one, or one that came before does not fit.

    >>> by_label(["deck: 2; engine: 3", "Engine: 1", "cook: 1"], ":", [";"], ["deck", "engine"])
    [{'deck': '2', 'engine': '3'}, {'engine': '1'}, None]
    """
    names = {folded(name): name for name in into}
    made: Parts = []
    for text in said:
        entries = [entry.partition(sign) for entry in entries_of(text, at) if entry]
        found = {names.get(folded(label), ""): clean(value) for label, found_sign, value in entries if found_sign}
        made.append(found if "" not in found and len(found) == len(entries) else None)
    return made
