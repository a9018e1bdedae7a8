"""Proof: a division of CPU beside what the running kernel's own control groups give, on this machine."""

from ruvex.proof._groups import NoGroupsError
from ruvex.proof._run import QUIET, Proof, ProofRow, processors_here, prove
from ruvex.proof._scaled import Party, Scaled, scaled_to

__all__ = [
    "QUIET",
    "NoGroupsError",
    "Party",
    "Proof",
    "ProofRow",
    "Scaled",
    "processors_here",
    "prove",
    "scaled_to",
]
