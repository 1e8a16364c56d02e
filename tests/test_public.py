"""What is public, what importing costs, and that what is made from the code is up to date."""

from __future__ import annotations

import importlib.util
import subprocess
import sys
from pathlib import Path

import pytest

import kebrin as kb
from building import write_book

ROOT = Path(__file__).parent.parent


def test_all_is_sorted_and_every_name_is_there() -> None:
    assert sorted(kb.__all__) == kb.__all__
    for name in kb.__all__:
        assert getattr(kb, name) is not None
    with pytest.raises(AttributeError, match="no attribute 'melt'"):
        _ = kb.melt


@pytest.mark.parametrize(
    ("statement", "banned"),
    [
        ("import kebrin", {"numpy", "pyarrow", "pandas", "matplotlib", "typer", "rich", "pydantic"}),
        ("import kebrin; kebrin.read, kebrin.load_plan, kebrin.Table", {"pandas", "matplotlib", "typer", "rich"}),
        ("import kebrin.cli.app", {"numpy", "pyarrow", "pandas", "pydantic"}),
        ("import kebrin.cli.ahead, kebrin.sources.workbook", {"numpy", "pyarrow", "pandas"}),
        ("import kebrin.work.unaided, kebrin.deliver.publish", {"pydantic", "pandas", "typer", "rich"}),
    ],
)
def test_importing_loads_no_more_than_it_must(statement: str, banned: set[str]) -> None:
    code = f"import sys; {statement}; print(' '.join(sys.modules))"
    loaded = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    assert banned.isdisjoint(loaded), sorted(banned.intersection(loaded))


def test_schema_and_reference_say_what_the_model_says() -> None:
    spec = importlib.util.spec_from_file_location("make_reference", ROOT / "scripts" / "make_reference.py")
    assert spec is not None
    assert spec.loader is not None
    made = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    assert made.SCHEMA.read_text("utf-8") == made.schema_text()
    assert made.REFERENCE.read_text("utf-8") == made.reference_text()
    assert made.VALUES.read_text("utf-8") == made.values_text()


EXAMPLES = {
    "traffic": "holds: True; 617 source cells, 0 unclaimed; 276 totals tie exactly",
    "refunds": "number Amount: 120 of 120 cells by a decimal comma",
}


@pytest.mark.parametrize("name", EXAMPLES)
def test_the_examples_run(name: str) -> None:
    command = [sys.executable, str(ROOT / "examples" / f"{name}.py")]
    result = subprocess.run(command, capture_output=True, text=True, check=True, encoding="utf-8")
    assert EXAMPLES[name] in result.stdout
    assert "holds: True" in result.stdout


def test_every_command_is_in_the_readme() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    for command in (
        "survey",
        "tidy",
        "draft",
        "run",
        "fetch",
        "drift",
        "values",
        "look",
        "codes",
        "trace",
        "check",
        "demo",
    ):
        assert f"`kebrin {command}" in readme


@pytest.mark.parametrize("ending", ["csv", "parquet", "json"])
def test_a_first_table_is_made_without_what_frames_need(tmp_path: Path, ending: str) -> None:
    """It is loaded by Arrow where a list or a column is handed over the usual way, and costs more than all else that is done."""
    write_book(
        tmp_path / "r.xlsx", {"S": [["Quay", "Jan", "Feb"], ["Brae", 12, 13], ["Wick", 9, 8], ["Total", 21, 21]]}
    )
    words = ["-X", "importtime", "-m", "kebrin", "tidy", "r.xlsx", "-o", f"o.{ending}"]
    done = subprocess.run([sys.executable, *words], cwd=tmp_path, capture_output=True, text=True, check=True)
    assert (tmp_path / f"o.{ending}").exists()
    assert not [line for line in done.stderr.splitlines() if line.endswith("| pandas")]
