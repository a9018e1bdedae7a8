"""What happened while a plan was played, in order."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Kind = Literal["power", "start", "wait", "refused", "set", "surge", "pressure", "bridge", "agent", "finish", "remark"]
"""What an entry is about: a power event, a start that goes ahead or waits, something refused, a setting, a surge, the
host's pressure, a boot bridge, an agent that loaded, a batch job that is done, something worth a remark."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of the log.

    Attributes
    ----------
    at_s
        Seconds since the start of the day.
    kind
        What it is about.
    target
        The id of the guest, pool, host, or ``rules``.
    text
        One sentence.
    """

    at_s: float
    kind: Kind
    target: str
    text: str
