"""Proof: the reach of every cell, tie-outs, conservation and the trace from a value to its cell."""

from kebrin.proof.conservation import BodyAccount, Conservation, body_accounts, conserve
from kebrin.proof.elsewhere import totals_elsewhere
from kebrin.proof.ledger import LeftLine, SheetLedger, Use
from kebrin.proof.left import Left, Why
from kebrin.proof.proof import Check, Fill, Proof, Source
from kebrin.proof.reach import FieldAt, Said, Verdict, reach
from kebrin.proof.ties import Gap, Known, TieOut, tie_out

__all__ = [
    "BodyAccount", "Check", "Conservation", "FieldAt", "Fill", "Gap", "Known", "Left", "LeftLine", "Proof",
    "Said", "SheetLedger", "Source", "TieOut", "Use", "Verdict", "Why", "body_accounts", "conserve", "reach", "tie_out",
    "totals_elsewhere",
]  # fmt: skip
