"""The law *alike*: the same figure for the same thing, and parts that add up to wholes, in both looks."""

from __future__ import annotations

import html
import json
import re
from collections.abc import Iterator

import numpy as np

from ruvex.divide import CONTENDED, Division, ladder_of
from ruvex.interface import DividedSite
from ruvex.ledger import DayFigures, LookFigures, owners_of
from ruvex.plan import RESOURCES, format_cpu, format_memory
from ruvex.play import division_at
from tests.cli.inside import run
from tests.laws.case import Case

_NEAR = 1e-6
REPORTED = 10
"""A report loses each host once and finds what is worth a look: it is made of each tenth plan."""
_CELL = re.compile(r"\d{1,3}(?: \d{3})*\.\d\d|\u00b7")
_SHOWN = 0.00501
"""Half of the last digit that a table shows."""


def alike(case: Case) -> Iterator[str]:
    """What is lacking, promised and kept back adds up by guest, pool, host and site, settled and as it was played."""
    looks = [("settled", case.division)]
    for at_s in (case.plan.moment, case.plan.day_s / 3):
        played = division_at(case.day, at_s)
        if isinstance(played, Division):
            looks.append((f"played at {at_s:g} s", played))
    for look, division in looks:
        for told in (*_ladders(division), *_sums(division), *_documents(division)):
            yield f"{look}: {told}"
    yield from _stands(case)
    yield from _table(case)
    yield from _owners(case)
    yield from _times(case)
    if case.seed % REPORTED == 0:
        yield from _report(case)


def _stands(case: Case) -> Iterator[str]:
    """A day is looked back at with everybody where the play has it: on, on which host, with which spill volume."""
    player = case.day
    recorded_s = (player.recording.rows - 1) * (player.recording.every_s or 0.0)
    then = division_at(player, recorded_s)
    if then is None or player.settings_number(recorded_s) != player.settings_number(player.now_s):
        return  # something has moved since the last row was recorded
    now, seen = player.site.standing, then.site.standing
    if player.recording.series("phase")[:, -1].tolist() != player.state.phase.tolist():
        return
    for what, one, other in (
        ("up", now.up, seen.up), ("on", now.on, seen.on), ("hosts", now.host[now.on], seen.host[now.on]),
        ("hard disks", now.on_hdd[:, now.on], seen.on_hdd[:, now.on]),
    ):  # fmt: skip
        if not np.array_equal(one, other):
            yield f"{what} are {one.tolist()} in the play and {other.tolist()} as one looks back"
    if now.volumes != seen.volumes:
        yield f"volumes serve {dict(now.volumes)} in the play and {dict(seen.volumes)} as one looks back"


def _ladders(division: Division) -> Iterator[str]:
    """Steps lead to what is delivered, and what keeps the rest back to what is wanted."""
    figures = LookFigures(division)
    for name in RESOURCES:
        r = division.of(name)
        near = _NEAR * max(1.0, r.supply, float(np.abs(r.wanted).max(initial=0.0)))
        for row in np.flatnonzero(division.on).tolist():
            ladder = ladder_of(division, division.ids[row], name)
            if abs(sum(rung.amount for rung in ladder.rungs) - ladder.delivered) > near:
                yield f"the steps of {ladder.item}, {name}, do not lead to {ladder.delivered:g}"
            kept_back = sum(stop.amount for stop in ladder.stops)
            # A working set beyond its own size is asked of nobody, and kept back by that size all the same.
            unasked = float(division.layers.self_paged[row]) if name == "memory" else 0.0
            missing = ladder.wanted - (ladder.delivered - ladder.held + kept_back)
            if abs(missing) > near and abs(missing + unasked) > near:
                yield (
                    f"{ladder.item} has {ladder.delivered - ladder.held:g} of {ladder.wanted:g} {name}, and"
                    f" {kept_back:g} is kept back"
                )
        lacks, wanted = figures.lacks(name).values, figures.wanted(name).values
        for i in np.flatnonzero((lacks < 0) | (lacks > wanted * (1 + _NEAR))).tolist():
            yield f"{division.site.plan.guests[i].id} lacks {lacks[i]:g} of the {wanted[i]:g} {name} that it asks for"


def _sums(division: Division) -> Iterator[str]:
    """Hosts, and who is on none, come to the site; pools to their guests."""
    figures, site = LookFigures(division), division.site
    top = division.parent_row < 0
    nowhere = site.standing.host < 0
    for of in CONTENDED:
        lacks = figures.lacks(of)
        near = _NEAR * max(1.0, lacks.total)
        if abs(float(lacks.by_row[top].sum()) - lacks.total) > near:
            yield f"rows at the top lack {float(lacks.by_row[top].sum()):g} of {of}, guests {lacks.total:g}"
        nobodys = lacks.values[nowhere].sum() if site.plan.hosts else lacks.total
        if abs(float(lacks.by_host.sum() + nobodys) - lacks.total) > near:
            yield f"hosts lack {float(lacks.by_host.sum()):g} of {of}, guests {lacks.total:g}"
    for k, name in enumerate(RESOURCES):
        promises, free = figures.promises, division.of(name).free
        of_hosts = float(promises.free_of_hosts[k].sum() - promises.of_no_host[k])
        if site.plan.hosts and abs(of_hosts - free) > _NEAR * max(1.0, abs(free)):
            yield f"hosts have {of_hosts:g} of {name} free to promise, the site has {free:g}"


