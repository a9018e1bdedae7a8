"""Writing a plan as drop-in files of systemd (systemd.resource-control(5)): a folder a host, a file a pool or guest.

What the kernel has no word for is told in the readme that lies beside: a promise of CPU, shares of memory, and what
it could only say of a device that is known.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any, Final

from ruvex.divide import Division, PlacePart, places_of
from ruvex.exchange.groups._names import SLICE, escape
from ruvex.plan import ElasticMemory, FixedMemory, Guest, Host, Plan, ThinMemory, format_number, format_time

_TOP: Final = "machine"
"""The slice in which systemd has machines."""
_LEAST_WEIGHT, _MOST_WEIGHT = 1, 10_000
_FILE: Final = "50-ruvex.conf"
_README: Final = """{plan}, as systemd would have it on {host}

One folder is a unit, the file in it what the plan sets for it, as the plan has it at {at}.

How
  A pool is a slice in {top}.slice, a guest a scope in its pool's slice. Give each guest's folder the name of its unit
  as `systemctl list-units --type=scope,service` shows it ([Scope] becomes [Service] in a service), copy all folders
  into /etc/systemd/system/, and run `systemctl daemon-reload`. A unit that runs changes its slice when it starts again.
  Taking them back is removing the folders and the same command.

What says what
  CPUWeight     shares, among those in the same slice
  CPUQuota      limit of CPU; 100 % is one core at {mhz} MHz with its other threads idle
  AllowedCPUs   the cores a guest may run on; look at `lscpu --extended` for how this machine counts its threads
  MemoryMin     what is promised: reservation, floor, or all of a fixed size
  MemoryLow     what it gets at {at}: what is reclaimed first is what others have beyond theirs
  MemoryHigh    limit of memory: what is beyond is reclaimed
  MemoryMax     a guest's size or ceiling, and what is needed to run it
  IOWeight      shares of a guest's disks, of a slice those of all in it together

