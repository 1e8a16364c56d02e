"""The notebook of the examples runs from top to bottom, and objects show themselves in it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import nbformat
from nbclient import NotebookClient

NOTEBOOK = Path(__file__).parent.parent / "examples" / "first_look.ipynb"


def test_the_notebook_runs_and_what_is_left_at_the_end_of_a_cell_shows_itself(tmp_path: Path) -> None:
    notebook: Any = nbformat.read(NOTEBOOK, as_version=4)  # type: ignore[no-untyped-call]
    assert all(not cell.get("outputs") for cell in notebook.cells), "it is kept without outputs"
    NotebookClient(notebook, timeout=120, resources={"metadata": {"path": str(tmp_path)}}).execute()
    shown = [out["data"] for cell in notebook.cells if cell.cell_type == "code" for out in cell.outputs]
    pages = [data["text/html"] for data in shown if "text/html" in data]
    assert len(pages) >= 5
    assert any("Proved: nothing was lost" in page for page in pages)
    assert any("(True, True)" in data.get("text/plain", "") for data in shown)
