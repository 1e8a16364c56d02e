"""The command line: a thin shell over `kebrin.api`. Heavy packages are imported by the commands that need them."""

from __future__ import annotations

import os
import sys


def main() -> None:
    """Run the `kebrin` command and end the process."""
    from kebrin.cli.ahead import head_start

    # No linear algebra is done here: threads made ready for it would only cost time.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    head_start(sys.argv[1:])
    from kebrin.cli.app import app

    code: object = 0
    try:
        app(prog_name="kebrin")
    except SystemExit as end:
        code = end.code
    # All files are closed and all output is flushed; taking half a million cells apart one by one helps nobody.
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except BrokenPipeError:
        code = 0
    os._exit(code if isinstance(code, int) else int(code is not None))
