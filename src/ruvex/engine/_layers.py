"""Where a guest's memory lies, and what that does to its pace: section 6 of docs/model.md."""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._asks import need_of
from ruvex.engine._jit import kernel, part


@part
def cover(
    touched: float, own: float, working: float, available: float, balloon_most: float, spill_first: bool, rules: Any
) -> tuple[float, float, float]:
    """Tell how what is missing of a thin guest's pages is covered, where it hurts least first.

    Parameters
    ----------
    touched, own, working
        What was touched, what of it the guest backs itself (common pages aside), and its working set.
    available
        What there is for it.
    balloon_most
        What its balloon can hold; 0 without an agent.
    spill_first
        Whether pages come back faster from where they are spilled than from the guest's own disk.
    rules
        Numbers of the rules. All else in MiB.

    Returns
    -------
    tuple
        Balloon, squeezed and spilled, MiB.
    """
    missing = max(0.0, own - available)
    if missing <= 0.0:
        return 0.0, 0.0, 0.0
    balloon = min(missing, balloon_most, max(0.0, own - working))
    rest, squeezed, saved = missing - balloon, 0.0, 1.0 - 1.0 / rules[r.R_RATIO]
    if saved > 0.0 and rest > 0.0:
        most = min(touched * rules[r.R_SQUEEZE_PART], available * rules[r.R_RATIO], own - balloon)
        squeezed = min(rest / saved, max(most, 0.0))
        rest = max(0.0, rest - squeezed * saved)
    into_working = 0.0 if spill_first else min(rest, balloon_most - balloon)
    return balloon + into_working, squeezed, rest - into_working


@part
def lost_of_working(
    working: float, own: float, balloon: float, squeezed: float, spilled: float, self_paged: float, by_use: float
) -> tuple[float, float]:
    """Give how much of the working set is squeezed and how much is spilled, MiB.

    The host cannot tell which pages matter; those that are worked with come back, and ``by_use`` (0 to 1) is how far
    that has gone. Idle pages count as spilled first, then as squeezed.
    """
    aside = squeezed + spilled
    pages = own - balloon
    if aside <= 0.0 or pages <= 0.0:
        return 0.0, 0.0
    busy = min(max(working - self_paged, 0.0), pages)
    idle = pages - busy
    hard_spilled = max(0.0, spilled - idle)
    hard_squeezed = max(0.0, aside - idle) - hard_spilled
    evenly = (1.0 - by_use) * busy / pages
    return by_use * hard_squeezed + evenly * squeezed, by_use * hard_spilled + evenly * spilled


@part
def pace_of(
    working: float, squeezed: float, spilled: float, self_paged: float, far: float, own_cost: float, spill_cost: float,
    rules: Any,
) -> float:  # fmt: skip
    """Give the rate of useful work against having all of the working set at hand.

    ``squeezed``, ``spilled`` and ``self_paged`` are parts of the working set, MiB; ``far`` is which part of what is at
    hand lies on a farther NUMA node.
    """
    if working <= 0.0 or (squeezed == 0.0 and spilled == 0.0 and self_paged == 0.0 and far == 0.0):
        return 1.0
    near = max(0.0, working - squeezed - spilled - self_paged)
    cost = rules[r.R_COST_SQUEEZED] * squeezed + spill_cost * spilled + own_cost * self_paged
    return 1.0 / (1.0 + (cost + rules[r.R_COST_FAR] * far * near) / working)


@part
def balloon_most(guests: Any, guest: int, agent: bool, rules: Any) -> float:
    """Give how much the balloon of a thin guest can hold, MiB."""
    return guests[r.G_SIZE, guest] * rules[r.R_BALLOON_PART] if agent else 0.0


