"""What commands print for people: plain words in columns, readable without colour."""

from __future__ import annotations

import os
import re
import shlex
import sys
from pathlib import Path
from shutil import which
from typing import TYPE_CHECKING, Any

from rich.console import Console
from rich.padding import Padding
from rich.table import Table as Grid
from rich.text import Text

from kebrin.cells import as_label
from kebrin.cli.ending import plain
from kebrin.table import Does

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from kebrin.deliver.publish import Published
    from kebrin.plan.wanted import Match
    from kebrin.proof import Proof
    from kebrin.table import Finding, Table

_REMARKS = 12
# Sheets that say the same are named up to so many.
_NAMED = 3
_SAMPLE = 5
# So many rows show whether a column says the same on all of them.
_LOOKED_AT = 10_000
# So many files that were written are named.
_LISTED = 20
# So many remarks of one kind are told, more are counted.
_LIKE = 3


def console() -> Console:
    """A console on standard output; wide enough not to fold paths where output is no terminal."""
    out = _Console(highlight=False, soft_wrap=False, markup=False, emoji=False)
    if not out.is_terminal:
        out = _Console(highlight=False, width=120, markup=False, emoji=False)
    return out


class _Console(Console):
    """A console whose reader may stop reading (`| head`): all is done then, and it is no failure."""

    def on_broken_pipe(self) -> None:
        raise BrokenPipeError


def heading(out: Console, text: str, style: str = "bold") -> None:
    """A heading with a blank line before it."""
    out.print()
    out.print(Text(plain(text), style=style))


def rows(out: Console, pairs: Iterable[tuple[str, str]]) -> None:
    """Two columns: a word and what is to be said about it."""
    grid = Grid.grid(padding=(0, 2))
    grid.add_column(no_wrap=True)
    grid.add_column()
    for word, said in pairs:
        grid.add_row(plain(word), plain(said))
    out.print(Padding(grid, (0, 0, 0, 2), expand=False))


def counted(number: int, what: str) -> str:
    """A number with its noun."""
    return f"{number:,} {what}" if number == 1 else f"{number:,} {what}s"


def sample(out: Console, table: Table, most: int = _SAMPLE) -> None:
    """The first rows of a table; columns that do not fit are named."""
    shown = table.data.slice(0, most).to_pydict()
    names = _fitting(table, shown, out.width - 6)
    grid = Grid(box=None, padding=(0, 2), header_style="bold", show_edge=False)
    for name in names:
        grid.add_column(Text(plain(name)), justify="right" if _is_number(table, name) else "left", no_wrap=True)
    for at in range(min(most, len(table))):
        grid.add_row(*(_cell(shown[name][at]) for name in names))
    out.print(Padding(grid, (0, 0, 0, 2), expand=False))
    left = len(table.columns) - len(names)
    if left:
        out.print(
            Text(
                f"  and {counted(left, 'more column')}: {', '.join(name for name in table.columns if name not in names)}",
                style="dim",
            )
        )


def _is_number(table: Table, name: str) -> bool:
    return str(table.data.column(name).type) in {"double", "int64"}


def _fitting(table: Table, shown: dict[str, list[Any]], width: int) -> list[str]:
    """As many columns as fit: measures always, then what tells the rows shown apart, then what tells any rows apart."""
    needs = {name: 4 + max([len(name), *(len(_cell(value)) for value in shown[name])]) for name in table.columns}
    if sum(needs.values()) <= width:
        return list(table.columns)
    room = width - sum(needs[name] for name in table.measures[:3])
    taken = set(table.measures[:3])
    for name in sorted(table.columns, key=lambda name: _says_again(table, shown, name)):
        if name not in taken and needs[name] <= room:
            taken.add(name)
            room -= needs[name]
    return [name for name in table.columns if name in taken]


def _says_again(table: Table, shown: dict[str, list[Any]], name: str) -> int:
    """0 for a column that differs in the rows shown, 1 for one that differs in others, 2 for one that says the same on all."""
    if len({str(value) for value in shown[name]}) > 1:
        return 0
    return 1 if len(set(table.data.column(name).slice(0, _LOOKED_AT).to_pylist())) > 1 else 2


def _cell(value: Any) -> str:
    return "·" if value is None else plain(as_label(value))


def verdict(out: Console, proof: Proof, *, same_as: str = "") -> None:
    """Whether the proof holds, and the account behind it, or the table for which the same account was given already."""
    sure = proof.headline.startswith("Proved")
    style = "green" if sure else "bold yellow" if proof.holds else "bold red"
    heading(out, f"{'✓' if sure else '?' if proof.holds else '✗'} {proof.headline}", style)
    for failure in proof.failures[:_REMARKS]:
        line(out, failure)
    # One that breaks the proof stands above.
    open_still = [one for one in proof.questions if one.does is not Does.BREAKS]
    for asked in () if proof.strict and not proof.holds else open_still[:_REMARKS]:
        line(out, f"? {asked}")
    if same_as in {"", proof.table}:
        rows(out, _account(proof))
    else:
        line(out, f"the same source cells as {same_as}, accounted for there")


