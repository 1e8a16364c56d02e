"""Deliver: tables and proofs as files, and how a table shows itself in a notebook."""

from kebrin.deliver.atomic import whole_file
from kebrin.deliver.notebook import table_html
from kebrin.deliver.publish import Published, proof_path, publish, refuse_ending, unproved_path
from kebrin.deliver.tables import WRITERS, write_table
from kebrin.deliver.tracing import Trace, trace

__all__ = [
    "WRITERS", "Published", "Trace", "proof_path", "publish", "refuse_ending", "table_html", "trace", "unproved_path",
    "whole_file", "write_table",
]  # fmt: skip
