"""What the columns of tables can hold: a table of guests, pools, hosts, stores, rules of placement or events."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal

Kind = Literal["guests", "pools", "hosts", "stores", "placement", "events"]
"""What the rows of a table are."""
TABLE_KINDS: Final[tuple[Kind, ...]] = ("guests", "pools", "hosts", "stores", "placement", "events")
KIND_WORDS: Final[Mapping[Kind, str]] = {
    "guests": "guests", "pools": "pools", "hosts": "hosts", "stores": "stores",
    "placement": "rules of placement", "events": "events",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Column:
    """Something a column can hold.

    Attributes
    ----------
    heading, setting, kind
        What it is called, the setting it fills, and what its cells are.
    others
        Other headings that mean it for certain.
    is_given
        Whether it is written too, not only read.
    """

    heading: str
    setting: str
    kind: str
    others: tuple[str, ...] = ()
    is_given: bool = True


_ID: Final = Column("id", "id", "text")
_VCPUS: Final = ("vcpu", "virtual cpus", "cpus", "cores", "cpu cores", "cpu count", "processors", "number of cpus")
_SIZES: Final = ("size", "memory", "ram", "configured memory", "memory configured", "ram size")
_RESERVED_CPU: Final = Column("CPU reservation", "cpu.reservation", "cpu", ("cpu reserved", "reserved cpu"))
_LIMIT_CPU: Final = Column("CPU limit", "cpu.limit", "cpu", ("cpu maximum", "cpu cap"))
_SHARES_CPU: Final = Column("CPU shares", "cpu.shares", "number")
_RESERVED_MEMORY: Final = Column(
    "memory reservation", "memory.reservation", "memory", ("memory reserved", "reserved memory")
)
_LIMIT_MEMORY: Final = Column("memory limit", "memory.limit", "memory", ("memory cap",))
_SHARES_MEMORY: Final = Column("memory shares", "memory.shares", "number")
_GUESTS: Final = (
    _ID,
    Column("name", "name", "text", ("guest", "machine", "hostname", "server", "guest name", "machine name")),
    Column("pool", "pool", "pool", ("resource pool", "group", "folder", "department", "pool path")),
    Column("host", "host", "host", ("node", "on host", "host name")),
    Column("power", "power", "power", ("state", "status", "power state", "running", "on")),
    Column("vCPUs", "vcpus", "whole", _VCPUS),
    Column("tags", "tags", "list", ("tag", "labels", "label")),
    Column("image", "image", "text", ("operating system", "os", "guest os")),
    Column("agent", "agent", "flag", ("agent installed", "guest agent")),
    _RESERVED_CPU,
    _LIMIT_CPU,
    _SHARES_CPU,
    Column("memory mode", "memory.mode", "word", ("mode", "memory type")),
    Column("memory size", "memory.size", "memory", _SIZES),
    _RESERVED_MEMORY,
    _LIMIT_MEMORY,
    _SHARES_MEMORY,
    Column("boot size", "memory.boot", "memory", ("boot", "boot memory")),
    Column("floor", "memory.floor", "memory", ("minimum memory", "memory minimum", "least memory")),
    Column("ceiling", "memory.ceiling", "memory", ("maximum memory", "memory maximum", "most memory")),
    Column("headroom", "memory.headroom_percent", "percent"),
    Column("CPU demand", "demand.cpu", "cpu", ("cpu wanted", "cpu used", "cpu usage", "used cpu", "average cpu")),
    Column("working set", "demand.working", "memory", ("working", "memory in use", "memory used")),
    Column("touched", "demand.touched", "memory", ("touched memory",)),
    Column("kind of work", "demand.kind", "word"),
    Column("greedy", "demand.greedy", "flag"),
    Column("what greedy work leaves", "demand.leaves_percent", "percent"),
    Column("cache", "demand.cache_percent", "percent"),
    Column("length of a burst in ms", "demand.burst.ms", "number"),
    Column("even bursts", "demand.burst.even", "flag"),
    Column("how it varies by day", "demand.varies", "json"),
    Column("time of booting", "boot_s", "time", ("boot time",)),
    Column("can be added while on", "hot_add", "list"),
    Column("can be taken while on", "hot_remove", "list"),
    Column("processor level", "cpu_level", "whole"),
    Column("turn after a loss", "comes_back", "turn"),
    Column("size without elastic memory", "otherwise_mib", "memory"),
    Column("cores of its own", "dedicated_cores", "flag"),
    Column("wish for cores", "cores", "json"),
    Column("in the bank", "memory.bank", "flag"),
    Column("spill volume", "memory.spill_volume", "text"),
    Column("transfers a second", "demand.ops", "signal", ("disk transfers", "iops", "disk operations")),
    Column("KiB of a transfer", "demand.kib_per_op", "number"),
    Column("network traffic in MiB/s", "demand.net_mib_s", "signal", ("network traffic",)),
    Column("disks", "disks", "json"),
    Column("part of the links", "link", "json"),
)  # fmt: skip
_POOLS: Final = (
    _ID,
    Column("name", "name", "text", ("pool", "pool name", "group", "resource pool")),
    Column("pool above", "parent", "pool", ("parent", "parent pool", "in pool", "above")),
    Column("owner", "owner", "text", ("owned by", "department", "team", "customer", "cost centre")),
    Column("owner may", "owner_may", "list"),
    Column("weighs", "weighs", "word"),
    _RESERVED_CPU,
    _LIMIT_CPU,
    _SHARES_CPU,
    Column("draws CPU on its parent", "cpu.draws", "flag"),
    _RESERVED_MEMORY,
    _LIMIT_MEMORY,
    _SHARES_MEMORY,
    Column("draws memory on its parent", "memory.draws", "flag"),
)  # fmt: skip
_HOSTS: Final = (
    _ID,
    Column("name", "name", "text", ("host", "host name", "hostname", "node", "server", "machine")),
    Column("sockets", "sockets", "whole", ("cpu sockets", "packages", "number of sockets")),
    Column("cores in a socket", "cores_per_socket", "whole", ("cores per socket",)),
    Column("cores", "cores", "whole", ("cpu cores", "all cores", "core count"), is_given=False),
    Column("threads of a core", "threads_per_core", "whole", ("threads per core",)),
    Column("speed of a core", "mhz", "cpu", ("core speed", "clock", "clock speed", "frequency", "cpu speed", "speed")),
    Column("yield of second threads", "smt_yield", "number"),
    Column("CPU it needs itself", "overhead_mhz", "cpu", ("cpu overhead",)),
    Column("memory", "memory_mib", "memory", ("memory size", "ram", "installed memory")),
    Column("memory it needs itself", "overhead_mib", "memory", ("memory overhead",)),
    Column("NUMA nodes", "numa_nodes", "whole", ("numa",)),
    Column("maker of the processor", "cpu_maker", "text", ("cpu maker", "cpu vendor")),
    Column("processor level", "cpu_level", "whole"),
    Column("spill space", "spill_mib", "memory"),
    Column("kind of spill space", "spill_kind", "word"),
    Column("bank", "bank", "json"),
    Column("up", "up", "flag", ("state", "status", "running", "power")),
    Column("store of its spill space", "store", "store"),
    Column("network links", "links", "json"),
)  # fmt: skip
_STORES: Final = (
    _ID,
    Column("name", "name", "text", ("store", "store name")),
    Column("transfers a second it does", "ops", "number", ("transfers a second", "iops")),
    Column("MiB/s it does", "mib_s", "number", ("throughput in MiB/s",)),
    Column("it lies on", "kind", "word", ("kind of store",)),
    Column("it promises", "promises", "flag", ("promises",)),
)  # fmt: skip
_PLACEMENT: Final = (
    Column("rule", "kind", "word", ("kind", "placement")),
    Column("guests", "guests", "guests", ("machines", "members")),
    Column("hosts", "hosts", "hosts", ("nodes",)),
)  # fmt: skip
_EVENTS: Final = (
    Column("time", "at", "time", ("at", "when")),
    Column("event", "do", "word", ("do", "what", "action")),
    Column("of", "target", "target", ("target", "guest", "pool", "subject")),
    Column("change", "change", "json", ("settings",)),
    Column("to host", "host", "host", ("new host",)),
    Column("factor", "factor", "number"),
    Column("lasts", "for_s", "time", ("for", "duration", "length")),
    Column("id", "id", "text"),
    Column("note", "note", "text", ("remark", "comment")),
)  # fmt: skip
COLUMNS: Final[Mapping[Kind, tuple[Column, ...]]] = {
    "guests": _GUESTS, "pools": _POOLS, "hosts": _HOSTS, "stores": _STORES, "placement": _PLACEMENT, "events": _EVENTS,
}  # fmt: skip
"""The columns of each kind of table, in the order in which they are written."""
NEEDED: Final[Mapping[Kind, tuple[str, ...]]] = {
    "guests": ("name",), "pools": ("name",), "hosts": ("name",), "stores": ("name",),
    "placement": ("kind", "guests"), "events": ("at", "do", "target"),
}  # fmt: skip
"""The settings without which a row of the kind says nothing."""
