"""Tidy: a sheet and a layout become a table, and a table becomes a body again."""

from kebrin.tidy.rebuild import rebuild
from kebrin.tidy.unpivot import Choice, Keep, unpivot

__all__ = ["Choice", "Keep", "rebuild", "unpivot"]
