"""Time the verbs on big columns against plain scripts: `python benchmarks/values.py [PYTHON_WITH_POLARS [SHARE [JOB...]]]`.

Whole processes, start-up included, in one run; ratios are what counts. Each script reads a Parquet file with one column
of texts and writes what it made of them. Ours searches the convention and lists what it finds; theirs is told it.
"""

from __future__ import annotations

import random
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa
from pyarrow import parquet

if TYPE_CHECKING:
    from collections.abc import Callable

ROUNDS = 3
OURS = """
import sys
from pathlib import Path
from kebrin.deliver.writing.tables import write_table
from kebrin.work.stepping import TAKEN
from kebrin.sources.tidy_tables import read_table
verb, source, target, options = sys.argv[1], sys.argv[2], sys.argv[3], eval(sys.argv[4])
write_table(TAKEN[verb](read_table(source), "x", **options), Path(target))
"""
POLARS = {
    "dates": """
d = pl.read_parquet(s).select("x")
u = d.unique()
forms = ("%Y-%m-%d", "%d/%m/%Y", "%d %b %Y", "%d.%m.%Y")
u = u.with_columns(y=pl.coalesce(*[pl.col("x").str.to_date(f, strict=False) for f in forms]))
d.join(u, on="x", how="left").select("y").write_parquet(t)
""",
    "moments": """
d = pl.read_parquet(s)
forms = ("%Y-%m-%d %H:%M:%S", "%d/%m/%Y %H:%M:%S")
d.select(pl.coalesce(*[pl.col("x").str.to_datetime(f, strict=False) for f in forms])).write_parquet(t)
""",
    "numbers": """
d = pl.read_parquet(s)
x = pl.col("x")
starts = [x.str.starts_with(sign) for sign in ("(", "-", "less", "\\u2212")]
n = pl.any_horizontal(*starts, x.str.ends_with("-"))
v = x.str.replace_all(r"[^0-9.]", "").cast(pl.Float64, strict=False)
d.select(pl.when(n).then(-v).otherwise(v)).write_parquet(t)
""",
    "split": """
d = pl.read_parquet(s).with_row_index()
d.with_columns(pl.col("x").str.split(";")).explode("x").with_columns(pl.col("x").str.strip_chars()).write_parquet(t)
""",
    "recode": """
import numpy as np
from rapidfuzz import fuzz, process
from pathlib import Path
k = pl.read_csv(Path(s).with_name("codes.csv")).with_columns(n=pl.col("label").str.to_lowercase())
d = pl.read_parquet(s).select(pl.col("x"), n=pl.col("x").str.to_lowercase().str.strip_chars())
u = d.select("n").unique().join(k.select("n", "code"), on="n", how="left")
o = u.filter(pl.col("code").is_null())["n"].to_list()
names, codes = k["n"].to_list(), k["code"].to_list()
m = process.cdist(o, names, scorer=fuzz.ratio, dtype=np.uint8, workers=-1)
b = m.argmax(axis=1)
f = pl.DataFrame({"n": o, "near": [codes[i] if m[r, i] >= 85 else None for r, i in enumerate(b)]})
r = u.join(f, on="n", how="left").select("n", y=pl.coalesce("code", "near"))
d.join(r, on="n", how="left").select("y").write_parquet(t)
""",
}
PANDAS = {
    "dates": """
d = pd.read_parquet(s)["x"]
u = pd.Series(d.unique())
forms = ("%Y-%m-%d", "%d/%m/%Y", "%d %b %Y", "%d.%m.%Y")
y = pd.concat([pd.to_datetime(u, format=f, errors="coerce") for f in forms], axis=1).bfill(axis=1)[0]
d.map(dict(zip(u, y))).to_frame().to_parquet(t)
""",
    "numbers": """
d = pd.read_parquet(s)["x"]
n = d.str.match(r"\\(|-|less|\\u2212") | d.str.endswith("-")
v = pd.to_numeric(d.str.replace(r"[^0-9.]", "", regex=True))
v.where(~n, -v).to_frame().to_parquet(t)
""",
    "split": """
d = pd.read_parquet(s)
d.assign(x=d["x"].str.split(";")).explode("x").assign(x=lambda f: f["x"].str.strip()).to_parquet(t)
""",
}


def days(count: int, chance: random.Random) -> list[str]:
    """Mixed-format dates of some 8,000 days."""
    start = np.datetime64("2010-01-01")
    told = []
    for at in range(8000):
        year, month, day = str(start + at).split("-")
        name = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"][int(month) - 1]
        told.append(
            (f"{year}-{month}-{day}", f"{day}/{month}/{year}", f"{day} {name} {year}", f"{day}.{month}.{year}")[at % 4]
        )
    return chance.choices(told, k=count)


def moments(count: int, chance: random.Random) -> list[str]:
    """Mostly distinct moments in two formats."""
    made = []
    for at in range(count):
        stamp = np.datetime64("2010-01-01T00:00:00") + chance.randrange(600_000_000)
        date, time_ = str(stamp).split("T")
        year, month, day = date.split("-")
        made.append(f"{date} {time_}" if at % 2 else f"{day}/{month}/{year} {time_}")
    return made


