"""A session of torture: seeded inputs without end, each damaged in another way."""

from __future__ import annotations

import io
import json
import random
import tempfile
import zipfile
from collections.abc import Iterator, Mapping
from functools import cache
from pathlib import Path

from ruvex.desktop.state.recovery_copy import write_copy
from ruvex.exchange import table_of_guests
from ruvex.plan import read_plan
from tests.demo import DEMO
from tests.torture.mutate import mutate

_TRACE = "seconds,cpu,mib\n0,100,3000\n60,2000,4000\n00:02:00,30,100.5\n180,4100,9000\n"
_SETTINGS = {
    "recent": [str(DEMO)], "theme": "dark", "text_scale": 1.15,
    "layout": {"geometry": "AdnQywADAAAAAAAAAAAAAAAABP8AAAMfAAAAAAAAAAAAAAT/AAADHw==", "dials_folded": False,
               "why": True, "units": {"cpu": "GHz", "memory": "GiB"},
               "views": {"division": {"order": "hurt", "axis": "held", "by_host": True}, "list": {"columns": ["name"]},
                         "timeline": {"lanes": "guests", "span": [0, 7200]}}},
}  # fmt: skip
_QUANTITIES = ("12 GiB", "2.5", "08:10", "1 234.5 MHz", "50 %", "23:59:59.5", "1e3", "-0", "00:30")
_EVERYTHING = {
    "format": "ruvex-plan", "version": 1, "name": "Slipway", "notes": "For the night.", "day_s": 3600, "moment": 60,
    "hosts": [
        {"id": "h", "sockets": 1, "cores_per_socket": 3, "mhz": 2300, "memory_mib": 9000, "overhead_mib": 300,
         "spill_mib": 4000, "numa_nodes": 1, "bank": {"size_mib": 1500, "max_mib": 3000,
         "spill_volumes": [{"id": "v", "mib": 2000}]}},
        {"id": "k", "sockets": 2, "cores_per_socket": 2, "mhz": 1900, "memory_mib": 7000, "threads_per_core": 2,
         "smt_yield": 0.2, "spill_kind": "hdd"},
    ],
    "pools": [
        {"id": "p", "cpu": {"reservation": 900, "limit": 5000}}, {"id": "q", "parent": "p", "weighs": "by-members"},
    ],
    "guests": [
        {"id": "a", "pool": "q", "host": "h", "vcpus": 3, "memory": {"mode": "elastic", "boot": 900, "floor": 300,
         "ceiling": 2900}, "demand": {"cpu": {"kind": "bursts", "base": 10, "high": 3000, "every_s": 70, "for_s": 20},
         "working": 1700, "touched": 2000}},
        {"id": "b", "pool": "p", "host": "h", "memory": {"size": 3700, "reservation": 500}, "image": "gull",
         "demand": {"kind": "batch", "cpu": 2600, "working": 2500, "touched": 3600}},
        {"id": "c", "host": "h", "memory": {"mode": "thin", "bank": True, "size": 1300, "spill_volume": "v"},
         "demand": {"cpu": 700, "working": 900, "touched": 1200, "greedy": True}},
        {"id": "d", "host": "k", "memory": {"mode": "fixed", "size": 2300}, "comes_back": 1},
        {"id": "e", "host": "k", "power": "off", "agent": False, "boot_s": 20},
    ],
    "placement": [{"kind": "apart", "guests": ["a", "d"]}],
    "rules": {"page_sharing": {"gull": 400}, "guest_overhead": {"fixed_mib": 40, "percent_of_size": 1}},
    "events": [
        {"at": 20, "do": "set", "target": "b", "change": {"cpu.shares": 300, "memory.limit": 2000}},
        {"at": 40, "do": "surge", "target": "p", "factor": 3, "for_s": 60}, {"at": 50, "do": "power-on", "target": "e"},
        {"at": 60, "do": "move", "target": "d", "host": "h"}, {"at": 100, "do": "host-down", "target": "k"},
        {"at": 150, "do": "host-up", "target": "k"}, {"at": 170, "do": "restart", "target": "b"},
    ],
}  # fmt: skip


@cache
def bases() -> Mapping[str, tuple[bytes, ...]]:
    """Give whole inputs of each kind, to be damaged."""
    stories = tuple(path.read_bytes() for path in sorted((DEMO.parent / "stories").glob("*.json")))
    file = read_plan(DEMO)
    table = table_of_guests(file.plan, [guest.id for guest in file.plan.guests[:9]])
    with tempfile.TemporaryDirectory() as folder:
        copy = Path(folder) / "copy.recovery"
        write_copy(copy, file.plan, file.traces, file.layout, path=DEMO.parent / "x.ruvex.json", digest="0")
        recovery = copy.read_bytes()
    everything = json.dumps(_EVERYTHING).encode()
    return {
        "plan": (*stories, *[everything] * 2 * len(stories)), "trace": (_TRACE.encode(),), "table": (table.encode(),),
        "settings": (json.dumps(_SETTINGS).encode(),), "recovery": (recovery,),
        "quantity": tuple(text.encode() for text in _QUANTITIES),
    }  # fmt: skip


_WEIGHTS = {"plan": 12, "trace": 4, "table": 2, "settings": 2, "recovery": 2, "quantity": 2}


def inputs(seed: int) -> Iterator[tuple[str, bytes]]:
    """Give kinds and damaged contents without end, the same for the same seed."""
    chance = random.Random(seed)
    kinds, weights = list(_WEIGHTS), list(_WEIGHTS.values())
    while True:
        kind = chance.choices(kinds, weights)[0]
        content = chance.choice(bases()[kind])
        damage = _mutate_part if kind == "recovery" and chance.random() < 0.7 else mutate
        yield kind, damage(chance, content)


def _mutate_part(chance: random.Random, content: bytes) -> bytes:
    """Damage what is in an archive, so that its sums are right and the damage is seen only behind them."""
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        parts = {name: archive.read(name) for name in archive.namelist()}
    name = chance.choice(list(parts))
    parts[name] = mutate(chance, parts[name])
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_STORED) as archive:
        for part, inside in parts.items():
            archive.writestr(part, inside)
    return made.getvalue()
