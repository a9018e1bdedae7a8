"""The rules of a site as fields, each with a sentence."""

from __future__ import annotations

from typing import Final

from ruvex.desktop.sheets.form import Field

_DIVIDING: Final = (
    Field(
        "reservation_rule", "a reservation", "choice",
        "Whether a reservation counts towards what the shares give, or comes on top of it.",
        (("floor", "counts towards the shares"), ("on-top", "comes on top of the shares")),
    ),
    Field(
        "shares_count", "shares count", "choice",
        "Whether a guest's shares are taken as they are, or multiplied by its vCPUs and its GiB.",
        (("per-guest", "as they are"), ("per-size", "by size")),
    ),
    Field(
        "idle_counts_as", "an idle page counts as … busy ones", "number",
        "When thin guests compete, idle pages go so many times as readily as busy ones; 1 makes no difference.",
    ),
)  # fmt: skip
_BUDGET: Final = (
    Field(
        "set_aside_percent.cpu", "CPU set aside", "percent",
        "Kept out of all promises, for the loss of a host, say.",
    ),
    Field("set_aside_percent.memory", "memory set aside", "percent", "The same for memory, before any overhead."),
    Field("guest_overhead.fixed_mib", "overhead of a guest", "mib", "Memory each guest that is on costs its host."),
    Field("guest_overhead.per_vcpu_mib", "and for each vCPU", "mib", "The same for every vCPU it has."),
    Field("guest_overhead.percent_of_size", "and of its size", "percent", "The same as a part of its memory size."),
)  # fmt: skip
_RECLAIM: Final = (
    Field(
        "balloon_max_percent", "balloon, at most", "percent",
        "How much of a thin guest's size its agent can take back.",
    ),
    Field(
        "squeeze.max_percent", "squeezed, at most", "percent",
        "How much of a guest's touched pages are compressed before any go to disk; 0 compresses none.",
    ),
    Field("squeeze.ratio", "squeezed to one part in", "number", "How many times smaller compressed pages are."),
)  # fmt: skip
_PACE: Final = (
    Field(
        "pace_cost.squeezed", "cost of squeezed memory", "number",
        "How many times its time work takes on top if its whole working set lies in compressed memory.",
    ),
    Field("pace_cost.ssd", "cost of an ssd", "number", "The same on an ssd. An assumption: measure yours."),
    Field("pace_cost.hdd", "cost of a hard disk", "number", "The same on a hard disk."),
    Field("paging.ops_per_mib", "transfers to page a MiB", "number", "Of spilled memory, on the store it lies on."),
    Field("pace_cost.far", "cost of far memory", "number", "The same on the memory of another NUMA node."),
    Field(
        "settling_by_use", "pages come back by use", "number",
        "How far squeezed and spilled pages that are worked with come back, 0 to 1; idle ones are away instead.",
    ),
)  # fmt: skip
SHARING: Final = Field(
    "page_sharing", "common pages by image", "text",
    "MiB that guests of one image on a host have in common, such as: web 900, db 400. One copy serves them all.",
)  # fmt: skip
_LOOKING: Final = (
    Field("memory_every_s", "memory is looked at every", "seconds", "How often the memory controllers look and move."),
    Field("workload.sample_s", "curves are read every", "seconds", "Steps and bursts act in the second they happen."),
    Field("workload.cache_mib_s", "cache fills by", "rate", "How fast spare memory fills with file cache."),
    Field("workload.greedy_mib_s", "greedy work takes", "rate", "How fast greedy work takes what it is given."),
    Field("sharing_mib_s", "equal pages are found at", "rate", "Of each guest of an image."),
)
_ELASTIC: Final = (
    Field("elastic.grow_mib_s", "grows by", "rate", "How fast an elastic guest is given what it needs."),
    Field("elastic.settle_s", "a lower need must last", "seconds", "Before anything is given back."),
    Field("elastic.shrink_mib_s", "gives back", "rate", "Then, as long as nobody is pressed for memory."),
    Field("elastic.shrink_step_s", "in steps of", "seconds", "How long each step of giving back takes."),
    Field(
        "bounds_while_on",
        "floor and ceiling while on",
        "choice",
        "Of guests that are on.",
        (("free", "move freely"), ("widen", "only move apart")),
    ),
    Field("starting.agent_s", "agent loads in", "seconds", "After a boot; until then a guest keeps its boot size."),
    Field("starting.bridge_speed_percent", "boot from disk runs at", "percent", "Of the speed of a boot in memory."),
)
_MOVING: Final = (
    Field("reclaim.balloon_mib_s", "a balloon fills by", "rate"),
    Field("reclaim.urgent_mib_s", "and for a start that waits", "rate"),
    Field(
        "start_takes",
        "which takes of others",
        "choice",
        "From guests that hold more than they need.",
        (("what-is-lacked", "what it lacks"), ("all-above-need", "all above their need")),
    ),
    Field("reclaim.squeeze_mib_s", "pages are squeezed at", "rate"),
    Field("reclaim.spill_mib_s", "spilled at", "rate"),
    Field("reclaim.return_mib_s", "and return at", "rate", "As far as they are used."),
)
_PRESSURE: Final = (
    Field("pressure.kept_percent", "kept free", "percent", "Of a host's memory, out of headroom and idle pages only."),
    Field("pressure.kept_most_mib", "but no more than", "mib", "On large hosts."),
    Field("pressure.dire_part", "dire below that part", "number", "Then memory is taken back at the urgent rate."),
)
_HOSTS: Final = (
    Field(
        "balancing",
        "who starts goes",
        "choice",
        "Guests without a host go to the roomiest one in either case.",
        (
            ("none", "where the plan has it"),
            ("at-power-on", "to the host with most room"),
            ("over-time", "there, and moves later"),
        ),
    ),
    Field("balance_every_s", "and is looked at every", "seconds", "Where guests move later: the one that helps most."),
    Field("balance_least_percent", "if it takes away", "percent", "Of what the guests of its host lack, at least."),
    Field("loss.notice_s", "a loss is noticed after", "seconds", "Then the guests of a lost host start elsewhere."),
    Field("moving.mib_s", "a move copies", "rate", "A second and host; moves of one host share it."),
    Field("moving.cpu_percent", "and costs of a core", "number", "Percent, on both hosts."),
    Field("moving.rewrite_percent_s", "written anew meanwhile", "percent", "Of the working set, each second."),
)
_TURNS: Final = (
    Field("turns.turn_ms", "a turn lasts", "ms", "How long a vCPU runs while others stand in line for its thread."),
    Field(
        "turns.fellows", "vCPUs of one guest run", "choice",
        "Some guests need their vCPUs at the same time; that costs threads which stand idle for them.",
        (("own", "each for itself"), ("lead", "none far ahead"), ("together", "all at once or none")),
    ),
    Field("turns.lead_ms", "none far ahead is at most", "ms", "Who has run so much more than its fellow is held."),
    Field("turns.period_ms", "limits count per", "ms", "A limit that is spent holds its guests until the next period."),
    Field("turns.rejoin_ms", "who slept is ahead by", "ms", "More lets it cut in on others sooner."),
)  # fmt: skip
_CHANCES: Final = (
    Field("chances.shift_s", "peaks shift by", "seconds", "Two days in three stay within this, either way."),
    Field("chances.height_percent", "heights vary by", "percent", "Of themselves, likewise; CPU and memory apart."),
    Field("chances.together_percent", "alike for all", "percent", "How much of that all guests of a day share."),
    Field("chances.length_percent", "lengths vary by", "percent", "Of themselves, likewise."),
    Field("chances.surge_percent", "a guest has a surge on", "percent", "Of its days."),
    Field("chances.surge_factor", "and wants so many times", "number", "What it wants otherwise."),
    Field("chances.surge_for_s", "for", "seconds", "Then it is as before."),
    Field("chances.failing_percent", "a host is lost on", "percent", "Of its days, at any time, to their end."),
)
SECTIONS: Final = (
    ("Dividing", _DIVIDING),
    ("What can be promised", _BUDGET),
    ("Reclaiming thin memory", _RECLAIM),
    ("Sharing pages", (SHARING,)),
    ("Pace", _PACE),
    ("Played: looking", _LOOKING),
    ("Played: elastic memory and starts", _ELASTIC),
    ("Played: how fast memory moves, a guest", _MOVING),
    ("Played: what a host keeps free", _PRESSURE),
    ("Several hosts", _HOSTS),
    ("Core by core", _TURNS),
    ("Random days", _CHANCES),
)
"""The sections of the page; those that are played matter only over time."""
