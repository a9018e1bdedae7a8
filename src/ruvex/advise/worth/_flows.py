"""Stores, disks and links: who is short of transfers, and whom a limit holds back while the store idles."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise.worth._finding import Case, Finding, curve_of
from ruvex.advise.worth._tried import first_that_eases
from ruvex.divide import FlowPlace, Tap, place_label
from ruvex.placing import obstacle_to
from ruvex.plan import Guest, format_number
from ruvex.words import first_names, label_of

_MOST_TAKERS: Final = 3
_LEAST: Final = 0.01
_LONG: Final = 0.02
"""A store that is short for less of the day than this part is not told."""


def _labels(case: Case, taps: list[Tap]) -> list[str]:
    return list(dict.fromkeys(case.plan.labels[tap.guest] for tap in taps))


def short_flow(case: Case) -> Iterator[Finding]:
    """A store or the links of a host that cannot do all that is asked of it, now or later in the day."""
    recording = case.day.recording
    for number, place in enumerate(case.division.flowing.places):
        unit = "ops/s" if place.kind == "store" else "MiB/s"
        short = [tap for tap in place.taps if tap.lacks_here]
        name = place_label(case.plan, place.id)
        name = name[0].upper() + name[1:] if place.kind == "link" else name
        wanted = np.asarray(recording.of_flows("wanted")[number], dtype=np.float64)
        lacks = case.day_figures.flows_lack[number]
        curve, room = curve_of(wanted), place.supply - place.taken
        if short:
            parts = [tap.part_lacking for tap in short]
            lacking = max(parts)
            if lacking < _LEAST:
                continue
            taken = "paging" if place.kind == "store" else "moves"
            by = f", as {taken} takes {format_number(place.taken)} {unit} of it" if place.taken > _LEAST * room else ""
            yield Finding(
                f"short-{place.kind}", "hurts-now", (place.id.partition(":")[0], *(tap.guest for tap in short)),
                f"{name} {_falls_short(place)}: {first_names(_labels(case, short))} {_less(short, parts)}{by}",
                (("wanted", f"{format_number(place.wanted)} {unit}"), ("there is", f"{format_number(room)} {unit}")),
                lacking, _eased(case, place, short, case.division.at_s),
                values=(place.wanted, room), curve=curve, line=room,
            )  # fmt: skip
        elif wanted.size and (part := float((lacks > _LEAST * wanted + _LEAST).mean())) > _LONG:
            at_s = min(float(recording.times_s[int(np.argmax(lacks))]), case.plan.day_s)
            then = case.division_at(at_s).flowing.places[number]
            short = [tap for tap in then.taps if tap.lacks_here]
            whom = f": {first_names(_labels(case, short))} get{'s' if len(short) == 1 else ''} less" if short else ""
            yield Finding(
                f"short-{place.kind}", "will-hurt", (place.id.partition(":")[0], *(tap.guest for tap in short)),
                f"{name} {_falls_short(place)} for {100 * part:.0f} % of the day{whom}",
                (("wanted at most", f"{format_number(float(wanted.max()))} {unit}"),
                 ("there is", f"{format_number(room)} {unit}")), part, _eased(case, then, short, at_s),
                values=(float(wanted.max()), room), curve=curve, line=room,
            )  # fmt: skip


def _eased(case: Case, place: FlowPlace, short: Sequence[Tap], at_s: float) -> Remedy | None:
    """Give what leaves those who are short more: a disk or a guest moves away, or who takes most is limited."""
    if not short:
        return None
    lacking = sum(tap.lacks * tap.counts_as for tap in short)
    takers = sorted(place.taps, key=lambda tap: -tap.takes)[:_MOST_TAKERS]
    moves = _disks_moved(case, place, takers) if place.kind == "store" else _guests_moved(case, place, takers)
    names = {tap.guest for tap in short}
    found = first_that_eases(case, moves, place.kind, names, at_s)
    most = takers[0]
    if found is not None or len(names - {most.guest}) == 0 or most.takes <= lacking:
        return found
    # What is left is to take from who has most: that one pays, and the others have what he leaves.
    guest, less = (
        case.plan.guests[case.plan.guest_index[most.guest]],
        float(math.floor((most.takes - lacking) / most.counts_as)),
    )
    change: dict[str, Any] = {"link.limit_mib_s": max(less, 1.0)}
    if place.kind == "store":
        change = {"disks": _disks(guest, most.disk, {"limit_ops": max(less, 1.0)})}
    unit = "transfers a second" if place.kind == "store" else "MiB/s"
    limited = Remedy(f"{guest.label} is limited to {format_number(max(less, 1.0))} {unit}", ((guest.id, change),))
    return first_that_eases(case, (limited,), place.kind, names - {most.guest}, at_s)


def _disks(guest: Guest, disk: str, change: Mapping[str, Any]) -> list[dict[str, Any]]:
    """Give a guest's disks with one of them changed."""
    return [one.model_dump() | (dict(change) if one.id == disk else {}) for one in guest.disks]


