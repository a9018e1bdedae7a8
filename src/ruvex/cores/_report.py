"""Several windows on one host, and the medians of what they came to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from ruvex.cores._trace import TurnFigures, TurnTrace, median_of, trace
from ruvex.divide import Division
from ruvex.plan import Turns

_PER_VCPU = ("run", "wait", "held", "off", "asleep")


@dataclass(frozen=True, slots=True)
class TurnReport:
    """What some windows came to.

    Attributes
    ----------
    division
        The moment.
    host, for_s, seed, windows, turn_ms
        As asked for.
    first
        The first window, turn by turn.
    guests, pools
        Medians by id, in the order of the host's tree.
    threads
        How many seconds each thread was busy, and kept idle by a policy, medians.
    """

    division: Division
    host: str
    for_s: float
    seed: int
    windows: int
    turn_ms: float
    first: TurnTrace
    guests: Mapping[str, TurnFigures]
    pools: Mapping[str, TurnFigures]
    threads: tuple[tuple[float, float], ...]

    def to_json(self) -> dict[str, Any]:
        """Give the document that ``ruvex cores --json`` prints (docs/plan-format.md)."""
        parties = self.first.parties
        threads = [
            {"thread": i, "core": i // parties.width, "node": int(parties.node_of[i])}
            | {"busy_s": busy, "kept_idle_s": kept}
            for i, (busy, kept) in enumerate(self.threads)
        ]
        return {
            "plan": self.division.plan_name, "host": self.host, "at": self.division.at_s, "for_s": self.for_s,
            "seed": self.seed, "windows": self.windows, "turn_ms": self.turn_ms, "moves": self.first.counts[1],
            "threads": threads,
            "guests": [{"id": name} | asdict(figures) for name, figures in self.guests.items()],
            "pools": [{"id": name} | asdict(figures) for name, figures in self.pools.items()],
        }  # fmt: skip


def report_of(
    division: Division, host: str, *, for_s: float = 2.0, seed: int = 1, windows: int = 1, turns: Turns | None = None
) -> TurnReport:
    """Run some windows with following seeds; raises as ``trace``."""
    first = trace(division, host, for_s=for_s, seed=seed, turns=turns)
    parties = first.parties
    traces = [first]
    traces += [
        trace(division, host, for_s=for_s, seed=seed + i, turns=turns, parties=parties) for i in range(1, windows)
    ]
    kinds = {thing[1]: thing[0] for thing in parties.things if thing is not None}
    medians = {name: median_of([found.of_things[name] for found in traces]) for name in kinds}
    busy = np.median([found.busy for found in traces], axis=0) / 1000.0
    turn_ms = (division.site.plan.rules.turns if turns is None else turns).turn_ms
    return TurnReport(
        division, host, for_s, seed, windows, turn_ms, first,
        {name: figures for name, figures in medians.items() if kinds[name] == "guest"},
        {name: figures for name, figures in medians.items() if kinds[name] == "pool"},
        tuple((float(b), float(k)) for b, k in busy.T),
    )  # fmt: skip
