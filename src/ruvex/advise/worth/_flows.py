"""Stores, disks and links: who is short of transfers, and whom a limit holds back while the store idles."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Final

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise.worth._finding import Case, Finding, curve_of
from ruvex.divide import FlowPlace, Tap, place_label
from ruvex.plan import format_number

_MOST_NAMED: Final = 3
_LEAST: Final = 0.01
_LONG: Final = 0.02
"""A store that is short for less of the day than this part is not told."""


def _named(labels: list[str]) -> str:
    more = f" and {len(labels) - _MOST_NAMED} more" if len(labels) > _MOST_NAMED else ""
    return ", ".join(labels[:_MOST_NAMED]) + more


def _labels(case: Case, taps: list[Tap]) -> list[str]:
    return list(dict.fromkeys(case.plan.guests[case.plan.guest_index[tap.guest]].label for tap in taps))


def short_flow(case: Case) -> Iterator[Finding]:
    """A store or the links of a host that cannot do all that is asked of it, now or later in the day."""
    recording = case.day.recording
    for number, place in enumerate(case.division.flowing.places):
        unit = "ops/s" if place.kind == "store" else "MiB/s"
        short = [tap for tap in place.taps if tap.lacks_here]
        name = place_label(case.plan, place.id)
        name = name[0].upper() + name[1:] if place.kind == "link" else name
        wanted = np.asarray(recording.of_flows("wanted")[number], dtype=np.float64)
        had = np.asarray(recording.of_flows("delivered")[number], dtype=np.float64)
        curve, room = curve_of(wanted), place.supply - place.taken
        if short:
            lacking = sum(tap.wanted - tap.delivered for tap in short) / max(sum(tap.wanted for tap in short), 1e-9)
            if lacking < _LEAST:
                continue
            taken = "paging" if place.kind == "store" else "moves"
            by = f", as {taken} takes {format_number(place.taken)} {unit} of it" if place.taken > _LEAST * room else ""
            yield Finding(
                f"short-{place.kind}", "hurts-now", (place.id.partition(":")[0], *(tap.guest for tap in short)),
                f"{name} {_falls_short(place)}: {_named(_labels(case, short))} {_less(short, lacking)}{by}",
                (("wanted", f"{format_number(place.wanted)} {unit}"), ("there is", f"{format_number(room)} {unit}")),
                lacking, values=(place.wanted, room), curve=curve, line=room,
            )  # fmt: skip
        elif wanted.size and float((wanted > had * (1 + _LEAST) + _LEAST).mean()) > _LONG:
            part = float((wanted > had * (1 + _LEAST) + _LEAST).mean())
            yield Finding(
                f"short-{place.kind}", "will-hurt", (place.id.partition(":")[0],),
                f"{name} {_falls_short(place)} for {100 * part:.0f} % of the day",
                (("wanted at most", f"{format_number(float(wanted.max()))} {unit}"),
                 ("there is", f"{format_number(room)} {unit}")), part,
                values=(float(wanted.max()), room), curve=curve, line=room,
            )  # fmt: skip


def _falls_short(place: FlowPlace) -> str:
    return "does too few transfers" if place.kind == "store" else "carry too little traffic"


def _less(short: list[Tap], lacking: float) -> str:
    return f"get{'s' if len({tap.guest for tap in short}) == 1 else ''} {100 * lacking:.0f} % less than they ask for"


def disk_limit(case: Case) -> Iterator[Finding]:
    """A disk that its own limit holds back while its store has transfers to spare."""
    for place in case.division.flowing.places:
        spare = place.supply - place.taken - place.delivered
        for tap in place.taps:
            lacking = tap.wanted - tap.delivered
            if place.kind != "store" or tap.slowed_by != "own limit" or lacking < _LEAST * tap.wanted:
                continue
            if spare < lacking:
                continue
            guest = case.plan.guests[case.plan.guest_index[tap.guest]]
            disks: list[dict[str, Any]] = [
                disk.model_dump() | ({"limit_ops": None} if disk.id == tap.disk else {}) for disk in guest.disks
            ]
            store = place_label(case.plan, place.id)
            yield Finding(
                "disk-limit", "hurts-now", (tap.guest,),
                f"{guest.label} is held to {format_number(tap.limit)} transfers a second by its own limit while"
                f" {store} has {format_number(spare)} to spare",
                (("wanted", f"{format_number(tap.wanted)} ops/s"), ("limit", f"{format_number(tap.limit)} ops/s")),
                lacking / tap.wanted, Remedy("no limit on the disk", ((tap.guest, {"disks": disks}),)),
                (tap.wanted, tap.limit), (tap.wanted, tap.wanted),
            )  # fmt: skip
