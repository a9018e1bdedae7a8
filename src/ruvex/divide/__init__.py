"""The division at a moment: a plan as arrays, what is asked for, who gets what. NumPy, no Qt."""

from ruvex.divide._asks import Asks, DemandAt, ask, demand_at
from ruvex.divide._causes import CAUSES, Causes, causes_of
from ruvex.divide._compiled import Compiled, compile_plan
from ruvex.divide._day import Day, day_of
from ruvex.divide._division import RESOURCES, Division, ResourceDivision, divide, solve
from ruvex.divide._fill import Filled, fill_tree
from ruvex.divide._layers import Layers
from ruvex.divide._parts import Parts, Shifts, looks_same, parts_of, peer_weights, shifts_between
from ruvex.divide._signals import SignalBank, gather_signals

__all__ = [
    "CAUSES",
    "RESOURCES",
    "Asks",
    "Causes",
    "Compiled",
    "Day",
    "DemandAt",
    "Division",
    "Filled",
    "Layers",
    "Parts",
    "ResourceDivision",
    "Shifts",
    "SignalBank",
    "ask",
    "causes_of",
    "compile_plan",
    "day_of",
    "demand_at",
    "divide",
    "fill_tree",
    "gather_signals",
    "looks_same",
    "parts_of",
    "peer_weights",
    "shifts_between",
    "solve",
]
