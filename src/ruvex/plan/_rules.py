"""The rules of a site: how its hypervisor divides, reclaims and how fast memory moves."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ruvex.plan._fields import MAX_MIB, Mib, Model, Number, Percent, Rate, Seconds, Text, at_most


class GuestOverhead(Model):
    """Host memory that each guest that is on costs beside its own, MiB and percent of its size."""

    fixed_mib: Mib = 0.0
    per_vcpu_mib: Mib = 0.0
    percent_of_size: Percent = 0.0


class SetAside(Model):
    """Percent of the supply that is kept out of all promises."""

    cpu: Percent = 0.0
    memory: Percent = 0.0


class Squeeze(Model):
    """Compression of thin guests' pages: how many times smaller they get, and at most what part of a guest's."""

    ratio: Annotated[Number, Field(ge=1, le=100)] = 2.5
    max_percent: Percent = 20.0


class PaceCost(Model):
    """How many times its time a piece of work takes on top if its whole working set lies there."""

    squeezed: Annotated[Number, Field(ge=0, le=1e6)] = 1.5
    ssd: Annotated[Number, Field(ge=0, le=1e6)] = 25.0
    hdd: Annotated[Number, Field(ge=0, le=1e6)] = 300.0
    far: Annotated[Number, Field(ge=0, le=1e6)] = 0.3


class Paging(Model):
    """How many transfers a second each MiB of working set asks for that lies on disk."""

    ops_per_mib: Annotated[Number, Field(ge=0, le=1e6)] = 0.7


class ElasticPace(Model):
    """How fast an elastic guest follows its need: MiB a second up and down, and how long a lower need must last.

    What it gives back goes in steps, ``shrink_step_s`` apart.
    """

    grow_mib_s: Rate = 192.0
    shrink_mib_s: Rate = 6.0
    shrink_step_s: Annotated[Number, Field(ge=0.1, le=3600)] = 60.0
    settle_s: Seconds = 240.0


class Starting(Model):
    """What comes after power-on: how long the agent takes to load, and how fast a boot runs from disk."""

    agent_s: Seconds = 25.0
    bridge_speed_percent: Annotated[Number, Field(gt=0, le=100)] = 35.0


class Reclaim(Model):
    """How fast memory moves, MiB a second and guest; ``urgent_mib_s`` is the balloon's rate for a waiting start."""

    balloon_mib_s: Rate = 48.0
    urgent_mib_s: Rate = 320.0
    squeeze_mib_s: Rate = 160.0
    spill_mib_s: Rate = 80.0
    return_mib_s: Rate = 40.0


class Pressure(Model):
    """How much memory a host keeps free, and at which part of that it is dire.

    Free is at least ``kept_percent`` of its supply, and no more than ``kept_most_mib``.
    """

    kept_percent: Percent = 4.3
    kept_most_mib: Mib = 2900.0
    dire_part: Annotated[Number, Field(ge=0, le=1)] = 0.3


class Moving(Model):
    """How guests move between hosts while on.

    A host copies ``mib_s``, which its moves share, and each costs ``cpu_percent`` of a core on both hosts;
    ``rewrite_percent_s`` of its working set is written anew each second meanwhile.
    """

    mib_s: Annotated[Number, Field(gt=0, le=MAX_MIB)] = 600.0
    cpu_percent: Annotated[Number, Field(ge=0, le=10_000)] = 30.0
    rewrite_percent_s: Percent = 2.0


class Loss(Model):
    """What comes after the loss of a host: how long until that is noticed."""

    notice_s: Seconds = 43.0


class Workload(Model):
    """How the guests' work goes on: how often smooth demands are read, and how fast cache and greedy work grow."""

    sample_s: Annotated[Number, Field(ge=0.1, le=3600)] = 60.0
    cache_mib_s: Rate = 24.0
    greedy_mib_s: Rate = 96.0


