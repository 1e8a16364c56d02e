"""Propose a code list from the spellings in a column, for a person to edit and accept."""

from __future__ import annotations

import csv
import re
from collections import Counter
from dataclasses import dataclass
from typing import TYPE_CHECKING

from kebrin.errors import Place, PlanError, SourceError
from kebrin.values.codes import PARTS, TIE, YES, Near
from kebrin.values.keys import clean, key

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    import numpy as np

HEADER = ("code", "label", "spelling", "cells", "accepted")
_CODE = re.compile(r"(?=[^a-z]*[A-Z])[A-Z0-9]{2,6}")


@dataclass(frozen=True)
class Line:
    """One line of a proposed code list: a spelling, the code and label proposed for it, and how many cells bear it."""

    code: str
    label: str
    spelling: str
    cells: int
    accepted: bool = False


def propose(counts: Mapping[str, int], known: Sequence[Line] = (), *, least: float = 0.86) -> list[Line]:
    """A code list from the spellings in a column: groups by key, then by likeness to a group's commonest spelling.

    A spelling joins a group only by its likeness to the group's own centre, never by way of another spelling. Where a cell
    holds a code and a label that stand alone elsewhere ("HAL Hallan"), the code is taken, and what bears it joins the
    label; so does an abbreviation that would be the code of one label only. Lines that are accepted already are kept as they are.

    >>> [(line.label, line.spelling) for line in propose({"Hallan": 9, "hallan": 2, "Halan": 1, "Brae": 5})]
    [('Brae', 'Brae'), ('Hallan', 'Hallan'), ('Hallan', 'hallan'), ('Hallan', 'Halan')]
    """
    kept = {line.spelling: line for line in known if line.accepted}
    by_key: dict[str, Counter[str]] = {}
    for text, count in counts.items():
        by_key.setdefault(key(text) or text, Counter())[text] += count
    near = Near([key(line.label) for line in kept.values()])
    order = sorted(by_key, key=lambda one: (-by_key[one].total(), one))
    centres: dict[str, tuple[str, str]] = {key(line.label): (line.code, line.label) for line in kept.values()}
    lines = dict(kept)
    codes, means = _stated_codes(by_key)
    for own in sorted(order, key=lambda one: (one in means, _is_code(by_key[one]))):
        own_centre = means.get(own, own)
        centre = own_centre if own_centre in centres else ""
        if not centre and _is_code(by_key[own]):
            centre = _abbreviated(clean(next(iter(by_key[own]))), centres)
        likely = near.to(own, least) if not centre else []
        if likely and (len(likely) == 1 or likely[0][1] - likely[1][1] > TIE):
            centre = likely[0][0]
        if not centre:
            label = clean(by_key[own].most_common(1)[0][0])
            centre = own
            near.add(own)
            taken = {code for code, _ in centres.values()} | set(codes.values())
            centres[own] = (codes.get(own) or _code(label, taken), label)
        code, label = centres[centre]
        for text, count in by_key[own].items():
            old = lines.get(text)
            lines[text] = (
                Line(code, label, text, count) if old is None else Line(old.code, old.label, text, count, accepted=True)
            )
    return sorted(lines.values(), key=lambda line: (line.label.casefold(), -line.cells, line.spelling))


def _stated_codes(by_key: Mapping[str, Counter[str]]) -> tuple[dict[str, str], dict[str, str]]:
    """Codes that stand beside their label in one cell: the code by the label's key, and the label's key by other keys.

    A code is capitals and digits, its label stands in a cell of its own too, and neither is paired with another.
    """
    pairs: dict[str, set[str]] = {}
    both: dict[str, tuple[str, str]] = {}
    for own, texts in by_key.items():
        for text in texts:
            for part in filter(_CODE.fullmatch, PARTS.split(clean(text))):
                label = " ".join(sorted([one for one in own.split() if one != key(part)]))
                if label in by_key and label != own:
                    pairs.setdefault(label, set()).add(part)
                    both[own] = (label, part)
    labels = {label: next(iter(parts)) for label, parts in pairs.items() if len(parts) == 1}
    shared = Counter(labels.values())
    codes = {label: code for label, code in labels.items() if shared[code] == 1 and label not in both}
    means = {own: label for own, (label, code) in both.items() if codes.get(label) == code}
    return codes, means | {key(code): label for label, code in codes.items() if key(code) in by_key}


def _is_code(texts: Mapping[str, int]) -> bool:
    return all(_CODE.fullmatch(clean(text)) for text in texts)


def _abbreviated(text: str, centres: Mapping[str, tuple[str, str]]) -> str:
    """The key of the one label whose code a text is; '' if there is none, or another label would have the same."""
    own = [key for key, (code, _) in centres.items() if code == text]
    others = [code for code, _ in centres.values() if code != text and code.rstrip("0123456789") == text]
    return own[0] if own and not others else ""


def _code(label: str, taken: set[str]) -> str:
    """A short code from a label: its first letters, numbered if they are taken."""
    letters = re.sub(r"[^A-Z0-9]", "", key(label).upper().replace(" ", "")) if " " not in label else "".join(
        word[0] for word in re.split(r"[\W_]+", label.upper()) if word
    )  # fmt: skip
    base = (letters or "X")[:3]
    code, number = base, 2
    while code in taken:
        code, number = f"{base}{number}", number + 1
    return code


def read_proposal(path: Path) -> list[Line]:
    """The lines of a proposed code list that a person may have edited; none if there is no such file.

    Raises:
        PlanError: the file is no such list.
    """
    if not path.exists():
        return []
    try:
        with path.open(encoding="utf-8-sig", newline="") as lines:
            rows = list(csv.DictReader(lines))
    except (OSError, UnicodeDecodeError, csv.Error) as error:
        raise SourceError("the code list can't be read", Place(str(path)), why=str(error)) from None
    if rows and not set(HEADER) <= set(rows[0]):
        raise PlanError(
            "this is no proposed code list", Place(str(path)), why=f"its columns are not {', '.join(HEADER)}",
            do="Name another file to write",
        )  # fmt: skip
    return [
        Line(row["code"], row["label"], row["spelling"], 0, accepted=row["accepted"].strip().casefold() in YES)
        for row in rows
    ]


def counted(texts: Sequence[str], counts: Sequence[int] | np.ndarray) -> dict[str, int]:
    """How many cells bear each text, blanks left out."""
    return {text: int(count) for text, count in zip(texts, counts, strict=True) if text.strip()}
