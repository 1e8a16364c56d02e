"""Conventions of numbers: one decimal sign and one meaning of signs for a column, stated or found from its shapes."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from kebrin.errors import PlanError, ValuesError
from kebrin.grammar.amounts import NEGATIVES, Amount, Reading

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.values.shapes import Shapes

DecimalSign = Literal["", "point", "comma"]
_SIGNS = {"point": ".", "comma": ","}
_DECIMALS = ({"decimal": "point"}, {"decimal": "comma"})
_WORDS = {".": "a decimal point", ",": "a decimal comma"}


@dataclass(frozen=True)
class Convention:
    """How a column writes numbers, and why that is believed."""

    decimal: str
    words: str
    evidence: str


def find_convention(
    column: str, shapes: Shapes, amounts: Sequence[Amount | None], weight: NDArray[np.int64], stated: DecimalSign
) -> Convention:
    """The decimal sign of a column, stated or found by the cells that read in one way only.

    Raises:
        ValuesError: the column reads in two ways, or holds both signs.
        PlanError: what is stated is no decimal sign.
    """
    if stated:
        if stated not in _SIGNS:
            raise PlanError(f"decimal can't be {stated!r}", do="State point or comma")
        return Convention(_SIGNS[stated], _WORDS[_SIGNS[stated]], "as stated")
    votes, shown, unsure, unsure_shape = _votes(shapes, amounts, weight)
    if votes["."] and votes[","]:
        raise ValuesError(
            f"the column {column!r} holds both decimal signs",
            why=f"{votes['.']:,} cells such as {shown['.']!r} have a decimal point, {votes[',']:,} such as {shown[',']!r} a "
            "decimal comma (0 stands for any digit)",
            do='Part the rows by where they come from first, or state decimal = "point" or "comma"',
            answers=_DECIMALS,
        )  # fmt: skip
    if unsure and not any(votes.values()):
        raise ValuesError(
            f"the column {column!r} can be read in two ways",
            why=f"{unsure:,} cells such as {unsure_shape!r} are thousands or decimals, and no other cell shows which",
            do='State decimal = "point" or decimal = "comma"', answers=_DECIMALS,
        )  # fmt: skip
    sign = max(votes, key=lambda one: votes[one])
    if not votes[sign]:
        return Convention(".", "whole numbers", "")
    return Convention(sign, _WORDS[sign], f"{votes[sign]:,} cells such as {shown[sign]!r} read in no other way")


def _votes(
    shapes: Shapes, amounts: Sequence[Amount | None], weight: NDArray[np.int64]
) -> tuple[dict[str, int], dict[str, str], int, str]:
    """Cells that read in one way only, by decimal sign, with a shape of each; cells that read in two, with a shape."""
    votes: dict[str, int] = {".": 0, ",": 0}
    shown: dict[str, str] = {}
    unsure, unsure_shape = 0, ""
    for at, amount in enumerate(amounts):
        if amount is None or not weight[at]:
            continue
        fits = [sign for sign in votes if any(reading.fits(sign) for reading in amount.readings)]
        if len(fits) == 2 and _differs(amount):
            if not _leading_zero(shapes, at, amount):
                unsure, unsure_shape = unsure + int(weight[at]), unsure_shape or shapes.texts[at]
                continue
            fits = [amount.readings[0].decimal]
        if len(fits) == 1:
            votes[fits[0]] += int(weight[at])
            shown.setdefault(fits[0], shapes.texts[at])
    return votes, shown, unsure, unsure_shape


def _differs(amount: Amount) -> bool:
    """Whether the two decimal signs give two values."""
    return len({(reading.decimals) for reading in amount.readings}) > 1


def _leading_zero(shapes: Shapes, at: int, amount: Amount) -> bool:
    """Whether some number of an unsure shape begins with a lone 0, so that what follows must be decimals."""
    offset, width = amount.runs[0]
    return width == 1 and any(bool((chunk.digits(offset, width) == 0).any()) for chunk in shapes.chunks([at]))


def reading_of(amount: Amount | None, decimal: str) -> Reading | None:
    """The one way to read an amount where this is the column's decimal sign, or None."""
    fitting = [reading for reading in amount.readings if reading.fits(decimal)] if amount is not None else []
    return fitting[0] if fitting else None


def counted_negatives(
    column: str, amounts: Sequence[Amount | None], weight: NDArray[np.int64], stated: Sequence[str] | None
) -> dict[str, bool]:
    """For each way of writing a sign whether it is negative; ways that are not in it can't be read."""
    found = {amount.negative for amount, count in zip(amounts, weight, strict=True) if amount is not None and count}
    if stated is not None:
        sides = {"CR", "DR"} & set(stated)
        both = {side: side in sides for side in ("CR", "DR")} if sides else {}
        return {"": False, "minus": True, **dict.fromkeys(stated, True), **both}
    sides = found & {"CR", "DR"}
    if sides:
        others = sorted(found - sides - {"", "minus"})
        ways = [[side, *others] for side in ("CR", "DR")]
        raise ValuesError(
            f"the column {column!r} has amounts marked {' and '.join(sorted(sides))}",
            why="which side is negative depends on whose books they are",
            do=f"State negative = {json.dumps(ways[0])} or {json.dumps(ways[1])}",
            answers=[{"negative": way} for way in ways],
        )  # fmt: skip
    return {"": False, **dict.fromkeys(NEGATIVES[:4], True)}


def refuse_mixed_percents(column: str, amounts: Sequence[Amount | None], weight: NDArray[np.int64]) -> None:
    """Refuse per cent signs in some cells only: the others may be fractions, or per cent without the sign."""
    used = [(amount.percent, int(count)) for amount, count in zip(amounts, weight, strict=True) if amount is not None]
    signed = sum(count for percent, count in used if percent != 1.0)
    plain = sum(count for percent, count in used if percent == 1.0)
    if signed and plain:
        raise ValuesError(
            f"the column {column!r} has per cent signs in {signed:,} cells and none in {plain:,}",
            why="those without may be fractions, or per cent too", do='State percent = "keep", or part the rows first',
            answers=[{"percent": "keep"}],
        )  # fmt: skip
