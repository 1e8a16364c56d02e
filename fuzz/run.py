"""Fuzz the readers, the plan loader, trace, the value verbs and the whole of tidying.

    python fuzz/run.py [SECONDS] [TARGET]...

Seeds are the demo's files, changed at random: bytes, lines, tokens, and inside packages the parts. Each target runs in a
process of its own, so that an abort is a find too. A find is an error that is not Kebrin's, an abort, or an input over 100 times
the time that is usual; it is kept in fuzz/finds. The same FUZZ_SEED (1 by default) gives the same inputs.
"""

from __future__ import annotations

import hashlib
import io
import json
import multiprocessing
import os
import random
import shutil
import sys
import tempfile
import time
import traceback
import zipfile
from pathlib import Path
from statistics import median
from typing import TYPE_CHECKING, Any

import kebrin as kb
from kebrin.demo import demo_names
from kebrin.demo.service import calls
from kebrin.errors import KebrinError

if TYPE_CHECKING:
    from collections.abc import Callable

FINDS = Path(__file__).parent / "finds"
SLOW_TIMES, SLOW_SECONDS = 100, 5.0
TOKENS = [
    b"", b"0", b"-1", b"999999999999", b"1e999", b"nan", b'"', b"'", b"<", b">", b"&", b"\0", b"\r", b"\n", b"\f", b"\t",
    b";", b",", b"{", b"}", b"[", b"]", b"=1+1", b"(1,234)", b"12.03.2031", b"Total", b"\xff\xfe", b"\xef\xbb\xbf",
    b"\xe2\x80\xae", b"A" * 300, b"colspan=9999", b"1048577", b"XFE1", b'number-rows-repeated="99999999"', b"rowspan='0'",
    b"<!-- -->", b"&#0;", b"%PDF", b"endobj",
]  # fmt: skip


def changed(draw: random.Random, content: bytes) -> bytes:
    """Some bytes with a few changes."""
    found = bytearray(content)
    for _ in range(draw.choice((1, 1, 2, 3, 8))):
        at = draw.randrange(len(found) + 1)
        way = draw.randrange(6)
        if way == 0 and found:
            found[at % len(found)] = draw.randrange(256)
        elif way == 1:
            found[at:at] = draw.choice(TOKENS)
        elif way == 2:
            del found[at : at + draw.choice((1, 2, 10, 200))]
        elif way == 3:
            piece = found[at : at + draw.choice((1, 10, 200))]
            found[at:at] = piece * draw.choice((1, 2, 20))
        elif way == 4:
            lines = bytes(found).split(b"\n")
            draw.shuffle(lines)
            found = bytearray(b"\n".join(lines[: draw.randrange(1, len(lines) + 1)]))
        else:
            del found[at:]
    return bytes(found)


def repacked(draw: random.Random, content: bytes) -> bytes:
    """A package with one of its parts changed, or its own bytes."""
    if draw.random() < 0.15:
        return changed(draw, content)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(content)) as package, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        names = [name for name in package.namelist() if name.endswith((".xml", ".rels"))]
        chosen = draw.choice(names)
        for name in package.namelist():
            part = package.read(name)
            made.writestr(name, changed(draw, part) if name == chosen else part)
    return out.getvalue()


def tidied(path: Path) -> None:
    """All of it: read, laid out, tidied, proved."""
    kb.tidy(path)


def planned(path: Path) -> None:
    """A plan read and checked."""
    kb.load_plan(path)


def traced(path: Path) -> None:
    """A value traced through a damaged proof."""
    from kebrin.deliver.tracing import trace

    out = path.with_name("out.csv")
    if not out.is_file():
        kb.tidy(kb.demo_file("traffic_2031.xlsx")).write({"traffic_2031": out})
    out.with_name("out.csv.proof.json").write_bytes(path.read_bytes())
    trace(out, 7)


def read_values(path: Path) -> None:
    """Every verb that reads texts, over the lines of a file."""
    import pyarrow as pa

    from kebrin.api import Table

    texts = path.read_bytes().decode("utf-8", "replace").split("\n")[:200]
    table = Table(pa.table({"text": texts}), ())
    for verb in ("number", "date", "period", "flag", "text"):
        try:
            getattr(table, verb)("text")
        except KebrinError:
            continue


def seeds_of(*endings: str) -> list[bytes]:
    """The demo's files of some kinds."""
    return [kb.demo_file(name).read_bytes() for name in demo_names() if name.endswith(endings)]


def proof_seed() -> list[bytes]:
    """A proof to damage."""
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "out.csv"
        kb.tidy(kb.demo_file("traffic_2031.xlsx")).write({"traffic_2031": out})
        return [out.with_name("out.csv.proof.json").read_bytes()]


