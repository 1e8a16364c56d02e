"""Sheet: one grid of cells, and Report: the sheets of one file."""

from __future__ import annotations

import datetime as dt
import re
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, Self

import numpy as np

from kebrin.address import Area, a1
from kebrin.cells.dittos import without_dittos
from kebrin.cells.formats import Formats
from kebrin.cells.kinds import Kind
from kebrin.cells.readings import Hints, Readings, read_cells
from kebrin.grammar.reading import Look, neat

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Mapping, Sequence

    from numpy.typing import NDArray

# Looked up once: members of an enumeration are slow to reach, and this is asked for every label.
_BLANK = int(Kind.BLANK)
# Rows of so many cells are looked at one by one: in wide sheets nearly all cells of a row are of one kind.
_WIDE = 64
# Times of day are a body where they fill so many columns, nearly all of each; longer texts are lists.
_TIME = re.compile(r"[012]?\d[:.][0-5]\d(?::[0-5]\d)?")
_TIMED_COLUMNS, _MOSTLY_TIMED, _MOST_TIMED = 2, 0.6, 20_000
_KIND_OF: dict[type, int] = {
    str: Kind.TEXT,
    float: Kind.NUMBER,
    int: Kind.NUMBER,
    bool: Kind.FLAG,
    dt.date: Kind.DATE,
    dt.datetime: Kind.DATE,
    dt.time: Kind.TIME,
    dt.timedelta: Kind.TIME,
    type(None): Kind.BLANK,
}


