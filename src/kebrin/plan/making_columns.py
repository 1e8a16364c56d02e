"""Steps that may make a wanted column of a table's own: what is part of a text, joined, a period, a flag, computed.

Each is proposed because the wanted cells look so beside the table's; whether it gives them is seen when it is taken.
"""

from __future__ import annotations

import re
from itertools import permutations
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.grammar.periods import period_name
from kebrin.table import arrays
from kebrin.values.instants import PLACES
from kebrin.work.standardising import LATEST_SHORT_YEAR

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.plan.seen import Seen

    Steps = tuple[dict[str, Any], ...]

# Forms of periods as they are written after a step, with the step's word for them.
_PERIODS = (
    ("month", re.compile(r"\d{4}-(?:0[1-9]|1[0-2])")), ("quarter", re.compile(r"\d{4}-Q[1-4]", re.IGNORECASE)),
    ("half-year", re.compile(r"\d{4}-H[12]", re.IGNORECASE)), ("week", re.compile(r"\d{4}-W\d\d", re.IGNORECASE)),
    ("fiscal year", re.compile(r"\d{4}/\d\d")), ("year", re.compile(r"(?:19|20|21)\d\d")),
)  # fmt: skip
_DATE = re.compile(r"\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4}|\d{1,2}\.? [^\W\d_]+ \d{4}")
_NUMERIC_DATE = re.compile(r"\d{1,4}[-./]\d{1,2}[-./]\d{1,4}")
_MONTH_AND_YEAR = r"([^\W\d_]{3,} \d{4})"
# Dates and periods within texts: what takes them out, and the step that reads them.
_WITHIN = (
    ("date", r"(\d{1,2}\.? [^\W\d_]{3,} \d{4})"), ("date", r"(\d{4}-\d\d-\d\d)"), ("date", r"(\d{1,2}[./]\d{1,2}[./]\d{4})"),
    ("date", r"(\d{8})"), ("period", _MONTH_AND_YEAR), ("period", r"(\d{4}-\d\d)"), ("period", r"([Qq][1-4] \d{4})"),
    ("period", r"((?:19|20|21)\d\d)"),
)  # fmt: skip
_DELIMITERS = ("; ", ";", ", ", ",", " / ", "/", " - ", " – ", "–", "-", " | ", "|", ": ", " ")
_MOST_PARTS = 6
_FLAGS = frozenset({"yes", "no", "true", "false", "y", "n", "ja", "nein", "oui", "non", "si", "sí"})
# Figures are turned into others of their size by these.
_SCALES = ("1000", "100", "10", "0.1", "0.01", "0.001", "1000000", "0.000001")
# So far apart are figures that are the same.
_SAME = 1e-9
# Of more columns of texts no pairs are tried.
_MOST_JOINED = 10
_MOST_COMPUTED = 8


def column_steps(seen: Seen) -> Iterator[Steps]:
    """Steps that make a column, for each wanted one that is lacking."""
    for at in seen.lacking:
        yield from _times(seen, at)
    for at in seen.words:
        yield from _flags(seen, at)
        yield from _parts(seen, at)
        yield from _joined(seen, at)
    for at in seen.figures:
        yield from computed(seen, at)
        yield from _compared(seen, at)


def _times(seen: Seen, at: int) -> Iterator[Steps]:
    """Dates and periods: of columns of dates, of texts, of what stands within texts."""
    said = seen.said(at)
    new = seen.free(seen.wanted.columns[at])
    of = next((kind for kind, form in _PERIODS if said and all(form.fullmatch(one) for one in said)), "")
    if of:
        for name in [name for name, kind in seen.kinds.items() if kind in {"date", "moment"}]:
            yield ({"period": name, "of": of, "into": new},)
        for name, texts in seen.texts.items():
            if period_name(texts) and not all(
                form.fullmatch(one) for one in texts for kind, form in _PERIODS if kind == of
            ):
                own = {} if of in {"month", "week"} else {"of": of}
                yield ({"period": name, **own, "into": new},)
                for year in _years(seen):
                    yield ({"period": name, **own, "year": year, "into": new},)
        yield from _within(seen, new, "period", {} if of in {"month", "year", "week"} else {"of": of})
    elif said and all(map(_DATE.fullmatch, said)):
        yield from _within(seen, new, "date", {})
        for name, texts in seen.texts.items():
            if all(map(_NUMERIC_DATE.fullmatch, texts)):  # which of its orders is meant the wanted cells say
                short = {"latest": LATEST_SHORT_YEAR} if not any(re.search(r"\d{4}", text) for text in texts) else {}
                yield from (({"date": name, "order": order, **short},) for order in PLACES)


