"""Advice: what would make a refused change pass, what would help a guest, how to split what there is. No Qt."""

from ruvex.advise._along import moved_along
from ruvex.advise._day import DayShift, Done, Short, Worst, day_shift, day_text, worst_moment
from ruvex.advise._moves import Move, moves_for
from ruvex.advise._remedies import Edit, Remedy, nearest_value, refusal_of, remedies_for
from ruvex.advise._split import amount_to_split, split_among
from ruvex.advise._waits import WAITS_MOMENTS, DayWaits, day_waits
from ruvex.advise._why import Amount, ending_text, ladder_lines, rung_text, stop_text
from ruvex.advise._without import Comeback, Hurt, Without, without_host, worst_time
from ruvex.advise.worth import GROUPS, Effect, Finding, Group, Shift, effect_of, findings_of

__all__ = [
    "GROUPS",
    "WAITS_MOMENTS",
    "Amount",
    "Comeback",
    "DayShift",
    "DayWaits",
    "Done",
    "Edit",
    "Effect",
    "Finding",
    "Group",
    "Hurt",
    "Move",
    "Remedy",
    "Shift",
    "Short",
    "Without",
    "Worst",
    "amount_to_split",
    "day_shift",
    "day_text",
    "day_waits",
    "effect_of",
    "ending_text",
    "findings_of",
    "ladder_lines",
    "moved_along",
    "moves_for",
    "nearest_value",
    "refusal_of",
    "remedies_for",
    "rung_text",
    "split_among",
    "stop_text",
    "without_host",
    "worst_moment",
    "worst_time",
]