def _disks_moved(case: Case, place: FlowPlace, takers: Sequence[Tap]) -> Iterator[Remedy]:
    """Put a disk onto another store, the one that takes most onto the one with most to spare first."""
    # A store that nobody uses yet is no place of the division, and has most to spare.
    used = {one.id: one.taken + one.delivered for one in case.division.flowing.places}
    others = sorted(
        (one for one in case.plan.stores if one.id != place.id), key=lambda one: used.get(one.id, 0) - one.ops
    )
    for tap in takers:
        guest = case.plan.guests[case.plan.guest_index[tap.guest]]
        for other in others[:_MOST_TAKERS]:
            disks = _disks(guest, tap.disk, {"store": other.id})
            yield Remedy(
                f"disk {tap.disk} of {guest.label} moves to {other.label}",
                ((guest.id, {"disks": disks}),),
            )


def _guests_moved(case: Case, place: FlowPlace, takers: Sequence[Tap]) -> Iterator[Remedy]:
    """Move a guest to a host with links to spare, the one that takes most first."""
    site, here = case.division.site, place.id.partition(":")[0]
    others = [one for one in case.division.flowing.places if one.kind == "link" and one.id != place.id]
    others.sort(key=lambda one: -one.idle)
    for tap in takers:
        for other in others[:_MOST_TAKERS]:
            to = other.id.partition(":")[0]
            if to != here and obstacle_to(site, [tap.guest], to) is None:
                label = label_of(case.plan, tap.guest)
                yield Remedy(f"{label} moves to {label_of(case.plan, to)}", ((tap.guest, {"host": to}),))


def _falls_short(place: FlowPlace) -> str:
    return "does too few transfers" if place.kind == "store" else "carry too little traffic"


def _less(short: list[Tap], parts: list[float]) -> str:
    """Say by how much each gets less: from the least to the most that anybody lacks."""
    least, most = round(100 * min(parts)), round(100 * max(parts))
    one = len({tap.guest for tap in short}) == 1
    much = f"{most}" if least == most else f"{least} to {most}"
    return f"get{'s' if one else ''} {much} % less than {'it asks' if one else 'they ask'} for"


def disk_limit(case: Case) -> Iterator[Finding]:
    """A guest whose work waits for a disk that its own limit holds back while its store has transfers to spare.

    Where several of its disks are held alike, one without a limit would wait for the next: all of them count.
    """
    places = {place.id: place for place in case.division.flowing.places if place.kind == "store"}
    held: dict[str, list[Tap]] = {}
    for place in places.values():
        for tap in place.taps:
            if tap.slowed_by == "own limit" and tap.part_lacking >= _LEAST:
                held.setdefault(tap.guest, []).append(tap)
    for its in held.values():
        needs = {tap.place: 0.0 for tap in its}
        for tap in its:
            needs[tap.place] += tap.lacks * tap.counts_as
        spare = {at: places[at].idle for at in needs}
        if any(spare[at] < need for at, need in needs.items()):
            continue
        tap = max(its, key=lambda one: one.lacks)
        guest, names = case.plan.guests[case.plan.guest_index[tap.guest]], {one.disk for one in its}
        disks = [one.model_dump() | ({"limit_ops": None} if one.id in names else {}) for one in guest.disks]
        store, several = place_label(case.plan, tap.place), len(its) > 1
        yield Finding(
            "disk-limit", "hurts-now", (tap.guest,),
            f"{guest.label} is held to {format_number(tap.limit)} transfers a second by"
            f" {f'limits of {len(its)} of its disks' if several else 'its own limit'} while"
            f" {store} has {format_number(spare[tap.place])} to spare",
            (("wanted", f"{format_number(tap.wanted)} ops/s"), ("limit", f"{format_number(tap.limit)} ops/s")),
            tap.part_lacking,
            Remedy(f"no limit on {'them' if several else 'the disk'}", ((tap.guest, {"disks": disks}),)),
            (tap.wanted, tap.limit), (tap.wanted, tap.wanted),
        )  # fmt: skip
