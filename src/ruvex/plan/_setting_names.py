"""What settings are called by people: in refusals, in the log, in lists of what was done."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Final, Literal

from ruvex.plan._errors import Problem
from ruvex.plan._model import Plan

_SETTINGS: Final[Mapping[str, str]] = {
    "cpu.reservation": "CPU reservation", "cpu.limit": "CPU limit", "cpu.shares": "CPU shares",
    "cpu.draws": "drawing CPU on its parent", "memory.draws": "drawing memory on its parent",
    "memory.reservation": "memory reservation", "memory.limit": "memory limit", "memory.shares": "memory shares",
    "memory.size": "size", "memory.boot": "boot size", "memory.floor": "floor", "memory.ceiling": "ceiling",
    "memory.headroom_percent": "headroom", "memory.mode": "memory mode", "memory.bank": "place in the bank",
    "memory.spill_volume": "spill volume", "vcpus": "vCPUs", "bank.size_mib": "size of the bank",
    "bank.max_mib": "largest size of the bank", "bank.spill_volumes": "spill volumes of the bank",
    "dedicated_cores": "cores of its own", "hot_add": "what can be added while on",
    "hot_remove": "what can be taken while on", "weighs": "weight", "spill_mib": "spill space",
    "spill_kind": "kind of spill space", "idle_counts_as": "an idle page counts as", "demand.cpu": "CPU demand",
    "demand.working": "working set", "demand.touched": "touched pages", "agent": "agent", "pool": "pool",
    "parent": "pool above", "smt_yield": "yield of second threads", "threads_per_core": "threads of a core",
    "cores_per_socket": "cores in a socket", "mhz": "speed of a core", "memory_mib": "memory",
    "overhead_mib": "memory it needs itself", "overhead_mhz": "CPU it needs itself", "numa_nodes": "NUMA nodes",
    "cpu_level": "processor level", "cpu_maker": "maker of the processor", "comes_back": "turn after a loss",
    "otherwise_mib": "size without elastic memory", "boot_s": "time of booting",
    "cores.only": "cores it is kept to", "cores.second_threads": "second threads",
    "cores.side_by_side": "vCPUs side by side", "demand.burst.ms": "length of a burst",
    "demand.burst.even": "even bursts",
    "turns.turn_ms": "length of a turn", "turns.fellows": "fellow vCPUs", "turns.lead_ms": "how far one may lead",
    "turns.period_ms": "period of limits", "turns.rejoin_ms": "how far behind one comes back",
    "disks": "disks", "store": "store of its spill space", "links": "links", "link.shares": "shares of the link",
    "link.limit_mib_s": "limit of the link", "demand.ops": "transfers a second",
    "demand.kib_per_op": "size of a transfer", "demand.net_mib_s": "traffic", "ops": "transfers a second",
    "promises": "promises", "paging.ops_per_mib": "transfers of paging",
    "demand.cache_percent": "cache", "demand.leaves_percent": "what greedy work leaves",
}  # fmt: skip
_LISTED = re.compile(r"(hosts|stores|pools|guests)\[(\d+)\]\.?(.*)")


def setting_word(name: str) -> str:
    """Give the words for a setting.

    Examples
    --------
    >>> setting_word("smt_yield"), setting_word("moving.mib_s")
    ('yield of second threads', 'moving')
    """
    if name in _SETTINGS:
        return _SETTINGS[name]
    last = name.rpartition(".")[2]
    for ending in ("_mib_s", "_mib", "_mhz", "_percent", "_s"):
        last = last.removesuffix(ending)
    if last in ("mib", "percent") or not last:
        last = name.split(".")[0]
    return last.replace("_", " ")


def setting_amount(setting: str) -> Literal["cpu", "memory"] | None:
    """Tell whether a setting is an amount of CPU (MHz) or of memory (MiB), or neither.

    Examples
    --------
    >>> setting_amount("memory.floor"), setting_amount("demand.cpu"), setting_amount("cpu.shares")
    ('memory', 'cpu', None)
    """
    is_amount = setting.rpartition(".")[2] in ("reservation", "limit", "size", "boot", "floor", "ceiling")
    if (setting.startswith("memory.") and is_amount) or setting.endswith("_mib"):
        return "memory"
    if setting in ("demand.working", "demand.touched"):
        return "memory"
    return (
        "cpu"
        if (setting.startswith("cpu.") and is_amount) or setting.endswith("_mhz") or setting == "demand.cpu"
        else None
    )


def told_in_words(plan: Plan, problems: list[Problem], label: str = "") -> str:
    """Say what is wrong with an edit by names, a line each: people never see ids and keys.

    Parameters
    ----------
    plan
        The plan that was to be.
    problems
        What is wrong; paths begin with an item's place or id, or are keys of the item that was changed.
    label
        The name of that item.
    """
    return "\n".join(_told(plan, problem, label) for problem in problems)


def _told(plan: Plan, problem: Problem, label: str) -> str:
    listed = _LISTED.match(problem.path)
    if listed is not None:
        items = getattr(plan, listed[1])
        number, key = int(listed[2]), listed[3]
        label = items[number].label if number < len(items) else label
    else:
        head, _, rest = problem.path.partition(".")
        known = plan.labels
        label, key = (known[head], rest) if head in known else (label, problem.path)
    key = re.sub(r"\[\d+\]", "", key)
    if key.startswith(("events", "placement", "aside")):
        key = ""
    word = setting_word(key) if key else ""
    place = ", ".join(part for part in (label, word) if part)
    return f"{place}: {problem.what}; {problem.mend}" if place else f"{problem.what}; {problem.mend}"
