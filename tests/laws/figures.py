"""Laws of figures: what can be had, what more of a setting does, and that the day goes on as it was begun."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ruvex.divide import Division, divide
from ruvex.plan import RESOURCES, Change, EditError, Resource, change_many
from ruvex.play import Player, division_at
from ruvex.promise import all_refusals, claims_of
from ruvex.site import Site, cores_of
from tests.laws.case import Case

_NEAR = 1e-6
_PLAYED_S = 2 * 3600.0
_TRIED = 4


def possible(case: Case) -> Iterator[str]:
    """Nobody gets more than cores, hosts, stores, links, limits, sizes and banks can give; sums are sums."""
    for at_s in (0.0, case.plan.moment, case.plan.day_s / 3):
        yield from _impossible(divide(case.site, at_s), f"settled at {at_s:g} s")
    player = Player(case.site, until_s=min(_PLAYED_S, case.plan.day_s), record_s=600.0)
    player.run()
    played = division_at(player, player.now_s)
    if played is not None:
        yield from _impossible(played, f"played to {player.now_s:g} s")


def _impossible(division: Division, when: str) -> Iterator[str]:
    site = division.site
    plan, standing = site.plan, site.standing
    # Where more is promised in a pool than its limit lets it, its members' promises are what they get.
    overdrawn = {(refusal.kind, refusal.place) for refusal in all_refusals(claims_of(site))}
    for resource in RESOURCES:
        figures = division.of(resource)
        given = np.asarray(figures.delivered)
        mine = {guest.id: float(given[division.position[guest.id]]) for guest in plan.guests}
        for host, row in enumerate(plan.hosts):
            here = [guest for i, guest in enumerate(plan.guests) if standing.on[i] and standing.host[i] == host]
            most = _most(site, host, resource)
            total = sum(mine[guest.id] for guest in here)
            if total > most * (1 + _NEAR) + _NEAR:
                yield f"{when}: {row.id} gives {total:g} of {resource}, and can give {most:g} at most"
            for cores, guests in _sets(site, host) if resource == "cpu" and not figures.broken else ():
                could = len(cores) * row.mhz * (1 + row.smt_yield * (row.threads_per_core - 1))
                got = sum(mine[plan.guests[i].id] for i in guests)
                if got > could * (1 + _NEAR) + _NEAR:
                    yield f"{when}: cores {sorted(cores)} of {row.id} give {got:g}, and can give {could:g}"
        for i, guest in enumerate(plan.guests):
            limit = _limit(site, i, resource)
            if standing.on[i] and mine[guest.id] > limit * (1 + _NEAR) + _NEAR:
                yield f"{when}: {guest.id} gets {mine[guest.id]:g} of {resource}, more than {limit:g}"
            if not standing.on[i] and mine[guest.id] != 0:
                yield f"{when}: {guest.id} is off, and gets {mine[guest.id]:g} of {resource}"
        for pool in plan.pools:
            its = float(given[division.position[pool.id]])
            members = [guest for guest in plan.guests if _is_within(site, guest.pool, pool.id)]
            inside = sum(mine[guest.id] for guest in members)
            if abs(its - inside) > _NEAR * max(1.0, inside):
                yield f"{when}: {pool.id} has {its:g} of {resource}, its guests {inside:g}"
            # Where more is promised in a pool than its limit the promises of its guests are what they get.
            own = sum(_own(site, guest.id, resource) for guest in members)
            limit = max(pool.of(resource).limit or float("inf"), own)
            if (
                its > limit * (1 + _NEAR) + 1.0
                and (resource, pool.id) not in overdrawn
                and not division.is_played
                and not figures.broken
            ):
                yield f"{when}: {pool.id} gets {its:g} of {resource}, and its limit is {limit:g}"
    for place in division.flowing.places:
        total = sum(tap.delivered for tap in place.taps)
        if place.kind == "link" and total > place.supply * (1 + _NEAR) + _NEAR:
            yield f"{when}: {place.id} carries {total:g}, and can {place.supply:g}"
        if place.delivered > place.supply * (1 + _NEAR) + _NEAR:
            yield f"{when}: {place.id} gives {place.delivered:g}, and has {place.supply:g}"
        for tap in place.taps:
            if tap.delivered > min(tap.wanted, tap.limit or float("inf")) * (1 + _NEAR) + _NEAR:
                yield f"{when}: {tap.guest} gets {tap.delivered:g} of {place.id}, and may have {tap.wanted:g}"


def _most(site: Site, host: int, resource: Resource) -> float:
    """Give what a host could give at most if nothing else took of it."""
    one = site.plan.hosts[host]
    if not site.standing.up[host]:
        return 0.0
    if resource == "memory":
        return float(max(0.0, one.memory_mib - one.overhead_mib))
    return max(0.0, one.mhz * one.cores * (1 + one.smt_yield * (one.threads_per_core - 1)) - one.overhead_mhz)


def _limit(site: Site, guest: int, resource: Resource) -> float:
    """Give the most a guest may have: its limit, its size, its vCPUs, the cores it is kept to."""
    one, host = site.plan.guests[guest], int(site.standing.host[guest])
    if resource == "memory":
        size = one.memory.ceiling if one.memory.mode == "elastic" else one.memory.size
        return float(max(size, one.memory.boot) if one.memory.mode == "elastic" else size)
    if host < 0 or not site.plan.hosts:
        return 0.0
    machine = site.plan.hosts[host]
    most = one.vcpus * machine.mhz
    if one.cpu.limit is not None:
        most = min(most, one.cpu.limit)
    return most


def _sets(site: Site, host: int) -> Iterator[tuple[set[int], list[int]]]:
    """Give sets of cores of a host with the guests that may run nowhere else; none where own cores are too many."""
    own = (guest.vcpus for i, guest in enumerate(site.plan.guests) if guest.dedicated_cores and site.standing.on[i])
    if sum(own) > site.plan.hosts[host].cores:
        return
    here = [i for i in range(len(site.plan.guests)) if site.standing.on[i] and site.standing.host[i] == host]
    kept = cores_of(site.plan.guests, here, site.plan.hosts[host])
    taken = {core for i, its in kept.items() if site.plan.guests[i].dedicated_cores for core in its}
    if taken:
        yield (
            set(range(site.plan.hosts[host].cores)) - taken,
            [i for i in here if not site.plan.guests[i].dedicated_cores],
        )
    for cores in {*kept.values(), tuple({core for its in kept.values() for core in its})}:
        yield set(cores), [i for i, its in kept.items() if set(its) <= set(cores)]


def _own(site: Site, guest: str, resource: Resource) -> float:
    """Give what a guest is promised whatever its pool's limit is."""
    at = site.plan.guest_index[guest]
    one, memory = site.plan.guests[at], site.plan.guests[at].memory
    if not site.standing.on[at]:
        return 0.0
    if resource == "cpu":
        host = int(site.standing.host[at])
        mhz = site.plan.hosts[host].mhz if host >= 0 and site.plan.hosts else 0.0
        return max(one.cpu.reservation, one.vcpus * mhz if one.dedicated_cores else 0.0)
    if memory.mode == "fixed":
        return memory.size
    return memory.boot if memory.mode == "elastic" else memory.reservation


