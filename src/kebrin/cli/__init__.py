"""The command line: a thin shell over `kebrin.api`. Heavy packages are imported by the commands that need them."""

from __future__ import annotations

import gc
import os
import sys
from io import TextIOWrapper


def main() -> None:
    """Run the `kebrin` command and end the process."""
    from kebrin.cli.ahead import head_start

    # No linear algebra is done here: threads made ready for it would only cost time.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    # No plug-in has a say in what a plan may hold; to look for them in every package installed takes its time.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    # Cells come by the hundred thousand and form no circles: looking for some all the time is in vain.
    gc.set_threshold(200_000, 20, 20)
    head_start(sys.argv[1:])
    from kebrin.cli.app import app

    for stream in (sys.stdout, sys.stderr):
        # A terminal that can't show a sign shows a stand-in, and a file name that is no UTF-8 can still be told.
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    code: object = 0
    try:
        app(prog_name="kebrin")
    except SystemExit as end:
        code = end.code
    # All files are closed and all output is flushed; taking half a million cells apart one by one helps nobody.
    try:
        for stream in (sys.stdout, sys.stderr):
            if stream is not None:  # closed by whoever called
                stream.flush()
    except BrokenPipeError:
        code = 0
    except (OSError, ValueError):
        code = code or 1  # what was said could not be written: the disk is full, or the output closed
    if "kebrin.sources.temporary" in sys.modules:
        sys.modules["kebrin.sources.temporary"].remove_all()
    number = code if isinstance(code, int) else int(code is not None)
    if "multiprocessing.util" in sys.modules:
        sys.exit(number)  # workers leave locks of the system's, which an orderly end takes away
    os._exit(number)
