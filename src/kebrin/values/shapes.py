"""Shapes: texts that differ in their digits only are one shape, which is understood once for all of them.

`(1,234.50)` and `(9,876.00)` have the shape `(0,000.00)`. A column of millions of distinct numbers or dates has a few
dozen shapes; what a shape means is worked out in Python, and its digits are then decoded at fixed places, eight digits at a
time.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Iterator

    import pyarrow as pa
    from numpy.typing import NDArray

    Words = NDArray[np.uint64]

#: Texts of more bytes than this have no shape: they are neither numbers nor dates.
LONGEST = 48
_BLOCK = 65_536  # texts decoded at a time, so that their bytes stay in cache
# Up to so many digits are put together one by one.
_FEW = 3
# Each byte as its shape has it: digits as 0.
_SHAPED = np.arange(256, dtype=np.uint8)
_SHAPED[48:58] = 48
_NIBBLES = np.uint64(0x0F0F0F0F0F0F0F0F)
_STEPS = tuple(
    (np.uint64(step), np.uint64(ten), np.uint64(mask))
    for step, ten, mask in (
        (8, 10, 0x00FF00FF00FF00FF), (16, 100, 0x0000FFFF0000FFFF), (32, 10_000, 0x00000000FFFFFFFF),
    )
)  # fmt: skip
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
    _words: Words
    _starts: NDArray[np.int64]

    @classmethod
    def of(cls, values: pa.StringArray) -> Shapes:
        """Find the shapes of texts without nulls.

        >>> import pyarrow as pa
        >>> shapes = Shapes.of(pa.array(["(1,234)", "(9,876)", "12"]))
        >>> sorted(shapes.texts), len(set(shapes.codes.tolist()))
        (['(0,000)', '00'], 2)
        """
        words, starts = _buffers(values)
        lengths = np.diff(starts)
        codes = np.full(len(values), -1, np.int32)
        known = _Known()
        for length in np.flatnonzero(np.bincount(np.minimum(lengths, LONGEST + 1))).tolist():
            if length <= LONGEST:
                rows = np.flatnonzero(lengths == length)
                for at in range(0, len(rows), _BLOCK):
                    block = rows[at : at + _BLOCK]
                    codes[block] = known.codes(_gather(words, starts[block], length))
        return cls(tuple(shape.decode("utf-8", "replace") for shape in known.shapes), codes, words, starts[:-1])

    @cached_property
    def counts(self) -> NDArray[np.int64]:
        """How many texts have each shape."""
        return np.bincount(self.codes[self.codes >= 0], minlength=len(self.texts)).astype(np.int64)

    def members(self) -> Iterator[tuple[int, NDArray[np.intp]]]:
        """Each shape with the places of its texts."""
        # Sixteen bits are sorted by counting, several times quicker.
        codes = self.codes.astype(np.int16) if len(self.texts) < 2**15 else self.codes
        order = np.argsort(codes, kind="stable")
        bounds = np.concatenate(([0], np.cumsum(self.counts))) + int((self.codes < 0).sum())
        for shape in range(len(self.texts)):
            yield shape, order[bounds[shape] : bounds[shape + 1]]

    def digits(self, rows: NDArray[np.intp], offset: int, width: int) -> NDArray[np.int64]:
        """The number that `width` digits make at one offset (in bytes), for texts of one shape."""
        number = np.empty(len(rows), np.int64)
        for first in range(0, len(rows), _BLOCK):
            starts = self._starts[rows[first : first + _BLOCK]] + offset
            own = _decoded(self._words[starts], min(width, 8))
            for at in range(8, width):
                own = own * 10 + (self._words[starts + at] & np.uint64(15)).astype(np.int64)
            number[first : first + _BLOCK] = own
        return number


def _decoded(words: Words, width: int) -> NDArray[np.int64]:
    """The number that the first `width` bytes of each word make, all of them digits; the first byte is the lowest."""
    if width <= _FEW:
        number = words & np.uint64(15)
        for at in range(1, width):
            number = number * np.uint64(10) + ((words >> np.uint64(8 * at)) & np.uint64(15))
        return number.astype(np.int64)
    # Pairs, then fours, then all eight digits together: three multiplications for a whole word.
    digits = (words << np.uint64(8 * (8 - width))) & _NIBBLES
    for step, ten, mask in _STEPS:
        digits = (digits * ten + (digits >> step)) & mask
    return digits.astype(np.int64)


def _buffers(values: pa.StringArray) -> tuple[Words, NDArray[np.int64]]:
    """The texts' bytes as overlapping words, one beginning at each byte, and where each text begins."""
    _, offsets, data = values.buffers()
    starts = np.frombuffer(offsets, np.int32, len(values) + 1 + values.offset)[values.offset :].astype(np.int64)
    said = np.frombuffer(data, np.uint8) if data is not None and data.size else np.zeros(0, np.uint8)
    padded = np.concatenate((said, np.zeros(8 + LONGEST, np.uint8)))
    return np.ndarray((len(padded) - 7,), "<u8", padded.data, 0, (1,)), starts


def _gather(words: Words, starts: NDArray[np.int64], length: int) -> Words:
    """The texts' bytes (texts x words of eight), zeros behind the last."""
    count = max(-(-length // 8), 1)
    texts = np.empty((len(starts), count), np.uint64)
    for at in range(count):
        texts[:, at] = words[starts + 8 * at]
    texts[:, -1] &= np.uint64((1 << 8 * (length - 8 * (count - 1))) - 1) if length else np.uint64(0)
    return texts


class _Known:
    """The shapes found so far, looked up by hash; each text is held against the shape that it was found to have."""

    def __init__(self) -> None:
        self.shapes: list[bytes] = []
        self.hashes = np.empty(0, np.uint64)
        self.order = np.empty(0, np.int32)

    def codes(self, texts: Words) -> NDArray[np.int32]:
        """The shape of each text."""
        plain = _SHAPED[texts.view(np.uint8)].view(np.uint64)
        mixed = np.full(len(plain), plain.shape[1], np.uint64)
        for at in range(plain.shape[1]):
            mixed = (mixed ^ plain[:, at]) * _MIX[at % len(_MIX)]
            mixed ^= mixed >> np.uint64(29)
        place = np.minimum(np.searchsorted(self.hashes, mixed), max(len(self.hashes) - 1, 0))
        new = self.hashes[place] != mixed if len(self.hashes) else np.ones(len(mixed), np.bool_)
        if new.any():
            self._add(plain[new], mixed[new])
            place = np.searchsorted(self.hashes, mixed)
        return self.order[place]

    def _add(self, plain: Words, mixed: Words) -> None:
        hashes, firsts = np.unique(mixed, return_index=True)
        own = np.arange(len(self.shapes), len(self.shapes) + len(hashes), dtype=np.int32)
        self.shapes += [plain[first].tobytes().rstrip(b"\0") for first in firsts]
        every = np.concatenate((self.hashes, hashes))
        order = np.argsort(every, kind="stable")
        self.hashes, self.order = every[order], np.concatenate((self.order, own))[order]
