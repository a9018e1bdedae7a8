"""A ladder in sentences, the same on the command line and in the window."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Final

from ruvex.divide import BEYOND_NEED, Ladder, Rung, Stop
from ruvex.plan import SHARES_STANDARD, Plan, Rules, find_item, format_number

Amount = Callable[[float], str]
"""Writes MHz or MiB with a unit."""

_MOST_PEERS: Final = 3
_OF_GUESTS: Final = {
    "own limit": "limits of their own", "own ceiling": "their ceilings", "own size": "their sizes",
    "agent missing": "some have no agent",
}  # fmt: skip


def _label(plan: Plan, item_id: str | None) -> str:
    item = find_item(plan, item_id) if item_id is not None else None
    return "the supply" if item is None or isinstance(item, Rules) else item.label


def rung_text(ladder: Ladder, rung: Rung, amount: Amount, plan: Plan) -> str:
    """Say what a step of the ladder is, without its figure."""
    if rung.kind == "promised":
        held = f", {amount(ladder.held)} of it held though idle" if ladder.held > 0 else ""
        return f"promised{held}"
    if rung.kind == "lent":
        return "of the promise idle, and lent to others"
    if rung.kind == "broken":
        return "of the promise not there: more is promised than there is"
    if rung.kind == "headroom":
        return "headroom above the working set"
    beyond = " beyond that" if ladder.rungs[0].kind == "promised" else ""
    return f"won by shares{beyond}{against_whom(ladder, amount, plan)}"


def against_whom(ladder: Ladder, amount: Amount, plan: Plan) -> str:
    """Say at which level shares win, and who the others are."""
    others = [_label(plan, peer) for peer in ladder.peers[:_MOST_PEERS]]
    if not others:
        return ", alone at its place"
    more = len(ladder.peers) - len(others)
    beside = ", ".join(others) + (f" and {more} more" if more > 0 else "")
    part = f"{format_number(ladder.weight)} of {format_number(ladder.peer_weight)} shares"
    if math.isnan(ladder.level):
        return f" on several hosts ({part}, beside {beside})"
    if math.isinf(ladder.level):
        return f", enough for all of its peers ({part}, beside {beside})"
    return f" at {amount(SHARES_STANDARD * ladder.level)} for 100 ({part}, beside {beside})"


def stop_text(ladder: Ladder, stop: Stop, plan: Plan) -> str:
    """Say what keeps it from having more, without the figure."""
    if stop.cause == BEYOND_NEED:
        return "touched or kept in hand beyond what it needs: nobody is asked for it"
    if stop.cause == "supply":
        return f"kept back by the supply{_of_host(ladder, plan)}: others have it"
    if stop.cause == "bank":
        return "kept back by the size of its bank: others in it have it"
    if stop.cause == "pool's limit":
        return f"kept back by the limit of {_label(plan, stop.pool)}"
    if ladder.item in plan.pool_index:
        return f"kept back by its guests: {_OF_GUESTS.get(stop.cause, stop.cause)}"
    if stop.cause == "agent missing":
        return "kept back because the agent is missing: it stays at its boot size"
    return f"kept back by its {stop.cause}"


def _of_host(ladder: Ladder, plan: Plan) -> str:
    """Name the host whose supply it is, where there are several."""
    if len(plan.hosts) < 2 or ladder.host is None:
        return ""
    return f" of {_label(plan, ladder.host)}"


def ending_text(ladder: Ladder, plan: Plan) -> str:
    """Say in a few words why it ends where it ends."""
    if ladder.stops:
        return stop_text(ladder, ladder.stops[0], plan)
    if ladder.resource == "cpu" and ladder.item in plan.guest_index:
        guest = plan.guests[plan.guest_index[ladder.item]]
        host = plan.hosts[plan.host_index[ladder.host]] if ladder.host is not None else None
        if host is not None and ladder.wanted >= guest.vcpus * host.mhz * (1 - 1e-9):
            return "it has all that its vCPUs can use"
    return "it has all it wants"


def ladder_lines(ladder: Ladder, plan: Plan, amount: Amount) -> list[tuple[str, str]]:
    """Give the ladder as lines of a figure and what it stands for; the rungs, their sum, what is kept back."""
    lines = [
        (("+" if i and rung.amount > 0 else "") + amount(rung.amount), rung_text(ladder, rung, amount, plan))
        for i, rung in enumerate(ladder.rungs)
    ]
    lines.append((amount(ladder.delivered), "delivered"))
    lines += [(amount(stop.amount), stop_text(ladder, stop, plan)) for stop in ladder.stops]
    if not ladder.stops:
        lines.append(("", ending_text(ladder, plan)))
    return lines
