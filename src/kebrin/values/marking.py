"""Missing marks and flags: what stands for "no value", and what stands for yes and no."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

import numpy as np
import pyarrow as pa

from kebrin.cells import MISSING_MARKS
from kebrin.errors import PlanError, ValuesError
from kebrin.table import arrays
from kebrin.values.keys import clean
from kebrin.values.outcome import Outcome, finished, unread_of
from kebrin.values.texts import Texts, texts_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

#: What usual marks mean, for a status column; others are called "missing" unless the plan says more.
MEANINGS = {
    "n/a": "not available", "na": "not available", "n.a.": "not available", "#n/a": "not available", "..": "not available",
    "...": "not available", "…": "not available", ":": "not available", ".": "not applicable", "x": "confidential",
}  # fmt: skip
_YES = {
    "en": "yes y true t on", "de": "ja j wahr", "fr": "oui o vrai", "es": "sí si s verdadero", "it": "sì si s vero",
    "pt": "sim s verdadeiro", "nl": "ja j waar", "sv": "ja j sant", "da": "ja j sand", "nb": "ja j sann", "fi": "kyllä k tosi",
    "pl": "tak t prawda",
}  # fmt: skip
_NO = {
    "en": "no n false f off", "de": "nein n falsch", "fr": "non n faux", "es": "no n falso", "it": "no n falso",
    "pt": "não nao n falso", "nl": "nee n onwaar", "sv": "nej n falskt", "da": "nej n falsk", "nb": "nei n usann",
    "fi": "ei e epätosi", "pl": "nie n fałsz",
}  # fmt: skip
_YES_SIGNS, _NO_SIGNS = ("1", "x", "✓", "✔", "☑", "1.0"), ("0", "✗", "✘", "☐", "0.0")


def missing(
    table: Table, column: str, *, marks: Sequence[str] | Mapping[str, str] = (), only: bool = False, status: str = "",
    written: str = "",
) -> Table:  # fmt: skip
    """Make the marks of one column that mean "no value" missing; they are never zero.

    Args:
        table: the table.
        column: the column, of texts, labels or numbers.
        marks: marks beside the usual ones, each with what it means if a status is kept; a number (`0`, `999`) only if it is
            stated here.
        only: whether only the stated marks count, not the usual ones.
        status: a column to put into why a value is missing ('not available', 'confidential', ...).
        written: a column to keep the texts in, as written.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"permit": ["P1", "---", "n/a", "c"]}), ())
    >>> missing(table, "permit", marks={"c": "confidential"}, status="why").data.to_pydict()
    {'permit': ['P1', None, None, None], 'why': [None, 'missing', 'not available', 'confidential']}

    Raises:
        PlanError: there is no such column.
    """
    stated = (
        dict(marks) if isinstance(marks, Mapping) else dict.fromkeys([marks] if isinstance(marks, str) else marks, "")
    )
    known = {mark.strip().casefold(): said for mark, said in stated.items()}
    if column in table.columns and pa.types.is_floating(table.data.column(column).type):
        return _missing_numbers(table, column, known)
    texts = texts_of(table, column, "missing")
    said = [clean(str(text)).casefold() for text in texts.values.to_pylist()]
    usual = MISSING_MARKS if not only else frozenset[str]()
    is_mark = np.array([not text or text in known or text in usual for text in said], np.bool_)
    why = [
        (known.get(text) or MEANINGS.get(text, "missing")) if mark else ""
        for text, mark in zip(said, is_mark, strict=True)
    ]
    kept = [None if mark else str(text) for text, mark in zip(texts.values.to_pylist(), is_mark, strict=True)]
    columns: dict[str, pa.Array | pa.ChunkedArray] = {column: labels_of(texts, kept)}
    if status:
        columns[status] = labels_of(texts, [text or None for text in why])
    if written:
        columns[written] = table.data.column(column)
    found = texts.cells_of(is_mark)
    shown = ", ".join(sorted({repr(str(texts.values[at].as_py())) for at in np.flatnonzero(is_mark).tolist()})[:6])
    outcome = Outcome(
        "missing", column, texts.cells, found, convention=f"the marks {shown}" if shown else "no mark",
        note=f"{found:,} cells are missing now",
    )  # fmt: skip
    return finished(table, columns, outcome)


def _missing_numbers(table: Table, column: str, known: Mapping[str, str]) -> Table:
    numbers = arrays.floats_of(table.data.column(column))
    wanted = []
    for mark in known:
        try:
            wanted.append(float(mark))
        except ValueError:
            continue
    out = np.isin(numbers, wanted)
    numbers[out] = np.nan
    said = Outcome("missing", column, int((~np.isnan(numbers)).sum() + out.sum()), int(out.sum()),
                   convention=f"the numbers {', '.join(known)}", note=f"{int(out.sum()):,} cells are missing now")  # fmt: skip
    return finished(table, {column: arrays.numbers(numbers)}, said)


def labels_of(texts: Texts, said: Sequence[str | None]) -> pa.Array:
    """A column of labels from one text (or none) per distinct text."""
    distinct = list(dict.fromkeys(text for text in said if text is not None))
    places = {text: at for at, text in enumerate(distinct)}
    codes = np.array([-1 if text is None else places[text] for text in said], np.int32)
    return arrays.labels(np.asarray(texts.spread(codes, -1), np.int32), distinct)


def flag(
    table: Table, column: str, *, yes: Sequence[str] = (), no: Sequence[str] = (), languages: Sequence[str] = ("en",),
    blank: Literal["", "missing", "no", "yes"] = "", labels: Sequence[str] = (),
    unread: Literal["refuse", "blank"] = "refuse", written: str = "",
) -> Table:  # fmt: skip
    """Read a column of texts as yes and no.

    Args:
        table: the table.
        column: the column.
        yes: texts that mean yes, beside the usual ones.
        no: texts that mean no, beside the usual ones.
        languages: the languages of the usual words.
        blank: what a blank cell means; it must be stated if there is one, for "never answered" and "no" differ.
        labels: two texts to write for yes and no; true and false by default.
        unread: whether other texts refuse the proof, or may be blank.
        written: a column to keep the texts in, as written.

    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"active": ["yes", "✓", "N", "0"]}), ())
    >>> flag(table, "active").data.column("active").to_pylist()
    [True, True, False, False]

    Raises:
        ValuesError: there are blanks and it is not stated what they mean.
        PlanError: there is no such column, a language is not known, or labels are not two.
    """
    if labels and len(labels) != 2:
        raise PlanError(
            "labels of a flag are two", why=f"there are {len(labels)}", do="State one for yes and one for no"
        )
    texts = texts_of(table, column, "flag")
    meaning = {**_words(_YES, _YES_SIGNS, languages, value=True), **_words(_NO, _NO_SIGNS, languages, value=False)}
    meaning |= {text.casefold(): True for text in yes} | {text.casefold(): False for text in no}
    said = [clean(str(text)).casefold() for text in texts.values.to_pylist()]
    nulls = len(table) - texts.cells + sum(int(texts.counts[at]) for at, text in enumerate(said) if not text)
    if nulls and not blank:
        raise ValuesError(
            f"the column {column!r} has {nulls:,} blank cells", why='"never answered" and "no" differ',
            do='State blank = "no" or blank = "missing"', answers=[{"blank": "no"}, {"blank": "missing"}],
        )  # fmt: skip
    empty = {"missing": -1, "no": 0, "yes": 1, "": -1}[blank]
    values = np.array([empty if not text else int(meaning[text]) if text in meaning else -2 for text in said], np.int8)
    full = np.asarray(texts.spread(values, empty), np.int8)
    columns: dict[str, pa.Array | pa.ChunkedArray] = {column: _flags(full, labels)}
    if written:
        columns[written] = table.data.column(column)
    outcome = Outcome(
        "flag", column, texts.cells, int((full >= 0).sum()), 0,
        unread_of(texts, np.flatnonzero(values == -2).tolist()),
        note=f"{int((full == 1).sum()):,} yes, {int((full == 0).sum()):,} no, {int((full == -1).sum()):,} missing",
    )  # fmt: skip
    return finished(table, columns, outcome, lenient=unread == "blank")


def _words(words: Mapping[str, str], signs: Sequence[str], languages: Sequence[str], *, value: bool) -> dict[str, bool]:
    found = dict.fromkeys(signs, value)
    for language in languages:
        if language not in words:
            raise PlanError(
                f"no words for yes and no are known for the language {language!r}", why=f"known are {', '.join(words)}",
                do="State the words themselves as yes and no",
            )  # fmt: skip
        found |= dict.fromkeys(words[language].split(), value)
    return found


def flag_words(languages: Sequence[str]) -> frozenset[str]:
    """All texts that usually mean yes or no."""
    return frozenset(
        {**_words(_YES, _YES_SIGNS, languages, value=True), **_words(_NO, _NO_SIGNS, languages, value=False)}
    )


def _flags(values: NDArray[np.int8], labels: Sequence[str]) -> pa.Array:
    if labels:
        codes = np.where(values == 1, 0, np.where(values == 0, 1, -1)).astype(np.int32)
        return arrays.labels(codes, list(labels))
    return arrays.flags(values == 1, values >= 0)
