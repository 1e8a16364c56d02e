"""Sheets drawn as text: cells apart by `|`, leading `_` for blanks, `'` before a text that looks like a number."""

from __future__ import annotations

import datetime as dt
from typing import Any


def cell(text: str) -> Any:
    """One drawn cell; `date:2031-05-02` is a day, and `\\n` a line break."""
    bare = text.strip()
    if text.startswith("_"):
        return text.replace("_", " ").rstrip()
    if bare.startswith("'"):
        return bare[1:]
    if bare.startswith("date:"):
        return dt.date.fromisoformat(bare[5:])
    try:
        return float(bare) if bare else ""
    except ValueError:
        return bare.replace("\\n", "\n")
