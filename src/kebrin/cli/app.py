"""The commands and their options."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from kebrin.cli.ending import told

app = typer.Typer(
    name="kebrin", no_args_is_help=True, add_completion=True, pretty_exceptions_enable=False, rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100},
    help="Turn reports made for eyes into tidy long tables, and prove that nothing was lost.",
    epilog="Start with: kebrin demo. Exit codes: 0 done and proved; 2 wrong use or plan; 3 a source can't be read; "
    "4 done, but the proof does not hold.",
)  # fmt: skip

Inputs = Annotated[list[str], typer.Argument(metavar="INPUT...", help="Reports: files, folders, or patterns with *.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print the result as JSON for programs.")]
Like = Annotated[
    Path | None,
    typer.Option("--like", metavar="WANTED", help="A few rows of the table you want, columns named as you like."),
]
Replace = Annotated[
    bool, typer.Option("--replace", help="Replace also files that kebrin did not write, or that were changed since.")
]
Accept = Annotated[
    bool,
    typer.Option("--accept", help="Publish the output even if its proof does not hold; the proof records it."),
]

Workers = Annotated[
    int,
    typer.Option("--workers", metavar="N", min=1, help="So many processes work on the files; the result is the same."),
]
Scheduler = Annotated[
    str,
    typer.Option("--scheduler", metavar="ADDRESS", help="A Dask scheduler whose workers do it; needs kebrin[cluster]."),
]

PageFile = Annotated[
    Path | None,
    typer.Option("--page", metavar="FILE.html", help="Write a page that shows the proof, with every cell's account."),
]
NoValues = Annotated[
    bool, typer.Option("--page-without-values", help="On that page show nothing that stands in cells.")
]


def _version(asked: bool) -> None:  # noqa: FBT001 - typer calls it so
    if asked:
        from kebrin import __version__

        typer.echo(f"kebrin {__version__}")
        raise typer.Exit


@app.callback()
def _kebrin(
    context: typer.Context,
    *,
    version: Annotated[  # noqa: ARG001 - it is told by its callback
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version and stop.")
    ] = False,
    limit: Annotated[
        list[str] | None,
        typer.Option("--limit", metavar="NAME=N", help="Raise or lower a limit of what is read; see docs/security.md."),
    ] = None,
    log: Annotated[
        Path | None, typer.Option("--log", metavar="FILE", help="Add what happens to a file, a line of JSON each.")
    ] = None,
    log_values: Annotated[
        bool, typer.Option("--log-values", help="Log also words that may hold what stands in cells.")
    ] = False,
) -> None:
    from kebrin.sources.budget import time_it

    time_it()
    if log is not None:
        with told(as_json=False):
            from kebrin.cli import journal

            journal.begin(log, context.invoked_subcommand or "", values=log_values)
    if limit:
        with told(as_json=False):
            from kebrin.sources.limits import for_all

            for_all(limit)


@app.command(epilog="Example: kebrin tidy traffic_2031.xlsx -o traffic.csv")
def tidy(  # noqa: PLR0913 - an option each
    inputs: Inputs,
    output: Annotated[
        Path, typer.Option("-o", "--output", metavar="OUT", help="File to write: .csv, .parquet or .xlsx.")
    ],
    *,
    keep_blanks: Annotated[
        bool, typer.Option("--keep-blanks", help="Keep a row for each empty cell of the body.")
    ] = False,
    keep_marks: Annotated[
        bool, typer.Option("--keep-marks", help="Keep footnote marks, in a column behind the values.")
    ] = False,
    tolerance: Annotated[
        float | None, typer.Option(min=0, help="Largest difference by which a stated total still ties.")
    ] = None,
    strict: Annotated[bool, typer.Option("--strict", help="An open question counts as not proved.")] = False,
    accept: Accept = False,
    replace: Replace = False,
    guard: Annotated[
        bool, typer.Option("--guard", help="Write texts of a .csv that look like formulas so that they are shown.")
    ] = False,
    page: PageFile = None,
    page_without_values: NoValues = False,
    workers: Workers = 1,
    scheduler: Scheduler = "",
    as_json: AsJson = False,
) -> None:
    """Work out the layout, tidy, prove, write: no plan needed."""
    with told(as_json=as_json):
        from kebrin.cli import tidying

        asked = tidying.Asked(
            keep_blanks, keep_marks, tolerance, strict, accept, replace, workers, scheduler, guard, page,
            page_without_values,
        )  # fmt: skip
        code = tidying.tidy(inputs, output, asked, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin survey traffic_2031.xlsx")
def survey(
    inputs: Inputs,
    *,
    picture: Annotated[
        Path | None,
        typer.Option("--picture", metavar="FILE.png", help="Draw each sheet's map; needs kebrin[pictures]."),
    ] = None,
    readings: Annotated[
        Path | None,
        typer.Option("--readings", metavar="DIR", help="Write the likeliest readings, each as a table with its plan."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Show each sheet's blocks and layout, why, and trouble spots."""
    with told(as_json=as_json):
        from kebrin.cli import offering, surveying

        if readings is not None:
            code = offering.offer(inputs, readings, as_json=as_json)
        else:
            code = surveying.survey(inputs, picture=picture, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin draft traffic_*.xlsx -o traffic.plan.toml")
def draft(
    inputs: Inputs,
    output: Annotated[Path, typer.Option("-o", "--output", metavar="PLAN", help="Plan file to write, a TOML file.")],
    *,
    like: Like = None,
    ask: Annotated[
        bool, typer.Option("--ask", help="Put open questions one by one; answers go into the plan.")
    ] = False,
    replace: Replace = False,
    as_json: AsJson = False,
) -> None:
    """Write what was worked out as a plan, with the reasons."""
    with told(as_json=as_json):
        from kebrin.cli import drafting

        code = drafting.draft(inputs, output, like=like, ask=ask, replace=replace, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin run traffic.plan.toml --if-changed")
def run(  # noqa: PLR0913 - an option each
    plan: Annotated[Path, typer.Argument(metavar="PLAN", help="The plan, a TOML file.")],
    *,
    like: Like = None,
    given: Annotated[
        list[str] | None,
        typer.Option("--set", metavar="NAME=VALUE", help="A value that the plan names under [set]; may be repeated."),
    ] = None,
    if_changed: Annotated[
        bool,
        typer.Option(
            "--if-changed", help="Do nothing if nothing changed since the last run; else read changed files only."
        ),
    ] = False,
    watch: Annotated[
        bool, typer.Option("--watch", help="Run again whenever a file has changed and settled; needs kebrin[watch].")
    ] = False,
    workers: Workers = 1,
    scheduler: Scheduler = "",
    page: PageFile = None,
    page_without_values: NoValues = False,
    inside: Annotated[bool, typer.Option("--inside", help="Refuse outputs that leave the plan's folder.")] = False,
    accept: Accept = False,
    replace: Replace = False,
    as_json: AsJson = False,
) -> None:
    """Run a plan: read, tidy, prove, write, and say what changed.

    Changes are those since the last run of the plan.
    """
    with told(as_json=as_json):
        from kebrin.cli import rerunning

        asked = rerunning.Asked(
            like,
            if_changed or watch,
            workers,
            scheduler,
            accept,
            replace,
            inside,
            page,
            page_without_values,
            rerunning.given_of(given or ()),
        )
        do = rerunning.watch if watch else rerunning.run
        code = do(plan, asked, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin fetch http://127.0.0.1:8031/calls -o calls.json")
def fetch(  # noqa: PLR0913 - an option each
    url: Annotated[str, typer.Argument(metavar="URL", help="The list's first page: JSON or delimited text.")],
    output: Annotated[
        Path, typer.Option("-o", "--output", metavar="FILE", help="File to keep it in: .json, .jsonl or .csv.")
    ],
    *,
    records: Annotated[
        str, typer.Option("--records", metavar="PATH", help="Where the list is in a page, as in data.calls.")
    ] = "",
    follow: Annotated[
        str, typer.Option("--next", metavar="PATH", help="Where a page says what page is next; 'next' is found.")
    ] = "",
    header: Annotated[
        list[str] | None,
        typer.Option("--header", metavar="NAME=VALUE", help="Sent along; env:NAME is taken from the environment."),
    ] = None,
    pages: Annotated[int, typer.Option("--pages", metavar="N", min=1, help="So many pages at most.")] = 1_000,
    seconds: Annotated[float, typer.Option("--seconds", metavar="N", min=0.1, help="So long at most.")] = 300.0,
    replace: Replace = False,
    as_json: AsJson = False,
) -> None:
    """Fetch a list from a service, page after page.

    What came is checked against what the service says that there is.
    """
    with told(as_json=as_json):
        from kebrin.cli import fetching

        asked = fetching.Asked(url, records, follow, tuple(header or ()), pages, seconds)
        code = fetching.fetch(asked, output, replace=replace, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin drift traffic_2030.xlsx traffic_2031.xlsx")
def drift(
    old: Annotated[str, typer.Argument(metavar="OLD", help="A report, a folder, or an output of kebrin's.")],
    new: Annotated[str, typer.Argument(metavar="NEW", help="The same at another time.")],
    *,
    key: Annotated[
        list[str] | None,
        typer.Option("--key", metavar="COLUMN", help="A column that tells rows apart; may be repeated."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Say what changed from OLD to NEW, the shortest lists first."""
    with told(as_json=as_json):
        from kebrin.cli import drifting

        code = drifting.drift(old, new, key or [], as_json=as_json)
    sys.exit(code)


@app.command(epilog='Example: kebrin trace traffic.csv 100, or: kebrin trace traffic.csv --where "Sailing=07:15"')
def trace(
    output: Annotated[Path, typer.Argument(metavar="OUT", help="A file that kebrin wrote, its proof beside it.")],
    row: Annotated[
        int | None,
        typer.Argument(metavar="[ROW]", help="The table's row, counted from 1; the heading is not counted."),
    ] = None,
    column: Annotated[str, typer.Argument(metavar="[COLUMN]", help="The value column, if there are several.")] = "",
    *,
    where: Annotated[
        list[str] | None,
        typer.Option(
            metavar="COLUMN=VALUE", help="The row by what a column says, in place of its number; may be said again."
        ),
    ] = None,
    measure: Annotated[str, typer.Option(metavar="COLUMN", help="The value column, beside --where.")] = "",
    sheet: Annotated[str, typer.Option(metavar="SHEET", help="The sheet of a workbook that has several.")] = "",
    as_json: AsJson = False,
) -> None:
    """Show the source cell behind an output value."""
    with told(as_json=as_json):
        from kebrin.cli import tracing

        asked = tracing.Asked(row, column or measure, tuple(where or ()), sheet)
        code = tracing.trace(output, asked, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin values refunds.csv amount")
def values(
    table: Annotated[Path, typer.Argument(metavar="TABLE", help="A table: .csv, .parquet or .xlsx, one header row.")],
    columns: Annotated[list[str] | None, typer.Argument(metavar="[COLUMN]...", help="Some of its columns.")] = None,
    *,
    as_json: AsJson = False,
) -> None:
    """Show what is in each column, and the step that reads it."""
    with told(as_json=as_json):
        from kebrin.cli import valuing

        code = valuing.values(table, columns or [], as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin look traffic.csv --by month --of carried -o carried.png")
def look(
    table: Annotated[Path, typer.Argument(metavar="TABLE", help="A table: .csv, .parquet or .xlsx, one header row.")],
    output: Annotated[Path, typer.Option("-o", "--output", metavar="FILE", help="Chart to write: .png, .svg or .pdf.")],
    *,
    by: Annotated[
        list[str] | None, typer.Option("--by", metavar="COLUMN", help="Sum by this column; may be given twice.")
    ] = None,
    of: Annotated[str, typer.Option("--of", metavar="MEASURE", help="The column of numbers.")] = "",
    what: Annotated[
        str, typer.Option("--what", metavar="KIND", help="sums, spread (of values) or full (how full columns are).")
    ] = "",
    against: Annotated[
        Path | None, typer.Option("--against", metavar="TABLE", help="The same of another table beside it.")
    ] = None,
    replace: Replace = False,
    as_json: AsJson = False,
) -> None:
    """Draw a chart of a table, to find what is odd."""
    with told(as_json=as_json):
        from kebrin.cli import looking

        asked = looking.Asked(tuple(by or ()), of, what, against, replace)
        code = looking.look(table, output, asked, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin codes refunds.csv port -o ports.csv")
def codes(
    table: Annotated[Path, typer.Argument(metavar="TABLE", help="A table: .csv, .parquet or .xlsx, one header row.")],
    column: Annotated[str, typer.Argument(metavar="COLUMN", help="The column with spellings.")],
    output: Annotated[
        Path,
        typer.Option("-o", "--output", metavar="LIST", help="The code list to write, .csv; accepted lines are kept."),
    ],
    *,
    as_json: AsJson = False,
) -> None:
    """Propose a code list from the spellings in a column."""
    with told(as_json=as_json):
        from kebrin.cli import coding

        code = coding.codes(table, column, output, as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin check")
def check(*, as_json: AsJson = False) -> None:
    """Say what is installed, and whether it works here.

    What can be read and written is listed too.
    """
    with told(as_json=as_json):
        from kebrin.cli import checking

        code = checking.check(as_json=as_json)
    sys.exit(code)


@app.command(epilog="Example: kebrin demo kebrin-demo")
def demo(
    folder: Annotated[Path, typer.Argument(metavar="[DIR]", help="Where to write the demo.")] = Path("kebrin-demo"),
    *,
    as_json: AsJson = False,
) -> None:
    """Write the demo reports, run them, say what to look at."""
    with told(as_json=as_json):
        from kebrin.cli import demonstrating

        code = demonstrating.demo(folder, as_json=as_json)
    sys.exit(code)
