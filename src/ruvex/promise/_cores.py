"""What sets of cores can keep: claims of guests that are kept to them, against the cores there are in them."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import Final

from ruvex.site import Site, cores_of

NOISE: Final = 1e-9
_MOST_SETS: Final = 8
"""Of more sets on a host only each by itself and all together are looked at."""


@dataclass(frozen=True, slots=True)
class Crowd:
    """Guests that are kept to some cores of a host.

    Attributes
    ----------
    host
        Its position.
    cores
        The cores.
    guests
        The positions of the guests that may run nowhere else.
    claimed, allowed
        What these claim, and what the cores can promise, MHz: second threads are never promised.
    """

    host: int
    cores: tuple[int, ...]
    guests: tuple[int, ...]
    claimed: float
    allowed: float

    @property
    def over(self) -> float:
        """By how much more is claimed than can be promised, MHz; 0 where it is not, or only by rounding."""
        over = self.claimed - self.allowed
        return over if over > NOISE * max(1.0, self.claimed) else 0.0


def crowds_of(site: Site, claims: Sequence[float], *, besides: Collection[int] = ()) -> list[Crowd]:
    """Give for each host with such guests the cores of which most is claimed beside what they can promise.

    Parameters
    ----------
    site
        The plan, with who is on.
    claims
        By guest what it claims of CPU while on, MHz.
    besides
        The positions of guests that are looked at as though they were on as well.
    """
    plan, standing, found = site.plan, site.standing, list[Crowd]()
    here: dict[int, list[int]] = {}
    for i in site.ground.wishing:
        if (standing.on[i] or i in besides) and plan.hosts and standing.host[i] >= 0:
            here.setdefault(int(standing.host[i]), []).append(i)
    for host, wishing in here.items():
        machine = plan.hosts[host]
        may = cores_of(plan.guests, wishing, machine)
        kept = {i: cores for i, cores in may.items() if not plan.guests[i].dedicated_cores}
        each = max(0.0, machine.mhz - machine.overhead_mhz / machine.cores)
        crowds = [
            Crowd(host, cores, guests, sum(claims[i] for i in guests), each * len(cores))
            for cores in _unions(list(dict.fromkeys(kept.values())))
            for guests in [tuple(i for i, own in kept.items() if set(own) <= set(cores))]
        ]
        if crowds:
            found.append(max(crowds, key=lambda crowd: crowd.claimed - crowd.allowed))
    return found


def _unions(sets: Sequence[tuple[int, ...]]) -> Iterator[tuple[int, ...]]:
    """Give the cores of each set, and of sets together."""
    counts: Iterable[int] = range(1, len(sets) + 1) if len(sets) <= _MOST_SETS else (1, len(sets))
    for count in counts:
        for some in combinations(sets, count):
            yield tuple(sorted({core for one in some for core in one}))
