"""Where guests are at home among the NUMA nodes of their hosts: section 9 of docs/model.md."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ruvex.engine import rows as r
from ruvex.engine._jit import maker


@maker
def find_homes(guests: Any, standing: Any, hosts: Any, largest_first: Any, first_node: Any) -> Any:
    """Give every guest that is on its homes.

    Parameters
    ----------
    guests, standing, hosts
        The site, and who is on.
    largest_first
        Guests by size, the largest first, then in plan order.
    first_node
        By host the number of its first NUMA node, counted over all hosts; one more at the end.

    Returns
    -------
    tuple
        Where the homes of each guest begin (one more at the end), the nodes, and the memory of every node, MiB.
    """
    count, total = guests.shape[1], first_node[hosts.shape[1]]
    width = np.zeros(count + 1, dtype=np.int64)
    node_mib, homed, taken = np.zeros(total), np.zeros(total), np.zeros(total)
    for host in range(hosts.shape[1]):
        for node in range(first_node[host], first_node[host + 1]):
            node_mib[node] = hosts[r.H_GROSS, host] / hosts[r.H_NODES, host]
    for guest in range(count):
        if standing[r.S_ON, guest] != 0:
            host = standing[r.S_HOST, guest]
            nodes = hosts[r.H_NODES, host]
            size = guests[r.G_CEILING, guest] if guests[r.G_MODE, guest] == r.ELASTIC else guests[r.G_SIZE, guest]
            by_cores = (
                math.ceil(guests[r.G_VCPUS, guest] * nodes / hosts[r.H_CORES, host])
                if hosts[r.H_CORES, host] > 0
                else 1.0
            )
            by_memory = math.ceil(size * nodes / hosts[r.H_GROSS, host]) if hosts[r.H_GROSS, host] > 0 else 1.0
            width[guest + 1] = int(min(nodes, max(1.0, by_cores, by_memory)))
    first = np.cumsum(width)
    homes = np.zeros(max(first[count], 1), dtype=np.int64)
    for at in range(count):
        guest = largest_first[at]
        if standing[r.S_ON, guest] == 0:
            continue
        host, wide = standing[r.S_HOST, guest], first[guest + 1] - first[guest]
        size = guests[r.G_CEILING, guest] if guests[r.G_MODE, guest] == r.ELASTIC else guests[r.G_SIZE, guest]
        for k in range(wide):
            best = -1
            for node in range(first_node[host], first_node[host + 1]):
                is_taken = False
                for j in range(first[guest], first[guest] + k):
                    is_taken = is_taken or homes[j] == node
                # Fewest vCPUs, then most memory not yet asked for, then the lowest number; nodes are all alike.
                if not is_taken and (
                    best < 0 or homed[node] < homed[best] or (homed[node] == homed[best] and taken[node] < taken[best])
                ):
                    best = node
            homes[first[guest] + k] = best
        for k in range(wide):
            homed[homes[first[guest] + k]] += guests[r.G_VCPUS, guest] / wide
            taken[homes[first[guest] + k]] += size / wide
    return first, homes, node_mib
