"""Kebrin turns reports made for eyes into tidy long tables, and proves that nothing was lost.

>>> import kebrin as kb
>>> run = kb.tidy(kb.demo_file("traffic_2031.xlsx"))
>>> run.holds
True

Names are loaded when they are first used: `import kebrin` costs next to nothing.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

from kebrin.version import VERSION

if TYPE_CHECKING:
    from kebrin.api import (
        Block,
        Plan,
        Proof,
        Report,
        Run,
        Sheet,
        Table,
        as_table,
        draft,
        drift,
        load_plan,
        read,
        readings,
        tidy,
        tidy_reports,
    )
    from kebrin.demo import demo_file
    from kebrin.errors import KebrinError, LayoutError, OutputError, Place, PlanError, SourceError
    from kebrin.layout import Evidence, Layout

__version__ = VERSION

_HOMES = {
    "Block": "api", "Evidence": "layout", "KebrinError": "errors", "Layout": "layout", "LayoutError": "errors",
    "OutputError": "errors", "Place": "errors", "Plan": "api", "PlanError": "errors", "Proof": "api", "Report": "api",
    "Run": "api", "Sheet": "api", "SourceError": "errors", "Table": "api", "as_table": "api", "demo_file": "demo", "draft": "api",
    "drift": "api", "load_plan": "api", "read": "api", "readings": "api", "tidy": "api", "tidy_reports": "api",
}  # fmt: skip

__all__ = [
    "Block", "Evidence", "KebrinError", "Layout", "LayoutError", "OutputError", "Place", "Plan", "PlanError", "Proof",
    "Report", "Run", "Sheet", "SourceError", "Table", "__version__", "as_table", "demo_file", "draft", "drift",
    "load_plan", "read", "readings", "tidy", "tidy_reports",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    if name in _HOMES:
        return getattr(import_module(f"kebrin.{_HOMES[name]}"), name)
    raise AttributeError(f"module 'kebrin' has no attribute {name!r}")


def __dir__() -> list[str]:
    return sorted(__all__)
