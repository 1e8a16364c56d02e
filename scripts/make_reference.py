"""Write what is made from the code: the plan's JSON Schema and docs/plan.md. `python scripts/make_reference.py`."""

from __future__ import annotations

import inspect
import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.errors import ValuesError
from kebrin.plan import choices, model
from kebrin.plan.steps import VERBS, verb_of
from kebrin.shape.detailing import detail
from kebrin.shape.ranking import total_row
from kebrin.table import Table
from kebrin.work.places import FieldPlace
from kebrin.work.stepping import TAKEN

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from truths import TRUTHS  # noqa: E402 - the tests hold what this shows

COMMANDS = ROOT / "docs" / "commands.md"
VALUES = ROOT / "docs" / "values.md"
SCHEMA = ROOT / "src" / "kebrin" / "plan" / "plan.schema.json"
REFERENCE = ROOT / "docs" / "plan.md"


def schema_text() -> str:
    """The JSON Schema of a plan."""
    schema = model.PlanModel.model_json_schema(by_alias=True)
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    return json.dumps(schema, indent=1, ensure_ascii=False) + "\n"


def commands_text() -> str:
    """What `--help` says of every command."""
    import typer
    from click.testing import CliRunner

    from kebrin.cli.app import app

    command: Any = typer.main.get_command(app)
    runner = CliRunner(env={"COLUMNS": "100", "TERM": "dumb", "NO_COLOR": "1"})
    parts = ["# The commands", "", "Made from `--help` by `scripts/make_reference.py`; a test holds the two together."]
    for name in ("", *command.commands):
        said = runner.invoke(command, [*([name] if name else []), "--help"], prog_name="kebrin").output.strip()
        parts += ["", f"## kebrin {name}".strip(), "", "```text", said, "```"]
    return "\n".join(parts) + "\n"


def reference_text() -> str:
    """Every part of a plan with its keys and what they mean."""
    parts = [
        "# The plan, key by key",
        "",
        "Made from the model by `scripts/make_reference.py`; a test holds the two together.",
    ]
    for title, part in (
        ("The plan", model.PlanModel),
        ("`[table.NAME]`", model.TablePlan),
        ("`sheets`", choices.SheetChoice),
        ("`fetch`", choices.FetchPlan),
        ("`choose`", choices.ChoosePlan),
        ("`text`", choices.TextPlan),
        ("`expect`", choices.ExpectPlan),
        ("`rows` of expect", choices.RowsPlan), ("A range of values", choices.RangePlan),
        ("`[table.NAME.layout]`", model.LayoutPlan), ("A place for a field", FieldPlace),
        *((f"`[[table.NAME.step]]` with `{verb}`", step) for verb, step in VERBS.items()),
        ("`[proof]`", model.ProofPlan), ("`[[output]]`", model.OutputPlan),
    ):  # fmt: skip
        said = inspect.cleandoc(part.__doc__ or "").split(">>>")[0].rstrip()
        parts += ["", f"## {title}", "", said]
        if part in VERBS.values():
            parts += ["", "| key | takes | default | means |", "|---|---|---|---|", *_step_rows(part)]
        elif part is not FieldPlace:
            parts += ["", "| key | takes | default |", "|---|---|---|", *_rows(part)]
    return "\n".join(parts) + "\n"


def _step_rows(part: Any) -> list[str]:
    """The keys of a step, with what the function of its verb says of them."""
    verb = verb_of(part)
    apart: dict[str, Callable[..., Any]] = {"detail": detail, "total_row": total_row}
    function = apart.get(verb) or TAKEN[verb]
    said = _arguments(function)
    first = "label" if verb == "total_row" else list(inspect.signature(function).parameters)[1]
    said |= {
        verb: said[first], "into": said.get("into", "the name of the new table"),
        "where": "the rows that are read, by a condition as `only` takes it; all by default",
        "misses": "a table of the keys of either side that the other does not have, under this name",
    }  # fmt: skip
    rows = zip(part.model_fields, _rows(part), strict=True)
    return [f"{row} {said[name].replace('|', '/')} |" for name, row in rows]


