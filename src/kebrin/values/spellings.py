"""Plain variants: texts that differ in case and blanks alone, and the one form that all of them can take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from kebrin.values.keys import clean

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

# In shorter texts case may mean something: 'm' and 'M', 'kW' and 'KW'.
_LETTERS = 4


@dataclass(frozen=True)
class Variants:
    """The plain variants among some texts.

    Attributes:
        forms: the form that each group of variants can take: its commonest one.
        unsure: groups of short texts in which case may mean something, the forms of each.
        uneven: how many texts have stray blanks or control characters.
    """

    forms: tuple[str, ...] = ()
    unsure: tuple[tuple[str, ...], ...] = ()
    uneven: int = 0

    def __bool__(self) -> bool:
        return bool(self.forms or self.uneven)


def folded(text: str) -> str:
    """What is left of a text when case and stray blanks are taken away.

    >>> folded(" WICK  of Ness")
    'wick of ness'
    """
    return clean(text).casefold()


def plain_variants(said: Mapping[str, int]) -> Variants:
    """The plain variants among texts, given with how often each stands there.

    Of two forms that are equally common the one with letters of both cases is taken, then the first.

    >>> plain_variants({"Wick of Ness": 5, "WICK OF NESS": 7, "Brae": 1, "m": 2, "M": 2})
    Variants(forms=('WICK OF NESS',), unsure=(('m', 'M'),), uneven=0)
    """
    groups: dict[str, dict[str, int]] = {}
    uneven = 0
    for text, count in said.items():
        form = clean(text)
        uneven += form != text
        own = groups.setdefault(form.casefold(), {})
        own[form] = own.get(form, 0) + count
    forms, unsure = [], []
    for key, own in groups.items():
        if len(own) < 2:
            continue
        if sum(map(str.isalpha, key)) < _LETTERS:
            unsure.append(tuple(own))
        else:
            forms.append(max(own, key=lambda form: (own[form], not (form.isupper() or form.islower()))))
    return Variants(tuple(forms), tuple(unsure), uneven)


def spelled_like(texts: Sequence[str | None], forms: Sequence[str]) -> list[str]:
    """Each text in the form that it differs from in case and blanks alone, if there is one.

    >>> spelled_like(["WICK of ness ", "Brae"], ["Wick of Ness"])
    ['Wick of Ness', 'Brae']
    """
    known = {folded(form): form for form in forms}
    return [known.get(folded(text or ""), text or "") for text in texts]
