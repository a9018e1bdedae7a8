"""Laws of questions: each is answered on every plan; what fits can be added; a loss is the plan with its host down."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.advise import room_for, without_host
from ruvex.divide import CONTENDED, divide
from ruvex.engine import rows as r
from ruvex.exchange import TABLE_KINDS, give_out, read_brought, with_brought
from ruvex.ledger import LookFigures, falls_short
from ruvex.plan import (
    EditError,
    Guest,
    HostEvent,
    Plan,
    PlanError,
    add_events,
    change_many,
    parse_time,
    read_plan,
)
from ruvex.play import Player
from ruvex.play import happenings as h
from ruvex.promise import claims_of, refusal_between
from ruvex.site import site_of
from tests.advise.test_room import with_more
from tests.cli.inside import run
from tests.exchange.test_table import settled
from tests.laws.case import Case
from tests.play.site import AT_ONCE

ASKED = 5
"""So many commands are asked of each plan, drawn by its seed: over many plans each is asked on all kinds of them."""
_MOST_ADDED = 9
_RECORD_S = 5.0
_QUIET = {"demand.greedy": False, "demand.kind": "interactive", "boot_s": 0.0}
"""Work that is the same at all times: greedy work fills its memory bit by bit, and late batch work asks for more."""


def answered(case: Case) -> Iterator[str]:
    """Every question is answered or refused in words, as text and as JSON without a number that is none."""
    with case.written() as path:
        chance = random.Random(case.seed)
        for command in chance.sample(_commands(case.plan, path, chance), ASKED):
            for form in ((), ("--json",)):
                done = run(*command, *form)
                asked = " ".join((*command[:1], *command[2:], *form))
                if done.returncode not in (0, 1, 2) or "Traceback" in done.stdout + done.stderr:
                    yield f"{asked}: status {done.returncode}, {done.stderr.strip()[-300:]}"
                elif done.returncode == 2 and not done.stderr.strip():
                    yield f"{asked}: refused without a word"
                elif done.returncode < 2 and not done.stdout.strip():
                    yield f"{asked}: answered by nothing"
                elif done.returncode < 2 and form:
                    try:
                        json.loads(done.stdout, parse_constant=_no_number)
                    except ValueError as error:
                        yield f"{asked}: {error}"


def _no_number(word: str) -> float:
    raise ValueError(f"{word} stands in the document")


def _commands(plan: Plan, path: Path, chance: random.Random) -> Sequence[tuple[str, ...]]:
    """Give every command that answers a question, about a guest and a host of the plan, or about one that is not."""
    guest = chance.choice(plan.guests).id if plan.guests else "nobody"
    host = chance.choice(plan.hosts).id if plan.hosts else "nowhere"
    at, p = chance.choice(("00:00", "08:30", "23:59")), str(path)
    return (
        ("divide", p, "--at", at), ("divide", p, "--by-host"), ("divide", p, "--why", guest), ("admit", p, guest),
        ("check", p), ("findings", p), ("room", p, "--like", guest), ("room", p, "--vcpus", "2", "--memory", "2 GiB"),
        ("without", p), ("without", p, host, "--at", at), ("without", p, host, "--empty"), ("places", p),
        ("sizes", p), ("sizes", p, guest), ("owners", p), ("cores", p, "--host", host, "--for", "0.3"), ("run", p),
        ("run", p, "--until", "00:30"), ("days", p, "--days", "2"),
        ("sweep", p, "--set", f"{guest}:cpu.shares=50..200:2", "--watch", f"{guest}:short"),
        ("beside", p, p), ("beside", p, "--rule", "idle_counts_as=2"),
    )  # fmt: skip


def fits(case: Case) -> Iterator[str]:
    """What fits on a host is exact: so many can be added as it says, and one more cannot, on paper and in need."""
    guests = [guest for guest in case.plan.guests if not guest.in_bank]
    if not guests or not case.plan.hosts:
        return
    pattern = random.Random(case.seed).choice(guests).model_copy(update={"power": "on"})
    # Whoever names no host goes to the roomiest: with more guests there that would be another one.
    hosts = [case.plan.hosts[at].id if at >= 0 else None for at in case.site.standing.host.tolist()]
    stays = [guest.model_copy(update={"host": at}) for guest, at in zip(case.plan.guests, hosts, strict=True)]
    case = Case(case.plan.model_copy(update={"guests": tuple(stays)}), case.seed)
    site = case.site
    try:
        found = room_for(site, pattern)
    except EditError:
        return
    before, at_s = claims_of(site), found.at_s
    for one in found.hosts:
        for count in {one.paper, one.paper + 1} - {0}:
            if count > _MOST_ADDED or one.rule:
                continue
            after = site.with_plan(with_more(case.plan, pattern, one.host, count))
            ids = [f"copy{i}" for i in range(count)]
            refusal = refusal_between(before, claims_of(after, booting=ids[-1:]), ids)
            if (refusal is None) != (count == one.paper):
                yield f"{one.host} takes {one.paper} like {pattern.id} on paper, and {count} are {refusal or 'taken'}"
        for count in {one.now, one.now + 1} - {0}:
            if count > _MOST_ADDED or one.rule or (count > one.now and one.lacks_now is None):
                continue
            who = _worse_off(case, pattern, one.host, count, at_s)
            if bool(who) != (count > one.now):
                yield f"{one.host} takes {one.now} like {pattern.id} in need, and of {count} lacks: {who or 'nobody'}"


def _worse_off(case: Case, pattern: Guest, host: str, count: int, at_s: float) -> str:
    """Name somebody who is short of something with so many more guests on a host, by more than without them."""
    after = LookFigures(divide(case.site.with_plan(with_more(case.plan, pattern, host, count)), at_s))
    before = LookFigures(divide(case.site, at_s))
    there = before.division.site.plan.guest_index
    for of in CONTENDED:
        wanted, lacks, lacked = after.wanted(of).values, after.lacks(of).values, before.lacks(of).values
        for i, guest in enumerate(after.division.site.plan.guests):
            was = float(lacked[there[guest.id]]) if guest.id in there else 0.0
            if falls_short(float(lacks[i]) - was, float(wanted[i])):
                return guest.id
    return ""


def lost(case: Case) -> Iterator[str]:
    """Without a host is the plan with that host down from then on: who is back where and when, and who stays off."""
    plan, chance = case.plan, random.Random(case.seed)
    if len(plan.hosts) < 2 or not plan.guests:
        return
    host, at_s = chance.choice(plan.hosts).id, chance.choice((0.0, 3600.0, plan.moment))
    told = without_host(case.site, host, at_s)
    down = add_events(plan, [HostEvent(at=told.at_s, do="host-down", target=host)])
    played = Player(case.site.with_plan(down), until_s=told.at_s + told.watched_s, record_s=600.0)
    played.run()
    phase = {guest.id: int(played.state.phase[i]) for i, guest in enumerate(plan.guests)}
    where = {guest.id: int(played.state.host[i]) for i, guest in enumerate(plan.guests)}
    boots = {entry.target: entry.at_s for entry in played.log if entry.what is h.Plain.BOOTED}
    for one in told.back:
        if phase[one.guest] != r.RUNNING or plan.hosts[where[one.guest]].id != one.host:
            yield f"without {host}, {one.guest} is told to be back on {one.host}, and it is not"
        elif not -_RECORD_S <= told.at_s + one.after_s - boots[one.guest] <= 2 * _RECORD_S:
            yield f"without {host}, {one.guest} is told back after {one.after_s:g} s; booted at {boots[one.guest]:g} s"
    for guest in told.off:
        if phase[guest] >= r.BOOTING:
            yield f"without {host}, {guest} is told to stay off, and it is on"
    for guest in told.booting:
        if phase[guest] != r.BOOTING:
            yield f"without {host}, {guest} is told to boot still, and does not"
    names = [*(one.guest for one in told.back), *told.off, *told.booting]
    if len(set(names)) != len(names):
        yield f"without {host}, somebody is told of twice: {names}"


def rest(case: Case) -> Iterator[str]:
    """With a demand that does not change and everything at once, what is played is what settles."""
    plan = _still(case)
    if plan is None:
        return
    site = site_of(plan, case.traces)
    player = Player(site)
    player.run()
    division = divide(player.site, player.now_s, demand=player.demand)
    running = np.flatnonzero(player.state.phase == r.RUNNING).tolist()
    if not running or (player.state.phase == r.BOOTING).any():
        return
    for i in running:
        guest = plan.guests[i]
        cpu, host = float(player.state.delivered[i]), max(int(player.state.host[i]), 0)
        supply = float(player.ticks.place_values[r.Q_SUPPLY, host])
        wished = float(division.cpu.given[i])
        if guest.demand.kind != "batch" and abs(cpu - wished) > 1e-5 * max(1.0, supply):
            yield f"{guest.id} is played {cpu:g} MHz, and settles at {wished:g}"
        memory = float(division.memory.given[i]) - float(division.solved.layers[r.M_HELD, i])
        there = float(player.ticks.place_values[r.Q_SUPPLY, player.site.forest.place_of[1, i]])
        if abs(float(player.state.given[i]) - memory) > 1e-4 * max(1.0, there) + 1e-3:
            yield f"{guest.id} is played {player.state.given[i]:g} MiB, and settles at {memory:g}"


def _still(case: Case) -> Plan | None:
    """Give a plan whose demands stand as they are at its start, with nothing happening and all moving at once."""
    plan, signals = case.plan, case.site.signals.at(np.zeros(1))[0]
    names = ("cpu", "working", "touched", "ops", "net_mib_s")
    changes: list[tuple[str, dict[str, Any]]] = []
    for i, guest in enumerate(plan.guests):
        values = {f"demand.{name}": float(signals[k, i]) for k, name in enumerate(names)}
        changes.append((guest.id, {**values, **_QUIET}))
    changes.append(("rules", _flat(AT_ONCE)))
    try:
        return change_many(plan.model_copy(update={"events": (), "day_s": 60.0, "moment": 0.0}), changes)
    except (EditError, PlanError):
        return None


def _flat(rules: dict[str, Any], above: str = "") -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name, value in rules.items():
        found |= _flat(value, f"{above}{name}.") if isinstance(value, dict) else {f"{above}{name}": value}
    return found


def read_back(case: Case) -> Iterator[str]:
    """A plan that is written is read as it was, from its file and from a folder of tables."""
    with case.written() as path:
        if read_plan(path).plan != case.plan:
            yield "the plan that is read is not the one that was written"
        if not any(getattr(case.plan, kind) for kind in TABLE_KINDS):
            return
        out = path.parent / "site"
        give_out(case.site, "csv", out)
        back = with_brought(Plan(), read_brought(out, Plan(), case.traces))
        for kind in TABLE_KINDS:
            ours, its = ([settled(item) for item in getattr(one, kind)] for one in (case.plan, back))
            if kind == "events":  # They are brought in by time; which comes first at the same time stays.
                ours, its = (sorted(some, key=lambda event: parse_time(event["at"])) for some in (ours, its))
            differing = [a.get("id", kind) for a, b in zip(ours, its, strict=False) if a != b]
            if differing or len(ours) != len(its):
                yield f"tables of {kind}: {len(its)} of {len(ours)} are read, {differing[:3]} otherwise than they were"