def numbers(count: int, chance: random.Random) -> list[str]:
    """Signed amounts in five conventions, mostly distinct."""
    styles = ("({})", "{}-", "-{}", "\u2212{}", "less {}")
    made = []
    for at in range(count):
        value = chance.uniform(-1e6, 1e6)
        text = f"{abs(value):,.2f}"
        made.append(text if value >= 0 else styles[at % 5].format(text))
    return made


def lists(count: int, chance: random.Random) -> list[str]:
    """Cells with none to eight entries."""
    words = [f"certificate {at}" for at in range(400)]
    return ["; ".join(chance.choices(words, k=chance.randint(0, 8))) for _ in range(count)]


def spellings(count: int, chance: random.Random) -> list[str]:
    """Some 30,000 spellings of 5,000 names, half of them in another case, half with a slip."""
    names = code_names()
    told = set()
    while len(told) < 30_000:
        name = chance.choice(names)
        at = chance.randrange(1, len(name))
        slip = chance.choice(("", chance.choice("aeiou")))
        told.add(chance.choice((name.upper(), name.lower(), name[:at] + slip + name[at + 1 :], f" {name}")))
    return chance.choices(sorted(told), k=count)


def code_names() -> list[str]:
    """The names of the 5,000 codes."""
    chance = random.Random(7)
    parts = [
        "ska",
        "hal",
        "tor",
        "nes",
        "wick",
        "bra",
        "holm",
        "sund",
        "gull",
        "ern",
        "fjo",
        "lan",
        "mir",
        "osk",
        "ved",
        "tarn",
    ]
    names: set[str] = set()
    while len(names) < 5_000:
        words = ("".join(chance.choices(parts, k=chance.randint(2, 4))).title() for _ in range(chance.randint(2, 3)))
        names.add(" ".join(words))
    return sorted(names)


JOBS: dict[str, tuple[str, dict[str, object], Callable[[int, random.Random], list[str]], float]] = {
    "dates": ("date", {}, days, 3.0), "moments": ("date", {}, moments, 3.0), "numbers": ("number", {}, numbers, 5.0),
    "split": ("split", {"at": [";"]}, lists, 2.0),
    "recode": ("recode", {"likeness": 0.85, "unknown": "keep"}, spellings, 2.0),
}  # fmt: skip


def spent(words: list[str]) -> tuple[float, float]:
    """Wall and CPU seconds of a process."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    start = time.perf_counter()
    subprocess.run(words, check=True)
    wall = time.perf_counter() - start
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return wall, after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def main() -> None:
    """Print each job's times and ratios."""
    other = sys.argv[1] if len(sys.argv) > 1 else sys.executable
    share = float(sys.argv[2]) if len(sys.argv) > 2 else 1.0
    wanted = sys.argv[3:] or list(JOBS)
    with tempfile.TemporaryDirectory() as folder:
        for name, (verb, given, make, millions) in JOBS.items():
            if name not in wanted:
                continue
            options = dict(given)
            source, target = Path(folder) / f"{name}.parquet", Path(folder) / "out.parquet"
            texts = make(int(millions * share * 1e6), random.Random(2031))
            parquet.write_table(pa.table({"x": texts}), source)
            if verb == "recode":
                listed = Path(folder) / "codes.csv"
                lines = [f"C{at:04d},{name}" for at, name in enumerate(code_names())]
                listed.write_text("\n".join(["code,label", *lines]) + "\n", "utf-8")
                options = {**options, "using": str(listed)}
            head = "import sys, {0} as {1}; s, t = sys.argv[1:3]\n"
            scripts = {"kebrin": [sys.executable, "-c", OURS, verb, str(source), str(target), repr(options)]}
            scripts["polars"] = [other, "-c", head.format("polars", "pl") + POLARS[name], str(source), str(target)]
            if name in PANDAS:
                scripts["pandas"] = [other, "-c", head.format("pandas", "pd") + PANDAS[name], str(source), str(target)]
            runs: dict[str, list[tuple[float, float]]] = {who: [] for who in scripts}
            for _ in range(ROUNDS):
                for who, words in scripts.items():
                    runs[who].append(spent(words))
            told = {who: [statistics.median(run[at] for run in found) for at in (0, 1)] for who, found in runs.items()}
            shown = "   ".join(f"{who} {wall:5.2f} s wall {cpu:5.2f} s CPU" for who, (wall, cpu) in told.items())
            ratios = ", ".join(
                f"{told['kebrin'][0] / wall:4.2f} of {who}'s wall, {told['kebrin'][1] / cpu:4.2f} of its CPU"
                for who, (wall, cpu) in told.items() if who != "kebrin"
            )  # fmt: skip
            print(f"{name:<8} {len(texts):>9,}: {shown}\n{'':<19}kebrin: {ratios}", flush=True)


if __name__ == "__main__":
    main()
