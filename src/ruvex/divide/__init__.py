"""The division at a moment: who gets what, and why. NumPy, no Qt."""

from ruvex.divide._cause import CAUSES, Causes
from ruvex.divide._causes import causes_of, played_causes
from ruvex.divide._day import MOMENTS, Day, day_of, is_bank_full
from ruvex.divide._demand import Asked, demand_at
from ruvex.divide._division import Division, PlacePart, divide, places_of
from ruvex.divide._flowing import Flowing, FlowPlace, Tap, place_label
from ruvex.divide._hosts import HostFigures, PoolParts
from ruvex.divide._ladder import BEYOND_NEED, Ladder, Rung, Stop, ladder_of, who_has_it
from ruvex.divide._layers import Layers
from ruvex.divide._parts import (
    CONTENDED,
    CONTENDED_WORDS,
    Contended,
    Parts,
    parts_of,
    parts_of_guests,
    used_of_pools,
)
from ruvex.divide._resource import ResourceDivision
from ruvex.divide._shifts import Shifts, all_shifts, looks_same, peer_weights, shifts_between, shifts_by_guest
from ruvex.divide._solve import Levels, NotConvergedError, Solved, solve, solve_as_one
from ruvex.divide._sound import UnsoundDivisionError
from ruvex.divide._whole import Overcommit, overcommit_of, site_shares

__all__ = [
    "BEYOND_NEED",
    "CAUSES",
    "CONTENDED",
    "CONTENDED_WORDS",
    "MOMENTS",
    "Asked",
    "Causes",
    "Contended",
    "Day",
    "Division",
    "FlowPlace",
    "Flowing",
    "HostFigures",
    "Ladder",
    "Layers",
    "Levels",
    "NotConvergedError",
    "Overcommit",
    "Parts",
    "PlacePart",
    "PoolParts",
    "ResourceDivision",
    "Rung",
    "Shifts",
    "Solved",
    "Stop",
    "Tap",
    "UnsoundDivisionError",
    "all_shifts",
    "causes_of",
    "day_of",
    "demand_at",
    "divide",
    "is_bank_full",
    "ladder_of",
    "looks_same",
    "overcommit_of",
    "parts_of",
    "parts_of_guests",
    "peer_weights",
    "place_label",
    "places_of",
    "played_causes",
    "shifts_between",
    "shifts_by_guest",
    "site_shares",
    "solve",
    "solve_as_one",
    "used_of_pools",
    "who_has_it",
]
