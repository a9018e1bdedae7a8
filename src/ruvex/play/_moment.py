"""A moment of a play as a division: the same columns and rows, with the figures that were played."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import MOMENTS, Asked, Day, Division, Solved, demand_at, is_bank_full, played_causes, solve
from ruvex.engine import rows as r
from ruvex.engine.rows import FLOW_CHANNELS
from ruvex.play._player import Player
from ruvex.play._state import PHASES
from ruvex.site import Site, Volumes, disks_of

Floats = NDArray[np.float64]

_ALMOST: Final = 1e-9
_ROUNDING: Final = 1e-5
"""A recording keeps seven digits, and a sum over a host's guests has the rounding of all of them."""
_BOOTING: Final = PHASES.index("booting")
_LAYERS: Final = {
    "shared": r.M_SHARED, "balloon": r.M_BALLOON, "squeezed": r.M_SQUEEZED, "spilled": r.M_SPILLED,
    "backed": r.M_BACKED, "visible": r.M_VISIBLE, "working": r.M_WORKING, "self_paged": r.M_SELF_PAGED,
    "cache": r.M_CACHE, "pace": r.M_PACE, "need": r.M_NEED, "met": r.M_MET, "cpu_wanted": r.M_CPU_WANTED,
}  # fmt: skip


def division_at(player: Player, at_s: float) -> Division | None:
    """Give what a play had at a time, as a division.

    Settings, hosts and who was on are those of the recorded row; what each guest wants, gets and has in memory is what
    was recorded, and pools and places are sums of that. Only what has no history (weights, levels, what pools ask for)
    is worked out as it would settle.

    Parameters
    ----------
    at_s
        Seconds since the start of the day; the recorded row at or before it counts.

    Returns
    -------
    Division
        None where nothing is recorded of that time.
    """
    recording = player.recording
    if at_s > player.now_s or recording.rows == 0:
        return None
    row = recording.row_at(at_s)
    names = (*_LAYERS, "cpu_delivered", *FLOW_CHANNELS)
    was = {name: np.asarray(recording.series(name)[:, row], dtype=np.float64) for name in names}
    phase, cause = (np.asarray(recording.series(name)[:, row], dtype=np.int64) for name in ("phase", "cause"))
    # Everybody stands where he stood when the row was recorded: who has gone to another host since, and before the
    # time that is looked at, would have there what he had on the old one.
    recorded_s = math.ceil(row * recording.every_s / player.tick_s - _ALMOST) * player.tick_s
    # The site of a play stands as the play does by now: a host that was lost since then was still up.
    site = player.site.with_plan(player.plan_at(recorded_s, (phase >= _BOOTING).tolist())).standing_as_planned()
    site = _standing_then(site, phase == _BOOTING, player.volumes_at(recorded_s))
    touched = np.where(
        site.guests[r.G_MODE] == r.THIN,
        was["backed"] + was["shared"] + was["balloon"] + was["squeezed"] + was["spilled"],
        was["backed"],
    )
    asked = np.stack((
        was["cpu_wanted"], was["working"], np.maximum(touched, was["working"]), was["ops_wanted"],
        was["net_wanted_mib_s"],
    ))  # fmt: skip
    solved = _settled(site, Asked(asked))
    for at, name in enumerate(FLOW_CHANNELS):
        solved.flowing[at] = was[name]
    layers = solved.layers
    on = site.standing.on
    for channel, to in _LAYERS.items():
        layers[to] = np.where(on, was[channel], 1.0 if to == r.M_PACE else 0.0)
    layers[r.M_TOUCHED] = np.where(on, touched, 0.0)
    _give(solved, np.where(on, was["cpu_delivered"], 0.0), recording.of_places("given")[:, row])
    _supply(solved, player, row)
    behind = _behind(site, at_s, was["cpu_wanted"], was["pace"])
    division = Division(solved, at_s, is_played=True, behind_of_guests=behind)
    division.causes["memory"] = played_causes(division, np.where(on, cause, 0))
    return division


def _standing_then(site: Site, booting: NDArray[np.bool_], volumes: Volumes) -> Site:
    """Let those boot who did, and volumes serve whom they served: the plan would hand them out at midnight."""
    standing = site.standing
    of_guests = standing.of_guests.copy()
    of_guests[r.S_BOOTING] = booting & standing.on
    if volumes != standing.volumes:
        on_hdd = disks_of(site.plan, site.hosts, standing.host, volumes)
        standing = replace(standing, volumes=volumes, on_hdd=on_hdd)
    if (of_guests[r.S_BOOTING] != standing.of_guests[r.S_BOOTING]).any():
        standing = replace(standing, of_guests=of_guests)
    return site.standing_as(standing)


