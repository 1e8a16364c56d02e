"""How often `kebrin tidy`, unaided, gives the exact table.

    python benchmarks/accuracy.py [FIRST [COUNT [LISTED]]] [--office] [--as=page|document|print|pdf]

With `--as` reports of one sheet are written as another kind of file.

A report counts as right if one of the tables has exactly the true records, whatever the columns' order and names. A wrong
one was either stopped or flagged by the proof, or it is silent; silent ones are the ones that matter.
"""

from __future__ import annotations

import datetime as dt
import sys
import tempfile
from collections import Counter
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

import kebrin as kb
from corpus.kinds import KINDS
from corpus.making import Made, Maker
from corpus.offices import OFFICE, make_office


def same(table: kb.Table, records: list[tuple[Any, ...]]) -> bool:
    """Whether a table holds exactly these records, columns in any order."""
    plain = (
        [str(one) if isinstance(one, dt.date) else one for one in column]
        for column in table.to_arrow().to_pydict().values()
    )
    columns = list(zip(*plain, strict=True))
    if len(columns) != len(records) or (columns and len(columns[0]) != len(records[0])):
        return False
    mine = list(zip(*columns, strict=True))
    theirs = list(zip(*records, strict=True))
    order: list[int] = []
    for values in theirs:
        counts = Counter(values)
        match = next((at for at in range(len(mine)) if at not in order and Counter(mine[at]) == counts), None)
        if match is None:
            return False
        order.append(match)
    return Counter(zip(*(mine[at] for at in order), strict=True)) == Counter(records)


def judge(made: Made, path: Path, kind: str = "") -> str:
    """'right', 'stopped', 'flagged', 'silent' or 'crashed'."""
    if kind:
        path = path.with_suffix(KINDS[kind][0])
        KINDS[kind][1](made.sheets[0], path)
    else:
        made.write(path)
    try:
        run = kb.tidy_reports(path)
    except kb.KebrinError:
        return "stopped"
    except Exception as error:  # noqa: BLE001 - a crash is a finding here
        print(f"seed {made.seed}: {type(error).__name__}: {error}")
        return "crashed"
    if len(run.tables) == 1 and all(same(table, made.tables[0]) for table in run.tables.values()):
        return "right"
    asked = any(remark.kind == "question" for proof in run.proofs.values() for remark in proof.remarks)
    return "silent" if run.holds and not asked else "flagged"


def main() -> None:
    """Print accuracy by kind."""
    words = [word for word in sys.argv[1:] if not word.startswith("--")]
    first, count, listed = (int(word) for word in (*words, *("1", "500", "0")[len(words) :]))
    by_kind: dict[str, Counter[str]] = {}
    overall: Counter[str] = Counter()
    wrong: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        seeds = range(first, first + count)
        office = "--office" in sys.argv
        other = next((word.partition("=")[2] for word in sys.argv if word.startswith("--as=")), "")
        for made in (
            make_office(kind, seed) if office else Maker(seed).make()
            for seed in seeds
            for kind in (OFFICE if office else ("",))
        ):
            if other and (len(made.sheets) > 1 or len(made.tables) > 1 or made.sheets[0].hidden_rows):
                continue
            verdict = judge(made, Path(folder) / "report.xlsx", other)
            overall[verdict] += 1
            for kind in made.kinds:
                by_kind.setdefault(kind, Counter())[verdict] += 1
            if verdict != "right":
                wrong.append(f"{made.seed} {verdict}: {' '.join(made.kinds)}")
    for kind, counts in sorted(by_kind.items(), key=lambda item: item[1]["right"] / item[1].total()):
        print(f"{kind:<22} {counts['right'] / counts.total():6.1%} of {counts.total():>4}  silent {counts['silent']}")
    total = overall.total()
    print(
        f"{'all':<16} {overall['right'] / total:6.1%} of {total:>4}  silent {overall['silent']} ({overall['silent'] / total:.1%})"
    )
    sure = total - overall["stopped"]
    print(
        f"of {sure:,} layouts that it was sure of, {sure - overall['right']} wrong ({1 - overall['right'] / sure:.2%})"
    )
    print("\n".join(wrong[:listed]))


if __name__ == "__main__":
    main()
