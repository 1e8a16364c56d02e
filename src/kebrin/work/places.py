"""Places of fields: what a plan may say of where the value of a field stands."""

from __future__ import annotations

import re
from typing import Literal

from pydantic import BaseModel, ConfigDict

from kebrin.grammar.patterns import groups_of, searched

_QUOTED = r"(?:'([^']*)'|\"([^\"]*)\")"
_PLACES = (
    ("sheet name", re.compile(rf"sheet name(?:\s*,\s*{_QUOTED})?")),
    ("file name", re.compile(rf"file name(?:\s*,\s*{_QUOTED})?")),
    ("folder name", re.compile(rf"folder name(?:\s*,\s*{_QUOTED})?")),
    ("file date", re.compile(r"file date")),
    ("beside", re.compile(rf"beside\s+{_QUOTED}")),
    ("below", re.compile(rf"below\s+{_QUOTED}")),
    ("cell", re.compile(r"cell\s+(\$?[A-Za-z]{1,3}\$?[0-9]{1,7})")),
    ("text", re.compile(rf"text\s+{_QUOTED}")),
    ("block title", re.compile(r"block title")),
)
#: Forms that take a name apart.
NAMED = ("sheet name", "file name", "folder name")
_IF_THERE = re.compile(r"\s*,\s*if there$")


class FieldPlace(BaseModel):
    r"""Where a field's value stands: one of eight forms.

    `sheet name`, `file name` and `folder name`, each alone or with a pattern for the part that counts, as in `file name,
    'traffic_(\\d{4})'`: its one group, or the group with the field's name, `(?P<year>\\d{4})`; `file date`, the day
    on which it was changed last; `beside 'Route code:'`; `below 'Route'`; `cell B3`; `text 'Skarrow'`; `block title`, the text
    nearest above each block. With `, if there` behind it, a value that is not there is missing and not a mistake.

    >>> FieldPlace.parse("beside 'Route code:'")
    FieldPlace(form='beside', what='Route code:', optional=False)
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    form: Literal[
        "sheet name", "file name", "folder name", "file date", "beside", "below", "cell", "text", "block title"
    ]
    what: str = ""
    optional: bool = False

    @classmethod
    def parse(cls, said: str) -> FieldPlace:
        """Read one of the forms.

        Raises:
            ValueError: it is none of them, or its pattern can't be compiled.
        """
        bare = _IF_THERE.sub("", said.strip())
        for form, pattern in _PLACES:
            match = pattern.fullmatch(bare)
            if match is not None:
                what = next((group for group in match.groups() if group is not None), "")
                if form in NAMED and what:
                    _refuse_bad_pattern(what)
                return cls.model_validate({"form": form, "what": what, "optional": bare != said.strip()})
        raise ValueError(
            f"{said!r} names no place; a field is 'sheet name', 'file name', 'folder name', each also with a pattern as in "
            "\"file name, 'PATTERN'\", 'file date', \"beside 'LABEL'\", \"below 'LABEL'\", 'cell B3', 'block title' or "
            "\"text 'CONSTANT'\""
        )


def _refuse_bad_pattern(pattern: str) -> None:
    try:
        searched(pattern, "")
    except ValueError as error:
        raise ValueError(f"the pattern {pattern!r} can't be read: {error}") from None
    bare = len(groups_of(pattern))
    if bare > 1 or (bare and "(?P<" in pattern):
        raise ValueError(
            f"the pattern {pattern!r} has several groups; it must have one or none, or all must bear names"
        )
