"""The questions that a drafted plan leaves open, and the plan with answers written into it."""

from __future__ import annotations

import re
from dataclasses import dataclass

_BLOCK = re.compile(r"^# \? (?P<said>[^\n]+)\n(?P<rest>(?:# [^\n]*\n)*)", re.MULTILINE)
#: What stands before the line that says no: the column is text.
NO = "no, it is text: "
_HEADER = re.compile(r"\[\[table\..+\.step\]\]")


@dataclass(frozen=True)
class OpenQuestion:
    """One question of a draft.

    Attributes:
        said: the question.
        header: the line that begins the step which answers it.
        choices: the lines of the step, one way each.
        text: the comment that it stands in.
        no: the line under kinds which says that the column is text; '' if there is none.
    """

    said: str
    header: str
    choices: tuple[tuple[str, ...], ...]
    text: str
    no: str = ""

    @property
    def answers(self) -> tuple[str, ...]:
        """All answers, the last of which says no."""
        return (*map(", ".join, self.choices), *([f"{NO}{self.no}"] if self.no else []))


def open_questions(plan: str) -> list[OpenQuestion]:
    r"""The questions of a draft that a step would answer, in order.

    >>> step = '# [[table.t.step]]\n# number = "Due"\n# decimal = "point"\n# or: decimal = "comma"\n'
    >>> (asked,) = open_questions("# ? Due: which?\n" + step)
    >>> asked.said, asked.choices
    ('Due: which?', (('number = "Due"', 'decimal = "point"'), ('number = "Due"', 'decimal = "comma"')))
    """
    found = []
    for match in _BLOCK.finditer(plan):
        lines = [line.removeprefix("# ") for line in match["rest"].splitlines()]
        if not lines or _HEADER.fullmatch(lines[0]) is None or any(line.startswith("using = ") for line in lines):
            continue  # a code list must be made first
        no = next((line.removeprefix(NO) for line in lines if line.startswith(NO)), "")
        own = [line for line in lines[1:] if not line.startswith(("or: ", NO))]
        others = [line.removeprefix("or: ") for line in lines[1:] if line.startswith("or: ")]
        keys = {line.split(" = ")[0] for line in others}
        answer = [line for line in own if line.split(" = ")[0] in keys]
        base = [line for line in own if line not in answer]
        size = max(len(answer), 1)
        ways = [answer, *(others[at : at + size] for at in range(0, len(others), size))] if others else [own]
        choices = tuple((*base, *way) for way in ways) if others else (tuple(own),)
        found.append(OpenQuestion(match["said"], lines[0], choices, match[0], no))
    return found


def answered(plan: str, question: OpenQuestion, choice: int) -> str:
    r"""The plan with one question answered: its step stands where the comment stood.

    >>> text = '# ? Due: which?\n# [[table.t.step]]\n# number = "Due"\n'
    >>> print(answered(text, open_questions(text)[0], 0), end="")
    # Due: which?
    [[table.t.step]]
    number = "Due"
    """
    if choice == len(question.choices):
        return _refused(plan, question)
    lines = [f"# {question.said}", question.header, *question.choices[choice]]
    return plan.replace(question.text, "\n".join(lines) + "\n", 1)


def _refused(plan: str, question: OpenQuestion) -> str:
    """The plan that says of the question's column that it is text, among the kinds of its table."""
    header = question.header.removesuffix(".step]]").replace("[[", "[") + ".kinds]"
    if f"\n{header}\n" not in plan:
        return plan.replace(question.text, f"# {question.said}\n{header}\n{question.no}\n\n", 1)
    plan = plan.replace(question.text, "", 1)
    return plan.replace(f"\n{header}\n", f"\n{header}\n# {question.said}\n{question.no}\n", 1)
