"""The division at a moment: a plan as arrays, what is asked for, who gets what. NumPy, no Qt."""

from ruvex.divide import _compiled as columns
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
from ruvex.divide._asks import (
    Asks,
    DemandAt,
    ask,
    copies_of,
    cpu_supply,
    demand_at,
    memory_supply,
    overhead_of_those_off,
    overhead_when_on,
    shared_pages,
)
from ruvex.divide._causes import CAUSES, Causes, causes_of
from ruvex.divide._compiled import Compiled, compile_plan
from ruvex.divide._day import Day, day_of
from ruvex.divide._division import RESOURCES, Division, ResourceDivision, divide, solve
from ruvex.divide._fill import Filled, fill_tree
from ruvex.divide._ladder import Ladder, Rung, Stop, ladder_of, who_has_it
from ruvex.divide._layers import Layers, cover, lost_to_paging, on_hdd, self_paging
from ruvex.divide._parts import Parts, Shifts, looks_same, parts_of, peer_weights, shifts_between, shifts_by_guest
from ruvex.divide._places import Place, apportioned, bank_sizes, places_of
from ruvex.divide._refill import Refill
from ruvex.divide._signals import SignalBank, gather_signals
from ruvex.divide._site import Overcommit, overcommit_of, site_shares
from ruvex.divide._volumes import Taken, Volumes, volume_need, without_volume

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
    "Place",
    "Refill",
    "Refusal",
    "ResourceDivision",
    "Rung",
    "Shifts",
    "SignalBank",
    "Stop",
    "Taken",
    "Tried",
    "Volumes",
    "Waiting",
    "admit_in_order",
    "apportioned",
    "ask",
    "bank_sizes",
    "budget_of",
    "causes_of",
    "claims_of",
    "columns",
    "compile_plan",
    "copies_of",
    "cover",
    "cpu_supply",
    "day_of",
    "demand_at",
    "divide",
    "fill_tree",
    "gather_signals",
    "in_starting_order",
    "ladder_of",
    "looks_same",
    "lost_to_paging",
    "memory_supply",
    "on_hdd",
    "overcommit_of",
    "overhead_of_those_off",
    "overhead_when_on",
    "parts_of",
    "peer_weights",
    "places_of",
    "refusal_between",
    "self_paging",
    "shared_pages",
    "shifts_between",
    "shifts_by_guest",
    "site_shares",
    "solve",
    "volume_need",
    "who_has_it",
    "without_volume",
]