def _years(seen: Seen) -> list[str]:
    return [name for name, texts in seen.texts.items() if all(re.fullmatch(r"\d{4}", text) for text in texts)]


def _within(seen: Seen, new: str, verb: str, options: dict[str, Any]) -> Iterator[Steps]:
    for name, texts in seen.texts.items():
        for own, pattern in _WITHIN:
            if own == verb and all(re.search(pattern, text) for text in texts):
                if any(match[0] != text for text in texts if (match := re.search(pattern, text))):
                    yield {"text": name, "pattern": pattern, "into": new}, {verb: new, **options}
                else:
                    yield ({verb: name, **options},)


def _flags(seen: Seen, at: int) -> Iterator[Steps]:
    """Yes and no, of a column with two texts."""
    if not {one.casefold() for one in seen.said(at)} <= _FLAGS:
        return
    for name, texts in seen.texts.items():
        if len(texts) == 2:
            yield ({"flag": name, "blank": "missing"},)
            for yes, no in permutations(texts):
                yield ({"flag": name, "yes": [yes], "no": [no], "blank": "missing"},)
        elif len(texts) == 1:
            yield ({"flag": name, "yes": texts, "blank": "no"},)


def _parts(seen: Seen, at: int) -> Iterator[Steps]:
    """Parts of texts: entries of a list as rows, parts between delimiters as columns, what stands between other words."""
    said = {one.casefold() for one in seen.said(at)}
    for name, texts in seen.texts.items():
        folded = [text.casefold() for text in texts]
        if not all(any(one in text and one != text for text in folded) or one in folded for one in said):
            continue
        yield from _around(seen, at, name, texts)
        for sign in _DELIMITERS:
            cut = [[part.strip() for part in text.split(sign)] for text in folded]
            if not said <= {part for parts in cut for part in parts} or max(map(len, cut)) < 2:
                continue
            if len({len(parts) for parts in cut}) == 1 and len(cut[0]) <= _MOST_PARTS:
                yield ({"split": name, "at": [sign.strip() or sign], "into": _names_of(seen, name, cut)},)
            if sign != " ":  # words are no entries of a list
                yield ({"split": name, "at": [sign.strip() or sign]},)


def _names_of(seen: Seen, name: str, cut: Sequence[Sequence[str]]) -> list[str]:
    """Names for the parts of a column: those of the wanted columns that say them."""
    names: list[str] = []
    for number, own in enumerate(zip(*cut, strict=True), 1):
        of = (
            seen.wanted.columns[at] for at in seen.words
            if {one.casefold() for one in seen.said(at)} <= set(own) and seen.wanted.columns[at] not in names
        )  # fmt: skip
        found = next(of, f"{name} {number}")
        names.append(found if found == name else seen.free(found))
    return names


def _around(seen: Seen, at: int, name: str, texts: Sequence[str]) -> Iterator[Steps]:
    """What stands between the same words in all texts of a column."""
    examples = []
    for one in seen.said(at):
        whole = re.compile(
            rf"(?<!\w){re.escape(one)}(?!\w)", re.IGNORECASE
        )  # a letter within a word is no part of a text
        found = next((match for text in texts if (match := whole.search(text)) and match[0] != text), None)
        if found is None:
            return
        examples.append((found.string[: found.start()], found.string[found.end() :]))
    before = _common([one[::-1] for one, _ in examples])[::-1]
    after = _common([one for _, one in examples])
    # Whole words: "rbour Hallan" stands behind "rbour" by chance, behind "harbour " for a reason.
    heads = [_plain(before[before.rindex(word) :]) for word in re.findall(r"\S+\s*$", before)] or [r"^"]
    tails = [_plain(word) for word in re.findall(r"^\s*\S+", after)] or [r"$"]
    pattern = f"{heads[0]}(.+?){tails[0]}"
    if all(re.search(pattern, text) for text in texts):
        yield ({"text": name, "pattern": pattern, "into": seen.free(seen.wanted.columns[at])},)


def _plain(text: str) -> str:
    """A text as a pattern, no more escaped than it must be, for people read it."""
    return re.escape(text).replace("\\ ", " ")


def _common(texts: Sequence[str]) -> str:
    """What some texts begin with alike."""
    first, last = min(texts), max(texts)
    end = next((at for at in range(min(len(first), len(last))) if first[at] != last[at]), min(len(first), len(last)))
    return first[:end]


