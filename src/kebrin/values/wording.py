"""Text: blanks, control characters and forms of letters made alike; what is between two marks, or fits a pattern."""

from __future__ import annotations

from typing import TYPE_CHECKING, Literal

from kebrin.errors import PlanError
from kebrin.values.keys import clean
from kebrin.values.marking import labels_of
from kebrin.values.named_parts import fitting
from kebrin.values.outcome import Outcome, finished, unread_of
from kebrin.values.spellings import spelled_like
from kebrin.values.texts import texts_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    import pyarrow as pa

    from kebrin.table import Table

_SHOWN = 4
Case = Literal["", "lower", "upper", "title"]


def text(
    table: Table, column: str, *, case: Case = "", spelled: Sequence[str] = (), between: Sequence[str] = (),
    pattern: str = "", without: Sequence[str] = (), into: str = "",
    unread: Literal["refuse", "blank"] = "refuse", written: str = "",
) -> Table:  # fmt: skip
    """Make the texts of a column alike in form, and take out of them what is wanted.

    Blanks at the ends, several blanks, no-break blanks and control characters always become single blanks or nothing,
    and letters their composed form (Unicode NFC).

    Args:
        table: the table.
        column: the column.
        case: lower, upper or title case; as it is by default.
        spelled: texts that differ from one of these in case and blanks alone take its form.
        between: two marks; what stands between the first of each is taken.
        pattern: a regular expression (RE2) with one group at most; what fits is taken.
        without: beginnings and ends that are dropped.
        into: a column to put the result into; the column itself by default.
        unread: whether texts without the marks, or that the pattern does not fit, refuse the proof, or may be blank.
        written: a column to keep the texts in, as written.

    >>> import pyarrow as pa
    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"quay": [" East  quay (E1)", "Old\u00a0pier (P2)"]}), ())
    >>> done = text(table, "quay", between=["(", ")"], into="code")
    >>> done.data.column("code").to_pylist()
    ['E1', 'P2']

    Raises:
        PlanError: there is no such column, or an option is wrong.
    """
    texts = texts_of(table, column, "text")
    said: list[str | None] = [clean(str(one)) for one in texts.values.to_pylist()]
    if between:
        if len(between) != 2 or not all(between):
            raise PlanError(
                "between takes two marks", why=f"it has {len(between)}", do='State both: between = ["(", ")"]'
            )
        said = [_between(one or "", between[0], between[1]) for one in said]
    if pattern:
        said = [None if one is None else next(iter(one.values())) for one in fitting(said, pattern, ["found"])]
    said = [None if one is None else _cased(_shorn(one, without), case) for one in said]
    if spelled:
        said = [None if one is None else like for one, like in zip(said, spelled_like(said, spelled), strict=True)]
    lost = [at for at, one in enumerate(said) if one is None and str(texts.values[at].as_py()).strip()]
    made = labels_of(texts, said)
    columns: dict[str, pa.Array | pa.ChunkedArray] = {into or column: made}
    if written:
        columns[written] = table.data.column(column)
    changed = sum(int(texts.counts[at]) for at, one in enumerate(said) if one != str(texts.values[at].as_py()))
    distinct = len({one for one in said if one})
    outcome = Outcome(
        "text", column, texts.cells, changed, unread=unread_of(texts, lost),
        note=f"{len(texts):,} distinct texts became {distinct:,}" + _alike(texts.values.to_pylist(), said) * bool(spelled),
    )  # fmt: skip
    return finished(table, columns, outcome, lenient=unread == "blank" or bool(into))


def _alike(before: Sequence[object], after: Sequence[str | None]) -> str:
    """Which texts took another's form, a few of them."""
    pairs = [f"{old!r} is now {new!r}" for old, new in zip(before, after, strict=True) if new and old != new]
    more = f" and {len(pairs) - _SHOWN:,} more" if len(pairs) > _SHOWN else ""
    return f": {', '.join(pairs[:_SHOWN])}{more}" if pairs else ""


def _between(text: str, first: str, last: str) -> str | None:
    start = text.find(first)
    stop = text.find(last, start + len(first)) if start >= 0 else -1
    return text[start + len(first) : stop].strip() if stop >= 0 else None


def _shorn(text: str, ends: Sequence[str]) -> str:
    for end in ends:
        text = text.removeprefix(end).removesuffix(end)
    return text.strip()


def _cased(text: str, case: Case) -> str:
    if case not in {"", "lower", "upper", "title"}:
        raise PlanError(f"case can't be {case!r}", do="State lower, upper or title")
    return {"": text, "lower": text.lower(), "upper": text.upper(), "title": text.title()}[case]
