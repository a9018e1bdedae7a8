"""What is counted while a plan plays: in whole ticks, and only where something changes.

So it comes to the same bits whether quiet ticks are worked out or passed over.
"""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._jit import kernel, part

"""A want that is met but for this part of it is met."""


@part
def _lacks_memory(guest: int, values: Any, codes: Any) -> bool:
    """Tell whether a guest is short of memory: below its need, or of a size too small for what it works with.

    Both stand from one look to the next, so that it is the same whenever it is asked in between.
    """
    return 1.0 - values[r.X_MET, guest] > r.SHORT_PART or codes[r.C_CAUSE, guest] == r.OWN_SIZE


@part
def _count_short(guest: int, tick: int, values: Any, codes: Any, of_guests: Any) -> None:
    """Count up to a tick how long a guest has been short of anything, before any of what it has becomes another."""
    ticks = tick - codes[r.C_SHORT_SINCE, guest]
    codes[r.C_SHORT_SINCE, guest] = tick
    if ticks <= 0 or codes[r.C_PHASE, guest] < r.BOOTING:
        return
    wanted = values[r.X_WANTED, guest]
    is_short = wanted - values[r.X_DELIVERED, guest] > r.SHORT_PART * wanted
    is_short = is_short or _lacks_memory(guest, values, codes)
    for row in range(0, 4, 2):
        wanted = values[r.X_OPS_WANTED + row, guest]
        is_short = is_short or wanted - values[r.X_OPS_WANTED + row + 1, guest] > r.SHORT_PART * wanted
    if is_short:
        of_guests[r.Y_SHORT, guest] += ticks


@part
def count_cpu(guest: int, tick: int, values: Any, codes: Any, sums: Any) -> None:
    """Count a guest's CPU up to a tick, before it becomes another."""
    of_guests, by_cause, of_places = sums
    _count_short(guest, tick, values, codes, of_guests)
    ticks = tick - codes[r.C_CPU_SINCE, guest]
    codes[r.C_CPU_SINCE, guest] = tick
    if ticks <= 0 or codes[r.C_PHASE, guest] < r.BOOTING:
        return
    wanted, delivered = values[r.X_WANTED, guest], values[r.X_DELIVERED, guest]
    of_guests[r.Y_ON, guest] += ticks
    of_guests[r.Y_WANTED, guest] += wanted * ticks
    of_guests[r.Y_DELIVERED, guest] += min(delivered, wanted) * ticks
    if wanted - delivered > r.SHORT_PART * wanted:
        of_guests[r.Y_UNMET, guest] += ticks
    is_lacking = False
    for row in range(0, 4, 2):
        wanted, delivered = values[r.X_OPS_WANTED + row, guest], values[r.X_OPS_WANTED + row + 1, guest]
        of_guests[r.Y_OPS_WANTED + row, guest] += wanted * ticks
        of_guests[r.Y_OPS_WANTED + row + 1, guest] += delivered * ticks
        if wanted - delivered > r.SHORT_PART * wanted:
            of_guests[r.Y_OPS_UNMET + row // 2, guest] += ticks
            is_lacking = True
    if is_lacking:
        of_guests[r.Y_FLOW_UNMET, guest] += ticks


@part
def count_memory(guest: int, tick: int, guests: Any, values: Any, codes: Any, sums: Any) -> None:
    """Count a guest's memory up to a tick, before it becomes another."""
    of_guests, by_cause, of_places = sums
    _count_short(guest, tick, values, codes, of_guests)
    ticks = tick - codes[r.C_MEMORY_SINCE, guest]
    codes[r.C_MEMORY_SINCE, guest] = tick
    if ticks <= 0 or codes[r.C_PHASE, guest] < r.BOOTING:
        return
    by_cause[codes[r.C_CAUSE, guest] if _lacks_memory(guest, values, codes) else r.NO_CAUSE, guest] += ticks
    of_guests[r.Y_PEAK, guest] = max(of_guests[r.Y_PEAK, guest], values[r.X_BACKED, guest])
    if codes[r.C_PHASE, guest] == r.RUNNING:
        of_guests[r.Y_PACE, guest] = min(of_guests[r.Y_PACE, guest], values[r.X_PACE, guest])
        of_guests[r.Y_MET, guest] = min(of_guests[r.Y_MET, guest], values[r.X_MET, guest])
    if guests[r.G_MODE, guest] == r.ELASTIC:
        of_guests[r.Y_WAS_ELASTIC, guest] = 1.0
        of_guests[r.Y_OTHERWISE, guest] += guests[r.G_OTHERWISE, guest] * ticks
        of_guests[r.Y_SAVED, guest] += (guests[r.G_OTHERWISE, guest] - values[r.X_BACKED, guest]) * ticks


@kernel
def count_place(place: int, tick: int, place_values: Any, sums: Any) -> None:
    """Count a place's memory up to a tick, before it becomes another; that of a host which is down is not there."""
    of_guests, by_cause, of_places = sums
    ticks = tick - of_places[r.U_SINCE, place]
    of_places[r.U_SINCE, place] = tick
    if ticks > 0 and place_values[r.Q_SUPPLY, place] > 0.0:
        of_places[r.U_AMPLE + int(place_values[r.Q_PRESSURE, place]), place] += ticks
        of_places[r.U_FREE, place] += place_values[r.Q_FREE, place] * ticks
        of_places[r.U_LEAST, place] = min(of_places[r.U_LEAST, place], place_values[r.Q_FREE, place])
        of_places[r.U_TICKS, place] += ticks


@kernel
def count_unmet(place: int, tick: int, is_unmet: float, sums: Any) -> None:
    """Count how long a host has had too little CPU for somebody on it."""
    of_guests, by_cause, of_places = sums
    if of_places[r.U_IS_UNMET, place] > 0.0:
        of_places[r.U_UNMET, place] += tick - of_places[r.U_UNMET_SINCE, place]
    of_places[r.U_UNMET_SINCE, place] = tick
    of_places[r.U_IS_UNMET, place] = is_unmet


@kernel
def count_all(tick: int, guests: Any, values: Any, codes: Any, places: Any, place_values: Any, sums: Any) -> None:
    """Count everything up to a tick."""
    for guest in range(guests.shape[1]):
        count_cpu(guest, tick, values, codes, sums)
        count_memory(guest, tick, guests, values, codes, sums)
    for place in range(places.shape[1]):
        count_place(place, tick, place_values, sums)
        count_unmet(place, tick, sums[2][r.U_IS_UNMET, place], sums)
