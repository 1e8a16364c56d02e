"""How far the cells of a workbook's sheet reach, by the addresses in its bytes: looked at before the value parser lays them out.

What a sheet states of its own extent may be wrong, and the parser ends the whole process where it can't have the room it needs.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from collections.abc import Iterable

    import numpy as np
    from numpy.typing import NDArray

#: A sheet has so many rows and columns at most (ECMA-376 part 1, 18.3.1.73 and 18.3.1.13, as programs write them).
MOST_ROWS, MOST_COLUMNS = 1_048_576, 16_384
# Sheets of so many bytes are looked at by patterns; larger ones as a whole, by arithmetic on all addresses at once.
_SMALL = 1 << 13
# In so many bytes addresses of three digits and two letters at most are told by counting them.
_MODEST, _NEAR_ROWS, _NEAR_COLUMNS = 1 << 18, 999, 702
_FAR = re.compile(rb' r="(?![A-Z]{0,2}[0-9]{1,3}")')
_ADDRESS = re.compile(rb"""\sr\s*=\s*["']([A-Za-z]*)([0-9]*)([^"']?)""")
_ROW, _CELL, _MERGE = (re.compile(rb"<(?:\w+:)?" + name) for name in (rb"row\b", rb"c[\s/>]", rb"mergeCell\s"))
_VALUE = re.compile(rb"<(?:\w+:)?(?:v(?:\s[^>]*)?>[^<]|is[\s>])")
_WITHIN = re.compile(rb"<(?:\w+:)?[vt](?:\s[^>]*)?>[^<]*<!")


class Extent(NamedTuple):
    """The last row and column that an address names (1-based), how many addresses, rows, cells and merges there are.

    `values` counts the elements that hold a value; some of them may be blank texts. `odd` says that some address is none, `cut`
    that a value holds a comment or a section that the value parser leaves out.
    """

    row: int = 0
    column: int = 0
    addresses: int = 0
    rows: int = 0
    cells: int = 0
    merges: int = 0
    values: int = 0
    odd: bool = False
    cut: bool = False

    def with_more(self, other: Extent) -> Extent:
        """Those of two stretches of one sheet."""
        return Extent(
            max(self.row, other.row), max(self.column, other.column), self.addresses + other.addresses,
            self.rows + other.rows, self.cells + other.cells, self.merges + other.merges,
            self.values + other.values, self.odd or other.odd, self.cut or other.cut,
        )  # fmt: skip

    @property
    def is_outside(self) -> bool:
        """Whether a cell stands where no sheet has one."""
        return self.odd or self.row > MOST_ROWS or self.column > MOST_COLUMNS

    @property
    def area(self) -> int:
        """So many cells the sheet is laid out in at most; those without an address count as rows and columns of their own."""
        unnamed = max(self.rows + self.cells - self.addresses, 0)
        return (self.row + min(unnamed, self.rows)) * (self.column + min(unnamed, MOST_COLUMNS))


def extent_of(chunks: Iterable[bytes]) -> Extent:
    """How far a sheet's cells reach; where all stand near the first, a bound for it.

    >>> extent_of([b'<row r="1002"><c r="A1002"/><c r="C1002"/></row>'])[:5]
    (1002, 3, 3, 1, 2)
    >>> extent_of([b'<row r="2"><c r="A2"/><c r="C2"/></row>'])[:5]
    (999, 702, 3, 1, 2)

    Args:
        chunks: the sheet's bytes, in stretches.
    """
    found, tail = Extent(), b""
    for chunk in chunks:
        whole = tail + chunk
        # An address across the end of a stretch is whole in the next one.
        at = len(whole) if len(chunk) < _SMALL else max(whole.rfind(b"<"), len(whole) - (1 << 16))
        found = found.with_more(_extent(whole[:at]))
        tail = whole[at:]
    return found.with_more(_extent(tail)) if tail else found


def _extent(chunk: bytes) -> Extent:
    modest = _modest(chunk) if len(chunk) <= _MODEST else None
    if modest is not None:
        return modest
    return _by_patterns(chunk) if len(chunk) < _SMALL or b"<row" not in chunk else _by_arithmetic(chunk)


def _modest(chunk: bytes) -> Extent | None:
    """That of bytes in which every row and cell has an address near the first; None if one has not, or values are odd."""
    count = chunk.count
    cells, rows, addresses = count(b"<c ") + count(b"<c>") + count(b"<c/"), count(b"<row"), count(b' r="')
    if not rows or rows + cells != addresses or count(b"<v ") or count(b"<is") or _FAR.search(chunk):
        return None
    values = count(b"<v>") - count(b"<v></")
    return Extent(_NEAR_ROWS, _NEAR_COLUMNS, addresses, rows, cells, count(b"<mergeCell "), values, cut=_is_cut(chunk))


def _by_patterns(chunk: bytes) -> Extent:
    row = column = count = 0
    odd = False
    for letters, digits, rest in _ADDRESS.findall(chunk):
        odd |= bool(rest) or not digits or len(letters) > 3 or len(digits) > 7
        if odd:
            break
        row, column, count = max(row, int(digits)), max(column, _number(letters)), count + 1
    rows, cells, merges, values = (len(pattern.findall(chunk)) for pattern in (_ROW, _CELL, _MERGE, _VALUE))
    return Extent(row, column, count, rows, cells, merges, values, odd, _is_cut(chunk))


def _is_cut(chunk: bytes) -> bool:
    return b"<!" in chunk and _WITHIN.search(chunk) is not None


def _number(letters: bytes) -> int:
    number = 0
    for letter in letters.upper():
        number = number * 26 + letter - 64
    return number


def _by_arithmetic(chunk: bytes) -> Extent:
    """The same for all addresses at once: the letters and digits behind each ` r="`."""
    import numpy as np  # here, since it loads while the package is opened

    signs = np.frombuffer(chunk + b'"' * 16, np.uint8)
    equals = np.flatnonzero(signs == ord("="))
    equals = equals[equals >= 2]
    before = signs[equals - 1]
    if (before <= ord(" ")).any():
        return _by_patterns(chunk)  # blanks before the sign: hardly any program writes so
    at = equals[before == ord("r")]
    at = at[signs[at - 2] <= ord(" ")] + 2
    column, going = np.zeros(len(at), np.int32), np.ones(len(at), np.bool_)
    for _ in range(4):
        letter = (signs[at] & 0xDF) - ord("A")
        going &= letter < 26
        if not going.any():
            break
        column = np.where(going, column * 26 + letter + 1, column)
        at += going
    row, going = np.zeros(len(at), np.int32), np.ones(len(at), np.bool_)
    first = at.copy()
    for _ in range(8):
        digit = signs[at] - ord("0")
        going &= digit < 10
        if not going.any():
            break
        row = np.where(going, row * 10 + digit, row)
        at += going
    ends = (signs[at] == ord('"')) | (signs[at] == ord("'"))
    odd = not bool((ends & (at > first) & (at - first < 8)).all())
    rows, cells, merges, values, comments = _elements(signs)
    return Extent(
        int(row.max(initial=0)), int(column.max(initial=0)), len(at), rows, cells, merges, values, odd,
        comments and _is_cut(chunk),
    )  # fmt: skip


def _elements(signs: NDArray[np.uint8]) -> tuple[int, int, int, int, bool]:
    """How many rows, cells, merges and values begin in some bytes, and whether anything begins with `<!`."""
    import numpy as np

    begins = np.flatnonzero(signs == ord("<"))
    first, second = signs[begins + 1], signs[begins + 2]
    rows = int(((first == ord("r")) & (second == ord("o"))).sum())
    cells = int(((first == ord("c")) & ((second == ord(" ")) | (second == ord(">")) | (second == ord("/")))).sum())
    merged = begins[(first == ord("m")) & (second == ord("e"))]
    merges = int((signs[merged + 10] <= ord(" ")).sum())  # <mergeCell, and not <mergeCells
    valued = begins[(first == ord("v")) & ((second == ord(">")) | (second == ord(" ")))]
    inline = begins[(first == ord("i")) & (second == ord("s"))]
    values = int((signs[valued + 3] != ord("<")).sum() + np.isin(signs[inline + 3], (ord(">"), ord(" "))).sum())
    return rows, cells, merges, values, bool((first == ord("!")).any())