@dataclass(frozen=True, eq=False)
class Sheet:
    """One grid of cells, from A1 to the last cell in use; never changed.

    Attributes:
        name: the sheet's name.
        values: objects (rows x columns): text, float, date, datetime, time, timedelta, bool; '' or None where blank.
        kinds: uint8 (rows x columns), codes of `Kind`.
        merges: merged rectangles, clipped to the grid.
        source: the file it came from, as it was named.
        hidden: '', 'hidden' or 'very hidden'.
        textual: True where the format knows no kinds (a delimited file), so that every cell is text.
        look_up_formats: how to take the second look at the first so many rows; see `formats`.
        has_hidden_lines: whether some row or column is hidden; `formats` says which.
        hints: what is known of the texts from elsewhere (a stated decimal sign, the file's delimiter).
        is_turned: whether rows stand for the file's columns.
        emptied: addresses of formulas without a stored result that are taken as empty.
        told: what is said of how it was read: page heads that were set aside, lines that were passed over.
        spots: of a file that has no cells of its own (text laid out by blanks, a PDF, a page): where each row is, and its text.
        aside: what the reader kept out of the grid (page heads said again, and the like), counted as the proof counts cells.
        laid: of a sheet whose cells were laid out anew, the sheet as the file has it.
        places: row and column there of each cell (rows x columns x 2), -1 for a cell that the file has not.

    >>> sheet = Sheet.of([["Sailing", "Cars"], ["08:00", 12.0]], name="North Loop")
    >>> sheet.shape, sheet.at(1, 1), Kind(sheet.kinds[1, 1]).word
    ((2, 2), 12.0, 'number')
    """

    name: str
    values: NDArray[np.object_]
    kinds: NDArray[np.uint8]
    merges: tuple[Area, ...] = ()
    source: str = ""
    hidden: str = ""
    textual: bool = False
    look_up_formats: Callable[[int | None], Formats] | None = field(default=None, repr=False)
    has_hidden_lines: bool = False
    hints: Hints = Hints()  # noqa: RUF009 - it is frozen
    is_turned: bool = False
    emptied: tuple[str, ...] = ()
    told: tuple[str, ...] = ()
    spots: Sequence[tuple[str, str]] = ()
    aside: Mapping[str, int] = field(default_factory=dict)
    laid: Sheet | None = field(default=None, repr=False)
    places: NDArray[np.int32] | None = field(default=None, repr=False)

    @classmethod
    def of(cls, rows: Iterable[Iterable[Any]], *, name: str = "Sheet", merges: Iterable[Area] = ()) -> Self:
        """A sheet from plain rows of values, padded to the longest; handy in tests and notebooks."""
        listed = [list(row) for row in rows]
        width = max(map(len, listed), default=0)
        values = np.full((len(listed), width), None, dtype=object)
        for number, row in enumerate(listed):
            values[number, : len(row)] = row
        return cls(name, values, kinds_of(values), tuple(merges))

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        return self.values.shape[0], self.values.shape[1]

    def at(self, row: int, column: int) -> Any:
        """The value of a cell (0-based)."""
        return self.values[row, column]

    def address(self, row: int, column: int) -> str:
        """The A1 address of a cell (0-based)."""
        if self.places is not None:
            row, column = self.places[row, column].tolist()
        return a1(column, row) if self.is_turned else a1(row, column)

    def turned(self) -> Self:
        """The sheet with rows for columns; its addresses are still those of the file."""
        merges = tuple(Area(area.left, area.top, area.right, area.bottom) for area in self.merges)
        return replace(
            self, values=self.values.T.copy(), kinds=self.kinds.T.copy(), merges=merges, look_up_formats=None,
            has_hidden_lines=False, is_turned=not self.is_turned, hints=replace(self.hints, codes=frozenset()),
        )  # fmt: skip

    def spread(self, areas: Sequence[Area]) -> Self:
        """The sheet with what these merges say in each of their cells.

        >>> sheet = replace(Sheet.of([["R", None], ["F", "S"]]), merges=(Area(0, 0, 0, 1),))
        >>> sheet.spread(sheet.merges).values.tolist()
        [['R', 'R'], ['F', 'S']]
        """
        values, kinds = self.values.copy(), self.kinds.copy()
        for area in areas:
            cells = (slice(area.top, area.bottom + 1), slice(area.left, area.right + 1))
            values[cells], kinds[cells] = values[area.top, area.left], kinds[area.top, area.left]
        return replace(self, values=values, kinds=kinds, merges=tuple(one for one in self.merges if one not in areas))

    def text(self, row: int, column: int) -> str:
        """A cell as a label: on one line, whole numbers without a point, dates in ISO form, '' where blank."""
        return "" if self.kinds[row, column] == _BLANK else as_label(self.values[row, column])

    def texts(self, rows: Sequence[int] | NDArray[np.intp], column: int) -> list[str]:
        """Cells of one column as labels, each distinct value worked out once."""
        blank = (self.kinds[rows, column] == _BLANK).tolist()
        known: dict[type, dict[Any, str]] = {}  # by type, for 1.0 and True are equal
        found = []
        for value, empty in zip(self.values[rows, column].tolist(), blank, strict=True):
            own = known.setdefault(value.__class__, {})
            text = "" if empty else own.get(value)
            if text is None:
                text = own[value] = as_label(value)
            found.append(text)
        return found

    @cached_property
    def filled(self) -> NDArray[np.bool_]:
        """Where a cell is not blank (rows x columns)."""
        return np.not_equal(self.kinds, Kind.BLANK)

    @cached_property
    def gaps(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """How many rows and columns up to each one hold nothing and are covered by no merge: the gaps that a person sees."""
        rows, columns = np.zeros(self.shape[0], np.bool_), np.zeros(self.shape[1], np.bool_)
        for area in self.merges:
            if self.filled[area.top, area.left]:
                rows[area.top : area.bottom + 1] = True
                # One wide title says nothing of the columns below it.
                columns[area.left : area.right + 1] |= area.bottom > area.top or self._merged_alike(area)
        filled = self.filled
        return np.cumsum(~filled.any(axis=1) & ~rows), np.cumsum(~filled.any(axis=0) & ~columns)

    def _merged_alike(self, area: Area) -> bool:
        """Whether the row below or above is merged over the same columns: they are one column then."""
        return (area.left, area.right, area.top + 1) in self._spans or (
            area.left,
            area.right,
            area.top - 1,
        ) in self._spans

    @cached_property
    def _merged(self) -> NDArray[np.int32] | None:
        """Which merge each cell lies in, by its number; -1 in none."""
        if not self.merges:
            return None
        found = np.full(self.shape, -1, np.int32)
        for number in range(len(self.merges) - 1, -1, -1):
            area = self.merges[number]
            found[area.top : area.bottom + 1, area.left : area.right + 1] = number
        return found

    def merge_at(self, row: int, column: int) -> Area | None:
        """The merge that a cell lies in; None if it lies in none.

        >>> sheet = replace(Sheet.of([["R", None], ["F", "S"]]), merges=(Area(0, 0, 0, 1),))
        >>> sheet.merge_at(0, 1), sheet.merge_at(1, 1)
        (Area(top=0, left=0, bottom=0, right=1), None)
        """
        if self._merged is None or row >= self.shape[0] or column >= self.shape[1]:
            return None
        number = int(self._merged[row, column])
        return None if number < 0 else self.merges[number]

    @cached_property
    def _spans(self) -> frozenset[tuple[int, int, int]]:
        return frozenset((area.left, area.right, area.top) for area in self.merges)

    @cached_property
    def readings(self) -> Readings:
        """What the texts can be read as, settled column by column."""
        return read_cells(self.values, self.kinds, self.hints)

    @property
    def looks(self) -> NDArray[np.uint8]:
        """Codes of `Look` (rows x columns); number cells are `NUMBER`, all other kinds `WORDS`."""
        return self.readings.looks

    @property
    def numbers(self) -> NDArray[np.float64]:
        """The number in each cell, texts that read as one included (rows x columns); NaN where there is none."""
        return self.readings.numbers

    @cached_property
    def data(self) -> NDArray[np.bool_]:
        """Where a cell could belong to a body: any kind but text, or a text that reads as a figure or a missing mark."""
        plain = (self.kinds >= Kind.NUMBER) | ((self.looks != Look.WORDS) & (self.looks != Look.CODE))
        return np.asarray(np.logical_and(plain, self.filled) | self._times())

    def _times(self) -> NDArray[np.bool_]:
        """Texts that are times of day, where they fill several columns: a timetable's body, whatever the file."""
        found = np.zeros(self.shape, np.bool_)
        if self.values.size > _MOST_TIMED:
            return found
        rows, columns = np.nonzero(self.kinds == Kind.TEXT)
        texts = self.values[rows, columns].tolist()
        timed = np.array([":" in text and _TIME.fullmatch(text.strip()) is not None for text in texts], np.bool_)
        found[rows[timed], columns[timed]] = True
        filled = self.filled.sum(axis=0)
        wide = (found.sum(axis=0) >= _MOSTLY_TIMED * filled) & (filled > 1)
        at = np.flatnonzero(wide)
        together = len(at) >= _TIMED_COLUMNS and bool(found[:, at[0] : at[-1] + 1].any(axis=0).all())
        return found if together else np.zeros(self.shape, np.bool_)

    @cached_property
    def covered(self) -> NDArray[np.bool_]:
        """Where a cell holds something, or a merge whose first cell does reaches over it."""
        if not self.merges:
            return self.filled
        covered = self.filled.copy()
        for area in self.merges:
            if self.filled[area.top, area.left]:
                covered[area.top : area.bottom + 1, area.left : area.right + 1] = True
        return covered

    def hinted(self, **hints: Any) -> Self:
        """The same sheet with more known of its texts (fields of `Hints`)."""
        return replace(self, hints=replace(self.hints, **hints))

    def formats(self, rows: int | None = None) -> Formats:
        """Formats of the first `rows` rows (all by default); empty where the file format has none."""
        return Formats() if self.look_up_formats is None else self.look_up_formats(rows)


@dataclass(frozen=True, eq=False)
class Report:
    """A file made for people: its sheets by name, each read when it is first asked for.

    Attributes:
        path: the file, as it was named.
        names: all sheet names in the file's order, hidden ones too.
        hidden: names of hidden and very hidden sheets, with which of the two.
        hashed: how to ask for the SHA-256 of the file's bytes; see `digest`.
        look_up_places: how to find the file's named places.
        said: what is said of the file itself: a name that does not fit its content, page heads that were set aside.
        lacks: what the file itself says that it should hold and does not; the proof does not hold with it.
        asks: what a person must decide about the file itself.
        read_as: what a person stated for it to be read so, as plain values: who reads it again must state the same.
        open_long: how to open a sheet, by its name, as a long one that is read whole columns at a time; None where none is.
    """

    path: str
    names: tuple[str, ...]
    load: Callable[[str], Sheet] = field(repr=False)
    hidden: dict[str, str] = field(default_factory=dict)
    hashed: Callable[[], str] | None = field(default=None, repr=False)
    look_up_places: Callable[[], dict[str, tuple[str, str]]] | None = field(default=None, repr=False)
    said: tuple[str, ...] = ()
    lacks: tuple[str, ...] = ()
    asks: tuple[str, ...] = ()
    read_as: dict[str, Any] = field(default_factory=dict)
    open_long: Callable[[str], Any] | None = field(default=None, repr=False)
    _read: dict[str, Sheet] = field(default_factory=dict, repr=False)

    def __getitem__(self, name: str) -> Sheet:
        if name not in self.names:
            raise KeyError(name)
        if name not in self._read:
            self._read[name] = without_dittos(self.load(name))
        return self._read[name]

    def __len__(self) -> int:
        return len(self.names)

    @property
    def digest(self) -> str:
        """SHA-256 of the file's bytes, hexadecimal; '' where there is no file. A large file's may have to be waited for."""
        return "" if self.hashed is None else self.hashed()

    @cached_property
    def places(self) -> dict[str, tuple[str, str]]:
        """Sheet and rectangle ("C4:F7") of the file's table objects and named ranges, by name; empty where it has none."""
        return {} if self.look_up_places is None else self.look_up_places()

    @property
    def shown(self) -> tuple[str, ...]:
        """Names of the sheets that are not hidden."""
        return tuple(name for name in self.names if name not in self.hidden)


def kinds_of(values: NDArray[np.object_]) -> NDArray[np.uint8]:
    """Kinds of cell values, by Python type; texts of nothing but blanks are blank.

    >>> kinds_of(np.array([["Gull", " ", 3.0, True]], dtype=object))
    array([[1, 0, 2, 5]], dtype=uint8)
    """
    if values.size and values.shape[1] < _WIDE:
        return _kinds_of_few(values)
    codes = np.empty(values.shape, np.uint8)
    for row, cells in enumerate(values.tolist()):
        types = list(map(type, cells))
        numbers = types.count(float)
        if numbers * 8 >= len(types) * 7 and numbers + types.count(str) == len(types):
            # Nearly all numbers, the common row: counting types is several times quicker than looking each up.
            codes[row] = Kind.NUMBER
            at = -1
            for _ in range(len(types) - numbers):
                at = types.index(str, at + 1)
                codes[row, at] = Kind.TEXT
        else:
            codes[row] = list(map(_KIND_OF.__getitem__, types))
        if numbers != len(types):
            codes[row, [at for at, cell in enumerate(cells) if cell.__class__ is str and not cell.strip()]] = Kind.BLANK
    return codes


def _kinds_of_few(values: NDArray[np.object_]) -> NDArray[np.uint8]:
    """The same for rows of few cells, all of them at once."""
    cells = values.ravel().tolist()
    codes = np.fromiter(map(_KIND_OF.__getitem__, map(type, cells)), np.uint8, len(cells))
    texts = np.flatnonzero(codes == Kind.TEXT).tolist()
    codes[[at for at in texts if not cells[at] or cells[at].isspace()]] = _BLANK
    return codes.reshape(values.shape)


def as_label(value: Any) -> str:
    r"""A cell's value as the label a person would read.

    >>> as_label(2031.0), as_label(dt.datetime(2031, 4, 1)), as_label("Foot \n passengers")
    ('2031', '2031-04-01', 'Foot passengers')
    """
    if isinstance(value, str):
        return neat(value)
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, dt.datetime):
        return value.date().isoformat() if value.time() == dt.time() else value.isoformat(sep=" ")
    if isinstance(value, (dt.date, dt.time)):
        return value.isoformat()
    return str(value)
