"""`kebrin fetch`."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING, NamedTuple

from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.deliver.fetching import fetch as fetch_into
from kebrin.errors import PlanError
from kebrin.sources.services import Service

if TYPE_CHECKING:
    from pathlib import Path


class Asked(NamedTuple):
    """The options of the command."""

    url: str
    records: str = ""
    follow: str = ""
    headers: tuple[str, ...] = ()
    pages: int = 1_000
    seconds: float = 300.0


def fetch(asked: Asked, output: Path, *, replace: bool, as_json: bool) -> int:
    """Fetch a list into a file."""
    headers = dict(map(_header, asked.headers))
    service = Service(asked.url, asked.records, asked.follow, headers, asked.pages, asked.seconds)
    done = fetch_into(service, output, overwrite=replace)
    found = done.listed
    if as_json:
        said = {"file": str(done.path), "records": sum(found.sizes), "pages": len(found.sizes), "stated": found.stated}
        print(json.dumps({**said, "lacks": list(found.lacks), "asks": list(found.asks)}, ensure_ascii=False))
        return Exit.DONE if done.holds else Exit.NOT_PROVED
    out = show.console()
    stated = "the service does not say how many there are" if found.stated is None else f"{found.stated:,} records"
    show.heading(out, f"{done.path.name}: {show.counted(sum(found.sizes), 'record')}")
    show.rows(
        out, [("pages", f"{len(found.sizes):,}"), ("stated", stated), ("beside it", f"{done.path.name}.fetched.json")]
    )
    for one in found.asks:
        show.line(out, f"? {one}")
    for one in found.lacks:
        print(f"kebrin: not whole: {one}. {output.name} was not written; what came is in {done.path}", file=sys.stderr)
    if done.holds:
        show.next_step(
            out, f"Tidy it: {show.command()} tidy {show.quoted(done.path)} -o {show.quoted(output.stem + '_tidy.csv')}"
        )
    return Exit.DONE if done.holds else Exit.NOT_PROVED


def _header(said: str) -> tuple[str, str]:
    name, sign, value = said.partition("=")
    if not sign or not name.strip():
        raise PlanError(f"{said!r} is no header", do="State it as NAME=VALUE, or NAME=env:VARIABLE")
    return name.strip(), value.strip()
