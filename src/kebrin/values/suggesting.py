"""What a column of texts most likely means, and the step that would standardise it: for people, and for tidying unaided.

A suggestion is conclusive only if every text in the column is read by it, and the evidence leaves no second reading.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.errors import ValuesError
from kebrin.grammar.reading import is_name
from kebrin.grammar.words import names_a_key, period_range, unknown_units
from kebrin.table import arrays
from kebrin.values.dates import language_of, read_dates
from kebrin.values.entries import find_lists, in_step
from kebrin.values.keys import clean, key
from kebrin.values.marking import flag_words
from kebrin.values.numbers import read_numbers
from kebrin.values.spellings import folded, plain_variants
from kebrin.values.texts import Texts, is_text

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table
    from kebrin.values.dates import Dates
    from kebrin.values.numbers import Numbers

# Of the texts of a column at least this share must read for a meaning to be likely at all.
_LIKELY = 0.6
# Words are dates by chance less often than they are numbers.
_HALF = 0.5
_MOST_CODES = 2000
#: Stands in a question for the file that the column is in.
TABLE = "TABLE"
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
        return _numbers(texts, column, read_numbers(texts, column))
    except ValuesError as error:
        if _digit_share(texts) <= _LIKELY:
            return None
        return _asked(error, Suggestion("numbers", {"number": column}), lambda answer: _numbers(
            texts, column, read_numbers(texts, column, **answer)
        ))  # fmt: skip


def _numbers(texts: Texts, column: str, read: Numbers) -> Suggestion | None:
    known, lost = texts.cells_of(~np.isnan(read.values)), texts.cells_of(read.unread)
    if not known or known < _LIKELY * (known + lost):
        return None
    used = [read.amounts[at] for at in read.used]
    if _is_identifier(texts, read.values):
        return Suggestion("identifiers", {}, "numbers with leading zeros: they are names and not amounts")
    if lost:
        return _with_others(texts, column, "number", "numbers", read.unread, read.convention.evidence)
    if used and all(amount is not None and is_name(amount) for amount in used):
        return Suggestion("identifiers", {}, "letters before numbers: they are names and not amounts")
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
    told = told and not unknown_units(units)
    why = read.convention.evidence or f"{known:,} cells are numbers"
    return Suggestion("numbers", step, why, conclusive=told)


def _asked(
    error: ValuesError, plain: Suggestion, answered: Callable[[dict[str, Any]], Suggestion | None]
) -> Suggestion:
    """A question with the answers to it; what the column would mean with the first of them is told too."""
    answers = tuple(dict(answer) for answer in error.answers)
    found, said = plain, [_in_words(error)]
    if answers:
        try:
            found = answered(answers[0]) or plain
        except ValuesError as another:
            said.append(_in_words(another))
            answers = tuple({**answer, **more} for answer in answers for more in another.answers or ({},))
    said += [found.question] if found.question else []
    return replace(found, question=". ".join(said), answers=answers, conclusive=False)


def _in_words(error: ValuesError) -> str:
    return f"{error.what.removeprefix('the column ')}: {error.why}. {error.do}"


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
        found = _dates(texts, column, read_dates(texts, column))
    except ValuesError as error:
        return _asked(error, Suggestion("dates", {"date": column}), lambda answer: _dates(
            texts, column, read_dates(texts, column, **answer)
        ))  # fmt: skip
    language = language_of(texts, column) if found is None else ""
    if language:
        return Suggestion(
            "dates", {"date": column, "languages": [language]}, f"every text is a date in {language!r}", conclusive=True
        )
    return found


def _dates(texts: Texts, column: str, read: Dates) -> Suggestion | None:
    known, lost = texts.cells_of(~read.unread & ~read.missing), texts.cells_of(read.unread)
    if not known or known < _HALF * (known + lost):
        return None
    if lost:
        return _with_others(texts, column, "date", "dates", read.unread, read.evidence)
    return Suggestion("dates", {"date": column}, read.evidence or read.words, conclusive=True)


def _with_others(texts: Texts, column: str, verb: str, meaning: str, unread: NDArray[np.bool_], why: str) -> Suggestion:
    """Numbers or dates among other texts: a few words alone may be marks for "no value", anything else is a mistake."""
    lost = texts.cells_of(unread)
    at = np.flatnonzero(unread)
    words = sorted({clean(str(texts.values[one].as_py())) for one in at[: _MOST_MARKS + 1].tolist()})
    shown = ", ".join(map(repr, words[:4]))
    bad = (
        f"{lost:,} cells can't be read as {meaning}" if lost > 1 else f"1 cell can't be read as a {meaning.rstrip('s')}"
    )
    if len(at) > _MOST_MARKS or any(any(map(str.isdigit, word)) or len(word) > _LONGEST_MARK for word in words):
        return Suggestion(
            meaning,
            {verb: column},
            why,
            f"{bad} ({shown}): state as missing what means no value, or correct the report",
        )
    return Suggestion(
        meaning, {verb: column, "missing": words}, why,
        f"{bad} ({shown}): do they mean that there is no value? Zero must be written as 0",
    )  # fmt: skip


def _as_flags(texts: Texts, column: str) -> Suggestion | None:
    said = {clean(str(text)).casefold() for text in texts.values.to_pylist()[:50]} - {""}
    if not said or len(texts) > 8 or not said <= flag_words(["en"]):
        return None
    blanks = texts.cells < len(texts.codes)
    answers = ({"blank": "no"}, {"blank": "missing"}) if blanks else ()
    asked = "does a blank cell mean no, or that nobody answered?" if blanks else ""
    why = f"it says {', '.join(sorted(said))} and nothing else"
    return Suggestion("yes and no", {"flag": column}, why, asked, answers=answers)


def _as_spellings(texts: Texts, column: str) -> Suggestion:
    said = [str(text) for text in texts.values.to_pylist()[:_MOST_CODES]]
    lists = find_lists(said)
    if lists is not None:
        signs = " and ".join(repr(sign.strip(" ")) for sign in lists.signs)
        why = f"{lists.cells:,} of {len(said):,} texts hold entries apart by {signs}, {lists.entries:,} different ones"
        return Suggestion("lists", {"split": column, "at": list(lists.signs)}, why, conclusive=lists.sure)
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
        asked = f"make a code list with: kebrin codes {TABLE} {column!r} -o codes.csv"
        return Suggestion("codes in several spellings", step, why, asked, conclusive=sure)
    if plain.unsure:
        shown = " and ".join(map(repr, plain.unsure[0]))
        asked = f"{shown} differ in case only: are they one code?"
        return Suggestion("codes in several spellings", step, "; ".join(whys), asked, conclusive=sure)
    return Suggestion("text", step, "; ".join(whys), conclusive=sure)


def suggestions(table: Table, names: Sequence[str] = ()) -> dict[str, Suggestion]:
    """What each text column (or some of them) likely means, columns of lists together with those in step with them."""
    found = {
        name: suggest(Texts.of(table.data.column(name)), name)
        for name in names or table.columns
        if is_text(table, name)
    }
    lists = [name for name, one in found.items() if one.meaning == "lists"]
    for name in lists:
        if found[name].meaning != "lists":
            continue
        at = found[name].step["at"]
        own = table.data.column(name).to_pylist()
        along = [
            other for other in lists
            if other != name and found[other].meaning == "lists" and in_step(own, table.data.column(other).to_pylist(), at)
        ]  # fmt: skip
        more = {"along": along} if along else {}
        amounts = [one for one in table.columns if one not in {name, *along} and _holds_amounts(table, one, found)]
        if amounts:
            step = {"detail": name, "into": f"{_plain_name(name)}_entries", "at": at, **more}
            asked = f"they become a table of their own, and {', '.join(amounts)} is not counted twice"
            found[name] = replace(found[name], step=step, question=asked, conclusive=False)
        else:
            found[name] = replace(found[name], step={**found[name].step, **more}, conclusive=found[name].conclusive)
        for other in along:
            found[other] = Suggestion("entries in step", {}, f"its cells hold as many entries as those of {name}")
    return found


def _holds_amounts(table: Table, name: str, found: Mapping[str, Suggestion]) -> bool:
    """Whether a column holds amounts, which must not be counted twice: a measure of numbers that is no key of the rows."""
    if table.measures and name not in table.measures and pa.types.is_dictionary(table.data.column(name).type):
        return False  # labels that are numbers are names
    if name in found:
        return found[name].meaning == "numbers"
    column = table.data.column(name)
    if str(column.type) != "double":
        return False
    numbers = arrays.floats_of(column)
    known = numbers[~np.isnan(numbers)]
    is_key = (names_a_key(name) or period_range(name) is not None) and bool((known % 1 == 0).all())
    return not is_key


def _plain_name(name: str) -> str:
    return re.sub(r"[\W_]+", "_", name.casefold()).strip("_") or "entries"
