"""The text in a file's bytes: what the bytes allow, then what the words say; an older encoding is always told."""

from __future__ import annotations

import re
from typing import NamedTuple

from kebrin.errors import Place, SourceError

_MARKS = ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))
_OLDER = ("cp1252", "cp1250", "cp1251", "mac_roman", "cp437")
# Bytes that say nothing in cp1252; a text that has one was written in another encoding.
_NONE_IN_CP1252 = re.compile(rb"[\x81\x8d\x8f\x90\x9d]")
_WORD = re.compile(r"[^\W\d_]*[^\x00-\x7f][^\W\d_]*")
_BESIDE = re.compile(r"(?<=[A-Za-z])[^\x00-\x7f]|[^\x00-\x7f](?=[A-Za-z])")
# Signs of cp1252 that stand beside letters in plain writing: quotes, dashes, marks of currency, the superscripts.
_PLAIN = frozenset("’‘“”„‚–—…•°²³¹ªº€£¥§©®™\xa0\xad·«»½¼¾µ×")
_SHOWN = 2


class Decoded(NamedTuple):
    """A text, and what is told of how it was read; '' where it is UTF-8 or says itself what it is."""

    text: str
    told: str = ""


def decode(content: bytes, where: Place) -> Decoded:
    r"""The text in a file's bytes: by its byte order mark, else UTF-8, else the likeliest older encoding.

    Of these cp1252 is the commonest by far. It is taken unless a byte says nothing in it, or its words would be made of signs
    or of letters that hardly any language writes side by side.

    >>> decode("Gäste;5 €\n".encode("cp1252"), Place("x.csv"))
    Decoded(text='Gäste;5 €\n', told="it is no UTF-8, and was read as cp1252 ('Gäste', '€')")

    Raises:
        SourceError: no encoding fits.
    """
    for mark, encoding in _MARKS:
        if content.startswith(mark):
            return Decoded(strictly(content, encoding, where))
    try:
        return Decoded(content.decode("utf-8"))
    except UnicodeDecodeError:
        encoding, text = _older(content, where)
    words = [word for word in dict.fromkeys(_WORD.findall(text)) if word][:_SHOWN]
    shown = f" ({', '.join(map(repr, words))})" if words else ""
    return Decoded(text, f"it is no UTF-8, and was read as {encoding}{shown}")


def strictly(content: bytes, encoding: str, where: Place) -> str:
    """The text in a file's bytes in an encoding that is stated.

    Raises:
        SourceError: a byte is none of that encoding; its line is named.
    """
    try:
        return content.decode(encoding)
    except UnicodeDecodeError as error:
        line = content[: error.start].count(b"\n") + 1
        raise SourceError(
            "the text is cut or damaged", Place(where.file, line=line),
            why=f"it is said to be {encoding.removesuffix('-sig').upper()}, and byte {error.start:,} is none of that",
            do="Ask for the file again, save it as UTF-8, or correct the encoding in the plan",
        ) from None  # fmt: skip


def _older(content: bytes, where: Place) -> tuple[str, str]:
    """The likeliest older encoding, and the text in it."""
    if not _NONE_IN_CP1252.search(content):
        text = content.decode("cp1252")
        if _reads_plainly(text):
            return "cp1252", text
    from charset_normalizer import from_bytes

    matches = from_bytes(content, cp_isolation=list(_OLDER))
    if not matches:
        raise SourceError("the text's encoding can't be told", where, do="Save the file as UTF-8") from None
    # Short texts look alike in several encodings: of the equally likely ones, the commonest is taken.
    least = min(match.chaos for match in matches)
    likely = {match.encoding: str(match) for match in matches if match.chaos <= least}
    return next((encoding, likely[encoding]) for encoding in (*_OLDER, *likely) if encoding in likely)


def _reads_plainly(text: str) -> bool:
    """Whether letters beyond ASCII stand singly among others, and no odd sign stands within a word.

    >>> _reads_plainly("Köhnsee, 12 €"), _reads_plainly("Ïðèâåò"), _reads_plainly("K”hnsee, M„rz")
    (True, False, False)
    """
    words = _WORD.findall(text)
    high = [sum(not one.isascii() and one.isalpha() for one in word) for word in words]
    runs: int = sum(count > 2 and 2 * count > len(word) for word, count in zip(words, high, strict=True))
    odd = sum(one not in _PLAIN and not one.isalpha() for one in _BESIDE.findall(text))
    inside = len(re.findall(r"(?<=[a-z])[”„“‚…†‡ˆ‰‹›•](?=[a-z])|(?<=\b[A-Z])[”„“‚…†‡ˆ‰‹›•](?=[a-z])", text))
    return bool(4 * (runs + odd + inside) <= len(words))
