"""What may be changed while a guest is on: section 7 of docs/model.md."""

from __future__ import annotations

from ruvex.plan._model import ElasticMemory, Guest, Plan, ThinMemory
from ruvex.plan._rules import Rules


def needs_off(before: Guest, after: Guest, rules: Rules) -> list[str]:
    """Name the changes of a guest that a running one would have to be powered off for; empty if there are none.

    Headroom, shares, reservations and limits change freely. Where the rules say that bounds may only widen, a floor
    may not be raised nor a ceiling lowered. Size and vCPUs may be raised where ``hot_add`` says so, vCPUs lowered
    where ``hot_remove`` does; the rest waits for the guest to be off.
    """
    found = []
    if after.vcpus > before.vcpus and "vcpus" not in before.hot_add:
        found.append("more vCPUs")
    if after.vcpus < before.vcpus and "vcpus" not in before.hot_remove:
        found.append("fewer vCPUs")
    if after.dedicated_cores != before.dedicated_cores:
        found.append("cores of its own" if after.dedicated_cores else "shared cores")
    if after.agent != before.agent:
        found.append("another agent")
    if after.cpu_level != before.cpu_level:
        found.append("another processor level for its programs")
    old, new = before.memory, after.memory
    if new.mode != old.mode:
        return [*found, "another memory mode"]
    if isinstance(old, ThinMemory) and isinstance(new, ThinMemory):
        if new.bank != old.bank:
            found.append("a place in the bank" if new.bank else "a place outside the bank")
        elif new.spill_volume != old.spill_volume:
            found.append("another spill volume")
    if isinstance(old, ElasticMemory) and isinstance(new, ElasticMemory):
        if rules.bounds_while_on == "widen":
            if new.floor > old.floor:
                found.append("a higher floor")
            if new.ceiling < old.ceiling:
                found.append("a lower ceiling")
        if new.boot != old.boot:
            found.append("another boot size")
    elif new.size != old.size and not (new.size > old.size and "memory" in before.hot_add):
        found.append("more memory" if new.size > old.size else "less memory")
    return found


def needs_other_processor(plan: Plan, before: Guest, after: Guest) -> str:
    """Name why a running guest could not go on on the host it names now; empty where it could, or names none."""
    source = plan.host_of(before)
    target = plan.hosts[plan.host_index[after.host]] if after.host in plan.host_index else None
    if source is None or target is None or source is target:
        return ""
    if source.cpu_maker != target.cpu_maker:
        return "a processor of another maker"
    seen = before.cpu_level if before.cpu_level is not None else source.cpu_level
    return "a processor of a lower level" if target.cpu_level < seen else ""
