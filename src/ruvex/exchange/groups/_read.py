"""Reading the control groups of a running Linux host, version 2 (Documentation/admin-guide/cgroup-v2.rst), read only.

Groups come and go while they are read: one that is gone is passed over. Links are not followed.
"""

from __future__ import annotations

import math
import os
import re
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from pydantic import ValidationError

from ruvex.exchange._brought import Brought
from ruvex.exchange.groups._names import GUEST_UNITS, SLICE, name_of
from ruvex.plan import Guest, Host, Namer, Plan, PlanFileError, Pool, read_file

_MOST_GROUPS: Final = 20_000
_MOST_DEPTH: Final = 32
_MOST_BYTES: Final = 2**20
_MIB: Final = 2.0**20
_LEAST_WEIGHT: Final = 1.0
_USUAL_WEIGHT: Final = 100.0
_USUAL_MHZ: Final = 2600.0
_TELLING_PART: Final = 5.0
"""Pressure of this many percent of the last five minutes and more is told."""
_MOST_TOLD: Final = 20
_PRESSURE: Final = re.compile(r"some .*avg300=(\d{1,3}(?:\.\d{1,9})?)(?![\d.])", re.ASCII)


@dataclass(slots=True)
class _Group:
    """One group: its folder's name, the files that are read, what is in it, and the CPU it used, in CPUs."""

    name: str
    path: Path
    files: dict[str, str]
    inside: list[_Group]
    cpus: float = 0.0

    @property
    def is_guest(self) -> bool:
        """A unit with processes of its own is one, whatever groups it makes inside; so is a group with none inside."""
        return self.name.endswith(GUEST_UNITS) or not (self.inside or self.name.endswith(SLICE))

    def number(self, file: str) -> float | None:
        """Give a value that is ``max`` where there is none."""
        return _number(self.files.get(file, ""))

    def line(self, file: str, key: str) -> float:
        """Give a value of a file with a key in each line, 0 where it is not there."""
        found = re.search(rf"^{key} (\d{{1,18}})$", self.files.get(file, ""), re.MULTILINE)
        return float(found[1]) if found else 0.0


_READ: Final = (
    "cpu.weight", "cpu.max", "cpu.stat", "cpuset.cpus", "memory.min", "memory.low", "memory.high", "memory.max",
    "memory.current", "memory.stat", "cgroup.events", "cpu.pressure", "memory.pressure",
)  # fmt: skip


def read_groups(
    root: Path, plan: Plan, *, proc: Path = Path("/proc"), over_s: float = 1.0,
    wait: Callable[[float], None] = time.sleep,
) -> Brought:  # fmt: skip
    """Read the groups below a folder as pools and guests, with what they use now as demand.

    Parameters
    ----------
    root, proc
        The folder of the groups, such as ``/sys/fs/cgroup``, and where the kernel tells about the machine.
    plan
        What it is for; where it has no host, this machine comes too.
    over_s, wait
        CPU use is that of so many seconds, and how they are let pass.

    Raises
    ------
    PlanFileError
        It is no folder of groups of version 2, or there are too many.
    """
    if not (root / "cgroup.controllers").is_file():
        raise PlanFileError(f"{root} has no control groups of version 2: there is no cgroup.controllers in it")
    hosts = () if plan.hosts else (_machine(proc),)
    host = (*plan.hosts, *hosts)[0]
    groups = _groups_in(root, 0, [0])
    before = {group.path: group.line("cpu.stat", "usage_usec") for group in _all(groups)}
    began = time.monotonic()
    wait(over_s)
    passed = max(time.monotonic() - began, over_s)
    for group in _all(groups):
        used = _read(group.path / "cpu.stat")
        group.files["cpu.stat"] = used or group.files["cpu.stat"]
        group.cpus = max(group.line("cpu.stat", "usage_usec") - before[group.path], 0.0) / 1e6 / passed
    found = _Reading(plan, host, hosts).brought(groups)
    if not found.guests and not found.pools:
        raise PlanFileError(f"{root}: no group in there has processes")
    return found


