"""Every figure that anybody shows, of a look and of a day: computed once, named, and the same wherever it stands."""

from ruvex.ledger._day import DayFigures, TimeFigures
from ruvex.ledger._look import ENTRIES, IDLE_PART, Entry, LookFigures, OfGuests
from ruvex.ledger._owners import Owner, OwnersPart, owners_of
from ruvex.ledger._promises import PromiseFigures
from ruvex.ledger._short import falls_short

__all__ = [
    "ENTRIES",
    "IDLE_PART",
    "DayFigures",
    "Entry",
    "LookFigures",
    "OfGuests",
    "Owner",
    "OwnersPart",
    "PromiseFigures",
    "TimeFigures",
    "falls_short",
    "owners_of",
]