def _joined(seen: Seen, at: int) -> Iterator[Steps]:
    """Two columns joined by the same sign."""
    said = seen.said(at)
    if not said or len(seen.texts) > _MOST_JOINED:
        return
    for first, last in permutations(seen.texts, 2):
        between = {_between(one, seen.texts[first], seen.texts[last]) for one in said}
        sign = between.pop()
        if not between and sign is not None:
            new = seen.free(seen.wanted.columns[at])
            yield ({"join": [first, last], "into": new, "between": sign, "keep": True},)


def _between(said: str, firsts: Sequence[str], lasts: Sequence[str]) -> str | None:
    head = max((one for one in firsts if said.startswith(one)), key=len, default="")
    rest = said[len(head) :]
    tail = max((one for one in lasts if rest.endswith(one)), key=len, default="")
    if not head or not tail or re.search(r"\w", between := rest[: len(rest) - len(tail)]):
        return None
    return between


def computed(seen: Seen, at: int) -> Iterator[Steps]:
    """Two columns added, subtracted, multiplied, divided; or one rounded or of another size; from two rows on."""
    rows = seen.rows
    if rows is None or len(rows) < 2 or len(seen.numbers) > _MOST_COMPUTED:
        return
    wanted = np.array([keys[at] if isinstance(keys[at], float) else np.nan for keys in seen.wanted.keys], np.float64)
    if np.isnan(wanted).any() or len(set(wanted.tolist())) < 2:
        return
    places, new = seen.places(at), seen.free(seen.wanted.columns[at])
    values = {name: arrays.floats_of(seen.table.data.column(name).cast(pa.float64()))[rows] for name in seen.numbers}

    def fits(found: Any) -> dict[str, int] | None:
        """The places that a formula must be rounded to, {} where none; None where it does not give what is wanted."""
        apart = np.abs(found - wanted)
        if np.all(apart <= _SAME * np.maximum(np.abs(wanted), 1.0)):
            return {}
        return {"places": places} if np.all(apart <= 0.5 * 10.0**-places + _SAME) else None

    for formula, found in _formulas(values):
        rounded = fits(found)
        if rounded is not None:
            yield ({"compute": new, "formula": formula, **rounded},)
    for first, last in permutations(values, 2):
        # In one column or the other ("In", "Out"): what is blank counts as nothing.
        one, other = (np.nan_to_num(values[name]) for name in (first, last))
        rounded = fits(one - other)
        if rounded is not None and np.isnan(values[first] - values[last]).any():
            zero = ({"first_of": [first], "otherwise": 0}, {"first_of": [last], "otherwise": 0})
            yield (*zero, {"compute": new, "formula": f"'{first}' - '{last}'", **rounded})


def _formulas(values: dict[str, Any]) -> Iterator[tuple[str, Any]]:
    with np.errstate(all="ignore"):
        for name, own in values.items():
            yield f"'{name}'", own
            for scale in _SCALES:
                yield f"'{name}' * {scale}", own * float(scale)
        for (first, one), (last, other) in permutations(values.items(), 2):
            yield f"'{first}' - '{last}'", one - other
            yield f"'{first}' / '{last}'", one / other
            yield f"'{first}' / '{last}' * 100", one / other * 100
            if first < last:
                yield f"'{first}' + '{last}'", one + other
                yield f"'{first}' * '{last}'", one * other


def _compared(seen: Seen, at: int) -> Iterator[Steps]:
    """Shares, places and running sums, over all rows or within a label; where all else is found."""
    if len(seen.lacking) > 1 or seen.rows is None or len(seen.numbers) > _MOST_COMPUTED:
        return
    if len(set(seen.keys(at))) < 2:
        return
    new, places = seen.free(seen.wanted.columns[at]), seen.places(at)
    rounded: dict[str, Any] = {"places": places} if places else {}
    whole = places == 0
    for name in seen.numbers:
        for within in ((), *((label,) for label in seen.known.values())):
            own: dict[str, Any] = {"into": new, **({"within": list(within)} if within else {})}
            yield ({"share": name, **own, **rounded},)
            yield ({"share": name, **own, "percent": True, **rounded},)
            if places:  # shares that are rounded together add up; each may be meant by itself
                whole_share = {**own, "into": seen.free(f"{new} unrounded")}
                shown = {"compute": new, "formula": f"'{whole_share['into']}'", **rounded}
                yield {"share": name, **whole_share}, shown
                yield {"share": name, **whole_share, "percent": True}, shown
            yield ({"running": name, **own},)
            if whole:
                yield ({"rank": name, **own},)
                yield ({"rank": name, **own, "rising": True},)
