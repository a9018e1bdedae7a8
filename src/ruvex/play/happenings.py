"""What can happen while a plan is played, as data; ``ruvex.words`` says it in sentences."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from enum import Enum, auto
from typing import Any

from ruvex.promise import Refusal, Waiting


@dataclass(frozen=True, slots=True)
class Short:
    """Why not: promises do not allow it."""

    lacking: Refusal | Waiting


@dataclass(frozen=True, slots=True)
class NotFound:
    """Why not: memory that is not to be had now, MiB, and what is; on which host, where that must be said."""

    needed_mib: float
    found_mib: float
    host: str | None = None


@dataclass(frozen=True, slots=True)
class Reclaiming:
    """Why not yet: so much memory is being taken back for it, MiB."""

    mib: float


@dataclass(frozen=True, slots=True)
class Ruled:
    """Why not: a rule, in words."""

    text: str


Why = Short | NotFound | Reclaiming | Ruled
"""What stands in the way."""


class Plain(Enum):
    """What needs no figures to be told."""

    ALREADY_ON = auto()
    ALREADY_OFF = auto()
    NOT_ON = auto()
    SWITCHED_OFF = auto()
    RESTARTED = auto()
    BOOTED = auto()
    AGENT_LOADED = auto()
    ALREADY_DOWN = auto()
    ALREADY_UP = auto()
    HOST_UP = auto()
    MOVE_ENDED = auto()


@dataclass(frozen=True, slots=True)
class HostDown:
    """A host is lost, and so many guests with it."""

    guests: int


@dataclass(frozen=True, slots=True)
class Boots:
    """A start goes ahead on a host."""

    host: str | None


@dataclass(frozen=True, slots=True)
class Bridged:
    """Disk stands in for so much of a boot size, MiB."""

    mib: float


@dataclass(frozen=True, slots=True)
class BridgeReleased:
    """Disk no longer stands in for so much, MiB."""

    mib: float


@dataclass(frozen=True, slots=True)
class Remarked:
    """Something worth a remark, in words."""

    text: str


@dataclass(frozen=True, slots=True)
class NotStarted:
    """A start is refused."""

    why: Why


@dataclass(frozen=True, slots=True)
class StartWaits:
    """A start waits."""

    why: Why


@dataclass(frozen=True, slots=True)
class NotMoved:
    """A move to a host is refused."""

    host: str
    why: Why


@dataclass(frozen=True, slots=True)
class SetOut:
    """A move to a host begins; ``relieves`` as in ``MoveDone``."""

    host: str
    relieves: float | None = None


@dataclass(frozen=True, slots=True)
class Arrived:
    """A guest goes on on another host, so long after it set out, and held still for so long, s."""

    host: str
    took_s: float
    held_still_s: float


@dataclass(frozen=True, slots=True)
class MovedOff:
    """A guest that is off is on another host from now."""

    host: str


@dataclass(frozen=True, slots=True)
class Changed:
    """Settings change."""

    change: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class NotChanged:
    """A change of settings is refused."""

    change: Mapping[str, Any]
    why: Why


@dataclass(frozen=True, slots=True)
class Surged:
    """Demand is so many times as high for so long, s."""

    factor: float
    for_s: float


@dataclass(frozen=True, slots=True)
class DoneLate:
    """Batch work that was due at a time is done so much later, s."""

    due_s: float
    late_s: float


@dataclass(frozen=True, slots=True)
class PressureChanged:
    """The pressure of a host or its bank, and what it was; numbers into ``PRESSURES``."""

    pressure: int
    before: int
    is_bank: bool


Happening = (
    Plain | HostDown | Boots | Bridged | BridgeReleased | Remarked | NotStarted | StartWaits | NotMoved | SetOut
    | Arrived | MovedOff | Changed | NotChanged | Surged | DoneLate | PressureChanged
)  # fmt: skip


def name_of(what: Happening) -> str:
    """Give what happened as one word for documents.

    Examples
    --------
    >>> name_of(Plain.SWITCHED_OFF), name_of(SetOut("h"))
    ('switched-off', 'set-out')
    """
    if isinstance(what, Plain):
        return what.name.lower().replace("_", "-")
    return re.sub(r"(?<!^)(?=[A-Z])", "-", type(what).__name__).lower()
