"""A plan as arrays: settings, the pool tree, signals, who is on and where, places and the forest. NumPy, no Qt."""

from ruvex.site._claims import ClaimSums, boot_claim, set_aside, sum_claims, would_claim
from ruvex.site._flows import Flows, Taps, flow_ids_of
from ruvex.site._forest import Forest, Trees
from ruvex.site._kept import Kept, cores_of
from ruvex.site._layout import Layout
from ruvex.site._placement import allowed_hosts, broken_rules, live_move_problem, placement_problem
from ruvex.site._signals import SignalBank, gather_signals
from ruvex.site._site import Site, site_of
from ruvex.site._standing import Standing, by_room, comeback_turn, disks_of, starting_order
from ruvex.site._volumes import FAR_TOO_LARGE, Taken, Volumes, find_volume, hand_out, volume_need, without_volume

__all__ = [
    "FAR_TOO_LARGE",
    "ClaimSums",
    "Flows",
    "Forest",
    "Kept",
    "Layout",
    "SignalBank",
    "Site",
    "Standing",
    "Taken",
    "Taps",
    "Trees",
    "Volumes",
    "allowed_hosts",
    "boot_claim",
    "broken_rules",
    "by_room",
    "comeback_turn",
    "cores_of",
    "disks_of",
    "find_volume",
    "flow_ids_of",
    "gather_signals",
    "hand_out",
    "live_move_problem",
    "placement_problem",
    "set_aside",
    "site_of",
    "starting_order",
    "sum_claims",
    "volume_need",
    "without_volume",
    "would_claim",
]
