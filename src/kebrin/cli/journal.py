"""A log for programs: a line of JSON for each thing that happened, without what stands in cells unless that is asked for."""

from __future__ import annotations

import json
import logging
import time
from typing import TYPE_CHECKING, Any

from kebrin.errors import OutputError, Place
from kebrin.version import VERSION

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.errors import KebrinError

_log = logging.getLogger("kebrin")
_state: dict[str, Any] = {}


class _Lines(logging.Formatter):
    """A record as an object: when, what happened, and its facts."""

    def format(self, record: logging.LogRecord) -> str:
        """One line."""
        facts = {"at": round(record.created, 3), "level": record.levelname.lower(), "event": record.getMessage()}
        return json.dumps(facts | getattr(record, "facts", {}), ensure_ascii=False, default=str)


def begin(path: Path, command: str, *, values: bool) -> None:
    """Log to a file from now on.

    Raises:
        OutputError: it can't be written to.
    """
    try:
        with path.open("rb") as there:
            first = there.readline(1 << 16)
    except OSError:
        first = b""
    if first and not first.startswith(b'{"at": '):
        raise OutputError(
            "the log would be added to another file", Place(str(path)), why="what stands there is no log of ours",
            do="Name another file for the log",
        )  # fmt: skip
    try:
        handler = logging.FileHandler(path, encoding="utf-8")
    except OSError as error:
        raise OutputError("the log can't be written", Place(str(path)), why=error.strerror or str(error)) from error
    handler.setFormatter(_Lines())
    _log.addHandler(handler)
    _log.setLevel(logging.INFO)
    _log.propagate = False
    _state.update(values=values, begun=time.monotonic())
    say("begun", version=VERSION, command=command)


def say(event: str, **facts: object) -> None:
    """One thing that happened; nothing is done where no log is kept."""
    if _state:
        _log.info(event, extra={"facts": facts})


def said(error: KebrinError) -> None:
    """An error of ours: its kind and place; its words, which may hold what stands in cells, only if that was asked for."""
    if _state:
        where = error.where
        facts: dict[str, object] = {
            "error": type(error).__name__,
            "file": where.file,
            "sheet": where.sheet,
            "line": where.line,
        }
        if _state["values"]:
            facts |= {"what": error.what, "why": error.why, "cell": where.cell}
        _log.error("error", extra={"facts": facts})


def end(code: object) -> None:
    """The end of the command, with its exit code and how long it took."""
    if _state:
        say("ended", code=code, seconds=round(time.monotonic() - _state["begun"], 3))
