"""What files, or a running host, bring into a plan."""

from __future__ import annotations

from dataclasses import dataclass, field

from ruvex.plan import (
    Event,
    Guest,
    Host,
    PlacementRule,
    Plan,
    Pool,
    Store,
    Traces,
    add_events,
    add_items,
    with_placement,
)


@dataclass(frozen=True, slots=True)
class Brought:
    """What comes in.

    Attributes
    ----------
    pools, guests
        With ids and names that are free in the plan they are for; pools above stand before those in them.
    left_out
        What was not understood or has no place in a plan, each once, such as ``NetworkSection``.
    hosts
        Machines that the plan does not have yet.
    told
        What is worth knowing about it and has no place in a plan, a sentence each.
    placement, events
        Rules and events of what the plan has, or what comes with them.
    traces
        Those that guests and events name and the plan does not have, by names that are free.
    stores
        What guests' disks are on and the plan does not have yet.
    """

    pools: tuple[Pool, ...]
    guests: tuple[Guest, ...]
    left_out: tuple[str, ...]
    hosts: tuple[Host, ...] = ()
    told: tuple[str, ...] = ()
    placement: tuple[PlacementRule, ...] = ()
    events: tuple[Event, ...] = ()
    traces: Traces = field(default_factory=dict)
    stores: tuple[Store, ...] = ()

    @property
    def items(self) -> tuple[Host | Store | Pool | Guest, ...]:
        """Stores, hosts, pools and guests, those that are named before those that name them."""
        return (*self.stores, *self.hosts, *self.pools, *self.guests)

    @property
    def counted(self) -> str:
        """How much of what comes in, such as ``12 guests and 1 pool``."""
        counts = (
            (len(self.guests), "guest", "guests"), (len(self.pools), "pool", "pools"),
            (len(self.hosts), "host", "hosts"), (len(self.stores), "store", "stores"),
            (len(self.placement), "rule of placement", "rules of placement"),
            (len(self.events), "event", "events"),
        )  # fmt: skip
        parts = [f"{n} {one if n == 1 else many}" for n, one, many in counts if n]
        return " and ".join(filter(None, [", ".join(parts[:-1]), *parts[-1:]])) or "nothing"


def with_brought(plan: Plan, brought: Brought) -> Plan:
    """Give a plan with what was brought.

    Raises
    ------
    EditError
        The plan would not be valid.
    """
    return with_happenings(add_items(plan, brought.items), brought)


def with_happenings(plan: Plan, brought: Brought) -> Plan:
    """Give a plan with the rules of placement and the events that were brought.

    Raises
    ------
    EditError
        One of them is of what the plan does not have, or they contradict each other.
    """
    if brought.placement:
        plan = with_placement(plan, (*plan.placement, *brought.placement))
    return add_events(plan, brought.events) if brought.events else plan
