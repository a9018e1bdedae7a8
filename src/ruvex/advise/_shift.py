"""What a guest gains or pays, of one thing that guests compete for."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ruvex.divide import Contended


@dataclass(frozen=True, slots=True)
class Shift:
    """What a guest gains, or pays where that is told of payers: MHz, MiB, transfers a second, or MiB/s."""

    guest: str
    resource: Contended
    amount: float

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {"id": self.guest, "resource": self.resource, "amount": self.amount}
