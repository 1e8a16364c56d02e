"""Plan: its model, reading it, running it, and tidying without one."""

from kebrin.plan.joining import Done, Terms
from kebrin.plan.model import PlanModel
from kebrin.plan.reading import parse_plan, read_plan
from kebrin.plan.running import run_plan
from kebrin.plan.unaided import tidy_reports

__all__ = ["Done", "PlanModel", "Terms", "parse_plan", "read_plan", "run_plan", "tidy_reports"]
