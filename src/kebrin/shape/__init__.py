"""Shape: what is done to whole tables."""
