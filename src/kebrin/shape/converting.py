"""Convert: amounts to one currency or unit through a table of rates, the old column kept."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.errors import Place, PlanError
from kebrin.shape.summing import without_tails
from kebrin.sources import read
from kebrin.table import Finding, FindingKind, arrays
from kebrin.values.dates import read_dates
from kebrin.values.keys import clean
from kebrin.values.numbers import read_numbers
from kebrin.values.outcome import Outcome, finished
from kebrin.values.texts import Texts, texts_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.table import Table

_DAY = 86_400
_ALWAYS = np.iinfo(np.int64).min


class Rates:
    """Rates by code, each valid from a day on until the code's next."""

    def __init__(self, rows: Sequence[tuple[str, int, float]], file: str = "") -> None:
        self.file = file
        self.by_code: dict[str, tuple[NDArray[np.int64], NDArray[np.float64]]] = {}
        codes: dict[str, dict[int, float]] = {}
        for code, day, rate in rows:
            own = codes.setdefault(code, {})
            if own.setdefault(day, rate) != rate:
                raise PlanError(
                    f"the rate table has two rates for {code!r} on one day", Place(file), do="Keep one of them"
                )
        for code, own in codes.items():
            days = np.array(sorted(own), np.int64)
            self.by_code[code] = days, np.array([own[day] for day in days.tolist()])

    def at(self, code: str, days: NDArray[np.int64]) -> NDArray[np.float64]:
        """The latest rate of a code not after each day; NaN where there is none.

        >>> rates = Rates([("EUR", 10, 2.0), ("EUR", 20, 3.0)])
        >>> rates.at("EUR", np.array([5, 10, 19, 25])).tolist()
        [nan, 2.0, 2.0, 3.0]
        """
        if code not in self.by_code:
            return np.full(len(days), np.nan)
        since, rates = self.by_code[code]
        place = np.searchsorted(since, days, side="right") - 1
        return np.where(place >= 0, rates[np.maximum(place, 0)], np.nan)


