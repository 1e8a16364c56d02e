"""`kebrin look`."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any, NamedTuple

from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.deliver import charts
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.guard import proof_path
from kebrin.errors import OutputError, Place
from kebrin.shape.looking import look as looked
from kebrin.shape.looking import with_numbers
from kebrin.sources.tidy_tables import read_table

if TYPE_CHECKING:
    from pathlib import Path

    from kebrin.table import Table


class Asked(NamedTuple):
    """The options of the command."""

    by: tuple[str, ...] = ()
    of: str = ""
    what: str = ""
    against: Path | None = None
    replace: bool = False


def look(file: Path, output: Path, asked: Asked, *, as_json: bool) -> int:
    """Draw a chart of a table."""
    if output.suffix.lower() not in charts.ENDINGS:
        raise OutputError(
            f"a chart is not written as {output.suffix or 'a file without an ending'!r}", Place(str(output)),
            do=f"Name a file that ends in {', '.join(charts.ENDINGS)}",
        )  # fmt: skip
    found = looked(_read(file), asked.by, asked.of, asked.what)
    before = None
    if asked.against is not None:
        before = looked(_read(asked.against), found.by, "" if found.kind == "full" else found.of, asked.what)
    other = asked.against.stem if asked.against is not None else ""
    title = f"{found.of} by {' and '.join(found.by)}" if found.by else f"{found.of}, {file.name}"
    figure = charts.draw(found, title, sources=_sources(file), before=before, name=other)
    content, letters = charts.write(figure, output)
    if output.exists() and not asked.replace and charts.SIGN.encode() not in output.read_bytes():
        raise OutputError(
            "a file that is no chart of Kebrin's stands there", Place(str(output)), do="Name another, or pass --replace"
        )
    with whole_file(output) as part:
        part.write_bytes(content)
    if as_json:
        values = [None if one != one else one for one in found.values.ravel().tolist()]  # noqa: PLR0124 - not a number
        said = {"file": str(output), "kind": found.kind, "of": found.of, "by": list(found.by), "rows": list(found.rows),
                "across": list(found.across), "said": list(found.said)}  # fmt: skip
        print(json.dumps(said | ({"values": values} if found.kind != "spread" else {}), ensure_ascii=False))
        return Exit.DONE
    out = show.console()
    show.heading(out, f"{output}: {title}")
    for one in (*found.said, *([letters] if letters else [])):
        show.line(out, f"· {one}")
    return Exit.DONE


def _read(file: Path) -> Table:
    """A table from a file, its numbers as numbers."""
    try:
        measures = [str(name) for name in _proof(file)["output"]["measures"]]
    except (KeyError, TypeError):
        measures = []
    return with_numbers(read_table(file), measures)


def _proof(file: Path) -> dict[str, Any]:
    """What the proof beside a file says; nothing where there is none."""
    try:
        found = json.loads(proof_path(file).read_text("utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _sources(file: Path) -> list[str]:
    """The table's file, and the files that its proof says it was made of."""
    try:
        names = [str(source["file"]).replace("\\", "/").rpartition("/")[2] for source in _proof(file)["sources"]]
    except (KeyError, TypeError):
        return [file.name]
    more = f" and {len(names) - 3} more" if len(names) > 3 else ""
    return [f"{file.name} (made of {', '.join(names[:3])}{more})"]
