"""Stream a table that would not fit into memory into a file, row group by row group, its proof beside it when all has passed."""

from __future__ import annotations

from collections import deque
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

from kebrin.deliver.atomic import whole_files
from kebrin.deliver.guard import proof_path, unproved_path
from kebrin.deliver.outputs import Target
from kebrin.deliver.publish import Published, proof_text, remove_own
from kebrin.deliver.standing import Standing
from kebrin.deliver.writing.books import Page
from kebrin.deliver.writing.guarding import formulas_in, told
from kebrin.deliver.writing.tables import csv_writer, parquet_writer
from kebrin.table import Table

if TYPE_CHECKING:
    from collections.abc import Callable
    from concurrent.futures import Future
    from pathlib import Path

    import pyarrow as pa

    from kebrin.deliver.writing.tables import Rows
    from kebrin.work.flowing import Flow
    from kebrin.work.joining import Done

_WAITING = 2
WRITERS = {".parquet": parquet_writer, ".csv": csv_writer}


def stream(
    flow: Flow, path: Path, *, accept: bool = False, on_rows: Callable[[int], None] | None = None
) -> tuple[Done, Published]:
    """Write a flow to a .parquet or .csv file; if its proof does not hold it is held back, as any output is.

    `on_rows` is told how many rows have passed.

    Raises:
        UnevenRowsError: the rest of the file is not as its first part; nothing is written then.
        OutputError: the file can't be written.
    """
    targets = [path, proof_path(path)]
    with whole_files(targets) as (part, proof_part):
        formulas: dict[str, int] | None = {} if path.suffix.lower() == ".csv" else None
        _write(flow, part, WRITERS[path.suffix.lower()], on_rows, formulas)
        done = flow.done()
        held_back = not done.proof.holds and not accept
        if held_back:
            targets[:] = [unproved_path(path), proof_path(unproved_path(path))]
        target = Target(targets[0], (done,), (Page("tidy", done.table),))
        proof_part.write_text(proof_text(target, [done], targets[0], part, Standing(), rows=flow.rows), "utf-8")
    if not held_back:
        remove_own(unproved_path(path))
    said = told(formulas or {}, guard=False)
    return done, Published(
        done.name, targets[0], targets[1], held_back, flow.rows, traceable=True, said=(said,) if said else ()
    )


def _write(
    flow: Flow, part: Path, made: Callable[[Path, pa.Table], Rows], on_rows: Callable[[int], None] | None,
    formulas: dict[str, int] | None,
) -> None:  # fmt: skip
    """Write what passes, in a thread beside those that make it; a batch or two may wait. Texts like formulas are counted."""
    writer: Rows | None = None
    under_way: deque[Future[None]] = deque()
    with ThreadPoolExecutor(1) as beside:
        try:
            for table in flow.tables():
                writer = writer or made(part, table)
                under_way.append(beside.submit(writer.write, table))
                if formulas is not None:
                    for name, count in formulas_in(Table(table, ())).items():
                        formulas[name] = formulas.get(name, 0) + count if name else count
                if on_rows is not None:
                    on_rows(flow.rows)
                if len(under_way) > _WAITING:
                    under_way.popleft().result()
            for one in under_way:
                one.result()
        finally:
            beside.shutdown(cancel_futures=True)
            if writer is not None:
                writer.close()
