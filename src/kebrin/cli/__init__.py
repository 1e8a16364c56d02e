"""The command line: a thin shell over `kebrin.api`. Heavy packages are imported by the commands that need them."""

from __future__ import annotations

import sys


def main() -> None:
    """Run the `kebrin` command."""
    from kebrin.cli.ahead import head_start

    head_start(sys.argv[1:])
    from kebrin.cli.app import app

    app(prog_name="kebrin")
