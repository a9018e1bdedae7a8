"""A pool given to its owner as a plan of its own, and taken back into the plan it is from."""

from ruvex.exchange.handing._hand_over import hand_over
from ruvex.exchange.handing._take_back import Conflict, TakenBack, Way, take_back

__all__ = ["Conflict", "TakenBack", "Way", "hand_over", "take_back"]
