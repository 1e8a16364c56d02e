"""How a command ends: exit codes, and errors told in one line on standard error."""

from __future__ import annotations

import json
import os
import sys
import traceback
from contextlib import contextmanager, suppress
from enum import IntEnum
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.errors import KebrinError, OutputError, PlanError, SourceError, ValuesError

if TYPE_CHECKING:
    from collections.abc import Iterator


#: The signals that asked this process to end, Ctrl-C left out.
stopped_by: list[int] = []


class Exit(IntEnum):
    """The exit codes, the same for every command."""

    DONE = 0
    UNFORESEEN = 1
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
        if "kebrin.cli.journal" in sys.modules:
            sys.modules["kebrin.cli.journal"].said(error)
        if as_json:
            where = error.where
            print(json.dumps({
                "error": type(error).__name__, "what": error.what, "why": error.why, "do": error.do,
                "where": {"file": where.file, "sheet": where.sheet, "cell": where.cell, "line": where.line},
                **({"written": names} if (names := _put_in_place()) else {}),
            }, ensure_ascii=False))  # fmt: skip
        half = f" {_begun(_changed())}." if _put_in_place() else ""
        print(f"kebrin: {plain(str(error))}{plain(half)}", file=sys.stderr)
        raise SystemExit(code_of(error)) from None
    except BrokenPipeError:
        with suppress(OSError, ValueError):  # what is still to be flushed goes nowhere
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        raise SystemExit(Exit.DONE) from None
    except KeyboardInterrupt:
        print(f"kebrin: stopped; {_changed()}", file=sys.stderr)
        raise SystemExit(128 + (stopped_by[-1] if stopped_by else 2)) from None  # as shells tell it
    except Exception as error:  # noqa: BLE001 - no traceback reaches a user, whatever is wrong
        print(f"kebrin: {plain(_unforeseen(error))}", file=sys.stderr)
        raise SystemExit(Exit.WRONG_USE if isinstance(error, OSError) else Exit.UNFORESEEN) from None


def _put_in_place() -> list[str]:
    """The outputs that were put in place so far, their proofs with them."""
    atomic = sys.modules.get("kebrin.deliver.atomic")
    return [str(path) for path in getattr(atomic, "written", ())]


def _changed() -> str:
    """Which outputs were put in place before a stop."""
    names = _put_in_place()
    return f"already written: {', '.join(names)}" if names else "no output was changed"


def _begun(said: str) -> str:
    """A clause as a sentence begins; names in it stay as they are."""
    return said[:1].upper() + said[1:]


def _unforeseen(error: Exception) -> str:
    """A mistake that is not told properly yet: what it is, where it came up, and what to do."""
    if isinstance(error, OSError):
        where = f" ({error.filename})" if error.filename else ""
        return (
            f"the system refused: {error.strerror or error}{where}. {_begun(_changed())}. Check the disk and the file"
        )
    if isinstance(error, MemoryError):
        return f"there is not enough memory for this. {_begun(_changed())}. Read fewer files or sheets at a time"
    frames = traceback.extract_tb(error.__traceback__)
    own = [frame for frame in frames if "kebrin" in frame.filename] or frames
    at = f"{Path(own[-1].filename).stem}, line {own[-1].lineno}" if own else "an unknown place"
    said = str(error).splitlines()[0][:200] if str(error) else ""
    return (
        f"Kebrin failed here, and should not have: {type(error).__name__} in {at}{': ' + said if said else ''}. "
        f"{_begun(_changed())}. Leave out the file or sheet that is unlike the others, and please report this line"
    )


def plain(text: str) -> str:
    r"""A text for a terminal: signs that steer it or turn the direction of writing are made visible.

    >>> plain("a\x1b[31mb\u202ec")
    'a␛[31mb<U+202E>c'
    """
    if text.isprintable():
        return text
    return "".join(letter if letter in "\n\t" or letter.isprintable() else _visible(letter) for letter in text)


def _visible(letter: str) -> str:
    code = ord(letter)
    if code < 0x20:
        return chr(0x2400 + code)
    return letter if letter.isspace() else f"<U+{code:04X}>"
