"""The proof as people hold it: it shows itself."""

from __future__ import annotations

from dataclasses import dataclass, fields

from kebrin import proof as core
from kebrin.deliver.notebook import proof_html


@dataclass(frozen=True)
class Proof(core.Proof):
    """What the sources held, what became of it, and whether anything was lost.

    >>> import kebrin as kb
    >>> kb.tidy(kb.demo_file("traffic_2031.xlsx")).proof
    Proof of traffic_2031: Proved: nothing was lost; 1,566 cells, 0 unclaimed
    """

    @classmethod
    def of(cls, proof: core.Proof) -> Proof:
        """A core proof that shows itself."""
        return (
            proof
            if isinstance(proof, cls)
            else cls(**{one.name: getattr(proof, one.name) for one in fields(core.Proof)})
        )

    def __repr__(self) -> str:
        return f"Proof of {self.table}: {self.headline}; {self.cells:,} cells, {self.unclaimed:,} unclaimed"

    def _repr_html_(self) -> str:
        return proof_html(self)
