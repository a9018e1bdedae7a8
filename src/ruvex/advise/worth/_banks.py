"""Banks that are too small for the guests in them, in memory or in spill volumes."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise.worth._finding import Case, Finding
from ruvex.advise.worth._lacking import LEAST_S
from ruvex.advise.worth._tried import first_that_helps
from ruvex.plan import Bank, Guest, format_memory
from ruvex.site import FAR_TOO_LARGE, volume_need
from ruvex.words import counted, label_of, short_span


def _few_volumes(case: Case, host: str, bank: Bank, live: Sequence[Guest]) -> Iterator[Finding]:
    """Tell where a bank has too few spill volumes for its guests; every guest needs one of its own."""
    needs = sorted((volume_need(guest) for guest in live), reverse=True)
    sizes, missing = sorted((volume.mib for volume in bank.spill_volumes), reverse=True), list[float]()
    for need in needs:
        if sizes and sizes[0] >= need:
            sizes.pop(0)
        else:
            missing.append(need)
    if not missing:
        return
    taken = {volume.id for volume in bank.spill_volumes}
    names = (name for n in itertools.count(1) if (name := f"further-{n}") not in taken)
    wider = [volume.model_dump() for volume in bank.spill_volumes]
    wider += [
        {"id": name, "mib": need, "kind": "ssd", "shared": False} for name, need in zip(names, missing, strict=False)
    ]
    had = counted(len(bank.spill_volumes), "spill volume")
    more = (
        format_memory(missing[0]) if len(missing) == 1 else f"{len(missing)}, the largest {format_memory(missing[0])}"
    )
    yield Finding(
        "volumes-few", "will-hurt", (host,),
        f"The bank of {label_of(case.plan, host)} has {had} for {counted(len(needs), 'guest')}: missing is"
        f" {'one of ' if len(missing) == 1 else ''}{more}",
        (("guests", str(len(needs))), ("volumes", str(len(bank.spill_volumes)))), 0.4,
        Remedy(
            f"a volume of {format_memory(missing[0])}" if len(missing) == 1 else f"{len(missing)} volumes more",
            ((host, {"bank.spill_volumes": wider}),),
        ),
        (float(len(needs)), float(len(bank.spill_volumes))), (float(len(needs)), float(len(wider))),
    )  # fmt: skip


def _when_short(case: Case, guests: Sequence[int]) -> tuple[float, float]:
    """Give the time of day at which some guests together are furthest below their need of memory, and by which part."""
    need, lacks = (of("memory")[list(guests)].sum(axis=0) for of in (case.day_figures.wanted, case.day_figures.lacks))
    at = int(np.argmax(lacks))
    return float(case.day.recording.times_s[at]), float(lacks[at] / max(need[at], 1e-9))


def banks(case: Case) -> Iterator[Finding]:
    """A bank that is too small for its guests, too few volumes for them, a volume far larger than its guest needs."""
    plan, site = case.plan, case.division.site
    below = {one.id: one.below_s.get("bank", 0.0) for one in case.day.summary().guests}
    for number, host in enumerate(plan.hosts):
        bank = host.bank
        if bank is None:
            continue
        live = [guest for guest in plan.guests if guest.in_bank and case.host_of(plan.guest_index[guest.id]) == number]
        pressed = max((below[guest.id] for guest in live), default=0.0)
        if pressed >= LEAST_S:
            grow = Remedy(f"a bank of {format_memory(bank.max_mib)}", ((host.id, {"bank.size_mib": bank.max_mib}),))
            banked = [plan.guest_index[guest.id] for guest in live]
            worst_s, part = _when_short(case, banked)
            yield Finding(
                "bank-small", "will-hurt", (host.id,),
                f"The bank of {host.label} gives its guests less than they need for {short_span(pressed)} of the day",
                (("size", format_memory(bank.size_mib)), ("may be", format_memory(bank.max_mib))), part,
                first_that_helps(case, (grow,), "memory", banked, worst_s),
                (bank.size_mib, bank.max_mib), (bank.max_mib, bank.max_mib),
            )  # fmt: skip
        yield from _few_volumes(case, host.id, bank, live)
        for (at, volume_id), guest_id in site.standing.volumes.items():
            volume = next((one for one in bank.spill_volumes if one.id == volume_id), None)
            if at != host.id or volume is None:
                continue
            guest = plan.guests[plan.guest_index[guest_id]]
            need = volume_need(guest)
            if need > 0 and volume.mib > FAR_TOO_LARGE * need:
                smaller = [
                    one.model_dump() | ({"mib": need} if one.id == volume_id else {}) for one in bank.spill_volumes
                ]
                yield Finding(
                    "volume-large", "untidy", (host.id, guest_id),
                    f"{volume_id}, the spill volume of {guest.label} on {host.label}, is {volume.mib / need:.1f} times"
                    " what it can need",
                    (("volume", format_memory(volume.mib)), ("can need", format_memory(need))), 0.1,
                    Remedy(f"a volume of {format_memory(need)}", ((host.id, {"bank.spill_volumes": smaller}),)),
                    (volume.mib, need), (need, need),
                )  # fmt: skip
