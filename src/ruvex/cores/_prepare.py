"""Compiling all kernels ahead, so that nothing has to wait for the compiler later."""

from __future__ import annotations

from typing import Any, Final

from ruvex.cores._chance import waits_of
from ruvex.cores._trace import trace
from ruvex.divide import causes_of, day_of, divide
from ruvex.engine import mark_cache_filled
from ruvex.plan import plan_from
from ruvex.play import Player
from ruvex.promise import admit_in_order, claims_of
from ruvex.site import site_of

_GUESTS: Final[list[dict[str, Any]]] = [
    {"id": "a", "host": "one", "pool": "p", "image": "i", "demand": {"cpu": 900, "kind": "batch"}},
    {"id": "b", "host": "two", "pool": "p", "memory": {"mode": "elastic"}, "demand": {"greedy": True}},
    {"id": "c", "host": "one", "power": "off", "memory": {"mode": "thin", "bank": True, "size": 64}},
]
_PLAN: Final[dict[str, Any]] = {
    "format": "ruvex-plan", "version": 1, "name": "prepare", "day_s": 60, "pools": [{"id": "p"}], "guests": _GUESTS,
    "hosts": [
        {"id": "one", "bank": {"size_mib": 64, "max_mib": 64, "spill_volumes": [{"id": "v", "mib": 64}]}},
        {"id": "two"},
    ],
    "rules": {"page_sharing": {"i": 16}},
    "events": [{"at": 5, "do": "power-on", "target": "c"}],
}  # fmt: skip


def prepare() -> None:
    """Compile every kernel that is not in the cache yet, and load all of them; the first time takes about a minute."""
    site = site_of(plan_from(_PLAN), {})
    division = divide(site)
    causes_of(division, "cpu")
    division.to_json()
    day_of(site, moments=2)
    admit_in_order(site, ["c"], claims=claims_of(site))
    player = Player(site)
    player.run()
    player.summary()
    trace(division, "one", for_s=0.01)
    waits_of(division)
    mark_cache_filled()
