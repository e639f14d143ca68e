"""Proof: one page that says what was tested, how, and what was found, for people without the app."""

from core.proof.sheet import (
    PROOF_VERSION,
    Proof,
    ProofFile,
    ProofRow,
    as_markdown,
    proof_of_bench,
    proof_of_null,
)

__all__ = [
    "PROOF_VERSION",
    "Proof",
    "ProofFile",
    "ProofRow",
    "as_markdown",
    "proof_of_bench",
    "proof_of_null",
]
