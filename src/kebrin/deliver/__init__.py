"""Deliver: tables and proofs as files, the trace back from a file, and how a table shows itself in a notebook."""
