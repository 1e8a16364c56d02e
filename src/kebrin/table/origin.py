"""Origin: the source cell behind every value of a table, kept as arithmetic and not row by row.

A segment is what one block gave: its body rows, and the body columns of each measure. Record p of a segment comes from
body row p // w and column group p % w, w being the number of groups. Records that were left out are taken out of the
count by `kept`.
"""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass, field, replace
from itertools import accumulate
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from kebrin.address import a1

if TYPE_CHECKING:
    from collections.abc import Mapping

    from numpy.typing import NDArray

NO_CELL = -1
# A proof may have been damaged: so many lines are believed.
_MOST = 1 << 28


class CellOrigin(NamedTuple):
    """The source cell of one value; `row` and `column` are 0-based."""

    file: str
    sheet: str
    row: int
    column: int

    @property
    def cell(self) -> str:
        """The A1 address."""
        return a1(self.row, self.column)

    def __str__(self) -> str:
        return f"{self.file}, sheet {self.sheet!r}, cell {self.cell}"


@dataclass(frozen=True, eq=False)
class Labels:
    """Where one column of labels comes from.

    Attributes:
        column: the table's column.
        axis: 0 for a label per body row, 1 for a label per column group.
        rows: int32, the sheet's row of the cell that each line's label comes from; -1 for none.
        columns: int32, its column.
        head: the cell that names the column, (-1, -1) for none.
        measure: the measure whose columns bear these labels, on axis 1 where there are several measures.
        part: whether each cell says a part of its label only: several heading rows were joined.
        pattern: how each cell says several labels in one, and the name that this one has there.
    """

    column: str
    axis: int
    rows: NDArray[np.int32]
    columns: NDArray[np.int32]
    head: tuple[int, int] = (-1, -1)
    measure: str = ""
    part: bool = False
    pattern: tuple[str, str] = ("", "")


