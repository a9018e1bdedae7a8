"""The document: hosts, pools, guests, rules and events as immutable values."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Final, Literal

from pydantic import BeforeValidator, Discriminator, Field, Tag, model_validator

from ruvex.plan._fields import (
    MAX_MIB,
    MAX_SECONDS,
    Flag,
    Id,
    Mhz,
    MhzLimit,
    Mib,
    MibLimit,
    Model,
    Number,
    Percent,
    Seconds,
    Shares,
    Text,
    Time,
    Whole,
    at_most,
)
from ruvex.plan._item import Item, Labels
from ruvex.plan._resources import Resource
from ruvex.plan._rules import Rules
from ruvex.plan._signals import Signal
from ruvex.plan._stores import Disks, GuestLink, Links, Store

FORMAT: Final = "ruvex-plan"
VERSION: Final = 1
SHARES_STANDARD = 100.0
DAWN_S: Final = 8 * 3600.0
"""The moment of a plan that names none."""


class SpillVolume(Model):
    """Disk space behind one guest of a bank, MiB; a shared one can be reached from other hosts."""

    id: Id
    mib: Annotated[Number, Field(gt=0, le=MAX_MIB)]
    kind: Literal["ssd", "hdd"] = "ssd"
    shared: Flag = False


class Bank(Model):
    """A slice of a host's memory for thin guests, MiB: its size, how far that may be raised, its spill volumes."""

    size_mib: Annotated[Number, Field(gt=0, le=MAX_MIB)]
    max_mib: Annotated[Number, Field(gt=0, le=MAX_MIB)]
    spill_volumes: Annotated[tuple[SpillVolume, ...], Field(max_length=10_000), at_most(10_000)] = ()

    @model_validator(mode="after")
    def _in_order(self) -> Bank:
        if self.size_mib > self.max_mib:
            raise ValueError(f"the size ({self.size_mib:.12g} MiB) is above the largest size ({self.max_mib:.12g} MiB)")
        names = [volume.id for volume in self.spill_volumes]
        if len(set(names)) < len(names):
            raise ValueError("two spill volumes have the same id")
        return self


class Host(Item):
    """A machine that guests run on. CPU speeds in MHz, memory in MiB.

    ``store`` is where its spill space lies, if that is a store of the plan.
    """

    sockets: Annotated[Whole, Field(ge=1, le=1024)] = 2
    cores_per_socket: Annotated[Whole, Field(ge=1, le=1024)] = 8
    threads_per_core: Annotated[Whole, Field(ge=1, le=16)] = 2
    mhz: Annotated[Number, Field(gt=0, le=1e6)] = 2600.0
    smt_yield: Annotated[Number, Field(ge=0, le=1)] = 0.0
    overhead_mhz: Mhz = 0.0
    memory_mib: Mib = 131072.0
    overhead_mib: Mib = 0.0
    numa_nodes: Annotated[Whole, Field(ge=1, le=1024)] = 2
    cpu_maker: Text = ""
    cpu_level: Annotated[Whole, Field(ge=0, le=1000)] = 1
    spill_mib: Mib | None = None
    spill_kind: Literal["ssd", "hdd"] = "ssd"
    bank: Bank | None = None
    store: Id | None = None
    links: Links = ()
    up: Flag = True

    @property
    def cores(self) -> int:
        """Physical cores of all sockets."""
        return self.sockets * self.cores_per_socket


class PoolCpu(Model):
    """A pool's CPU settings; reservation and limit in MHz."""

    reservation: Mhz = 0.0
    limit: MhzLimit | None = None
    shares: Shares = SHARES_STANDARD
    draws: Flag = True


class PoolMemory(Model):
    """A pool's memory settings; reservation and limit in MiB."""

    reservation: Mib = 0.0
    limit: MibLimit | None = None
    shares: Shares = SHARES_STANDARD
    draws: Flag = True


Permission = Literal["switch", "divide", "resize", "add"]
"""What the owner of a pool may do in it: power, shares and promises, sizes and demand, new guests."""
Permissions = Annotated[tuple[Permission, ...], Field(max_length=4), at_most(4)]


