"""Where each guest's memory lies and what covers the part that is not backed: section 6 of docs/model.md."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import _compiled as c
from ruvex.divide._asks import Asks
from ruvex.divide._compiled import Compiled
from ruvex.plan import Rules

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Layers:
    """The layers of memory by row, MiB; a pool's are the sums of its guests', 0 where a guest is off.

    For a thin guest touched = backed + shared + balloon + squeezed + spilled.

    Attributes
    ----------
    touched
        Pages the host sees as written: of a thin guest what it ever touched, of others what is backed.
    visible
        What the guest's system believes it has.
    backed
        Host memory behind the guest, uncompressed.
    shared
        Not backed because one copy of equal pages serves.
    balloon
        Taken back through the agent in the guest.
    squeezed
        Compressed; it still takes its part of the host's memory, divided by the ratio.
    spilled
        Moved to disk by the host.
    self_paged
        Of the working set, what the guest keeps on its own disk.
    held
        Reserved and untouched: belongs to nobody else.
    working
        The working set.
    pace
        The rate of useful work against having all of the working set in memory; 1 where nothing is missing, and NaN
        for pools.
    cover
        Shape (4, rows): how much of what is wanted and not delivered the balloon, squeezing and spilling make good,
        and, for elastic guests, their own paging.
    mode, agent
        Of a guest, its memory mode as ``Compiled`` counts them, and whether it has an agent (1 or 0); 0 for pools.
    """

    touched: Floats
    visible: Floats
    backed: Floats
    shared: Floats
    balloon: Floats
    squeezed: Floats
    spilled: Floats
    self_paged: Floats
    held: Floats
    working: Floats
    pace: Floats
    cover: Floats
    mode: Floats
    agent: Floats

    def to_json(self, row: int) -> dict[str, Any]:
        """Give the layers of a guest's row, MiB, and its pace."""
        names = [field.name for field in fields(self) if field.name not in ("cover", "mode", "agent")]
        return {name: float(getattr(self, name)[row]) for name in names}


def layers_of(compiled: Compiled, asks: Asks, delivered: Floats) -> Layers:
    """Tell how each guest's memory is covered, from what the division delivers.

    Parameters
    ----------
    compiled, asks
        The plan and what was asked for.
    delivered
        Shape (members,): MiB, in the numbering of the tree.
    """
    tree, rules, guests = compiled.tree, compiled.plan.rules, compiled.guests
    on, size, mode, agent = guests[c.ON], guests[c.SIZE], guests[c.MODE], guests[c.AGENT]
    given = delivered[tree.pool_count :]
    thin, elastic = mode == c.THIN, mode == c.ELASTIC
    working = asks.demand.working * on

    # Thin: what is delivered covers backed and squeezed pages; the rest goes to balloon, compression, disk in turn.
    touched = np.minimum(asks.demand.touched, size) * on * thin
    own = touched - asks.shared
    held = np.maximum(given - own, 0.0) * thin
    available = (given - held) * thin
    balloon, squeezed, spilled = cover(rules, agent * size, touched, own, available)
    saved = 1 - 1 / rules.squeeze.ratio
    backed = np.where(thin, np.maximum(available - squeezed / rules.squeeze.ratio, 0.0), given)

    # Growth past what the system sees raises that; at a moment there is no memory of earlier growth.
    visible = np.where(elastic, np.maximum(size, given), size) * on
    balloon = np.where(elastic, np.maximum(visible - given, 0.0), balloon)
    beyond = np.maximum(working - np.where(thin, size, given), 0.0) * on
    self_paged = self_paging(thin, working, touched, balloon, beyond)
    disk = np.where(on_hdd(compiled), rules.pace_cost.hdd, rules.pace_cost.ssd)
    lost = lost_to_paging(rules, disk, working, touched, squeezed, spilled, self_paged)
    amounts = {
        "touched": np.where(thin, touched, given), "visible": visible, "backed": backed, "shared": asks.shared,
        "balloon": balloon, "squeezed": squeezed, "spilled": spilled, "self_paged": self_paged, "held": held,
        "working": working,
    }  # fmt: skip
    covered = np.stack((balloon * thin, squeezed * saved, spilled, beyond * elastic))
    stacked = np.concatenate((np.stack(list(amounts.values())), covered))
    rows = tree.layout.members
    columns = np.concatenate((_pool_sums(compiled, stacked), stacked), axis=1).take(rows, axis=1)
    none = np.zeros(tree.pool_count)
    pace = np.concatenate((none + np.nan, 1 / (1 + np.where(on > 0, lost, 0.0))))
    return Layers(
        **dict(zip(amounts, columns, strict=False)),
        cover=columns[len(amounts) :],
        pace=pace.take(rows),
        mode=np.concatenate((none, mode)).take(rows),
        agent=np.concatenate((none, agent)).take(rows),
    )


