"""What a file is, told by its first bytes and not by its name."""

from __future__ import annotations

import hashlib
import re
import zipfile
from concurrent.futures import Future
from dataclasses import dataclass, field
from threading import Thread
from typing import TYPE_CHECKING, Self

from kebrin.errors import Place, SourceError

if TYPE_CHECKING:
    from pathlib import Path

WORKBOOK_ENDINGS = frozenset({".xlsx", ".xlsm"})
TEXT_ENDINGS = frozenset({".csv", ".tsv", ".txt"})
OTHER_ENDINGS = frozenset(
    {
        ".ods",
        ".fods",
        ".html",
        ".htm",
        ".xls",
        ".xlsb",
        ".pdf",
        ".prn",
        ".lst",
        ".dat",
        ".gz",
        ".json",
        ".jsonl",
        ".ndjson",
    }
)
#: Endings of reports: what is in a folder is read if it bears one of them. A file that is named is read whatever its ending.
ENDINGS = WORKBOOK_ENDINGS | TEXT_ENDINGS | OTHER_ENDINGS

_SIGNATURES = (
    (b"PK\x03\x04", "zip"),
    (b"PK\x05\x06", "zip"),
    (b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1", "compound file"),
    (b"%PDF", "PDF"),
    (b"\x89PNG", "picture"),
    (b"\xff\xd8\xff", "picture"),
    (b"\x1f\x8b", "gzip archive"),
)

# Larger files are hashed in a thread of their own.
_LARGE = 8 << 20


def first_bytes(path: Path) -> bytes:
    """The first 4,096 bytes of a file.

    Raises:
        SourceError: the file is missing, a folder, empty, or not readable.
    """
    try:
        if not path.is_file() and path.exists() and not path.is_dir():
            raise SourceError(
                "this is a pipe or a device, and no file",
                Place(str(path)),
                do=f"Pipe it in: kebrin tidy - ... < {path}",
            )
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


_RECORDS = re.compile(rb"""\{\s*(?:"|\})|\[\s*[\[{"\]]""")
_PAGE = re.compile(rb"<!doctype html|<html[\s>]|<table[\s>]|<body[\s>]|<meta\s", re.IGNORECASE)


def kind_of(path: Path) -> str:
    """What a file is, by its content.

    One of 'workbook', 'binary workbook', 'old workbook', 'document', 'page', 'records', 'text', 'gzip archive', 'zip archive', or
    its nature.

    Raises:
        SourceError: the file is missing, a folder, empty, or not readable.
    """
    head = first_bytes(path)
    found = nature(head)
    if found == "zip":
        return _kind_of_package(path)
    if found == "compound file":
        return "old workbook"
    return _kind_of_text(head) if found == "text" else found


def _kind_of_text(head: bytes) -> str:
    bare = head.lstrip(b"\xef\xbb\xbf \t\r\n")
    if bare.startswith(b"<?xml") and b"office:document" in head:
        return "document"
    if _RECORDS.match(bare):
        return "records"
    wide = head.startswith((b"\xff\xfe", b"\xfe\xff"))
    if (bare.startswith(b"<") and _PAGE.search(head)) or (wide and _PAGE.search(head.replace(b"\0", b""))):
        return "page"
    return "text"


def _kind_of_package(path: Path) -> str:
    try:
        with zipfile.ZipFile(path) as package:
            names = {name.lower() for name in package.namelist()}
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return "workbook"  # what is wrong with it is told by its reader
    if "xl/workbook.bin" in names:
        return "binary workbook"
    if any(name.startswith("xl/") or name == "[content_types].xml" for name in names):
        return "workbook"
    if "content.xml" in names:
        return "document"
    # A file that is called a workbook and is none is damaged: that is told by its reader.
    return "workbook" if path.suffix.lower() in WORKBOOK_ENDINGS else "zip archive"


@dataclass(frozen=True)
class Fixed:
    """A file as it was when reading it began: what is read later must be the same bytes, and their digest is theirs.

    Attributes:
        path: the file.
        state: when it was changed last, its size and number.
        hashed: its SHA-256, hexadecimal; of a large file it is worked out beside the reading.
    """

    path: Path
    state: tuple[int, int, int]
    hashed: Future[str] = field(repr=False, compare=False)

    @classmethod
    def of(cls, path: Path) -> Self:
        """The file as it is now."""
        now = state(path)
        hashed: Future[str] = Future()
        if now[1] < _LARGE:
            hashed.set_result(_sha256(path))
        else:
            Thread(target=_hash, args=(path, hashed), daemon=True).start()
        return cls(path, now, hashed)

    @property
    def digest(self) -> str:
        """Its SHA-256, hexadecimal; that of the bytes that were read.

        Raises:
            SourceError: it was changed since.
        """
        found = self.hashed.result()
        if self.state[1] >= _LARGE:
            self.check()
        return found

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


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _hash(path: Path, hashed: Future[str]) -> None:
    try:
        hashed.set_result(_sha256(path))
    except OSError as error:
        hashed.set_exception(
            SourceError("the file can't be read to its end", Place(str(path)), why=error.strerror or str(error))
        )


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