def _account(proof: Proof) -> list[tuple[str, str]]:
    if not proof.ledgers:
        return [
            (
                "steps",
                "; ".join(f"{step.step}: {step.rows_in:,} in, {step.rows_out:,} out" for step in proof.steps) or "none",
            )
        ]
    counts = proof.counts
    used = " · ".join(
        _of_use(cells, use.removeprefix("used as "))
        for use, cells in counts.items()
        if use.startswith(("used", "fields", "footnote"))
    )
    left = " · ".join(
        _of_use(cells, use.removeprefix("left out: ")) for use, cells in counts.items() if use.startswith("left")
    )
    open_ = f"{proof.unclaimed:,} of them unclaimed" if proof.unclaimed else "all accounted for"
    said = [("source cells", f"{proof.cells:,}, {open_}")]
    said += [("used", used)] if used else []
    said += [("left out", left)] if left else []
    for account in proof.conservation:
        sums = "" if account.sum_in is None else f"; sum {account.sum_in:,.10g} in, {account.sum_out:,.10g} out"
        missing = f" and {account.missing:,} missing" if account.missing else ""
        said.append((account.measure, f"{account.cells:,} cells in, {account.values:,} values{missing} out{sums}"))
    said.append(("totals", _totals(proof)))
    if proof.checks:
        held = sum(check.holds for check in proof.checks)
        said.append(("expected", f"{held:,} of {len(proof.checks):,} expectations hold"))
    empty = sum(step.rows_in - step.rows_out for step in proof.steps if step.step.startswith("unpivot"))
    if empty:
        said.append(("empty cells", f"{empty:,} left out"))
    return [*said, *_sheets_left_out(proof)]


def _sheets_left_out(proof: Proof) -> list[tuple[str, str]]:
    where: dict[tuple[str, str], list[str]] = {}
    for source in proof.sources:
        for name, why in source.left_out.items():
            where.setdefault((why, name), []).append(Path(source.file).name)
    by_why: dict[str, list[str]] = {}
    for (why, name), files in where.items():
        if len(files) == len(proof.sources):
            said = name
        else:
            said = f"{name} of {files[0]}" if len(files) == 1 else f"{name} of {len(files)} files"
        cells = sum(source.left_cells.get(name, 0) for source in proof.sources)
        said += f" ({counted(cells, 'cell')})"
        by_why.setdefault(why, []).append(said)
    return [
        ("sheets left out", f"{', '.join(names[:6])}{f' and {len(names) - 6} more' if len(names) > 6 else ''}: {why}")
        for why, names in by_why.items()
    ]


def _of_use(cells: int, use: str) -> str:
    """How many cells had a use, in words: one title, two titles, five cells of total lines."""
    if use.startswith(("total lines", "hidden")):
        return f"{counted(cells, 'cell')} of {use}"
    one = re.sub(r"^(footnote mark|[a-z]+?)s\b", r"\1", use) if cells == 1 else use
    return f"{cells:,} {one}"


def _totals(proof: Proof) -> str:
    stated, apart = sum(tie.cells for tie in proof.ties), sum(tie.apart for tie in proof.ties)
    among = [f"{apart:,} among shares or rates are no sums"] if apart else []
    if not stated:
        return ", ".join(among) or "none stated"
    exact, rounded = sum(tie.exact for tie in proof.ties), sum(tie.rounded for tie in proof.ties)
    failed = sum(tie.failed for tie in proof.ties)
    parts = [f"{stated:,} stated", f"{exact:,} tie exactly" if exact != stated else "all tie exactly"]
    if rounded:
        widest = max(tie.widest for tie in proof.ties)
        parts.append(f"{rounded:,} within rounding (at most {widest:.3g})")
    if failed:
        parts.append(f"{failed:,} do not tie")
    return ", ".join([*parts, *among])


def remarks(out: Console, proof: Proof) -> None:
    """What was noticed on the way, the first dozen."""
    # Questions and those that break the proof stand with the verdict.
    told = [one for one in proof.findings if one.does is Does.TELLS or (one.asks and one not in proof.questions)]
    if not told:
        return
    heading(out, "Noticed")
    several = len(proof.sources) > 1
    by_kind: dict[str, list[Finding]] = {}
    for remark in told:
        by_kind.setdefault(remark.kind, []).append(remark)
    lines = [said for remarks_of in by_kind.values() for said in _folded(remarks_of, told, several=several)]
    for said in lines[:_REMARKS]:
        line(out, f"· {said}")
    if len(lines) > _REMARKS:
        out.print(Text(f"  and {len(lines) - _REMARKS} more, all in the proof file", style="dim"))


