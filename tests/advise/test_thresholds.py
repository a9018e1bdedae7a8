"""The numbers from which on a finding speaks, each with a plan on either side of it."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import Any

from tests.advise.test_worth import CLEAN, DISK, ELASTIC, HOST, HOUR, LARGE, POOLS, found_in, guest

Plan = tuple[list[dict[str, Any]], dict[str, Any]]
FROM_SECOND_HOUR = 2 * HOUR - 30.0


def busy_until(minutes: float) -> Plan:
    """A guest wants more than its limit for the first minutes of the day."""
    cpu = {"kind": "steps", "at": [[0, 1500], [60 * minutes, 800]]}
    return [guest("a", cpu, pool="p") | {"cpu": {"limit": 900}}, *CLEAN[1:]], {"at_s": FROM_SECOND_HOUR}


def nearly(delivered: float) -> Plan:
    """A guest on a full host gets what its limit allows, or less; once others go, the host idles beside it."""
    cpu = {"kind": "steps", "at": [[0, 3000], [HOUR, delivered]]}
    return [guest("a", cpu, 4, pool="p") | {"cpu": {"limit": 2000}}, *CLEAN[1:]], {"at_s": FROM_SECOND_HOUR}


def reserved(mhz: float, used: float) -> Plan:
    """A guest uses so much of its CPU reservation."""
    return [guest("a", used, pool="p") | {"cpu": {"reservation": mhz}}, *CLEAN[1:]], {}


def fixed(size: float, works: float) -> Plan:
    """A fixed guest works with so much of its size."""
    one = guest("a", pool="p", demand={"working": works, "touched": works}, memory={"mode": "fixed", "size": size})
    return [one, *CLEAN[1:]], {}


def grows(mib_s: float) -> Plan:
    """A guest jumps from 2 000 to 5 000 MiB and has 5 GiB below its need to be given at so many MiB a second."""
    jump = {"kind": "steps", "at": [[0, 2000], [HOUR, 5000]]}
    one = guest("a", pool="p", demand={"working": jump, "touched": jump}, memory=ELASTIC | {"ceiling": 16_000})
    return [one, *CLEAN[1:]], {"rules": {"elastic": {"grow_mib_s": mib_s}}}


def headroom(percent: float) -> Plan:
    """A guest that never grows keeps so much spare while another on its host lacks memory."""
    memory = ELASTIC | {"ceiling": 20_000, "headroom_percent": percent}
    one = guest("a", pool="p", demand={"working": 6000, "touched": 6000}, memory=memory)
    return [one, guest("b", pool="q", demand={"working": 36_000, "touched": 36_000},
                       memory={"mode": "thin", "size": 38_000})], {}  # fmt: skip


def held(reservation: float, touched: float) -> Plan:
    """A guest has touched so much of its memory reservation while another lacks."""
    one = guest("a", pool="p", demand={"working": touched, "touched": touched},
                memory={"mode": "thin", "size": 24_000, "reservation": reservation})  # fmt: skip
    return [one, guest("b", pool="q", demand=LARGE | {"working": 41_000, "touched": 41_000},
                       memory={"mode": "thin", "size": 42_000})], {}  # fmt: skip


def wide(vcpus: int, wants: float) -> Plan:
    """A guest of so many vCPUs of 1 GHz wants so much at most."""
    return [guest("a", wants, vcpus, pool="p"), *CLEAN[1:]], {}


def nested(shares: float, depth: int = 2) -> Plan:
    """A guest so many pools deep, beside a pool of so many shares with one guest of as many shares as it."""
    pools = [{"id": "p", "owner": "one"}, {"id": "in", "parent": "p", "owner": "two"},
             {"id": "q", "owner": "another", "cpu": {"shares": shares}}]  # fmt: skip
    home = "in" if depth == 2 else "p"
    return [guest("a", 700, 1, pool=home), guest("b", 700, 1, pool="q")], {"pools": pools}


def beside(shares: float) -> Plan:
    """A guest beside the pools has so many shares; four in a pool of 100 have 25 each and go short."""
    short = [guest(f"p{i}", 2000, pool="p") for i in range(4)]
    return [*short, guest("b", 1500, pool="q"), guest("alone", 300, 1) | {"cpu": {"shares": shares}}], {}


def late(mhz_s: float) -> Plan:
    """Batch work is asked for until minute 20, and so much more than its 2 GHz can do."""
    cpu = {"kind": "steps", "at": [[0, 0], [600, 2000 + mhz_s / 600], [1200, 0]]}
    return [guest("a", cpu, pool="p", demand={"kind": "batch"}), *CLEAN[1:]], {}


def store(ops: float) -> Plan:
    """A guest asks a store of 600 for so many transfers a second."""
    return [guest("a", pool="p", disks=[DISK], demand={"ops": ops}), *CLEAN[1:]], {
        "stores": [{"id": "slate", "ops": 600}]
    }


def store_for(seconds: float) -> Plan:
    """A guest asks a store of 600 for 900 for a time at the start of two hours, and for 100 then."""
    ops = {"kind": "steps", "at": [[0, 900], [seconds, 100]]}
    return [guest("a", pool="p", disks=[DISK], demand={"ops": ops}), *CLEAN[1:]], {
        "stores": [{"id": "slate", "ops": 600}], "at_s": FROM_SECOND_HOUR,
    }  # fmt: skip


def starting(apart_s: float) -> Plan:
    """Three that have not room together start so many seconds apart."""
    off = [guest(name, pool="p", power="off", demand={"working": 25_000}, memory={"mode": "fixed", "size": 30_000})
           for name in ("x", "y", "z")]  # fmt: skip
    events = [
        {"at": at, "do": "power-on", "target": name} for name, at in (("x", 10), ("y", 600), ("z", 600 + apart_s))
    ]
    return [*off, *CLEAN[1:]], {"events": events}


def starving(shares: float, wants: float = 1900) -> Plan:
    """A guest of so many shares beside four of a hundred that have nearly all they want."""
    return [guest("a", wants, pool="p") | {"cpu": {"shares": shares}},
            *[guest(f"g{i}", 1800, pool="p") for i in range(4)]], {"pools": POOLS[:1]}  # fmt: skip


def crowd(wants: float) -> Plan:
    """Five guests of three vCPUs on four cores, each of which wants so much."""
    guests = [guest(f"g{i}", wants, 3, pool="p" if i % 2 else "q") for i in range(5)]
    return guests, {"host": {"cores_per_socket": 4}}


def held_by_pool(left: float) -> Plan:
    """Two that lack 4 000 MHz by their pool's limit, on a host where a promise leaves so much to be gained."""
    other = guest("o", 6000 - left, 6, pool="q") | {"cpu": {"reservation": 6000 - left}}
    pools = [POOLS[0] | {"cpu": {"limit": 2000}}, POOLS[1]]
    return [guest("a", 3000, 4, pool="p"), guest("b", 3000, 4, pool="p"), other], {"pools": pools}


