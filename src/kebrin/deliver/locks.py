"""Hold outputs while they are written: a second run that would write one of them waits its turn, or is told who holds it."""

from __future__ import annotations

import hashlib
import os
from contextlib import ExitStack, contextmanager, suppress
from typing import TYPE_CHECKING

from filelock import FileLock, Timeout

from kebrin.errors import OutputError, Place
from kebrin.work.keeping import kept_folder, made_private

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence
    from pathlib import Path

#: So many seconds another run is waited for.
SECONDS = 60.0


@contextmanager
def held(outputs: Sequence[Path], *, names: bool = False) -> Iterator[None]:
    """Nobody else writes these outputs meanwhile. The locks are not beside the outputs: nothing is left there.

    Args:
        outputs: the files.
        names: hold the choice of a free name for them, and not what stands under it: that is held apart, while it is.

    Raises:
        OutputError: another run holds one of them for too long.
    """
    locks = kept_folder() / "locks"
    try:
        made_private(locks.parent)
        locks.mkdir(exist_ok=True)
    except OSError:
        yield  # a home that can't be written to: outputs still change as a whole, one after the other
        return
    with ExitStack() as stack:
        # In one order, so that no two runs wait for each other.
        for whole in sorted({str(path.resolve()) for path in outputs}):
            said = f"{whole} (name)" if names else whole
            name = hashlib.sha256(said.encode("utf-8", "surrogateescape")).hexdigest()[:24]
            lock = locks / f"{name}.lock"
            try:
                stack.enter_context(FileLock(lock, timeout=SECONDS))
            except Timeout:
                raise OutputError(
                    "another run is writing this output", Place(whole), why=f"{_holder(lock)} has held it for {SECONDS:.0f} s",
                    do="Wait until it is done, and run this again",
                ) from None  # fmt: skip
            except OSError:
                continue  # a disk without locks
            with suppress(OSError):
                lock.with_suffix(".who").write_text(f"process {os.getpid()}", "utf-8")
        yield


def _holder(lock: Path) -> str:
    try:
        return lock.with_suffix(".who").read_text("utf-8")
    except OSError:
        return "another process"
