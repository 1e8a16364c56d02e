"""How deep each label of a stub stands in its hierarchy: by leading spaces, a code's own dots, indent, bold, or by its sums."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.cells import Sheet

_CODE = re.compile(r"(?P<code>[0-9]+(?:\.[0-9]+)*|[A-Z](?:\.[0-9]+)+|[A-Z]{1,2}[0-9]{1,2}|[A-Z]{1,2})(?:[.)])?(?=\s|$)")
_PLAIN_CODE = re.compile(r"^([A-Z]+)(?=[0-9])")
BOLD = "bold"
SUMS = "the sums of the lines below it"
# A tree of sums has so many lines at least; one line that states what another does says so in so many columns.
_FEWEST_SUMMED, _MOST_SUMMED, _SAID_OVER = 6, 3_000, 3
# So many bits of figures must tie in all, and in each sum: small counts add up by chance.
_BITS, _LEAST_BITS = 16.0, 4.0
#: Formats are read for blocks of up to this many cells; a longer block shows its hierarchy by its sums.
SMALL = 20_000


@dataclass(frozen=True)
class Depths:
    """The depth of each row (0 is outermost), and the sign that it was read by; '' if all stand alike.

    `adds_up` is true where each line is a sum of lines or a part of one, whatever it is called. `wholes` are the places of a
    first line that sums all that stands below it, and of a last one that sums all above.
    """

    of: tuple[int, ...]
    sign: str = ""
    wholes: tuple[int, ...] = ()
    adds_up: bool = False

    @property
    def told(self) -> bool:
        """Whether the rows stand at more than one depth."""
        return bool(self.sign)


def find_depths(sheet: Sheet, rows: NDArray[np.intp], stub: Sequence[int], cells: int) -> Depths:
    """The depths of a block's rows.

    Args:
        sheet: the sheet.
        rows: the block's rows, total rows included.
        stub: the label columns.
        cells: how many cells the block has.

    >>> from kebrin.cells import Sheet
    >>> sheet = Sheet.of([["1 Fuel"], ["1.1 Diesel"], ["1.2 Oil"], ["2 Crew"]])
    >>> import numpy as np
    >>> found = find_depths(sheet, np.arange(4), [0], 4)
    >>> found.of, found.sign
    ((0, 1, 1, 0), "its code's dots")
    """
    flat = Depths((0,) * len(rows))
    if not stub or len(stub) > 2 or not len(rows):
        return flat
    # Where two label columns stand side by side, a code is in the first and words in the second.
    found = _by_code(sheet, rows, stub[0]) or (_by_spaces(sheet, rows, stub[0]) if len(stub) == 1 else None)
    if found is None and len(stub) == 1 and cells <= SMALL and not sheet.textual:
        found = _by_format(sheet, rows, stub[0])
    return found or flat


def depths_by_sums(numbers: NDArray[np.float64], kept: Collection[int] = ()) -> Depths:
    """The depths of lines that sum those below them, where every line is a sum or a part of one: a tree that figures alone show.

    Args:
        numbers: float64 (lines x columns), NaN where a cell holds no number.
        kept: lines that are a sum of what stands above them, or something else than a record: they stand outermost.

    >>> import numpy as np
    >>> depths_by_sums(np.array([[71, 93.0], [31, 43], [40, 50], [82, 33], [21, 11], [61, 22]])).of
    (0, 1, 1, 0, 1, 1)
    >>> depths_by_sums(np.array([[3.0], [1], [2], [5], [2], [3]])).told  # small counts add up by chance
    False
    """
    import numpy as np

    flat = Depths((0,) * len(numbers))
    stated = ~np.isnan(numbers)
    filled = np.nan_to_num(numbers)
    if not _FEWEST_SUMMED <= len(numbers) <= _MOST_SUMMED or numbers.shape[1] < 1:
        return flat
    slack = 1e-9 * np.maximum(np.abs(filled).max(axis=0), 1.0)
    parts: dict[int, list[int]] = {}
    stack = _Stack(filled, slack)
    for at in range(len(numbers) - 1, -1, -1):
        parts[at] = stack.replaced(0 if at in kept else stack.parts_of(at, stated[at]), at)
    outer = [at for at in stack.lines[::-1] if at not in kept]
    wholes: list[int] = []
    if len(outer) > 2 and not parts[outer[-1]] and _sums(filled, outer, slack):
        wholes, outer = [outer[-1]], outer[:-1]
    if len(outer) == 1 and outer[0] == min(set(range(len(numbers))) - {*kept}):
        wholes, outer = [*wholes, outer[0]], parts[outer[0]]
    # What sums the outermost lines alone shows too that the others are parts of these.
    called = [*wholes, *(at for at in kept if len(outer) > 1 and _sums(filled, [*outer, at], slack))]
    summing = [at for at, below in parts.items() if below]
    shown = _is_beyond_chance(filled[summing], lines=len(numbers), more=filled[called])
    if not shown or len(outer) < 2 or not all(parts[at] for at in outer):
        return replace(flat, wholes=tuple(at for at in wholes if _is_beyond_chance(filled[[at]])))
    depths = dict.fromkeys((*kept, *wholes), 0)
    level, depth = outer, 0
    while level:
        depths |= dict.fromkeys(level, depth)
        level, depth = [part for at in level for part in parts[at]], depth + 1
    return Depths(tuple(depths[at] for at in range(len(numbers))), SUMS, tuple(wholes), adds_up=True)


def _is_beyond_chance(sums: NDArray[np.float64], lines: int = 1, more: NDArray[np.float64] | None = None) -> bool:
    """Whether the figures of lines that are sums are large enough, in all and each, not to be sums by chance.

    `more` are those of lines that sum the others.
    """
    import numpy as np

    bits = np.log2(np.abs(sums) + 1).sum(axis=1)
    added = 0.0 if more is None else float(np.log2(np.abs(more) + 1).sum())
    return len(bits) > 0 and float(bits.sum()) + added >= _BITS + np.log2(lines) and float(bits.min()) >= _LEAST_BITS


class _Stack:
    """Lines that no line above them sums yet, the lowest first, with the sums of all below each: a run's sum is a difference."""

    def __init__(self, filled: NDArray[np.float64], slack: NDArray[np.float64]) -> None:
        self.filled, self.slack = filled, slack
        self.lines: list[int] = []
        self._sums = filled[:1].repeat(len(filled) + 1, axis=0) * 0

    def parts_of(self, at: int, stated: NDArray[np.bool_]) -> int:
        """How many of the lines right below a line it sums; 0 if it sums none. One line alone must say the same over and over."""
        import numpy as np

        own, top = self.filled[at], len(self.lines)
        there = np.flatnonzero(stated & (own != 0))
        if not len(there) or not top:
            return 0
        first = int(there[0])
        counts = np.arange(top, 0, -1)
        off = np.abs(self._sums[top, first] - self._sums[:top, first] - own[first])
        for place in np.flatnonzero(off <= self.slack[first] * counts)[::-1].tolist():
            count = top - place
            runs = self._sums[top] - self._sums[place]
            if bool((np.abs(runs - own) <= self.slack * count)[stated].all()):
                return count if count > 1 or len(there) >= _SAID_OVER else 0
        return 0

    def replaced(self, count: int, at: int) -> list[int]:
        """Put a line in place of so many at the top, and say which these were, the upper ones first."""
        last = len(self.lines) - count
        parts, self.lines = self.lines[last:][::-1], [*self.lines[:last], at]
        self._sums[last + 1] = self._sums[last] + self.filled[at]
        return parts


