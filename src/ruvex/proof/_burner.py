"""Wants a part of a processor: it computes as long as it has a claim to time, and sleeps when it has had its part.

A script of its own, so that fifty of them start quickly. It begins when its input ends, and ends with its parent.
"""

from __future__ import annotations

import ctypes
import os
import signal
import sys
import time

_SLICE_S = 0.0005
_SAVED_S = 0.05
"""So much time at its part can be saved up: what was not had for longer is lost, as interactive work is."""


def main(part: float, parent: int) -> None:
    """Want a part of a processor for as long as its parent is there."""
    # 1 is PR_SET_PDEATHSIG: whoever started it must not leave it behind.
    ctypes.CDLL(None).prctl(1, signal.SIGKILL)
    if os.getppid() != parent:
        return  # Its parent was killed before it could ask for that, and would never be heard of.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.read(0, 1)
    if part >= 1.0:
        while True:
            pass
    owed, last = 0.0, time.monotonic()
    while True:
        now = time.monotonic()
        owed, last = min(owed + part * (now - last), part * _SAVED_S), now
        if owed <= _SLICE_S * part:
            time.sleep(0.002)
            continue
        begun = time.process_time()
        while time.process_time() - begun < min(owed, _SLICE_S):
            pass
        owed -= time.process_time() - begun


if __name__ == "__main__":
    main(float(sys.argv[1]), int(sys.argv[2]))
