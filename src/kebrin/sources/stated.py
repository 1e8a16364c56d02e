"""What a person states of a text file that its reader can't see."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

#: A text laid out by blanks has this for a delimiter.
NONE = "none"


@dataclass(frozen=True)
class StatedText:
    """What is stated of a text; what is left out is found.

    Attributes:
        delimiter: the sign that parts its cells, or 'none' for a text that is laid out by blanks.
        encoding: the name of its encoding.
        columns: first and last letter of each column (1-based), of a text laid out by blanks.
        pages: what the first line of each page begins with.
        sections: what lines begin with that head the lines below them.
        skip: what lines begin with that are passed over.
        lines: how many lines one record takes; 0 finds it.
    """

    delimiter: str = ""
    encoding: str = ""
    columns: tuple[tuple[int, int], ...] = ()
    pages: str = ""
    sections: tuple[str, ...] = ()
    skip: tuple[str, ...] = ()
    lines: int = 0

    @property
    def is_printed(self) -> bool:
        """Whether what is stated makes the text one laid out by blanks."""
        return self.delimiter == NONE or bool(self.columns or self.pages or self.sections or self.lines)

    @property
    def is_plain(self) -> bool:
        """Whether the text may be read in batches: nothing is stated but a delimiter."""
        utf8 = self.encoding.lower().replace("-", "") in {"", "utf8"}
        return utf8 and not self.is_printed and not self.skip

    def to_plain(self) -> dict[str, Any]:
        """What is stated, as plain values; nothing of what is left out."""
        return {name: value for name, value in asdict(self).items() if value}

    @classmethod
    def from_plain(cls, plain: dict[str, Any]) -> StatedText:
        """The same from plain values.

        >>> StatedText.from_plain({"columns": [[1, 4]], "skip": ["#"]})
        StatedText(delimiter='', encoding='', columns=((1, 4),), pages='', sections=(), skip=('#',), lines=0)
        """
        known: dict[str, Any] = {
            name: tuple(value) if isinstance(value, list) else value for name, value in plain.items()
        }
        if "columns" in known:
            known["columns"] = tuple((int(left), int(right)) for left, right in known["columns"])
        return cls(**known)
