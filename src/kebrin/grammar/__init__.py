"""Grammar: what one text can be read as (a number, a date, a period, a mark, a word that says what a line is).

One grammar for everybody: layout, values and proof ask the same functions. It knows no cells, no columns and no tables.
"""

from kebrin.grammar.reading import MISSING_MARKS, Look, Reading, lettered_mark, neat, read_text, trailing_mark

__all__ = ["MISSING_MARKS", "Look", "Reading", "lettered_mark", "neat", "read_text", "trailing_mark"]