def _folded(own: Sequence[Finding], told: Sequence[Finding], *, several: bool) -> list[str]:
    """The remarks of one kind in lines: a few as they are, many like ones as the first with a count."""
    lines = list(dict.fromkeys(_remark(remark, told, several=several) for remark in own))
    if len(lines) <= _LIKE:
        return lines
    return [*lines[: _LIKE - 1], f"and {len(lines) - _LIKE + 1:,} more remarks of this kind ({own[0].kind})"]


def _remark(remark: Finding, told: Sequence[Finding], *, several: bool) -> str:
    """A remark in a line; what many sheets say in the same words, of no cell, is said once."""
    alike = [other for other in told if other.what == remark.what and other.sheet] if not remark.cells else []
    if len(alike) > 1:
        names = list(dict.fromkeys(other.sheet for other in alike))
        few = len(names) == len(alike) <= _NAMED
        return f"{', '.join(names) if few else f'{len(alike)} sheets'}: {remark.what}"
    return f"{Path(remark.file).name}, {remark}" if several and remark.file else str(remark)


def outputs(out: Console, published: Sequence[Published]) -> None:
    """Where the tables and proofs went, and how to look behind a value."""
    if "kebrin.cli.journal" in sys.modules:
        for item in published:
            sys.modules["kebrin.cli.journal"].say(
                "written", file=item.place or str(item.path), rows=item.rows, proved=not item.held_back
            )
    heading(out, "Written")
    rows(
        out,
        [(item.place or str(item.path), _became(item)) for item in published[:_LISTED]],
    )
    if len(published) > _LISTED:
        line(out, f"and {len(published) - _LISTED:,} more files")
    notes: dict[str, list[str]] = {}
    for item in published:
        for said in item.said:
            notes.setdefault(said, []).append(item.path.name)
    for said, names in list(notes.items())[:_REMARKS]:
        more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
        of = "" if len(published) < 2 or any(name in said for name in names) else f"{', '.join(names[:_NAMED])}{more}: "
        line(out, f"! {of}{said}", "bold")
    for item in published:
        if item.held_back:
            good = item.path.with_name(item.path.name.replace(".unproved", ""))
            left = f"{good.name} was left as it was" if good.exists() else f"{good.name} was not written"
            line(out, f"{left}. Look at what does not hold; --accept publishes it all the same.", "bold")


def _became(item: Published) -> str:
    if item.left:
        return "left as it stands"
    return f"{counted(item.rows, 'row')}{' added' if item.added else ''}; proof in {item.proof_path.name}"


def line(out: Console, text: str, style: str = "") -> None:
    """One indented line that folds under itself; an empty text gives an empty line."""
    if not text:
        out.print()
        return
    out.print(Padding(Text(plain(text), style=style), (0, 0, 0, 2), expand=False))


def wanted(out: Console, match: Match) -> None:
    """Which wanted rows are there, and why the others are not."""
    heading(out, f"Wanted rows: {sum(match.reached)} of {len(match.wanted)} are there")
    for name in match.absent:
        text = match.stamped.get(name)
        why = "is not in the table" if text is None else (
            f"is not reached: {text!r} stands nowhere in the reports. The plan says it on all rows, next month's too"
        )  # fmt: skip
        line(out, f"! column {name!r} {why}", "bold")
    for miss in match.misses:
        line(out, f"! {miss}", "bold")


def plain_match(match: Match) -> dict[str, Any]:
    """The same for programs."""
    return {
        "rows": len(match.wanted),
        "there": sum(match.reached),
        "absent": list(match.absent),
        "stamped": dict(match.stamped),
        "why": list(match.misses),
    }


def command() -> str:
    """The command as it was called: by its name, or by the path that it was called by."""
    called = sys.argv[0] if sys.argv else "kebrin"
    return (
        quoted(called) if os.sep in called and Path(called).name == "kebrin" and which("kebrin") != called else "kebrin"
    )


def quoted(word: object) -> str:
    """A word of a command as a shell takes it."""
    return shlex.quote(str(word))


def trace_hint(out: Console, published: Sequence[Published]) -> None:
    """How to look behind a value, if some file can be traced."""
    first = next((item for item in published if item.traceable), None)
    if first is not None:
        named = f" {quoted(first.measure)}" if first.measure else ""
        named += f" --sheet {quoted(first.sheet)}" if first.sheet else ""
        next_step(out, f"See the cell behind a value: {command()} trace {quoted(first.place or first.path)} 1{named}")


def next_step(out: Console, text: str) -> None:
    """One line that says what to do next."""
    out.print()
    out.print(Text(plain(text), style="dim"))
