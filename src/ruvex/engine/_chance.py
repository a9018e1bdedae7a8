"""Expected waiting by chance, in closed form: section 8 of docs/model.md."""

from __future__ import annotations

from typing import Any

from ruvex.engine._jit import kernel

_LEAST = 1e-13
_MOST = 1e200
_SAME = 1.0 + 1e-9
_TAKING_TURNS = -0.4
"""Who asks for more of what is due to it steps aside for the others, the more so the more threads there are on which
somebody can be cut in on: on one thread all take turns."""


@kernel
def join(chances: Any, ends: Any, part: float, vcpus: int) -> None:
    """Let the vCPUs of a guest, each wanting to run a part of the time, join those whose number is known by chance.

    ``chances[n]`` is the chance that n of them want to run, for n from ``ends[0]`` to ``ends[1]``; beyond both it is
    next to nothing and is left out.
    """
    for _ in range(vcpus):
        low, high = ends[0], ends[1]
        chances[high + 1] = chances[high] * part
        for n in range(high, low, -1):
            chances[n] = chances[n] * (1.0 - part) + chances[n - 1] * part
        chances[low] *= 1.0 - part
        ends[1] = high + 1
        trim(chances, ends)


@kernel
def trim(chances: Any, ends: Any) -> None:
    """Leave out what is next to impossible at both ends."""
    while ends[0] < ends[1] and chances[ends[0]] < _LEAST:
        ends[0] += 1
    while ends[1] > ends[0] and chances[ends[1]] < _LEAST:
        ends[1] -= 1


@kernel
def work_rate(n: int, cores: int, threads: int, smt_yield: float, speed: float) -> float:
    """Give what is done while n vCPUs want to run, in threads at full speed."""
    return speed * (min(n, cores) + smt_yield * max(min(n, threads) - cores, 0))


@kernel
def on_shared_cores(
    chances: Any, ends: Any, cores: int, threads: int, smt_yield: float, speed: float
) -> tuple[float, float]:
    """Give how fast a vCPU on a thread runs on average, a part of a thread in full, and how many wait.

    Each number n of vCPUs that want to run is likelier the slower they get done: n times the product of k / rate(k).
    """
    weight, total, done, busy, waiting = 1.0, 0.0, 0.0, 0.0, 0.0
    for n in range(ends[0], ends[1] + 1):
        rate = work_rate(n, cores, threads, smt_yield, speed)
        if n > ends[0]:
            weight *= n / rate
        if weight > _MOST:
            total, done, busy, waiting = total / weight, done / weight, busy / weight, waiting / weight
            weight = 1.0
        part = chances[n] * weight
        total += part
        done += part * rate
        busy += part * min(n, threads)
        waiting += part * max(n - threads, 0)
    return (done / busy if busy > 0.0 else speed), waiting / total


@kernel
def lost_alike(chances: Any, ends: Any, asked: float, threads: int) -> tuple[float, float]:
    """Give how much run is lost by waiting where nobody goes first, in threads, and how many wait."""
    weight, total, done, waiting = 1.0, 0.0, 0.0, 0.0
    for n in range(ends[0], ends[1] + 1):
        if n > ends[0]:
            weight *= n / min(n, threads)
        if weight > _MOST:
            total, done, waiting, weight = total / weight, done / weight, waiting / weight, 1.0
        total += chances[n] * weight
        done += chances[n] * weight * min(n, threads)
        waiting += chances[n] * weight * max(n - threads, 0)
    return max(asked - done / total, 0.0), waiting / total


@kernel
def stand_behind(line: Any, ends: Any, chances: Any, its_ends: Any, after: Any, asked: float, threads: int) -> float:
    """Let some guests stand behind a line that goes first, and give what of their run is lost by waiting, in threads.

    Parameters
    ----------
    line, ends
        The chances of how many of those ahead want to run; those behind are put among them.
    chances, its_ends
        The same of those behind, were they alone.
    after
        Room as large as ``line``.
    asked
        The run that those behind ask for.
    """
    for n in range(ends[0] + its_ends[0], ends[1] + its_ends[1] + 1):
        after[n] = 0.0
    done = 0.0
    for ahead in range(ends[0], ends[1] + 1):
        free = threads - ahead
        if free <= 0:
            # Nothing is left for them: all of them stand in line before long.
            after[ahead + its_ends[1]] += line[ahead]
            continue
        weight, total = 1.0, 0.0
        for n in range(its_ends[0], its_ends[1] + 1):
            if n > its_ends[0]:
                weight *= n / min(n, free)
            if weight > _MOST:
                total, weight = total / weight, 1.0
            total += chances[n] * weight
        # Backwards from the last weight, which is scaled as the sum is; what was scaled away was next to nothing.
        for n in range(its_ends[1], its_ends[0] - 1, -1):
            part = line[ahead] * chances[n] * weight / total
            after[ahead + n] += part
            done += part * min(n, free)
            weight *= min(n, free) / max(n, 1)
    for n in range(ends[0] + its_ends[0], ends[1] + its_ends[1] + 1):
        line[n] = after[n]
    ends[0], ends[1] = ends[0] + its_ends[0], ends[1] + its_ends[1]
    trim(line, ends)
    return max(asked - done, 0.0)


