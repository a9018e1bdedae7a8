"""What a plan was divided into at a moment: resources, flows and layers, by row and by guest."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._cause import Causes
from ruvex.divide._demand import Asked
from ruvex.divide._flowing import Flowing
from ruvex.divide._layers import Layers
from ruvex.divide._resource import Claimed, ResourceDivision
from ruvex.divide._solve import Levels, Solved, solve_as_one
from ruvex.divide._sound import check_sound
from ruvex.plan import Resource
from ruvex.site import ClaimSums, Layout

Floats = NDArray[np.float64]


class Divided:
    """What a plan was divided into at a moment; figures by row are made when they are first asked for.

    Attributes
    ----------
    site, at_s
        Which plan, with who is on, and the time of day in seconds.
    solved
        The arrays behind it.
    is_played
        Whether its figures are what a play had then, not what would come to rest.
    causes
        Where ``causes_of`` keeps what it found.
    behind_of_guests
        What of the CPU that guests want is work that was left from earlier, MHz, in plan order; none as it would
        settle, where no time passes.
    """

    def __init__(
        self, solved: Solved, at_s: float, *, is_played: bool = False, behind_of_guests: Floats | None = None
    ) -> None:
        check_sound(solved, at_s, is_played=is_played)
        self._claimed = Claimed(solved.site)
        self.solved, self.site, self.at_s, self.is_played = solved, solved.site, float(at_s), is_played
        self.causes: dict[str, Causes] = {}
        guests = solved.site.guests.shape[1]
        self.behind_of_guests: Floats = np.zeros(guests) if behind_of_guests is None else behind_of_guests

    @property
    def layout(self) -> Layout:
        """The rows."""
        return self.site.layout

    @property
    def plan_name(self) -> str:
        """Which plan."""
        return self.site.plan.name

    @property
    def ids(self) -> tuple[str, ...]:
        """By row, parents before members: the id."""
        return self.layout.ids

    @property
    def kinds(self) -> tuple[str, ...]:
        """By row: ``"pool"`` or ``"guest"``."""
        return self.layout.kinds

    @property
    def parents(self) -> tuple[str | None, ...]:
        """By row: the parent's id, or None at the top."""
        return self.layout.parents

    @property
    def depth(self) -> NDArray[np.int64]:
        """By row: 0 at the top."""
        return self.layout.depth

    @property
    def parent_row(self) -> NDArray[np.int64]:
        """By row: the row of the parent, −1 at the top."""
        return self.layout.parent_row

    @property
    def top_pool(self) -> NDArray[np.int64]:
        """By row: the number of the top-level pool it is or is in, −1 beside the pools."""
        return self.layout.top_pool

    @property
    def position(self) -> Mapping[str, int]:
        """Row number by id."""
        return self.layout.position

    @property
    def demand(self) -> Asked:
        """What the guests' work asks for at that moment."""
        return self.solved.demand

    @property
    def levels(self) -> Levels:
        """The levels that were found, for the next division to begin with."""
        return self.solved.levels

    @cached_property
    def on(self) -> NDArray[np.bool_]:
        """By row: pools, and guests that are on. Guests that are off have zeros everywhere and no row in JSON."""
        pools = np.ones(self.layout.parent.size, dtype=np.bool_)
        return np.concatenate((pools, self.site.standing.on)).take(self.layout.things)

    @cached_property
    def behind(self) -> Floats:
        """By row: what of the CPU that is wanted is left from earlier, MHz."""
        return self.layout.summed_by_row(self.behind_of_guests)

    @property
    def claims(self) -> ClaimSums:
        """What guests, pools and hosts claim."""
        return self._claimed.sums

    @cached_property
    def cpu(self) -> ResourceDivision:
        """CPU, MHz."""
        return ResourceDivision(self.solved, self._claimed, 0)

    @cached_property
    def memory(self) -> ResourceDivision:
        """Memory, MiB."""
        return ResourceDivision(self.solved, self._claimed, 1)

    @cached_property
    def flowing(self) -> Flowing:
        """What stores and links give."""
        return Flowing(self.solved)

    def of(self, resource: Resource) -> ResourceDivision:
        """Give the division of one resource."""
        return self.cpu if resource == "cpu" else self.memory

    @cached_property
    def layers(self) -> Layers:
        """Where each row's memory lies, and what is missing of it."""
        return Layers(self.solved)

    @cached_property
    def as_one(self) -> Floats:
        """What every guest would get if all hosts were one machine, shape (2, guests), in plan order."""
        return solve_as_one(self.solved)

    def host_of(self, row: int) -> str | None:
        """Give the id of the host a guest's row is on; None for a pool, and where it is nowhere."""
        thing = int(self.layout.things[row]) - self.layout.parent.size
        hosts = self.site.plan.hosts
        at = int(self.site.standing.host[thing]) if thing >= 0 and hosts else -1
        return hosts[at].id if at >= 0 else None
