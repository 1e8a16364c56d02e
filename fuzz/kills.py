"""Kill a run at seeded moments, and look at what it leaves: each output whole, and of one run with its proof.

    python fuzz/kills.py [KILLS]

The plan of the demo runs over and over, what it writes differing by turns, and is killed (SIGKILL) at a moment between its start
and its usual end. A find is a data file that no whole run writes, one that its proof does not vouch for with nothing beside it to
mend that, or a part file that stays behind the next run. The same FUZZ_SEED (1 by default) gives the same moments.
"""

from __future__ import annotations

import hashlib
import json
import os
import random
import subprocess
import sys
import tempfile
import time
from pathlib import Path

COMMAND = [sys.executable, "-m", "kebrin", "run", "traffic.plan.toml", "--json"]


def started(folder: Path) -> subprocess.Popen[bytes]:
    """A run of the demo's plan."""
    return subprocess.Popen(COMMAND, cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # noqa: S603


def digests(folder: Path) -> dict[str, str]:
    """The outputs that stand there, with their digests."""
    return {
        path.name: hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.iterdir())
        if path.is_file() and not path.name.endswith(".proof.json")
    }


def finds_in(out: Path, known: set[tuple[str, str]]) -> list[str]:
    """What is wrong in a folder of outputs; each data file must be one that some whole run has written."""
    found = []
    parts = [path.name for path in out.glob(".*.part")]  # the next run takes them away, or mends a pair by them
    for name, digest in digests(out).items():
        if name in parts:
            continue
        if (name, digest) not in known:
            found.append(f"{name} is torn")
        proof = json.loads((out / f"{name}.proof.json").read_text("utf-8"))  # it is whole, or this ends here
        if proof["output"]["sha256"] != digest and not any(name in part for part in parts):
            found.append(f"{name} is not what its proof vouches for")
    return found


def change(folder: Path, turn: int) -> None:
    """Have what the plan writes differ by turns."""
    plan = folder / "traffic.plan.toml"
    before, key, behind = plan.read_text("utf-8").partition("measure = ")
    plan.write_text(f'{before}{key}"carried{turn % 2}"{behind[behind.index(chr(10)) :]}', "utf-8")


def main(kills: int) -> int:
    """Kill so many runs, and print what came of it."""
    draw = random.Random(int(os.environ.get("FUZZ_SEED", "1")))
    finds: list[str] = []
    caught = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "demo"
        subprocess.run([sys.executable, "-m", "kebrin", "demo", str(folder)], check=True, capture_output=True)  # noqa: S603
        known: set[tuple[str, str]] = set()
        usual = 0.0
        for turn in (0, 1):  # what whole runs write, and how long one takes
            change(folder, turn)
            begun = time.perf_counter()
            started(folder).wait()
            usual = time.perf_counter() - begun
            known |= set(digests(folder / "out").items())
        for turn in range(kills):
            change(folder, turn)
            run = started(folder)
            time.sleep(draw.random() * usual * 1.1)
            caught += run.poll() is None
            run.kill()
            run.wait()
            finds += finds_in(folder / "out", known)
        started(folder).wait()
        finds += finds_in(folder / "out", known)
        finds += [f"{path.name} stays" for path in (folder / "out").glob(".*.part")]
    print(f"{kills:,} kills, {caught:,} of them before the end of a run of {usual:.1f} s; {len(finds)} finds")
    for find in sorted(set(finds)):
        print(f"    {find}")
    return 1 if finds else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 20))