class Pool(Item):
    """A node that groups guests and pools and competes as one with its peers.

    It weighs as one, or by its members: then its shares count once for each guest in it that is on. ``owner_may`` is
    what its owner may change once it is handed over.
    """

    parent: Id | None = None
    owner: Text = ""
    owner_may: Permissions = ("switch", "divide")
    weighs: Literal["as-one", "by-members"] = "as-one"
    cpu: PoolCpu = PoolCpu()
    memory: PoolMemory = PoolMemory()

    def of(self, resource: Resource) -> PoolCpu | PoolMemory:
        """Give its settings of one resource."""
        return self.cpu if resource == "cpu" else self.memory


class GuestCpu(Model):
    """A guest's CPU settings; reservation and limit in MHz."""

    reservation: Mhz = 0.0
    limit: MhzLimit | None = None
    shares: Shares = SHARES_STANDARD


class FixedMemory(Model):
    """All of ``size`` (MiB) is backed at power-on; the weight counts when several guests start at once."""

    mode: Literal["fixed"]
    size: Annotated[Number, Field(gt=0, le=MAX_MIB)] = 4096.0
    shares: Shares = SHARES_STANDARD


class ElasticMemory(Model):
    """Elastic memory: grows and shrinks with need between ``floor`` and ``ceiling`` (MiB)."""

    mode: Literal["elastic"]
    boot: Annotated[Number, Field(gt=0, le=MAX_MIB)] = 3328.0
    floor: Mib = 1408.0
    ceiling: Mib = 7424.0
    headroom_percent: Annotated[Number, Field(ge=0, le=1000)] = 15.0
    shares: Shares = SHARES_STANDARD

    @property
    def size(self) -> float:
        """The size that overhead and per-size weights count: the boot size, MiB."""
        return self.boot


class ThinMemory(Model):
    """Backed when touched, reclaimed under pressure; all quantities in MiB.

    With ``bank`` it lives in the bank of its host; ``spill_volume`` names the volume it is to have there.
    """

    mode: Literal["thin"] = "thin"
    size: Annotated[Number, Field(gt=0, le=MAX_MIB)] = 8192.0
    reservation: Mib = 0.0
    limit: MibLimit | None = None
    shares: Shares = SHARES_STANDARD
    bank: Flag = False
    spill_volume: Id | None = None


MEMORY_MODES: Final[Mapping[str, type[Model]]] = {
    "fixed": FixedMemory, "elastic": ElasticMemory, "thin": ThinMemory,
}  # fmt: skip


def _mode_of(value: Any) -> Any:
    return value.get("mode", "thin") if isinstance(value, dict) else getattr(value, "mode", None)


Memory = Annotated[
    Annotated[FixedMemory, Tag("fixed")]
    | Annotated[ElasticMemory, Tag("elastic")]
    | Annotated[ThinMemory, Tag("thin")],
    Discriminator(
        _mode_of,
        custom_error_type="memory_mode",
        custom_error_message="the memory mode is fixed, elastic or thin",
    ),
]


CoreNumber = Annotated[Whole, Field(ge=0, le=1_048_575)]


class Burst(Model):
    """How a vCPU's work comes: it runs for ``ms`` on average, or always so long if ``even``, then sleeps likewise."""

    ms: Annotated[Number, Field(ge=0.01, le=60_000)] = 8.0
    even: Flag = False


class Varies(Model):
    """How far a guest's random days differ, where that is not as the rules have it; see ``Chances``."""

    shift_s: Annotated[Number, Field(ge=0, le=86_400)] | None = None
    height_percent: Annotated[Number, Field(ge=0, le=100)] | None = None
    length_percent: Annotated[Number, Field(ge=0, le=100)] | None = None
    together_percent: Percent | None = None
    surge_percent: Percent | None = None


class CoreWish(Model):
    """On which threads of its host a guest may run.

    ``only`` numbers cores (None: all); without ``second_threads`` it runs on one thread a core; ``side_by_side`` its
    vCPUs keep to as few cores as they fill.
    """

    only: (
        Annotated[tuple[Annotated[Whole, Field(ge=0, le=1_048_575)], ...], Field(min_length=1), at_most(10_000)] | None
    ) = None
    second_threads: Flag = True
    side_by_side: Flag = False