def _arguments(function: Callable[..., Any]) -> dict[str, str]:
    """What a docstring says of each argument."""
    lines = inspect.cleandoc(function.__doc__ or "").split("Args:", 1)[1].split("\n\n", 1)[0].splitlines()[1:]
    found: dict[str, str] = {}
    for line in lines:
        name, colon, text = line.strip().partition(": ")
        if colon and len(line) - len(line.lstrip()) == 4:
            found[name] = text
        else:
            found[next(reversed(found))] += f" {line.strip()}"
    return found


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
    kinds = {
        "string": "text", "array": "a list", "object": "a table", "number": "a number", "integer": "a whole number",
        "boolean": "true or false",
    }  # fmt: skip
    return kinds.get(said.get("type", ""), "a table")


def _default(said: dict[str, Any]) -> str:
    # A default that is a model of its own says nothing here.
    default = said.get("default")
    if default in (None, "", [], {}) or isinstance(default, dict):
        return "worked out" if default is None else "none"
    return f"`{json.dumps(default)}`"


def values_text() -> str:
    """What each verb makes of each style, by running it."""
    parts = [
        "# Styles in, values out",
        "",
        "Each line is a column of texts, and the column that the verb makes of it; `·` is a missing value. A column is read by",
        "one convention, stated or found over the whole column. What can't be decided is asked, and what can't be read is listed",
        "with its cells, never taken for something else. Made by `scripts/make_reference.py`; tests hold each line.",
    ]
    for verb in dict.fromkeys(truth[0] for truth in TRUTHS):
        parts += ["", f"## {verb}", "", "| options | in | out |", "|---|---|---|"]
        for name, options, texts, _ in TRUTHS:
            if name == verb:
                said = ", ".join(f"`{key} = {json.dumps(value)}`" for key, value in options.items())
                parts.append(f"| {said} | {_cells(texts)} | {_cells(_made(verb, options, texts))} |")
    parts += ["", "## What is asked", ""]
    parts += [f"- {_cells(texts)}: {_question(verb, texts)}" for verb, texts in ASKED]
    return "\n".join(parts) + "\n"


ASKED = [
    ("number", ["1,234", "2,345"]), ("number", ["1.234,5", "1,234.5"]), ("number", ["1 CR", "2"]), ("number", ["€ 1", "£ 2"]),
    ("date", ["01/02/2031", "03/04/2031"]), ("date", ["25/01/2031", "01/25/2031"]), ("date", ["25/01/31"]),
    ("period", ["Jan", "Feb"]), ("flag", ["yes", ""]),
]  # fmt: skip


def _table(texts: list[Any]) -> Table:
    return Table(pa.table({"column": pa.array(texts, pa.string())}), ())


def _made(verb: str, options: dict[str, Any], texts: list[Any]) -> list[Any]:
    return TAKEN[verb](_table(texts), "column", **options).data.column("column").to_pylist()  # type: ignore[no-any-return]


def _question(verb: str, texts: list[Any]) -> str:
    try:
        _made(verb, {}, texts)
    except ValuesError as error:
        return str(error)
    raise AssertionError(texts)


def _cells(values: Sequence[Any]) -> str:
    shown = ["·" if value is None else str(value).replace("\t", "→").replace("|", "\\|") for value in values]
    return " ".join(f"`{one}`" if one else "(blank)" for one in shown)


MADE = {VALUES: values_text, SCHEMA: schema_text, REFERENCE: reference_text, COMMANDS: commands_text}

if __name__ == "__main__":
    if "--check" in sys.argv:
        stale = [path.name for path, text in MADE.items() if path.read_text("utf-8") != text()]
        sys.exit(f"made anew they would differ: {', '.join(stale)}" if stale else 0)
    for path, text in MADE.items():
        path.write_text(text(), "utf-8")
    print(", ".join(path.name for path in MADE), "written")