def _all(groups: list[_Group]) -> list[_Group]:
    found, to_do = [], list(groups)
    while to_do:
        group = to_do.pop()
        found.append(group)
        to_do += group.inside
    return found


def _read(path: Path) -> str:
    try:
        return read_file(path, _MOST_BYTES).decode("utf-8", "replace")
    except PlanFileError:
        # It is not there for this group, or the group has ended.
        return ""


def _groups_in(folder: Path, depth: int, count: list[int]) -> list[_Group]:
    if depth > _MOST_DEPTH:
        raise PlanFileError(f"{folder} is nested deeper than {_MOST_DEPTH}")
    try:
        with os.scandir(folder) as entries:
            names = sorted(entry.name for entry in entries if entry.is_dir(follow_symlinks=False))
    except OSError:
        return []
    found = []
    for name in names:
        count[0] += 1
        if count[0] > _MOST_GROUPS:
            raise PlanFileError(f"there are more than {_MOST_GROUPS} groups; name a folder further down")
        path = folder / name
        files = {file: _read(path / file) for file in _READ}
        # What a unit makes inside itself is its own business.
        inside = [] if name.endswith(GUEST_UNITS) else _groups_in(path, depth + 1, count)
        found.append(_Group(name, path, files, inside))
    return found


class _Reading:
    """Groups while they become a plan's."""

    def __init__(self, plan: Plan, host: Host, hosts: tuple[Host, ...]) -> None:
        self._host, self._hosts, self._namer = host, hosts, Namer(plan.model_copy(update={"hosts": (host,)}))
        self._threads = host.cores * host.threads_per_core
        self._pools: list[Pool] = []
        self._guests: list[Guest] = []
        self._empty = 0
        self._pressed: list[tuple[float, str]] = []
        self._idle: list[str] = []

    def brought(self, groups: list[_Group]) -> Brought:
        self._take(groups, None, math.inf)
        left = (f"{self._empty} groups without processes",) if self._empty else ()
        told = tuple(text for _, text in sorted(self._pressed, key=lambda one: -one[0])[:_MOST_TOLD])
        if self._idle:
            names = ", ".join(self._idle[:_MOST_TOLD])
            told = (f"idle groups, which run only where nobody else wants to, get the least weight: {names}", *told)
        return Brought(tuple(self._pools), tuple(self._guests), left, self._hosts, told)

    def _take(self, groups: list[_Group], parent: str | None, promised: float) -> None:
        for group in groups:
            if group.line("cgroup.events", "populated") == 0:
                self._empty += 1
                continue
            name = self._namer.name_like(name_of(group.name))
            kept = max(group.number("memory.min") or 0.0, group.number("memory.low") or 0.0) / _MIB
            # Nothing is kept for a group beyond what is kept for the one it is in.
            kept = min(kept, promised, self._host.memory_mib)
            try:
                if group.is_guest:
                    self._guests.append(self._guest(group, name, parent, kept))
                else:
                    pool = self._pool(group, name, parent, kept)
                    self._pools.append(pool)
                    self._take(group.inside, pool.id, kept)
            except ValidationError as error:
                raise PlanFileError(f"{group.path} has values that cannot be: {error.errors()[0]['msg']}") from None
            for resource, word in (("cpu", "CPU"), ("memory", "memory")):
                found = _PRESSURE.search(group.files[f"{resource}.pressure"])
                if found and float(found[1]) >= _TELLING_PART:
                    part = float(found[1])
                    self._pressed.append((part, f"{name} waited for {word} in {part:.0f} % of the last five minutes"))

    def _cpu(self, group: _Group) -> dict[str, Any]:
        """Give shares, and the limit: CPUs of quota times the speed of a core."""
        shares = group.number("cpu.weight")
        quota, _, period = group.files["cpu.max"].strip().partition(" ")
        of, every = _number(quota), _number(period)
        limit = None if not of or not every else of / every * self._host.mhz
        if shares == 0:
            # The kernel's word for a group that runs only where nobody else wants to.
            self._idle.append(name_of(group.name))
            shares = _LEAST_WEIGHT
        return {"shares": _USUAL_WEIGHT if shares is None else shares, "limit": limit}

    def _bound(self, group: _Group, *files: str) -> float | None:
        """Give the least of some bounds, MiB; None where none is below what the machine has."""
        values = [value / _MIB for file in files if (value := group.number(file)) is not None]
        least = min(values, default=math.inf)
        return least if least < self._host.memory_mib else None

    def _pool(self, group: _Group, name: str, parent: str | None, kept: float) -> Pool:
        limit = self._bound(group, "memory.high", "memory.max")
        kept = kept if limit is None else min(kept, limit)
        return Pool.model_validate({
            "id": self._namer.id_for(name, "pool"), "name": name, "parent": parent, "cpu": self._cpu(group),
            "memory": {"reservation": kept, "limit": limit},
        })  # fmt: skip

    def _guest(self, group: _Group, name: str, parent: str | None, kept: float) -> Guest:
        size = max(self._bound(group, "memory.max") or self._host.memory_mib, 1.0)
        limit = self._bound(group, "memory.high")
        limit = None if limit is None or limit >= size else limit
        cpu = self._cpu(group)
        vcpus = float(_cpus_in(group.files["cpuset.cpus"]) or self._threads)
        if cpu["limit"] is not None:
            vcpus = min(vcpus, math.ceil(cpu["limit"] / self._host.mhz))
        used = min((group.number("memory.current") or 0.0) / _MIB, size)
        idle = min(group.line("memory.stat", "inactive_file") / _MIB, used)
        return Guest.model_validate({
            "id": self._namer.id_for(name, "guest"), "name": name, "pool": parent, "vcpus": max(int(vcpus), 1),
            "cpu": cpu,
            "memory": {
                "mode": "thin", "size": size, "limit": limit,
                "reservation": min(kept, size if limit is None else limit),
            },
            "demand": {"cpu": group.cpus * self._host.mhz, "working": used - idle, "touched": used},
        })  # fmt: skip


