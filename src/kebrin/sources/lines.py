"""Lines of a text laid out by blanks: what each holds, and which are laid out by no columns (keys, page numbers, pairs)."""

from __future__ import annotations

import re
from dataclasses import dataclass
from itertools import islice, pairwise, takewhile, zip_longest
from typing import TYPE_CHECKING

from kebrin.grammar.words import CONTINUED_BEGINS, without_continued
from kebrin.sources.aligned import Field, Placed, Row, field_of, reads_as_figure

if TYPE_CHECKING:
    from collections.abc import Collection, Iterator, Sequence

    from kebrin.sources.stated import StatedText

_RULE = re.compile(r"[\s\-=_+|*~.:─━═]*[-=_─━═]{3,}[\s\-=_+|*~.:─━═]*|[\s*~.]*[*~]{3,}[\s*~]*")
#: What says a page's number, and a day or a time.
PAGE = re.compile(r"\b(?:page|pg|seite|blatt|pagina|página|sida|side)\b\.?\s*:?\s*\d+", re.IGNORECASE)
STAMP = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}:\d{2}")
#: A key and its value on a line of their own.
KEY = re.compile(r"\s*(?P<name>[^\W\d_][^:]{0,38}?)(?:\s*\.)*\s*:\s+(?P<value>\S.*?)\s*")
_PAGE_BEHIND = re.compile(rf"\s{{2,}}{PAGE.pattern}(?:\s*(?:of|/|von|de|av|z)\s*\d+)?\s*$", re.IGNORECASE)
PAGE_BEGINS = ("pag", "pág", "pg", "seite", "blatt", "sid")  # looked for first, for that is quick
_GAP, _WORD, _RUN = re.compile(r" {2,}"), re.compile(r"\S+"), re.compile(r"\S+(?: \S+)*")
# Dots from a label to the figure behind them.
_LEADER = re.compile(r"(?<=[^\s.]) ?(?:\.{3,}|(?:\. ){2,}\.?) *(?=[-+(−]?[\d.,]*\d|[-–—]$)")
# Figures one blank apart, with nothing else beside them; thousands parted so.
_DIGITS = re.compile(r"(?:(?<=  )|^)[-+(−]?\d[\d.,]*(?: \d[\d.,]*)*[)%-]?(?=  |$)")
_GROUPS = re.compile(r"[-+(−]?\d{1,3}(?: \d{3})+(?:[.,]\d+)?[)%-]?")
_LETTERS = re.compile(r"[^\W\d_]+(?= |$)")
_MAY_GROUP = re.compile(r"\d \d{3}(?!\d)")
_DOTS = re.compile(r"(?<=[^\s.]) ?(?:\.{3,}|(?:\. ){2,}\.?) *(?=[^\s.])")
# How many records there are, below them: "NUMBER OF BOATS   3".
_COUNT = re.compile(r"\s*(?:total )?(?:number|no\.?|count) of [^\d]*?\s{2,}\d[\d,]*\s*", re.IGNORECASE)
# A number with a decimal sign, which is one figure wherever it stands.
_DECIMAL = re.compile(r"(?<![\d.,])\d+[.,]\d+(?![\d.,])")
_SEVERAL = 2
_FEWEST = 3
# Headings stand no further below what heads a section.
_HEADS_BELOW = 12
# So many runs of text are two labels with what they say.
_PAIRED = 4


@dataclass(frozen=True)
class Lines:
    """The lines of a report: what each says, and its number in the file (0-based)."""

    texts: list[str]
    numbers: Sequence[int]

    def but(self, gone: Collection[int]) -> Lines:
        """The lines without some."""
        if not gone:
            return self
        kept = [at for at in range(len(self.texts)) if at not in gone]
        return Lines([self.texts[at] for at in kept], [self.numbers[at] for at in kept])

    def where(self, at: int) -> str:
        """Where a line stands, in words."""
        return f"line {self.numbers[at] + 1:,}"


def lines_of(text: str) -> Lines:
    """The lines of a text, tabs as blanks, what was printed over itself once; a form feed ends a line too."""
    lines = text.replace("\r\n", "\n").split("\n")
    plain = list(map(str.rstrip, lines))
    if not any(sign in text for sign in "\f\t") and not any("\r" in line for line in plain):
        return Lines(plain, range(len(plain)))
    parts = [
        list(_printed_over(line)) if "\f" in line or "\r" in line or "\t" in line else [own]
        for line, own in zip(lines, plain, strict=True)
    ]
    numbers = [at for at, own in enumerate(parts) for _ in own]
    return Lines([part for own in parts for part in own], numbers)


