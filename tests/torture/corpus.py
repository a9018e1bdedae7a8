"""Inputs that once did harm, and what is said of them now; an empty sentence: they are taken, and everything holds."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Mapping
from typing import Any, Final

_HEAD: Final = {"format": "ruvex-plan", "version": 1}
_HOST: Final = {
    "id": "h",
    "sockets": 1,
    "cores_per_socket": 4,
    "mhz": 2500,
    "memory_mib": 20_000,
    "threads_per_core": 1,
}
_ONE: Final = [{"id": "a", "host": "h"}]


def _busy(shares: float, count: int = 3, **more: Any) -> list[dict[str, Any]]:
    """Describe guests that want more than there is."""
    return [
        {"id": f"g{i}", "vcpus": 4, "cpu": {"shares": shares}, "memory": {"size": 8000, "shares": shares},
         "demand": {"cpu": 9000, "working": 7000, "touched": 8000}} | more
        for i in range(count)
    ]  # fmt: skip


def _bursts(every_s: float) -> dict[str, Any]:
    return {"demand": {"cpu": {"kind": "bursts", "base": 1, "high": 2, "every_s": every_s, "for_s": every_s / 2}}}


def _set(change: dict[str, Any], *, at: Any = 10, target: str = "a") -> dict[str, Any]:
    return {"hosts": [_HOST], "guests": _ONE, "events": [{"at": at, "do": "set", "target": target, "change": change}]}


def _bank(*guests: dict[str, Any], **host: Any) -> dict[str, Any]:
    bank = {"size_mib": 1500, "max_mib": 1500}
    return {"hosts": [_HOST | {"bank": bank} | host], "guests": list(guests)}


_NO_TRACE: Final = {"kind": "trace", "file": "none.csv", "column": "x"}
_DEEP: Final = [{"id": f"p{i}", "parent": f"p{i - 1}" if i else None} for i in range(5000)]

PLANS: Final[Mapping[str, tuple[dict[str, Any] | str, str]]] = {
    # What could be written and not be read again.
    "a late moment": ({"day_s": 31_000_000, "moment": "1500:00"}, ""),
    "half a character in an event": (
        json.dumps(_HEAD | _set({"name": "x"})).replace('"x"', '"\\ud800"'), "half a character"),
    "more than a number can be": (
        json.dumps(_HEAD | _set({"cpu.limit": 7})).replace("7", "1e400", 1), "1e400 is more than a number can be"),
    "350 digits": (json.dumps(_HEAD | _set({"cpu.limit": 10**350})), "a number with 351 digits"),
    # What events may say.
    "an event's trace that is not there": (_set({"demand.cpu": _NO_TRACE}), "none.csv: cannot be read"),
    "an event's trace deep inside": (_set({"demand": {"working": _NO_TRACE}}), "none.csv: cannot be read"),
    "parent and child at once": (_set({"cpu": {"shares": 5}, "cpu.limit": 3}), "both 'cpu' and 'cpu.limit'"),
    "a part that is a number": (_set({"cpu": 5}), "write an object with keys in braces"),
    "a negative time in an event": (
        _set({"demand.cpu": {"kind": "steps", "at": [[-5, 1]]}}), "events[0].change"),
    "a negative moment of an event": (_set({"cpu.shares": 5}, at=-5), "events[0].at"),
    "a mode that is a list": (_set({"memory.mode": []}), "write fixed, elastic or thin"),
    "an event that changes the id": (_set({"id": "b"}), "has no setting 'id'"),
    "a size of the bank above its largest": (
        {"hosts": [_HOST | {"bank": {"size_mib": 10, "max_mib": 20}}],
         "events": [{"at": 1, "do": "set", "target": "h", "change": {"bank.size_mib": 30}}]}, "above the largest size"),
    "60 surges of a million": (
        {"hosts": [_HOST], "guests": _busy(100), "events": [
            {"at": 1, "do": "surge", "target": "g0", "factor": 1e6, "for_s": 9000} for _ in range(60)]}, ""),
    # What takes time and memory without end.
    "bursts closer than a second": ({"guests": [{"id": "a"} | _bursts(1e-4)]}, "it must be at least 1"),
    "bursts every second": ({"hosts": [_HOST], "guests": [{"id": f"g{i}"} | _bursts(1) for i in range(40)]}, ""),
    "bursts of nothing": ({"guests": [{"id": "a"} | _bursts(1e-9)]}, "it must be at least 1"),
    "ticks without end": ({"tick_s": 1e-300}, "it must be at least 0.01"),
    "samples without end": ({"rules": {"workload": {"sample_s": 1e-9}}}, "it must be at least 0.1"),
    "a year of the shortest ticks": ({"hosts": [_HOST], "guests": _ONE, "day_s": 31_000_000, "tick_s": 0.01}, ""),
    "brackets for notes": (
        '{"format": "ruvex-plan", "version": 1, "notes": ' + "[" * 50 + "]" * 50 + "}", "[[[[...]]]] is not allowed"),
    "too many brackets": ('{"format": "ruvex-plan", "version": 1, "notes": ' + "[" * 10**6, "nested too deeply"),
    "brackets side by side": ('{"notes": [' + "[]," * 1_200_000 + "[]]}", "lists and objects"),
    "a key of a million letters": ({"x" * 1_000_000: 1}, "unknown key"),
    "steps without end": (
        {"guests": [{"id": "a", "demand": {"cpu": {"kind": "steps", "at": [["x", -1]] * 90_000}}}]}, "are too many"),
    "steps too close": (
        {"guests": [{"id": "a", "demand": {"cpu": {"kind": "steps", "at": [[1, 5], [1.0000001, 6]]}}}]},
        "closer together"),
    "pools as deep as a well": ({"hosts": [_HOST], "pools": _DEEP, "guests": [{"id": "a", "pool": "p4999"}]}, ""),
    "pools in a ring": (
        {"pools": [{"id": f"p{i}", "parent": f"p{(i + 1) % 5000}"} for i in range(5000)]}, "contain each other"),
    # What was divided wrongly.
    "shares of next to nothing": ({"hosts": [_HOST], "guests": _busy(1e-14)}, ""),
    "shares as small as a number can be": ({"hosts": [_HOST], "guests": _busy(5e-324)}, ""),
    "pools of next to nothing": (
        {"hosts": [_HOST], "pools": [{"id": "p", "memory": {"shares": 1e-9}, "cpu": {"shares": 1e-9}}],
         "guests": [*_busy(1e-14, 2, pool="p"), *(g | {"id": f"x{i}"} for i, g in enumerate(_busy(1e-9, 2)))]}, ""),
    "shares too far apart": (
        {"hosts": [_HOST], "guests": [*_busy(1e-14, 2), {"id": "x"}]},
        "shares beside 100 (guests[2]) are too far apart"),
    "overhead of everything": (
        {"hosts": [_HOST], "guests": _busy(100), "rules": {"guest_overhead": {"percent_of_size": 100}}}, ""),
    "a host without memory": ({"hosts": [_HOST | {"memory_mib": 0}], "guests": _busy(100)}, ""),
    "a host that needs all itself": (
        {"hosts": [_HOST | {"overhead_mib": 90_000, "overhead_mhz": 1e6}], "guests": _busy(100)}, ""),
    "a bank that cannot keep its promises": (
        _bank(*(g | {"memory": {"bank": True, "size": 2000, "reservation": 1500}, "host": "h"} for g in _busy(1))), ""),
    "a bank that is all of its host": (
        _bank({"id": "a", "host": "h", "memory": {"bank": True, "size": 1500, "reservation": 1500}},
              {"id": "b", "host": "h", "memory": {"mode": "fixed", "size": 1500}}, memory_mib=1500), ""),
}  # fmt: skip
"""Documents (or texts) and what is said."""

TRACES: Final[Mapping[str, tuple[str, str]]] = {
    "more than any demand": ("seconds,cpu,mib\n0,1e300,1\n", "at most 1e+12"),
    "times next to each other": ("seconds,cpu,mib\n0,1,1\n5e-324,0,0\n", "less than 0.001 s after"),
    "times next to each other, later": ("seconds,cpu,mib\n86000,1,1\n86000.0000001,0,0\n", "less than 0.001 s after"),
    "after the end of time": ("seconds,cpu,mib\n1e300,1,1\n", "at most 3.16224e+07"),
    "digits with an underscore": ("seconds,cpu,mib\n0,1_0,1\n", "'1_0' in column 'cpu'"),
    "an underscore in a time": ("seconds,cpu,mib\n1_0,1,1\n", "'1_0' in column 'seconds'"),
    "the smallest numbers": ("seconds,cpu,mib\n0,5e-324,5e-324\n60,1e12,1e12\n", ""),
    "a thousandth apart": ("seconds,cpu,mib\n86000,1,1\n86000.001,5,5\n", ""),
}
"""Traces and what is said."""

TABLES: Final[Mapping[str, tuple[str, str]]] = {
    "a heading of spaces": ("name," + " " * 3000 + "(\nmail,5\n", ""),
    "brackets for a heading": ("name," + "(" * 3000 + "\nmail,5\n", ""),
    "a demand that follows a trace": (
        'name\tCPU demand\na\t"{""kind"": ""trace"", ""file"": ""v"", ""column"": ""x""}"\n',
        "",
    ),
    "vCPUs of 400 digits": ("name,vCPUs,CPU demand\na," + "9" * 400 + ",50 %\n", "is not a finite number"),
    "vCPUs beyond number": ("name,vCPUs,CPU demand\na,1e300,50 MHz\n", "is not allowed; it must be at most 4096"),
    "a part of vCPUs beyond number": ("name,vCPUs,CPU demand\na,1e300,50 %\n", "is no CPU unit that means something"),
    "a pool of control characters": ("name,pool\na,\x00x\n", "is no name of a pool"),
    "nothing but faults": ("name,vCPUs\n" + "a,many\n" * 9000, "there are more"),
    "a quotation mark": ('name,"' + "x" * 5000, "quotation mark"),
}
"""Tables and what is said."""

QUANTITIES: Final = (
    "1.7e308G",
    "1_0",
    "\u0661",
    "1" * 5000,
    " " * 5000 + "1",
    "1e",
    "99999:00",
    "1:2:3",
    "- 5",
    "1 2 3 4",
)


def recovery_copies() -> Mapping[str, bytes]:
    """Give copies that are none, each in its own way."""
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as parts:
        parts.writestr("facts.json", b"0" * 50_000_000)
        parts.writestr("plan.ruvex.json", b"{}")
    odd = io.BytesIO()
    with zipfile.ZipFile(odd, "w") as parts:
        parts.writestr("facts.json", json.dumps({"path": 5, "name": None, "digest": [], "traces": {}}))
        parts.writestr("plan.ruvex.json", "{}")
    null = io.BytesIO()
    with zipfile.ZipFile(null, "w") as parts:
        parts.writestr("facts.json", "null")
        parts.writestr("plan.ruvex.json", "{}")
    return {
        "a bomb": bomb.getvalue(),
        "odd facts": odd.getvalue(),
        "null": null.getvalue(),
        "empty": b"",
        "text": b"null",
    }
