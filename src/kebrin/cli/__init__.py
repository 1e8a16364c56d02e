"""The command line: a thin shell over `kebrin.api`. Heavy packages are imported by the commands that need them."""

from __future__ import annotations

import gc
import os
import signal
import sys
import warnings
from io import TextIOWrapper


class _NoFrames:
    """Says that pandas is not there, as it may be; loading it takes a third of a second."""

    def find_spec(self, fullname: str, path: object = None, target: object = None) -> None:
        """Nothing for other modules, so that the next one is asked.

        Raises:
            ModuleNotFoundError: it is pandas.
        """
        del path, target
        if fullname == "pandas":
            raise ModuleNotFoundError(f"No module named {fullname!r}", name=fullname)


def main() -> None:
    """Run the `kebrin` command and end the process."""
    from kebrin.cli.ahead import head_start

    # No linear algebra is done here: threads made ready for it would only cost time.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    # No plug-in has a say in what a plan may hold; to look for them in every package installed takes its time.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    # Arrow loads pandas, where it is installed, to see whether a value is one of its own. No command makes any.
    sys.meta_path.insert(0, _NoFrames())
    # Cells come by the hundred thousand and form no circles: looking for some all the time is in vain.
    gc.set_threshold(200_000, 20, 20)
    _stop_cleanly()
    if not sys.warnoptions:
        warnings.simplefilter("ignore")  # what packages beneath have to say is for their makers
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
    number = _ended(code)
    if "multiprocessing.util" in sys.modules:
        sys.exit(number)  # workers leave locks of the system's, which an orderly end takes away
    os._exit(number)


def _ended(code: object) -> int:
    """Say all that is still to be said and take away what is no longer needed; the exit code as a number.

    All files are closed and all output is flushed; taking half a million cells apart one by one helps nobody.
    """
    if "kebrin.cli.journal" in sys.modules:
        sys.modules["kebrin.cli.journal"].end(code or 0)
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
    return code if isinstance(code, int) else int(code is not None)


def _stop_cleanly() -> None:
    """Have a request to end, or the end of the terminal, undo what is half done, as Ctrl-C does."""

    def stop(number: int, _: object) -> None:
        ending.stopped_by.append(number)
        raise KeyboardInterrupt

    from kebrin.cli import ending

    for name in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, name):  # not every system has both
            signal.signal(getattr(signal, name), stop)
