"""Write what is made from the code: the plan's JSON Schema and docs/plan.md. `python scripts/make_reference.py`."""

from __future__ import annotations

import inspect
import json
from pathlib import Path
from typing import Any

from kebrin.plan import model

ROOT = Path(__file__).parent.parent
SCHEMA = ROOT / "src" / "kebrin" / "plan" / "plan.schema.json"
REFERENCE = ROOT / "docs" / "plan.md"


def schema_text() -> str:
    """The JSON Schema of a plan."""
    schema = model.PlanModel.model_json_schema(by_alias=True)
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return json.dumps(schema, indent=1, ensure_ascii=False) + "\n"


def reference_text() -> str:
    """Every part of a plan with its keys and what they mean."""
    parts = [
        "# The plan, key by key",
        "",
        "Made from the model by `scripts/make_reference.py`; a test holds the two together.",
    ]
    for title, part in (
        ("The plan", model.PlanModel), ("`[table.NAME]`", model.TablePlan), ("`sheets`", model.SheetChoice),
        ("`[table.NAME.layout]`", model.LayoutPlan), ("A place for a field", model.FieldPlace),
        ("`[proof]`", model.ProofPlan), ("`[[output]]`", model.OutputPlan),
    ):  # fmt: skip
        said = inspect.cleandoc(part.__doc__ or "").split(">>>")[0].rstrip()
        parts += ["", f"## {title}", "", said]
        if part is not model.FieldPlace:
            parts += ["", "| key | takes | default |", "|---|---|---|", *_rows(part)]
    return "\n".join(parts) + "\n"


def _rows(part: Any) -> list[str]:
    schema = part.model_json_schema(by_alias=True)
    needed = schema.get("required", [])
    return [
        f"| `{name}` | {_takes(said)} | {'must be given' if name in needed else _default(said)} |"
        for name, said in schema["properties"].items()
    ]


def _takes(said: dict[str, Any]) -> str:
    if "anyOf" in said:
        return " or ".join(_takes(one) for one in said["anyOf"] if one.get("type") != "null")
    if "enum" in said:
        return " or ".join(f'`"{word}"`' for word in said["enum"])
    if "const" in said:
        return f"`{said['const']}`"
    if "$ref" in said:
        return "a table"
    kinds = {"string": "text", "array": "a list", "object": "a table", "number": "a number", "boolean": "true or false"}
    return kinds.get(said.get("type", ""), "a table")


def _default(said: dict[str, Any]) -> str:
    # A default that is a model of its own says nothing here.
    default = said.get("default")
    if default in (None, "", [], {}) or isinstance(default, dict):
        return "worked out" if default is None else "none"
    return f"`{json.dumps(default)}`"


if __name__ == "__main__":
    SCHEMA.write_text(schema_text(), "utf-8")
    REFERENCE.write_text(reference_text(), "utf-8")
    print(f"{SCHEMA.name} and {REFERENCE.name} written")
