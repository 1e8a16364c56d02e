"""Atomic writing: a file is whole or not there; data and proof change together, or are mended by the next run."""

from __future__ import annotations

import hashlib
import json
import os
import platform
import re
import tempfile
import time
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Iterator

# Only what this program left half written is ever taken away; whether a process of another machine runs can't be asked, but
# hardly one takes an hour for a file.
_HERE = hashlib.sha256(platform.node().encode()).hexdigest()[:8]
_PART = re.compile(r"\.(?P<name>.+)\.(?P<machine>[0-9a-f]{8})-(?P<process>\d+)\.[^.]+\.kebrin-part")
_LEFT_SECONDS = 3_600
#: The files that this process has put in place, for what is said when it is stopped.
written: list[Path] = []


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A temporary file beside `path` that takes its place when the block ends well, and goes when it does not.

    Raises:
        OutputError: the folder can't be made or written to, or the disk is full.
    """
    with whole_files([path]) as (part,):
        yield part


@contextmanager
def whole_files(paths: list[Path]) -> Iterator[list[Path]]:
    """Temporary files beside some paths that take their places together when the block ends well.

    All are complete before the first takes its place. The last of them is the one that vouches for the others (a proof): what
    a kill between two leaves is mended by `clear_leftovers`.
    """
    parts: list[Path] = []
    try:
        parts.extend(map(_part_of, paths))
        yield parts
        for part in parts:
            part.chmod(_usual_mode())
            _to_disk(part)
        _put_in_place(list(zip(reversed(parts), reversed(paths), strict=True)))
        written.extend(reversed(paths))
    except OSError as error:
        raise OutputError(
            "the output can't be written", Place(str(paths[0])), why=error.strerror or str(error),
            do="Make room, or name a file that can be written",
        ) from error  # fmt: skip
    finally:
        for part in parts:
            with suppress(OSError):
                part.unlink(missing_ok=True)


def _put_in_place(pairs: list[tuple[Path, Path]]) -> None:
    """Have parts take their places; if one can't, those before it are as they were: proofs are small, and they come first."""
    before: list[tuple[Path, bytes | None]] = []
    try:
        for number, (part, path) in enumerate(pairs, start=1):
            if number < len(pairs):
                before.append((path, path.read_bytes() if path.exists() else None))
            part.replace(path)
    except OSError:
        for path, content in before:
            with suppress(OSError):
                if content is None:
                    path.unlink(missing_ok=True)
                elif path.read_bytes() != content:
                    path.write_bytes(content)
        raise


def _part_of(path: Path) -> Path:
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(
        prefix=f".{path.name}.{_HERE}-{os.getpid()}.", suffix=".kebrin-part", dir=path.parent
    )
    os.close(handle)
    return Path(name)


def _to_disk(part: Path) -> None:
    with part.open("rb") as file:
        os.fsync(file.fileno())


def clear_leftovers(folder: Path) -> None:
    """Mend what a killed run has left in a folder: finish a pair of data and proof that was half in place, remove the rest."""
    if not folder.is_dir():
        return
    for part in folder.glob(".*.kebrin-part"):
        match = _PART.fullmatch(part.name)
        if match is None or not _is_left(part, match):
            continue
        target = folder / match["name"]
        with suppress(OSError):
            if _is_awaited(target, part):
                part.replace(target)
            part.unlink(missing_ok=True)


def _is_left(part: Path, match: re.Match[str]) -> bool:
    """Whether whoever wrote a part has ended."""
    if match["machine"] == _HERE:
        return not _runs(int(match["process"]))
    with suppress(OSError):
        return time.time() - part.stat().st_mtime > _LEFT_SECONDS
    return False


def _is_awaited(target: Path, part: Path) -> bool:
    """Whether the proof beside a file speaks of what stands in a leftover, and not of what the file holds."""
    try:
        proof = json.loads(target.with_name(f"{target.name}.proof.json").read_text("utf-8"))
        wanted = proof["output"]["sha256"]
    except (OSError, ValueError, KeyError, TypeError):
        return False
    return bool(_digest(part) == wanted and not (target.exists() and _digest(target) == wanted))


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _runs(process: int) -> bool:
    if process == os.getpid():
        return False  # whole_file has removed its own by now
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def _usual_mode() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask
