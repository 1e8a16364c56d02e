"""Shapes: texts that differ in their digits only are one shape, which is understood once for all of them.

`(1,234.50)` and `(9,876.00)` have the shape `(0,000.00)`. A column of millions of distinct numbers or dates has a few
dozen shapes; what a shape means is worked out in Python, and its digits are then decoded at fixed places, a column of
bytes at a time.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Iterator

    import pyarrow as pa
    from numpy.typing import NDArray

    Bytes = NDArray[np.uint8]

#: Texts of more bytes than this have no shape: they are neither numbers nor dates.
LONGEST = 48
_BLOCK = 65_536  # texts decoded at a time, so that their bytes stay in cache
_ZERO = 48
# Odd multipliers for hashing eight bytes at a time (splitmix64's constants, Steele et al. 2014).
_MIX = np.array([0x9E3779B97F4A7C15, 0xBF58476D1CE4E5B9, 0x94D049BB133111EB], np.uint64)


@dataclass(frozen=True, eq=False)
class Shapes:
    """The shapes of some texts.

    Attributes:
        texts: the shapes, digits as `0`.
        codes: int32, the shape of each text; -1 for texts that are too long.
        lengths: bytes of each text.
    """

    texts: tuple[str, ...]
    codes: NDArray[np.int32]
    _bytes: Bytes
    _starts: NDArray[np.int64]

    @classmethod
    def of(cls, values: pa.StringArray) -> Shapes:
        """Find the shapes of texts without nulls.

        >>> import pyarrow as pa
        >>> shapes = Shapes.of(pa.array(["(1,234)", "(9,876)", "12"]))
        >>> sorted(shapes.texts), len(set(shapes.codes.tolist()))
        (['(0,000)', '00'], 2)
        """
        data, starts = _buffers(values)
        lengths = np.diff(starts)
        codes = np.full(len(values), -1, np.int32)
        known: dict[bytes, int] = {}
        for length in np.unique(lengths).tolist():
            if length <= LONGEST:
                rows = np.flatnonzero(lengths == length)
                for at in range(0, len(rows), _BLOCK):
                    block = rows[at : at + _BLOCK]
                    codes[block] = _shape_codes(_gather(data, starts[block], length), known)
        return cls(tuple(shape.decode("utf-8", "replace") for shape in known), codes, data, starts[:-1])

    @property
    def counts(self) -> NDArray[np.int64]:
        """How many texts have each shape."""
        return np.bincount(self.codes[self.codes >= 0], minlength=len(self.texts)).astype(np.int64)

    def members(self) -> Iterator[tuple[int, NDArray[np.intp]]]:
        """Each shape with the places of its texts."""
        order = np.argsort(self.codes, kind="stable")
        bounds = np.searchsorted(self.codes[order], np.arange(len(self.texts) + 1))
        for shape in range(len(self.texts)):
            yield shape, order[bounds[shape] : bounds[shape + 1]]

    def digits(self, rows: NDArray[np.intp], offset: int, width: int) -> NDArray[np.int64]:
        """The number that `width` digits make at one offset (in bytes), for texts of one shape."""
        number = np.zeros(len(rows), np.int64)
        starts = self._starts[rows] + offset
        for at in range(width):
            number *= 10
            number += self._bytes[starts + at]
            number -= _ZERO
        return number


def _buffers(values: pa.StringArray) -> tuple[Bytes, NDArray[np.int64]]:
    _, offsets, data = values.buffers()
    starts = np.frombuffer(offsets, np.int32, len(values) + 1 + values.offset)[values.offset :].astype(np.int64)
    return np.frombuffer(data, np.uint8) if data is not None and data.size else np.zeros(1, np.uint8), starts


def _gather(data: Bytes, starts: NDArray[np.int64], length: int) -> Bytes:
    """The texts' bytes (texts x length), padded with zeros to a multiple of eight."""
    padded = np.zeros((len(starts), -(-max(length, 1) // 8) * 8), np.uint8)
    for at in range(length):
        padded[:, at] = data[starts + at]
    return padded


def _shape_codes(texts: Bytes, known: dict[bytes, int]) -> NDArray[np.int32]:
    digit = (texts - np.uint8(_ZERO)) < 10
    texts[digit] = _ZERO
    words = texts.view(np.uint64)
    mixed = np.zeros(len(texts), np.uint64)
    for at in range(words.shape[1]):
        mixed = (mixed ^ words[:, at]) * _MIX[at % len(_MIX)]
        mixed ^= mixed >> np.uint64(29)
    _, firsts, inverse = np.unique(mixed, return_index=True, return_inverse=True)
    found = [texts[first].tobytes().rstrip(b"\0") for first in firsts]
    codes = np.array([known.setdefault(shape, len(known)) for shape in found], np.int32)
    return codes[inverse]