def cover(
    rules: Rules, agent_size: Floats, touched: Floats, own: Floats, available: Floats
) -> tuple[Floats, Floats, Floats]:
    """Tell how what is missing of a thin guest's pages is covered: by balloon, compression and disk, in turn.

    Parameters
    ----------
    rules
        The site's.
    agent_size
        Size of the guests that have an agent, 0 of others.
    touched, own
        What was touched, and what of it the guest backs itself, common pages aside.
    available
        What there is for it. All in MiB, of one shape.

    Returns
    -------
    tuple
        Balloon, squeezed and spilled.
    """
    missing = np.maximum(own - available, 0.0)
    balloon = np.minimum(missing, agent_size * (rules.balloon_max_percent / 100))
    rest = missing - balloon
    squeezed = np.zeros_like(rest)
    saved = 1 - 1 / rules.squeeze.ratio
    if saved > 0:
        most = np.minimum(touched * (rules.squeeze.max_percent / 100), available * rules.squeeze.ratio)
        squeezed = np.minimum(rest / saved, most)
    return balloon, squeezed, np.maximum(rest - squeezed * saved, 0.0)


def self_paging(thin: NDArray[np.bool_], working: Floats, touched: Floats, balloon: Floats, beyond: Floats) -> Floats:
    """Give what of the working set the guests keep on their own disks, MiB.

    A thin guest fills its balloon from free memory and cache first; ``beyond`` is the working set that exceeds what
    the guest has.
    """
    in_balloon = np.maximum(balloon - np.maximum(touched - working, 0.0), 0.0)
    return np.minimum(np.where(thin, in_balloon, 0.0) + beyond, working)


def lost_to_paging(
    rules: Rules, disk: Floats, working: Floats, touched: Floats, squeezed: Floats, spilled: Floats, self_paged: Floats
) -> Floats:
    """Give how many times its time a piece of work takes on top because part of the working set is not in memory.

    Squeezed and spilled pages hit the working set in proportion to working / touched, so what is missing of it is the
    same part as of all touched pages. ``disk`` is the cost of each guest's disk.
    """
    of_touched = np.where(touched > 0, touched, 1.0)
    lost = rules.pace_cost.squeezed * squeezed / of_touched + disk * spilled / of_touched
    return np.asarray(lost + disk * self_paged / np.where(working > 0, working, 1.0))


def on_hdd(compiled: Compiled) -> NDArray[np.bool_]:
    """Tell of each guest whether its disk is a hard disk; guests page where their host spills."""
    if compiled.hosts.shape[1] == 0:
        return np.zeros(compiled.host_of.size, dtype=np.bool_)
    return np.asarray(compiled.hosts[c.IS_HDD, compiled.host_of] > 0)


def _pool_sums(compiled: Compiled, amounts: Floats) -> Floats:
    tree = compiled.tree
    nodes = tree.guest_groups.sums(amounts)
    for level in reversed(tree.levels):
        pools = level.pools
        if pools.start < pools.stop:
            nodes[:, level.nodes] += level.pool_groups.sums(nodes[:, pools.start + 1 : pools.stop + 1])
    return nodes[:, 1:]