@kernel
def lost_by(stretch: float, guests: Any, parts: Any, vcpus: Any) -> float:
    """Give how much run is lost where each run of a vCPU takes longer by a factor of 1 + ``stretch``."""
    lost = 0.0
    for i in range(guests.shape[0]):
        part = parts[guests[i]]
        lost += vcpus[guests[i]] * part * part * stretch / (1.0 + part * stretch)
    return lost


@kernel
def wait_on_host(
    guests: Any, parts: Any, vcpus: Any, ratios: Any, cores: int, threads: int, smt_yield: float, speed: float,
    slowed: Any, room: Any, ends: Any, waits: Any,
) -> None:  # fmt: skip
    """Write for each guest of a host which part of their time its vCPUs wait; arguments as in ``wait_by_chance``."""
    count, there = guests.shape[0], 0
    for i in range(count):
        waits[guests[i]] = 0.0
        there += vcpus[guests[i]]
    if there <= threads:
        return
    everybody, line, behind, after = room[0], room[1], room[2], room[3]
    of_all, of_line, of_behind = ends[0], ends[1], ends[2]
    everybody[0] = 1.0
    of_all[:] = 0
    for i in range(count):
        join(everybody, of_all, parts[guests[i]], vcpus[guests[i]])
    # On a thread whose core is shared, each run takes longer, and is on a thread for more of the time.
    pace, waiting = on_shared_cores(everybody, of_all, cores, threads, smt_yield, speed)
    everybody[0] = line[0] = 1.0
    of_all[:] = 0
    of_line[:] = 0
    asked, lost, first = 0.0, 0.0, 0
    while first < count:
        # Who asks for equally much of what is due to it stands in line together.
        most, last, its = ratios[guests[first]] * _SAME, first, 0.0
        of_behind[:] = 0
        behind[0] = 1.0
        while last < count and ratios[guests[last]] <= most:
            guest = guests[last]
            part = parts[guest] / (parts[guest] + pace * (1.0 - parts[guest]))
            slowed[guest] = part
            join(everybody, of_all, part, vcpus[guest])
            join(behind, of_behind, part, vcpus[guest])
            its += part * vcpus[guest]
            last += 1
        undone = stand_behind(line, of_line, behind, of_behind, after, its, threads)
        for i in range(first, last):
            waits[guests[i]] = min(undone / its, 1.0) if its > 0.0 else 0.0
        asked, lost, first = asked + its, lost + undone, last
    alike = threads**_TAKING_TURNS
    lost_by_all, would_wait = lost_alike(everybody, of_all, asked, threads)
    # Cores are shared more than on average just when somebody waits.
    more = waiting / would_wait if would_wait > 0.0 else 1.0
    lost = more * ((1.0 - alike) * lost + alike * lost_by_all)
    # As much lost with nobody first: all runs take longer by the same factor.
    low, high = 0.0, 1.0
    while high < _MOST and lost_by(high, guests, slowed, vcpus) < lost:
        low, high = high, high * 2.0
    for _ in range(60):
        middle = (low + high) / 2.0
        if lost_by(middle, guests, slowed, vcpus) < lost:
            low = middle
        else:
            high = middle
    for i in range(count):
        part = slowed[guests[i]]
        behind_others = min(more * waits[guests[i]], 1.0)
        waits[guests[i]] = (1.0 - alike) * behind_others + alike * part * high / (1.0 + part * high)


@kernel
def wait_by_chance(
    parts: Any, vcpus: Any, ratios: Any, hosts: Any, order: Any, cores: Any, widths: Any, yields: Any, speeds: Any,
    slowed: Any, room: Any, ends: Any, waits: Any,
) -> None:  # fmt: skip
    """Write which part of their time the vCPUs of every guest wait for a thread, at each of some moments.

    Parameters
    ----------
    parts, ratios
        Shape (moments, guests): which part of the time each vCPU would run if it were alone; and how much the guest
        wants of what it would get if all wanted all.
    vcpus
        Of guests.
    hosts, order
        Shape (moments, guests): the host each is on, −1 if it is off; and the guests ordered by host, then by ratio.
    cores, widths, yields, speeds
        Of hosts: cores, threads of one, what a second thread adds, and what a thread does beside the hypervisor's own
        needs, a part of 1.
    slowed, room, ends
        Room: (guests,), (4, all vCPUs + 2) and (3, 2).
    waits
        Shape (moments, guests): what is written, parts of 1.
    """
    for moment in range(parts.shape[0]):
        first = 0
        while first < order.shape[1]:
            host, last = hosts[moment, order[moment, first]], first
            while last < order.shape[1] and hosts[moment, order[moment, last]] == host:
                last += 1
            if host >= 0 and cores[host] > 0:
                wait_on_host(
                    order[moment, first:last], parts[moment], vcpus, ratios[moment], cores[host],
                    cores[host] * widths[host], yields[host], speeds[host], slowed, room, ends,
                    waits[moment],
                )  # fmt: skip
            first = last
