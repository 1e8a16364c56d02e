"""Long texts: a file whose first part shows one steady table is held to it row by row, in batches of whole columns.

Steady means: one table, its headings above it, every label in the row that it labels, no totals, no sections. What the rest may
not hold (a total, headings said again, words among figures, rows of another width) is looked for in every batch; where it is
found the file is read whole instead, as a short one is.
"""

from __future__ import annotations

from collections import deque
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa

from kebrin.cells import DITTOS, neat
from kebrin.errors import KebrinError
from kebrin.grammar.moments import COMPACT_DATE
from kebrin.grammar.words import MAY_TOTAL, total_word, without_total_word
from kebrin.proof import BodyAccount
from kebrin.sources.long_text import LongRows, UnevenRowsError
from kebrin.table import arrays
from kebrin.unpivoting import Keep
from kebrin.values.plain_numbers import figures_of, without_marks
from kebrin.work.long_account import Account
from kebrin.work.long_columns import (
    as_kind,
    as_said,
    filled_rows,
    has_figures,
    speaks_of_others,
    woven,
)
from kebrin.work.steadiness import Steady, steady

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence
    from concurrent.futures import Future

    from numpy.typing import NDArray

    from kebrin.cells import Report, Sheet
    from kebrin.sources.long_text import LongText
    from kebrin.work.pieces import SheetWork

# Labels that are letters and digits in one piece ("S10432") are names; words for totals are looked for in all others.
_NAME = r"^[A-Za-z]{0,4}[-_/ ]?[0-9]+$"
_UNEVEN = r"^\s|\s$|\s\s|[^\S ]"
_AT_ONCE = 2
_SPACE, _BEYOND_ASCII = 0x20, 0x80
# Labels over the columns are made for so many rows more than are needed, since batches differ by a few.
_MORE = 64
_MIX = np.uint64(0x9E3779B97F4A7C15)
# Columns of so many distinct words or fewer are looked through once, not in every batch.
_FEW_WORDS = 2_000
_ALL_DATES = rf"^{COMPACT_DATE}$"
_FIGURE = r"^[+-]?\d[\d.,]*$"


@dataclass(frozen=True, eq=False)
class _Block:
    """What one batch gave: its rows of the table, its rows of the sheet, the records that are kept, and its account."""

    table: pa.Table
    rows: NDArray[np.int32]
    kept: NDArray[np.int64] | None
    bodies: dict[str, BodyAccount]
    keys: NDArray[np.uint64]


