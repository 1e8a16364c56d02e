"""What file names differ in: the dates, the periods and the places in them, as fields."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from kebrin.grammar.periods import period_name, words_for

if TYPE_CHECKING:
    from collections.abc import Container, Iterable, Sequence

_YEAR = r"(?:18|19|20|21)\d\d"
_MONTH = r"(?:0[1-9]|1[0-2])"
_DAY = r"(?:0[1-9]|[12]\d|3[01])"
_SEP = r"[-_. ]?"
# The styles in which dates and periods stand in names, the fullest first; each is a group of a pattern in a plan.
_STYLES = (
    ("date", rf"{_YEAR}([-_. ])?{_MONTH}(?(1)\1){_DAY}"),
    ("date", rf"{_DAY}([-_. ]){_MONTH}\1{_YEAR}"),
    ("date", rf"\d{{1,2}}{_SEP}MONTHWORD{_SEP}{_YEAR}"),
    ("month", rf"MONTHWORD{_SEP}{_YEAR}"),
    ("month", rf"{_YEAR}{_SEP}MONTHWORD"),
    ("quarter", rf"{_YEAR}{_SEP}[Qq][1-4]|[Qq][1-4]{_SEP}{_YEAR}"),
    ("week", rf"{_YEAR}{_SEP}[Ww]\d\d?"),
    ("month", rf"{_YEAR}[-_.]{_MONTH}"),
    ("month", rf"{_YEAR}{_MONTH}"),
    ("month", rf"{_MONTH}[-_.]{_YEAR}"),
    ("year", rf"{_YEAR}[-_/]\d\d(?:\d\d)?"),
    ("year", _YEAR),
)
_EDGE = (r"(?<![0-9])", r"(?![0-9])")
_FEWEST_SHARED = 2
_TOKEN = re.compile(r"[^\W\d_]+|\d+")


class FilePart(NamedTuple):
    """A part that file names differ in: what to call it, the pattern that takes it, and its value by file name."""

    name: str
    pattern: str
    values: dict[str, str]


def file_parts(files: Sequence[str], taken: Container[str] = ()) -> list[FilePart]:
    r"""The parts that some file names differ in; none if they have nothing in common, or do not differ.

    A date or period is called by its kind, anything else 'file'; 'file' too where the name is taken.

    >>> [(part.name, part.values) for part in file_parts(["14Apr2031 lifts.csv", "28Mar2031 lifts.csv"])]
    [('date', {'14Apr2031 lifts.csv': '14Apr2031', '28Mar2031 lifts.csv': '28Mar2031'})]
    >>> [part.values["north_2031-02.csv"] for part in file_parts(["north_2031-02.csv", "south_2031-03.csv"])]
    ['north', '2031-02']
    >>> file_parts(["a.csv", "b.csv"])
    []
    """
    names = list(dict.fromkeys(Path(file).name for file in files))
    if len(names) < 2:
        return []
    dated = _dated(names, taken)
    if dated is None:
        plain = _plain(names, taken)
        return [plain] if plain else []
    part, rests = dated
    found = [part] if len(set(part.values.values())) > 1 else []
    if len(set(rests.values())) > 1:
        place = _place(rests, taken)
        if place is not None:
            found.insert(0 if _comes_first(place, part, names) else len(found), place)
    return found


def part_of_one(file: str, taken: Container[str] = ()) -> FilePart | None:
    r"""The date or period in one file's name, which the next one's will have too; None if there is none, or nothing else.

    >>> part_of_one("lifts_2031-03.csv")
    FilePart(name='month', pattern='lifts_(.+)\\.csv', values={'lifts_2031-03.csv': '2031-03'})
    >>> part_of_one("2031-03.csv") is part_of_one("lifts.csv") is None
    True
    """
    name = Path(file).name
    found = _dated([name], taken)
    if found is None:
        return None
    part, _ = found
    rest = Path(name).stem.replace(part.values[name], "")
    return part if len(re.findall(r"[^\W\d_]", rest)) >= _FEWEST_SHARED else None


def _comes_first(place: FilePart, part: FilePart, names: Sequence[str]) -> bool:
    name = names[0]
    return name.find(place.values[name]) < name.find(part.values[name])


def _dated(names: Sequence[str], taken: Container[str]) -> tuple[FilePart, dict[str, str]] | None:
    """The date or period in every name, in one style, and what is left of each name."""
    words = "|".join(sorted(map(re.escape, words_for("month", ["en", "de", "fr"])), key=len, reverse=True))
    for kind, style in _STYLES:
        own = style.replace("MONTHWORD", f"(?:{words})")
        pattern = re.compile(_EDGE[0] + "(?:" + own + ")" + _EDGE[1], re.IGNORECASE)
        matches = {name: list(pattern.finditer(Path(name).stem)) for name in names}
        if not all(len(found) == 1 for found in matches.values()):
            continue
        values = {name: found[0][0] for name, found in matches.items()}
        rests = {name: name[: found[0].start()] + "\0" + name[found[0].end() :] for name, found in matches.items()}
        stated = _edges(rests)
        worded = style.replace("MONTHWORD", r"[^\W\d_]{3,10}")
        return FilePart("file" if kind in taken else kind, stated or _capturing(worded), values), rests
    return None


def _edges(rests: dict[str, str]) -> str:
    """A pattern for what stands between the same words in every name, '' if they differ."""
    if len(set(rests.values())) > 1:
        return ""
    before, _, behind = next(iter(rests.values())).partition("\0")
    return f"{_quoted(before)}(.+){_quoted(behind)}"


def _capturing(style: str) -> str:
    """A style as a pattern with one group: the whole of it."""
    plain = style.replace("([-_. ])?", "[-_. ]?").replace("(?(1)\\1)", "[-_. ]?").replace("([-_. ])", "[-_. ]")
    return f"({plain.replace(chr(92) + '1', '[-_. ]')})"


def _place(rests: dict[str, str], taken: Container[str]) -> FilePart | None:
    """The words that the rest of names differ in, where the same words stand around them."""
    stems = {name: re.sub(r"\.[^.\0]*$", "", rest) for name, rest in rests.items()}
    sides = {name: stem.split("\0") for name, stem in stems.items()}
    for at in (0, 1):
        own = {name: parts[at] for name, parts in sides.items()}
        others = {parts[1 - at] for parts in sides.values()}
        if len(others) == 1 and len(set(own.values())) > 1:
            texts = list(own.values())
            head, tail = _shared(texts)
            values = {name: text[head : len(text) - tail].strip(" -_.") for name, text in own.items()}
            if all(values.values()):
                first = texts[0]
                before, behind = _quoted(first[:head]), _quoted(first[len(first) - tail :])
                own_pattern = f"^{before}(.+?){behind}[-_. ]*\\d" if at == 0 else f"{before}([^0-9]+?){behind}\\.[^.]+$"
                return FilePart("file" if "place" in taken else "place", own_pattern, values)
    return None


def _shared(texts: Sequence[str]) -> tuple[int, int]:
    """How many letters all texts begin and end with alike, up to a gap between words."""
    first, last = min(texts), max(texts)
    head = next((at for at in range(min(len(first), len(last))) if first[at] != last[at]), min(len(first), len(last)))
    head = len(re.sub(r"[^\W_]+$", "", first[:head]))
    turned = sorted(text[head:][::-1] for text in texts)
    least = min(map(len, turned))
    tail = next((at for at in range(least) if turned[0][at] != turned[-1][at]), least)
    tail = len(re.sub(r"[^\W_]+$", "", turned[0][:tail]))
    return head, tail


def _plain(names: Sequence[str], taken: Container[str]) -> FilePart | None:
    """The one part that names differ in, whatever it is."""
    first, last = min(names), max(names)
    head = next((at for at in range(min(len(first), len(last))) if first[at] != last[at]), 0)
    # What differs is taken whole: a number with all its digits, a word with all its letters.
    head = len(re.sub(r"(?:\d[\d-]*|[^\W\d_]+)$", "", first[:head]))
    tails = sorted(name[head:][::-1] for name in names)
    tail = next((at for at in range(min(map(len, tails))) if tails[0][at] != tails[-1][at]), min(map(len, tails)))
    end = re.sub(r"^(?:[\d-]*\d|[^\W\d_]+)", "", first[len(first) - tail :]) if tail else ""
    if head < _FEWEST_SHARED:
        return None
    pattern = f"{_quoted(first[:head])}(.+){_quoted(end)}"
    matches = {name: re.fullmatch(pattern, name) for name in names}
    if not all(matches.values()):
        return None
    values = {name: match[1] for name, match in matches.items() if match}
    kind = period_name(list(values.values()))
    return FilePart("file" if kind in taken else kind or "file", pattern, values)


def says_all(texts: Iterable[str], part: str) -> bool:
    """Whether some texts say all that a part of a name says: its words, its numbers, its months and years.

    >>> says_all(["North quay", "March 2031"], "quay-0331"), says_all(["North quay", "March 2031"], "quay-0431")
    (True, False)
    """
    words: set[str] = set()
    for text in texts:
        for word in _TOKEN.findall(text.casefold()):
            month = words_for("month", ["en", "de", "fr"]).get(word)
            words |= {word, *([f"{month:02}"] if month else [])}
            if re.fullmatch(_YEAR, word):
                words.add(word[2:])
    tokens = _TOKEN.findall(part.casefold())
    return bool(tokens) and all(
        token in words or (token.isdecimal() and _is_made_of(token, {word for word in words if word.isdecimal()}))
        for token in tokens
    )


def _is_made_of(digits: str, numbers: Container[str]) -> bool:
    """Whether digits are a few numbers of two or four digits, one behind the other."""
    return not digits or any(
        digits[:size] in numbers and _is_made_of(digits[size:], numbers) for size in (2, 4) if len(digits) >= size
    )


def _quoted(text: str) -> str:
    """A text as a pattern that fits it alone; only the signs that mean something are marked."""
    return re.sub(r"[.^$*+?{}\[\]|()\\]", lambda sign: "\\" + sign[0], text)
