"""What a guest gains or pays, of one resource."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ruvex.plan import Resource


@dataclass(frozen=True, slots=True)
class Shift:
    """What a guest gains, or pays where that is told of payers: CPU in MHz, memory in MiB."""

    guest: str
    resource: Resource
    amount: float

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {"id": self.guest, "resource": self.resource, "amount": self.amount}
