"""How deep each label of a stub stands in its hierarchy: by leading spaces, by a code's own dots, by indent, by bold."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

    import numpy as np
    from numpy.typing import NDArray

    from kebrin.cells import Sheet

_CODE = re.compile(r"(?P<code>[0-9]+(?:\.[0-9]+)*|[A-Z](?:\.[0-9]+)+|[A-Z]{1,2}[0-9]{1,2}|[A-Z]{1,2})(?:[.)])?(?=\s|$)")
_PLAIN_CODE = re.compile(r"^([A-Z]+)(?=[0-9])")
BOLD = "bold"
#: Formats are read for blocks of up to this many cells; a longer block shows its hierarchy by its sums.
SMALL = 20_000


@dataclass(frozen=True)
class Depths:
    """The depth of each row (0 is outermost), and the sign that it was read by; '' if all stand alike."""

    of: tuple[int, ...]
    sign: str = ""

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
    >>> find_depths(sheet, np.arange(4), [0], 4)
    Depths(of=(0, 1, 1, 0), sign="its code's dots")
    """
    flat = Depths((0,) * len(rows))
    if not stub or len(stub) > 2 or not len(rows):
        return flat
    # Where two label columns stand side by side, a code is in the first and words in the second.
    found = _by_code(sheet, rows, stub[0]) or (_by_spaces(sheet, rows, stub[0]) if len(stub) == 1 else None)
    if found is None and len(stub) == 1 and cells <= SMALL and not sheet.textual:
        found = _by_format(sheet, rows, stub[0])
    return found or flat


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
