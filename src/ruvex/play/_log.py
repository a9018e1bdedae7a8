"""What happened while a plan was played, in order."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal, Protocol

from ruvex.play.happenings import Happening, name_of

Kind = Literal[
    "power",
    "start",
    "wait",
    "refused",
    "set",
    "surge",
    "pressure",
    "bridge",
    "agent",
    "finish",
    "move",
    "host",
    "remark",
]
"""What an entry is about: a power event, a start that goes ahead or waits, something refused, a setting, a surge, a
host's or bank's pressure, a boot bridge, an agent that loaded, a batch job that is done, a move, a host that is lost or
comes back, something worth a remark."""


@dataclass(frozen=True, slots=True)
class LogEntry:
    """One line of the log.

    Attributes
    ----------
    at_s
        Seconds since the start of the day.
    kind
        What it is about.
    target
        The id of the guest, pool, host, or ``rules``.
    what
        What happened, with its figures; ``ruvex.words.entry_text`` says it.
    """

    at_s: float
    kind: Kind
    target: str
    what: Happening

    def to_json(self) -> dict[str, Any]:
        """Give it as the summary's document has it."""
        return {"at_s": self.at_s, "kind": self.kind, "target": self.target, "what": name_of(self.what)}


class Tell(Protocol):
    """Writes a line of the log."""

    def __call__(self, kind: Kind, target: str, what: Happening) -> None:
        """Write what happened to a target now."""


_CALM_S: Final = 150.0
"""A pressure is told to have fallen once it has stayed lower for so long: while demand creeps up, a host is short for a
moment each minute, and nobody wants to read of each."""


def told_pressures(noted: Sequence[tuple[float, int]], now_s: float) -> Iterator[tuple[float, int, int]]:
    """Choose which changes of a place's pressure are told: every rise, and each fall that lasts.

    Parameters
    ----------
    noted
        Every change, in the order of time: when, and the pressure from then on; it was ample before.
    now_s
        Up to when it is known.

    Yields
    ------
    tuple
        When, the pressure from then on, and the one that was told before.

    Examples
    --------
    >>> list(told_pressures([(10, 1), (15, 0), (70, 1), (80, 0)], 500.0))
    [(10, 1, 0), (80, 0, 1)]
    """
    told = 0
    for i, (at_s, level) in enumerate(noted):
        soon = [later for time_s, later in noted[i:] if time_s < at_s + _CALM_S]
        if level > told:
            yield at_s, level, told
            told = level
        elif max(soon) < told and at_s + _CALM_S <= now_s:
            yield at_s, max(soon), told
            told = max(soon)