def _printed_over(line: str) -> Iterator[str]:
    """The lines of a line that was printed over itself: what was printed twice is there once, what differs stays."""
    for part in line.split("\f"):
        over = [one.expandtabs().rstrip() for one in part.split("\r") if one.strip()]
        plain = [one for one in over if not _RULE.fullmatch(one)] or over[:1]
        found = plain[:1]
        for one in plain[1:]:
            both = _over(found[-1], one)
            found[-1:] = [found[-1], one] if both is None else [both]
        yield from found or [""]


def _over(below: str, above: str) -> str | None:
    """Two printings of a line as one; None where they say unlike things in one place."""
    pairs = list(zip_longest(below, above, fillvalue=" "))
    if any(one != other and " " not in {one, other} for one, other in pairs):
        return None
    return "".join(other if one == " " else one for one, other in pairs).rstrip()


def without_leaders(texts: Sequence[str]) -> list[str]:
    """The lines with blanks for dots that lead from a label to its figure, where several lines have them.

    >>> without_leaders(["Calls ..... 120", "Dues....... 88.50", "And so on ..."])
    ['Calls       120', 'Dues        88.50', 'And so on ...']
    """
    joined = "\n".join(texts)
    if "..." not in joined and ". ." not in joined:
        return list(texts)
    led = [at for at, text in enumerate(texts) if "..." in text or ". ." in text]
    led = [at for at in led if _LEADER.search(texts[at])]
    if len(led) < _SEVERAL:
        return list(texts)
    # The headings may be led over to as well.
    return [
        _DOTS.sub(lambda match: " " * len(match[0]), text) if "..." in text or ". ." in text else text for text in texts
    ]


def with_joined_groups(texts: Sequence[str]) -> list[str]:
    """The lines with figures whose thousands a blank parts in one piece, where all that figures show is that it does.

    Whatever stands one blank before three digits is of one to three, several times; no figure or word ends there alone, and other
    figures end where the whole ones do.

    >>> with_joined_groups(["Foot   1 204   988", "Cars  12 310    88", "Coaches   41     9"])
    ['Foot    1204   988', 'Cars   12310    88', 'Coaches   41     9']
    >>> with_joined_groups(["       In Out", "Gull   12 310", "Tern   11 402", "Skua      100"])
    ['       In Out', 'Gull   12 310', 'Tern   11 402', 'Skua      100']
    """
    if not _MAY_GROUP.search("\n".join(texts)):
        return list(texts)
    begins: set[int] = set()  # where the figure before a blank ends
    alone: set[int] = set()
    words: set[int] = set()
    places: list[tuple[int, int, int]] = []
    for at, text in enumerate(texts):
        words |= {word.end() for word in _LETTERS.finditer(text)}
        for run in _DIGITS.finditer(text) if any(map(str.isdigit, text)) else ():
            if " " not in run[0]:
                alone.add(run.end())
            elif _GROUPS.fullmatch(run[0]):
                begins.add(run.start() + run[0].index(" "))
                places.append((at, *run.span()))
            else:
                return list(texts)
    if len(places) < _SEVERAL or begins & (alone | words) or {end for _, _, end in places} - alone:
        return list(texts)
    found = list(texts)
    for at, begin, end in places:
        joined = found[at][begin:end].replace(" ", "")
        found[at] = f"{found[at][:begin]}{joined:>{end - begin}}{found[at][end:]}"
    return found


def is_rule(text: str) -> bool:
    """Whether a line without blanks behind it is drawn and says nothing."""
    return not text[-1:].isalnum() and _RULE.fullmatch(text) is not None


def begins(line: str, words: Sequence[str]) -> bool:
    """Whether a line begins with one of some words."""
    return bool(words) and line.lstrip().startswith(tuple(words))


def counts_records(line: str) -> bool:
    """Whether a line says how many records there are, and nothing else.

    >>> counts_records("NUMBER OF BOATS      3"), counts_records("Number of boats      3   14"), counts_records("Boats      3")
    (True, False, False)
    """
    return _COUNT.fullmatch(line) is not None