def _documents(division: Division) -> Iterator[str]:
    """JSON and the names for scripts have the ledger's figures, rows and sums."""
    figures, document, scripted = LookFigures(division), division.to_json(), DividedSite(division)
    for name, its in (("cpu", scripted.cpu), ("memory", scripted.memory)):
        lacks, rows = figures.lacks(name), document[name]["rows"]
        near = _NEAR * max(1.0, lacks.total)
        for row in rows:
            at = division.position[row["id"]]
            if not row["lacks"] == its[row["id"]].lacks == lacks.by_row[at]:
                told = f"{row['lacks']:g} in JSON, {its[row['id']].lacks:g} to scripts"
                yield f"{row['id']} lacks {lacks.by_row[at]:g} of {name}, {told}"
        of_guests = sum(row["lacks"] for row in rows if row["kind"] == "guest")
        if abs(of_guests - document[name]["lacks"]) > near or abs(of_guests - lacks.total) > near:
            yield f"all lack {document[name]['lacks']:g} of {name} in JSON, its rows {of_guests:g}"
    for of, its in (("store", scripted.disks), ("link", scripted.network)):
        lacks = figures.lacks(of)
        for guest, one in its.items():
            i = division.site.plan.guest_index[guest]
            if one.lacks != lacks.values[i] or abs(one.wanted - one.delivered - one.lacks) > _NEAR * max(
                1.0, one.wanted
            ):
                yield f"{guest} lacks {lacks.values[i]:g} of {of}, {one.lacks:g} to scripts"


def _table(case: Case) -> Iterator[str]:
    """The table of ``ruvex divide`` has the ledger's figures to the digit shown."""
    with case.written() as path:
        done = run("divide", str(path))
    division, figures = case.division, LookFigures(case.division)
    lines = [line for line in done.stdout.splitlines() if not line.startswith("  " * 4 + "!")]
    head = next((number for number, line in enumerate(lines) if line.split()[:2] == ["promised", "wanted"]), None)
    if head is None:
        return
    rows = [row for row in range(len(division.ids)) if division.on[row]]
    for row, line in zip(rows, lines[head + 1 : head + 1 + len(rows)], strict=True):
        cells = [0.0 if cell == "\u00b7" else float(cell.replace(" ", "")) for cell in _CELL.findall(line)[-8:]]
        for name, at, scale in (("cpu", 3, 1000.0), ("memory", 7, 1024.0)):
            lacks = float(figures.lacks(name).by_row[row]) / scale
            if abs(cells[at] - lacks) > _SHOWN:
                yield f"{division.ids[row]} lacks {lacks:.4f} of {name}, and {cells[at]:g} in the table"


def _owners(case: Case) -> Iterator[str]:
    """Owners, and banks beside them, have what is promised; and lack what guests lack over the day."""
    division, day = case.division, DayFigures(case.day)
    owners, promises = owners_of(division, case.day), LookFigures(division).promises
    for k, name in enumerate(RESOURCES):
        its = [owner.memory if k else owner.cpu for owner in owners]
        promised = sum(one.promised for one in its) + (promises.of_banks if k else 0.0)
        if abs(promised - division.of(name).promised) > _NEAR * max(1.0, promised):
            yield f"owners and banks are promised {promised:g} of {name}, all {division.of(name).promised:g}"
        lacking = float(day.lacks(name).sum()) * day.hours
        if abs(sum(one.unmet_hours for one in its) - lacking) > _NEAR * max(1.0, lacking):
            yield f"owners lack {sum(one.unmet_hours for one in its):g} of {name} over the day, guests {lacking:g}"
        for one in its:
            if not -_NEAR <= one.lent <= one.promised * (1 + _NEAR) + _NEAR:
                yield f"an owner lends {one.lent:g} of the {one.promised:g} of {name} that it is promised"


def _times(case: Case) -> Iterator[str]:
    """Who is short of something is short: for as long as of the one that lasts longest, and no longer than of all."""
    for one in case.day.summary().guests:
        parts = one.unmet_s, one.memory_short_s, one.disks_short_s, one.network_short_s
        if not max(parts) - _NEAR <= one.short_s <= min(sum(parts), one.on_s) + _NEAR:
            yield f"{one.id} is short for {one.short_s:g} s of {one.on_s:g}, of each for {parts}"


def _report(case: Case) -> Iterator[str]:
    """The report's page has what commands have of the same file, to the digit shown."""
    with case.written() as path:
        page = path.parent / "report.html"
        owned = json.loads(run("owners", "--json", "--out", str(page), str(path)).stdout)
        found = json.loads(run("findings", "--json", str(path)).stdout)
        saved = json.loads(run("run", "--json", str(path)).stdout)["savings"]
        source = page.read_text(encoding="utf-8")
    text = _plain(html.unescape(re.sub(r"<style.*?</style>|<svg.*?</svg>|<[^>]+>", " ", source, flags=re.DOTALL)))
    division = case.division
    cpu, memory = division.cpu, division.memory
    told = [
        f"{int(division.site.standing.on.sum())} of {len(case.plan.guests)} guests are on",
        f"Of {format_cpu(cpu.supply)} of CPU {format_cpu(cpu.promised)} are promised",
        f"Of {format_memory(memory.supply)} of memory {format_memory(memory.promised)} are promised",
        *(one["text"] for one in found["findings"]),
    ]
    if saved is not None:
        told.append(f"{format_memory(saved['mean_mib'])} on average and {format_memory(saved['least_mib'])} at least")
    for one in owned["owners"]:
        cells = [one["cpu"]["promised"], one["cpu"]["mean"], one["cpu"]["most"], one["cpu"]["lent"]]
        told.append(f"{one['owner'] or 'nobody'} {' '.join(format_cpu(cell) for cell in cells)}")
    for words in told:
        if _plain(words) not in text:
            yield f"the report does not say {words!r}"


def _plain(text: str) -> str:
    """Give a text with usual spaces, and without marks of direction."""
    return " ".join(re.sub("[\u2066-\u2069]", "", text).split())
