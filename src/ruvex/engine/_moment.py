"""The division of a site at a moment, in one call: asks, supplies, both resources, layers and pace."""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._asks import (
    ask_cpu,
    ask_memory,
    ask_pools,
    ask_pools_whole,
    copy_asks,
    cpu_supplies,
    cpu_wanted,
    host_overhead,
    memory_amount,
    memory_supplies,
    note_as_one,
    one_supplies,
    pool_weights,
    put_weights,
    settled_working,
    share_pages,
)
from ruvex.engine._fill import fill_place
from ruvex.engine._flows import divide_flows
from ruvex.engine._jit import kernel
from ruvex.engine._kept import fit_to_cores
from ruvex.engine._layers import lay_out, outcome, spread_far


@kernel
def fill_as_one(
    resource: int, places: Any, values: Any, pools: Any, order: Any, weights: Any, one_places: Any, one_values: Any,
    one_nodes: Any, one_first: Any, one_pool_nodes: Any, one: Any, one_known: Any, rule: Any,
) -> float:  # fmt: skip
    """Divide one resource with all hosts as one machine and all settings whole; banks stay by themselves.

    Guests have asked there by now (``copy_asks``).
    """
    worst = 0.0
    one_supplies(resource, places, values, one_places, one_values)
    ask_pools_whole(resource, one_first, one_pool_nodes, order, pools, weights, one_nodes, one, one_known)
    for place in range(one_places.shape[1]):
        if (one_places[r.L_KIND, place] == r.CPU_PLACE) == (resource == 0):
            if resource == 1:
                memory_amount(place, one_places, one_nodes, one, one_values)
            worst = max(worst, fill_place(place, one_places, one_nodes, one_values, one, one_known, rule))
    return worst


@kernel
def divide_as_one(
    places: Any, values: Any, guest_slots: Any, asks: Any, pools: Any, order: Any, weights: Any, one_places: Any,
    one_values: Any, one_nodes: Any, one_slots: Any, one_guest_slots: Any, one_first: Any, one_pool_nodes: Any,
    one: Any, one_known: Any, rule: Any,
) -> float:  # fmt: skip
    """Divide both resources with all hosts as one machine, after ``divide_moment``."""
    worst = 0.0
    for resource in range(2):
        copy_asks(resource, guest_slots, asks, one_guest_slots, one)
        residual = fill_as_one(
            resource, places, values, pools, order, weights, one_places, one_values, one_nodes, one_first,
            one_pool_nodes, one, one_known, rule,
        )  # fmt: skip
        worst = max(worst, residual)
    return worst


@kernel
def divide_resource(
    resource: int, first: Any, pool_nodes: Any, order: Any, pools: Any, weights: Any, places: Any, values: Any,
    nodes: Any, slots: Any, guest_slots: Any, asks: Any, known: Any, one_first: Any, one_pool_nodes: Any,
    one_places: Any, one_values: Any, one_nodes: Any, one_slots: Any, one_guest_slots: Any, one: Any, one_known: Any,
    rule: Any, is_spread: bool,
) -> float:  # fmt: skip
    """Divide one resource in all of its places, once guests have asked and supplies are known.

    With ``is_spread`` some pool lives in several places: all hosts are divided as one machine first, by which its
    settings are apportioned. Gives the largest residual.
    """
    if is_spread:
        copy_asks(resource, guest_slots, asks, one_guest_slots, one)
        worst = fill_as_one(
            resource, places, values, pools, order, weights, one_places, one_values, one_nodes, one_first,
            one_pool_nodes, one, one_known, rule,
        )  # fmt: skip
        note_as_one(resource, places, nodes, slots, guest_slots, asks, known, one_guest_slots, one)
        ask_pools(resource, first, pool_nodes, order, pools, weights, nodes, asks, known)
    else:
        worst = 0.0
        ask_pools_whole(resource, first, pool_nodes, order, pools, weights, nodes, asks, known)
    return max(worst, fill_places(resource, places, values, nodes, asks, known, rule))


@kernel
def fill_places(resource: int, places: Any, values: Any, nodes: Any, asks: Any, known: Any, rule: Any) -> float:
    """Divide one resource in all of its places, once pools have asked; gives the largest residual."""
    worst = 0.0
    for place in range(places.shape[1]):
        if (places[r.L_KIND, place] == r.CPU_PLACE) == (resource == 0):
            if resource == 1:
                memory_amount(place, places, nodes, asks, values)
            worst = max(worst, fill_place(place, places, nodes, values, asks, known, rule))
    return worst