def is_bare(line: Placed, stated: StatedText) -> bool:
    """Whether a line is laid out by no columns."""
    if begins(line.text, stated.sections) or (stated.columns and not line.fields and line.text.strip()):
        return True
    if len(line.fields) == _SEVERAL and counts_records(line.text):
        return True
    if ":" not in line.text:
        return _is_stamp(line.text, line.fields)
    return _is_key(line.text) or _is_stamp(line.text, line.fields) or bool(_pairs(line.fields))


def says_page(line: str) -> bool:
    """Whether a line says which page it is."""
    low = line.lower()
    return any(word in low for word in PAGE_BEGINS) and PAGE.search(line) is not None


def holding(texts: Sequence[str], words: Sequence[str]) -> Iterator[int]:
    """Which lines hold one of some words, in any case; most reports hold none of them, and that is seen at once.

    >>> list(holding(["Fee", "Page 2", "PAGE 3"], ["pag", "seite"]))
    [1, 2]
    """
    low = "\n".join(texts).lower()
    own = [word for word in words if word in low]
    lines = low.split("\n") if own else []
    for at, line in enumerate(lines):
        for word in own:
            if word in line:
                yield at
                break


def numbered_pages(texts: Sequence[str]) -> list[int]:
    """Which lines say which page they are."""
    return [at for at in holding(texts, PAGE_BEGINS) if PAGE.search(texts[at]) is not None]


def without_page_behind(texts: Sequence[str]) -> list[str]:
    """The lines, those that say a key and behind a gap the page without the page, where the key says more than one thing.

    >>> without_page_behind(["Vessel: Gull      Page 1", "Vessel: Tern      Page 2", "Dues: all    Page 3"])
    ['Vessel: Gull', 'Vessel: Tern', 'Dues: all    Page 3']
    """
    bare = {at: _PAGE_BEHIND.sub("", texts[at]) for at in numbered_pages(texts) if ":" in texts[at]}
    said: dict[str, set[str]] = {}
    for text in bare.values():
        said.setdefault(text.partition(":")[0], set()).add(text)
    return [
        bare[at] if at in bare and len(said[bare[at].partition(":")[0]]) > 1 else text for at, text in enumerate(texts)
    ]


def _is_key(line: str) -> bool:
    """Whether a line is a key and its value, with nothing beside them."""
    match = KEY.fullmatch(line) if ":" in line else None
    return match is not None and not _GAP.search(match["value"]) and not _GAP.search(match["name"])


def _pairs(runs: Sequence[Field]) -> list[str]:
    """The keys of a line with their values ("Master: Ada Holm"), two or more side by side; none if it holds anything else."""
    found: list[str] = []
    name = ""
    for one in runs:
        text = one.text.strip()
        if name:
            if text.endswith(":"):
                return []
            found.append(f"{name} {text}")
            name = ""
        elif text.endswith(":") and any(map(str.isalpha, text)):
            name = text
        elif (match := KEY.fullmatch(text)) is not None:
            found.append(f"{match['name'].strip()}: {match['value']}")
        else:
            return []
    return found if len(found) > 1 and not name else []


def spaced_pairs(above: Sequence[Placed]) -> dict[int, list[str]]:
    """Lines of labels and what they say, side by side and without colons, as cells with a gap between the pairs.

    They stand one below the other, as many on each, and a blank line parts them from the headings.
    """
    found: dict[int, list[str]] = {}
    group: list[int] = []
    for at, line in enumerate(above):
        runs = [one.text for one in line.fields]
        if runs and len(runs) % 2 == 0 and len(runs) >= _PAIRED and not any(one.is_figure for one in line.fields):
            group.append(at)
            continue
        counts = {len(above[one].fields) for one in group}
        labels = [run.text for one in group for run in above[one].fields[::2]]
        plain = all(len(text.split()) <= _FEWEST and not any(map(str.isdigit, text)) for text in labels)
        if not line.text.strip() and len(group) > 1 and len(counts) == 1 and plain and len(set(labels)) == len(labels):
            for one in group:
                texts = [run.text for run in above[one].fields]
                found[one] = [text for place in range(0, len(texts), 2) for text in (*texts[place : place + 2], "")]
        group = []
    return found


def _is_stamp(line: str, runs: Sequence[Field]) -> bool:
    """Whether a line only says which page it is, or when it was printed: it is laid out by no columns."""
    if not runs or len(runs) > _FEWEST + 1:
        return False
    if says_page(line) and _numbers_page(runs):
        return sum(one.is_figure for one in runs) < _FEWEST
    alone = len(runs) == 1 and not runs[0].is_figure
    return alone and STAMP.search(line) is not None


