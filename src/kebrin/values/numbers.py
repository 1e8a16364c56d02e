"""Numbers and signs: a column of texts becomes amounts by one convention, stated or found over the whole column."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property
from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.cells import MISSING_MARKS
from kebrin.errors import PlanError, ValuesError, nearest
from kebrin.grammar.amounts import MAY_SCALE, NEGATIVES, Amount, Reading, understand
from kebrin.table import arrays
from kebrin.values.conventions import (
    Convention,
    DecimalSign,
    counted_negatives,
    find_convention,
    reading_of,
    refuse_mixed_percents,
)
from kebrin.values.outcome import Outcome, finished, unread_of
from kebrin.values.shapes import Chunk, Shapes
from kebrin.values.texts import Texts, texts_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    import pyarrow as pa
    from numpy.typing import NDArray

    from kebrin.table import Table

# Whole numbers of more digits than this do not fit a double; they are read one by one.
_MOST_DIGITS = 15
_MARKS_SHOWN = 6


def number(
    table: Table, column: str, *, decimal: DecimalSign = "", negative: Sequence[str] | None = None,
    percent: Literal["fraction", "keep"] = "fraction", currency: str = "", unit: str = "", scale: float = 1.0,
    missing: Sequence[str] = (), flip: Mapping[str, Sequence[str]] | bool = False,
    unread: Literal["refuse", "blank"] = "refuse", written: str = "",
) -> Table:  # fmt: skip
    """Read a column of texts as numbers.

    Args:
        table: the table.
        column: the column.
        decimal: the decimal sign; found over the whole column if it is not stated.
        negative: the ways in which negative amounts are written (see `NEGATIVES`); all but CR and DR by default.
        percent: whether `12%` becomes 0.12 or stays 12.
        currency: a column to put currency marks into; needed if there are several.
        unit: a column to put units into; needed if there are several.
        scale: what every number is multiplied by ("in thousands": 1000).
        missing: texts that mean "no value", beside the usual marks.
        flip: true to turn every sign; or the values of another column for which it is turned.
        unread: whether texts that are no numbers refuse the proof, or may be blank.
        written: a column to keep the texts in, as written.

    >>> import pyarrow as pa
    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"due": ["1.234,50-", "(12,00)", "–", "7"]}), ())
    >>> number(table, "due").data.column("due").to_pylist()
    [-1234.5, -12.0, None, 7.0]

    Raises:
        ValuesError: the column reads in two ways, or holds two conventions, currencies or units.
        PlanError: there is no such column, or an option is wrong.
    """
    _refuse_unknown(negative)
    if _is_numeric(table, column):
        if scale == 1 and flip is False:
            return _as_they_are(table, column, {written: column, currency: "", unit: ""})
        return _turned(table, column, scale, flip, written)
    texts = texts_of(table, column, "number", whole=True)
    read = read_numbers(
        texts, column, decimal=decimal, negative=negative, percent=percent, missing=missing, any_unit=bool(unit)
    )
    values = read.values * scale if scale != 1 else read.values
    full = np.asarray(texts.spread(values, np.nan), np.float64)
    if flip is not False:
        full = np.where(_flipped(table, flip), -full, full)
    columns: dict[str, pa.Array] = {column: arrays.numbers(full)}
    columns |= _kept(texts, read, column, currency, unit)
    if written:
        columns[written] = table.data.column(column)
    known = ~np.isnan(full)
    outcome = Outcome(
        "number", column, texts.cells, int(known.sum()), texts.cells_of(read.missing),
        unread_of(texts, np.flatnonzero(read.unread).tolist()), _told(read, scale, flip), read.convention.evidence,
        f"{int(known.sum()):,} numbers" + ("" if currency or unit else f", sum {float(np.nansum(full)):,.10g}"),
    )  # fmt: skip
    return finished(table, columns, outcome, lenient=unread == "blank")


def _as_they_are(table: Table, column: str, more: Mapping[str, str]) -> Table:
    """A column that holds numbers already, beside it the columns that a step would have added: a plan serves both."""
    nothing = arrays.labels(np.full(len(table), -1, np.int32), [])
    added = {name: table.data.column(of) if of else nothing for name, of in more.items() if name}
    if not added:
        return table
    known = len(table) - table.data.column(column).null_count
    return finished(table, added, Outcome("number", column, known, 0, convention="they are numbers already"))


def _is_numeric(table: Table, column: str) -> bool:
    return column in table.columns and str(table.data.column(column).type) == "double"


def _turned(
    table: Table, column: str, scale: float, flip: Mapping[str, Sequence[str]] | bool, written: str  # noqa: FBT001
) -> Table:  # fmt: skip
    """A column that holds numbers already, multiplied or with its signs turned."""
    before = arrays.floats_of(table.data.column(column))
    after = before * scale
    if flip is not False:
        after = np.where(_flipped(table, flip), -after, after)
    columns: dict[str, pa.Array | pa.ChunkedArray] = {column: arrays.numbers(after)}
    if written:
        columns[written] = table.data.column(column)
    known = int((~np.isnan(before)).sum())
    outcome = Outcome(
        "number", column, known, int(((after != before) & ~np.isnan(before)).sum()),
        note=f"{_changes(scale, flip)}; {known:,} numbers, "
        f"sum {float(np.nansum(before)):,.10g} before and {float(np.nansum(after)):,.10g} after",
    )  # fmt: skip
    return finished(table, columns, outcome)


@dataclass(frozen=True, eq=False)
class Numbers:
    """Numbers by text: values (NaN where there is none), which texts are missing marks, which could not be read."""

    values: NDArray[np.float64]
    missing: NDArray[np.bool_]
    unread: NDArray[np.bool_]
    convention: Convention
    amounts: tuple[Amount | None, ...]
    shape: NDArray[np.int32]

    @cached_property
    def used(self) -> list[int]:
        """The shapes that gave a number."""
        there = self.shape[~np.isnan(self.values) & (self.shape >= 0)]
        return [int(one) for one in np.flatnonzero(np.bincount(there))]


def read_numbers(
    texts: Texts, column: str, *, decimal: DecimalSign = "", negative: Sequence[str] | None = None,
    percent: Literal["fraction", "keep"] = "fraction", missing: Sequence[str] = (), any_unit: bool = False,
) -> Numbers:  # fmt: skip
    """The number that each text says, by the column's one convention.

    A unit behind a few numbers only is a slip of the pen ("12.5O"), unless units are asked for.

    Raises:
        ValuesError: the column reads in two ways, or holds two conventions.
    """
    shapes = _shaped(texts.values)
    marks = _marks(texts, shapes, missing)
    weight = _weights(texts, shapes)
    amounts = tuple(understand(shape) if "0" in shape else None for shape in shapes.texts)
    if not any_unit:
        amounts = _without_stray_units(amounts, weight)
    amounts = _without_doubtful_scales(amounts)
    convention = find_convention(column, shapes, amounts, weight, decimal)
    if percent == "fraction":
        refuse_mixed_percents(column, amounts, weight)
    counted = counted_negatives(column, amounts, weight, negative)
    values = np.full(len(texts), np.nan)
    ways = _ways(amounts, convention.decimal, counted, as_fraction=percent == "fraction")

    def read(chunk: Chunk) -> None:
        amount, reading, factor = ways[chunk.shape]
        read = _decoded(chunk, amount, reading, texts)
        # A per cent is divided, not multiplied: 33.3% is 0.333, to the last digit.
        values[chunk.rows] = read / round(1 / factor) if 0 < abs(factor) < 1 else read * factor

    shapes.each(ways, read)
    values[marks] = np.nan
    unread = np.isnan(values) & ~marks
    return Numbers(values, marks, unread, convention, amounts, shapes.codes)


def _ways(
    amounts: Sequence[Amount | None], decimal: str, counted: Mapping[str, bool], *, as_fraction: bool
) -> dict[int, tuple[Amount, Reading, float]]:
    """How each shape is read that is a number by the column's convention, and the factor that its sign and scale make."""
    ways = {}
    for shape, amount in enumerate(amounts):
        reading = reading_of(amount, decimal)
        if amount is None or reading is None or (amount.negative and amount.negative not in counted):
            continue
        factor = amount.scale * (amount.percent if as_fraction else 1.0)
        ways[shape] = amount, reading, -factor if counted.get(amount.negative, False) else factor
    return ways


