"""Time: a plan played tick by tick, what it was like, and what it came to. NumPy, no Qt."""

from ruvex.engine.rows import CHANNELS, FLOW_CHANNELS, FLOW_PLACE_CHANNELS, PLACE_CHANNELS
from ruvex.play._bounds import RECORD_S, TooMuchError, obstacle_to_play
from ruvex.play._log import LogEntry
from ruvex.play._moment import division_at, played_day
from ruvex.play._moves import Bridge, MoveDone
from ruvex.play._player import Player
from ruvex.play._record import CODES, Recording
from ruvex.play._state import PHASES, PRESSURES, State
from ruvex.play._summary import Finish, GuestSummary, PlaceSummary, Savings, Summary
from ruvex.play.happenings import Plain

__all__ = [
    "CHANNELS",
    "CODES",
    "FLOW_CHANNELS",
    "FLOW_PLACE_CHANNELS",
    "PHASES",
    "PLACE_CHANNELS",
    "PRESSURES",
    "RECORD_S",
    "Bridge",
    "Finish",
    "GuestSummary",
    "LogEntry",
    "MoveDone",
    "PlaceSummary",
    "Plain",
    "Player",
    "Recording",
    "Savings",
    "State",
    "Summary",
    "TooMuchError",
    "division_at",
    "obstacle_to_play",
    "played_day",
]
