"""Tidy: a sheet and a layout become a table, and a table becomes a body again."""

from kebrin.unpivoting.rebuild import rebuild
from kebrin.unpivoting.unpivot import VALUE, Choice, Keep, unpivot

__all__ = ["VALUE", "Choice", "Keep", "rebuild", "unpivot"]
