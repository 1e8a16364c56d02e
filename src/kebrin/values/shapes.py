"""Shapes: texts that differ in their digits only are one shape, which is understood once for all of them.

`(1,234.50)` and `(9,876.00)` have the shape `(0,000.00)`. A column of millions of distinct numbers or dates has a few
dozen shapes; what a shape means is worked out in Python, and its digits are then decoded at fixed places, eight digits at a
time. Texts are worked on in blocks that stay in cache, several blocks at once where the machine has several cores.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import TYPE_CHECKING, TypeVar

import numpy as np

from kebrin.table import arrays
from kebrin.table.threads import in_parallel

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator, Sequence

    import pyarrow as pa
    from numpy.typing import NDArray

    Words = NDArray[np.uint64]

Made = TypeVar("Made")

#: Texts of more bytes than this have no shape: they are neither numbers nor dates.
LONGEST = 48
_BLOCK = 131_072  # texts worked on at a time: few enough for the cache, enough for threads to run side by side
# Up to so many digits are put together one by one.
_FEW = 3
_NIBBLES = np.uint64(0x0F0F0F0F0F0F0F0F)
_STEPS = tuple(
    (np.uint64(step), np.uint64(ten), np.uint64(mask))
    for step, ten, mask in (
        (8, 10, 0x00FF00FF00FF00FF), (16, 100, 0x0000FFFF0000FFFF), (32, 10_000, 0x00000000FFFFFFFF),
    )
)  # fmt: skip
_EIGHT = np.uint64(8)
# What is left of a word when so many of its bytes belong to the text; the first byte is the lowest.
_HELD = np.array([(1 << 8 * count) - 1 for count in range(9)], np.uint64)
_ZEROS, _LOW, _HIGH, _OVER_NINE = (np.uint64(byte * 0x0101010101010101) for byte in (0x30, 0x7F, 0x80, 0x76))
# Odd multipliers for hashing eight bytes at a time (splitmix64's constants, Steele et al. 2014).
_MIX = np.array([0x9E3779B97F4A7C15, 0xBF58476D1CE4E5B9, 0x94D049BB133111EB], np.uint64)
_PLACES = _MIX[2] * np.arange(1, LONGEST // 4, 2, dtype=np.uint64)  # one for each word of a text


@dataclass(frozen=True, eq=False)
class Chunk:
    """Texts of one shape in one block: which shape, their places in the column (0-based), and their bytes."""

    shape: int
    rows: NDArray[np.intp]
    words: Words

    def digits(self, offset: int, width: int) -> NDArray[np.int64]:
        """The number that `width` digits make at one offset (in bytes), for each text."""
        number = self._eight(offset, min(width, 8))
        for at in range(8, width, 8):
            more = min(width - at, 8)
            number = number * np.int64(10**more) + self._eight(offset + at, more)
        return number

    def _eight(self, offset: int, width: int) -> NDArray[np.int64]:
        word, byte = divmod(offset, 8)
        taken = self.words[word] >> np.uint64(8 * byte)
        if byte + width > 8:
            taken |= self.words[word + 1] << np.uint64(8 * (8 - byte))
        return _decoded(taken, width)


@dataclass(frozen=True, eq=False)
class _Block:
    """One block, its texts in the order of their shapes: places, bytes (words x texts), shapes, where each begins."""

    rows: NDArray[np.intp]
    words: Words
    shapes: NDArray[np.int32]
    bounds: NDArray[np.intp]

    def chunks(self, wanted: NDArray[np.bool_]) -> Iterator[Chunk]:
        for at in np.flatnonzero(wanted[self.shapes]).tolist():
            start, stop = int(self.bounds[at]), int(self.bounds[at + 1])
            yield Chunk(int(self.shapes[at]), self.rows[start:stop], self.words[:, start:stop])


@dataclass(frozen=True, eq=False)
class Shapes:
    """The shapes of some texts.

    Attributes:
        texts: the shapes, digits as `0`, in the order in which they first occur.
        codes: int32, the shape of each text; -1 for texts that are too long.
    """

    texts: tuple[str, ...]
    codes: NDArray[np.int32]
    _blocks: tuple[_Block, ...]

    @classmethod
    def of(cls, values: pa.StringArray) -> Shapes:
        """Find the shapes of texts without nulls.

        >>> import pyarrow as pa
        >>> shapes = Shapes.of(pa.array(["(1,234)", "(9,876)", "12"]))
        >>> shapes.texts, shapes.codes.tolist()
        (('(0,000)', '00'), [0, 0, 1])
        """
        known, count = _Known(), len(values)
        source = _Source(*arrays.text_bytes(values))
        blocks = in_parallel(
            lambda start: known.block(source, start, min(start + _BLOCK, count)), range(0, count, _BLOCK)
        )
        place = known.in_order(blocks)
        codes = np.full(count, -1, np.int32)
        renamed = [_Block(block.rows, block.words, place[block.shapes], block.bounds) for block in blocks]
        for block in renamed:
            codes[block.rows] = np.repeat(block.shapes, np.diff(block.bounds))
        texts = [""] * len(known.shapes)
        for old, new in enumerate(place.tolist()):
            texts[new] = known.shapes[old].decode("utf-8", "replace")
        return cls(tuple(texts), codes, tuple(renamed))

    @cached_property
    def counts(self) -> NDArray[np.int64]:
        """How many texts have each shape."""
        counts = np.zeros(len(self.texts), np.int64)
        for block in self._blocks:
            counts[block.shapes] += np.diff(block.bounds)
        return counts

    def are(self, chosen: Iterable[int]) -> NDArray[np.bool_]:
        """Whether each text has one of some shapes."""
        return self._flags(chosen)[self.codes]

    def chunks(self, wanted: Iterable[int]) -> Iterator[Chunk]:
        """The texts of some shapes, block by block."""
        flags = self._flags(wanted)
        for block in self._blocks:
            yield from block.chunks(flags)

    def each(self, wanted: Iterable[int], work: Callable[[Chunk], Made]) -> list[Made]:
        """What some work makes of every chunk of some shapes; the chunks of several blocks are worked on at once."""
        flags = self._flags(wanted)
        made = in_parallel(lambda block: [work(chunk) for chunk in block.chunks(flags)], self._blocks)
        return [one for block in made for one in block]

    def _flags(self, chosen: Iterable[int]) -> NDArray[np.bool_]:
        flags = np.zeros(len(self.texts) + 1, np.bool_)  # the last is that of texts without a shape
        flags[list(chosen)] = True
        return flags


def _decoded(words: Words, width: int) -> NDArray[np.int64]:
    """The number that the first `width` bytes of each word make, all of them digits; the first byte is the lowest.

    The words are used up.
    """
    if width <= _FEW:
        number = words & np.uint64(15)
        for _ in range(1, width):
            words >>= _EIGHT
            number *= np.uint64(10)
            number += words & np.uint64(15)
        return number.view(np.int64)
    # Pairs, then fours, then all eight digits together: three multiplications for a whole word.
    digits = words
    digits <<= np.uint64(8 * (8 - width))
    digits &= _NIBBLES
    for step, ten, mask in _STEPS:
        upper = digits >> step
        digits *= ten
        digits += upper
        digits &= mask
    return digits.view(np.int64)


@dataclass(frozen=True, eq=False)
class _Source:
    """Where each text begins and the last one ends, and the bytes of all, one after the other."""

    starts: NDArray[np.int32]
    data: NDArray[np.uint8]

    def words(self, starts: NDArray[np.int64], lengths: NDArray[np.int64]) -> Words:
        """The bytes of some texts (words of eight x texts), zeros behind the last byte of each."""
        count = max(-(-int(lengths.max(initial=0)) // 8), 1)
        data, last = self.data, int(starts[-1]) + 8 * count if len(starts) else 0
        if last > len(data):
            # The last words would reach beyond the bytes: those of this block are copied, with zeros behind.
            first = int(starts[0]) if len(starts) else 0
            data, starts = np.concatenate((data[first:], np.zeros(8 * count, np.uint8))), starts - first
        words = np.empty((count, len(starts)), np.uint64)
        least = int(lengths.min()) if len(lengths) else 0
        if len(starts) and least == int(lengths.max()) and int(starts[-1] - starts[0]) == least * (len(starts) - 1):
            # Texts of one length stand in step: their words are columns of the bytes.
            for at in range(count):
                words[at] = np.ndarray((len(starts),), "<u8", data.data, int(starts[0]) + 8 * at, (least,))
                words[at] &= _HELD[min(least - 8 * at, 8)]
            return words
        every = np.ndarray((max(len(data) - 7, 0),), "<u8", data.data, 0, (1,))
        for at in range(count):
            words[at] = every[starts + 8 * at]
            if least < 8 * (at + 1):
                words[at] &= _HELD[np.clip(lengths - 8 * at, 0, 8)]
        return words


def _without_digits(words: Words, room: Words, out: Words) -> None:
    """Words with every digit as 0, eight bytes at a time: a digit's lower half is cleared.

    The steps work in place: for arrays that come and go the system's memory would cost as much as the work.
    """
    np.bitwise_xor(words, _ZEROS, out=out)  # now digits are 0 to 9
    np.bitwise_and(out, _LOW, out=room)
    room += _OVER_NINE
    room |= out
    room &= _HIGH
    room ^= _HIGH  # the high bit is set where a digit is
    np.right_shift(room, np.uint64(3), out=out)
    room >>= np.uint64(7)
    out -= room
    out &= words
    out ^= words


class _Known:
    """The shapes found so far, looked up by a hash of 64 bits; blocks may be looked up by several threads at once."""

    def __init__(self) -> None:
        self.shapes: list[bytes] = []
        self._table = np.empty(0, np.uint64), np.empty(0, np.int32)  # hashes in order, and the shape of each
        self._lock = Lock()

    def block(self, source: _Source, start: int, stop: int) -> _Block:
        """The texts from `start` to `stop` by their shapes, those too long left out."""
        starts = source.starts[start : stop + 1].astype(np.int64)
        rows = np.arange(start, stop)
        lengths, starts = np.diff(starts), starts[:-1]
        if lengths.max(initial=0) > LONGEST:
            short = lengths <= LONGEST
            rows, lengths, starts = rows[short], lengths[short], starts[short]
        words = source.words(starts, lengths)
        codes = self._codes(words, lengths)
        # Sixteen bits are sorted by counting, several times quicker.
        order = np.argsort(codes.astype(np.int16) if len(self.shapes) < 2**15 else codes, kind="stable")
        ordered = codes[order]
        bounds = np.flatnonzero(np.diff(ordered, prepend=-1)) if len(ordered) else np.zeros(0, np.intp)
        held = np.empty_like(words)
        for at, word in enumerate(words):
            np.take(word, order, out=held[at], mode="clip")
        return _Block(rows[order], held, ordered[bounds], np.append(bounds, len(ordered)))

    def in_order(self, blocks: Sequence[_Block]) -> NDArray[np.int32]:
        """For each shape its place among all, by the row in which it first occurs."""
        first = np.zeros(len(self.shapes), np.intp)
        for block in reversed(blocks):
            first[block.shapes] = block.rows[block.bounds[:-1]]
        place = np.empty(len(first), np.int32)
        place[np.argsort(first, kind="stable")] = np.arange(len(first), dtype=np.int32)
        return place

    def _codes(self, words: Words, lengths: NDArray[np.int64]) -> NDArray[np.int32]:
        """The shape of each text."""
        mixed = lengths.view(np.uint64) * _MIX[0]
        room, plain = np.empty_like(mixed), np.empty_like(mixed)
        for at, word in enumerate(words):
            _without_digits(word, room, plain)
            # An empty word adds nothing, so that a shape has one hash in every block.
            plain *= _PLACES[at]
            np.right_shift(plain, np.uint64(29), out=room)
            plain ^= room
            plain *= _MIX[1]
            mixed += plain
        hashes, codes = self._table
        place = _places(hashes, mixed)
        new = hashes[place] != mixed if len(hashes) else np.ones(len(mixed), np.bool_)
        if new.any():
            with self._lock:
                self._add(words[:, new], lengths[new], mixed[new])
                hashes, codes = self._table
            place = _places(hashes, mixed)
        return codes[place]

    def _add(self, words: Words, lengths: NDArray[np.int64], mixed: Words) -> None:
        hashes, firsts = np.unique(mixed, return_index=True)
        old, codes = self._table
        if len(old):
            fresh = old[_places(old, hashes)] != hashes  # another thread may have been here
            hashes, firsts = hashes[fresh], firsts[fresh]
        fresh_codes = np.arange(len(self.shapes), len(self.shapes) + len(hashes), dtype=np.int32)
        texts = np.empty((len(firsts), len(words)), np.uint64)
        room, plain = np.empty(len(firsts), np.uint64), np.empty(len(firsts), np.uint64)
        for place, word in enumerate(words):
            _without_digits(word[firsts], room, plain)
            texts[:, place] = plain
        self.shapes += [text.tobytes()[:length] for text, length in zip(texts, lengths[firsts].tolist(), strict=True)]
        at = np.searchsorted(old, hashes)
        self._table = np.insert(old, at, hashes), np.insert(codes, at, fresh_codes)


def _places(hashes: Words, mixed: Words) -> NDArray[np.intp]:
    return np.minimum(np.searchsorted(hashes, mixed), max(len(hashes) - 1, 0))
