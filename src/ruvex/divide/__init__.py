"""The division at a moment: a plan as arrays, what is asked for, who gets what. NumPy, no Qt."""

from ruvex.divide._admission import (
    Budget,
    Claims,
    Refusal,
    Tried,
    Waiting,
    admit_in_order,
    budget_of,
    claims_of,
    in_starting_order,
    refusal_between,
)
from ruvex.divide._asks import Asks, DemandAt, ask, demand_at, overhead_of_those_off
from ruvex.divide._causes import CAUSES, Causes, causes_of
from ruvex.divide._compiled import Compiled, compile_plan
from ruvex.divide._day import Day, day_of
from ruvex.divide._division import RESOURCES, Division, ResourceDivision, divide, solve
from ruvex.divide._fill import Filled, fill_tree
from ruvex.divide._ladder import Ladder, Rung, Stop, ladder_of, who_has_it
from ruvex.divide._layers import Layers
from ruvex.divide._parts import Parts, Shifts, looks_same, parts_of, peer_weights, shifts_between, shifts_by_guest
from ruvex.divide._signals import SignalBank, gather_signals
from ruvex.divide._site import Overcommit, overcommit_of, site_shares

__all__ = [
    "CAUSES",
    "RESOURCES",
    "Asks",
    "Budget",
    "Causes",
    "Claims",
    "Compiled",
    "Day",
    "DemandAt",
    "Division",
    "Filled",
    "Ladder",
    "Layers",
    "Overcommit",
    "Parts",
    "Refusal",
    "ResourceDivision",
    "Rung",
    "Shifts",
    "SignalBank",
    "Stop",
    "Tried",
    "Waiting",
    "admit_in_order",
    "ask",
    "budget_of",
    "causes_of",
    "claims_of",
    "compile_plan",
    "day_of",
    "demand_at",
    "divide",
    "fill_tree",
    "gather_signals",
    "in_starting_order",
    "ladder_of",
    "looks_same",
    "overcommit_of",
    "overhead_of_those_off",
    "parts_of",
    "peer_weights",
    "refusal_between",
    "shifts_between",
    "shifts_by_guest",
    "site_shares",
    "solve",
    "who_has_it",
]
