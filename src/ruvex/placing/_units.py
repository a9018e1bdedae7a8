"""Who can be moved as it runs, and where to: guests that the rules keep on one host move as one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ruvex.placing._moving import together_with
from ruvex.plan import KeptTogether
from ruvex.site import Site, live_move_problem


@dataclass(frozen=True, slots=True)
class MovedTogether:
    """Guests on one host that go to another one together, mostly one.

    Attributes
    ----------
    guests
        Their positions.
    hosts
        The positions of the hosts that may take them, where promises allow it, the one they are on among them.
    """

    guests: tuple[int, ...]
    hosts: tuple[int, ...]


def units_of(site: Site) -> tuple[MovedTogether, ...]:
    """Give what can be moved as it runs: who has cores of its own, lives in a bank or may be nowhere else is left out.

    Guests that are kept apart are not told from each other here: who stands where changes with every move.
    """
    plan, standing = site.plan, site.standing
    host, on = standing.host.tolist(), standing.on.tolist()
    bound = {guest for rule in plan.placement if isinstance(rule, KeptTogether) for guest in rule.guests}
    nobody = [False] * len(plan.guests)
    up = np.flatnonzero(standing.up).tolist() if plan.hosts else []
    found, done = list[MovedTogether](), set[int]()
    for i, guest in enumerate(plan.guests):
        if not on[i] or i in done:
            continue
        ids = together_with(plan, guest.id) if guest.id in bound else (guest.id,)
        group = tuple(j for j in (plan.guest_index[one] for one in ids) if on[j] and host[j] == host[i])
        done |= set(group)
        hosts = tuple(to for to in up if not any(live_move_problem(plan, j, host[j], to, host, nobody) for j in group))
        if set(hosts) - {host[i]}:
            found.append(MovedTogether(group, hosts))
    return tuple(found)
