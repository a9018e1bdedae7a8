"""Holds for a time that the window says what the ledger has, on one whole plan after the other."""

from __future__ import annotations

import time
import traceback
import unittest
from dataclasses import dataclass

from tests.desktop.test_alike import Alike

_OVER_EACH_OTHER = 25
"""So many plans are opened in one window."""


@dataclass
class _Found:
    """How far it went, until when it goes on, and on how many plans something was found."""

    seed: int
    end: float
    broken: int = 0


class _InOneWindow(Alike):
    """Opens plan over plan in one window."""

    def __init__(self, found: _Found) -> None:
        super().__init__("hold")
        self._found = found

    def hold(self) -> None:
        """Go on until the time is over, or so many were opened."""
        last = self._found.seed + _OVER_EACH_OTHER
        while self._found.seed < last and time.monotonic() < self._found.end:
            try:
                told = [f"{mode}: {one}" for mode, all_told in self.broken_by(self._found.seed) for one in all_told]
            except Exception:  # a window that dies on a plan is found as well, and the others go on
                told = [traceback.format_exc()]
            if told:
                self._found.broken += 1
                print(f"window, seed {self._found.seed}: {told[0]}", flush=True)
            self._found.seed += 1


def hold_window(seconds: float, seed: int) -> int:
    """Draw plans from a seed on until the time is over, and tell on which the window differs; gives 1 if on one."""
    found = _Found(seed, time.monotonic() + seconds)
    while time.monotonic() < found.end:
        result = unittest.TextTestRunner(verbosity=0).run(_InOneWindow(found))
        found.broken += not result.wasSuccessful()
    print(f"window: {found.broken} of {found.seed - seed} plans break it", flush=True)
    return 1 if found.broken else 0
