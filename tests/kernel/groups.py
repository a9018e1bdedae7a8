"""Control groups of the running kernel, version 2 or 1, made for a test and taken away after it."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path("/sys/fs/cgroup")
STANDARD = 100
"""The weight of our plans that stands for the kernel's standard one."""
BURNER = "while True: pass"


class NoGroupsError(Exception):
    """Groups with weights cannot be made here; the text says why."""


class Groups:
    """A tree of groups with busy processes in them, all on one processor."""

    def __init__(self) -> None:
        self._is_second = (ROOT / "cgroup.controllers").exists()
        base = ROOT if self._is_second else ROOT / "cpu"
        self._base = base / f"ruvex-test-{os.getpid()}"
        self._made: list[Path] = []
        self._burners: dict[str, subprocess.Popen[bytes]] = {}
        self._processor = max(os.sched_getaffinity(0))
        try:
            self._make(self._base)
        except OSError as error:
            raise NoGroupsError(f"no control group can be made in {base}: {error.strerror}") from None
        weight = "cpu.weight" if self._is_second else "cpu.shares"
        if not (self._base / weight).exists():
            self.close()
            raise NoGroupsError(f"groups in {base} have no {weight}: the processor is not theirs to divide")

    def _make(self, path: Path) -> None:
        path.mkdir()
        self._made.append(path)
        if self._is_second:
            (path / "cgroup.subtree_control").write_text("+cpu")

    def _path(self, name: str) -> Path:
        return self._base.joinpath(*name.split("/"))

    def add(self, name: str, shares: float, limit: float | None = None) -> None:
        """Make a group, such as ``pool/guest``, with a weight as our plans have it and a limit in processors."""
        path = self._path(name)
        self._make(path)
        if self._is_second:
            (path / "cpu.weight").write_text(str(round(shares)))
        else:
            (path / "cpu.shares").write_text(str(round(shares / STANDARD * 1024)))
        if limit is not None:
            quota = round(limit * 100_000)
            if self._is_second:
                (path / "cpu.max").write_text(f"{quota} 100000")
            else:
                (path / "cpu.cfs_quota_us").write_text(str(quota))

    def burn(self, name: str) -> None:
        """Start a process in a group that always wants the processor."""
        burner = subprocess.Popen([sys.executable, "-c", BURNER], stdout=subprocess.DEVNULL)
        self._burners[name] = burner
        os.sched_setaffinity(burner.pid, {self._processor})
        path = self._path(name)
        if self._is_second:
            # Processes live in leaves only: the one made for this one has no controllers below.
            (path / "cgroup.subtree_control").write_text("-cpu")
        (path / "cgroup.procs").write_text(str(burner.pid))

    def _ran(self) -> dict[str, tuple[float, float]]:
        """Give what each process ran, and waited for the processor, so far, s."""
        found = {}
        for name, burner in self._burners.items():
            ran, waited, _ = Path(f"/proc/{burner.pid}/schedstat").read_text(encoding="ascii").split()
            found[name] = (int(ran) / 1e9, int(waited) / 1e9)
        return found

    def measure(self, ran_s: float, most_s: float = 30.0) -> tuple[dict[str, float], float]:
        """Wait until all together ran so long; gives what each ran of that, and what all ran of the time, 0 to 1."""
        before, begun = self._ran(), time.monotonic()
        while True:
            time.sleep(0.05)
            passed = time.monotonic() - begun
            now = self._ran()
            ran = {name: now[name][0] - before[name][0] for name in now}
            if sum(ran.values()) >= ran_s:
                return {name: value / sum(ran.values()) for name, value in ran.items()}, sum(ran.values()) / passed
            if passed > most_s:
                raise NoGroupsError(f"the processor is too busy: {sum(ran.values()):.1f} s ran in {passed:.0f} s")

    def close(self) -> None:
        """End the processes and take the groups away."""
        for burner in self._burners.values():
            burner.send_signal(signal.SIGKILL)
            burner.wait()
        for path in reversed(self._made):
            for _ in range(100):
                with contextlib.suppress(OSError):
                    path.rmdir()
                    break
                time.sleep(0.01)
        self._made.clear()
        self._burners.clear()