def read_rates(path: str | Path, named: Mapping[str, str] | None = None) -> Rates:
    """Read a rate table: columns `code`, `rate`, and where there are such `date` (rates change) and `per` (so many units).

    Args:
        path: the file.
        named: what the table calls these columns, where it calls them otherwise.

    Raises:
        SourceError: the file can't be read.
        PlanError: a column is missing, a rate is no number, a date is none, or a code has two rates on one day.
    """
    names = {"code": "code", "rate": "rate", "date": "date", "per": "per"} | dict(named or {})
    odd = next((one for one in named or {} if one not in {"code", "rate", "date", "per"}), "")
    if odd:
        raise PlanError(
            f"a rate table has no {odd!r}", why="it has code, rate, date and per", do="Correct named in the step"
        )
    report = read(path)
    sheet = report[report.shown[0]]
    heads = [sheet.text(0, column).casefold() for column in range(sheet.shape[1])] if sheet.shape[0] else []
    at = {one: heads.index(name.casefold()) for one, name in names.items() if name.casefold() in heads}
    missing = [names[one] for one in ("code", "rate", *(named or {})) if one not in at]
    if missing:
        raise PlanError(
            "this is no rate table", Place(str(path)),
            why=f"its columns are {', '.join(heads) or 'none'}, and {missing[0]!r} is none",
            do="Give it the columns code and rate, and date where rates change; or state in the step how they are named",
        )  # fmt: skip
    codes = _column(sheet, at["code"])
    rates = _numbers(sheet, at["rate"], "rate", path)
    if "per" in at:
        rates = rates / _numbers(sheet, at["per"], "per", path)
    days = [_ALWAYS] * len(codes)
    if "date" in at:
        said = _column(sheet, at["date"])
        read_days = read_dates(_texts(said), "date")
        if read_days.unread.any() or read_days.missing.any():
            row = int(np.flatnonzero(read_days.unread | read_days.missing)[0])
            raise PlanError(
                "a rate's date is none", Place(str(path), line=row + 2), why=f"it says {said[row]!r}", do="Correct it"
            )
        days = (read_days.units // (_DAY * read_days.per_second)).tolist()
    return Rates([(code, day, rate) for code, day, rate in zip(codes, days, rates.tolist(), strict=True)], str(path))


def _numbers(sheet: Sheet, column: int, name: str, path: str | Path) -> NDArray[np.float64]:
    said = _column(sheet, column)
    numbers = read_numbers(_texts(said), name)
    if numbers.unread.any() or numbers.missing.any():
        row = int(np.flatnonzero(numbers.unread | numbers.missing)[0])
        raise PlanError(
            f"a {name} is no number", Place(str(path), line=row + 2), why=f"it says {said[row]!r}", do="Correct it"
        )
    return np.asarray(numbers.values)


def _column(sheet: Sheet, column: int) -> list[str]:
    return [clean(sheet.text(row, column)) for row in range(1, sheet.shape[0]) if sheet.filled[row].any()]


def _texts(said: Sequence[str]) -> Texts:
    return Texts(arrays.texts(list(said)), None)


def convert(
    table: Table, column: str, *, by: str, using: Rates | str | Path, into: str, to: str = "", on: str = "",
    places: int | None = None, rate: str = "", named: Mapping[str, str] | None = None,
    unrated: Literal["refuse", "blank"] = "refuse",
) -> Table:  # fmt: skip
    """Multiply amounts by their code's rate into a new column; the old one stays.

    Args:
        table: the table.
        column: a column of numbers.
        by: the column of currencies or units.
        using: the rates, or their file.
        into: the new column.
        to: the currency or unit that the rates lead to; cells that bear it already are taken as they are.
        on: the column of dates, where rates change: the latest rate not after the date counts.
        places: decimal places to round to, half away from zero; as they come by default.
        rate: a column to keep each row's rate in.
        named: what the rate table calls its columns, where it does not call them code, rate, date and per.
        unrated: whether amounts without a rate refuse the proof, or may be blank; they are counted by code either way.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"due": [2.0, 3.0], "cur": ["EUR", "SKC"]}), ("due",))
    >>> done = convert(table, "due", by="cur", using=Rates([("EUR", 0, 1.5)]), into="in SKC", to="SKC")
    >>> done.data.column("in SKC").to_pylist()
    [3.0, 3.0]

    Raises:
        SourceError: the rate table can't be read.
        PlanError: a column is not there or of another kind, or the rate table is wrong.
    """
    rates = using if isinstance(using, Rates) else read_rates(using, named)
    if column not in table.columns or not pa.types.is_floating(table.data.column(column).type):
        raise PlanError(
            f"convert multiplies numbers, and {column!r} holds none", do="Read it with the number step first"
        )
    amounts = arrays.floats_of(table.data.column(column).cast(pa.float64()))
    days = _days(table, on)
    codes = texts_of(table, by, "convert")
    said = [clean(str(one)) for one in codes.values.to_pylist()]
    factors = np.full(len(table), np.nan)
    for at, code in enumerate(said):
        rows = np.flatnonzero(codes.codes == at) if not codes.whole else np.array([at])
        factors[rows] = 1.0 if to and code == to else rates.at(code, days[rows])
    made = without_tails(amounts * factors)
    if places is not None:
        made = np.sign(made) * np.floor(np.abs(made) * 10.0**places + 0.5) / 10.0**places
    columns: dict[str, pa.Array | pa.ChunkedArray] = {into: arrays.numbers(made)}
    if rate:
        columns[rate] = arrays.numbers(factors)
    there = ~np.isnan(amounts)
    gone = there & np.isnan(factors)
    outcome = Outcome(
        "convert", column, int(there.sum()), int((there & ~gone).sum()),
        convention=f"the rates of {rates.file or 'the table'}",
        evidence=f"rounded to {places} places" if places is not None else "",
        note=f"sum {float(np.nansum(made)):,.10g} in {into}",
    )  # fmt: skip
    missing = _without_rate(column, codes, said, gone, breaks=unrated == "refuse")
    made_as = {into: "convert"} | ({rate: "rate"} if rate else {})
    return finished(table, columns, outcome).remarked(missing).with_made(**made_as)


def _days(table: Table, on: str) -> NDArray[np.int64]:
    if not on:
        return np.full(len(table), np.iinfo(np.int64).max)
    if on not in table.columns or not pa.types.is_temporal(table.data.column(on).type):
        raise PlanError(f"on names {on!r}, which holds no dates", do="Read it with the date step first")
    days = table.data.column(on).cast(pa.date32()).combine_chunks()
    return np.where(arrays.truths_of(days.is_valid()), arrays.days_of(days), _ALWAYS + 1)


def _without_rate(
    column: str, codes: Texts, said: Sequence[str], gone: NDArray[np.bool_], *, breaks: bool
) -> list[Finding]:
    if not gone.any():
        return []
    counts: dict[str, int] = {}
    for at in codes.codes[gone].tolist():
        name = said[at] if at >= 0 else "no code"
        counts[name] = counts.get(name, 0) + 1
    shown = ", ".join(f"{name} ({count:,})" for name, count in sorted(counts.items(), key=lambda one: -one[1])[:8])
    amounts = "1 amount has" if gone.sum() == 1 else f"{int(gone.sum()):,} amounts have"
    what = f"convert {column}: {amounts} no rate, or none yet on the day: {shown}"
    return [Finding(FindingKind.MISSING_RATE, what, count=int(gone.sum()), breaks=breaks)]