class Demand(Model):
    """What the guest's work asks for: CPU in MHz, memory in MiB, transfers a second, MiB/s, each a number or a signal.

    Its transfers go to its disks in equal parts, each of ``kib_per_op``.

    ``greedy`` work fills all the memory it is given but for ``leaves_percent``; ``cache_percent`` of the spare memory
    fills with file cache.
    """

    cpu: Signal = 1500.0
    working: Signal = 3000.0
    touched: Signal = 6000.0
    kind: Literal["interactive", "batch"] = "interactive"
    greedy: Flag = False
    leaves_percent: Annotated[Number, Field(ge=0, lt=100)] = 6.0
    cache_percent: Percent = 0.0
    ops: Signal = 0.0
    kib_per_op: Annotated[Number, Field(gt=0, le=65_536)] = 16.0
    net_mib_s: Signal = 0.0
    burst: Burst = Burst()
    varies: Varies = Varies()


def _no_wish(value: Any) -> Any:
    return CoreWish() if value is None else value


class Guest(Item):
    """A virtual machine. Without a ``host`` it goes wherever there is room.

    ``cpu_level`` is what its programs see of the processor (None: its host's), ``comes_back`` its turn after the loss
    of its host (lower first; None: by memory shares), ``otherwise_mib`` the fixed size it would have without elastic
    memory (None: its ceiling).
    """

    pool: Id | None = None
    host: Id | None = None
    power: Literal["on", "off"] = "on"
    vcpus: Annotated[Whole, Field(ge=1, le=4096)] = 2
    tags: Annotated[tuple[Text, ...], Field(max_length=1000), at_most(1000)] = ()
    image: Text = ""
    agent: Flag = True
    boot_s: Seconds = 40.0
    hot_add: tuple[Literal["memory", "vcpus"], ...] = ()
    hot_remove: tuple[Literal["vcpus"], ...] = ()
    cpu_level: Annotated[Whole, Field(ge=0, le=1000)] | None = None
    comes_back: Annotated[Whole, Field(ge=0, le=1_000_000)] | Literal["stays-off"] | None = None
    otherwise_mib: Annotated[Number, Field(gt=0, le=MAX_MIB)] | None = None
    dedicated_cores: Flag = False
    cores: Annotated[CoreWish, BeforeValidator(_no_wish)] = CoreWish()
    cpu: GuestCpu = GuestCpu()
    memory: Memory = ThinMemory()
    disks: Disks = ()
    link: GuestLink = GuestLink()
    demand: Demand = Demand()

    def of(self, resource: Resource) -> GuestCpu | Memory:
        """Give its settings of one resource."""
        return self.cpu if resource == "cpu" else self.memory

    @property
    def in_bank(self) -> bool:
        """Whether its memory comes from the bank of its host."""
        return isinstance(self.memory, ThinMemory) and self.memory.bank

    @property
    def is_powered(self) -> bool:
        """Whether its power is on; one whose host is down is not on all the same: the standing of a site says."""
        return self.power == "on"


Change = Annotated[dict[Text, Any], Field(min_length=1, max_length=100), at_most(100)]


class Aside(Model):
    """What was worth a look, and was set aside by somebody who knows why."""

    kind: Annotated[Text, Field(min_length=1, max_length=60)]
    of: Id
    reason: Annotated[Text, Field(min_length=1)]


class Happening(Model):
    """What all events have: a time, and if one likes an id and a note."""

    at: Time
    id: Text = ""
    note: Text = ""


class PowerEvent(Happening):
    """A guest is switched on or off, or restarted."""

    do: Literal["power-on", "power-off", "restart"]
    target: Id


class SetEvent(Happening):
    """Settings of a guest, pool, host or of the rules change: dotted setting names to values."""

    do: Literal["set"]
    target: Id
    change: Change


class SurgeEvent(Happening):
    """The demand of a guest or of a pool's guests is multiplied by ``factor`` for ``for_s`` seconds."""

    do: Literal["surge"]
    target: Id
    factor: Annotated[Number, Field(ge=0, le=1e6)]
    for_s: Seconds


class MoveEvent(Happening):
    """A guest moves to another host."""

    do: Literal["move"]
    target: Id
    host: Id


class HostEvent(Happening):
    """A host is lost or comes back."""

    do: Literal["host-down", "host-up"]
    target: Id


Event = Annotated[PowerEvent | SetEvent | SurgeEvent | MoveEvent | HostEvent, Field(discriminator="do")]


class KeptTogether(Model):
    """Guests that are on one host, or each on another one."""

    kind: Literal["together", "apart"]
    guests: Annotated[tuple[Id, ...], Field(min_length=2, max_length=100_000), at_most(100_000)]


