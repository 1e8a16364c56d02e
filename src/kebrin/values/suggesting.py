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
from kebrin.table.arrays import distinct_rows
from kebrin.values.dates import date, read_dates
from kebrin.values.keys import clean, key
from kebrin.values.marking import flag_words
from kebrin.values.numbers import number, read_numbers
from kebrin.values.spellings import folded, plain_variants
from kebrin.values.texts import Texts
from kebrin.values.wording import text

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

_LIST_SIGNS = (";", ",", " / ", "|", "\n")
# Of the texts of a column at least this share must read for a meaning to be likely at all.
_LIKELY = 0.6
_MOST_CODES = 2000
# Words in a column of numbers can be marks for "no value" if they are few, and short.
_MOST_MARKS, _LONGEST_MARK = 5, 24


@dataclass(frozen=True)
class Suggestion:
    """What a column likely means.

    Attributes:
        meaning: in a word or two: 'numbers', 'dates', 'yes and no', 'codes in several spellings', 'lists', 'text'.
        step: the step that would standardise it, verb first; empty if nothing needs doing.
        why: the evidence.
        question: what a person must answer first; '' if nothing.
        conclusive: whether tidying unaided may take the step.
        answers: the options that answer the question, one way each; a person chooses.
    """

    meaning: str
    step: dict[str, Any] = field(default_factory=dict)
    why: str = ""
    question: str = ""
    conclusive: bool = False
    answers: tuple[dict[str, Any], ...] = ()


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
        return _asked("numbers", {"number": column}, error) if share > _LIKELY else None
    counts = texts.counts
    known = int(counts[~np.isnan(read.values)].sum())
    lost = int(counts[read.unread].sum())
    if not known or known < _LIKELY * (known + lost):
        return None
    used = [read.amounts[at] for at in read.used]
    if _is_identifier(texts, read.values):
        return Suggestion("identifiers", {}, "numbers with leading zeros: they are names and not amounts")
    if lost:
        return _with_others(texts, column, "number", "numbers", read.unread, read.convention.evidence)
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


def _asked(meaning: str, step: dict[str, Any], error: ValuesError) -> Suggestion:
    said = f"{error.what.removeprefix('the column ')}: {error.why}. {error.do}"
    return Suggestion(meaning, step, question=said, answers=tuple(dict(answer) for answer in error.answers))


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
        return _asked("dates", {"date": column}, error)
    counts = texts.counts
    known = int(counts[~read.unread & ~read.missing].sum())
    lost = int(counts[read.unread].sum())
    if not known or known < _LIKELY * (known + lost):
        return None
    if lost:
        return _with_others(texts, column, "date", "dates", read.unread, read.evidence)
    return Suggestion("dates", {"date": column}, read.evidence or read.words, conclusive=True)


def _with_others(texts: Texts, column: str, verb: str, meaning: str, unread: NDArray[np.bool_], why: str) -> Suggestion:
    """Numbers or dates among other texts: a few words alone may be marks for "no value", anything else is a mistake."""
    lost = int(texts.counts[unread].sum())
    at = np.flatnonzero(unread)
    words = sorted({clean(str(texts.values[one].as_py())) for one in at[: _MOST_MARKS + 1].tolist()})
    shown = ", ".join(map(repr, words[:4]))
    are = f"{lost:,} cells are" if lost > 1 else "1 cell is"
    if len(at) > _MOST_MARKS or any(any(map(str.isdigit, word)) or len(word) > _LONGEST_MARK for word in words):
        return Suggestion(
            meaning, {verb: column}, why, f"{are} no {meaning}, or impossible ones ({shown}): state them as missing, or "
            "correct them",
        )  # fmt: skip
    return Suggestion(
        meaning, {verb: column, "missing": words}, why,
        f"{are} no {meaning} ({shown}): do they mean that there is no value? Zero must be written as 0",
    )  # fmt: skip


def _as_flags(texts: Texts, column: str) -> Suggestion | None:
    said = {clean(str(text)).casefold() for text in texts.values.to_pylist()[:50]} - {""}
    if not said or len(texts) > 8 or not said <= flag_words(["en"]):
        return None
    blanks = bool((texts.codes < 0).any())
    answers = ({"blank": "no"}, {"blank": "missing"}) if blanks else ()
    asked = "does a blank cell mean no, or that nobody answered?" if blanks else ""
    why = f"it says {', '.join(sorted(said))} and nothing else"
    return Suggestion("yes and no", {"flag": column}, why, asked, answers=answers)