def _number(text: str) -> float | None:
    """Give a whole number of a file; None where it says ``max``, or nothing that is one."""
    text = text.strip()
    return float(text) if text.isdecimal() and text.isascii() and len(text) <= 20 else None


def _cpus_in(text: str) -> int:
    """Give how many CPUs a list such as ``0-3,8`` has."""
    count = 0
    for part in text.strip().split(","):
        found = re.fullmatch(r"(\d{1,6})(?:-(\d{1,6}))?", part, re.ASCII)
        if found:
            count += max(int(found[2] or found[1]) - int(found[1]) + 1, 0)
    return count


def _machine(proc: Path) -> Host:
    """Give this machine as a host: processors, their speed, and memory, as the kernel tells them."""
    text = _read(proc / "cpuinfo")
    told = {
        key: re.findall(rf"^{key}\s*: (.+)$", text, re.MULTILINE)
        for key in ("processor", "physical id", "core id", "cpu MHz")
    }
    threads = max(len(told["processor"]), 1)
    sockets = max(len(set(told["physical id"])), 1)
    cores = len(set(zip(told["physical id"], told["core id"], strict=False))) or threads
    even = threads % cores == 0 and cores % sockets == 0
    speeds = sorted(float(speed) for speed in told["cpu MHz"] if re.fullmatch(r"\d{1,5}(\.\d+)?", speed))
    memory = re.search(r"^MemTotal:\s+(\d{1,15}) kB$", _read(proc / "meminfo"), re.MULTILINE)
    if memory is None:
        raise PlanFileError(f"{proc} does not tell how much memory this machine has")
    return Host.model_validate({
        "id": "this-host", "name": "this host", "sockets": sockets if even else 1,
        "cores_per_socket": cores // sockets if even else threads, "threads_per_core": threads // cores if even else 1,
        "mhz": round(speeds[len(speeds) // 2]) if speeds and speeds[-1] >= 1 else _USUAL_MHZ,
        "memory_mib": float(memory[1]) / 1024, "numa_nodes": 1,
    })  # fmt: skip
