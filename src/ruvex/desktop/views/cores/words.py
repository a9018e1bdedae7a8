"""The words of the view: of a turn, of a time, of a wait."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from ruvex.desktop.views.cores.strips import Strips
from ruvex.engine import turn_rows as t
from ruvex.plan import format_number
from ruvex.words import first_names

ENDING_MARKS: Final[Mapping[int, str]] = {
    t.SLEPT: "", t.TURN_OVER: "bar", t.CUT_IN_ON: "angle", t.HELD_BACK: "two bars", t.BUDGET_SPENT: "bracket",
    t.WINDOW_OVER: "",
}  # fmt: skip
"""How the end of a turn is marked, by why it ended."""
_ENDED: Final[Mapping[int, str]] = {
    t.SLEPT: "then it slept", t.TURN_OVER: "its turn was used up", t.CUT_IN_ON: "it was cut in on",
    t.HELD_BACK: "it was held for its fellows", t.BUDGET_SPENT: "its budget was spent",
    t.WINDOW_OVER: "the window ends there",
}  # fmt: skip
_MOST_NAMED: Final = 3


def ms_text(ms: float, span_s: float) -> str:
    """Write a time on the axis: in ms, as finely as what shows needs it; in s where much shows."""
    if span_s > 5.0:
        return f"{ms / 1000.0:g} s"
    decimals = 0 if span_s >= 0.02 else 1 if span_s >= 0.002 else 2
    return f"{format_number(ms, decimals)} ms"


def wait_text(ms: float) -> str:
    """Write how long a wait is, in ms without the unit.

    Examples
    --------
    >>> wait_text(0.04), wait_text(3.21), wait_text(41.2)
    ('0', '3.2', '41')
    """
    return "0" if ms < 0.05 else format_number(ms, 1 if ms < 9.95 else 0)


def turn_lines(strips: Strips, turn: int) -> tuple[str, str, str, str]:
    """Tell of a turn: who, how long and why it ended, which fellows ran meanwhile, and who waited."""
    plan = strips.division.site.plan
    vcpu, thread = int(strips.vcpu[turn]), int(strips.thread[turn])
    guest = plan.guests[int(strips.guest_of[vcpu])]
    ran, begun = float(strips.end[turn] - strips.begin[turn]), float(strips.begin[turn])
    who = f"{guest.label}, vCPU {int(strips.number_of[vcpu])} on thread {thread}"
    how = f"ran {format_number(ran, 1)} ms from {format_number(begun, 1)} ms; {_ENDED[int(strips.why[turn])]}"
    fellows = sorted({int(strips.number_of[strips.vcpu[other]]) for other in strips.fellows(turn).tolist()})
    if fellows:
        listed = ", ".join(str(number) for number in fellows[:8]) + (" …" if len(fellows) > 8 else "")
        what = f"{len(fellows)} fellow{'s' if len(fellows) > 1 else ''} ran meanwhile: {listed}"
    else:
        what = "no fellow ran meanwhile" if guest.vcpus > 1 else ""
    longest: dict[int, float] = {}
    for wait in strips.waiting(turn).tolist():
        other = int(strips.guest_of[strips.wait_vcpu[wait]])
        longest[other] = max(longest.get(other, 0.0), float(strips.wait_end[wait] - strips.wait_begin[wait]))
    named = sorted(longest.items(), key=lambda item: -item[1])
    told = first_names([f"{plan.guests[other].label} {wait_text(ms)} ms" for other, ms in named], _MOST_NAMED)
    return who, how, what, f"waiting: {told}" if told else "nobody waited"
