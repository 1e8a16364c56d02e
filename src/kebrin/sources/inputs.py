"""Choose inputs: which of the files that are named are read, which are passed over and why, and how long one is waited for."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.errors import Place, PlanError, SourceError
from kebrin.grammar.patterns import searched
from kebrin.sources import fetch_records, files, piped, remote

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

_PARTIAL_ENDINGS = frozenset({".tmp", ".part", ".partial", ".filepart", ".crdownload", ".download", ".swp"})
_LOCKS = ("~$", ".~lock")
# A file that is waited for is complete once its size and time have stood still for so long.
_STILL_SECONDS = 0.5
_SHOWN = 4


@dataclass(frozen=True)
class Choice:
    r"""Which of the files that fit are taken.

    Attributes:
        newest: so many of the newest only; 0 takes all.
        dated: a pattern with one group for the date in a file's name, by which the newest is told; else the file's time tells.
        wait: how many seconds a file that is not there yet, or still arriving, is waited for.
    """

    newest: int = 0
    dated: str = ""
    wait: float = 0.0


@dataclass(frozen=True)
class Chosen:
    """The files that were taken, in order, and those that were passed over, each with its reason."""

    paths: tuple[Path, ...]
    passed: tuple[tuple[Path, str], ...] = ()


def choose(
    patterns: Iterable[str], *, base: Path | None = None, choice: Choice | None = None,
    sleep: Callable[[float], None] = time.sleep,
) -> Chosen:  # fmt: skip
    """The files that paths, folders and patterns with `*` name.

    Locks, temporary files, files still arriving and what Kebrin wrote itself are passed over, and so is any kind of file that
    is not read, unless it is named in full.

    Raises:
        SourceError: nothing fits, or a file is still arriving when the time for waiting is over.
        PlanError: a file's name has no date where the choice says so.
    """
    choice = choice or Choice()
    patterns = list(patterns)
    ends = time.monotonic() + choice.wait
    while True:
        chosen, failure = _looked(patterns, base)
        restless = choice.wait > 0 and failure is None and _is_restless(chosen, sleep)
        if failure is None and not restless:
            return _newest(chosen, choice) if choice.newest else chosen
        if time.monotonic() >= ends:
            raise failure or SourceError(
                "a file is still arriving", Place(str(chosen.paths[0].parent)),
                why=f"it changed while it was waited for, {choice.wait:g} seconds long",
                do="Run it again later, or state a longer wait",
            )  # fmt: skip
        sleep(min(_STILL_SECONDS, max(ends - time.monotonic(), 0.0)))


def _looked(patterns: Sequence[str], base: Path | None) -> tuple[Chosen, SourceError | None]:
    taken: dict[Path, None] = {}
    passed: dict[Path, str] = {}
    for pattern in patterns:
        try:
            one = _of_pattern(pattern, base)
        except SourceError as error:
            return Chosen(tuple(taken), tuple(passed.items())), error
        taken |= dict.fromkeys(one.paths)
        passed |= dict(one.passed)
    return Chosen(tuple(taken), tuple(passed.items())), None


def _of_pattern(pattern: str, base: Path | None) -> Chosen:
    if pattern == piped.SIGN:
        return Chosen((piped.spooled(),))
    pattern = str(remote.here(pattern))
    if remote.is_address(pattern):
        return _elsewhere(pattern)
    # Folders within folders within folders are folders within folders, and are looked through once.
    path = (base or Path()) / re.sub(r"(?:\*\*/)+\*\*", "**", pattern)
    if path.is_file():
        return Chosen((path,))  # a name with a bracket is no pattern where the file is there
    if path.is_dir():
        found = sorted(file for file in path.iterdir() if file.is_file())
    elif any(mark in pattern for mark in "*?["):
        root = Path(path.anchor) if path.is_absolute() else Path()
        found = sorted(file for file in root.glob(str(path.relative_to(root))) if file.is_file())
    else:
        return Chosen((path,))
    ending = Path(pattern).suffix.lower() if not path.is_dir() else ""
    reasons = {file: why_passed(file, ending) for file in found}
    kept = tuple(file for file in found if not reasons[file])
    if not kept:
        raise SourceError(
            "no report found", Place(str(path)), why=_why_none(path, reasons), do="Check the folder and the pattern"
        )
    return Chosen(kept, tuple((file, why) for file, why in reasons.items() if why))


def _elsewhere(address: str) -> Chosen:
    """The files at an address; of several, those that are reports."""
    found = remote.brought(address)
    ending = Path(address).suffix.lower()
    reasons = {file: why_passed(file, ending) for file in found} if len(found) > 1 else {}
    return Chosen(
        tuple(file for file in found if not reasons.get(file)),
        tuple((file, why) for file, why in reasons.items() if why),
    )


def _why_none(path: Path, reasons: dict[Path, str]) -> str:
    if reasons:
        shown = ", ".join(f"{file.name} ({why})" for file, why in list(reasons.items())[:_SHOWN])
        return f"passed over: {shown}" + (f" and {len(reasons) - _SHOWN} more" if len(reasons) > _SHOWN else "")
    return "the folder is empty" if path.is_dir() else "no file's name fits the pattern"


def why_passed(file: Path, ending: str = "") -> str:
    """Why a file that a folder or a pattern names is not read; '' if it is.

    >>> why_passed(Path("~$traffic.xlsx")), why_passed(Path("traffic.xlsx.part")), why_passed(Path("traffic.xlsx"))
    ('a lock, left by a program that has the file open', 'still arriving, or a temporary file', '')
    >>> why_passed(Path("dues.prn.gz")), why_passed(Path("backup.tar.gz"))
    ('', '.tar is no kind of report')
    """
    name = file.name
    if name.startswith(_LOCKS):
        return "a lock, left by a program that has the file open"
    if file.suffix.lower() in _PARTIAL_ENDINGS or name.endswith("~"):
        return "still arriving, or a temporary file"
    if name.startswith("."):
        return "a hidden file"
    if files.is_output(file) or name.endswith((".proof.json", fetch_records.ENDING, "-metadata.json")):
        return "written by Kebrin"
    bare = Path(file.stem) if file.suffix.lower() == ".gz" and Path(file.stem).suffix else file
    if bare.suffix.lower() not in files.ENDINGS and file.suffix.lower() != ending:
        return f"{bare.suffix or 'a name without an ending'} is no kind of report"
    return ""


def _is_restless(chosen: Chosen, sleep: Callable[[float], None]) -> bool:
    """Whether one of the files changes, or another is still arriving."""
    if any(why.startswith("still arriving") for _, why in chosen.passed):
        return True
    now = time.time()
    try:
        young = [path for path in chosen.paths if now - path.stat().st_mtime < _STILL_SECONDS]
        before = [files.state(path) for path in young]
        if young:
            sleep(_STILL_SECONDS)
        return before != [files.state(path) for path in young]
    except OSError:
        return True


def _newest(chosen: Chosen, choice: Choice) -> Chosen:
    keys = {path: _moment(path, choice.dated) for path in chosen.paths}
    order = sorted(chosen.paths, key=lambda path: (keys[path], path.name), reverse=True)
    kept = set(order[: choice.newest])
    by = "by the date in its name" if choice.dated else "by its time"
    passed = tuple((path, f"not among the newest {choice.newest}, {by}") for path in chosen.paths if path not in kept)
    return Chosen(tuple(path for path in chosen.paths if path in kept), (*chosen.passed, *passed))


def _moment(path: Path, dated: str) -> tuple[float, ...]:
    """When a file is from: the numbers of the date in its name, the largest unit first, or its time."""
    if not dated:
        return (path.stat().st_mtime,)
    match = searched(dated, path.name)
    if match is None:
        raise PlanError(
            "a file's name has no date", Place(str(path)), why=f"the pattern {dated!r} in choose does not fit it",
            do="Correct dated, or choose the files by a pattern that leaves this one out",
        )  # fmt: skip
    return order_of(match.part)


def order_of(text: str) -> tuple[float, ...]:
    """A date or a period as numbers that sort: year, month or quarter, day.

    >>> order_of("2031-04") < order_of("2031-11"), order_of("14Apr2031"), order_of("01-02-2031")
    (True, (2031.0, 4.0, 14.0), (2031.0, 2.0, 1.0))
    """
    from kebrin.grammar.periods import words_for

    months = words_for("month", ["en", "de", "fr"])
    parts = [months.get(word.casefold(), word) for word in re.findall(r"\d+|[^\W\d_]{3,}", text)]
    numbers = [float(part) for part in parts if isinstance(part, int) or part.isdigit()]
    if len(numbers) == 1 and numbers[0] >= 1e5:  # 20310414, 203104
        digits = str(int(numbers[0]))
        return tuple(float(part) for part in (digits[:4], digits[4:6], digits[6:]) if part)
    return tuple(reversed(numbers)) if numbers and numbers[-1] >= 1000 > numbers[0] else tuple(numbers)
