"""Hours of plan time at work: random edits, events and looks, invariants after every tick, memory that stays level."""

from __future__ import annotations

import argparse
import ctypes
import gc
import os
import random
import resource
import sys
import tempfile
import time
import traceback
from pathlib import Path
from typing import Any

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QCoreApplication, QEvent

from ruvex.cores import prepare
from ruvex.desktop import make_application, make_window
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state.preferences import Preferences
from ruvex.plan import (
    EditError,
    Event,
    HostEvent,
    MoveEvent,
    Plan,
    PowerEvent,
    SetEvent,
    SurgeEvent,
    plan_text,
    read_plan,
)
from ruvex.play import Player, division_at
from ruvex.site import site_of
from tests.play.site import check

LEVEL = 1.1
"""From the second hour on, memory may be so many times what it was then."""
_MINUTE_S = 60.0
_HOUR_S = 3600.0


def plan_of_many(guests: int, hours: float, seed: int) -> Plan:
    """Give a site of three hosts on which everybody wants more than there is, in every form of memory and demand."""
    chance = random.Random(seed)
    pools = [{"id": f"p{i}", "parent": f"p{i // 2}" if i > 3 else None, "owner": f"crew {i % 3}"} for i in range(9)]
    hosts = [
        {"id": f"h{i}", "sockets": 2, "cores_per_socket": 1 + guests // 30, "mhz": 2500 + 100 * i,
         "memory_mib": guests * 900, "spill_mib": guests * 4000, "spill_kind": ("ssd", "hdd", "ssd")[i]}
        for i in range(3)
    ]  # fmt: skip
    listed = []
    for i in range(guests):
        high = chance.choice((900, 2300, 4100))
        signals: tuple[Any, ...] = (
            high, {"kind": "bursts", "base": 90, "high": high, "every_s": chance.choice((70, 310, 1900)), "for_s": 40},
            {"kind": "daily", "low": 9, "high": high, "peak_at": chance.randrange(int(hours * _HOUR_S)), "width_h": 2},
        )  # fmt: skip
        memory = chance.choice((
            {"size": 4096, "reservation": chance.choice((0, 512))}, {"mode": "fixed", "size": 1536},
            {"mode": "elastic", "boot": 1024, "floor": 512, "ceiling": 4096},
        ))  # fmt: skip
        working = chance.choice((700, 1900, 3000))
        listed.append({
            "id": f"g{i}", "pool": chance.choice([None, *(pool["id"] for pool in pools)]), "host": f"h{i % 3}",
            "vcpus": chance.choice((1, 2, 4)), "memory": memory, "power": chance.choice(("on", "on", "on", "off")),
            "demand": {"cpu": chance.choice(signals), "working": working, "touched": working + 400,
                       "kind": chance.choice(("interactive", "batch"))},
        })  # fmt: skip
    return Plan.model_validate({
        "name": "Soak", "hosts": hosts, "pools": pools, "guests": listed, "day_s": hours * _HOUR_S, "moment": 0,
    })  # fmt: skip


