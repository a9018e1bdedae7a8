"""Stores and the disks of guests on them, and the network links of hosts."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ruvex.plan._fields import Flag, Id, Model, Number, Shares, at_most
from ruvex.plan._item import Item

_SHARES = 100.0
Ops = Annotated[Number, Field(ge=0, le=1e9)]
Rated = Annotated[Number, Field(gt=0, le=1e9)]


class Store(Item):
    """A disk or array that guests share: how many transfers a second it does, and how many MiB a second at most.

    One that ``promises`` keeps the reservations of disks on it.
    """

    ops: Rated = 12_000.0
    mib_s: Rated = 900.0
    kind: Literal["ssd", "hdd"] = "ssd"
    promises: Flag = False


class Disk(Model):
    """A guest's disk on a store: its weight there, and bounds in transfers a second."""

    id: Id
    store: Id
    shares: Shares = _SHARES
    limit_ops: Rated | None = None
    reservation_ops: Ops = 0.0


Disks = Annotated[tuple[Disk, ...], Field(max_length=64), at_most(64)]


class Link(Model):
    """A network link of a host."""

    id: Id
    mib_s: Rated = 1100.0


Links = Annotated[tuple[Link, ...], Field(max_length=64), at_most(64)]


class GuestLink(Model):
    """What a guest has of its host's links: its weight among the guests there, and a limit in MiB/s."""

    shares: Shares = _SHARES
    limit_mib_s: Rated | None = None