THRESHOLDS: dict[str, tuple[str, Callable[..., Plan], tuple[Any, ...], tuple[Any, ...]]] = {
    "a limit that bites for a quarter of an hour": ("biting-limit", busy_until, (14,), (16,)),
    "a reservation of 100 MHz": ("unused-reservation", reserved, (95, 10), (105, 10)),
    "half of a reservation": ("unused-reservation", reserved, (1000, 510), (1000, 490)),
    "half of a size": ("far-too-large", fixed, (8000, 4050), (8000, 3950)),
    "2 GiB of a size": ("far-too-large", fixed, (3000, 1000), (3000, 900)),
    "two minutes of growing": ("headroom-small", grows, (32,), (28,)),
    "a headroom of 30 %": ("headroom-large", headroom, (29,), (31,)),
    "three tenths of what is held": ("held-idle", held, (20_000, 14_100), (20_000, 13_900)),
    "512 MiB held": ("held-idle", held, (1000, 500), (1000, 480)),
    "four vCPUs": ("idle-vcpus", wide, (3, 200), (4, 200)),
    "seven tenths of two vCPUs": ("idle-vcpus", wide, (4, 1410), (4, 1390)),
    "half of what shares seem to say": ("deep-nesting", nested, (290,), (310,)),
    "two pools deep": ("deep-nesting", nested, (310, 1), (310, 2)),
    "twice as much as those in pools": ("beside-pools", beside, (45,), (55,)),
    "a minute late": ("late-batch", late, (2 * 2000 * 27.0,), (2 * 2000 * 33.0,)),
    "a hundredth of what a store is asked for": ("short-store", store, (605,), (607,)),
    "a fiftieth of the day": ("short-store", store_for, (140,), (160,)),
    "two that start within ten minutes": ("start-storm", starting, (610,), (590,)),
    "a wait of seven hundredths": ("crowded-cores", crowd, (600,), (650,)),
    "half of what is wanted": ("shares-small", starving, (5, 1500), (5, 1750)),
}


class Thresholds(unittest.TestCase):
    """Silent below, told above."""

    def test_each_on_both_sides(self) -> None:
        """The plan below has no finding of the kind, the one above has it."""
        self.assertEqual(HOST["mhz"], 1000)
        for name, (kind, plan, below, above) in THRESHOLDS.items():
            for values, is_told in ((below, False), (above, True)):
                with self.subTest(name, values=values):
                    guests, more = plan(*values)
                    kinds = {finding.kind for finding in found_in(guests, more.pop("pools", POOLS), **more)[0]}
                    self.assertEqual(kind in kinds, is_told, kinds)

    def test_a_size_for_half_a_day_is_no_remedy_for_all_of_it(self) -> None:
        """Off before its working set exceeds its ceiling, it is sized by what it did: no remedy for all of a day."""
        jump = {"kind": "steps", "at": [[0, 2000], [HOUR, 6000]]}
        one = guest("a", pool="p", demand={"working": jump, "touched": jump}, memory=ELASTIC | {"headroom_percent": 60})
        for events, is_offered in (([{"at": 1800, "do": "power-off", "target": "a"}], False), ([], True)):
            found = found_in([one, *CLEAN[1:]], POOLS, events=events)[0]
            (finding,) = [finding for finding in found if finding.kind == "cannot-be"]
            self.assertEqual(finding.remedy is not None, is_offered, finding.remedy)

    def test_a_remedy_takes_away_a_tenth(self) -> None:
        """A higher limit of the pool is offered where it gains 440 of 4 000 that lack, and not where it gains 360."""
        for left, is_offered in ((360, False), (440, True)):
            guests, more = held_by_pool(left)
            (finding,) = found_in(guests, more["pools"])[0]
            self.assertEqual((finding.kind, finding.remedy is not None), ("pool-limit", is_offered))
