"""What a column of texts most likely means, and the step that would standardise it: for people, and for tidying unaided.

A suggestion is conclusive only if every text in the column is read by it, and the evidence leaves no second reading.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.errors import ValuesError
from kebrin.table import Remark
from kebrin.values.dates import date, read_dates
from kebrin.values.keys import clean, key
from kebrin.values.marking import flag_words
from kebrin.values.numbers import number, read_numbers
from kebrin.values.texts import Texts

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.table import Table

_LIST_SIGNS = (";", ",", " / ", "|", "\n")
# Of the texts of a column at least this share must read for a meaning to be likely at all.
_LIKELY = 0.6
_MOST_CODES = 2000


@dataclass(frozen=True)
class Suggestion:
    """What a column likely means.

    Attributes:
        meaning: in a word or two: 'numbers', 'dates', 'yes and no', 'codes in several spellings', 'lists', 'text'.
        step: the step that would standardise it, verb first; empty if nothing needs doing.
        why: the evidence.
        question: what a person must answer first; '' if nothing.
        conclusive: whether tidying unaided may take the step.
    """

    meaning: str
    step: dict[str, Any] = field(default_factory=dict)
    why: str = ""
    question: str = ""
    conclusive: bool = False


def suggest(texts: Texts, column: str) -> Suggestion:
    """What the texts of one column likely mean.

    >>> texts = Texts.of(pa.chunked_array([["1.234,50", "(7,00)", "n/a"]]))
    >>> suggest(texts, "due").step, suggest(texts, "due").conclusive
    ({'number': 'due'}, True)
    """
    if not len(texts) or not int(texts.counts.sum()):
        return Suggestion("empty")
    for ask in (_as_dates, _as_numbers, _as_flags):
        found = ask(texts, column)
        if found is not None:
            return found
    return _as_spellings(texts, column)


def _as_numbers(texts: Texts, column: str) -> Suggestion | None:
    try:
        read = read_numbers(texts, column)
    except ValuesError as error:
        share = _digit_share(texts)
        return (
            Suggestion("numbers", {"number": column}, question=f"{error.what}: {error.why}. {error.do}")
            if share > _LIKELY
            else None
        )
    counts = texts.counts
    known = int(counts[~np.isnan(read.values)].sum())
    lost = int(counts[read.unread].sum())
    if not known or known < _LIKELY * (known + lost):
        return None
    used = [read.amounts[at] for at in read.used]
    if _is_identifier(texts, read.values):
        return Suggestion("identifiers", {}, "numbers with leading zeros: they are names and not amounts")
    if lost:
        shown = ", ".join(repr(str(texts.values[at].as_py())) for at in np.flatnonzero(read.unread).tolist()[:4])
        return Suggestion(
            "numbers", {"number": column}, read.convention.evidence,
            f"{lost:,} cells are no numbers ({shown}): state them as missing, or correct them",
        )  # fmt: skip
    currencies = {amount.currency for amount in used if amount is not None} - {""}
    units = {amount.unit for amount in used if amount is not None} - {""}
    step: dict[str, Any] = {"number": column}
    if len(currencies) > 1:
        step["currency"] = f"{column} currency"
    if len(units) > 1:
        step["unit"] = f"{column} unit"
    told = bool(read.convention.evidence) or any(
        amount is not None and (amount.negative or amount.currency or amount.percent != 1 or amount.mark)
        for amount in used
    )
    why = read.convention.evidence or f"{known:,} cells are numbers"
    return Suggestion("numbers", step, why, conclusive=told)


def _is_identifier(texts: Texts, values: np.ndarray) -> bool:
    """Whether some number has a leading zero before more digits, as in 007."""
    sample = texts.values.to_pylist()[:5000]
    return any(
        text[:1] == "0" and text[1:2].isdigit() for text, value in zip(sample, values.tolist(), strict=False) if value == value  # noqa: PLR0124
    )  # fmt: skip


def _digit_share(texts: Texts) -> float:
    sample = [str(text) for text in texts.values.to_pylist()[:2000]]
    return sum(any(map(str.isdigit, text)) for text in sample) / max(len(sample), 1)


def _as_dates(texts: Texts, column: str) -> Suggestion | None:
    try:
        read = read_dates(texts, column)
    except ValuesError as error:
        return Suggestion("dates", {"date": column}, question=f"{error.what}: {error.why}. {error.do}")
    counts = texts.counts
    known = int(counts[~read.unread & ~read.missing].sum())
    lost = int(counts[read.unread].sum())
    if not known or known < _LIKELY * (known + lost):
        return None
    if lost:
        shown = ", ".join(repr(str(texts.values[at].as_py())) for at in np.flatnonzero(read.unread).tolist()[:4])
        return Suggestion(
            "dates", {"date": column}, read.evidence, f"{lost:,} cells are no dates, or impossible ones ({shown})"
        )
    return Suggestion("dates", {"date": column}, read.evidence or read.words, conclusive=True)


def _as_flags(texts: Texts, column: str) -> Suggestion | None:
    said = {clean(str(text)).casefold() for text in texts.values.to_pylist()[:50]} - {""}
    if not said or len(texts) > 8 or not said <= flag_words(["en"]):
        return None
    blanks = bool((texts.codes < 0).any())
    step: dict[str, Any] = {"flag": column} | ({"blank": "missing"} if blanks else {})
    asked = "does a blank cell mean no, or that nobody answered?" if blanks else ""
    return Suggestion("yes and no", step, f"it says {', '.join(sorted(said))} and nothing else", asked)


def _as_spellings(texts: Texts, column: str) -> Suggestion:
    said = [str(text) for text in texts.values.to_pylist()[:_MOST_CODES]]
    sign = _list_sign(texts, said)
    if sign:
        return Suggestion("lists", {"split": column, "at": [sign]}, f"most of its cells hold entries apart by {sign!r}")
    keys = {key(text) or text for text in said}
    if len(texts) <= _MOST_CODES and len(keys) < len(said):
        more = len(said) - len(keys)
        return Suggestion(
            "codes in several spellings", {}, f"{len(said):,} spellings of {len(keys):,} names: {more:,} differ in case, "
            "accents, punctuation or the order of words alone", f"make a code list with: kebrin codes TABLE {column!r}",
        )  # fmt: skip
    uneven = sum(clean(text) != text for text in said)
    if uneven:
        return Suggestion("text", {"text": column}, f"{uneven:,} texts have stray blanks or control characters")
    return Suggestion("text")


def _list_sign(texts: Texts, said: Sequence[str]) -> str:
    """The sign between entries, if most cells have it and the entries of one cell are cells of their own elsewhere."""
    whole = {clean(text).casefold() for text in said}
    for sign in _LIST_SIGNS:
        several = [text for text in said if sign in text]
        if len(several) * 3 < len(said) or not several:
            continue
        entries = [clean(part).casefold() for text in several for part in text.split(sign)]
        again = sum(entry in whole for entry in entries) + len(entries) - len(set(entries))
        if again * 2 >= len(entries) and all(len(entry) <= 40 for entry in entries):
            return sign
    del texts
    return ""


def standardised(table: Table) -> tuple[Table, list[dict[str, Any]]]:
    """The table with every text measure standardised for which the evidence is conclusive, and the steps taken.

    Where it is not, the texts stay as they are and the question is put.
    """
    steps: list[dict[str, Any]] = []
    for name in table.measures:
        column = table.data.column(name)
        if not pa.types.is_string(column.type) or column.null_count == len(column):
            continue
        found = suggest(Texts.of(column), name)
        if found.conclusive and not found.question and ("number" in found.step or "date" in found.step):
            verb, options = next(iter(found.step)), dict(found.step)
            del options[verb]
            table = (number if verb == "number" else date)(table, name, **options)
            steps.append(found.step)
        elif found.meaning == "identifiers":
            table = table.with_remarks([one for one in table.remarks if not one.what.startswith(f"{name} stays")])
        elif found.question and found.meaning in {"numbers", "dates"}:
            kept = [one for one in table.remarks if not one.what.startswith(f"{name} stays")]
            asked = Remark("question", f"{name} stays text: {found.question}", count=len(column))
            table = table.with_remarks([*kept, asked])
    return table, steps