def _is_within(site: Site, pool: str | None, outer: str) -> bool:
    while pool is not None and pool != outer:
        pool = site.plan.pools[site.plan.pool_index[pool]].parent
    return pool == outer


def copied(case: Case) -> Iterator[str]:
    """A player that was copied at any time plays on to the same bits as the one it was copied from."""
    end = min(_PLAYED_S, case.plan.day_s)
    player = Player(case.site, until_s=end)
    player.run(end * (case.seed % 7 + 1) / 9)
    copy = player.copy()
    player.run()
    copy.run()
    one, other = player.recording, copy.recording
    for channel in ("cpu_delivered", "backed", "spilled", "phase", "pace"):
        if np.asarray(one.series(channel)).tobytes() != np.asarray(other.series(channel)).tobytes():
            yield f"{channel} of the copy differs"
    if [str(entry) for entry in player.log] != [str(entry) for entry in copy.log]:
        yield "the log of the copy differs"


def monotone(case: Case) -> Iterator[str]:
    """More shares, a higher limit or reservation never give their holder less at a moment."""
    plan = case.plan
    if any(pool for pool in plan.pools) and len(plan.hosts) > 1:
        # A pool's part on a host depends on what its guests would get on one machine: there more can be less.
        return
    site = case.site
    before = divide(site)
    for number, guest in enumerate(plan.guests):
        if not site.standing.on[number] or (number + case.seed) % max(1, len(plan.guests) // _TRIED):
            continue
        for resource in RESOURCES:
            now = guest.of(resource)
            changes: list[Change] = [(guest.id, {f"{resource}.shares": now.shares * 2})]
            if getattr(now, "limit", None) is not None:
                changes.append((guest.id, {f"{resource}.limit": now.limit * 1.5}))
            for change in changes:
                try:
                    other = change_many(plan, [change])
                except EditError:
                    continue
                after = divide(site.with_plan(other, case.traces))
                at = before.position[guest.id]
                was, is_now = float(before.of(resource).delivered[at]), float(after.of(resource).delivered[at])
                if is_now < was * (1 - _NEAR) - _NEAR:
                    yield f"{change}: {was:g} of {resource} becomes {is_now:g}"
