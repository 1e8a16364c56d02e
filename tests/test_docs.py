"""Every command and plan of the how-to pages is run, and every link between pages leads somewhere."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from kebrin.table import FindingKind

DOCS = Path(__file__).parent.parent / "docs"
_BLOCK = re.compile(r"^```(?P<kind>sh|toml|python)\n(?P<text>.*?)^```", re.DOTALL | re.MULTILINE)


def parts(page: str) -> list[tuple[str, str]]:
    """The sections of a page by their headings."""
    text = (DOCS / page).read_text("utf-8")
    found = re.split(r"^## ", text, flags=re.MULTILINE)[1:]
    return [(one.partition("\n")[0], one) for one in found]


_PARTS = [*parts("how-to.md"), *parts("conditions.md"), *parts("python.md")]


@pytest.mark.parametrize(("heading", "text"), _PARTS, ids=[heading for heading, _ in _PARTS])
def test_what_the_how_to_says_is_so(demo: Path, heading: str, text: str) -> None:
    env = {
        **os.environ,
        "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}",
        "KEBRIN_KEEP": str(demo / ".keep"),
    }
    for block in _BLOCK.finditer(text):
        if block["kind"] == "toml":
            name = re.match(r"# (\S+)\n", block["text"])
            if name:
                (demo / name[1]).write_text(block["text"], "utf-8")
            continue
        for line in [block["text"]] if block["kind"] == "python" else block["text"].splitlines():
            words = [sys.executable if block["kind"] == "python" else "bash", "-c", line]
            done = subprocess.run(words, cwd=demo, env=env, capture_output=True, text=True, check=False)
            assert done.returncode == 0, f"{heading}: {line}\n{done.stdout[-1500:]}{done.stderr}"


def test_the_three_minutes_of_the_readme_are_so(demo: Path) -> None:
    text = (DOCS.parent / "README.md").read_text("utf-8").partition("## Three minutes")[2].partition("\n## ")[0]
    env = {**os.environ, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
    lines = re.findall(r"^    (kebrin .*?)(?:\s+#.*)?$", text, re.MULTILINE)
    assert len(lines) >= 6
    for line in lines:
        words = ["bash", "-c", line]
        done = subprocess.run(words, cwd=demo, env=env, capture_output=True, text=True, check=False)
        assert done.returncode == 0, f"{line}\n{done.stdout[-1500:]}{done.stderr}"


def test_links_between_pages_lead_somewhere() -> None:
    for page in [*DOCS.glob("*.md"), DOCS.parent / "README.md"]:
        for link in re.findall(r"\]\((?!https?:)([^)#\s]+)", page.read_text("utf-8")):
            assert (page.parent / link).exists(), f"{page.name}: {link}"


@pytest.mark.parametrize("script", ["make_reference.py", "make_gallery.py"])
def test_what_is_made_from_the_code_is_up_to_date(script: str) -> None:
    done = subprocess.run([sys.executable, f"scripts/{script}", "--check"], cwd=DOCS.parent, check=False)
    assert done.returncode == 0


def test_every_kind_of_finding_is_explained() -> None:
    page = (DOCS / "messages.md").read_text("utf-8")
    assert [kind.value for kind in FindingKind if f"`{kind.value}`" not in page] == []
