"""What is worth a look: a sentence with its evidence, and a remedy whose effect can be computed before it is taken."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.advise._remedies import Remedy
from ruvex.advise._shift import Shift
from ruvex.advise._size import memory_size_of
from ruvex.divide import Division, all_shifts, divide
from ruvex.ledger import DayFigures, LookFigures
from ruvex.plan import ElasticMemory, Guest, Plan, Resource, ThinMemory, change_many, format_memory
from ruvex.play import Player

Floats = NDArray[np.float64]
Group = Literal["hurts-now", "will-hurt", "untidy"]
GROUPS: Final[tuple[Group, ...]] = ("hurts-now", "will-hurt", "untidy")
"""The worst first."""
KINDS: Final = (
    "broken-promises", "beside-pools", "crowded-pool", "biting-limit", "memory-limit", "pool-limit", "at-ceiling",
    "size-small", "host-short", "shares-small", "kept-cores", "late-batch", "cannot-be", "agent-missing",
    "wider-than-host", "wider-than-node", "idle-vcpus", "far-too-large", "unused-reservation", "unused-limit",
    "never-reached", "held-idle", "headroom-large", "headroom-small", "greedy", "boots-from-disk", "never-together",
    "no-cold-start", "deep-nesting", "pool-as-folder", "draws-by-oversight", "broken-rule", "peaks-coincide",
    "crowded-cores", "idle-cores", "kept-while-up", "loss-not-borne", "bank-small", "volumes-few", "volume-large",
    "cannot-move", "start-storm", "short-store", "short-link", "disk-limit",
)  # fmt: skip
"""All kinds of findings."""
_POINTS: Final = 72


@dataclass(frozen=True, slots=True)
class Finding:
    """A mistake or a risk in a plan.

    Attributes
    ----------
    kind
        What it is, in a word or two joined by hyphens.
    group
        One of ``GROUPS``.
    about
        The ids of whom it concerns, the one it is about first.
    text
        A sentence that begins with who.
    figures
        The evidence: what each figure is, and its value as it is written.
    weight
        What orders findings of a group: how much of what is wanted it concerns, 0 to 1.
    remedy
        What would mend it; None where only a person can tell.
    values, after
        The figures as numbers on one scale, and what the remedy would make of them; empty where they are no amounts.
    aside
        Why it was set aside, or nothing.
    curve, line, line_after
        Where a day shows it best: what is wanted or worked with over it, evenly spaced, and the bound that it is held
        against, as it is and with the remedy; in the units of ``values``. Empty for other kinds.
    """

    kind: str
    group: Group
    about: tuple[str, ...]
    text: str
    figures: tuple[tuple[str, str], ...]
    weight: float = 0.0
    remedy: Remedy | None = None
    values: tuple[float, ...] = ()
    after: tuple[float, ...] = ()
    aside: str = ""
    curve: tuple[float, ...] = ()
    line: float = 0.0
    line_after: float = 0.0

    def to_json(self, effect: RemedyEffect | None) -> dict[str, Any]:
        """Give it as ``ruvex findings --json`` prints it, with what its remedy does."""
        remedy = None
        if self.remedy is not None:
            changes = [{"target": target, "change": dict(change)} for target, change in self.remedy.changes]
            remedy = {"text": self.remedy.text, "changes": changes}
        document: dict[str, Any] = {
            "kind": self.kind,
            "group": self.group,
            "about": list(self.about),
            "text": self.text,
        }
        document |= {"figures": dict(self.figures), "remedy": remedy, "aside": self.aside or None}
        gains, losses = ([], []) if effect is None else (effect.gains, effect.losses)
        return document | {"gains": [g.to_json() for g in gains], "losses": [g.to_json() for g in losses]}


@dataclass(frozen=True, slots=True)
class RemedyEffect:
    """What a remedy would do at the moment: who gains and who pays, the largest first."""

    gains: tuple[Shift, ...]
    losses: tuple[Shift, ...]


class Case:
    """A plan as it is looked at.

    Attributes
    ----------
    plan, division
        The plan, and how it would settle at the moment.
    day
        Its whole day, played.
    """

    def __init__(self, division: Division, day: Player) -> None:
        self.plan: Plan = division.site.plan
        self.division, self.day = division, day
        self._at: dict[float, Division] = {}
        self._right: dict[int, Mapping[str, float | None]] = {}

    @cached_property
    def figures(self) -> LookFigures:
        """Every figure of the moment."""
        return LookFigures(self.division)

    @cached_property
    def day_figures(self) -> DayFigures:
        """Every figure of its day."""
        return DayFigures(self.day)

    def division_at(self, at_s: float) -> Division:
        """Give how the plan would settle at another time of the day, with those on who are on at the moment."""
        if at_s not in self._at:
            self._at[at_s] = divide(self.division.site, at_s)
        return self._at[at_s]

    def guests_on(self) -> Sequence[tuple[int, Guest]]:
        """Give the guests that are on at the moment, each with its position in the plan."""
        on = self.division.site.standing.on
        return [(i, guest) for i, guest in enumerate(self.plan.guests) if on[i]]

    def row(self, item: str) -> int:
        """Give the row of a guest or pool in the division."""
        return self.division.position[item]

    def host_of(self, position: int) -> int:
        """Give the position of the host a guest is on, −1 for none."""
        return int(self.division.site.standing.host[position]) if self.plan.hosts else -1

    def mhz_of(self, position: int) -> float:
        """Give the speed of the cores a guest runs on, MHz; 0 where it is nowhere."""
        at = self.host_of(position)
        return self.plan.hosts[at].mhz if at >= 0 else 0.0

    @cached_property
    def idle_of_hosts(self) -> Floats:
        """The CPU that nobody uses at the moment, by host, MHz."""
        return np.asarray(self.division.by_host.idle[0])

    def peak(self, channel: str) -> Floats:
        """Give the highest of a recorded channel over the day, by guest; 0 where nothing was played."""
        recording = self.day.recording
        if not recording.rows:
            return np.zeros(len(self.plan.guests))
        return np.asarray(recording.series(channel).max(axis=1), dtype=np.float64)

    @cached_property
    def peaks(self) -> Mapping[str, Floats]:
        """The highest of the channels that findings ask for."""
        return {name: self.peak(name) for name in ("cpu_wanted", "cpu_delivered", "working", "backed")}

    def right_memory(self, position: int) -> Mapping[str, float | None]:
        """Give the settings of memory that a guest should have, each by its dotted name; none for who never runs."""
        if position not in self._right:
            guest = self.plan.guests[position]
            self._right[position] = memory_size_of(guest, self.day, position, self.plan.rules)
        return self._right[position]

    def higher_ceiling(self, guest: Guest) -> Remedy | None:
        """Give the ceiling that an elastic guest should have, with the headroom that it is reckoned with."""
        right = self.right_memory(self.plan.guest_index[guest.id])
        ceiling, headroom = right.get("memory.ceiling"), right.get("memory.headroom_percent")
        if ceiling is None or headroom is None or not isinstance(guest.memory, ElasticMemory):
            return None
        change, texts = dict[str, float](), list[str]()
        if ceiling > guest.memory.ceiling:
            change["memory.ceiling"] = ceiling
            texts.append(f"a ceiling of {format_memory(ceiling)}")
        if headroom < guest.memory.headroom_percent:
            change["memory.headroom_percent"] = headroom
            texts.append(f"a headroom of {headroom:.0f} %")
        return Remedy(" and ".join(texts), ((guest.id, change),)) if change else None

    def larger(self, guest: Guest) -> Remedy | None:
        """Give the size that a guest should have, where that is larger than what it has; its limit with it."""
        right = self.right_memory(self.plan.guest_index[guest.id])
        size, memory = right.get("memory.size"), guest.memory
        if size is None or isinstance(memory, ElasticMemory) or size <= memory.size:
            return None
        change: dict[str, float | None] = {"memory.size": size}
        if isinstance(memory, ThinMemory) and memory.limit is not None and memory.limit < size:
            change["memory.limit"] = None
        return Remedy(f"{format_memory(size)} of memory", ((guest.id, change),))

    def curve(self, channel: str, position: int) -> tuple[float, ...]:
        """Give a recorded channel of a guest over the day as a curve of at most 72 points, the highest of each part."""
        return curve_of(np.asarray(self.day.recording.series(channel)[position], dtype=np.float64))

    def is_short(self, position: int, resource: Resource = "cpu") -> bool:
        """Tell whether a guest is short at the moment."""
        return bool(self.figures.is_short(resource)[position])


def curve_of(values: Floats) -> tuple[float, ...]:
    """Give a series as a curve of at most 72 points, the highest value of each part."""
    if not values.size:
        return ()
    starts = np.unique(np.linspace(0, values.size, min(values.size, _POINTS), endpoint=False).astype(np.int64))
    return tuple(np.maximum.reduceat(values, starts).tolist())


def effect_of(finding: Finding, division: Division) -> RemedyEffect | None:
    """Compute what the remedy of a finding would do to everyone at the moment of a division; None without a remedy.

    Raises
    ------
    EditError
        The remedy breaks a rule of the plan; that of a finding never does on the plan it was found on.
    """
    if finding.remedy is None:
        return None
    site = division.site.with_plan(change_many(division.site.plan, finding.remedy.changes))
    after = divide(site, demand=division.demand)
    shifts = [
        Shift(after.ids[row], kind, amount)
        for kind, moved in all_shifts(division, after).items()
        for row, amount in zip(moved.rows.tolist(), moved.amounts.tolist(), strict=True)
    ]
    by_size = sorted(shifts, key=lambda shift: -abs(shift.amount))
    gains, losses = (tuple(s for s in by_size if (s.amount > 0) == is_gain) for is_gain in (True, False))
    return RemedyEffect(gains, losses)