@kernel
def divide_moment(
    guests: Any, numbers: Any, standing: Any, disks: Any, pools: Any, by_members: Any, parent: Any, order: Any,
    hosts: Any, rules: Any, images: int, homes: Any, demand: Any, places: Any, values: Any, nodes: Any, slots: Any,
    guest_slots: Any, first: Any, pool_nodes: Any, asks: Any, known: Any, one: Any, spread: Any, kept: Any, layers: Any,
    work: Any, flows: Any, moving: Any, flow_work: Any, flowing: Any,
) -> float:  # fmt: skip
    """Divide a site at a moment.

    Parameters
    ----------
    guests, numbers, standing, disks, pools, by_members, parent, order, hosts, rules, images
        The site and who is on; ``rows`` names their rows.
    homes
        Where guests are at home among NUMA nodes: first, nodes, and the memory of each node.
    demand
        Shape (5, guests).
    places, values, nodes, slots, guest_slots, first, pool_nodes
        The forest; supplies and amounts are written into ``values``.
    asks, known
        By slot and by node; written. Levels that stand in ``known`` are where the search begins.
    one
        The same of the forest in which all hosts are one: places, values, nodes, slots, guest slots, first, pool
        nodes, asks, known.
    spread
        For CPU and memory whether some pool lives in several places.
    kept
        As ``fit_to_cores`` takes it.
    layers
        Shape (16, guests); written.
    work
        Room: by pool and resource, by host twice, by guest, by NUMA node, by host and image twice, and (2, guests).
    flows, moving, flow_work, flowing
        As ``divide_flows`` takes them; the last is written.

    Returns
    -------
    float
        The largest residual of a node beside its amount.
    """
    weights, overhead, copies, caps, asked, pages, lost = work
    (one_places, one_values, one_nodes, one_slots, one_guest_slots, one_first, one_pool_nodes, one_asks, one_known) = (
        one
    )
    first_home, home_nodes, node_mib = homes
    count = guests.shape[1]
    per_size = rules[r.R_PER_SIZE] > 0.0
    rule = (rules[r.R_ON_TOP], rules[r.R_IDLE])
    pool_weights(pools, by_members, parent, guests, numbers, standing, per_size, weights)
    put_weights(guests, guest_slots, asks, per_size)

    # Memory first: batch work wants more of a processor where it waits for pages.
    for guest in range(count):
        is_on = standing[r.S_ON, guest] != 0
        layers[r.M_WORKING, guest] = settled_working(guests, guest, demand[r.W_WORKING, guest]) if is_on else 0.0
        touched = max(demand[r.W_TOUCHED, guest], layers[r.M_WORKING, guest])
        is_thin = is_on and guests[r.G_MODE, guest] == r.THIN
        layers[r.M_TOUCHED, guest] = min(touched, guests[r.G_SIZE, guest]) if is_thin else 0.0
    share_pages(layers[r.M_TOUCHED], layers[r.M_SHARED], guests, numbers, standing, images, hosts, copies, pages)
    for guest in range(count):
        slot = guest_slots[1, guest]
        if slot >= 0:
            own = layers[r.M_TOUCHED, guest] - layers[r.M_SHARED, guest]
            ask_memory(guest, slot, layers[r.M_WORKING, guest], own, 0.0, guests, standing, asks)
    host_overhead(guests, standing, overhead)
    memory_supplies(hosts, overhead, copies, places, values, rules)
    worst = divide_resource(
        1, first, pool_nodes, order, pools, weights, places, values, nodes, slots, guest_slots, asks, known, one_first,
        one_pool_nodes, one_places, one_values, one_nodes, one_slots, one_guest_slots, one_asks, one_known, rule,
        spread[1],
    )  # fmt: skip
    for guest in range(count):
        slot = guest_slots[1, guest]
        if slot >= 0:
            layers[r.M_FAR, guest] = layers[r.M_CPU_WANTED, guest] = 0.0
            lay_out(guest, asks[r.A_GIVEN, slot], guests, standing, disks, rules, layers)
        else:
            layers[:, guest] = 0.0
            layers[r.M_PACE, guest] = 1.0
    if node_mib.shape[0] > 0:
        spread_far(first_home, home_nodes, node_mib, standing, layers[r.M_BACKED], layers[r.M_FAR], asked)
    for guest in range(count):
        lost[0, guest] = lost[1, guest] = 0.0
        if guest_slots[1, guest] >= 0:
            lost[0, guest] = outcome(guest, guests, standing, disks, rules, layers)
            lost[1, guest] = layers[r.M_SELF_PAGED, guest]
    if flows[1].shape[1] > 0:
        paces = layers[r.M_PACE]
        residual = divide_flows(flows, demand, paces, lost, rules[r.R_PAGING], moving, flow_work, flowing)
        worst = max(worst, residual)
        for guest in range(count):
            layers[r.M_PACE, guest] = min(layers[r.M_PACE, guest], flowing[r.O_PACE, guest])
    for guest in range(count):
        caps[guest] = 0.0
        slot = guest_slots[0, guest]
        if slot >= 0:
            wanted = demand[r.W_CPU, guest]
            if guests[r.G_BATCH, guest] > 0.0:
                wanted /= layers[r.M_PACE, guest]
            wanted = cpu_wanted(guests, standing, hosts, guest, wanted)
            layers[r.M_CPU_WANTED, guest] = wanted
            ask_cpu(guest, slot, wanted, guests, standing, hosts, asks)
            caps[guest] = asks[r.A_CAP, slot]
    cpu_supplies(guests, standing, hosts, caps, places, values)
    residual = divide_resource(
        0, first, pool_nodes, order, pools, weights, places, values, nodes, slots, guest_slots, asks, known, one_first,
        one_pool_nodes, one_places, one_values, one_nodes, one_slots, one_guest_slots, one_asks, one_known, rule,
        spread[0],
    )  # fmt: skip
    for place in range(hosts.shape[1]):
        fit_to_cores(place, places, nodes, slots, values, asks, known, rule, guests, hosts, kept)
    return max(worst, residual)
