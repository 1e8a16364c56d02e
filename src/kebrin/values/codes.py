"""Code lists: reading one, and finding each text's code."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.errors import Place, PlanError
from kebrin.sources import read
from kebrin.values.keys import clean, key, key_in_order

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from pathlib import Path

    from numpy.typing import NDArray

    from kebrin.cells import Sheet

#: What says that a line of a code list is accepted.
YES = {"yes", "y", "true", "1", "x"}
#: Of two candidates nearer than this neither is applied: the difference is within what a typing mistake makes.
TIE = 0.04
_NEAREST = 3
# Keys with most letter pairs in common that are scored, and the likeness below which one is not near at all.
_CANDIDATES, _LEAST = 24, 0.6
# From this likeness on a key is near enough for words not to be looked at in their own order too.
_NEAR = 0.92
# How many of the nearest keys are kept, and how many are asked about at a time.
_KEPT, _AT_ONCE = 6, 512
# Shortest key that likeness is asked about: between two or three letters everything is alike.
_SHORTEST = 4
#: What parts code and label in one cell.
PARTS = re.compile(r"\s*[()\[\]:;,/|–—]\s*|\s+-\s+|\s+")


class Likely(NamedTuple):
    """A code that a text may mean, and how alike they are (0 to 1)."""

    code: str
    label: str
    likeness: float


@dataclass(frozen=True, eq=False)
class CodeList:
    """Codes with their labels and spellings.

    Attributes:
        labels: label by code, in the list's order.
        exact: code by every text that stands in the list.
        by_key: code by key.
        proposed: spellings that are in the list but not accepted yet.
    """

    labels: dict[str, str]
    exact: dict[str, str]
    by_key: dict[str, str]
    proposed: dict[str, str] = field(default_factory=dict)
    file: str = ""

    @classmethod
    def of(cls, rows: Iterable[tuple[str, str, Sequence[str], bool]], *, file: str = "") -> CodeList:
        """A list from rows of code, label, spellings, and whether the spellings are accepted.

        Raises:
            PlanError: one code has two labels, or two codes have one spelling or key.
        """
        labels: dict[str, str] = {}
        exact: dict[str, str] = {}
        by_key: dict[str, str] = {}
        proposed: dict[str, str] = {}
        for code, label, spellings, accepted in rows:
            if labels.setdefault(code, label) != label:
                raise PlanError(
                    f"the code {code!r} has two labels",
                    Place(file),
                    why=f"{labels[code]!r} and {label!r}",
                    do="Keep one of them",
                )
            if not accepted:
                proposed |= dict.fromkeys(spellings, code)
            for text in (code, label, *(spellings if accepted else ())):
                _claim(exact, text, code, file, "the spelling")
                if key(text):
                    _claim(by_key, key(text), code, file, "the key (case, accents, order of words apart)")
        return cls(labels, exact, by_key, proposed, file)

    def find(self, text: str) -> str | None:
        """The code of a text: as it stands, by its key, or with code and label in one cell.

        >>> codes = CodeList.of([("HAL", "Hallan", (), True), ("WN", "Wick of Ness", (), True)])
        >>> codes.find("hallan "), codes.find("Ness, Wick of"), codes.find("WN – Wick of Ness"), codes.find("Halan")
        ('HAL', 'WN', 'WN', None)
        """
        bare = clean(text)
        found = self.exact.get(bare) or self.by_key.get(key(bare))
        return found or self._both(bare)

    def _both(self, text: str) -> str | None:
        """The code of a cell that holds code and label, one before the other."""
        for part in (part for part in PARTS.split(text) if part):
            code = self.exact.get(part)
            if code is not None and part == code and key(text) == key(f"{code} {self.labels[code]}"):
                return code
        return None

    def likely(self, texts: Sequence[str]) -> list[list[Likely]]:
        """For each text the codes that it may mean, the likeliest first."""
        # A code with figures in it is near hundreds of others, and tells nothing.
        numbered = {key(code) for code in self.labels if any(map(str.isdigit, code))}
        known = [one for one in self.by_key if one not in numbered or one == key(self.labels[self.by_key[one]])]
        found = [
            [(self.by_key[other], score) for other, score in near]
            for near in nearest_keys([key(text) for text in texts], known)
        ]
        # A slip in a word's first letter moves it in the order of words: what is not near yet is held in its own order.
        far = [at for at, near in enumerate(found) if " " in texts[at].strip() and (not near or near[0][1] < _NEAR)]
        ordered = {key_in_order(text): code for text, code in self.exact.items() if key(text) not in numbered}
        for at, near in zip(far, nearest_keys([key_in_order(texts[at]) for at in far], list(ordered)), strict=True):
            found[at] = sorted([*found[at], *((ordered[one], score) for one, score in near)], key=lambda one: -one[1])
        return [self._likely(near) for near in found]

    def _likely(self, near: Sequence[tuple[str, float]]) -> list[Likely]:
        best: dict[str, float] = {}
        for code, score in near:
            best.setdefault(code, score)
        return [Likely(code, self.labels[code], score) for code, score in list(best.items())[:_NEAREST]]


def nearest_keys(keys: Sequence[str], known: Sequence[str], least: float = _LEAST) -> list[list[tuple[str, float]]]:
    """For each key the known ones near it with their likeness (0 to 1), the nearest first; all are scored at once.

    >>> nearest_keys(["halan", "xy"], ["hallan", "brae"])  # doctest: +ELLIPSIS
    [[('hallan', 0.909090...)], []]
    """
    from rapidfuzz import fuzz, process

    near: list[list[tuple[str, float]]] = [[] for _ in keys]
    asked = [at for at, one in enumerate(keys) if len(one) >= _SHORTEST]
    for start in range(0, len(asked) if known else 0, _AT_ONCE):
        block = asked[start : start + _AT_ONCE]
        scores = process.cdist(
            [keys[at] for at in block], known, scorer=fuzz.ratio, score_cutoff=100 * least, dtype=np.float32, workers=-1
        )
        at = np.flatnonzero(scores.ravel() > 0)
        row, column, likeness = at // len(known), at % len(known), scores.ravel()[at]
        order = np.lexsort((column, -likeness, row))
        row = row[order]
        first = np.arange(len(row)) - np.searchsorted(row, row) < _KEPT
        chosen = order[first]
        for own, other, score in zip(
            row[first].tolist(), column[chosen].tolist(), likeness[chosen].tolist(), strict=True
        ):
            near[block[own]].append((known[other], score / 100))
    return near


class Near:
    """Keys to be asked which of them are near a text: letter pairs in common pick a few, and only these are scored.

    >>> Near(["hallan", "brae", "ness of wick"]).to("halan")[0][0]
    'hallan'
    """

    def __init__(self, keys: Sequence[str]) -> None:
        self.keys: list[str] = []
        self.places: dict[str, list[int]] = {}
        self._arrays: dict[str, NDArray[np.int32]] = {}
        for one in keys:
            self.add(one)

    def add(self, one: str) -> None:
        """One more key."""
        for pair in _pairs(one):
            self.places.setdefault(pair, []).append(len(self.keys))
        self.keys.append(one)

    def to(self, text: str, least: float = _LEAST) -> list[tuple[str, float]]:
        """The keys near a text with their likeness (0 to 1), the nearest first; texts too short are near nothing."""
        from rapidfuzz import fuzz

        found = [self._array(pair) for pair in _pairs(text) if pair in self.places]
        if len(text) < _SHORTEST or not found:
            return []
        shared = np.bincount(np.concatenate(found), minlength=len(self.keys))
        few = (
            np.argpartition(shared, -_CANDIDATES)[-_CANDIDATES:]
            if len(shared) > _CANDIDATES
            else np.arange(len(shared))
        )
        scored = [(self.keys[at], fuzz.ratio(text, self.keys[at]) / 100) for at in few.tolist() if shared[at]]
        return sorted((one for one in scored if one[1] >= least), key=lambda one: -one[1])

    def _array(self, pair: str) -> NDArray[np.int32]:
        """The places of a pair as an array, made anew only when keys have come."""
        listed = self.places[pair]
        if pair not in self._arrays or len(self._arrays[pair]) != len(listed):
            self._arrays[pair] = np.array(listed, np.int32)
        return self._arrays[pair]


def _pairs(text: str) -> set[str]:
    """The pairs of neighbouring letters, its ends among them."""
    padded = f" {text} "
    return {padded[at : at + 2] for at in range(len(padded) - 1)}


def settled(likely: Sequence[Likely], least: float) -> str | None:
    """The one code that is alike enough, or None; of two near ones neither.

    >>> settled([Likely("HAL", "Hallan", 0.92)], 0.9), settled([Likely("A", "", 0.92), Likely("B", "", 0.9)], 0.9)
    ('HAL', None)
    """
    if not likely or likely[0].likeness < least:
        return None
    return likely[0].code if len(likely) == 1 or likely[0].likeness - likely[1].likeness > TIE else None


def _claim(taken: dict[str, str], text: str, code: str, file: str, what: str) -> None:
    if taken.setdefault(text, code) != code:
        raise PlanError(
            f"two codes share {what} {text!r}", Place(file), why=f"{taken[text]!r} and {code!r}",
            do="Change one of them in the code list, or take it out",
        )  # fmt: skip


def read_codes(path: str | Path) -> CodeList:
    """Read a code list: a column `code`, one `label`, and any others with further spellings.

    A list that `kebrin codes` proposed has a spelling a line and a column `accepted`; only accepted spellings count.

    Raises:
        SourceError: the file can't be read.
        PlanError: it has no column `code`, a code without a text, two labels for a code, or two codes for a spelling.
    """
    report = read(path)
    sheet = report[report.shown[0]]
    heads = [sheet.text(0, column).casefold() for column in range(sheet.shape[1])] if sheet.shape[0] else []
    if "code" not in heads:
        raise PlanError(
            "this is no code list", Place(str(path)), why=f"its columns are {', '.join(heads) or 'none'}",
            do="Give it a column named code, one named label, and any others for further spellings",
        )  # fmt: skip
    return CodeList.of(_rows(sheet, heads, str(path)), file=str(path))


def _rows(sheet: Sheet, heads: Sequence[str], file: str) -> list[tuple[str, str, tuple[str, ...], bool]]:
    at = heads.index("code")
    label = heads.index("label") if "label" in heads else at
    accepted = heads.index("accepted") if "accepted" in heads else -1
    others = [column for column, head in enumerate(heads) if head not in {"code", "label", "cells", "accepted"}]
    rows = []
    for row in range(1, sheet.shape[0]):
        texts = [clean(sheet.text(row, column)) for column in range(len(heads))]
        if not any(texts):
            continue
        if not texts[at]:
            raise PlanError(
                "a line of the code list has no code", Place(file, cell=f"A{row + 1}"), do="Give it one, or delete it"
            )
        yes = accepted < 0 or texts[accepted].casefold() in YES
        rows.append(
            (texts[at], texts[label] or texts[at], tuple(texts[column] for column in others if texts[column]), yes)
        )
    return rows
