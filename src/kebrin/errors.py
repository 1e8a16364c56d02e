"""What can go wrong, told as: what, where, why, and what to do next.

Every error of Kebrin's descends from `KebrinError` and carries its facts as attributes. The sentence that a
person reads is built here and nowhere else.
"""

from __future__ import annotations

from dataclasses import dataclass
from difflib import get_close_matches
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    Answers = Sequence[Mapping[str, object]]

__all__ = ["KebrinError", "LayoutError", "OutputError", "Place", "PlanError", "SourceError", "ValuesError", "nearest"]


@dataclass(frozen=True)
class Place:
    """Where something is: any of file, sheet, cell (A1) and line.

    >>> str(Place("traffic_2031.xlsx", sheet="North Loop", cell="C7"))
    "traffic_2031.xlsx, sheet 'North Loop', cell C7"
    """

    file: str = ""
    sheet: str = ""
    cell: str = ""
    line: int = 0

    def __str__(self) -> str:
        parts = [
            self.file,
            self.sheet and f"sheet {self.sheet!r}",
            self.cell and f"cell{'s' if ',' in self.cell or ':' in self.cell else ''} {self.cell}",
            self.line and f"line {self.line}",
        ]
        return ", ".join(str(part) for part in parts if part)


class KebrinError(Exception):
    """The root of all errors that Kebrin raises on purpose.

    Args:
        what: what is wrong, a clause without a full stop.
        where: the place of it.
        why: the reason, or what was found instead.
        do: the next step, a sentence or clause.
        answers: where a question is put, the options of a step that answer it, one way each.

    >>> print(SourceError("this is not a workbook", Place("x.xlsx"), why="it is a PDF", do="Export it as .xlsx"))
    x.xlsx: this is not a workbook: it is a PDF. Export it as .xlsx.
    """

    def __init__(
        self, what: str, where: Place | None = None, *, why: str = "", do: str = "", answers: Answers = ()
    ) -> None:
        self.what = what
        self.where = where or Place()
        self.why = why
        self.do = do
        self.answers = answers
        super().__init__(what, self.where, why, do)

    def __str__(self) -> str:
        place = str(self.where)
        said = f"{place}: {self.what}" if place else self.what[:1].upper() + self.what[1:]
        if self.why:
            said += f": {self.why}"
        said = _stopped(said)
        return f"{said} {_stopped(self.do)}" if self.do else said

    def __reduce__(self) -> tuple[object, ...]:
        # Errors cross process borders when workers run a plan; keyword-only arguments need help there.
        return (_again, (type(self), self.what, self.where, self.why, self.do, self.answers))


class SourceError(KebrinError):
    """A source can't be read: missing, not what its name says, damaged, locked, or without stored results."""


class LayoutError(KebrinError):
    """A sheet's layout can't be worked out, or what was stated about it is not what the sheet shows."""


class PlanError(KebrinError):
    """A plan, an option or an argument is wrong: an unknown key, a value of the wrong kind, a missing name."""


class ValuesError(KebrinError):
    """A column's values can be read in two ways, or in none: a question that a person answers by an option."""


class OutputError(KebrinError):
    """An output can't be written, or would be written over a source."""


def nearest(word: str, known: Iterable[str]) -> str:
    """The known word nearest to `word`, or an empty text if none is near.

    >>> nearest("boxhaed", ["boxhead", "stub"])
    'boxhead'
    """
    pairs = {name.casefold(): name for name in known}
    found = get_close_matches(word.casefold(), list(pairs), n=1, cutoff=0.6)
    return pairs[found[0]] if found else ""


def _stopped(text: str) -> str:
    return text if text.endswith((".", "?", "!")) else text + "."


def _again(kind: type[KebrinError], what: str, where: Place, why: str, do: str, answers: Answers) -> KebrinError:
    return kind(what, where, why=why, do=do, answers=answers)
