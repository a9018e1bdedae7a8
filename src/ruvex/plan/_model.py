"""The document: hosts, pools, guests, rules and events as immutable values."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Any, Final, Literal

from pydantic import Discriminator, Field, Tag, model_validator

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
)
from ruvex.plan._rules import Rules
from ruvex.plan._signals import Signal

FORMAT: Final = "ruvex-plan"
VERSION: Final = 1
SHARES_STANDARD = 100.0


class Item(Model):
    """What hosts, pools and guests have in common: an id unique in the plan, and a name."""

    id: Id
    name: Text = ""

    @property
    def label(self) -> str:
        """The name people read: the name, or the id where no name was given."""
        return self.name or self.id


class SpillVolume(Model):
    """Disk space behind one guest of a bank, MiB."""

    id: Id
    mib: Annotated[Number, Field(gt=0, le=MAX_MIB)]
    kind: Literal["ssd", "hdd"] = "ssd"


class Bank(Model):
    """A slice of a host's memory for thin guests, MiB: its size, how far that may be raised, its spill volumes."""

    size_mib: Annotated[Number, Field(gt=0, le=MAX_MIB)]
    max_mib: Annotated[Number, Field(gt=0, le=MAX_MIB)]
    spill_volumes: Annotated[tuple[SpillVolume, ...], Field(max_length=100_000)] = ()

    @model_validator(mode="after")
    def _in_order(self) -> Bank:
        if self.size_mib > self.max_mib:
            raise ValueError(f"the size ({self.size_mib:.12g} MiB) is above the largest size ({self.max_mib:.12g} MiB)")
        names = [volume.id for volume in self.spill_volumes]
        if len(set(names)) < len(names):
            raise ValueError("two spill volumes have the same id")
        return self


class Host(Item):
    """A machine that guests run on. CPU speeds in MHz, memory in MiB."""

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


class Pool(Item):
    """A node that groups guests and pools and competes as one with its peers."""

    parent: Id | None = None
    owner: Text = ""
    member_scaled: Flag = False
    cpu: PoolCpu = PoolCpu()
    memory: PoolMemory = PoolMemory()


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
    """Dynamic memory: grows and shrinks with need between ``floor`` and ``ceiling`` (MiB)."""

    mode: Literal["elastic"]
    boot: Annotated[Number, Field(gt=0, le=MAX_MIB)] = 4096.0
    floor: Mib = 1024.0
    ceiling: Mib = 8192.0
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


class Demand(Model):
    """What the guest's work asks for: CPU in MHz, memory in MiB, each a number or a signal.

    ``greedy`` work takes whatever memory it sees; ``cache_percent`` of the spare memory fills with file cache.
    """

    cpu: Signal = 1500.0
    working: Signal = 3000.0
    touched: Signal = 6000.0
    kind: Literal["interactive", "batch"] = "interactive"
    greedy: Flag = False
    cache_percent: Percent = 0.0


class Guest(Item):
    """A virtual machine. ``host`` may be left out while a plan has one host or none."""

    pool: Id | None = None
    host: Id | None = None
    power: Literal["on", "off"] = "on"
    vcpus: Annotated[Whole, Field(ge=1, le=4096)] = 2
    tags: Annotated[tuple[Text, ...], Field(max_length=1000)] = ()
    image: Text = ""
    agent: Flag = True
    boot_s: Seconds = 40.0
    hot_add: tuple[Literal["memory", "vcpus"], ...] = ()
    dedicated_cores: Flag = False
    cpu: GuestCpu = GuestCpu()
    memory: Memory = ThinMemory()
    demand: Demand = Demand()

    @property
    def in_bank(self) -> bool:
        """Whether its memory comes from the bank of its host."""
        return isinstance(self.memory, ThinMemory) and self.memory.bank

    @property
    def is_on(self) -> bool:
        """Whether the guest is powered on."""
        return self.power == "on"


Change = Annotated[dict[Text, Any], Field(min_length=1, max_length=100)]


class PowerEvent(Model):
    """A guest is switched on or off, or restarted."""

    at: Time
    do: Literal["power-on", "power-off", "restart"]
    target: Id


class SetEvent(Model):
    """Settings of a guest, pool, host or of the rules change: dotted setting names to values."""

    at: Time
    do: Literal["set"]
    target: Id
    change: Change


class SurgeEvent(Model):
    """The demand of a guest or of a pool's guests is multiplied by ``factor`` for ``for_s`` seconds."""

    at: Time
    do: Literal["surge"]
    target: Id
    factor: Annotated[Number, Field(ge=0, le=1e6)]
    for_s: Seconds


class MoveEvent(Model):
    """A guest moves to another host."""

    at: Time
    do: Literal["move"]
    target: Id
    host: Id


class HostEvent(Model):
    """A host is lost or comes back."""

    at: Time
    do: Literal["host-down", "host-up"]
    target: Id


Event = Annotated[PowerEvent | SetEvent | SurgeEvent | MoveEvent | HostEvent, Field(discriminator="do")]


class Plan(Model):
    """The whole document. Rules between its parts are checked by ``check_plan``; reading does so."""

    format: Literal["ruvex-plan"] = FORMAT
    version: Literal[1] = VERSION
    name: Text = ""
    notes: Annotated[str, Field(max_length=1_000_000)] = ""
    hosts: tuple[Host, ...] = ()
    pools: tuple[Pool, ...] = ()
    guests: tuple[Guest, ...] = ()
    rules: Rules = Rules()
    moment: Time = 8 * 3600.0
    day_s: Annotated[Number, Field(gt=0, le=MAX_SECONDS)] = 86_400.0
    tick_s: Annotated[Number, Field(gt=0, le=86_400)] = 1.0
    seed: Annotated[Whole, Field(ge=0, le=2**63 - 1)] = 1
    events: tuple[Event, ...] = ()

    @model_validator(mode="after")
    def _moment_in_day(self) -> Plan:
        if self.moment > self.day_s:
            raise ValueError(f"the moment is after the end of the day (day_s = {self.day_s:g})")
        return self

    @cached_property
    def host_index(self) -> dict[str, int]:
        """Position of each host by id."""
        return {host.id: i for i, host in enumerate(self.hosts)}

    @cached_property
    def pool_index(self) -> dict[str, int]:
        """Position of each pool by id."""
        return {pool.id: i for i, pool in enumerate(self.pools)}

    @cached_property
    def guest_index(self) -> dict[str, int]:
        """Position of each guest by id."""
        return {guest.id: i for i, guest in enumerate(self.guests)}

    def host_of(self, guest: Guest) -> Host | None:
        """Give the host a guest is on: the named one, or the only one, or None in a plan without hosts."""
        if guest.host is not None:
            return self.hosts[self.host_index[guest.host]]
        return self.hosts[0] if self.hosts else None
