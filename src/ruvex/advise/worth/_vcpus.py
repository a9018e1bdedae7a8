"""vCPUs that are too many: for the guest's work, for its host, for a node of it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from ruvex.advise._remedies import Remedy
from ruvex.advise._size import vcpus_for, with_vcpus
from ruvex.advise.worth._finding import Case, Finding
from ruvex.cores import vcpu_change
from ruvex.plan import format_cpu
from ruvex.words import counted

_LEAST: Final = 4


def idle_vcpus(case: Case) -> Iterator[Finding]:
    """A guest whose peak would do with half of its vCPUs: a quarter of four is half of two."""
    peaks = case.peaks["cpu_wanted"]
    for i, guest in case.guests_on():
        mhz = case.mhz_of(i)
        if mhz <= 0 or guest.vcpus < _LEAST or guest.dedicated_cores:
            continue
        fewer = vcpus_for(float(peaks[i]), mhz)
        if fewer > guest.vcpus / 2:
            continue
        used = float(case.peaks["cpu_delivered"][i])
        change = with_vcpus(guest, case.plan.hosts[case.host_of(i)], fewer, used)
        yield Finding(
            "idle-vcpus", "untidy", (guest.id,),
            f"{guest.label} has {guest.vcpus} vCPUs and never wants more than {format_cpu(float(peaks[i]))}, the work"
            f" of {float(peaks[i]) / mhz:.1f}",
            (("vCPUs", str(guest.vcpus)), ("work of at most", f"{float(peaks[i]) / mhz:.1f}")),
            1 - fewer / guest.vcpus,
            Remedy(counted(fewer, "vCPU"), ((guest.id, change),)),
            (guest.vcpus, float(peaks[i]) / mhz), (fewer, float(peaks[i]) / mhz),
            curve=tuple(value / mhz for value in case.curve("cpu_wanted", i)), line=guest.vcpus, line_after=fewer,
        )  # fmt: skip


def wider_than_host(case: Case) -> Iterator[Finding]:
    """A guest with more vCPUs than its host has cores: they wait for each other whenever it is busy."""
    for i, guest in case.guests_on():
        if case.host_of(i) < 0:
            continue
        host = case.plan.hosts[case.host_of(i)]
        if guest.vcpus > host.cores:
            yield Finding(
                "wider-than-host", "will-hurt", (guest.id, host.id),
                f"{guest.label} has {counted(guest.vcpus, 'vCPU')} on the {counted(host.cores, 'core')} of"
                f" {host.label}",
                (("vCPUs", str(guest.vcpus)), ("cores", str(host.cores))), 1 - host.cores / guest.vcpus,
                Remedy(counted(host.cores, "vCPU"), ((guest.id, vcpu_change(guest, host, host.cores)),)),
                (guest.vcpus, host.cores), (host.cores, host.cores),
            )  # fmt: skip
        elif host.numa_nodes > 1 and guest.vcpus > max(1, host.cores / host.numa_nodes):
            per_node = max(1, host.cores // host.numa_nodes)
            yield Finding(
                "wider-than-node", "untidy", (guest.id, host.id),
                f"{guest.label} has {guest.vcpus} vCPUs, more than the {counted(per_node, 'core')} of a node of"
                f" {host.label}: part of its memory is always far",
                (("vCPUs", str(guest.vcpus)), ("cores of a node", str(per_node))), 1 - per_node / guest.vcpus,
                Remedy(counted(per_node, "vCPU"), ((guest.id, vcpu_change(guest, host, per_node)),)),
                (guest.vcpus, per_node), (per_node, per_node),
            )  # fmt: skip
