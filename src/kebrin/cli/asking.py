"""Put the questions of a draft one by one on a terminal, and write the answers into the plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

from kebrin.cli import show
from kebrin.cli.offering import tell_apart
from kebrin.errors import PlanError
from kebrin.plan.asking import answered, open_questions
from kebrin.plan.offering import offered
from kebrin.plan.plan_file import parse_plan

if TYPE_CHECKING:
    from pathlib import Path

    from rich.console import Console


def ask(out: Console, plan: str) -> str:
    """The plan with the questions answered that a person answers; an empty answer leaves one open."""
    asked = open_questions(plan)
    for count, question in enumerate(asked, 1):
        show.heading(out, f"Question {count} of {len(asked)}: {question.said}")
        for number, answer in enumerate(question.answers, 1):
            show.line(out, f"{number}) {answer}")
        show.line(out, "Enter) leave it open", "dim")
        while True:
            said = _read(f"  1 to {len(question.answers)}, or Enter: ")
            if not said:
                break
            if said.isdigit() and 1 <= int(said) <= len(question.answers):
                plan = _taken(out, plan, answered(plan, question, int(said) - 1))
                break
    return plan


def choose_reading(out: Console, plan: str, base: Path) -> str:
    """The plan of the reading that a person chooses, where the first is not clean; an empty answer takes the first."""
    found = offered(plan, base)
    if len(found) < 2:
        return plan
    show.heading(out, f"There are {len(found)} ways to read this, the likeliest first: which is right?")
    tell_apart(out, found)
    while True:
        said = _read(f"  1 to {len(found)}, or Enter for it as it was read first: ")
        if not said:
            return plan
        if said.isdigit() and 1 <= int(said) <= len(found):
            return found[int(said) - 1].text


def _read(prompt: str) -> str:
    try:
        return input(prompt).strip()
    except EOFError:
        return ""


def _taken(out: Console, before: str, after: str) -> str:
    """The plan with an answer, unless it can't be read so."""
    try:
        parse_plan(after)
    except PlanError as error:
        show.line(out, f"that can't be written so: {error}", "bold")
        return before
    return after