class Soak:
    """A play in which events happen, and a window in which somebody works, side by side."""

    def __init__(self, window: Window, plan: Plan, seed: int) -> None:
        self.window, self.desk, self.chance = window, window.desk, random.Random(seed)
        self.player = Player(site_of(plan, {}), watch=check, record_s=30.0)
        self.edits = self.refused = self.looks = self.events = 0

    def minute(self) -> None:
        """Let a minute of the plan pass."""
        chance, plan = self.chance, self.player.site.plan
        while chance.random() < 0.6:
            self.player.insert(self.event(plan))
            self.events += 1
        self.player.run(self.player.now_s + _MINUTE_S)
        for _ in range(chance.randrange(4)):
            self.edit()
        if chance.random() < 0.5:
            self.look()
        for _ in range(3):
            self.desk.background.wait()
            QCoreApplication.processEvents()
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def event(self, plan: Plan) -> Event:
        """Make up something that happens now; much of it is refused, as in life."""
        chance, at = self.chance, self.player.now_s
        guest, host = chance.choice(plan.guests).id, chance.choice(plan.hosts).id
        way = chance.randrange(20)
        if way < 3:
            return SurgeEvent(at=at, do="surge", target=guest, factor=chance.choice((0.1, 2, 9)), for_s=300)
        if way < 5:
            return MoveEvent(at=at, do="move", target=guest, host=host)
        if way < 6:
            return HostEvent(at=at, do=chance.choice(("host-down", "host-up", "host-up", "host-up")), target=host)
        if way < 12:
            return PowerEvent(at=at, do=chance.choice(("power-on", "power-on", "power-off", "restart")), target=guest)
        change = chance.choice((
            {"cpu.shares": chance.choice((10, 100, 900))}, {"cpu.limit": chance.choice((None, 500, 2500))},
            {"memory.shares": 300}, {"cpu.reservation": chance.choice((0, 300))}, {"memory.limit": 1000},
            {"memory.ceiling": 6000}, {"memory.size": 5000}, {"vcpus": 3}, {"memory.reservation": 700},
        ))  # fmt: skip
        return SetEvent(at=at, do="set", target=guest, change=change)

    def come_to_rest(self) -> None:
        """Let everything beside the window be done, and nothing be tried."""
        self.desk.trial.give_up()
        for _ in range(50):
            self.desk.background.wait()
            QCoreApplication.processEvents()
            if self.desk.rehearsal.is_current and not self.desk.playing.is_running:
                break
        QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)

    def edit(self) -> None:
        """Change something of the plan in the window, take it back, make it again, or save."""
        chance, desk = self.chance, self.desk
        guest = chance.choice(desk.document.plan.guests).id
        way = chance.randrange(8)
        self.edits += 1
        try:
            if way == 0:
                desk.document.undo()
            elif way == 1:
                desk.document.redo()
            elif way == 2:
                self.window.files.save()
            elif way == 3:
                desk.trial.change(guest, {"power": chance.choice(("on", "off"))}, "power")
            else:
                setting = chance.choice(("cpu.shares", "cpu.reservation", "cpu.limit", "memory.shares", "vcpus"))
                value = chance.choice((1, 3)) if setting == "vcpus" else chance.choice((50, 100, 333, 1700))
                desk.trial.change(guest, {setting: value}, "more")
        except EditError:
            self.refused += 1

    def look(self) -> None:
        """Look at another time, row or view, settled or played, and at what the play had."""
        chance, desk, window = self.chance, self.desk, self.window
        self.looks += 1
        desk.look.set_moment(chance.uniform(0, desk.document.plan.day_s))
        desk.selection.select(chance.choice(desk.document.plan.guests).id)
        window.show_view(chance.choice(list(window.views)))
        window.grab()
        division_at(self.player, chance.uniform(0, self.player.now_s)).to_json()


def memory_mib() -> float:
    """Give how much memory the process has, without what it has let go and the system has not taken back yet."""
    gc.collect()
    ctypes.CDLL(None).malloc_trim(0)
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 2**20


def soak(folder: Path, *, hours: float, guests: int, seed: int) -> list[str]:
    """Soak; gives what was wrong."""
    application = make_application()
    prepare()
    faults: list[str] = []

    def take(*error: Any) -> None:
        faults.append("".join(traceback.format_exception(*error)))
        print(faults[-1], flush=True)

    sys.excepthook = take
    path = folder / "soak.ruvex.json"
    plan = plan_of_many(guests, hours, seed)
    path.write_text(plan_text(plan), encoding="utf-8")
    window = make_window(preferences=Preferences(folder / "state"), follow_desktop=False)
    window.resize(1280, 800)
    window.show()
    assert window.open_path(path)
    work, begun, levels = Soak(window, plan, seed), time.monotonic(), list[float]()
    while not work.player.is_over and not faults and application is not None:
        work.minute()
        if work.player.now_s % _HOUR_S < _MINUTE_S or work.player.is_over:
            work.come_to_rest()
            levels.append(memory_mib())
            print(
                f"{work.player.now_s / _HOUR_S:5.1f} h  {levels[-1]:6.0f} MiB  {work.events} events  {work.edits} edits"
                f" ({work.refused} refused)  {work.looks} looks  {time.monotonic() - begun:.0f} s", flush=True,
            )  # fmt: skip
    read_plan(path)
    if len(levels) > 2 and max(levels[2:]) > LEVEL * levels[1]:
        faults.append(f"memory rises: {', '.join(f'{level:.0f}' for level in levels)} MiB, an hour each")
    window.desk.document.undo_stack.setClean()
    window.close()
    return faults


def main() -> int:
    """Soak for the hours asked for; gives 1 if something was wrong."""
    parser = argparse.ArgumentParser(prog="scripts/soak", description=__doc__)
    parser.add_argument("--hours", type=float, default=10.0, help="of plan time (10)")
    parser.add_argument("--guests", type=int, default=200, help="how many (200)")
    parser.add_argument("--seed", type=int, default=1, help="another seed, another day (1)")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        faults = soak(Path(folder), hours=options.hours, guests=options.guests, seed=options.seed)
    for fault in faults:
        print(fault)
    print(f"{len(faults)} wrong" if faults else "nothing wrong, and memory is level")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
