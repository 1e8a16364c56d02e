"""Shape: what is done to whole tables."""

from kebrin.shape.stack import stack

__all__ = ["stack"]