@part
def lay_out(guest: int, given: float, guests: Any, standing: Any, disks: Any, rules: Any, layers: Any) -> None:
    """Tell where a guest's memory would come to rest when it is delivered ``given`` MiB; its pace is told later.

    ``M_TOUCHED``, ``M_SHARED`` and ``M_WORKING`` are there by now; a touched of other guests is what is backed.
    """
    mode, size, working = guests[r.G_MODE, guest], guests[r.G_SIZE, guest], layers[r.M_WORKING, guest]
    layers[r.M_SQUEEZED, guest] = layers[r.M_SPILLED, guest] = layers[r.M_HELD, guest] = layers[r.M_BALLOON, guest] = (
        0.0
    )
    if mode == r.THIN:
        touched = layers[r.M_TOUCHED, guest]
        own = touched - layers[r.M_SHARED, guest]
        held = max(0.0, given - own)
        available = given - held
        most = balloon_most(guests, guest, standing[r.S_AGENT, guest] != 0, rules)
        is_spill_first = disks[r.D_SPILL, guest] < disks[r.D_OWN, guest]
        balloon, squeezed, spilled = cover(touched, own, working, available, most, is_spill_first, rules)
        layers[r.M_HELD, guest] = held
        layers[r.M_BALLOON, guest], layers[r.M_SQUEEZED, guest], layers[r.M_SPILLED, guest] = (
            balloon,
            squeezed,
            spilled,
        )
        layers[r.M_BACKED, guest] = max(0.0, available - squeezed / rules[r.R_RATIO])
        layers[r.M_VISIBLE, guest] = size
        in_balloon = max(0.0, balloon - max(0.0, own - working))
        layers[r.M_SELF_PAGED, guest] = min(working, in_balloon + max(0.0, working - size))
    else:
        layers[r.M_TOUCHED, guest] = layers[r.M_BACKED, guest] = given
        layers[r.M_VISIBLE, guest] = max(size, given) if mode == r.ELASTIC else size
        if mode == r.ELASTIC:
            layers[r.M_BALLOON, guest] = max(0.0, layers[r.M_VISIBLE, guest] - given)
        layers[r.M_SELF_PAGED, guest] = max(0.0, working - given)
    layers[r.M_CACHE, guest] = cache_of(guests, guest, working, layers[r.M_TOUCHED, guest], layers[r.M_VISIBLE, guest])


@part
def cache_of(guests: Any, guest: int, working: float, touched: float, visible: float) -> float:
    """Give how much file cache a guest has come to rest with: of an elastic one inside its headroom, MiB."""
    return min(max(0.0, touched - working), guests[r.G_CACHE, guest] * max(0.0, visible - working))


@part
def outcome(guest: int, guests: Any, standing: Any, disks: Any, rules: Any, layers: Any) -> float:
    """Tell need, met and pace of a guest that is on, from where its memory lies once it has settled.

    Gives how much of its working set is spilled, MiB.
    """
    mode, working = guests[r.G_MODE, guest], layers[r.M_WORKING, guest]
    own = layers[r.M_TOUCHED, guest] - layers[r.M_SHARED, guest]
    balloon = layers[r.M_BALLOON, guest] if mode == r.THIN else 0.0
    squeezed, spilled = lost_of_working(
        working, own, balloon, layers[r.M_SQUEEZED, guest], layers[r.M_SPILLED, guest], layers[r.M_SELF_PAGED, guest],
        rules[r.R_BY_USE],
    )  # fmt: skip
    layers[r.M_PACE, guest] = pace_of(
        working, squeezed, spilled, layers[r.M_SELF_PAGED, guest], layers[r.M_FAR, guest], disks[r.D_OWN, guest],
        disks[r.D_SPILL, guest], rules,
    )  # fmt: skip
    if mode == r.THIN:
        layers[r.M_NEED, guest] = working
        have = working - squeezed - spilled - layers[r.M_SELF_PAGED, guest]
    else:
        # One without an agent needs what its work needs all the same.
        is_at_work = mode == r.ELASTIC and standing[r.S_BOOTING, guest] == 0
        layers[r.M_NEED, guest] = need_of(guests, guest, working) if is_at_work else guests[r.G_SIZE, guest]
        have = layers[r.M_BACKED, guest]
    need = layers[r.M_NEED, guest]
    layers[r.M_MET, guest] = min(1.0, max(0.0, have / need)) if need > 0.0 else 1.0
    return spilled


@kernel
def spread_far(
    first_home: Any, home_nodes: Any, node_mib: Any, standing: Any, backed: Any, far: Any, asked: Any
) -> None:
    """Tell which part of each guest's memory lies on farther NUMA nodes (section 9).

    Parameters
    ----------
    first_home, home_nodes
        The NUMA nodes each guest is at home on, counted over all hosts.
    node_mib
        The memory of each node.
    standing, backed
        Of guests; MiB.
    far
        Is written: parts of 1.
    asked
        Room for a number a node.
    """
    asked[:] = 0.0
    count = backed.shape[0]
    for guest in range(count):
        far[guest] = 0.0
        if standing[r.S_ON, guest] != 0:
            homes = first_home[guest + 1] - first_home[guest]
            for at in range(first_home[guest], first_home[guest + 1]):
                asked[home_nodes[at]] += backed[guest] / homes
    for guest in range(count):
        if standing[r.S_ON, guest] != 0:
            homes = first_home[guest + 1] - first_home[guest]
            for at in range(first_home[guest], first_home[guest + 1]):
                node = home_nodes[at]
                if asked[node] > node_mib[node]:
                    far[guest] += (1.0 - node_mib[node] / asked[node]) / homes
