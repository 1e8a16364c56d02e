"""Cards: texts of nothing but keys and what they say, a line each, the same keys again for every record."""

from __future__ import annotations

import re
from collections import Counter
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Hints, Sheet, kinds_of
from kebrin.sources.lines import KEY, is_rule

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.sources.lines import Lines

_FEWEST = 2
# A line that only says what the next record is: "[berth]".
_BRACKETED = re.compile(r"\[[^\[\]]{1,40}\]")
_EQUALS = re.compile(r"\s*(?P<name>[^\W\d_][\w .-]{0,38}?)\s*=\s*(?P<value>[^\s=].*?)\s*")
# So many lines at most stand above the first card; a text of which the first lines hold no keys has none.
_MOST_ABOVE, _LOOKED_AT = 10, 200


def cards(lines: Lines, name: str, source: str) -> Sheet | None:
    r"""A text of cards as a sheet: what stands above them, the keys as headings, a row for each; None if it is none.

    A key that a card lacks is empty there. Each card begins with the first key of all.

    >>> from kebrin.sources.lines import lines_of
    >>> sheet = cards(lines_of("Vessel: Gull\nBuilt: 2001\n\nVessel: Tern\nHome: Brae\n"), "cards", "cards.txt")
    >>> sheet.values.tolist()
    [['Vessel', 'Built', 'Home'], ['Gull', '2001', ''], ['Tern', '', 'Brae']]
    """
    found = _parted(lines.texts)
    if found is None:
        return None
    first, records = found
    above = [text.strip() for text in lines.texts[:first] if text.strip() and not is_rule(text)]
    keys = list(dict.fromkeys(key for _, record in records for key in record))
    top = len(above) + bool(above)
    values = np.full((top + 1 + len(records), len(keys)), "", dtype=object)
    values[: len(above), 0] = above
    values[top] = keys
    for row, (_, record) in enumerate(records, top + 1):
        values[row] = [record.get(key, "") for key in keys]
    spots = [("", "")] * (top + 1) + [(lines.where(at), lines.texts[at]) for at, _ in records]
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    named = [text.strip() for text in lines.texts[first:] if _BRACKETED.fullmatch(text.strip())]
    told = (
        (f"lines that only name the next record, set aside: {len(named):,} (the first is {named[0]!r})",)
        if named
        else ()
    )
    aside = {"lines that only name the next record": len(named)} if named else {}
    return Sheet(
        name, values, kinds, source=source, textual=True, spots=spots, hints=Hints(heads=top), told=told, aside=aside
    )


def are_cards(texts: Sequence[str]) -> bool:
    """Whether lines are cards."""
    return _parted(texts) is not None


def _parted(texts: Sequence[str]) -> tuple[int, list[tuple[int, dict[str, str]]]] | None:
    """The first line of cards and each card with its first line; None if there are none, or anything else among them."""
    sign = next((sign for sign in (": ", "=") if sum(sign in text for text in texts[:_LOOKED_AT]) >= _FEWEST), "")
    if not sign:
        return None
    form = KEY if sign == ": " else _EQUALS
    pairs = [(match["name"].strip(), match["value"]) if (match := form.fullmatch(text)) else None for text in texts]
    count = Counter(pair[0] for pair in pairs if pair)
    first = next((at for at, pair in enumerate(pairs) if pair and count[pair[0]] >= _FEWEST), len(texts))
    if first > _MOST_ABOVE:
        return None
    records: list[tuple[int, dict[str, str]]] = []
    for at, (pair, text) in enumerate(zip(pairs[first:], texts[first:], strict=True), first):
        if pair is None and text.strip() and not is_rule(text) and not _BRACKETED.fullmatch(text.strip()):
            return None
        if pair is not None and (not records or pair[0] == next(iter(records[0][1]))):
            records.append((at, {}))
        if pair is not None:
            if pair[0] in records[-1][1]:
                return None
            records[-1][1][pair[0]] = pair[1]
    if len(records) < _FEWEST:
        return None
    same = {key for _, record in records for key in record}
    full = sum(2 * len(record) >= len(same) for _, record in records)
    return (first, records) if len(same) >= _FEWEST and full == len(records) else None