def _as_spellings(texts: Texts, column: str) -> Suggestion:
    said = [str(text) for text in texts.values.to_pylist()[:_MOST_CODES]]
    sign = _list_sign(texts, said)
    if sign:
        return Suggestion("lists", {"split": column, "at": [sign]}, f"most of its cells hold entries apart by {sign!r}")
    if len(texts) > _MOST_CODES:
        return Suggestion("text")
    plain = plain_variants(dict(zip(said, texts.counts.tolist(), strict=True)))
    step: dict[str, Any] = {"text": column} if plain else {}
    if plain.forms:
        step["spelled"] = list(plain.forms)
    whys = [f"{len(plain.forms):,} names are written in several ways that differ in case and blanks alone"] * bool(
        plain.forms
    )
    whys += [f"{plain.uneven:,} texts have stray blanks or control characters"] * bool(plain.uneven)
    keys, same = {key(text) or text for text in said}, {folded(text) for text in said}
    # A line break inside a cell may part what belongs apart.
    sure = bool(plain) and not any("\n" in text for text in said)
    if len(keys) < len(same):
        why = f"{len(said):,} spellings of {len(keys):,} names: case, accents, punctuation or the order of words differ"
        asked = f"make a code list with: kebrin codes TABLE {column!r} -o codes.csv"
        return Suggestion("codes in several spellings", step, why, asked, conclusive=sure)
    if plain.unsure:
        shown = " and ".join(map(repr, plain.unsure[0]))
        asked = f"{shown} differ in case alone, which may mean something in so short a text"
        return Suggestion("codes in several spellings", step, "; ".join(whys), asked, conclusive=sure)
    return Suggestion("text", step, "; ".join(whys), conclusive=sure)


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
    """The table with every column standardised for which the evidence is conclusive, and the steps taken.

    Text measures become numbers or dates; names that differ in case and blanks alone take one form. Where the evidence
    is not conclusive, the texts stay as they are and the question is put.
    """
    steps: list[dict[str, Any]] = []
    for name in table.columns:
        kind = table.data.column(name).type
        if pa.types.is_dictionary(kind) and pa.types.is_string(kind.value_type):
            table, step = _with_plain_names(table, name)
        elif pa.types.is_string(kind) and name in table.measures:
            table, step = _with_read_measure(table, name)
        else:
            continue
        steps += [step] if step else []
    return table, steps


def _with_plain_names(table: Table, name: str) -> tuple[Table, dict[str, Any]]:
    texts = Texts.of(table.data.column(name))
    if len({folded(str(one)) for one in texts.values.to_pylist()[:_MOST_CODES]}) >= min(len(texts), _MOST_CODES):
        return table, {}
    return _with_one_form(table, name, suggest(texts, name))


def _with_read_measure(table: Table, name: str) -> tuple[Table, dict[str, Any]]:
    column = table.data.column(name)
    if column.null_count == len(column):
        return table, {}
    found = suggest(Texts.of(column), name)
    if found.conclusive and not found.question and ("number" in found.step or "date" in found.step):
        verb, options = next(iter(found.step)), dict(found.step)
        del options[verb]
        return (number if verb == "number" else date)(table, name, **options), found.step
    if found.meaning == "identifiers":
        return _answered(table, name), {}
    if found.question and found.meaning in {"numbers", "dates"}:
        asked = Remark("question", f"{name} stays text: {found.question}", count=len(column))
        return _answered(table, name).remarked([asked]), {}
    return _with_one_form(table, name, found)


def _with_one_form(table: Table, name: str, found: Suggestion) -> tuple[Table, dict[str, Any]]:
    """The table with the plain variants of a column in one form, unless rows would then bear the same labels."""
    if "text" not in found.step or not found.conclusive:
        return table, {}
    made = text(table, name, spelled=found.step.get("spelled", ()))
    if name in table.dimensions:
        labels = list(table.dimensions)
        if distinct_rows(made.data.select(labels)) < distinct_rows(table.data.select(labels)):
            what = (
                f"{name} has names that differ in case and blanks alone, on rows that would then bear the same labels"
            )
            return table.remarked([Remark("question", what, count=len(found.step.get("spelled", ())) or 1)]), {}
    return made, found.step


def _answered(table: Table, name: str) -> Table:
    """The table without what was asked about a column before its texts were looked at."""
    return table.with_remarks([one for one in table.remarks if not one.what.startswith(f"{name} stays")])
