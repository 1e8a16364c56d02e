"""Page heads of a print report: found where they come again, and set aside behind the first."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING

from kebrin.sources.lines import PAGE, STAMP, begins, fields_of, is_rule, numbered_pages, says_page

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.sources.lines import Lines

_HEAD_LINES = 12
_DIGITS = re.compile(r"\d+")
# A number at the end of a line, behind a gap or a word.
_LAST = re.compile(r"^(.*\S)\s+(\d{1,5})\s*$")


def without_page_heads(lines: Lines, begin: str = "") -> tuple[Lines, list[int]]:
    """The lines without heads that a page before had already, and the lines (by their places) that these are.

    Args:
        lines: the lines of a report.
        begin: what each head begins with, where a person says so.
    """
    texts = lines.texts
    starts = [at for at, text in enumerate(texts) if begins(text, (begin,))] if begin else _page_starts(texts)
    if len(starts) < 2:
        return lines, []
    first = texts[starts[0] : starts[0] + min(_HEAD_LINES, starts[1] - starts[0])]
    first = first[: _end_of_head(texts, starts, first)]
    gone: set[int] = set()
    for start in starts[1:]:
        for at, head in enumerate(first):
            if start + at >= len(texts) or not _same_head(head, texts[start + at]):
                break
            gone.add(start + at)
    return lines.but(gone | _blanks_before(texts, starts[1:], gone)), sorted(gone)


def _blanks_before(texts: Sequence[str], starts: Sequence[int], gone: set[int]) -> set[int]:
    """The blank lines at the foot of a page, where what stood on it goes on right below the next head."""
    found: set[int] = set()
    for start in starts:
        below = next((at for at in range(start, min(start + _HEAD_LINES, len(texts))) if at not in gone), -1)
        if start not in gone or below < 0 or not texts[below].strip():
            continue
        above = start - 1
        while above >= 0 and not texts[above].strip():
            found.add(above)
            above -= 1
    return found


def _end_of_head(texts: Sequence[str], starts: Sequence[int], first: Sequence[str]) -> int:
    """How many lines the head of a page has: up to the headings or the rule below them, which all pages say alike.

    A record may look like the line that stands in its place on another page, but for its figures; it stands below them. Where
    nothing without figures comes again on all pages, the head is the line with the page's number.
    """
    end = 0
    for at, head in enumerate(first):
        alike = sum(_same_head(head, texts[start + at]) for start in starts if start + at < len(texts))
        if not 2 * alike > len(starts):
            break
        same = sum(head.split() == texts[start + at].split() for start in starts if start + at < len(texts))
        # A text alone that all pages say is no record, whatever figures are in it: "As at 1 April 2031".
        alone = same == len(starts) and len(fields_of(head)) == 1
        plain = 2 * same > len(starts) and head.strip() and (is_rule(head) or alone or not _DIGITS.search(head))
        if plain or says_page(head) or (not at and _is_counted(texts, starts)):
            end = at + 1
    return end


def _page_starts(texts: Sequence[str]) -> list[int]:
    """Where pages begin: at the first of the lines that come again with each page number, or again with no figure at all."""
    at = _numbered(texts) or _counted(texts) or _repeated(texts)
    up = 0  # the head may begin above the line with the number
    while at and at[0] - up - 1 >= 0:
        above = {_form(texts[one - up - 1]) for one in at}
        if len(above) > 1 or "" in above:
            break
        up += 1
    return [one - up for one in at]


def _numbered(texts: Sequence[str]) -> list[int]:
    """The lines that say a page's number, in the form that comes most often; none if each has a form of its own."""
    marked = {at: _form(texts[at]) for at in numbered_pages(texts)}
    common = Counter(marked.values()).most_common(1)
    return [at for at, form in marked.items() if form == common[0][0]] if common and common[0][1] > 1 else []


def _counted(texts: Sequence[str]) -> list[int]:
    """The lines that say what the first line of the report says, but for the number at their end, which counts: the pages.

    >>> _counted(["PARTS LIST     1", "Rope   4", "PARTS LIST     2", "Oar    9"]), _counted(["Lane 1   4", "Lane 2   5"])
    ([0, 2], [])
    """
    head = next(filter(None, texts), "")
    own = _LAST.search(head)
    if own is None or not own[1].strip() or (_DIGITS.search(own[1]) is not None and "  " not in own[1]):
        return []
    at = [one for one, text in enumerate(texts) if (match := _LAST.search(text)) and match[1].split() == own[1].split()]
    numbers = [int(match[2]) for one in at if (match := _LAST.search(texts[one]))]
    return at if len(at) > 1 and numbers == list(range(numbers[0], numbers[0] + len(numbers))) else []


def _repeated(texts: Sequence[str]) -> list[int]:
    """The lines that say what the first line of the report says, if it holds no figure and they say it alike."""
    head = next(filter(None, texts), "")
    if _DIGITS.search(head):
        return []
    words = head.split()
    at = [one for one, text in enumerate(texts) if text and words[-1] in text and text.split() == words]
    return at if len({texts[one] for one in at}) == 1 < len(at) else []


def _form(text: str) -> str:
    """A line but for its gaps, every number alike."""
    return _DIGITS.sub("0", " ".join(text.split()))


def without_count(lines: Lines, heads: Sequence[int]) -> Lines:
    """The lines, the first of counted pages without its number; `heads` are the lines of later ones."""
    first = next((at for at, text in enumerate(lines.texts) if text), -1)
    match = _LAST.search(lines.texts[first]) if heads and first >= 0 else None
    if match is None or says_page(lines.texts[first]):
        return lines
    return replace(lines, texts=[*lines.texts[:first], match[1], *lines.texts[first + 1 :]])


def _is_counted(texts: Sequence[str], starts: Sequence[int]) -> bool:
    return list(starts) == _counted(texts)


def _same_head(head: str, line: str) -> bool:
    """Whether a line says what the first page's head says there: the same, but for the page and the time."""
    if head.split() == line.split():
        return True
    own, other = _LAST.search(head), _LAST.search(line)
    if own and other and own[1].split() == other[1].split():
        return True
    if not (PAGE.search(head) or STAMP.search(head)):
        return False
    return _DIGITS.sub("0", "".join(head.split())) == _DIGITS.sub("0", "".join(line.split()))
