"""The rules of a site: how its hypervisor divides, reclaims and how fast memory moves."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ruvex.plan._fields import Mib, Model, Number, Percent, Rate, Seconds, Text


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


class ElasticPace(Model):
    """How fast an elastic guest follows its need: MiB a second up and down, and how long a lower need must last.

    What it gives back goes in steps, ``shrink_step_s`` apart.
    """

    grow_mib_s: Rate = 192.0
    shrink_mib_s: Rate = 6.0
    shrink_step_s: Annotated[Number, Field(gt=0, le=3600)] = 60.0
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
    """At which free part of its memory a host is under which pressure, and how much more ends it again."""

    tidying_percent: Percent = 7.0
    reclaiming_percent: Percent = 3.5
    refusing_percent: Percent = 1.2
    hysteresis_percent: Percent = 1.3

    @model_validator(mode="after")
    def _in_order(self) -> Pressure:
        if not self.tidying_percent >= self.reclaiming_percent >= self.refusing_percent:
            raise ValueError("pressure rises as less is free: tidying ≥ reclaiming ≥ refusing")
        return self


class Workload(Model):
    """How the guests' work goes on: how often smooth demands are read, and how fast cache and greedy work grow."""

    sample_s: Annotated[Number, Field(gt=0, le=3600)] = 60.0
    cache_mib_s: Rate = 24.0
    greedy_mib_s: Rate = 96.0


SharedImages = Annotated[dict[Text, Mib], Field(max_length=10_000)]


class Rules(Model):
    """How the hypervisor of this site works. ``page_sharing`` gives the common MiB of each image.

    ``look_s`` is how often the memory controllers look, ``sharing_mib_s`` how fast equal pages are found.
    """

    reservation_rule: Literal["floor", "on-top"] = "floor"
    shares_count: Literal["per-guest", "per-size"] = "per-guest"
    idle_cost: Annotated[Number, Field(ge=1, le=1e6)] = 1.0
    guest_overhead: GuestOverhead = GuestOverhead()
    set_aside_percent: SetAside = SetAside()
    page_sharing: SharedImages = Field(default_factory=dict)
    balloon_max_percent: Percent = 50.0
    squeeze: Squeeze = Squeeze()
    pace_cost: PaceCost = PaceCost()
    look_s: Annotated[Number, Field(gt=0, le=3600)] = 5.0
    elastic: ElasticPace = ElasticPace()
    starting: Starting = Starting()
    reclaim: Reclaim = Reclaim()
    pressure: Pressure = Pressure()
    workload: Workload = Workload()
    sharing_mib_s: Rate = 12.0
