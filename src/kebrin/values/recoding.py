"""Recode: the texts of a column become codes of a list; what is unknown is listed with its nearest codes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

import numpy as np

from kebrin.errors import PlanError
from kebrin.table import Finding, FindingKind, arrays
from kebrin.values.codes import CodeList, Likely, read_codes, settled
from kebrin.values.outcome import Outcome, finished, place
from kebrin.values.texts import texts_of

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    import pyarrow as pa

    from kebrin.table import Table
    from kebrin.values.texts import Texts

Unknown = Literal["stop", "keep", "blank"]
_SHOWN = 8


def recode(
    table: Table, column: str, using: CodeList | str | Path | None = None, *, unknown: Unknown = "stop",
    likeness: float = 0.0, label: str = "", written: str = "", spelt: Mapping[str, str] | None = None,
) -> Table:  # fmt: skip
    """Replace the texts of a column by the codes of a list.

    Each distinct text is looked up as it stands, then by its key (case, accents, punctuation, width, order of words),
    then as code and label in one cell. What is still unknown gets proposals by likeness; they are applied only from a
    stated likeness on, and never where two codes are about equally near.

    Args:
        table: the table.
        column: the column.
        using: the code list, or its file; may be left out if `spelt` says all.
        unknown: whether unknown texts refuse the proof (they stay as they are), are kept, or blanked; all are listed.
        likeness: the least likeness (0 to 1) at which a proposal is applied; 0 applies none.
        label: a column to put the codes' labels into.
        written: a column to keep the texts in, as written.
        spelt: texts with what they stand for ("N" is North), instead of a list.

    >>> import pyarrow as pa
    >>> from kebrin.table import Table
    >>> codes = CodeList.of([("HAL", "Hallan", (), True), ("BRA", "Brae", (), True)])
    >>> table = Table(pa.table({"port": ["hallan", "Brae", "BRAE."]}), ())
    >>> recode(table, "port", codes).data.column("port").to_pylist()
    ['HAL', 'BRA', 'BRA']

    Raises:
        SourceError: the code list can't be read.
        PlanError: there is no such column, the list is wrong, or an option is.
    """
    if unknown not in {"stop", "keep", "blank"}:
        raise PlanError(f"unknown can't be {unknown!r}", do="State stop, keep or blank")
    if using is None and not spelt:
        raise PlanError(
            "recode needs a code list", do="State using, the list's file, or spelt, texts with their meaning"
        )
    codes = _spelt(spelt or {}) if using is None else using if isinstance(using, CodeList) else read_codes(using)
    texts = texts_of(table, column, "recode")
    said = [str(text) for text in texts.values.to_pylist()]
    found: list[str | None] = [codes.find(text) for text in said]
    blank = [not text.strip() for text in said]
    open_texts = [at for at, code in enumerate(found) if code is None and not blank[at]]
    likely = dict(zip(open_texts, codes.likely([said[at] for at in open_texts]), strict=True)) if open_texts else {}
    applied: list[int] = []
    for at, near in likely.items():
        code = settled(near, likeness) if likeness else None
        if code is not None:
            found[at] = code
            applied.append(at)
    strange = [at for at in open_texts if found[at] is None]
    new = [code if code is not None else None if empty or unknown == "blank" else text
           for code, text, empty in zip(found, said, blank, strict=True)]  # fmt: skip
    columns: dict[str, pa.Array | pa.ChunkedArray] = {column: _labels(texts, new)}
    if label:
        columns[label] = _labels(texts, [None if code is None else codes.labels[code] for code in found])
    if written:
        columns[written] = table.data.column(column)
    counts = texts.counts
    changed = sum(int(counts[at]) for at, code in enumerate(new) if code != said[at])
    outcome = Outcome(
        "recode", column, texts.cells, changed, convention=f"{len(codes.labels):,} codes",
        note=f"{len(said):,} spellings became {len(set(filter(None, new))):,}",
    )  # fmt: skip
    done = finished(table, columns, outcome)
    told = _by_likeness(column, said, counts.tolist(), applied, likely)
    return done.remarked([*told, *_strange(table, column, texts, strange, likely, unknown)])


def _spelt(spelt: Mapping[str, str]) -> CodeList:
    """A code list of texts and what they stand for."""
    others: dict[str, list[str]] = {}
    for text, meaning in spelt.items():
        others.setdefault(meaning, []).append(text)
    return CodeList.of([(meaning, meaning, tuple(texts), True) for meaning, texts in others.items()])


def _labels(texts: Texts, said: Sequence[str | None]) -> pa.Array:
    distinct = list(dict.fromkeys(text for text in said if text is not None))
    places = {text: at for at, text in enumerate(distinct)}
    codes = np.array([-1 if text is None else places[text] for text in said], np.int32)
    return arrays.labels(np.asarray(texts.spread(codes, -1), np.int32), distinct)


def _by_likeness(
    column: str, said: Sequence[str], counts: Sequence[int], applied: Sequence[int], likely: dict[int, list[Likely]]
) -> list[Finding]:
    if not applied:
        return []
    shown = ", ".join(
        f"{said[at]!r} as {likely[at][0].label!r} ({likely[at][0].likeness:.0%})" for at in applied[:_SHOWN]
    )
    cells = sum(int(counts[at]) for at in applied)
    more = f" and {len(applied) - _SHOWN:,} more" if len(applied) > _SHOWN else ""
    return [
        Finding(
            FindingKind.RECODE_BY_LIKENESS,
            f"{column}: {cells:,} cells were taken by likeness: {shown}{more}",
            count=cells,
        )
    ]


def _strange(
    table: Table, column: str, texts: Texts, strange: Sequence[int], likely: dict[int, list[Likely]], unknown: Unknown
) -> list[Finding]:
    if not strange:
        return []
    counts = texts.counts
    order = sorted(strange, key=lambda at: -int(counts[at]))
    shown = []
    for at in order[:_SHOWN]:
        near = " or ".join(f"{one.label!r} ({one.likeness:.0%})" for one in likely[at][:2])
        shown.append(f"{texts.values[at].as_py()!r} ({int(counts[at]):,}" + (f", near {near})" if near else ")"))
    more = f" and {len(order) - _SHOWN:,} more spellings" if len(order) > _SHOWN else ""
    cells = sum(int(counts[at]) for at in order)
    kept = {"stop": "stay as they are", "keep": "stay as they are", "blank": "are blank now"}[unknown]
    what = f"{column}: {cells:,} cells bear no known code and {kept}: {', '.join(shown)}{more}"
    places = tuple(place(table, column, row) for at in order[:_SHOWN] for row in texts.rows(at, 1))
    return [Finding(FindingKind.UNKNOWN_CODE, what, cells=places[:6], count=cells, breaks=unknown == "stop")]