class Run(Account):
    """One reading of a long file: its batches as tables, their account taken."""

    def __init__(self, file: LongText | LongRows, found: Steady, work: SheetWork, plain_texts: frozenset[str]) -> None:
        super().__init__(file, found, work)
        self.plain_texts = plain_texts
        self.signs = self._signs(plain_texts)
        self._over: dict[str, pa.DictionaryArray] = {}
        self._plain_words: dict[str, set[str]] = {name: set() for name in found.measures}

    @property
    def likely(self) -> int:
        """How many records the file has, by its size and that of its first part."""
        ahead = self.file.starts[-1] - self.file.starts[self.found.first]
        rows = len(self.file.starts) - 1 - self.found.first
        return int(self.file.size / max(ahead, 1) * rows) * self.found.width

    def _signs(self, plain_texts: frozenset[str]) -> dict[str, str]:
        """The measures that hold figures, with the one decimal sign that their columns have ('' for none, '?' for several)."""
        table, decimals = self.found.piece.table, self.file.head.readings.decimals
        signs = {}
        for name, columns in self.found.measures.items():
            if pa.types.is_floating(table.data.column(name).type) and name not in plain_texts:
                own = {decimals.get(column, "") for column in columns.tolist() if column >= 0}
                settled = own - {""}
                signs[name] = "?" if len(settled) > 1 else next(iter(settled), "")
        return signs

    def tables(self) -> Iterator[pa.Table]:
        """The table's rows, a batch at a time; some batches are worked on while the next is read.

        Raises:
            UnevenRowsError: the rest of the file is not as its first part.
        """
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            waiting: deque[Future[_Block]] = deque()
            for columns, rows in self._batches():
                waiting.append(pool.submit(self._long, columns, rows))
                if len(waiting) > _AT_ONCE:
                    yield self._counted(waiting.popleft().result())
            while waiting:
                yield self._counted(waiting.popleft().result())
        count = sum(map(len, self.rows))
        if any(before < count for before, _ in self.file.odd) or any(
            has_figures(text, self.file.delimiter) for _, text in self.file.odd
        ):
            raise UnevenRowsError

    def _batches(self) -> Iterator[tuple[Sequence[pa.StringArray], NDArray[np.int32]]]:
        """The columns of each batch and the sheet's rows that they are; blank lines at the end are left off."""
        first, blank = self.found.first, 0
        used = {*self.found.labels.values(), *(at for own in self.found.measures.values() for at in own.tolist())}
        for columns in self.file.batches(first):
            if any(len(column) > column.null_count for at, column in enumerate(columns) if at not in used):
                raise UnevenRowsError  # a column that the first part does not have
            filled = filled_rows(columns)
            there = np.flatnonzero(filled)
            if len(there):
                if blank or (np.diff(there, prepend=-1) > 1).any():
                    raise UnevenRowsError  # a gap: what stands behind it may be another table
                blank = len(filled) - 1 - int(there[-1])
                own = columns if len(there) == len(filled) else [column.slice(0, len(there)) for column in columns]
                yield own, first + np.arange(len(there), dtype=np.int32)
            else:
                blank += len(filled)
            first += len(filled)

    def _counted(self, block: _Block) -> pa.Table:
        """The table of a batch, its account taken."""
        before = sum(map(len, self.rows)) * self.found.width
        self.rows.append(block.rows)
        self.keys.append(block.keys)
        if block.kept is not None or self.kept:  # nothing is to be noted as long as no cell is left out
            own = np.arange(len(block.rows) * self.found.width) if block.kept is None else block.kept
            self.kept += [] if self.kept else [np.arange(before)]
            self.kept.append(before + own)
        for name, body in block.bodies.items():
            self.bodies[name] = self.bodies[name].plus(body)
        return block.table

    def _long(self, columns: Sequence[pa.StringArray], rows: NDArray[np.int32]) -> _Block:
        found = self.found
        made: dict[str, pa.Array] = {}
        bodies: dict[str, BodyAccount] = {}
        values: dict[str, pa.Array] = {}
        for name, own in found.measures.items():
            values[name], bodies[name] = self._values(columns, name, own.tolist())
        kept = self._kept(columns)
        width = found.width
        keys = np.zeros(0 if found.piece.layout.listed else len(rows), np.uint64)
        for name, column in found.labels.items():
            codes, texts = self._labels(columns[column], column)
            if len(keys):
                hashes = np.fromiter(map(hash, texts.to_pylist()), np.int64, len(texts)).astype(np.uint64)
                keys = keys * _MIX + hashes[codes]
            full = np.repeat(codes, width) if width > 1 else codes
            made[name] = pa.DictionaryArray.from_arrays(arrays.codes32(full if kept is None else full[kept]), texts)
        for name in found.over:
            whole = self._tiled(name, len(rows))
            made[name] = whole if kept is None else whole.take(arrays.places(kept))
        for name, one in values.items():
            made[name] = one if kept is None else one.take(arrays.places(kept))
        order = found.piece.table.columns
        table = pa.Table.from_arrays([made[name] for name in order], names=list(order))
        return _Block(table, rows, kept, bodies, keys)

    def _tiled(self, name: str, rows: int) -> pa.DictionaryArray:
        """The labels over the columns for so many rows; they are the same for every row."""
        width = self.found.width
        known = self._over.get(name)
        if known is None or len(known) < rows * width:
            codes, texts = self.found.over[name]
            known = self._over[name] = arrays.labels(np.tile(codes, rows + _MORE), texts)
        return known.slice(0, rows * width)

    def _values(self, columns: Sequence[pa.StringArray], name: str, own: Sequence[int]) -> tuple[pa.Array, BodyAccount]:
        """The values of one measure, row by row, and their account."""
        if not self.file.head.textual:
            return self._typed(columns, name, own)
        kind = pa.float64() if name in self.signs else pa.string()
        texts = [columns[at] if at >= 0 else pa.nulls(len(columns[0]), pa.string()) for at in own]
        whole = texts[0] if len(texts) == 1 else pa.concat_arrays(texts)
        read = figures_of(whole, self.signs[name]) if name in self.signs else self._words(whole, name)
        if read is None:
            raise UnevenRowsError
        cells, missing = len(whole) - whole.null_count, read.null_count - whole.null_count
        total = arrays.sum_of(pa.chunked_array([read])) if kind == pa.float64() else 0.0
        return woven(read, len(own)), BodyAccount(cells, missing, total)

    def _typed(self, columns: Sequence[pa.Array], name: str, own: Sequence[int]) -> tuple[pa.Array, BodyAccount]:
        """The same of cells that have kinds: each of the kind that the column is of."""
        kind = self.found.piece.table.data.column(name).type
        cells = [columns[at] if at >= 0 else pa.nulls(len(columns[0]), kind) for at in own]
        whole = pa.concat_arrays([as_kind(one, kind) for one in cells])
        read = self._words(whole, name) if kind == pa.string() else whole
        count, missing = len(whole) - whole.null_count, read.null_count - whole.null_count
        total = arrays.sum_of(pa.chunked_array([read])) if kind == pa.float64() else 0.0
        return woven(read, len(own)), BodyAccount(count, missing, total)

    def _words(self, texts: pa.StringArray, name: str) -> pa.Array:
        """A column of words; figures among them are for a person to look at."""
        coded = texts.dictionary_encode()
        said = set(coded.dictionary.to_pylist()) if len(coded.dictionary) <= _FEW_WORDS else None
        if said is not None and said <= self._plain_words[name]:
            return texts  # most batches say what those before them said
        bare = self._looked_at(texts, coded, name)
        if said is not None and bare is texts:
            self._plain_words[name] |= said
        return bare

    def _looked_at(self, texts: pa.StringArray, coded: pa.DictionaryArray, name: str) -> pa.Array:
        """The same words, null where one is a mark for "no value"."""
        import pyarrow.compute as pc

        figures = name not in self.plain_texts and pc.any(pc.match_substring_regex(coded.dictionary, _FIGURE)).as_py()
        if figures and not pc.all(pc.match_substring_regex(coded.dictionary, _ALL_DATES)).as_py():
            raise UnevenRowsError
        maybe = coded.dictionary.filter(pc.match_substring_regex(coded.dictionary, MAY_TOTAL)).to_pylist()
        if any(total_word(text) and not without_total_word(text) for text in maybe):
            raise UnevenRowsError  # the row may be the sum of others
        if pc.any(pc.is_in(coded.dictionary, arrays.texts(sorted(DITTOS)))).as_py():
            raise UnevenRowsError  # it says what stands above it
        bare = without_marks(texts, coded)
        return texts if bare is None else bare

    def _kept(self, columns: Sequence[pa.Array]) -> NDArray[np.int64] | None:
        """The records with a cell that is not empty, None for all."""
        listed = self.found.piece.layout.listed
        if listed or not any(
            columns[at].null_count for own in self.found.measures.values() for at in own.tolist() if at >= 0
        ):
            return None
        there = np.zeros((len(columns[0]), self.found.width), np.bool_)
        for own in self.found.measures.values():
            for place, at in enumerate(own.tolist()):
                if at >= 0:
                    there[:, place] |= ~arrays.nulls_of(pa.chunked_array([columns[at]]))
        bare = np.logical_not(there.any(axis=1))
        self._refuse_heads(columns, bare)
        there[bare] = True  # or what labels the row would be lost
        if there.all() or self.found.keeps:
            return None
        return np.flatnonzero(there.ravel())

    def _refuse_heads(self, columns: Sequence[pa.Array], bare: NDArray[np.bool_]) -> None:
        """Refuse a label alone that may head what follows: the one of its row, and no name that is numbered."""
        import pyarrow.compute as pc

        if not bare.any() or len(self.found.labels) != 1:
            return
        (column,) = self.found.labels.values()
        alone = columns[column].take(arrays.places(np.flatnonzero(bare)))
        texts = alone if pa.types.is_string(alone.type) else as_said(alone)
        if not pc.all(pc.match_substring_regex(texts, _NAME)).as_py():
            raise UnevenRowsError

    def _labels(self, texts: pa.StringArray, column: int) -> tuple[NDArray[np.int32], pa.StringArray]:
        """The labels of one column as codes into the texts that the batch has; words for totals are refused."""
        import pyarrow.compute as pc

        if texts.null_count:
            raise UnevenRowsError  # whether it takes the label above can't be told from here
        coded = (texts if pa.types.is_string(texts.type) else as_said(texts)).dictionary_encode()
        distinct = coded.dictionary
        speak = distinct.filter(pc.invert(pc.match_substring_regex(distinct, _NAME)))
        # Whatever number a name has, it speaks alike.
        alike = pc.unique(pc.replace_substring_regex(speak, "[0-9]+", "1")).to_pylist()
        again = pc.is_in(speak, arrays.texts(self._heads(column)))
        if any(map(speaks_of_others, alike)) or pc.any(again).as_py():
            raise UnevenRowsError
        _, data = arrays.text_bytes(distinct)
        blank = bool(((data <= _SPACE) | (data >= _BEYOND_ASCII)).any())
        if blank and pc.any(pc.match_substring_regex(distinct, _UNEVEN)).as_py():
            distinct = arrays.texts([neat(text) for text in distinct.to_pylist()])
        return arrays.codes_of(coded).astype(np.int32), distinct

    def _heads(self, column: int) -> list[str]:
        head = self.file.head
        return [text for row in self.found.piece.layout.boxhead_rows if (text := head.text(row, column))]