def _without_stray_units(amounts: tuple[Amount | None, ...], weight: NDArray[np.int64]) -> tuple[Amount | None, ...]:
    with_unit = sum(int(count) for one, count in zip(amounts, weight, strict=True) if one is not None and one.unit)
    known = sum(int(count) for one, count in zip(amounts, weight, strict=True) if one is not None)
    if with_unit * 2 >= known:
        return amounts
    return tuple(None if one is not None and one.unit else one for one in amounts)


def _without_doubtful_scales(amounts: tuple[Amount | None, ...]) -> tuple[Amount | None, ...]:
    """Amounts whose "m" or "b" may be millions or billions are none: behind a currency, or beside others in thousands."""
    scaled = any(one is not None and one.scale != 1 for one in amounts)
    return tuple(
        None if one is not None and one.unit in MAY_SCALE and (scaled or one.currency) else one for one in amounts
    )


def _shaped(values: pa.StringArray) -> Shapes:
    """The shapes of texts, the digits of other scripts and full-width ones taken as plain digits."""
    shapes = Shapes.of(values)
    odd = [at for at, shape in enumerate(shapes.texts) if any(map(str.isdecimal, shape.replace("0", "")))]
    if not odd:
        return shapes
    texts = values.to_pylist()
    for at in np.flatnonzero(shapes.are(odd)).tolist():
        texts[at] = _ascii_digits(texts[at])
    return Shapes.of(arrays.texts(texts))


def _ascii_digits(text: str) -> str:
    return "".join(str(int(letter)) if letter.isdecimal() else letter for letter in text)


