"""Fetch: a list behind an address as a file, with an account of how it came beside it; what reads the file holds it to that."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from kebrin.deliver.atomic import whole_files
from kebrin.errors import OutputError, Place, PlanError
from kebrin.sources.fetch_records import account_path
from kebrin.sources.files import digest
from kebrin.sources.services import Listed, Service, listed

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path

_ENDINGS = {"json": (".json", ".jsonl", ".ndjson"), "csv": (".csv",)}


@dataclass(frozen=True)
class Fetched:
    """A list that was fetched: its file, and what came."""

    path: Path
    listed: Listed

    @property
    def holds(self) -> bool:
        """Whether all came that the service says there is."""
        return not self.listed.lacks


def fetch(service: Service, path: Path, *, overwrite: bool = False) -> Fetched:
    """Fetch a list into a file; one that lacks records is written as `.unproved`, and the last good file stays.

    Args:
        service: the service, and what is asked of it.
        path: the file: .json or .jsonl for JSON, .csv for delimited text.
        overwrite: replace also a file that was not fetched, or that was changed since.

    Raises:
        SourceError: the service can't be reached, or gives no list.
        OutputError: the file is another's, or can't be written.
    """
    _refuse_others(path, overwrite=overwrite)
    found = listed(replace(service, headers=_from_environment(service.headers)))
    if path.suffix.lower() not in _ENDINGS[found.kind]:
        raise OutputError(
            f"the list is {found.kind.upper()}, and the file's name says something else", Place(str(path)),
            do=f"Name a file that ends in {' or '.join(_ENDINGS[found.kind])}",
        )  # fmt: skip
    if not found.lacks:
        _write(service, found, path)
        return Fetched(path, found)
    held = path.with_name(f"{path.stem}.unproved{path.suffix}")
    _write(service, found, held)
    return Fetched(held, found)


def _write(service: Service, found: Listed, path: Path) -> None:
    with whole_files([path, account_path(path)]) as (part, beside):
        part.write_text(_text(found, path), "utf-8", newline="")
        account = {
            "kebrin fetch": 1, "url": service.url, "at": datetime.now(UTC).isoformat(timespec="seconds"),
            "pages": len(found.sizes), "records": sum(found.sizes), "stated": found.stated, "lacks": list(found.lacks),
            "asks": list(found.asks), "sha256": digest(part),
        }  # fmt: skip
        beside.write_text(json.dumps(account, ensure_ascii=False, indent=1) + "\n", "utf-8")


def _text(found: Listed, path: Path) -> str:
    if found.kind == "csv":
        import csv
        import io

        out = io.StringIO(newline="")
        csv.writer(out, lineterminator="\n").writerows(found.records)
        return out.getvalue()
    lines = [json.dumps(one, ensure_ascii=False) for one in found.records]
    return (
        "[\n" + ",\n".join(lines) + "\n]\n" if path.suffix.lower() == ".json" else "".join(f"{one}\n" for one in lines)
    )


def _refuse_others(path: Path, *, overwrite: bool) -> None:
    if overwrite or not path.exists():
        return
    beside = account_path(path)
    known: dict[str, Any] = {}
    if beside.is_file():
        try:
            known = json.loads(beside.read_text("utf-8"))
        except ValueError:
            known = {}
    if known.get("sha256") != digest(path):
        raise OutputError(
            "a file of this name is there, and it was not fetched as it is now", Place(str(path)),
            do="Name another file, or pass --replace",
        )  # fmt: skip


def _from_environment(headers: Mapping[str, str]) -> dict[str, str]:
    """Headers whose values stand in the environment, so that no secret stands in a plan."""
    found = {}
    for name, value in headers.items():
        if value.startswith("env:"):
            known = os.environ.get(value[4:])
            if known is None:
                raise PlanError(
                    f"the header {name} is to come from the environment, and {value[4:]} is not set there",
                    do=f"Set it: export {value[4:]}=...",
                )
            found[name] = known
        else:
            found[name] = value
    return found
