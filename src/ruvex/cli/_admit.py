"""``ruvex admit``."""

from __future__ import annotations

import math
from dataclasses import asdict
from pathlib import Path

from ruvex.advise import Remedy, refusal_of, remedies_for
from ruvex.cli._document import print_document
from ruvex.cli._input import load_little, read_plan
from ruvex.plan import EditError, Plan, change_settings
from ruvex.promise import Refusal, hosts_that_take
from ruvex.site import site_of
from ruvex.words import chain_lines, holders_text, refusal_text

_ADMITTED, _REFUSED = 0, 1


def print_admission(path: Path, guest: str, *, as_json: bool) -> int:
    """Print whether a guest would power on, and if not, why not; gives the exit status.

    A guest that is on is looked at as if it were off.

    Raises
    ------
    PlanError, PlanFileError, EditError
        The plan cannot be used, or has no such guest.
    """
    file = read_plan(path)
    load_little(file.plan)
    if guest not in file.plan.guest_index:
        known = ", ".join(list(file.plan.guest_index)[:10])
        raise EditError(f"there is no guest {guest!r} in the plan; it has {known or 'none'}")
    was_on = file.plan.guests[file.plan.guest_index[guest]].is_powered
    site = site_of(change_settings(file.plan, guest, {"power": "off"}), file.traces)

    def power_on(plan: Plan) -> Plan:
        return change_settings(plan, guest, {"power": "on"})

    refusal = refusal_of(site, power_on, [guest], booting=[guest])
    remedies = remedies_for(site, power_on, [guest], booting=[guest]) if refusal else []
    hosts = [site.plan.hosts[at].id for at in hosts_that_take(site, guest)]
    if as_json:
        document = {"guest": guest, "was_on": was_on, "admitted": refusal is None, "hosts": hosts}
        document |= {"refusal": _refusal_json(refusal), "remedies": [asdict(remedy) for remedy in remedies]}
        print_document(document)
    else:
        _print_answer(file.plan, guest, refusal, remedies, was_on=was_on)
        if len(file.plan.hosts) > 1:
            labels = [file.plan.labels[host] for host in hosts]
            print(f"Hosts that would take it: {', '.join(labels) or 'none'}.")
    return _ADMITTED if refusal is None else _REFUSED


def _refusal_json(refusal: Refusal | None) -> dict[str, object] | None:
    if refusal is None:
        return None
    document = asdict(refusal)
    document["holders"] = [{"id": item, "amount": amount} for item, amount in refusal.holders]
    for tried in document["chain"]:
        tried["allowed"] = None if math.isinf(tried["allowed"]) else tried["allowed"]
    return document


def _print_answer(plan: Plan, guest: str, refusal: Refusal | None, remedies: list[Remedy], *, was_on: bool) -> None:
    label = plan.labels[guest]
    again = " (it is on; this is what would be if it were off)" if was_on else ""
    if refusal is None:
        print(f"{label} would power on{again}.")
        return
    print(f"{label} would not power on{again}: {refusal_text(plan, refusal)}.")
    print("Tried, upwards:")
    for line in chain_lines(plan, refusal):
        print(f"  {line}")
    if refusal.holders:
        print(f"Held by: {holders_text(plan, refusal)}")
    if remedies:
        print("It would with one of these:")
        for remedy in remedies:
            print(f"  {remedy.text}")
