"""Advice: what would make a refused change pass, what would help a guest, how to split what there is. No Qt."""

from ruvex.advise._along import moved_along
from ruvex.advise._beside import CHANGES, Beside, Change, DayOf, GuestBeside, Had, Part, beside, day_changes
from ruvex.advise._beside_text import change_title, days_text, part_lines, short_names
from ruvex.advise._day import DayShift, Done, Short, Worst, day_shift, day_text, worst_moment
from ruvex.advise._differences import Difference, differences, differences_text
from ruvex.advise._emptying import Emptied, Going, emptied_host
from ruvex.advise._moves import Move, moves_for
from ruvex.advise._remedies import Edit, Remedy, nearest_value, refusal_of, remedies_for
from ruvex.advise._room import MOST, HostRoom, Lacking, Payer, Room, as_elastic, as_fixed, room_for, typed_pattern
from ruvex.advise._room_text import lacks_text, number_text, paper_text, pattern_text, room_text
from ruvex.advise._savings import GuestSavings, SiteSavings, savings_over
from ruvex.advise._sizes import RightSize, right_sizes
from ruvex.advise._split import amount_to_split, split_among
from ruvex.advise._waits import WAITS_MOMENTS, DayWaits, day_waits
from ruvex.advise._why import Amount, ending_text, ladder_lines, rung_text, stop_text
from ruvex.advise._without import Comeback, Hurt, Without, without_host, worst_time
from ruvex.advise.worth import GROUPS, Effect, Finding, Group, Shift, effect_of, findings_of

__all__ = [
    "CHANGES",
    "GROUPS",
    "MOST",
    "WAITS_MOMENTS",
    "Amount",
    "Beside",
    "Change",
    "Comeback",
    "DayOf",
    "DayShift",
    "DayWaits",
    "Difference",
    "Done",
    "Edit",
    "Effect",
    "Emptied",
    "Finding",
    "Going",
    "Group",
    "GuestBeside",
    "GuestSavings",
    "Had",
    "HostRoom",
    "Hurt",
    "Lacking",
    "Move",
    "Part",
    "Payer",
    "Remedy",
    "RightSize",
    "Room",
    "Shift",
    "Short",
    "SiteSavings",
    "Without",
    "Worst",
    "amount_to_split",
    "as_elastic",
    "as_fixed",
    "beside",
    "change_title",
    "day_changes",
    "day_shift",
    "day_text",
    "day_waits",
    "days_text",
    "differences",
    "differences_text",
    "effect_of",
    "emptied_host",
    "ending_text",
    "findings_of",
    "lacks_text",
    "ladder_lines",
    "moved_along",
    "moves_for",
    "nearest_value",
    "number_text",
    "paper_text",
    "part_lines",
    "pattern_text",
    "refusal_of",
    "remedies_for",
    "right_sizes",
    "room_for",
    "room_text",
    "rung_text",
    "savings_over",
    "short_names",
    "split_among",
    "stop_text",
    "typed_pattern",
    "without_host",
    "worst_moment",
    "worst_time",
]
