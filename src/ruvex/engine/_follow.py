"""What the work inside guests does to memory between two looks, equal pages, and banks that are resized.

Sections 5 and 6 of docs/model.md.
"""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._asks import share_pages
from ruvex.engine._jit import kernel


@kernel
def follow_work(now: Any, elapsed_s: float, guests: Any, standing: Any, rules: Any, values: Any, codes: Any) -> bool:
    """Bring working sets and touched pages up to what the work asks for; tells whether they are still on their way."""
    moves = False
    for guest in range(guests.shape[1]):
        if standing[r.S_ON, guest] == 0:
            continue
        mode, size = guests[r.G_MODE, guest], guests[r.G_SIZE, guest]
        runs = codes[r.C_PHASE, guest] == r.RUNNING
        working = now[r.W_WORKING, guest]
        if guests[r.G_GREEDY, guest] > 0.0:
            hoard = values[r.X_HOARD, guest]
            if runs:
                most = (1.0 - guests[r.G_LEAVES, guest]) * (values[r.X_GIVEN, guest] if mode == r.ELASTIC else size)
                grown = max(hoard, min(hoard + rules[r.R_GREEDY] * elapsed_s, most))
                moves = moves or grown != hoard
                values[r.X_HOARD, guest] = grown
            else:
                values[r.X_HOARD, guest] = 0.0
            working = max(working, values[r.X_HOARD, guest])
        values[r.X_WORKING, guest] = working
        part = guests[r.G_CACHE, guest]
        if mode == r.THIN:
            touched = max(values[r.X_TOUCHED, guest], min(size, max(working, now[r.W_TOUCHED, guest])))
            if part > 0.0 and runs:
                goal = min(size, working + part * max(size - working, 0.0))
                if touched < goal:
                    touched = min(touched + rules[r.R_CACHE] * elapsed_s, goal)
                    moves = True
            values[r.X_TOUCHED, guest] = touched
            values[r.X_CACHE, guest] = min(max(0.0, touched - working), part * max(0.0, size - working))
        elif part > 0.0:
            spare = max(0.0, values[r.X_GIVEN, guest] - working)
            goal = min(spare, part * max(0.0, values[r.X_VISIBLE, guest] - working)) if runs else 0.0
            cache = min(goal, values[r.X_CACHE, guest] + rules[r.R_CACHE] * elapsed_s)
            moves = moves or cache != values[r.X_CACHE, guest]
            values[r.X_CACHE, guest] = cache
    return moves


@kernel
def share(
    elapsed_s: float, guests: Any, numbers: Any, standing: Any, images: int, hosts: Any, rules: Any, values: Any,
    could: Any, copies: Any, pages: Any,
) -> bool:  # fmt: skip
    """Find equal pages, and split what is no longer equal at once; ``copies`` of every host are written."""
    if images == 0:
        copies[:] = 0.0
        return False
    moves = False
    share_pages(values[r.X_TOUCHED], could, guests, numbers, standing, images, hosts, copies, pages)
    pages[:] = 0.0
    for guest in range(guests.shape[1]):
        if standing[r.S_ON, guest] == 0:
            continue
        shared = values[r.X_SHARED, guest]
        covered = values[r.X_BALLOON, guest] + values[r.X_SQUEEZED, guest] + values[r.X_SPILLED, guest]
        room = max(values[r.X_TOUCHED, guest] - shared - covered, 0.0) if guests[r.G_MODE, guest] == r.THIN else 0.0
        found = min(could[guest], shared + min(rules[r.R_SHARING] * elapsed_s, room))
        moves = moves or found != shared
        values[r.X_SHARED, guest] = found
        if found > 0.0:
            host, image = standing[r.S_HOST, guest], numbers[r.I_IMAGE, guest]
            pages[1, host, image] = max(pages[1, host, image], found)
    for host in range(hosts.shape[1]):
        copies[host] = 0.0
        for image in range(images):
            copies[host] += pages[1, host, image]
    return moves


@kernel
def resize_banks(hosts: Any, places: Any, place_values: Any, taken: Any) -> bool:
    """Let banks that are resized follow as far as there is memory for it; tells whether one is still on its way."""
    moves, count = False, hosts.shape[1]
    for place in range(2 * count, places.shape[1]):
        host = places[r.L_HOST, place]
        goal, size = hosts[r.H_BANK, host], place_values[r.Q_SIZE, place]
        if goal != size:
            free = max(0.0, place_values[r.Q_FREE, count + host] - place_values[r.Q_WAITING, count + host])
            grown = max(min(goal, size + free), min(taken[place], size))
            moves = moves or grown != size
            place_values[r.Q_SIZE, place] = grown
    return moves
