"""Proof: all results of one run's checks, and whether they hold."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

from kebrin.table.findings import Does, Finding, FindingKind, Settle

if TYPE_CHECKING:
    from kebrin.proof.conservation import Conservation
    from kebrin.proof.ledger import SheetLedger
    from kebrin.proof.ties import Known, TieOut
    from kebrin.table import StepCount

FORM = 1

# So many words name a question that a person leaves open.
_WORDS = 6


@dataclass(frozen=True)
class Source:
    """A file that was read: its digest, the sheets used, and the sheets left out with the reason.

    `left_cells` counts the filled cells of the sheets left out, as far as they can be read; `read_as` is what was stated for it
    to be read so.
    """

    file: str
    digest: str
    used: tuple[str, ...]
    left_out: dict[str, str] = field(default_factory=dict)
    left_cells: dict[str, int] = field(default_factory=dict)
    read_as: dict[str, Any] = field(default_factory=dict)

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {
            "file": self.file, "sha256": self.digest, "used": list(self.used), "left out": self.left_out,
            "cells left out": self.left_cells, **({"read as": self.read_as} if self.read_as else {}),
        }  # fmt: skip


@dataclass(frozen=True)
class Fill:
    """What one block gave: its cells that hold something, the rows that came of them, and how full each column is (0 to 1)."""

    file: str
    sheet: str
    block: str
    cells: int
    rows: int
    shares: dict[str, float]

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        filled = {name: round(share, 4) for name, share in self.shares.items()}
        return {
            "file": self.file,
            "sheet": self.sheet,
            "block": self.block,
            "cells": self.cells,
            "rows": self.rows,
            "filled": filled,
        }


@dataclass(frozen=True)
class Check:
    """One thing that the plan expects of a table: whether it is so, what was found instead, and the cells that show it."""

    expected: str
    holds: bool
    found: str = ""
    cells: tuple[str, ...] = ()

    @property
    def finding(self) -> Finding:
        """What is found where it is not so."""
        what = f"expected {self.expected}: {self.found}"
        return Finding(FindingKind.EXPECTATION, what, cells=self.cells, count=len(self.cells), breaks=True)

    def __str__(self) -> str:
        at = f" ({', '.join(self.cells)})" if self.cells else ""
        return f"expected {self.expected}: {self.found or 'so it is'}{at}"


@dataclass(frozen=True)
class Proof:
    """What was checked for one table, and what came of it.

    It holds if every non-blank source cell is claimed, as much came out as went in, every stated total ties (unless
    totals are only to be reported), all that the plan expects is so, and no remark breaks it.
    """

    table: str
    sources: tuple[Source, ...] = ()
    ledgers: tuple[SheetLedger, ...] = ()
    conservation: tuple[Conservation, ...] = ()
    ties: tuple[TieOut, ...] = ()
    steps: tuple[StepCount, ...] = ()
    remarks: tuple[Finding, ...] = ()
    totals_must_tie: bool = True
    known: tuple[Known, ...] = ()
    accepted: bool = False
    leave_open: tuple[str, ...] = ()
    strict: bool = False
    checks: tuple[Check, ...] = ()
    fills: tuple[Fill, ...] = ()

    @property
    def unclaimed(self) -> int:
        """Source cells that nothing claims."""
        return sum(ledger.unclaimed_count for ledger in self.ledgers)

    @property
    def cells(self) -> int:
        """Non-blank source cells in all."""
        return sum(ledger.cells for ledger in self.ledgers)

    @cached_property
    def findings(self) -> tuple[Finding, ...]:
        """All that is said of the run, what breaks the proof first: one list, which every command and file shows."""
        found = [one for ledger in self.ledgers for one in ledger.findings]
        for tie in self.ties:
            found += tie.findings(breaks=self.totals_must_tie, known=self.known)
        found += [account.finding for account in self.conservation if not account.holds]
        found += [check.finding for check in self.checks if not check.holds]
        found += self.remarks
        found = [_open_to_a_person(one) for one in found]
        order = {Does.BREAKS: 0, Does.ASKS: 1, Does.TELLS: 2}
        # What breaks the proof is not asked once more: the same lines settle both.
        broken = {(one.file, one.sheet, one.answers) for one in found if one.breaks and one.settle}
        found = [one for one in found if one.breaks or (one.file, one.sheet, one.answers) not in broken]
        return tuple(sorted(found, key=lambda one: order[one.does]))

    @property
    def failures(self) -> tuple[str, ...]:
        """Why the proof does not hold, a sentence each; empty if it does."""
        several = self.has_several_files
        broken = [one for one in self.findings if one.does is Does.BREAKS and not self._is_left_open(one)]
        said = [one.named(file=several) for one in broken]
        if self.strict:
            said += [f"open question: {one.named(file=several)}" for one in self.questions if not one.breaks]
        return tuple(said)

    @property
    def has_several_files(self) -> bool:
        """Whether it is made of several files, so that a finding must say which it speaks of."""
        return len({source.file for source in self.sources if source.used}) > 1

    @property
    def questions(self) -> tuple[Finding, ...]:
        """The questions that are open: what a person must answer, and has not stated to leave open."""
        return tuple(one for one in self.findings if one.asks and not self._is_left_open(one))

    def _is_left_open(self, one: Finding) -> bool:
        """Whether a person states to leave a question open."""
        return one.asks and any(words in one.what for words in self.leave_open)

    @property
    def headline(self) -> str:
        """What is so, in a line: "Proved" only where every cell reached, ties hold, keys are unique and nothing is open."""
        if self.failures:
            return "Not proved"
        known = sum(tie.known_gaps(self.known) for tie in self.ties)
        untied = sum(tie.failed for tie in self.ties) - known
        asked = len(self.questions)
        said = []
        if asked:
            said.append(f"{asked:,} question{'s are' if asked > 1 else ' is'} open")
        if untied:
            said.append(
                f"{untied:,} totals do not tie (only reported)"
                if untied > 1
                else "1 total does not tie (only reported)"
            )
        if known:
            said.append(f"{known:,} totals are wrong, and known" if known > 1 else "1 total is wrong, and known")
        return f"Nothing was lost; {', '.join(said)}" if said else "Proved: nothing was lost"

    @property
    def holds(self) -> bool:
        """Whether nothing was lost, as far as was checked."""
        return not self.failures

    @property
    def counts(self) -> dict[str, int]:
        """Source cells by use, over all sheets."""
        counts: dict[str, int] = {}
        for ledger in self.ledgers:
            for use, cells in ledger.counts.items():
                counts[use] = counts.get(use, 0) + cells
        return counts

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for a proof file."""
        return {
            "kebrin proof": FORM,
            "table": self.table,
            "holds": self.holds,
            "accepted": self.accepted,
            "headline": self.headline,
            "failures": list(self.failures),
            "questions": [one.named(file=self.has_several_files) for one in self.questions],
            "findings": [one.to_plain() for one in self.findings],
            "sources": [source.to_plain() for source in self.sources],
            "ledger": {
                "cells": self.cells,
                "unclaimed": self.unclaimed,
                "counts": self.counts,
                "sheets": [ledger.to_plain() for ledger in self.ledgers],
            },
            "conservation": [account.to_plain() for account in self.conservation],
            "tie-outs": [tie.to_plain() for tie in self.ties if tie.cells],
            "expectations": [
                {"expected": one.expected, "holds": one.holds, "found": one.found, "cells": list(one.cells)}
                for one in self.checks
            ],
            "by source": [one.to_plain() for one in self.fills],
            "steps": [step._asdict() for step in self.steps],
        }  # fmt: skip


def _open_to_a_person(one: Finding) -> Finding:
    """A question that no line of a plan answers, with the line that leaves it open: it goes by the words that it begins with."""
    if not one.asks or one.settle:
        return one
    words = " ".join(one.what.split()[:_WORDS])
    return replace(one, settle=(Settle("leave_open", [words], "proof", says="it may stay so"),))
