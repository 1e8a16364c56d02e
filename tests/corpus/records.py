"""Lists of records with messy values, written as delimited text: a heading a column, a record a row, and no layout to find."""

from __future__ import annotations

import csv
import random
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

Texts = list[str]


def _amounts(chance: random.Random, count: int) -> Texts:
    return [f"{chance.uniform(-5000, 5000):,.2f}" for _ in range(count)]


def _days(chance: random.Random, count: int) -> Texts:
    return [f"{chance.randint(1, 28):02d}/{chance.randint(1, 12):02d}/2031" for _ in range(count)]


def _short_days(chance: random.Random, count: int) -> Texts:
    return [f"{chance.randint(1, 28)}.{chance.randint(1, 12)}.{chance.choice(('31', '2031'))}" for _ in range(count)]


def _lists(chance: random.Random, count: int) -> Texts:
    return ["; ".join(chance.sample(("Radio", "Medical", "Deck", "Boat"), chance.randint(1, 3))) for _ in range(count)]


def _ports(chance: random.Random, count: int) -> Texts:
    return chance.choices(("Hallan", "HALLAN", "hallan ", "Skarrow", " skarrow", "Brae"), k=count)


def _flags(chance: random.Random, count: int) -> Texts:
    return chance.choices(("yes", "no", "Y", "N", ""), k=count)


def _codes(chance: random.Random, count: int) -> Texts:
    return [f"{chance.randint(1, 999):04d}" for _ in range(count)]


def _marked(chance: random.Random, count: int) -> Texts:
    return [chance.choice((str(chance.randint(1, 90)), "closed", "n/a", "-")) for _ in range(count)]


def _money(chance: random.Random, count: int) -> Texts:
    return [f"{chance.choice('€£')} {chance.uniform(1, 99):.2f}{chance.choice(('', ' CR'))}" for _ in range(count)]


def _remarks(chance: random.Random, count: int) -> Texts:
    return chance.choices(("as counted", "see note", "North  Loop", "x"), k=count)


KINDS: dict[str, Callable[[random.Random, int], Texts]] = {
    "Due": _amounts, "Paid": _days, "Valid": _short_days, "Papers": _lists, "Port": _ports, "Card": _flags, "Permit": _codes,
    "Berth": _marked, "Fee": _money, "Remark": _remarks,
}  # fmt: skip
ODD = ("", "n/a", "?", "12.5O", "2031-02-30")


def write_records(path: Path, seed: int) -> tuple[list[str], int]:
    """Write one list; its headings, and how many records it has. At least one column holds words or dates."""
    chance = random.Random(seed)
    count = chance.randint(4, 30)
    names = chance.sample(list(KINDS), chance.randint(2, 6))
    if not set(names) & {"Paid", "Port", "Remark", "Papers"}:
        names.append("Remark")
    columns = [[f"Vessel {at}" for at in range(count)], *(KINDS[name](chance, count) for name in names)]
    for column in columns[1:]:
        if chance.random() < 0.15:
            column[chance.randrange(count)] = chance.choice(ODD)
    with path.open("w", encoding="utf-8", newline="") as out:
        writer = csv.writer(out, delimiter=chance.choice(",;"))
        writer.writerow(["Ticket", *names])
        writer.writerows(zip(*columns, strict=True))
    return ["Ticket", *names], count
