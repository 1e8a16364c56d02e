"""How the work grows with the file: each kind in sizes that double, and the exponent of its time.

`python benchmarks/growth.py [KIND ...]`: whole processes of `kebrin tidy` (`kebrin run` for plans), processor time less that of
a start; the exponent is that of the two largest sizes. Over 1.2 it ends with 1: something looks at everything for everything.
"""

from __future__ import annotations

import math
import os
import random
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

import xlsxwriter

if TYPE_CHECKING:
    from collections.abc import Callable

MOST = 1.2
# Below this a size says nothing of how it grows.
LEAST_SECONDS = 1.0


def prose(path: Path, size: int) -> Path:
    """Lines of words and numbers without a table."""
    draw = random.Random(1)
    words = ["harbour", "ferry", "12", "4.5", "boats, and", "of  the", "Brae"]
    path.write_text("\n".join(" ".join(draw.choice(words) for _ in range(14)) for _ in range(size)), "utf-8")
    return path


def printed(path: Path, size: int) -> Path:
    """Pages of fifty records, each under a head of its own."""
    lines = []
    for page in range(size):
        lines += [
            f"{'HARBOUR TRAFFIC':<60}PAGE {page + 1:5d}",
            "",
            "BERTH      VESSEL          TONNES     CREW",
            "-" * 60,
        ]
        lines += [
            f"B{page * 50 + at:06d}    Skua {at:<10d} {at * 37 % 997 + page % 7:9.1f} {at % 9:8d}" for at in range(50)
        ]
        lines.append("\f")
    path.write_text("\n".join(lines), "utf-8")
    return path


def ledger(path: Path, size: int) -> Path:
    """Accounts with wrapped descriptions, totals and page heads."""
    draw = random.Random(2)
    lines: list[str] = []
    account, put = 0, 0
    while put < size:
        account += 1
        lines += ["", f"ACCOUNT {account:05d} ROPE REPAIR"]
        whole = 0
        for _ in range(draw.randint(4, 14)):
            amount = draw.randint(100, 9_000_000)
            whole += amount
            lines.append(
                f"{draw.randint(1, 28):02d}/03/2031   B{draw.randint(10**5, 10**6 - 1)}   freight survey   {amount / 100:>14,.2f}"
            )
            if draw.random() < 0.1:
                lines.append(" " * 25 + "cont. fuel")
            put += 1
        lines.append(f"{'TOTAL':<42}{whole / 100:>14,.2f}")
    heads = ["HARBOUR LEDGER", "", "DATE         REF       DESCRIPTION              AMOUNT", "-" * 56]
    pages = [lines[at : at + 55] for at in range(0, len(lines), 55)]
    path.write_text(
        "\n".join(line for n, own in enumerate(pages) for line in [f"{heads[0]}   PAGE {n + 1}", *heads[1:], *own]),
        "utf-8",
    )
    return path


def _book(path: Path, rows: list[list[object]], merges: int = 0) -> Path:
    with xlsxwriter.Workbook(str(path), {"constant_memory": not merges}) as book:
        page = book.add_worksheet("Returns")
        for at, row in enumerate(rows):
            page.write_row(at, 0, row)
        for at in range(merges):
            page.merge_range(at + 1, 0, at + 1, 1, f"berth {at}")
    return path


def blocks(path: Path, size: int) -> Path:
    """Small tables below one another."""
    rows: list[list[object]] = []
    for at in range(size):
        rows += [["Quay", "Boats", "Cars"], *([f"q{n}", n * 7 % 13, at % 17 + n] for n in range(4)), []]
    return _book(path, rows)


def columns(path: Path, size: int) -> Path:
    """A list of so many columns and twenty rows."""
    heads = ",".join(f"c{at}" for at in range(size))
    path.write_text(
        heads + "\n" + "\n".join(",".join(str(one * at % 97) for one in range(size)) for at in range(20)), "utf-8"
    )
    return path


def merged(path: Path, size: int) -> Path:
    """Each label merged over two columns."""
    return _book(path, [["Berth", "", "Boats"], *(["", "", at % 9] for at in range(size))], merges=size)


def keys(path: Path, size: int) -> Path:
    """A plan of so many keys that there are not."""
    said = "\n".join(f"k{at} = 1" for at in range(size))
    path.write_text(f'kebrin = 1\n[table.a]\nfiles = "x.csv"\n{said}\n', "utf-8")
    return path


KINDS: dict[str, tuple[Callable[[Path, int], Path], str, int]] = {
    "prose": (prose, "p.txt", 4_000),
    "printed pages": (printed, "p.prn", 400),
    "ledger": (ledger, "l.prn", 2_000),
    "blocks": (blocks, "b.xlsx", 1_500),
    "columns": (columns, "c.csv", 600),
    "merges": (merged, "m.xlsx", 8_000),
    "unknown keys": (keys, "k.toml", 6_250),
}


def seconds(path: Path) -> float:
    """Processor seconds of one whole command."""
    words = (
        ["run", str(path)]
        if path.suffix == ".toml"
        else ["tidy", str(path), "-o", str(path.with_suffix(".out.csv")), "--replace"]
    )
    began = os.times()
    command = [sys.executable, "-m", "kebrin", "--limit", "seconds=600", *words]
    subprocess.run(command, check=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    ended = os.times()
    return ended.children_user + ended.children_system - began.children_user - began.children_system


def main() -> int:
    """Print each kind's sizes, times and exponent."""
    chosen = sys.argv[1:] or list(KINDS)
    worst = 0.0
    with tempfile.TemporaryDirectory() as folder:
        small = Path(folder) / "small.csv"
        small.write_text("Quay,Boats\nBrae,3\nWick,4\n", "utf-8")
        start = min(seconds(small) for _ in range(2))
        for kind in chosen:
            make, name, size = KINDS[kind]
            sizes = [size << at for at in range(5)]
            took = [max(seconds(make(Path(folder) / f"{own}{name}", own)) - start, 1e-3) for own in sizes]
            exponent = math.log2(took[-1] / took[-2]) if took[-1] > LEAST_SECONDS else 0.0
            worst = max(worst, exponent)
            shown = "  ".join(f"{own:,}: {time:.1f} s" for own, time in zip(sizes, took, strict=True))
            print(
                f"{kind:<14} {shown}  grows as n^{exponent:.2f}{'' if exponent <= MOST else '  TOO FAST'}", flush=True
            )
    return int(worst > MOST)


if __name__ == "__main__":
    sys.exit(main())
