"""What a file is, told by its first bytes and not by its name."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import TYPE_CHECKING, Self

from kebrin.errors import Place, SourceError

if TYPE_CHECKING:
    from pathlib import Path

WORKBOOK_ENDINGS = frozenset({".xlsx", ".xlsm"})
TEXT_ENDINGS = frozenset({".csv", ".tsv", ".txt"})
ENDINGS = WORKBOOK_ENDINGS | TEXT_ENDINGS

_SIGNATURES = (
    (b"PK\x03\x04", "zip"),
    (b"PK\x05\x06", "zip"),
    (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "compound file"),
    (b"%PDF", "PDF"),
    (b"\x89PNG", "picture"),
    (b"\xff\xd8\xff", "picture"),
    (b"\x1f\x8b", "gzip archive"),
)


def first_bytes(path: Path) -> bytes:
    """The first 4,096 bytes of a file.

    Raises:
        SourceError: the file is missing, a folder, empty, or not readable.
    """
    try:
        with path.open("rb") as file:
            head = file.read(4096)
    except FileNotFoundError:
        raise SourceError("no such file", Place(str(path)), do="Check the name and the folder") from None
    except IsADirectoryError:
        raise SourceError("this is a folder", Place(str(path)), do="Name a file in it") from None
    except OSError as error:
        raise SourceError("the file can't be opened", Place(str(path)), why=error.strerror or str(error)) from error
    if not head:
        raise SourceError("the file is empty", Place(str(path)), why="it has 0 bytes", do="Ask for it again")
    return head


def nature(head: bytes) -> str:
    r"""What a file's first bytes say it is: 'zip', 'compound file', 'PDF', ..., 'text' or 'unknown bytes'.

    >>> nature(b"PK\x03\x04..."), nature(b"Sailing;Cars\n"), nature(b"\x00\x01\x02")
    ('zip', 'text', 'unknown bytes')
    """
    for signature, name in _SIGNATURES:
        if head.startswith(signature):
            return name
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "text"
    return "unknown bytes" if b"\x00" in head else "text"


@dataclass(frozen=True)
class Fixed:
    """A file as it was when it was hashed: what is read later must be the same bytes."""

    path: Path
    digest: str
    state: tuple[int, int, int]

    @classmethod
    def of(cls, path: Path) -> Self:
        """The file as it is now."""
        now = state(path)
        with path.open("rb") as file:
            return cls(path, hashlib.file_digest(file, "sha256").hexdigest(), now)

    def check(self) -> None:
        """Refuse to go on if the file is no longer what was hashed.

        Raises:
            SourceError: it was written to, replaced or taken away meanwhile.
        """
        try:
            same = state(self.path) == self.state
        except OSError:
            same = False
        if not same:
            raise SourceError(
                "the file changed while it was read", Place(str(self.path)),
                why="what is proved must be what was read from beginning to end", do="Run it again when the file is at rest",
            )  # fmt: skip


def state(path: Path) -> tuple[int, int, int]:
    """A file's time of change, size and number: the same as long as nobody touches it."""
    found = path.stat()
    return found.st_mtime_ns, found.st_size, found.st_ino


def digest(path: Path) -> str:
    """SHA-256 of a file's bytes, hexadecimal."""
    return Fixed.of(path).digest


def is_output(file: Path) -> bool:
    """Whether a file is one that Kebrin has written: its proof stands beside it."""
    return file.with_name(f"{file.name}.proof.json").exists()
