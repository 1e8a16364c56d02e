"""How often recoding is right: `python benchmarks/recode_accuracy.py [SEED]`.

30,000 spellings of 5,000 names, half in another case or order, half with one to three slips; the plain way takes the
likeliest name from 85% on. What is wrongly applied is what matters: what is told as a finding can be answered.
"""

from __future__ import annotations

import random
import sys

import numpy as np
import pyarrow as pa
from rapidfuzz import fuzz, process

from kebrin.table import Table
from kebrin.values.codes import CodeList
from kebrin.values.recoding import recode
from values import code_names

LIKENESS = 0.85


def spelled(chance: random.Random, names: list[str], count: int) -> list[tuple[str, str]]:
    """Spellings, each with the name that was meant."""
    made: dict[str, str] = {}
    while len(made) < count:
        name = chance.choice(names)
        words = name.split()
        made.setdefault(
            chance.choice(
                (name.upper(), f"{words[-1]}, {' '.join(words[:-1])}", slipped(chance, name), slipped(chance, name))
            ),
            name,
        )
    return list(made.items())


def slipped(chance: random.Random, name: str) -> str:
    """A name with one to three letters changed, lost or added."""
    for _ in range(chance.choice((1, 1, 1, 2, 3))):
        at, letter = chance.randrange(len(name)), chance.choice("aeioustrnl")
        name = chance.choice(
            (name[:at] + letter + name[at + 1 :], name[:at] + name[at + 1 :], name[:at] + letter + name[at:])
        )
    return name


def told(who: str, found: list[str | None], meant: list[str]) -> None:
    """Print the shares of right, wrong and open ones."""
    right = sum(one == name for one, name in zip(found, meant, strict=True))
    open_ones = sum(one is None for one in found)
    wrong = len(found) - right - open_ones
    shares = [
        f"{name} {count / len(found):.2%}" for name, count in (("right", right), ("told", open_ones), ("wrong", wrong))
    ]
    print(f"{who}: {', '.join(shares)}")


def main() -> None:
    """Recode in both ways and print what came of it."""
    names = code_names()
    pairs = spelled(random.Random(int(sys.argv[1]) if len(sys.argv) > 1 else 2031), names, 30_000)
    texts, meant = [text for text, _ in pairs], [name for _, name in pairs]
    codes = CodeList.of((f"C{at:04d}", name, (), True) for at, name in enumerate(names))
    done = recode(Table(pa.table({"x": texts}), ()), "x", codes, likeness=LIKENESS, unknown="blank", label="name")
    told("kebrin", done.data.column("name").to_pylist(), meant)
    plain = [name.lower() for name in names]
    scores = process.cdist(
        [text.lower().strip() for text in texts], plain, scorer=fuzz.ratio, dtype=np.uint8, workers=-1
    )
    best = scores.argmax(axis=1)
    told(
        "plain",
        [names[at] if scores[row, at] >= 100 * LIKENESS else None for row, at in enumerate(best.tolist())],
        meant,
    )


if __name__ == "__main__":
    main()
