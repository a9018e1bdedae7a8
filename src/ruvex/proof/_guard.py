"""Waits until whoever started it is gone, then ends all processes in a control group and takes it away.

A script of its own, run with nothing but the standard library: it must work when all else has been killed.
"""

from __future__ import annotations

import contextlib
import os
import signal
import sys
import time


def main(base: str) -> None:
    """Wait for the end of the input, then clear a group and those in it."""
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, signal.SIG_IGN)
    while os.read(0, 1):
        pass
    for _ in range(1000):
        for folder, _inside, _files in os.walk(base, topdown=False):
            with contextlib.suppress(OSError), open(f"{folder}/cgroup.procs") as file:  # noqa: PTH123
                for pid in file.read().split():
                    with contextlib.suppress(OSError):
                        os.kill(int(pid), signal.SIGKILL)
            with contextlib.suppress(OSError):
                os.rmdir(folder)  # noqa: PTH106
        if not os.path.isdir(base):  # noqa: PTH112
            return
        time.sleep(0.01)


if __name__ == "__main__":
    main(sys.argv[1])