def _marks(texts: Texts, shapes: Shapes, missing: Sequence[str]) -> NDArray[np.bool_]:
    """Which texts mean "no value": the usual marks, blanks, and those that are stated."""
    stated = {mark.strip().casefold() for mark in missing}
    found = shapes.are([at for at, shape in enumerate(shapes.texts) if _is_mark(shape, stated)])
    if any("0" in mark or any(map(str.isdigit, mark)) for mark in stated):
        # A stated number ("999") shares its shape with others.
        for at in np.flatnonzero(~found).tolist() if len(texts) < 1_000_000 else ():
            if str(texts.values[at].as_py()).strip().casefold() in stated:
                found[at] = True
    return found


def _is_mark(shape: str, stated: set[str]) -> bool:
    bare = shape.strip().casefold()
    return not bare or (("0" not in bare) and (bare in MISSING_MARKS or bare in stated))


def _weights(texts: Texts, shapes: Shapes) -> NDArray[np.int64]:
    """How many rows of the column have each shape."""
    if texts.whole:
        return shapes.counts
    there = shapes.codes >= 0
    return np.bincount(shapes.codes[there], weights=texts.counts[there], minlength=len(shapes.texts)).astype(np.int64)


def _decoded(chunk: Chunk, amount: Amount, reading: Reading, texts: Texts) -> NDArray[np.float64]:
    if amount.digits > _MOST_DIGITS:
        return np.array([_exact(str(texts.values[at].as_py()), reading) for at in chunk.rows.tolist()])
    (offset, width), *others = amount.runs
    whole = chunk.digits(offset, width)
    for offset, width in others:
        whole *= np.int64(10**width)
        whole += chunk.digits(offset, width)
    # Below 2**53 both are exact, so the quotient is the double nearest to what was written.
    return whole / 10.0**reading.decimals


def _exact(text: str, reading: Reading) -> float:
    digits = "".join(letter for letter in _ascii_digits(text) if letter.isdigit())
    cut = len(digits) - reading.decimals
    said = f"{digits[:cut]}.{digits[cut:]}" if reading.decimals else digits
    # A double holds some fifteen digits: what it would change is not read.
    return float(said) if Decimal(repr(float(said))) == Decimal(said) else float("nan")


def _refuse_unknown(negative: Sequence[str] | None) -> None:
    for way in negative or ():
        if way not in NEGATIVES:
            near = nearest(way, NEGATIVES)
            raise PlanError(
                f"negative can't be {way!r}", why=f"the ways known are {', '.join(NEGATIVES)}",
                do=f"Did you mean {near!r}?" if near else "Name one of these",
            )  # fmt: skip


def _flipped(table: Table, flip: Mapping[str, Sequence[str]] | bool) -> NDArray[np.bool_]:  # noqa: FBT001 - true for all
    where = np.zeros(len(table), np.bool_)
    if isinstance(flip, bool):
        return ~where
    for name, wanted in flip.items():
        other = texts_of(table, name, "flip")
        said = [str(text).strip().casefold() for text in other.values.to_pylist()]
        chosen = {one.strip().casefold() for one in wanted}
        where |= np.asarray(other.spread(np.array([text in chosen for text in said], np.bool_), empty=False))
    return where


def _kept(texts: Texts, read: Numbers, column: str, currency: str, unit: str) -> dict[str, pa.Array]:
    """Columns for what stands around the numbers; several currencies or units without one are refused."""
    columns = {}
    for key, name, what in (("currency", currency, "currencies"), ("unit", unit, "units")):
        said = ["" if amount is None else str(getattr(amount, key)) for amount in read.amounts]
        used = {said[at] for at in read.used}
        if name:
            distinct = sorted(used - {""})
            codes = np.array([distinct.index(text) if text in distinct else -1 for text in [*said, ""]], np.int32)[
                read.shape
            ]
            columns[name] = arrays.labels(np.asarray(texts.spread(codes, -1), np.int32), distinct)
        elif len(used - {""}) > 1:
            shown = ", ".join(map(repr, sorted(used - {""})))
            raise ValuesError(
                f"the column {column!r} holds several {what}", why=f"there is {shown}: these do not add up",
                do=f'Name a column for them: {key} = "{key}"', answers=[{key: f"{column} {key}"}],
            )  # fmt: skip
    return columns


def _told(read: Numbers, scale: float, flip: object) -> str:
    said = [read.convention.words]
    used = read.used
    ways = sorted({amount.negative for at in used if (amount := read.amounts[at]) is not None and amount.negative})
    if ways:
        said.append(f"negatives by {', '.join(ways)}")
    for key in ("currency", "unit"):
        found = sorted({str(getattr(read.amounts[at], key)) for at in used} - {""})
        if found:
            said.append(f"{key} {', '.join(found)}")
    marks = sorted({amount.mark for at in used if (amount := read.amounts[at]) is not None and amount.mark})
    if marks:
        said.append(f"footnote marks {', '.join(marks[:_MARKS_SHOWN])} set apart")
    return ", ".join(filter(None, [*said, _changes(scale, flip)]))


def _changes(scale: float, flip: object) -> str:
    said = [f"times {scale:,.10g}"] * (scale != 1)
    return ", ".join([*said, *(["signs turned" if flip is True else "signs turned where stated"] if flip else [])])
