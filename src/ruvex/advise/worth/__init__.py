"""Worth a look: mistakes and risks in a plan, each with its evidence, its remedy and the remedy's effect."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Final

from ruvex.advise._shift import Shift
from ruvex.advise.worth import (
    _banks,
    _bounds,
    _day,
    _elastic,
    _flows,
    _hosts,
    _lacking,
    _memory,
    _pools,
    _vcpus,
    _weights,
)
from ruvex.advise.worth._finding import GROUPS, KINDS, Case, Finding, Group, RemedyEffect, effect_of
from ruvex.advise.worth._tried import is_taken
from ruvex.divide import Division
from ruvex.play import Player

__all__ = ["GROUPS", "KINDS", "Finding", "Group", "RemedyEffect", "Shift", "effect_of", "findings_of"]

_SEEKERS: Final[Sequence[Callable[[Case], Iterator[Finding]]]] = (
    _bounds.broken_promises, _weights.beside_pools, _weights.crowded_pool, _bounds.biting_limit, _memory.at_ceiling,
    _day.late_batch, _memory.cannot_be, _memory.agent_missing, _vcpus.wider_than_host, _vcpus.idle_vcpus,
    _memory.far_too_large, _bounds.unused_reservation, _bounds.unused_limit, _elastic.held_idle,
    _elastic.headroom_large, _elastic.headroom_small, _elastic.greedy, _elastic.boots_from_disk, _pools.never_together,
    _pools.deep_nesting, _pools.pool_as_folder, _hosts.broken_rule, _hosts.peaks_coincide, _hosts.crowded_cores,
    _hosts.loss_not_borne, _banks.banks, _hosts.cannot_move, _day.start_storm, _flows.short_flow,
    _flows.disk_limit, _lacking.never_reached, _lacking.idle_cores, _lacking.no_cold_start,
    _lacking.draws_by_oversight,
)  # fmt: skip


def findings_of(division: Division, day: Player) -> list[Finding]:
    """Give all that is worth a look in a plan, what hurts now first, the weightiest of a group first.

    What was set aside is among them, with its reason.

    Parameters
    ----------
    division
        How the plan would settle at the moment.
    day
        The same plan's whole day, played and recorded.
    """
    case = Case(division, day)
    reasons = {(one.kind, one.of): one.reason for one in case.plan.aside}
    told = [finding for seek in _SEEKERS for finding in seek(case)]
    # Whoever goes short and is named by none of them is told of by the cause that the division has for it.
    told += list(_lacking.lacking(case, told))
    told = [
        finding if finding.remedy is None or is_taken(case, finding.remedy) else replace(finding, remedy=None, after=())
        for finding in told
    ]
    found = [
        replace(finding, aside=reasons.get((finding.kind, finding.about[0]), "") if finding.about else "")
        for finding in told
    ]
    return sorted(found, key=lambda finding: (GROUPS.index(finding.group), -finding.weight))
