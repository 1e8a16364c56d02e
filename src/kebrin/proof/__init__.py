"""Proof: ledger, tie-outs, conservation and the trace from a value to its cell."""

from kebrin.proof.conservation import BodyAccount, Conservation, body_accounts, conserve
from kebrin.proof.ledger import SheetLedger, Use, account, uses_of
from kebrin.proof.proof import Proof, Source
from kebrin.proof.ties import Gap, TieOut, tie_out

__all__ = [
    "BodyAccount", "Conservation", "Gap", "Proof", "SheetLedger", "Source", "TieOut", "Use",
    "account", "body_accounts", "conserve", "tie_out", "uses_of",
]  # fmt: skip
