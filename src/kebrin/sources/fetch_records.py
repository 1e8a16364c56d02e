"""What stands beside a file that was fetched: how it came, and what came; its reader holds the file to it."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.cells import Report

ENDING = ".fetched.json"


def account_path(path: Path) -> Path:
    """Where the account of a fetched file stands.

    >>> from pathlib import Path
    >>> account_path(Path("calls.json")).name
    'calls.json.fetched.json'
    """
    return path.with_name(path.name + ENDING)


def with_account(report: Report, path: Path) -> Report:
    """A report with what is said beside it of how it was fetched; as it is where it was not, or was changed since."""
    beside = account_path(path)
    if not beside.is_file():
        return report
    try:
        account: dict[str, Any] = json.loads(beside.read_text("utf-8"))
        if account["sha256"] != report.digest:
            return replace(report, said=(*report.said, "it was fetched, and changed since"))
        stated = "" if account["stated"] is None else f" of {account['stated']:,} stated"
        said = f"fetched from {account['url']}: {account['records']:,} records{stated}, pages: {account['pages']:,}"
        asks, lacks = map(str, account["asks"]), map(str, account["lacks"])
    except (ValueError, KeyError, TypeError):
        return replace(report, said=(*report.said, f"the account beside it, {beside.name}, can't be read"))
    return replace(report, said=(*report.said, said), lacks=(*report.lacks, *lacks), asks=(*report.asks, *asks))
