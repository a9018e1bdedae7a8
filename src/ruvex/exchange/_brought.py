"""What a file, or a running host, brings into a plan."""

from __future__ import annotations

from dataclasses import dataclass

from ruvex.plan import Guest, Host, Pool


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
    """

    pools: tuple[Pool, ...]
    guests: tuple[Guest, ...]
    left_out: tuple[str, ...]
    hosts: tuple[Host, ...] = ()
    told: tuple[str, ...] = ()