class Stays(Model):
    """Guests that are only on some hosts."""

    kind: Literal["stays"]
    guests: Annotated[tuple[Id, ...], Field(min_length=1, max_length=100_000), at_most(100_000)]
    hosts: Annotated[tuple[Id, ...], Field(min_length=1, max_length=10_000), at_most(10_000)]


PlacementRule = Annotated[KeptTogether | Stays, Field(discriminator="kind")]


Digest = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]


class HandedOver(Model):
    """A pool that was given to its owner to plan: what may be changed there, and the digest of what was given."""

    pool: Id
    may: Permissions
    digest: Digest


class Handed(Model):
    """Where a plan is from that was handed over: the plan's name, the pool, and all of it as it was given."""

    plan: Text
    pool: Id
    may: Permissions
    digest: Digest
    base: dict[Text, Any]


_INDEXES: Final = {"hosts": "host_index", "stores": "store_index", "pools": "pool_index", "guests": "guest_index"}


class Plan(Model):
    """The whole document. Rules between its parts are checked by ``check_plan``; reading does so."""

    format: Literal["ruvex-plan"] = FORMAT
    version: Literal[1] = VERSION
    name: Text = ""
    notes: Annotated[str, Field(max_length=1_000_000)] = ""
    hosts: tuple[Host, ...] = ()
    stores: tuple[Store, ...] = ()
    pools: tuple[Pool, ...] = ()
    guests: tuple[Guest, ...] = ()
    placement: tuple[PlacementRule, ...] = ()
    aside: tuple[Aside, ...] = ()
    handed_over: tuple[HandedOver, ...] = ()
    handed: Handed | None = None
    rules: Rules = Rules()
    moment: Time = DAWN_S
    day_s: Annotated[Number, Field(ge=1, le=MAX_SECONDS)] = 86_400.0
    tick_s: Annotated[Number, Field(ge=0.01, le=86_400)] = 1.0
    seed: Annotated[Whole, Field(ge=0, le=2**63 - 1)] = 1
    events: tuple[Event, ...] = ()

    @model_validator(mode="before")
    @classmethod
    def _moment_of_short_day(cls, data: Any) -> Any:
        # A plan that names no moment looks at 08:00, or at the end of its day where that comes first.
        if isinstance(data, dict) and "moment" not in data:
            day_s = data.get("day_s")
            if isinstance(day_s, int | float) and not isinstance(day_s, bool) and 0 < day_s < DAWN_S:
                return data | {"moment": day_s}
        return data

    @model_validator(mode="after")
    def _moment_in_day(self) -> Plan:
        if self.moment > self.day_s:
            raise ValueError(f"the moment is after the end of the day (day_s = {self.day_s:g})")
        return self

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Plan:
        """Give a copy with other values; the index of a list is made anew where ids, or their order, are others.

        Pydantic copies what was worked out already: a plan with another host would not know it by its id.
        """
        new = super().model_copy(update=update, deep=deep)
        for name, index in _INDEXES.items():
            if update is not None and name in update and index in new.__dict__:
                old, now = getattr(self, name), update[name]
                if len(old) != len(now) or any(a is not b and a.id != b.id for a, b in zip(old, now, strict=True)):
                    del new.__dict__[index]
        return new

    @cached_property
    def host_index(self) -> dict[str, int]:
        """Position of each host by id."""
        return {host.id: i for i, host in enumerate(self.hosts)}

    @cached_property
    def store_index(self) -> dict[str, int]:
        """Position of each store by id."""
        return {store.id: i for i, store in enumerate(self.stores)}

    @cached_property
    def pool_index(self) -> dict[str, int]:
        """Position of each pool by id."""
        return {pool.id: i for i, pool in enumerate(self.pools)}

    @cached_property
    def guest_index(self) -> dict[str, int]:
        """Position of each guest by id."""
        return {guest.id: i for i, guest in enumerate(self.guests)}

    @property
    def labels(self) -> Mapping[str, str]:
        """The name people read of each guest, pool, host and store, by id; looked up when asked for."""
        return Labels(
            (self.guests, lambda: self.guest_index), (self.pools, lambda: self.pool_index),
            (self.hosts, lambda: self.host_index), (self.stores, lambda: self.store_index),
        )  # fmt: skip

    def host_of(self, guest: Guest) -> Host | None:
        """Give the host a guest is on: the named one, or the only one; else None, as there is none or any will do."""
        if guest.host is not None:
            return self.hosts[self.host_index[guest.host]]
        return self.hosts[0] if len(self.hosts) == 1 else None
