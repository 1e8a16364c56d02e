"""The lowest packages that Kebrin says it works with, a line each, for an environment that is made of them.

python scripts/lowest.py > lowest.txt
pip install -r lowest.txt && pip install --no-deps .
"""

from __future__ import annotations

import re
import tomllib
from pathlib import Path

PROJECT = Path(__file__).parent.parent / "pyproject.toml"


def lowest() -> list[str]:
    """Each package that is always needed, at the lowest version of its range."""
    stated = tomllib.loads(PROJECT.read_text("utf-8"))["project"]["dependencies"]
    return [re.sub(r">=\s*([\d.]+).*", r"==\1", one) for one in stated]


if __name__ == "__main__":
    print("\n".join(lowest()))
