"""Plans and runs as people hold them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from kebrin import sources
from kebrin.api.report import Report
from kebrin.api.run import Run
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.drift import Drift, before_of, drift_between, versions_of
from kebrin.errors import Place, SourceError
from kebrin.plan.plan_file import parse_plan, read_plan
from kebrin.plan.running import Means, run_plan
from kebrin.plan.wanted import read_wanted
from kebrin.sources.inputs import Choice as FileChoice
from kebrin.sources.inputs import choose
from kebrin.unpivoting import Keep
from kebrin.work import unaided
from kebrin.work.crews import crew_of
from kebrin.work.gathering import Aside, gather
from kebrin.work.joining import Terms
from kebrin.work.keeping import Kept, refuse_shared

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence

    from kebrin import cells
    from kebrin.deliver.fetching import Fetched
    from kebrin.deliver.remembering import Choices
    from kebrin.plan.model import PlanModel
    from kebrin.plan.parts import Part, PartTask
    from kebrin.unpivoting import Choice


@dataclass(frozen=True, eq=False)
class Plan:
    """A plan, read and checked: `model` is what it says, `base` the folder of its file names, `text` its words.

    `path` is the file that it was read from.
    """

    model: PlanModel
    base: Path
    text: str = ""
    path: Path | None = None

    def __repr__(self) -> str:
        return f"Plan {str(self.path or '')!r}: {', '.join(self.model.tables)}"

    def write(self, path: str | Path) -> None:
        """Write the plan as the text that it was read or drafted as.

        Raises:
            OutputError: the file can't be written.
        """
        with whole_file(Path(path)) as part:
            part.write_text(self.text, "utf-8")

    @property
    def choices(self) -> Choices:
        """For each table that is read from files: the patterns, the folder they are relative to, the choice among what fits."""
        tables = [table for table in self.model.table.values() if table.files]
        return tuple(
            (table.files, str(self.base), FileChoice(table.choose.newest, table.choose.dated, table.choose.wait))
            for table in tables
        )

    def fetch(self, *, inside: bool = False) -> tuple[Fetched, ...]:
        """Fetch the lists behind addresses that the plan names, each into its table's file; nothing is read yet.

        Args:
            inside: refuse a file that would leave the plan's folder.

        Raises:
            SourceError: a service can't be reached, gives no list, or less than it says there is.
            OutputError: a file that is there was not fetched, or can't be written.
        """
        asked = [
            (table.fetch, self.base / table.files[0]) for table in self.model.table.values() if table.fetch is not None
        ]
        if not asked:
            return ()
        from kebrin.deliver.fetching import fetch
        from kebrin.deliver.guard import outside
        from kebrin.sources.services import Service

        found = []
        outside([path for _, path in asked], self.base, refuse=inside)
        for plan, path in asked:
            service = Service(plan.url, plan.records, plan.next, plan.headers, plan.pages, plan.seconds)
            found.append(fetch(service, path))
            if not found[-1].holds:
                raise SourceError(
                    "the list that was fetched is not whole", Place(plan.url), why="; ".join(found[-1].listed.lacks),
                    do=f"Run it again later; what came is in {found[-1].path}, and {path.name} is as it was",
                )  # fmt: skip
        return tuple(found)

    def run(
        self,
        on_file: Callable[[str], None] | None = None,
        *,
        workers: int = 1,
        scheduler: str = "",
        keep: Path | None = None,
        fetch: bool = True,
    ) -> Run:
        """Run it: read, tidy, prove. Nothing is written before `Run.write`.

        Args:
            on_file: told each file's name before it is read, or when its turn has come where workers read it.
            workers: so many processes work on the files; the result is the same, in the same order.
            scheduler: the address of a Dask scheduler whose workers do it; needs kebrin[cluster].
            keep: a folder to keep what each file gives in, so that next time only changed files are read again.
            fetch: whether lists behind addresses are fetched first.

        >>> import kebrin as kb
        >>> run = kb.load_plan(kb.demo_file("traffic.plan.toml")).run()
        >>> run.tables["traffic"].columns
        ('route', 'route code', 'year', 'direction', 'sailing', 'quarter', 'month', 'class', 'carried')
        >>> run.holds
        True

        Raises:
            SourceError: no file is there, or none can be read; a service gives no list.
            LayoutError: something that the plan names is not there.
            PlanError: no scheduler answers.
        """
        if keep is not None:
            refuse_shared(keep)
        if fetch:
            self.fetch()
        used = {step.options().get("using") for table in self.model.table.values() for step in table.step} - {None, ""}
        files = {str(name) for name in used} - set(
            self.model.tables
        )  # a look-up in a table of the plan reads no file more
        reads = [self.base / name for name in sorted(files)] + ([self.path] if self.path else [])
        reads += [self.base / name for name in self.model.tables_of]
        before = before_of(self.model.output, self.base)
        last = {version.name: len(version.table) for version in before}

        def kept(task: PartTask) -> Callable[[Path], Part]:
            folder = cast("Path", keep)
            return Kept(task, repr(task), folder)

        with crew_of(workers, scheduler) as crew:
            means = Means(on_file, crew, kept if keep is not None else None, last)
            done = tuple(run_plan(self.model, self.base, means))
        keys = {name: table.expect.key for name, table in self.model.table.items() if table.expect is not None}
        return Run(done, self.model.output, tuple(reads), self.base, before, keys)


def load_plan(
    path: str | Path | Mapping[str, Any], *, base: str | Path = ".", given: Mapping[str, Any] | None = None
) -> Plan:
    """Read and check a plan: a file, or what would stand in it as a mapping.

    Args:
        path: the file, or the mapping.
        base: the folder of a mapping's file names; a file's are relative to its own.
        given: values for the names under the plan's `[set]`.

    >>> import kebrin as kb
    >>> fuel = {"files": str(kb.demo_file("fuel.ods"))}
    >>> kb.load_plan({"kebrin": 1, "table": {"fuel": fuel}}).run().holds
    True

    Raises:
        PlanError: it is missing or wrong; line, key and the nearest valid word are told.
    """
    if isinstance(path, Mapping):
        import tomlkit

        text = tomlkit.dumps(path)
        return Plan(parse_plan(text, given=given, base=Path(base)), Path(base), text)
    return Plan(read_plan(path, given), Path(path).parent, Path(path).read_text("utf-8"), Path(path))


def draft(
    *reports: Report | str | Path, base: str | Path = ".", output: str = "", like: str | Path | None = None
) -> Plan:
    """Draft a plan: what is worked out about the reports, with names to change and the reasons as comments.

    Args:
        reports: reports, or the names of their files, folders and patterns with * among them.
        base: the folder that the plan will stand in.
        output: the file for the first table.
        like: a file with a few rows of the table that is wanted; the plan then gives these rows.

    >>> import kebrin as kb
    >>> plan = kb.draft(kb.demo_file("traffic_2031.xlsx"))
    >>> plan.model.table["traffic"].layout.boxhead
    ('quarter', 'month', 'heading 3')
    >>> plan.run().holds
    True

    Raises:
        SourceError: a file can't be read.
        LayoutError: no table was found.
        PlanError: no reading of the reports gives any of the wanted rows.
    """
    from kebrin.plan.drafting import draft_plan
    from kebrin.plan.like import draft_like

    cores = (report.core if isinstance(report, Report) else sources.read(report) for report in _chosen(reports))
    if like is None:
        text = draft_plan(cores, base=Path(base), output=output)
    else:
        text = draft_like(list(cores), read_wanted(like), base=Path(base), output=output).text
    return Plan(parse_plan(text), Path(base), text)


def tidy(
    *reports: Report | str | Path,
    blanks: Choice = "",
    marks: Choice = "leave out",
    workers: int = 1,
    scheduler: str = "",
) -> Run:
    """Tidy reports without a plan: layouts are worked out, like is stacked with like.

    Of several files those that can't be read are set aside, and the proof says which; it does not hold then.

    Args:
        reports: reports, or the names of their files, folders and patterns with * among them.
        blanks: whether empty cells are kept as missing or left out.
        marks: whether footnote marks are kept, in a column behind their measure.
        workers: so many processes work on the files, where all are named by their files.
        scheduler: the address of a Dask scheduler whose workers do it; needs kebrin[cluster].

    >>> import kebrin as kb
    >>> run = kb.tidy(kb.demo_file("traffic_2031.xlsx"))
    >>> run.tables["traffic_2031"].columns[:3], run.holds
    (('sheet', 'Route', 'Route code'), True)

    Raises:
        SourceError: no file can be read.
        LayoutError: no table was found.
    """
    reports = _chosen(reports)
    keep = Keep(blanks, marks)
    files = [Path(report) for report in reports if not isinstance(report, Report)]
    if len(files) == len(reports) and (workers > 1 or scheduler):
        with crew_of(workers, scheduler) as crew:
            found = unaided.grouped(gather(files, unaided.FileTask(keep), crew=crew))
        return Run(tuple(unaided.tables_of(found, Terms())))
    return Run(tuple(unaided.tidy_reports(_cores(reports), keep=keep)))


def _chosen(reports: Sequence[Report | str | Path]) -> tuple[Report | str | Path, ...]:
    """Reports, with the files that patterns and folders stand for in their places, as on the command line."""
    found: list[Report | str | Path] = []
    for report in reports:
        found += [report] if isinstance(report, Report) else choose([str(report)]).paths
    return tuple(found)


def _cores(reports: Sequence[Report | str | Path]) -> Iterator[cells.Report | Aside]:
    """The reports, each opened in its turn."""
    for report in reports:
        if isinstance(report, Report):
            yield report.core
        else:
            yield from unaided.opened([Path(report)], alone=len(reports) < 2)


def drift(old: str | Path, new: str | Path, key: Sequence[str] = ()) -> tuple[Drift, ...]:
    """What is otherwise in one report, or in an output that Kebrin wrote, than in another.

    Args:
        old: a report, a folder or pattern of reports, or an output with its proof beside it.
        new: the same at another time.
        key: the columns that tell rows apart; all but the measures by default.

    >>> import kebrin as kb
    >>> (table,) = kb.drift(kb.demo_file("traffic_2030.xlsx"), kb.demo_file("traffic_2031.xlsx"))
    >>> table.rows
    (634, 633)

    Raises:
        SourceError: nothing is there, or it can't be read.
        LayoutError: a report holds no table.
    """
    return tuple(drift_between(versions_of(str(old)), versions_of(str(new)), key))


#: The same by a longer name.
tidy_reports = tidy


def readings(*reports: Report | str | Path, base: str | Path = ".") -> list[Plan]:
    """The plans of the likeliest readings of some reports, the likeliest first: one where nothing is open, else up to five.

    Args:
        reports: reports, or the names of their files, folders and patterns with * among them.
        base: the folder that the plans will stand in.

    >>> import kebrin as kb
    >>> [plan.run().holds for plan in kb.readings(kb.demo_file("traffic_2031.xlsx"))]
    [True]

    Raises:
        SourceError: a file can't be read.
        LayoutError: no table was found.
    """
    from kebrin.plan.offering import offered

    first = draft(*reports, base=base)
    found = offered(first.text, first.base)
    return [Plan(parse_plan(reading.text), first.base, reading.text) for reading in found] or [first]
