"""How a command ends: exit codes, and errors told in one line on standard error."""

from __future__ import annotations

import json
import sys
from contextlib import contextmanager
from enum import IntEnum
from typing import TYPE_CHECKING

from kebrin.errors import KebrinError, OutputError, PlanError, SourceError, ValuesError

if TYPE_CHECKING:
    from collections.abc import Iterator


class Exit(IntEnum):
    """The exit codes, the same for every command."""

    DONE = 0
    WRONG_USE = 2
    NO_SOURCE = 3
    NOT_PROVED = 4


def code_of(error: KebrinError) -> Exit:
    """The exit code for an error: a plan or an option is wrong (2), or a source can't be read or laid out (3)."""
    if isinstance(error, (PlanError, OutputError, ValuesError)):
        return Exit.WRONG_USE
    return Exit.NO_SOURCE if isinstance(error, SourceError) else Exit.WRONG_USE


@contextmanager
def told(*, as_json: bool = False) -> Iterator[None]:
    """Tell an error of ours in a line, and end with its code; Ctrl-C ends quietly."""
    try:
        yield
    except KebrinError as error:
        sys.stdout.flush()
        if as_json:
            where = error.where
            print(json.dumps({
                "error": type(error).__name__, "what": error.what, "why": error.why, "do": error.do,
                "where": {"file": where.file, "sheet": where.sheet, "cell": where.cell, "line": where.line},
            }, ensure_ascii=False))  # fmt: skip
        print(f"kebrin: {error}", file=sys.stderr)
        raise SystemExit(code_of(error)) from None
    except BrokenPipeError:
        sys.stderr.close()
        raise SystemExit(Exit.DONE) from None
    except KeyboardInterrupt:
        print("kebrin: stopped; no output was changed", file=sys.stderr)
        raise SystemExit(130) from None
