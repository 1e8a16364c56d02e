"""Runs: what a plan, or tidying without one, has made, and how it is written."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.api.showing import Proof
from kebrin.api.table import Table
from kebrin.deliver import publish
from kebrin.deliver.drift import Drift, Version, drift_between, version_of
from kebrin.deliver.guard import check_outputs, outside, refuse_databases_outside
from kebrin.deliver.locks import held
from kebrin.deliver.notebook import run_html
from kebrin.deliver.outputs import Target, targets_of, with_findings
from kebrin.deliver.ready import refuse_unready
from kebrin.deliver.sending import at_hand, send
from kebrin.deliver.standing import settled, stale_files, standing
from kebrin.deliver.writing.books import Page
from kebrin.errors import OutputError
from kebrin.plan.wanted import Match, Wanted, read_wanted, same_names
from kebrin.table import Finding, FindingKind

if TYPE_CHECKING:
    from collections.abc import Mapping

    from kebrin.deliver.publish import Published
    from kebrin.plan.model import OutputPlan
    from kebrin.work.joining import Done


@dataclass(frozen=True, eq=False)
class Run:
    """What a run made: tables and proofs by name, and the outputs that the plan names, in files relative to `base`.

    `reads` are the files that were read beside the sources, `before` the tables that the run before left in the outputs, `keys`
    the columns that tell the rows of a table apart.
    """

    done: tuple[Done, ...]
    outputs: tuple[OutputPlan, ...] = ()
    reads: tuple[Path, ...] = ()
    base: Path = Path()
    before: tuple[Version, ...] = ()
    keys: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def drift(self) -> tuple[Drift, ...]:
        """What became of each table since the run that the outputs are from; empty where there was none."""
        old = {one.name: one for one in self.before}
        pairs = [(old[done.name], done) for done in self.done if done.name in old]
        return tuple(
            one for was, done in pairs for one in drift_between([was], [version_of(done)], self.keys.get(done.name, ()))
        )

    @property
    def tables(self) -> dict[str, Table]:
        """The tidy tables by name."""
        return {done.name: _table(done) for done in self.done}

    @property
    def proofs(self) -> dict[str, Proof]:
        """The proofs by table."""
        return {done.name: Proof.of(done.proof) for done in self.done}

    @property
    def proof(self) -> Proof:
        """The proof of the only table.

        Raises:
            OutputError: there are several; see `proofs`.
        """
        if len(self.done) != 1:
            raise OutputError("the run made several tables", why=", ".join(self.proofs), do="Ask for run.proofs[NAME]")
        return Proof.of(self.done[0].proof)

    @property
    def holds(self) -> bool:
        """Whether every proof holds."""
        return all(done.proof.holds for done in self.done)

    def __repr__(self) -> str:
        return f"Run: {'; '.join(f'{one.name}, {len(one.table):,} rows, {one.proof.headline}' for one in self.done)}"

    def _repr_html_(self) -> str:
        return run_html({one.name: (one.table, one.proof) for one in self.done})

    def page(self, *, values: bool = True) -> str:
        """The proof page: HTML that shows what was made, what is open, and what became of every cell; see `kebrin run --page`.

        Args:
            values: whether what stands in cells is shown.
        """
        from kebrin.deliver.page import proof_page

        return proof_page(self.done, self.drift, base=self.base, values=values)

    def checked(self, wanted: Wanted | str | Path) -> tuple[Run, Match]:
        """Hold the tables against wanted rows: the run whose proof knows of rows that are not there, and the match.

        The table whose columns fit best is the one that is held against them.

        Raises:
            PlanError: the file holds no wanted rows.
        """
        rows = wanted if isinstance(wanted, Wanted) else read_wanted(wanted)
        matches = [same_names(rows, done.table.data) for done in self.done]
        at = max(range(len(matches)), key=lambda place: matches[place].rank)
        done, match = self.done[at], matches[at]
        said = [f"column {name!r} is not in the table" for name in match.absent] or list(match.misses)
        missing = tuple(Finding(FindingKind.WANTED_ROW, f"not as wanted: {miss}", breaks=True) for miss in said)
        proof = replace(done.proof, remarks=(*done.proof.remarks, *missing))
        return replace(self, done=(*self.done[:at], replace(done, proof=proof), *self.done[at + 1 :])), match

    def write(
        self,
        outputs: Mapping[str, str | Path] | str | Path | None = None,
        *,
        accept: bool = False,
        replace: bool = False,
        inside: bool = False,
    ) -> tuple[Published, ...]:
        """Write the outputs, each with its `.proof.json` beside it; those not proved are held back as `.unproved`.

        Args:
            outputs: file by table, or the file of the only table; by default those that the plan names.
            accept: publish also what is not proved; the proof records it.
            replace: replace also files that Kebrin did not write, or that were changed since.
            inside: refuse outputs that leave the plan's folder; else it is said.

        Raises:
            OutputError: an output is a source, has an unknown ending, would replace another file, or can't be written.
        """
        if isinstance(outputs, (str, Path)):
            if len(self.done) != 1:
                names = ", ".join(one.name for one in self.done)
                raise OutputError("the run made several tables", why=names, do="Name a file for each: {table: file}")
            outputs = {self.done[0].name: outputs}
        # Names that are chosen by what stands there are chosen while nobody else chooses among them.
        own = self.outputs if outputs is None else ()
        with held([self.base / one.file for one in own if one.file and _takes_a_free_name(one)], names=True):
            return self._write(self._targets(outputs), accept=accept, replace=replace, inside=inside)

    def _targets(self, outputs: Mapping[str, str | Path] | None) -> list[Target]:
        """The files to write: those that the plan names, or one for each table that is named."""
        if outputs is None:
            return targets_of(self.outputs, self.done, self.base)
        by_name = {done.name: done for done in self.done}
        return [
            Target(at_hand(file), (by_name[table],), (Page("tidy", by_name[table].table),))
            for table, file in outputs.items()
        ]

    def _write(self, targets: list[Target], *, accept: bool, replace: bool, inside: bool) -> tuple[Published, ...]:
        if inside:
            refuse_databases_outside([target.database for target in targets if target.database], self.base)
        refuse_unready(targets)
        targets, left = settled(targets)
        for target in targets:
            if not target.database:
                publish.refuse_ending(target.path)
        sources = [source.file for done in self.done for source in done.proof.sources]
        templates = [target.template for target in targets if target.template is not None]
        free = {target.path for target in targets if target.if_there not in {"refuse", "leave", "new name"}}
        check_outputs(
            [target.path for target in targets], [*sources, *self.reads, *templates], replace=replace, free=free
        )
        apart = outside([target.path for target in targets if not target.database], self.base, refuse=inside)
        stale = stale_files(targets)
        published = [publish.left_standing(target) for target in left]
        with held([target.path for target in targets]):
            said = [(path.name, publish.remove_stale(path, remove=remove)) for path, remove in stale]
            there = [standing(target) for target in targets]  # what is refused is refused before the first is written
            for target, stands in zip(targets, there, strict=True):
                if stands.already:
                    one = publish.left_standing(target, ["the rows of this run are there already: nothing was added"])
                else:
                    one = publish.publish_target(with_findings(target, self.done, said), accept=accept, there=stands)
                one = dataclasses.replace(one, said=(*one.said, *apart.get(target.path, ())))
                said += [(one.path.name, text) for text in one.said]
                published.append(one)
            send()
        if published and stale:
            told = tuple(text for _, text in said[: len(stale)])
            published[0] = dataclasses.replace(published[0], said=(*told, *published[0].said))
        return tuple(published)


def _takes_a_free_name(output: OutputPlan) -> bool:
    """Whether an output goes under a name that is free."""
    return output.if_there == "new name" or "{number}" in output.file


def _table(done: Done) -> Table:
    return Table.of(done.table, lambda _: done.proof)
