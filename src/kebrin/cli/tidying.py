"""`kebrin tidy`."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from kebrin.cli.ahead import reports_ahead
from kebrin.cli.ending import Exit

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from kebrin.deliver.publish import Published
    from kebrin.work.joining import Done


def tidy(
    inputs: Sequence[str],
    output: Path,
    *,
    kept: tuple[bool, bool],
    tolerance: float | None,
    accept: bool,
    as_json: bool,
) -> int:
    """Tidy reports without a plan and write what came of it; `kept` says whether blanks and marks are."""
    reports = reports_ahead(inputs, progress=not as_json)
    from kebrin.deliver.publish import publish, refuse_ending
    from kebrin.tidy import Keep
    from kebrin.work.joining import Terms
    from kebrin.work.unaided import tidy_reports

    if not as_json:
        from kebrin.cli import show  # noqa: F401 - loaded while the first workbook is being parsed

    refuse_ending(output)
    terms = Terms(tolerance=tolerance)
    done = tidy_reports(reports, keep=Keep.of(*kept), terms=terms)
    paths = [output, *(_beside(output, part) for part in done[1:])]
    published = [publish(part, path, accept=accept) for part, path in zip(done, paths, strict=True)]
    if as_json:
        print(
            json.dumps(
                {"tables": [_plain(part, item) for part, item in zip(done, published, strict=True)]},
                ensure_ascii=False,
            )
        )
    else:
        _show(done, published)
    return Exit.DONE if all(part.proof.holds or accept for part in done) else Exit.NOT_PROVED


def _beside(output: Path, done: Done) -> Path:
    """The file for a table after the first: the output's name with the table's."""
    safe = "".join(letter if letter.isalnum() or letter in "-_" else "_" for letter in done.name)
    return output.with_name(f"{output.stem}.{safe}{output.suffix}")


def _plain(done: Done, item: Published) -> dict[str, object]:
    return {
        "name": done.name, "file": str(item.path), "rows": len(done.table), "columns": list(done.table.columns),
        "proof": done.proof.to_plain(),
    }  # fmt: skip


def _show(done: Sequence[Done], published: Sequence[Published]) -> None:
    from kebrin.cli import show

    out = show.console()
    for part in done:
        show.heading(out, f"{part.name}: {show.counted(len(part.table), 'row')}, one per observation")
        show.sample(out, part.table)
        show.verdict(out, part.proof)
        show.remarks(out, part.proof)
    show.outputs(out, published, {part.name: len(part.table) for part in done})
    show.next_step(out, f"See the cell behind a value: kebrin trace {published[0].path} 1")
