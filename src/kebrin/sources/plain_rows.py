"""Long runs of plain rows in a page: rows of cells that hold a text and nothing else, read whole columns at a time.

Wherever a parser stands in a table, a whole plain row leaves it where one plain row more would. So all but the first of a long
run are taken out before a page is parsed, and what the others are follows from what the first have become.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import islice
from typing import TYPE_CHECKING

import pyarrow as pa

from kebrin.sources.long_text import HEAD_ROWS, LONG_ROWS, LongRows, UnevenRowsError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from kebrin.cells import Sheet

# Attributes that say nothing of what a cell holds, reaches over, or whether it is shown.
_SAYS = r'(?: (?:class|align|valign|id|width|height|bgcolor)="[^"<>]*+")*+'
_ROW = rf"<tr{_SAYS}>\s*+(?:<td{_SAYS}>[^<&]*+</td>\s*+)++</tr>\s*+"
_RUN, _EACH = re.compile(rf"(?:{_ROW})++"), re.compile(_ROW)
_DRESSED = re.compile(r"<(t[dr]) [^>]*>")
_AROUND = re.compile(r"\s*(</?t[dr]>)\s*")
_BLANKS = re.compile(r"\s+")
_OTHER_BLANK = re.compile(r"[^\S \n\r\t]")
# Signs that a text of letters can do without: one parts cells here.
_PART = "\x1f"
_SEVERAL = 2
#: The identity of the last row of a run that its head keeps.
MARK = "last-of-the-first-rows"


@dataclass(frozen=True, eq=False)
class PlainRows:
    """A page with a long run of plain rows in it.

    Attributes:
        head: the page without the rest of the run; the last row that it keeps bears a mark, for it may stand in a remark.
        first: the cells of the run's first rows, which the head keeps.
        rest: the other rows, a line each, their cells parted by a sign.
    """

    head: str
    first: list[list[str]]
    rest: str

    @classmethod
    def of(cls, page: str) -> PlainRows | None:
        """The longest run of a page; None if it is short, its first rows differ in width, or odd blanks stand in it."""
        if page.count("<td") < _SEVERAL * LONG_ROWS:
            return None
        begin, end = max(
            (one.span() for one in _RUN.finditer(page)), key=lambda span: span[1] - span[0], default=(0, 0)
        )
        run = page[begin:end]
        if run.count("</tr>") < LONG_ROWS or _has_other_blanks(run):
            return None
        last, kept = next(islice(_EACH.finditer(run), HEAD_ROWS - 1, None)).span()
        first = [line.split(_PART) for line in _lines(run[:kept]).split("\n")]
        if len(first[0]) < _SEVERAL or any(len(row) != len(first[0]) for row in first):
            return None
        at = begin + last + len("<tr")
        head = f'{page[:at]} id="{MARK}"{page[at : begin + kept]}{page[end:]}'
        return cls(head, first, _lines(run[kept:]))

    def below(self, head: Sheet) -> LongRows | None:
        """The sheet of the whole page, by that of the head; None if the run's first rows are not its last ones."""
        begun = head.shape[0] - len(self.first)
        if begun < 0 or head.merges or head.values[begun:].tolist() != self.first:
            return None
        if any(row >= begun for row, _ in head.formats().bold):
            return None
        return LongRows(head, self.rest.count("\n") + 1, self._batches, lambda: False)

    def _batches(self) -> Iterator[list[pa.Array]]:
        import pyarrow.csv as arrow_csv

        names = [str(at) for at in range(len(self.first[0]))]
        try:
            yield from (
                batch.columns
                for batch in arrow_csv.open_csv(
                    pa.BufferReader(self.rest.encode()),
                    read_options=arrow_csv.ReadOptions(column_names=names, use_threads=False),
                    parse_options=arrow_csv.ParseOptions(
                        delimiter=_PART, quote_char=False, ignore_empty_lines=False
                    ),
                    convert_options=arrow_csv.ConvertOptions(
                        column_types=dict.fromkeys(names, pa.string()), null_values=[""], strings_can_be_null=True
                    ),
                )
            )  # fmt: skip
        except pa.ArrowInvalid as error:
            raise UnevenRowsError(str(error)) from error


def _has_other_blanks(run: str) -> bool:
    """Whether blanks stand in a text that may mean something, or the sign that parts cells here."""
    if run.isascii():
        return any(blank in run for blank in "\x0b\x0c\x1c\x1d\x1e\x1f")
    return _OTHER_BLANK.search(run) is not None


def _lines(rows: str) -> str:
    """Plain rows as a line each, blanks within a cell as one, and none around it."""
    if "<td " in rows or "<tr " in rows:
        rows = _DRESSED.sub(r"<\1>", rows)
    rows = rows.strip().replace("</tr>\n<tr>", "</tr><tr>")
    if any(sign in rows for sign in ("\n", "\r", "\t", "  ", "> ", " <")):
        rows = _BLANKS.sub(" ", _AROUND.sub(r"\1", rows))
    rows = rows.replace("</td></tr><tr><td>", "\n").replace("</td><td>", _PART)
    return rows.removeprefix("<tr><td>").removesuffix("</td></tr>")
