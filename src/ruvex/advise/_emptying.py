"""A host emptied for maintenance, played: who moves in which order, when and for how long, and who has to be off."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

from ruvex.placing import Obstacle, empty_host
from ruvex.plan import MoveEvent
from ruvex.play import PHASES, Player
from ruvex.play import happenings as h
from ruvex.site import Site
from ruvex.words import obstacle_text, why_text

_BOOTING: Final = PHASES.index("booting")
_MOST_S: Final = 6 * 3600.0


@dataclass(frozen=True, slots=True)
class Going:
    """A guest that leaves a host: to which one, when it sets out, how long it takes and is held still, s.

    ``is_off`` where it is off, and so takes no time.
    """

    guest: str
    to: str
    at_s: float
    took_s: float
    held_still_s: float
    is_off: bool


@dataclass(frozen=True, slots=True)
class Emptied:
    """A host that was emptied.

    Attributes
    ----------
    host, at_s
        Which one, and when it began.
    going
        Who left, in that order; one after the other.
    staying
        Who could not, and why, in a sentence.
    """

    host: str
    at_s: float
    going: tuple[Going, ...]
    staying: tuple[tuple[str, str], ...]

    @property
    def took_s(self) -> float:
        """How long it took until the last had left, s."""
        return max((one.at_s + one.took_s for one in self.going), default=self.at_s) - self.at_s

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex without --empty --json`` prints it."""
        going = [
            {"id": one.guest, "to": one.to, "at_s": one.at_s, "took_s": one.took_s, "held_still_s": one.held_still_s,
             "off": one.is_off}
            for one in self.going
        ]  # fmt: skip
        staying = [{"id": guest, "why": why} for guest, why in self.staying]
        return {"host": self.host, "at_s": self.at_s, "took_s": self.took_s, "going": going, "staying": staying}


def emptied_host(site: Site, host: str, at_s: float) -> Emptied:
    """Play a plan up to a time, and then move everybody off a host, one after the other.

    The order is that of ``placing.empty_host``: the largest first, each to the host with most room by then. What may
    not move as it runs, or finds no memory over there then, stays.
    """
    plan = site.plan
    at_s = min(at_s, max(plan.day_s - plan.tick_s, 0.0))
    player = Player(site, record_s=float("inf"))
    player.run(at_s)
    state = player.state
    on = (state.phase >= _BOOTING).tolist()
    there = site.with_plan(player.plan_at(player.now_s, on))
    found = empty_host(there, host)
    begun, going, staying = player.now_s, list[Going](), [(one.guest, _why(one, site)) for one in found.stuck]
    for guest, to in found.moves:
        i = plan.guest_index[guest]
        if state.phase[i] < _BOOTING:
            going.append(Going(guest, to, player.now_s, 0.0, 0.0, is_off=True))
            continue
        done, entries = len(player.summary().moves), len(player.log)
        set_out = player.now_s
        player.insert(MoveEvent(at=set_out, do="move", target=guest, host=to))
        player.run(set_out + plan.tick_s)
        while player.moves.under_way and player.now_s < min(set_out + _MOST_S, plan.day_s):
            player.run(player.now_s + plan.tick_s)
        moved = player.summary().moves[done:]
        mine = next((move for move in moved if move.guest == guest), None)
        if mine is not None:
            going.append(Going(guest, to, mine.at_s, mine.took_s, mine.held_still_s, is_off=False))
        else:
            refused = [
                entry.what for entry in player.log[entries:] if entry.target == guest and entry.kind == "refused"
            ]
            staying.append((guest, _refused(refused, site) or "the day ends before it has moved"))
    return Emptied(host, begun, tuple(going), tuple(staying))


def _why(obstacle: Obstacle, site: Site) -> str:
    return obstacle_text(site.plan, obstacle)


def _refused(told: list[h.Happening], site: Site) -> str:
    for what in told:
        if isinstance(what, h.NotMoved):
            return why_text(site.plan, what.why)
    return ""