def _numbers_page(runs: Sequence[Field]) -> bool:
    """Whether a run of text says a page's number, or only the word for it before a figure: not "the north side" before 45."""
    return any(PAGE.search(one.text) for one in runs) or any(
        PAGE.fullmatch(f"{word.text} {figure.text}") for word, figure in pairwise(runs)
    )


def fields_of(line: str) -> list[Field]:
    """The runs of text of a line: parted by two blanks or more, and figures by one."""
    found: list[Field] = []
    for match in _RUN.finditer(line):
        begin, text = match.start(), match[0]
        # Words and figures side by side are one text; figures alone are a column each.
        if " " in text and all(map(reads_as_figure, text.split(" "))):
            found += [Field(begin + one.start(), begin + one.end(), one[0], True) for one in _WORD.finditer(text)]
        else:
            found.append(Field(begin, match.end(), text, reads_as_figure(text)))
    return found


def cut(line: str, columns: Sequence[tuple[int, int]]) -> list[Field]:
    """The runs of text of a line at stated places; none if it does not keep to them."""
    inside = [" "] * len(line)
    found = []
    for left, right in columns:
        part = line[left - 1 : right]
        inside[left - 1 : right] = part
        begin = left - 1 + len(part) - len(part.lstrip())
        if part.strip():
            found.append(field_of(begin, begin + len(part.strip()), part.strip()))
    return found if "".join(inside) == line else []


def number_cut(line: str, columns: Sequence[tuple[int, int]]) -> str:
    """The number with a decimal sign that a stated column ends within; ''. Figures without one may stand side by side.

    >>> number_cut("Upper    4.75", [(1, 8), (9, 12), (13, 20)]), number_cut("0612031", [(1, 4), (5, 7)])
    ('4.75', '')
    """
    for match in _DECIMAL.finditer(line):
        if any(match.start() < right < match.end() for _, right in columns):
            return match[0]
    return ""


def bare_row(line: Placed, width: int) -> Row:
    """A line that is laid out by no columns: keys and their values, or what is said of the page."""
    pairs = _pairs(line.fields)
    if pairs:
        return Row([*pairs, *[""] * (width - len(pairs))], [])
    key = KEY.fullmatch(line.text) if _is_key(line.text) else None
    if key is None:
        return Row([" ".join(line.text.split()), *[""] * (width - 1)], [])
    return Row([f"{key['name'].strip()}: {key['value']}", *[""] * (width - 1)], [])


def apart_row(line: Placed, width: int) -> Row:
    """A line above the headings that keeps to no columns: what stands apart in it in cells of its own."""
    texts = [one.text for one in line.fields]
    if not 1 < len(texts) <= width or _pairs(line.fields):
        return bare_row(line, width)
    return Row([*texts, *[""] * (width - len(texts))], [])


def said_on(texts: Sequence[str]) -> list[int]:
    """Lines that only say that what a line above heads goes on, as at the top of a page, and what is said again below it.

    >>> said_on(["Paint", "", "Paint (continued)", "4 Varnish"])
    [2]
    >>> said_on(["Quay: East", "Berth  Fee", "E1       4", "Quay: East (cont.)", "Berth  Fee", "E2       7"])
    [3, 4]
    """
    found: list[int] = []
    above: dict[str, int] = {}
    last = ""
    if next(holding(texts, CONTINUED_BEGINS), -1) < 0:
        return found
    for at, text in enumerate(texts):
        said = " ".join(text.split())
        if not said:
            continue
        on = without_continued(said)
        if on != said and on in above and (on == last or _heads_last(texts, above[on], at)):
            # A record may come again too, but with its figures.
            heads = {one for one in texts[above[on] + 1 : above[on] + _HEADS_BELOW] if not any(map(str.isdigit, one))}
            again = takewhile(heads.__contains__, islice(texts, at + 1, None))
            found += range(at, at + 1 + sum(1 for _ in again))
        above[said], last = at, said
    return found


def _heads_last(texts: Sequence[str], above: int, at: int) -> bool:
    """Whether a line with a key is the last of its kind before another: "Quay: East" with no "Quay: " between."""
    key, colon, _ = texts[above].partition(":")
    own = texts[above].split()
    return bool(colon) and all(text.split() == own for text in texts[above + 1 : at] if text.startswith(key + colon))