VALUES = [
    b"(1,234.50)\n1.234,50-\n12%\nn/a\n---\n1 234\n<10\n3 CR\n12e3\n", b"12.03.2031\n2031-03-12\nMar 2031\n1/2/31\nQ1 2031\n",
    b"yes\nno\nY\n x \nja\n", b"Skarrow\nSKARROW\nSkarrow; Hallan\nA1: 12; B2: 7\n",
]  # fmt: skip
TARGETS: dict[str, tuple[str, Callable[[], list[bytes]], Any, Callable[[Path], None]]] = {
    "workbooks": ("x.xlsx", lambda: seeds_of(".xlsx"), repacked, tidied),
    "documents": ("x.ods", lambda: seeds_of(".ods"), repacked, tidied),
    "delimited": ("x.csv", lambda: seeds_of(".csv"), changed, tidied),
    "print reports": ("x.prn", lambda: seeds_of(".prn"), changed, tidied),
    "pages": ("x.html", lambda: seeds_of(".html"), changed, tidied),
    "records": ("x.json", lambda: [json.dumps({"count": 9, "calls": calls()[:9]}).encode()], changed, tidied),
    "PDF": ("x.pdf", lambda: seeds_of(".pdf"), changed, tidied),
    "plans": ("x.toml", lambda: seeds_of(".toml"), changed, planned),
    "proofs": ("x.json", proof_seed, changed, traced),
    "values": ("x.txt", lambda: VALUES, changed, read_values),
}


def work(name: str, seed: int, seconds: float, folder: str, told: Any) -> None:
    """One target for some time; what is under way stands in a file, so that it is known after an abort."""
    file, seeds_for, change, do = TARGETS[name]
    seeds, draw = seeds_for(), random.Random(seed)
    path, count, times = Path(folder) / file, 0, []
    finds: list[str] = []
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        content = change(draw, draw.choice(seeds))
        path.write_bytes(content)
        begun = time.process_time()  # the machine may have other work to do
        try:
            do(path)
        except KebrinError:
            pass
        except Exception:  # noqa: BLE001 - whatever is raised is a find
            finds.append(keep(name, content, path.suffix, traceback.format_exc()))
        took = time.process_time() - begun
        if took > SLOW_SECONDS and len(times) > 20 and took > SLOW_TIMES * median(times[-500:]):
            finds.append(keep(name, content, path.suffix, f"it took {took:.1f} s"))
        times.append(took)
        count += 1
    told.put((name, count, finds, median(times) if times else 0.0, max(times, default=0.0)))


def keep(name: str, content: bytes, ending: str, why: str) -> str:
    """Keep an input that is a find, and why it is one."""
    FINDS.mkdir(exist_ok=True)
    stem = f"{name.replace(' ', '_')}_{hashlib.sha256(content).hexdigest()[:12]}"
    (FINDS / f"{stem}{ending}").write_bytes(content)
    (FINDS / f"{stem}.txt").write_text(why)
    return why.strip().splitlines()[-1]


def fuzzed(name: str, seed: int, seconds: float) -> tuple[int, list[str], float, float]:
    """One target in a process of its own: executions, finds, median and longest time."""
    folder = tempfile.mkdtemp(prefix="fuzz-")
    told: Any = multiprocessing.Queue()
    process = multiprocessing.Process(target=work, args=(name, seed, seconds, folder, told))
    process.start()
    process.join(seconds + 90)
    try:
        if process.is_alive() or process.exitcode:
            process.kill()
            file = Path(folder) / TARGETS[name][0]
            why = "it hangs" if process.exitcode is None else f"the process ended with {process.exitcode}"
            return 0, [keep(name, file.read_bytes() if file.exists() else b"", file.suffix, why)], 0.0, 0.0
        _, count, finds, usual, longest = told.get(timeout=10)
        return count, finds, usual, longest
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def main(seconds: float, names: list[str]) -> int:
    """Fuzz the targets one after the other, and print what came of it."""
    seed = int(os.environ.get("FUZZ_SEED", "1"))
    found = 0
    print(f"{'target':<15}{'executions':>12}{'finds':>7}{'median ms':>11}{'longest s':>11}")
    for name in names or list(TARGETS):
        count, finds, usual, longest = fuzzed(name, seed, seconds)
        found += len(finds)
        print(f"{name:<15}{count:>12,}{len(finds):>7}{usual * 1000:>11.1f}{longest:>11.2f}", flush=True)
        for why in sorted(set(finds))[:5]:
            print(f"    {why}")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main(float(sys.argv[1]) if len(sys.argv) > 1 else 6.0, sys.argv[2:]))