def played_day(player: Player, *, moments: int = MOMENTS) -> Day:
    """Sum up what guests wanted against what there was, at evenly spaced moments of a day that was played.

    What ``division_at`` has of those moments, work that is behind included; all hosts together stand as one.

    Parameters
    ----------
    player
        A play; what it has not played yet is as it stands last.
    moments
        How many, both ends of the day included.
    """
    recording, site = player.recording, player.site
    times = np.linspace(0.0, site.plan.day_s, moments)
    found = np.zeros((2, 2, 1, moments))
    if recording.rows == 0:
        return Day(times, found, np.zeros(moments, dtype=np.bool_))
    rows = np.array([recording.row_at(at_s) for at_s in times.tolist()], dtype=np.int64)
    on = recording.series("phase")[:, rows] >= _BOOTING

    def of(channel: str) -> Floats:
        return np.where(on, recording.series(channel)[:, rows], 0.0)

    mode, guests = site.guests[r.G_MODE][:, None], site.guests
    own = of("backed") + of("balloon") + of("squeezed") + of("spilled")
    thin = np.maximum(own, of("working") - of("shared"))
    elastic = of("working") * (1 + guests[r.G_HEADROOM][:, None])
    memory = np.where(mode == r.THIN, thin, np.where(mode == r.ELASTIC, elastic, on * guests[r.G_SIZE][:, None]))
    hosts = site.hosts.shape[1]
    found[0, 0, 0], found[0, 1, 0] = of("cpu_wanted").sum(axis=0), memory.sum(axis=0)
    found[1, 0, 0] = recording.of_places("cpu_supply")[:hosts, rows].sum(axis=0)
    supply = recording.of_places("memory_supply")[:, rows]
    found[1, 1, 0] = supply.sum(axis=0)
    home = site.forest.place_of[1] - 2 * hosts
    of_banks = [memory[home == bank].sum(axis=0) for bank in range(site.forest.banks.size)]
    wanted = np.array(of_banks).reshape(-1, moments)
    return Day(times, found, is_bank_full(wanted, np.asarray(supply[hosts:], dtype=np.float64)))


def _behind(site: Site, at_s: float, wanted: Floats, pace: Floats) -> Floats:
    """Give what of the CPU that batch work wants is left from earlier: what exceeds its demand of that time, MHz."""
    asked = demand_at(site, at_s).values[r.W_CPU] / np.maximum(pace, 1e-6)
    is_batch = (site.guests[r.G_BATCH] > 0) & site.standing.on
    return np.where(is_batch, np.maximum(wanted - asked, 0.0), 0.0)


def _settled(site: Site, demand: Asked) -> Solved:
    """Divide a site whose guests want what they were seen to want: their work is not to be reckoned in once more."""
    guests = site.guests.copy()
    guests[[r.G_BATCH, r.G_GREEDY]] = 0.0
    return replace(solve(replace(site, guests=guests), demand), site=site)


def _give(solved: Solved, cpu: Floats, of_places: NDArray[np.float32]) -> None:
    """Put down what guests were given, and the sums of that at every pool.

    Where promises cannot be kept, guests hold less than they are promised: no more in all than each place had given.
    """
    site, trees, asks, layers = solved.site, solved.site.forest.trees, solved.asks, solved.layers
    thin = site.guests[r.G_MODE] == r.THIN
    given = layers[r.M_BACKED] + np.where(thin, layers[r.M_SQUEEZED] / site.rules[r.R_RATIO], 0.0)
    slots = trees.guest_slots
    here = slots[1] >= 0
    floors = np.zeros(given.size)
    floors[here] = np.minimum(asks[r.A_FLOOR, slots[1, here]], asks[r.A_GIVEN, slots[1, here]])
    # What a thin guest has reserved and not touched is nobody else's.
    memory = np.where(thin, np.maximum(given, floors), given)
    place, hosts = site.forest.place_of[1], site.hosts.shape[1]
    there = site.standing.on & (place >= 0)
    held, had = (
        np.bincount(place[there], of[there], minlength=hosts + of_places.size)[hosts:] for of in (memory - given, given)
    )
    part = np.clip(np.divide(of_places - had, held, out=np.ones(held.size), where=held > 0), 0.0, 1.0)
    # A recording has seven digits: what differs by less is all of it.
    part[held - (of_places - had) <= _ROUNDING * of_places + _ROUNDING] = 1.0
    memory[there] = given[there] + (memory - given)[there] * part[np.maximum(place[there] - hosts, 0)]
    layers[r.M_HELD] = memory - given
    for k, amounts in ((0, cpu), (1, memory)):
        there = slots[k] >= 0
        asks[r.A_GIVEN, slots[k, there]] = amounts[there]
    nodes = trees.nodes
    for node in range(nodes.shape[1] - 1, -1, -1):
        if nodes[r.N_SLOT, node] >= 0:
            members = slice(nodes[r.N_FIRST, node], nodes[r.N_LAST, node])
            asks[r.A_GIVEN, nodes[r.N_SLOT, node]] = asks[r.A_GIVEN, members].sum()


def _supply(solved: Solved, player: Player, row: int) -> None:
    """Put down what every place had."""
    recording, values = player.recording, solved.values
    hosts = solved.site.hosts.shape[1]
    values[r.Q_SUPPLY, hosts:] = recording.of_places("memory_supply")[:, row]
    values[r.Q_KEPT, hosts:] = recording.of_places("kept")[:, row]
    values[r.Q_PRESSURE, hosts:] = recording.of_places("pressure")[:, row]
    values[r.Q_SUPPLY, :hosts] = recording.of_places("cpu_supply")[:hosts, row]
