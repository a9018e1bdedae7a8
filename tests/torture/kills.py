"""Killing whoever writes: in the middle of a save, of copying traces, of keeping a recovery copy."""

from __future__ import annotations

import os
import random
import shutil
import signal
import sys
import time
from collections.abc import Callable
from pathlib import Path

from ruvex.desktop.state.recovery_copy import read_copy, write_copy
from ruvex.plan import PlanFile, change_settings, clear_leftovers, digest_of, read_plan, write_plan

_LONGEST_S = 0.12
_NAMES = ("saves", "saves elsewhere", "recovery copies")


class Killing:
    """Two states of a plan, one of which is always whole in the file, however often its writer is killed."""

    def __init__(self, folder: Path, source: Path, seed: int) -> None:
        self.folder, self.random = folder, random.Random(seed)
        file = read_plan(source)
        guest = file.plan.guests[0].id
        other = change_settings(file.plan, guest, {"cpu.shares": 4321, "name": "x" * 900})
        self.states = (file, PlanFile(other, file.traces, file.layout))
        self.path = folder / "plan.ruvex.json"
        self.copy = folder / "copy.recovery"

    def write(self, kind: str, number: int) -> None:
        """Write one of the states, as one kind of writer does."""
        file = self.states[number % 2]
        if kind == "saves":
            write_plan(file.plan, self.path, layout=file.layout, traces=file.traces)
        elif kind == "saves elsewhere":
            # Each time another folder, so that the traces are copied too.
            target = self.folder / f"elsewhere-{os.getpid()}-{number}"
            target.mkdir()
            write_plan(file.plan, target / "plan.ruvex.json", traces=file.traces)
        else:
            write_copy(self.copy, file.plan, file.traces, file.layout, path=self.path, digest="")

    def kill_one(self, kind: str) -> None:
        """Let a process write without end, and kill it somewhere on its way."""
        reader, writer = os.pipe()
        child = os.fork()
        if child == 0:
            try:
                os.write(writer, b"!")
                number = 0
                while True:
                    self.write(kind, number)
                    number += 1
            finally:
                os._exit(1)
        os.read(reader, 1)
        time.sleep(self.random.uniform(0.0, _LONGEST_S))
        os.kill(child, signal.SIGKILL)
        _, status = os.waitpid(child, 0)
        os.close(reader)
        os.close(writer)
        if not os.WIFSIGNALED(status):
            raise AssertionError(f"{kind}: the writer ended by itself with status {status}")

    def check(self) -> None:
        """See that everything that is there is whole, and that nothing is left of what was not finished."""
        plans = [state.plan for state in self.states]
        for path in sorted(self.folder.rglob("*.ruvex.json")):
            file = read_plan(path)
            assert file.plan in plans, f"{path} holds neither state"
            for name, table in file.traces.items():
                assert table.content == self.states[0].traces[name].content, f"{path}: the trace {name} is another one"
        if self.copy.exists():
            assert read_copy(self.copy).plan in plans, "the recovery copy holds neither state"
        for path in sorted({self.folder, *(path.parent for path in self.folder.rglob("*"))}):
            clear_leftovers(path)
        parts = list(self.folder.rglob("*.part"))
        assert not parts, f"left over: {parts}"
        for path in self.folder.glob("elsewhere-*"):
            shutil.rmtree(path)


def kill_writers(
    folder: Path, source: Path, times: int, seed: int, told: Callable[[int], None] = lambda _n: None
) -> None:
    """Kill writers of each kind in turn, and look at what is there after each; raises AssertionError."""
    killing = Killing(folder, source, seed)
    before = digest_of(source.read_bytes())
    for number in range(times):
        killing.kill_one(_NAMES[number % len(_NAMES)])
        killing.check()
        told(number)
    assert digest_of(source.read_bytes()) == before


if __name__ == "__main__":
    kill_writers(Path(sys.argv[1]), Path(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4]))
    print("all whole")