What cannot be said there
{unsaid}
"""


def drop_ins(division: Division) -> dict[str, str]:
    """Give the text of every file by its path, such as ``north/machine-ops.slice.d/50-ruvex.conf``; and readmes.

    Guests that are off are not in it. Weights are scaled where the kernel's bounds, 1 to 10 000, ask for it.
    """
    plan = division.site.plan
    parts: dict[str, dict[str, list[PlacePart]]] = {}
    for resource in (division.cpu, division.memory):
        for place in places_of(resource):
            part = PlacePart(division, resource, place)
            parts.setdefault(part.host, {"cpu": [], "memory": []})["memory" if resource.k else "cpu"].append(part)
    files: dict[str, str] = {}
    for host in plan.hosts:
        of_host = parts.get(host.id)
        if of_host is not None:
            cpu = {row["id"]: row for part in of_host["cpu"] for row in part.rows}
            memory = {row["id"]: row for part in of_host["memory"] if part.kind == "host" for row in part.rows}
            memory |= {row["id"]: row for p in of_host["memory"] for row in p.rows if row["kind"] == "guest"}
            written = _OneHost(plan, host, cpu, memory).files(division.at_s)
            files |= {f"{escape(host.id)}/{path}": text for path, text in written.items()}
    return files


class _OneHost:
    """The files of one host."""

    def __init__(
        self, plan: Plan, host: Host, cpu: Mapping[str, dict[str, Any]], memory: Mapping[str, dict[str, Any]]
    ) -> None:
        self._plan, self._host, self._cpu, self._memory = plan, host, cpu, memory
        self._unsaid: list[str] = []

    def files(self, at_s: float) -> dict[str, str]:
        """Give the files by their path within the host's folder."""
        files, weights = {}, self._weights({item: row["weight"] for item, row in self._cpu.items()})
        io_weights = self._weights(self._shares_of_disks())
        for item, row in self._cpu.items():
            lines = [f"CPUWeight={weights[item]}"]
            lines += [f"IOWeight={io_weights[item]}"] if item in io_weights else []
            if row["kind"] == "pool":
                pool = self._plan.pools[self._plan.pool_index[item]]
                self._promise_of_cpu(pool.label, pool.cpu.reservation)
                memory = self._memory.get(item)
                lines += self._quota(row["limit"])
                if memory is not None:
                    lines += _bounds(memory["reservation"], memory["delivered"], memory["limit"], None)
                files[f"{self._slice(item)}.d/{_FILE}"] = _text("Slice", lines)
            else:
                guest = self._plan.guests[self._plan.guest_index[item]]
                self._promise_of_cpu(guest.label, guest.cpu.reservation)
                lines += [*self._quota(guest.cpu.limit), *self._cores(guest), *self._memory_of(guest)]
                files[f"{escape(item)}.scope.d/{_FILE}"] = _text("Scope", [f"Slice={self._slice(guest.pool)}", *lines])
        off = [guest.label for guest in self._plan.guests if not guest.is_powered]
        if off:
            self._unsaid.append(f"{', '.join(off)}: off, not written")
        unsaid = "\n".join(f"  {line}" for line in self._unsaid) or "  nothing"
        files["README.txt"] = _README.format(
            plan=self._plan.name or "A plan", host=self._host.label, at=format_time(at_s), top=_TOP,
            mhz=format_number(self._host.mhz), unsaid=unsaid + "\n  shares of memory: MemoryLow stands for them",
        )  # fmt: skip
        return files

    def _promise_of_cpu(self, label: str, mhz: float) -> None:
        if mhz > 0:
            self._unsaid.append(f"{label}: {format_number(mhz)} MHz of CPU promised; only its weight speaks for it")

    def _slice(self, pool: str | None) -> str:
        path: list[str] = []
        while pool is not None:
            path.append(escape(pool))
            pool = self._plan.pools[self._plan.pool_index[pool]].parent
        return "-".join([_TOP, *reversed(path)]) + SLICE

    def _shares_of_disks(self) -> dict[str, float]:
        """Give what each guest with disks weighs there, and each pool: pools have no part in a store, only guests."""
        found: dict[str, float] = {}
        for item, row in self._cpu.items():
            disks = self._plan.guests[self._plan.guest_index[item]].disks if row["kind"] == "guest" else ()
            if not disks:
                continue
            shares = max(disk.shares for disk in disks)
            label = self._plan.labels[item]
            if any(disk.shares != shares for disk in disks):
                self._unsaid.append(f"{label}: its disks have other shares each; IOWeight has the largest")
            for disk in disks:
                bounds = (("limit", disk.limit_ops), ("promise", disk.reservation_ops or None))
                told = [f"{name} of {format_number(value)} transfers a second" for name, value in bounds if value]
                if told:
                    self._unsaid.append(f"{label}, disk {disk.id}: {', '.join(told)}; it needs the name of a device")
            above: str | None = item
            while above is not None:
                found[above] = found.get(above, 0.0) + shares
                above = self._cpu[above]["parent"]
        return found

    def _weights(self, weight_of: Mapping[str, float]) -> dict[str, int]:
        """Give everyone's weight among those in the same slice."""
        peers: dict[str | None, list[str]] = {}
        for item in weight_of:
            peers.setdefault(self._cpu[item]["parent"], []).append(item)
        found: dict[str, int] = {}
        for items in peers.values():
            values = [weight_of[item] for item in items]
            whole = all(value == round(value) for value in values)
            fits = whole and min(values) >= _LEAST_WEIGHT and max(values) <= _MOST_WEIGHT
            factor = 1.0 if fits else _MOST_WEIGHT / max(values)
            for item in items:
                found[item] = max(round(weight_of[item] * factor), _LEAST_WEIGHT)
            if min(values) * factor < _LEAST_WEIGHT:
                self._unsaid.append(f"{items[values.index(min(values))]}: weighs too little beside its peers")
        return found

    def _quota(self, mhz: float | None) -> list[str]:
        # systemd has no quota of nothing, and none below a hundredth of a CPU's time.
        return [] if mhz is None else [f"CPUQuota={max(round(mhz / self._host.mhz * 100), 1)}%"]

    def _cores(self, guest: Guest) -> list[str]:
        if guest.cores.only is None:
            return []
        ways = self._host.threads_per_core if guest.cores.second_threads else 1
        threads = sorted(core + way * self._host.cores for core in guest.cores.only for way in range(ways))
        return [f"AllowedCPUs={','.join(map(str, threads))}"]

    def _memory_of(self, guest: Guest) -> Iterable[str]:
        memory, rule = guest.memory, self._plan.rules.guest_overhead
        overhead = rule.fixed_mib + rule.per_vcpu_mib * guest.vcpus + memory.size * rule.percent_of_size / 100
        promised, most, limit = 0.0, memory.size, None
        if isinstance(memory, FixedMemory):
            promised = memory.size
        elif isinstance(memory, ElasticMemory):
            promised, most = memory.floor, memory.ceiling
        elif isinstance(memory, ThinMemory):
            promised, limit = memory.reservation, memory.limit
        row = self._memory.get(guest.id)
        limit = None if limit is None or limit >= most else limit
        return _bounds(promised, row["delivered"] if row else promised, limit, most + overhead)


def _bounds(promised: float, has: float, high: float | None, most: float | None) -> list[str]:
    kept = [("MemoryMin", promised or None), ("MemoryLow", max(has, promised) or None)]
    bounds = [*kept, ("MemoryHigh", high), ("MemoryMax", most)]
    return [f"{name}={_bytes(value)}" for name, value in bounds if value is not None]


def _bytes(mib: float) -> str:
    return f"{mib:.0f}M" if mib == round(mib) else str(round(mib * 2**20))


def _text(section: str, lines: Iterable[str]) -> str:
    return "\n".join([f"[{section}]", *lines, ""])