def work_on_long(
    report: Report,
    name: str,
    work: Callable[[Sheet], tuple[Sheet, SheetWork]],
    keep: Keep | None = None,
) -> SheetWork | None:
    """The work on a long sheet of a report; None if it is none, or must be read whole.

    Args:
        report: the report.
        name: the sheet.
        work: what is done with its first part; it gives that part as it was read, and what came of it.
        keep: what is kept beyond the values, as for a sheet that is read whole.
    """
    run = begun(report, name, work, keep)
    if run is None:
        return None
    try:
        data = pa.concat_tables(list(run.tables())).unify_dictionaries()
    except UnevenRowsError:
        return None
    if run.sums_others(data):
        return None
    pa.default_memory_pool().release_unused()  # what the batches needed for a while is more than what they gave
    return run.finished(data)


def begun(
    report: Report,
    name: str,
    work: Callable[[Sheet], tuple[Sheet, SheetWork]],
    keep: Keep | None = None,
) -> Run | None:
    """A reading of a long text, its first part worked on; None if it is no long text, or shows no steady table."""
    file: LongText | LongRows | None = None if report.open_long is None else report.open_long(name)
    if file is None:
        return None
    try:
        head, first = work(file.head)
    except KebrinError:
        return None
    keep = keep or Keep()
    found = steady(head, first, keeps=keep.blanks == "keep")
    if found is not None and isinstance(file, LongRows) and not found.piece.layout.listed and file.is_dressed():
        return None
    return None if found is None else Run(replace(file, head=head), found, first, keep.texts)
