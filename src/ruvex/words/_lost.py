"""The site without a host, in sentences: who stays off and why, and what must be set aside."""

from __future__ import annotations

from typing import Final

from ruvex.placing import Reserve, StaysOff
from ruvex.plan import Plan
from ruvex.words._refusal import shortage_text
from ruvex.words._settings import label_of

_MOST_NAMED: Final = 3


def stays_off_text(one: StaysOff, plan: Plan) -> str:
    """Say why a guest stays off."""
    name = label_of(plan, one.guest)
    if one.is_told:
        return f"{name} is told to stay off"
    if one.lacks is None:
        return f"{name} stays off: no other host may take it"
    return f"{name} stays off: {shortage_text(plan, one.lacks)}"


def reserve_text(reserve: Reserve, plan: Plan) -> str:
    """Say what must be set aside so that any one host can be lost."""
    if reserve.cpu_percent is None or reserve.memory_percent is None:
        text = "Nothing that is set aside brings everybody back after the loss of any host."
    elif not reserve.cpu_percent and not reserve.memory_percent:
        text = "Nothing need be set aside: promises let everybody come back after the loss of any one host."
    else:
        of = ((reserve.cpu_percent, "CPU"), (reserve.memory_percent, "memory"))
        parts = [f"{percent} % of {what}" for percent, what in of if percent]
        text = f"The least to set aside so that any one host can be lost: {' and '.join(parts)}."
        if reserve.too_many:
            text += f" Then {_named([label_of(plan, guest) for guest in reserve.too_many])} could not be on."
    if reserve.stuck:
        names = list(dict.fromkeys(label_of(plan, one.guest) for one, _ in reserve.stuck))
        text += f" It is not promises that keep {_named(names)} off: spill space, a bank, rules or their size."
    return text


def _named(names: list[str]) -> str:
    more = f" and {len(names) - _MOST_NAMED} more" if len(names) > _MOST_NAMED else ""
    return ", ".join(names[:_MOST_NAMED]) + more
