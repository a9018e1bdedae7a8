"""The law *alike*: the same figure for the same thing, and parts that add up to wholes, in both looks."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ruvex.divide import Division, ladder_of
from ruvex.ledger import CONTENDED, LookFigures
from ruvex.plan import RESOURCES
from ruvex.play import division_at
from tests.laws.case import Case

_NEAR = 1e-6


def alike(case: Case) -> Iterator[str]:
    """What is lacking, promised and kept back adds up by guest, pool, host and site, settled and as it was played."""
    looks = [("settled", case.division)]
    for at_s in (case.plan.moment, case.plan.day_s / 3):
        played = division_at(case.day, at_s)
        if isinstance(played, Division):
            looks.append((f"played at {at_s:g} s", played))
    for look, division in looks:
        for told in (*_ladders(division), *_sums(division)):
            yield f"{look}: {told}"


def _ladders(division: Division) -> Iterator[str]:
    """Steps lead to what is delivered, and what keeps the rest back to what is wanted."""
    figures = LookFigures(division)
    for name in RESOURCES:
        r = division.of(name)
        near = _NEAR * max(1.0, r.supply, float(np.abs(r.wanted).max(initial=0.0)))
        for row in np.flatnonzero(division.on).tolist():
            ladder = ladder_of(division, division.ids[row], name)
            if abs(sum(rung.amount for rung in ladder.rungs) - ladder.delivered) > near:
                yield f"the steps of {ladder.item}, {name}, do not lead to {ladder.delivered:g}"
            kept_back = sum(stop.amount for stop in ladder.stops)
            # A working set beyond its own size is asked of nobody, and kept back by that size all the same.
            unasked = float(division.layers.self_paged[row]) if name == "memory" else 0.0
            missing = ladder.wanted - (ladder.delivered - ladder.held + kept_back)
            if abs(missing) > near and abs(missing + unasked) > near:
                yield (
                    f"{ladder.item} has {ladder.delivered - ladder.held:g} of {ladder.wanted:g} {name}, and"
                    f" {kept_back:g} is kept back"
                )
        lacks, wanted = figures.lacks(name).values, figures.wanted(name).values
        for i in np.flatnonzero((lacks < 0) | (lacks > wanted * (1 + _NEAR))).tolist():
            yield f"{division.site.plan.guests[i].id} lacks {lacks[i]:g} of the {wanted[i]:g} {name} that it asks for"


def _sums(division: Division) -> Iterator[str]:
    """Hosts, and who is on none, come to the site; pools to their guests."""
    figures, site = LookFigures(division), division.site
    top = division.parent_row < 0
    nowhere = site.standing.host < 0
    for of in CONTENDED:
        lacks = figures.lacks(of)
        near = _NEAR * max(1.0, lacks.total)
        if abs(float(lacks.by_row[top].sum()) - lacks.total) > near:
            yield f"rows at the top lack {float(lacks.by_row[top].sum()):g} of {of}, guests {lacks.total:g}"
        if site.plan.hosts and abs(float(lacks.by_host.sum() + lacks.values[nowhere].sum()) - lacks.total) > near:
            yield f"hosts lack {float(lacks.by_host.sum()):g} of {of}, guests {lacks.total:g}"
    for k, name in enumerate(RESOURCES):
        promises, free = figures.promises, division.of(name).free
        of_hosts = float(promises.free_of_hosts[k].sum() - promises.of_no_host[k])
        if site.plan.hosts and abs(of_hosts - free) > _NEAR * max(1.0, abs(free)):
            yield f"hosts have {of_hosts:g} of {name} free to promise, the site has {free:g}"
