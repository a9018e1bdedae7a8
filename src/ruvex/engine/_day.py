"""Wanted and supply over the day, by host."""

from __future__ import annotations

from typing import Any

import numpy as np

from ruvex.engine import rows as r
from ruvex.engine._asks import WHOLE_VCPU, settled_working, share_pages
from ruvex.engine._jit import maker
from ruvex.engine._signals import highest_until, signals_at


@maker
def sum_day(
    forms: Any, signal_numbers: Any, tables: Any, knots: Any, day_s: float, times: Any, guests: Any, numbers: Any,
    standing: Any, images: int, hosts: Any, of_hosts: Any,
) -> None:  # fmt: skip
    """Sum up what guests want before limits, and what there is, at some times; ``of_hosts`` is written.

    It has the shape (2, 3, hosts, moments): wanted and supply, of CPU, of memory, and of that in the host's bank.
    """
    count, host_count = guests.shape[1], hosts.shape[1]
    now, high = np.empty(r.W_ROWS * count), np.empty(r.W_ROWS * count)
    touched, shared, copies, vcpus = np.zeros(count), np.zeros(count), np.zeros(host_count), np.zeros(host_count)
    pages = np.zeros((2, host_count, max(images, 1)))
    for at in range(times.shape[0]):
        signals_at(forms, signal_numbers, tables, knots, day_s, times[at], now)
        highest_until(forms, signal_numbers, tables, knots, day_s, times[at], high)
        vcpus[:] = 0.0
        for guest in range(count):
            touched[guest] = max(high[count + guest], high[2 * count + guest])
        share_pages(touched, shared, guests, numbers, standing, images, hosts, copies, pages)
        for host in range(host_count):
            of_hosts[1, 1, host, at] = hosts[r.H_GROSS, host] - copies[host]
            of_hosts[1, 2, host, at] = hosts[r.H_BANK, host] if hosts[r.H_UP, host] > 0.0 else 0.0
        for guest in range(count):
            if standing[r.S_ON, guest] == 0:
                continue
            host = standing[r.S_HOST, guest]
            speed = guests[r.G_VCPUS, guest] * hosts[r.H_MHZ, host]
            wanted = min(now[guest], speed)
            of_hosts[0, 0, host, at] += wanted
            is_own = guests[r.G_DEDICATED, guest] > 0.0 and speed < np.inf
            cap = speed if is_own else min(wanted, guests[r.G_CPU_LIMIT, guest])
            vcpus[host] += min(guests[r.G_VCPUS, guest], max(0.0, np.ceil(cap / hosts[r.H_MHZ, host] - WHOLE_VCPU)))
            working = settled_working(guests, guest, now[count + guest])
            if guests[r.G_MODE, guest] == r.THIN:
                need = min(max(touched[guest], working), guests[r.G_SIZE, guest]) - shared[guest]
            elif guests[r.G_MODE, guest] == r.ELASTIC:
                need = working * (1.0 + guests[r.G_HEADROOM, guest])
            else:
                need = guests[r.G_SIZE, guest]
            of_hosts[0, 1, host, at] += need
            if guests[r.G_BANKED, guest] > 0.0:
                of_hosts[0, 2, host, at] += need
            of_hosts[1, 1, host, at] -= guests[r.G_OVERHEAD, guest]
        for host in range(host_count):
            is_there = hosts[r.H_UP, host] > 0.0 and hosts[r.H_CORES, host] > 0.0
            doubled = min(hosts[r.H_FURTHER, host], max(0.0, vcpus[host] - hosts[r.H_CORES, host]))
            mhz = (
                hosts[r.H_MHZ, host] * (hosts[r.H_CORES, host] + hosts[r.H_YIELD, host] * doubled) if is_there else 0.0
            )
            of_hosts[1, 0, host, at] = max(0.0, mhz - hosts[r.H_OVERHEAD_MHZ, host]) if is_there else 0.0
            of_hosts[1, 1, host, at] = max(0.0, of_hosts[1, 1, host, at]) if hosts[r.H_UP, host] > 0.0 else 0.0