class Turns(Model):
    """How vCPUs take turns on the threads of a host, ms.

    A turn lasts ``turn_ms``; limits and promises count per ``period_ms``; who sleeps is at most ``rejoin_ms`` behind
    when it comes back. ``fellows``: the vCPUs of a guest run each on its own, none more than ``lead_ms`` ahead of the
    one furthest behind, or all that do not sleep together or none.
    """

    turn_ms: Annotated[Number, Field(ge=0.1, le=1000)] = 12.0
    period_ms: Annotated[Number, Field(ge=1, le=10_000)] = 100.0
    rejoin_ms: Annotated[Number, Field(ge=0, le=1000)] = 6.0
    fellows: Literal["own", "lead", "together"] = "own"
    lead_ms: Annotated[Number, Field(ge=0.1, le=1000)] = 7.0


class Chances(Model):
    """How far random days differ from the plan's own.

    Peaks and steps shift by ``shift_s``, heights and lengths vary by a part of themselves (all three are what two days
    in three stay within), bursts fall anywhere. Of how far heights differ all guests share ``together_percent``: a busy
    day is busy for everybody. In ``surge_percent`` of its days a guest wants ``surge_factor`` times
    as much for ``surge_for_s``; in ``failing_percent`` of them a host is lost, at any time, for the rest of the day.
    """

    shift_s: Annotated[Number, Field(ge=0, le=86_400)] = 1300.0
    height_percent: Annotated[Number, Field(ge=0, le=100)] = 11.0
    length_percent: Annotated[Number, Field(ge=0, le=100)] = 14.0
    together_percent: Percent = 35.0
    surge_percent: Percent = 3.0
    surge_factor: Annotated[Number, Field(ge=0, le=1000)] = 1.7
    surge_for_s: Seconds = 2400.0
    failing_percent: Percent = 0.3


SharedImages = Annotated[dict[Text, Mib], Field(max_length=10_000), at_most(10_000)]


class Rules(Model):
    """How the hypervisor of this site works. ``page_sharing`` gives the common MiB of each image.

    ``memory_every_s`` is how often the memory controllers look, ``sharing_mib_s`` how fast equal pages are found,
    ``settling_by_use`` how far squeezed and spilled pages that are worked with come back on their own (0 to 1).
    ``start_takes`` tells whether guests give a start that waits what it lacks and no more, or all they hold above need.
    ``bounds_while_on`` tells whether a guest's floor and ceiling move freely while it is on, or only apart.
    ``balancing`` tells who places guests: nobody, or whoever starts goes where there is most room, and over time also
    whoever helps most by moving: looked at every ``balance_every_s``, begun if it takes away more than
    ``balance_least_percent`` of what the guests of its host lack.
    """

    reservation_rule: Literal["floor", "on-top"] = "floor"
    shares_count: Literal["per-guest", "per-size"] = "per-guest"
    idle_counts_as: Annotated[Number, Field(ge=1, le=1e6)] = 8.0
    guest_overhead: GuestOverhead = GuestOverhead()
    set_aside_percent: SetAside = SetAside()
    page_sharing: SharedImages = Field(default_factory=dict)
    balloon_max_percent: Percent = 50.0
    squeeze: Squeeze = Squeeze()
    pace_cost: PaceCost = PaceCost()
    paging: Paging = Paging()
    settling_by_use: Annotated[Number, Field(ge=0, le=1)] = 1.0
    bounds_while_on: Literal["free", "widen"] = "free"
    memory_every_s: Annotated[Number, Field(ge=0.1, le=3600)] = 5.0
    elastic: ElasticPace = ElasticPace()
    starting: Starting = Starting()
    start_takes: Literal["what-is-lacked", "all-above-need"] = "what-is-lacked"
    reclaim: Reclaim = Reclaim()
    pressure: Pressure = Pressure()
    moving: Moving = Moving()
    loss: Loss = Loss()
    balancing: Literal["none", "at-power-on", "over-time"] = "none"
    balance_every_s: Annotated[Number, Field(ge=1, le=86_400)] = 390.0
    balance_least_percent: Percent = 4.0
    workload: Workload = Workload()
    turns: Turns = Turns()
    chances: Chances = Chances()
    sharing_mib_s: Rate = 12.0
