"""Promises: claims, refusals, admission in order, which hosts would take a guest. NumPy, no Qt."""

from ruvex.promise._claims import Budget, Claims, Kind, budget_of, claims_of, host_needs, is_cpu
from ruvex.promise._cores import Crowd, crowds_of
from ruvex.promise._order import Waiting, admit_in_order, hosts_that_take, in_starting_order
from ruvex.promise._refusal import Refusal, Tried, all_refusals, refusal_between

__all__ = [
    "Budget",
    "Claims",
    "Crowd",
    "Kind",
    "Refusal",
    "Tried",
    "Waiting",
    "admit_in_order",
    "all_refusals",
    "budget_of",
    "claims_of",
    "crowds_of",
    "host_needs",
    "hosts_that_take",
    "in_starting_order",
    "is_cpu",
    "refusal_between",
]
