"""Formulas over columns: numbers, columns, `+ - * /`, brackets. A small grammar of our own; no code is run.

formula := term (('+' | '-') term)*        term   := factor (('*' | '/') factor)*
factor  := '-' factor | '(' formula ')' | number | column | 'column' or "column"
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import numpy as np

from kebrin.errors import PlanError

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    Numbers = NDArray[np.float64]

_TOKEN = re.compile(
    r"\s*(?:(?P<number>\d+(?:\.\d+)?)|(?P<name>[^\W\d]\w*)|'(?P<single>[^']*)'|\"(?P<double>[^\"]*)\"|(?P<sign>[-+*/()]))"
)
_DEEPEST = 40


def computed(formula: str, column: Callable[[str], Numbers], rows: int) -> Numbers:
    """The values of a formula, one for each row; missing where a value is missing, or where it divides by zero.

    Args:
        formula: the formula; names with blanks or signs stand in quotes.
        column: gives a column's numbers by its name.
        rows: how many rows there are.

    >>> columns = {"amount": np.array([2.0, 3.0]), "per head": np.array([4.0, 0.0])}
    >>> computed("(amount + 1) * 2 / 'per head'", columns.__getitem__, 2).tolist()
    [1.5, nan]

    Raises:
        PlanError: the formula can't be read; the place is told.
    """
    return np.asarray(np.broadcast_to(_Parser(formula, column).all(), (rows,)), np.float64).copy()


class _Parser:
    """Reads a formula from left to right and computes it on the way."""

    def __init__(self, text: str, column: Callable[[str], Numbers]) -> None:
        self.text, self.at, self.column, self.depth = text, 0, column, 0

    def all(self) -> Numbers:
        """The whole formula."""
        found = self.formula()
        if self.text[self.at :].strip():
            raise self.wrong()
        return found

    def wrong(self) -> PlanError:
        """What is said of a formula that can't be read."""
        rest = self.text[self.at :].strip()
        why = f"nothing that is known stands at {rest[:20]!r}" if rest else "it ends too early"
        return PlanError(
            f"the formula {self.text!r} can't be read", why=why,
            do="Write it with + - * / and brackets, names with blanks in quotes: amount * 'rate per 100' / 100",
        )  # fmt: skip

    def peek(self) -> str:
        """The sign that comes next, '' if there is none."""
        match = _TOKEN.match(self.text, self.at)
        return match["sign"] or "" if match else ""

    def take(self) -> re.Match[str]:
        """What comes next."""
        match = _TOKEN.match(self.text, self.at)
        if match is None:
            raise self.wrong()
        self.at = match.end()
        return match

    def formula(self) -> Numbers:
        """Terms, added and subtracted."""
        self.depth += 1
        if self.depth > _DEEPEST:
            raise self.wrong()
        found = self.term()
        while self.peek() in {"+", "-"}:
            found = found + self.term() if self.take()["sign"] == "+" else found - self.term()
        self.depth -= 1
        return found

    def term(self) -> Numbers:
        """Factors, multiplied and divided."""
        found = self.factor()
        while self.peek() in {"*", "/"}:
            if self.take()["sign"] == "*":
                found = found * self.factor()
            else:
                by = self.factor()
                whole, by = np.broadcast_arrays(np.asarray(found, np.float64), np.asarray(by, np.float64))
                found = np.divide(whole, by, out=np.full(whole.shape, np.nan), where=by != 0)
        return found

    def factor(self) -> Numbers:
        """A number, a column, something in brackets."""
        start = self.at
        match = self.take()
        if match["number"] is not None:
            return np.array(float(match["number"]))
        if match["sign"] == "-":
            return -self.factor()
        if match["sign"] == "(":
            found = self.formula()
            if self.peek() != ")":
                raise self.wrong()
            self.take()
            return found
        if match["sign"] is not None:
            self.at = start
            raise self.wrong()
        return self.column(next(one for one in (match["name"], match["single"], match["double"]) if one is not None))