@dataclass(frozen=True, eq=False)
class Segment:
    """The records that one block gave.

    Attributes:
        file: the source file.
        sheet: the sheet's name.
        rows: int32, the sheet's rows, one per body row.
        columns: per measure, int32, the sheet's columns, one per column group; -1 where a group lacks the measure.
        kept: int64, ascending, the records that are in the table; None for all.
        labels: the table's columns that hold the block's labels, the stub's first.
        sources: where the labels come from, outermost first on each side.
        heads: per measure, the cells of the headings that name it.
        turned: whether rows and columns stand for each other in the file.
        places: of a sheet that was laid out anew, row and column in the file of each of its cells (rows x columns x 2).
    """

    file: str
    sheet: str
    rows: NDArray[np.int32]
    columns: dict[str, NDArray[np.int32]]
    kept: NDArray[np.int64] | None = None
    labels: tuple[str, ...] = ()
    sources: tuple[Labels, ...] = ()
    heads: dict[str, tuple[tuple[int, int], ...]] = field(default_factory=dict)
    turned: bool = False
    places: NDArray[np.int32] | None = None

    def in_file(self, row: int, column: int) -> tuple[int, int]:
        """Where a cell of the sheet as it was read stands in the file."""
        if self.places is not None:
            row, column = self.places[row, column].tolist()
        return (column, row) if self.turned else (row, column)

    @property
    def is_laid_anew(self) -> bool:
        """Whether the sheet was read otherwise than as it lies in the file."""
        return self.turned or self.places is not None

    @property
    def width(self) -> int:
        """Column groups: the records that one body row can give."""
        return len(next(iter(self.columns.values()), ()))

    def __len__(self) -> int:
        return len(self.rows) * self.width if self.kept is None else len(self.kept)

    def cells(self, measure: str) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Rows and columns of the cells behind a measure's values, one per record; column -1 where there is none."""
        width = self.width
        records = np.arange(len(self.rows) * width) if self.kept is None else self.kept
        return self.rows[records // max(width, 1)], self.columns[measure][records % max(width, 1)]


@dataclass(frozen=True, eq=False)
class Origin:
    """The origins of a whole table: its segments in order; `order` says which of their rows each row is, if it is another order.

    >>> rows, columns = np.array([4, 5], np.int32), np.array([2, 3], np.int32)
    >>> origin = Origin((Segment("traffic.xlsx", "North Loop", rows, {"carried": columns}),))
    >>> len(origin), str(origin.of(3, "carried"))
    (4, "traffic.xlsx, sheet 'North Loop', cell D6")
    """

    segments: tuple[Segment, ...] = ()
    order: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return sum(map(len, self.segments)) if self.order is None else len(self.order)

    def segment_of(self, row: int) -> tuple[Segment, int]:
        """The segment that holds a table row (0-based), and the row's place in it.

        Raises:
            IndexError: there is no such row.
        """
        ends = list(accumulate(map(len, self.segments)))
        if not 0 <= row < len(self):
            raise IndexError(row)
        row = row if self.order is None else int(self.order[row])
        at = bisect_right(ends, row)
        return self.segments[at], row - (ends[at - 1] if at else 0)

    def of(self, row: int, measure: str) -> CellOrigin | None:
        """The cell behind one value; None where the block has no cell for this measure."""
        segment, place = self.segment_of(row)
        record = place if segment.kept is None else int(segment.kept[place])
        line, group = divmod(record, segment.width)
        row, column = int(segment.rows[line]), int(segment.columns[measure][group])
        if column == NO_CELL:
            return None
        return CellOrigin(segment.file, segment.sheet, *segment.in_file(row, column))

    def turned(self) -> Origin:
        """The same where rows and columns stand for each other in the file."""
        return Origin(tuple(replace(part, turned=not part.turned) for part in self.segments), self.order)

    def placed(self, places: NDArray[np.int32]) -> Origin:
        """The same where the cells were laid out anew."""
        return Origin(tuple(replace(part, places=places) for part in self.segments), self.order)

    def take(self, rows: NDArray[np.intp]) -> Origin:
        """The origins of some rows, in any order; a row may come several times.

        >>> origin = Origin((Segment("a.csv", "a", np.array([1, 2], np.int32), {"v": np.array([3], np.int32)}),))
        >>> [origin.take(np.array([0, 1, 1])).of(at, "v").cell for at in range(3)]
        ['D2', 'D3', 'D3']
        """
        if self.order is not None or (len(rows) > 1 and (np.diff(rows) < 0).any()):
            return replace(self, order=np.asarray(rows if self.order is None else self.order[rows], np.int64))
        parts, start = [], 0
        for segment in self.segments:
            stop = start + len(segment)
            own = rows[(rows >= start) & (rows < stop)] - start
            kept = own if segment.kept is None else segment.kept[own]
            parts.append(replace(segment, kept=np.asarray(kept, np.int64)))
            start = stop
        return Origin(tuple(parts))

    def bare(self) -> Origin:
        """The same without the rows that none of these is made of, for a part of a table that is written by itself."""
        if self.order is None:
            return Origin(tuple(one for one in self.segments if len(one)))
        used, order = np.unique(self.order, return_inverse=True)
        kept = Origin(self.segments).take(used)
        return Origin(tuple(one for one in kept.segments if len(one)), order.astype(np.int64))

    def __add__(self, other: Origin) -> Origin:
        if self.order is None and other.order is None:
            return Origin(self.segments + other.segments)
        whole = sum(map(len, self.segments))
        orders = [np.arange(len(one)) if one.order is None else one.order for one in (self, other)]
        return Origin(self.segments + other.segments, np.concatenate((orders[0], orders[1] + whole)))

    def renamed(self, names: dict[str, str]) -> Origin:
        """The same with other names for measures and labels."""
        segments = [
            replace(
                part,
                columns={names.get(name, name): columns for name, columns in part.columns.items()},
                labels=tuple(names.get(name, name) for name in part.labels),
                sources=tuple(
                    replace(one, column=names.get(one.column, one.column), measure=names.get(one.measure, one.measure))
                    for one in part.sources
                ),
                heads={names.get(name, name): cells for name, cells in part.heads.items()},
            )
            for part in self.segments
        ]
        return Origin(tuple(segments), self.order)

    def to_plain(self) -> list[dict[str, Any]]:
        """Plain lists and texts, for a proof file; runs of neighbours are written as [first, count]."""
        order = [] if self.order is None else [{"order": _runs(self.order)}]
        return order + [
            {
                "file": part.file,
                "sheet": part.sheet,
                "rows": _runs(part.rows),
                "columns": {name: _runs(columns) for name, columns in part.columns.items()},
                "kept": None if part.kept is None else _runs(part.kept),
                "labels": list(part.labels),
                **({"turned": True} if part.turned else {}),
                **({} if part.places is None else {"places": part.places.tolist()}),
            }
            for part in self.segments
        ]

    @classmethod
    def from_plain(cls, plain: list[dict[str, Any]]) -> Origin:
        """The origins that `to_plain` wrote."""
        order = next((_unrun(part["order"]) for part in plain if "order" in part), None)
        return cls(
            tuple(
                Segment(
                    part["file"],
                    part["sheet"],
                    _unrun(part["rows"]).astype(np.int32),
                    {name: _unrun(runs).astype(np.int32) for name, runs in part["columns"].items()},
                    None if part["kept"] is None else _unrun(part["kept"]),
                    tuple(part["labels"]),
                    turned=bool(part.get("turned")),
                    places=np.array(part["places"], np.int32) if "places" in part else None,
                )
                for part in plain
                if "order" not in part
            ),
            order,
        )


@dataclass(frozen=True, eq=False)
class Parts:
    """What the figures that a step made are made of: the rows of the table before, which know their cells.

    Attributes:
        origins: of the table before.
        rows: the row of the made table that each row before went into (rows before,).
        lines: how many rows of the made table are of one group each; a row behind them is made of all rows.
        columns: the measure that each made column is of.
        places: of a crosstab, which of its columns across each row before went into (rows before,).
        at: the place of each made column across; one without is made of all.
        order: which of its rows each row is, if they were chosen or sorted since.

    >>> rows, columns = np.array([1, 2, 3], np.int32), {"boats": np.array([1], np.int32)}
    >>> origins = Origin((Segment("a.csv", "a", rows, columns),))
    >>> [one.cell for one in Parts(origins, np.array([0, 1, 0]), 2, {"sum": "boats"}).of(0, "sum")]
    ['B2', 'B4']
    """

    origins: Origin
    rows: NDArray[np.int64]
    lines: int
    columns: Mapping[str, str]
    places: NDArray[np.int64] | None = None
    at: Mapping[str, int] = field(default_factory=dict)
    order: NDArray[np.int64] | None = None

    def of(self, row: int, column: str) -> list[CellOrigin]:
        """The cells behind one figure of a made table (its row from 0)."""
        line = row if self.order is None else int(self.order[row])
        own = self.rows == line if line < self.lines else np.ones(len(self.rows), np.bool_)
        if self.places is not None and column in self.at:
            own &= self.places == self.at[column]
        found = (self.origins.of(int(one), self.columns[column]) for one in np.flatnonzero(own))
        return [one for one in found if one is not None]

    def take(self, rows: NDArray[np.intp]) -> Parts:
        """The same of some rows, in any order."""
        return replace(self, order=np.asarray(rows if self.order is None else self.order[rows], np.int64))

    def bare(self) -> Parts:
        """The same without what none of these rows is made of."""
        order = np.arange(self.lines) if self.order is None else self.order
        if (order >= self.lines).any():  # a total of all
            return self
        own = np.flatnonzero(np.isin(self.rows, order))
        places = None if self.places is None else self.places[own]
        return replace(self, origins=self.origins.take(own).bare(), rows=self.rows[own], places=places)

    def renamed(self, names: Mapping[str, str]) -> Parts:
        """The same with other names for the made columns; those without a name go."""
        columns = {names[name]: measure for name, measure in self.columns.items() if name in names}
        return replace(self, columns=columns, at={names[name]: at for name, at in self.at.items() if name in names})

    def to_plain(self) -> dict[str, Any]:
        """Plain lists and texts, for a proof file."""
        return {
            "origin": self.origins.to_plain(), "rows": _runs(self.rows), "lines": self.lines, "columns": dict(self.columns),
            "places": None if self.places is None else _runs(self.places), "at": dict(self.at),
            "order": None if self.order is None else _runs(self.order),
        }  # fmt: skip

    @classmethod
    def from_plain(cls, plain: dict[str, Any]) -> Parts:
        """The parts that `to_plain` wrote."""
        places, order = plain["places"], plain["order"]
        return cls(
            Origin.from_plain(plain["origin"]), _unrun(plain["rows"]), plain["lines"], plain["columns"],
            None if places is None else _unrun(places), plain["at"], None if order is None else _unrun(order),
        )  # fmt: skip


def _runs(numbers: NDArray[Any]) -> list[list[int]]:
    if not len(numbers):
        return []
    breaks = np.flatnonzero(np.diff(numbers) != 1) + 1
    starts = np.concatenate(([0], breaks))
    counts = np.diff(np.concatenate((starts, [len(numbers)])))
    return [[int(first), int(count)] for first, count in zip(numbers[starts], counts, strict=True)]


def _unrun(runs: list[list[int]]) -> NDArray[np.int64]:
    if not runs:
        return np.empty(0, np.int64)
    if sum(count for _, count in runs) > _MOST:
        raise ValueError("it counts more lines than any file has")
    return np.concatenate([np.arange(first, first + count, dtype=np.int64) for first, count in runs])
