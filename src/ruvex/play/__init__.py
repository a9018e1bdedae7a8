"""Time: a plan played tick by tick, what it was like, and what it came to. NumPy, no Qt."""

from ruvex.play._log import Entry
from ruvex.play._player import RECORD_S, Player
from ruvex.play._processor import Finish
from ruvex.play._record import CHANNELS, CODES, SITE_CHANNELS, Recording
from ruvex.play._state import PHASES, PRESSURES, SHORTFALLS, State
from ruvex.play._summary import GuestSummary, PlaceSummary, Savings, Summary

__all__ = [
    "CHANNELS",
    "CODES",
    "PHASES",
    "PRESSURES",
    "RECORD_S",
    "SHORTFALLS",
    "SITE_CHANNELS",
    "Entry",
    "Finish",
    "GuestSummary",
    "PlaceSummary",
    "Player",
    "Recording",
    "Savings",
    "State",
    "Summary",
]
