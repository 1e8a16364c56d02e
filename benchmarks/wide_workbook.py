"""Time `kebrin tidy` on a 480,000-cell sheet against a plain script and a bare read: `python benchmarks/wide_workbook.py`.

Whole processes, start-up included, one after the other in each round; ratios of medians are what counts. Kebrin works
the layout out, keeps every value's origin and proves the table; the others do not.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

HERE = Path(__file__).parent
ROUNDS = int(os.environ.get("ROUNDS", "7"))


def run(command: list[str]) -> tuple[float, float, float]:
    """Wall seconds, CPU seconds and peak megabytes of one process."""
    # Compiled modules are kept, as in any installed package; some shells switch that off.
    env = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    start = time.perf_counter()
    with subprocess.Popen(command, stdout=subprocess.DEVNULL, env=env) as process:
        _, status, usage = os.wait4(process.pid, 0)
        process.returncode = os.waitstatus_to_exitcode(status)
    wall = time.perf_counter() - start
    if process.returncode:
        raise SystemExit(f"{command} ended with {process.returncode}")
    return wall, usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1024


def main() -> None:
    """Print medians and ratios."""
    with tempfile.TemporaryDirectory() as folder:
        book = Path(folder) / "wide.xlsx"
        subprocess.run([sys.executable, str(HERE / "make_wide.py"), str(book)], check=True)
        out = str(Path(folder) / "wide.parquet")
        commands = {
            "kebrin tidy": [sys.executable, "-m", "kebrin", "tidy", str(book), "-o", out],
            "plain script": [sys.executable, str(HERE / "plain_wide.py"), str(book), out + ".plain"],
            "bare read": [sys.executable, str(HERE / "bare_read.py"), str(book)],
        }
        results: dict[str, list[tuple[float, float, float]]] = {name: [] for name in commands}
        for command in commands.values():
            run(command)  # warm-up: caches, compiled modules
        for _ in range(ROUNDS):
            for name, command in commands.items():
                results[name].append(run(command))
        medians = {
            name: [statistics.median(figures) for figures in zip(*runs, strict=True)] for name, runs in results.items()
        }
        for name, (wall, cpu, peak) in medians.items():
            print(f"{name:<14} {wall:6.2f} s wall {cpu:6.2f} s CPU {peak:7.0f} MB peak")
        for other in ("plain script", "bare read"):
            pairs = [mine[0] / theirs[0] for mine, theirs in zip(results["kebrin tidy"], results[other], strict=True)]
            print(f"kebrin tidy / {other}: {statistics.median(pairs):.2f} of the wall time")


if __name__ == "__main__":
    main()
