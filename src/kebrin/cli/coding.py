"""`kebrin codes`: propose a code list from the spellings in a column, for a person to accept."""

from __future__ import annotations

import csv
import json
from typing import TYPE_CHECKING

from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.guard import refuse_sources
from kebrin.sources.tidy_tables import read_table
from kebrin.values.proposing import HEADER, Line, counted, propose, read_proposal
from kebrin.values.texts import texts_of

if TYPE_CHECKING:
    from pathlib import Path

_SHOWN = 30


def codes(file: Path, column: str, output: Path, *, as_json: bool) -> int:
    """Write a proposed code list; lines that a person accepted in an earlier one are kept."""
    refuse_sources(output, [str(file)])
    texts = texts_of(read_table(file), column, "codes")
    known = read_proposal(output)
    lines = propose(counted([str(text) for text in texts.values.to_pylist()], texts.counts.tolist()), known)
    with whole_file(output) as part, part.open("w", encoding="utf-8", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(HEADER)
        writer.writerows(
            [line.code, line.label, line.spelling, line.cells, "yes" if line.accepted else ""] for line in lines
        )
    if as_json:
        print(json.dumps({"list": str(output), "lines": [line.__dict__ for line in lines]}, ensure_ascii=False))
        return Exit.DONE
    _tell(output, column, lines)
    return Exit.DONE


def _tell(output: Path, column: str, lines: list[Line]) -> None:
    out = show.console()
    labels = dict.fromkeys(line.label for line in lines)
    accepted = sum(line.accepted for line in lines)
    show.heading(out, f"{column}: {show.counted(len(lines), 'spelling')} of {show.counted(len(labels), 'name')}")
    for label in list(labels)[:_SHOWN]:
        own = [line for line in lines if line.label == label]
        spelt = ", ".join(f"{line.spelling!r} ({line.cells:,})" for line in own)
        show.line(out, f"{own[0].code:<4} {label}: {spelt}")
    if len(labels) > _SHOWN:
        show.line(out, f"and {len(labels) - _SHOWN:,} more names in the file", "dim")
    show.next_step(
        out, f"Look through {output}: correct codes and labels, write yes under accepted ({accepted:,} are), then in the plan: "
        f'recode = "{column}", using = "{output.name}"',
    )  # fmt: skip
