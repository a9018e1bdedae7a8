"""Where guests could be: whether some may go to a host, how a host is emptied, better places. NumPy, no Qt."""

from ruvex.placing._better import BetterPlaces, Gain, PlacingStep, better_places
from ruvex.placing._lack import SAMPLES, DayLack, Loads, lack_in, placed
from ruvex.placing._lost import Losses, Reserve, SettledLoss, StaysOff, losses_of
from ruvex.placing._moving import Emptying, Obstacle, empty_host, hosts_for, obstacle_to, together_with, with_hosts
from ruvex.placing._now import MoveNow, moves_now

__all__ = [
    "SAMPLES",
    "BetterPlaces",
    "DayLack",
    "Emptying",
    "Gain",
    "Loads",
    "Losses",
    "MoveNow",
    "Obstacle",
    "PlacingStep",
    "Reserve",
    "SettledLoss",
    "StaysOff",
    "better_places",
    "empty_host",
    "hosts_for",
    "lack_in",
    "losses_of",
    "moves_now",
    "obstacle_to",
    "placed",
    "together_with",
    "with_hosts",
]
