"""Read a plan file; each mistake is reported with its line, its key and the nearest valid word."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import TYPE_CHECKING, Any, get_args, get_origin

from pydantic import BaseModel, ValidationError

from kebrin.errors import Place, PlanError, nearest
from kebrin.plan.given import SET, filled
from kebrin.plan.including import TABLES_OF, set_names, with_tables_of
from kebrin.plan.model import PlanModel
from kebrin.plan.steps import VERBS
from kebrin.sources.limits import limits

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from pydantic_core import ErrorDetails

_HEADER = re.compile(r"\s*(\[\[?)\s*([^\]]+?)\s*\]\]?")
_KEY = re.compile(r"""\s*((?:"[^"]*"|'[^']*'|[\w-]+)(?:\s*\.\s*(?:"[^"]*"|'[^']*'|[\w-]+))*)\s*=""")
_PART = re.compile(r""""([^"]*)"|'([^']*)'|([\w-]+)""")


# So many mistakes of a plan are told at a time; each is looked for in its text.
_TOLD = 12


def read_plan(path: str | Path, given: Mapping[str, Any] | None = None, *, needed: bool = True) -> PlanModel:
    """Read a plan; `given` are the values from outside that it names under `[set]`, `needed` whether none may lack.

    Raises:
        PlanError: the file is missing or no TOML, or says what no plan can say; all mistakes are told at once.
    """
    path = Path(path)
    try:
        if path.exists() and (size := path.stat().st_size) > limits().plan:
            raise PlanError(
                "the plan is too long to be one", Place(str(path)),
                why=f"{size:,} bytes, and the limit 'plan' is {limits().plan:,}", do="Name a plan file",
            )  # fmt: skip
        text = path.read_text("utf-8")
    except OSError as error:
        raise PlanError("the plan can't be read", Place(str(path)), why=error.strerror or str(error)) from error
    except UnicodeDecodeError:
        raise PlanError("the plan is not UTF-8 text", Place(str(path)), do="Save it as UTF-8") from None
    return parse_plan(text, str(path), given, needed=needed)


def parse_plan(
    text: str, file: str = "", given: Mapping[str, Any] | None = None, *, needed: bool = True,
    base: Path | None = None,
) -> PlanModel:  # fmt: skip
    r"""A plan from its text, with the tables of the plans that it names.

    Args:
        text: the plan.
        file: its file, for people.
        given: the values from outside that it names under `[set]`.
        needed: whether none of them may lack.
        base: the folder that names of files are relative to; the file's own by default.

    >>> parse_plan('kebrin = 1\n[table.traffic]\nfile = "a.xlsx"')
    Traceback (most recent call last):
    kebrin.errors.PlanError: line 3: unknown key 'file' in table.traffic: the keys there are choose, columns, ...
    """
    return _read(text, file, given or {}, needed=needed, base=base)[1]


def _read(
    text: str,
    file: str,
    given: Mapping[str, Any],
    *,
    needed: bool,
    base: Path | None = None,
    above: Sequence[Path] = (),
) -> tuple[dict[str, Any], PlanModel]:
    """A plan's content with all that it names in its place, and its model."""
    content = _toml_of(text, file)
    folder = base if base is not None else Path(file).parent
    # A value that only a plan under `tables_of` names is that one's.
    others = set_names(content, folder) - content.get(SET, {}).keys() if given and TABLES_OF in content else set()
    own = {name: value for name, value in given.items() if name not in others}
    if own or SET in content:
        named = content.get(SET, {})
        content = filled(content, own, file, needed=needed) | ({SET: named} if SET in content else {})
    if TABLES_OF in content:
        here = (*above, Path(file).resolve())
        content = with_tables_of(
            content,
            file,
            folder,
            given,
            lambda text, name, own: _read(text, name, own, needed=needed, above=here),
            here,
        )
    return content, _checked(content, text, file)


def _toml_of(text: str, file: str) -> dict[str, Any]:
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        at = re.search(r"line (\d+)", str(error))
        why = re.sub(r" \(at .*\)", "", str(error))
        raise PlanError(
            "the plan is no valid TOML",
            Place(file, line=int(at[1]) if at else 0),
            why=why,
            do="Correct that line",
        ) from None


def _checked(content: Mapping[str, Any], text: str, file: str) -> PlanModel:
    try:
        plan = PlanModel.model_validate(content)
    except ValidationError as error:
        raise _told(error, text, file) from None
    for name, purpose in plan.taken:
        if name not in plan.environment:
            where = Place(file, line=_place_of(text, f"env:{name}"))
            raise PlanError(
                f"the plan takes {name!r} from the environment and does not say so", where,
                why=f"it would be {purpose}; a plan names what it takes",
                do=f"If you trust the plan, add the line environment = {sorted({*plan.environment, name})} below kebrin = 1",
            )  # fmt: skip
    for number, output in enumerate(plan.output):
        if output.what == "table" and output.table not in plan.tables:
            near = nearest(output.table, plan.tables)
            raise PlanError(
                f"the output names the table {output.table!r}", Place(file, line=_line_of(text, ("output", number, "table"))),
                why=f"the plan has {', '.join(plan.tables)}", do=f"Did you mean {near!r}?" if near else "Name one of these",
            )  # fmt: skip
    return plan


def _place_of(text: str, said: str) -> int:
    """The first line that holds a text; 0 for none."""
    return next((number for number, line in enumerate(text.splitlines(), 1) if said in line), 0)


def _told(error: ValidationError, text: str, file: str) -> PlanError:
    # What is missing comes last: often it is there, misspelt.
    every = error.errors(include_url=False)
    found = sorted({_mistake(detail, text) for detail in every[:_TOLD]}, key=lambda told: ("missing" in told[1], told))
    line, what, why, do = found[0]
    if len(found) > 1:
        rest = "; ".join(f"line {at}: {said}" for at, said, *_ in found[1:])
        rest += f"; and {len(every) - _TOLD:,} more" if len(every) > _TOLD else ""
        do = f"{do}. Then also {rest}" if do else f"Then also {rest}"
    return PlanError(what, Place(file, line=line), why=why, do=do)


def _mistake(detail: ErrorDetails, text: str) -> tuple[int, str, str, str]:
    loc = tuple(part for part in detail["loc"] if part != "function-before")
    if len(loc) > 4 and loc[2] == "step":
        loc = (*loc[:4], *loc[5:])  # the verb says which model it is, and is no key of its own
    line = _line_of(text, loc)
    key, inside = str(loc[-1]) if loc else "plan", ".".join(str(part) for part in loc[:-1]) or "the plan"
    if detail["type"] == "extra_forbidden":
        known = sorted(_keys_at(loc[:-1]) or _options_at(detail["loc"]))
        near = nearest(key, known)
        do = f"Did you mean {near!r}?" if near else "Take the key out"
        return line, f"unknown key {key!r} in {inside}", f"the keys there are {', '.join(known)}", do
    if detail["type"] == "missing":
        return line, f"{key!r} is missing in {inside}", "", "Add it"
    if detail["type"] == "no_verb":
        given = next(iter(detail["input"]), "") if isinstance(detail["input"], dict) else detail["input"]
        near = nearest(str(given), VERBS)
        return line, f"no step is called {given!r}", detail["msg"], f"Did you mean {near!r}?" if near else ""
    why = detail["msg"].removeprefix("Value error, ")
    given = detail.get("input")
    if detail["type"] == "literal_error":
        near = nearest(str(given), [word.strip("'") for word in re.findall(r"'[^']+'", why)])
        return line, f"{key} can't be {given!r}", why, f"Did you mean {near!r}?" if near else ""
    return line, f"{key} in {inside} is wrong", why[:1].lower() + why[1:], ""


def _keys_at(loc: tuple[Any, ...]) -> list[str]:
    """The keys that the model knows at a place."""
    model: Any = PlanModel
    inside = False  # a table's name or an output's number is no key of the model
    for part in loc:
        if inside:
            inside = False
            continue
        field = next((f for name, f in model.model_fields.items() if part in {name, f.alias}), None)
        if field is None:
            return []
        inside = get_origin(field.annotation) in {dict, tuple}
        model = _model_in(field.annotation)
    if not (isinstance(model, type) and issubclass(model, BaseModel)):
        return []
    return [field.alias or name for name, field in model.model_fields.items()]


def _options_at(loc: tuple[Any, ...]) -> list[str]:
    """The options of the step at a place."""
    model = VERBS.get(str(loc[4])) if len(loc) > 4 and loc[2] == "step" else None
    return list(model.model_fields) if model else []


def _model_in(annotation: Any) -> Any:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    inner = [_model_in(part) for part in get_args(annotation)]
    return next((part for part in inner if isinstance(part, type) and issubclass(part, BaseModel)), annotation)


def _line_of(text: str, loc: tuple[Any, ...]) -> int:
    """The line of a key, or of the nearest thing around it that the file says."""
    best, best_length = 1, 0
    here: tuple[Any, ...] = ()
    seen: dict[str, int] = {}
    for number, line in enumerate(text.splitlines(), 1):
        if header := _HEADER.match(line):
            here = _parts(header[2])
            if header[1] == "[[":
                seen[header[2]] = seen.get(header[2], -1) + 1
                here = (*here, seen[header[2]])
            path = here
        elif key := _KEY.match(line):
            path = (*here, *_parts(key[1]))
        else:
            continue
        # A key inside an inline table stands on its table's line.
        shared = len(path) if path == loc[: len(path)] else 0
        if shared > best_length:
            best, best_length = number, shared
    return best


def _parts(dotted: str) -> tuple[str, ...]:
    return tuple(next((group for group in match if group), "") for match in _PART.findall(dotted))
