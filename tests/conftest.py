"""Fixtures that all tests share."""

from __future__ import annotations

import os
import subprocess
import sys
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import HealthCheck, settings

from building import write_book
from kebrin.demo import copy_demo
from kebrin.sources.limits import set_limits, stated

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence
    from pathlib import Path

# Hundreds of tests run the command: with its modules compiled once, each takes half the time.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
settings.register_profile(
    "quick", max_examples=40, deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
settings.register_profile("thorough", max_examples=2000, deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile(os.environ.get("HYPOTHESIS_PROFILE", "quick"))


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    """A folder with the demo's files."""
    copy_demo(tmp_path)
    return tmp_path


@pytest.fixture
def kebrin(tmp_path: Path) -> Callable[..., subprocess.CompletedProcess[str]]:
    """The command, run in the test's own folder."""

    def run(*words: object, stdin: str | None = None) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-m", "kebrin", *map(str, words)],
            cwd=tmp_path, capture_output=True, text=True, check=False, encoding="utf-8", input=stdin,
            env={**os.environ, "PYTHONIOENCODING": "utf-8"},
        )  # fmt: skip

    return run


@pytest.fixture
def book(tmp_path: Path) -> Callable[..., Path]:
    """Write a workbook named report.xlsx with one sheet of these rows."""

    def write(rows: Any, merges: Sequence[str] = (), name: str = "Sheet") -> Path:
        return write_book(tmp_path / "report.xlsx", {name: rows}, {name: list(merges)})

    return write


@pytest.fixture
def limited() -> Iterator[Callable[[str], None]]:
    """Let other limits hold for one test, as in limited("cells=1000")."""
    yield lambda said: set_limits(stated([said]))
    set_limits(None)