def _sums(filled: NDArray[np.float64], outer: Sequence[int], slack: NDArray[np.float64]) -> bool:
    """Whether the last of some lines sums the others."""
    sums = filled[list(outer[:-1])].sum(axis=0)
    return len(outer) > 2 and bool((abs(sums - filled[outer[-1]]) <= slack * len(outer)).all())


def _ranked(steps: list[int], sign: str) -> Depths | None:
    order = {step: at for at, step in enumerate(sorted(set(steps)))}
    return Depths(tuple(order[step] for step in steps), sign) if len(order) > 1 else None


def _by_spaces(sheet: Sheet, rows: NDArray[np.intp], column: int) -> Depths | None:
    values = sheet.values[rows, column].tolist()
    spaces = [len(value) - len(value.lstrip(" \u00a0\t")) if isinstance(value, str) else 0 for value in values]
    return _ranked(spaces, "the spaces before it") if any(spaces) else None


def _by_code(sheet: Sheet, rows: NDArray[np.intp], column: int) -> Depths | None:
    """Depths by dotted codes, if the codes make a tree: most rows bear one, and each deep one's parent is there."""
    codes: list[str] = []
    for row in rows.tolist():
        match = _CODE.match(sheet.text(row, column))
        codes.append(_PLAIN_CODE.sub(r"\1.", match["code"]) if match else "")  # A1 is the first part of A
    there = set(codes)
    deep = [code for code in codes if "." in code]
    if len(deep) < 2 or sum(map(bool, codes)) < 0.6 * len(codes):
        return None
    if not all(code.rpartition(".")[0] in there for code in deep):
        return None
    return _ranked([code.count(".") for code in codes], "its code's dots")


def _by_format(sheet: Sheet, rows: NDArray[np.intp], column: int) -> Depths | None:
    formats = sheet.formats()
    indents = [formats.indents.get((row, column), 0) for row in rows.tolist()]
    if any(indents):
        return _ranked(indents, "its indent")
    bold = [formats.is_bold(row, column) for row in rows.tolist()]
    # Bold tells parents from their parts only where parts follow it.
    heads = [at for at in range(len(bold) - 1) if bold[at] and not bold[at + 1]]
    return _ranked([0 if strong else 1 for strong in bold], BOLD) if heads and not all(bold) else None
