"""Control groups of the running kernel, of version 2 or 1, made for a proof and taken away after it."""

from __future__ import annotations

import contextlib
import os
import signal
import subprocess
import sys
import time
from collections.abc import Mapping
from pathlib import Path
from typing import Final

from ruvex.plan import RuvexError

_ROOT: Final = Path("/sys/fs/cgroup")
_PREFIX: Final = "ruvex-proof-"
_PERIOD_US: Final = 100_000
_LEAST_QUOTA_US: Final = 1000
_BOUNDS: Final = {2: (1, 10_000), 1: (2, 262_144)}
_USUAL: Final = {2: 100.0, 1: 1024.0}
"""The weight that a group has which nobody set, by the version."""
_GUARD: Final = Path(__file__).with_name("_guard.py")
_TRIES: Final = 200
HOW: Final = "run it as root, or in a group that is yours: systemd-run --user --scope -p Delegate=yes ruvex prove PLAN"


class NoGroupsError(RuvexError):
    """Groups with weights cannot be made here; the text says why and what would mend it."""


def _place() -> tuple[int, Path]:
    """Give the version of the groups that divide CPU here, and the group under which ours go."""
    own = _own_groups()
    if (_ROOT / "cgroup.controllers").exists():
        base = _ROOT if os.geteuid() == 0 else _ROOT / own.get("", "").lstrip("/")
        if "cpu" not in (base / "cgroup.controllers").read_text(encoding="ascii").split():
            raise NoGroupsError(f"{base} has no controller of CPU; {HOW}")
        return 2, base
    for name in ("cpu,cpuacct", "cpu"):
        if (_ROOT / name).is_dir():
            return 1, _ROOT / name / own.get("cpu", "").lstrip("/")
    raise NoGroupsError(f"this system has no control groups in {_ROOT}; a proof needs Linux with them")


def _own_groups() -> Mapping[str, str]:
    """Give the groups this process is in, by controller; that of version 2 by no name."""
    found: dict[str, str] = {}
    with contextlib.suppress(OSError):
        for line in Path("/proc/self/cgroup").read_text(encoding="utf-8").splitlines():
            _, names, path = line.split(":", 2)
            found |= dict.fromkeys(names.split(","), path)
    return found


def clear_left_groups() -> None:
    """Take away groups whose proof is gone, as after the machine's memory ran out."""
    with contextlib.suppress(NoGroupsError, OSError):
        for path in _place()[1].glob(f"{_PREFIX}*"):
            number = path.name.removeprefix(_PREFIX).partition("-")[0]
            if number.isdigit() and not Path(f"/proc/{number}").exists():
                _clear(path)


def _clear(base: Path) -> None:
    """End whoever is in a group or in those below it, and take them away."""
    for _ in range(_TRIES):
        folders = sorted((path for path in base.rglob("*") if path.is_dir()), key=lambda p: -len(p.parts))
        for folder in (*folders, base):
            with contextlib.suppress(OSError):
                for pid in (folder / "cgroup.procs").read_text(encoding="ascii").split():
                    with contextlib.suppress(OSError):
                        os.kill(int(pid), signal.SIGKILL)
            with contextlib.suppress(OSError):
                folder.rmdir()
        if not base.exists():
            return
        time.sleep(0.01)


class Groups:
    """A tree of groups; a process beside this one takes it away should this one die.

    Raises
    ------
    NoGroupsError
        None can be made.
    """

    def __init__(self) -> None:
        self.version, above = _place()
        self._rest: Path | None = None
        self.base = above / f"{_PREFIX}{os.getpid()}-{time.monotonic_ns()}"
        self._guard: subprocess.Popen[bytes] | None = None
        try:
            if self.version == 2 and above != _ROOT:
                self._step_aside(above)
            self._make(self.base)
        except OSError as error:
            self.close()
            raise NoGroupsError(f"no control group can be made in {above}: {error.strerror}; {HOW}") from None
        if not (self.base / self._file("weight")).exists():
            self.close()
            raise NoGroupsError(f"groups in {above} have no weight: CPU is not theirs to divide; {HOW}")
        self._guard = subprocess.Popen(
            [sys.executable, "-E", "-S", str(_GUARD), str(self.base)], stdin=subprocess.PIPE, start_new_session=True
        )

    def _step_aside(self, above: Path) -> None:
        """Make room in a group that was handed to us: one with processes in it cannot divide CPU among others."""
        self._rest = above / f"ruvex-rest-{os.getpid()}"
        self._rest.mkdir()
        for pid in (above / "cgroup.procs").read_text(encoding="ascii").split():
            (self._rest / "cgroup.procs").write_text(pid)
        (above / "cgroup.subtree_control").write_text("+cpu")

    def _file(self, what: str) -> str:
        return {"weight": ("cpu.shares", "cpu.weight"), "limit": ("cpu.cfs_quota_us", "cpu.max")}[what][
            self.version - 1
        ]

    def _make(self, path: Path) -> None:
        path.mkdir()
        if self.version == 2:
            (path / "cgroup.subtree_control").write_text("+cpu")

    def add(self, path: str, weight: float, limit: float | None, *, has_groups: bool) -> None:
        """Make a group with a weight in the kernel's own numbers, and a limit in processors."""
        place = self.base / path
        place.mkdir()
        (place / self._file("weight")).write_text(str(round(weight)))
        if limit is not None:
            quota = max(round(limit * _PERIOD_US), _LEAST_QUOTA_US)
            if self.version == 1:
                (place / "cpu.cfs_period_us").write_text(str(_PERIOD_US))
            (place / self._file("limit")).write_text(f"{quota} {_PERIOD_US}" if self.version == 2 else str(quota))
        if has_groups and self.version == 2:
            (place / "cgroup.subtree_control").write_text("+cpu")

    def put(self, path: str, pid: int) -> None:
        """Put a process into a group."""
        (self.base / path / "cgroup.procs").write_text(str(pid))

    def weights(self, weights: Mapping[str, float]) -> tuple[dict[str, float], bool]:
        """Give the weights of peers in the kernel's numbers, the ratios kept; and whether its bounds cut them."""
        least, most = _BOUNDS[self.version]
        lowest, highest = min(weights.values()), max(weights.values())
        # As near to the usual number as the bounds allow: the kernel rounds what it works with.
        factor = min(max(_USUAL[self.version] / lowest, least / lowest), most / highest)
        found = {name: max(weight * factor, float(least)) for name, weight in weights.items()}
        return found, lowest * factor < least

    def close(self) -> None:
        """Take all of it away, whoever is still in it."""
        if self.base.exists():
            _clear(self.base)
        if self._rest is not None:
            above = self._rest.parent
            with contextlib.suppress(OSError):
                (above / "cgroup.subtree_control").write_text("-cpu")
                for pid in (self._rest / "cgroup.procs").read_text(encoding="ascii").split():
                    (above / "cgroup.procs").write_text(pid)
                self._rest.rmdir()
            self._rest = None
        if self._guard is not None and self._guard.stdin is not None:
            self._guard.stdin.close()
            self._guard.wait()
            self._guard = None
