"""Writes the worked stories beside the demo plan: small plans in which one thing is to be seen.

usage: make_stories.py [FOLDER]
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

GIB = 1024
HOST = {
    "id": "slip-2", "name": "slip-2", "sockets": 1, "cores_per_socket": 8, "threads_per_core": 1, "mhz": 2600,
    "memory_mib": 32 * GIB, "overhead_mib": 2 * GIB,
}  # fmt: skip


def steps(*at: tuple[str, float]) -> dict[str, Any]:
    """Describe a demand that jumps at times of the day."""
    return {"kind": "steps", "at": [list(step) for step in at]}


def guest(name: str, mhz: Any, working: Any, touched: Any, memory: dict[str, Any], **rest: Any) -> dict[str, Any]:
    """Describe a guest of the host of the stories."""
    work = {"cpu": mhz, "working": working, "touched": touched} | rest.pop("demand", {})
    return {"id": name, "name": name, "host": HOST["id"], "demand": work, **rest, "memory": memory}


def elastic(boot: float, floor: float, ceiling: float, headroom: float = 15, **rest: Any) -> dict[str, Any]:
    """Describe elastic memory, GiB."""
    settings = {"mode": "elastic", "boot": boot * GIB, "floor": floor * GIB, "ceiling": ceiling * GIB}
    return settings | {"headroom_percent": headroom} | rest


def thin(size: float, reservation: float = 0, **rest: Any) -> dict[str, Any]:
    """Describe thin memory, GiB."""
    return {"mode": "thin", "size": size * GIB, "reservation": reservation * GIB} | rest


def power_on(at: str, *names: str) -> list[dict[str, Any]]:
    """Describe guests that are switched on."""
    return [{"at": at, "do": "power-on", "target": name} for name in names]


def plan(name: str, notes: str, guests: list[dict[str, Any]], **rest: Any) -> dict[str, Any]:
    """Describe a plan of one host and two hours or so."""
    hosts = [HOST | rest.pop("host", {})]
    head = {"format": "ruvex-plan", "version": 1, "name": name, "notes": notes, "hosts": hosts}
    return head | {"guests": guests, "moment": 0, "day_s": 7200} | rest


def squeeze() -> dict[str, Any]:
    """Tell of an elastic guest that shrinks after its boot, surges, grows and gives back late."""
    return plan(
        "The squeeze",
        "Watch fare-desk come down from its boot size once its agent has loaded, and grow within seconds when the sale"
        " opens at 00:30. The need is over at 00:50, but the memory comes back only minutes later, step by step.",
        [
            guest("fare-desk", steps(("00:00", 900), ("00:30", 6500), ("00:50", 1200)),
                  steps(("00:00", 1600), ("00:30", 9 * GIB), ("00:50", 2200)), 0, elastic(6, 1, 12), power="off",
                  vcpus=4),
            guest("berth-board", 1200, 5 * GIB, 7 * GIB, thin(10, 2)),
            guest("crew-portal", 800, 4 * GIB, 6 * GIB, thin(8)),
        ],
        events=power_on("00:05", "fare-desk"),
    )  # fmt: skip


def tight_restart() -> dict[str, Any]:
    """Tell of a restart that disk helps through, and of the same start from cold that is refused."""
    return plan(
        "The tight restart",
        "At 00:20 ramp-control is restarted on a host whose promises have grown: half of its boot size is not to be"
        " had, and disk stands in until the agent loads. At 00:40 it is off, and a cold start at 00:45 is refused.",
        [
            guest("harbour-map", 1500, 10 * GIB, 0, elastic(12, 12, 14, 0), vcpus=4),
            guest("tide-board", 1500, 10 * GIB, 0, elastic(12, 12, 14, 0), vcpus=4),
            guest("ramp-control", 700, 1800, 0, elastic(8, 2, 8), vcpus=2),
        ],
        events=[
            {"at": "00:20", "do": "restart", "target": "ramp-control"},
            {"at": "00:40", "do": "power-off", "target": "ramp-control"},
            *power_on("00:45", "ramp-control"),
        ],
    )


def bank() -> dict[str, Any]:
    """Tell of a bank that is too small, of guests that lend in it, and of one spill volume too few."""
    volumes = [{"id": f"bay-{i}", "mib": 6 * GIB, "kind": "ssd"} for i in (1, 2, 3)]
    late = steps(("00:00", 1 * GIB), ("00:30", 4.5 * GIB))
    return plan(
        "The bank",
        "Three kiosks share a bank of 10 GiB, and from 00:30 kiosk-1 needs what the others only once touched: they cede"
        " it, and all page a little until the bank is raised at 01:00. The fourth kiosk finds no spill volume.",
        [
            guest("kiosk-1", 1500, late, late, thin(6, bank=True)),
            guest("kiosk-2", 600, 1 * GIB, 4 * GIB, thin(6, bank=True)),
            guest("kiosk-3", 600, 1 * GIB, 4 * GIB, thin(6, bank=True), agent=False),
            guest("kiosk-4", 600, 1 * GIB, 2 * GIB, thin(6, bank=True), power="off"),
            guest("ledger", 2000, 6 * GIB, 8 * GIB, thin(12, 4)),
        ],
        host={"bank": {"size_mib": 10 * GIB, "max_mib": 16 * GIB, "spill_volumes": volumes}},
        events=[
            *power_on("00:10", "kiosk-4"),
            {"at": "01:00", "do": "set", "target": "slip-2", "change": {"bank.size_mib": 14 * GIB}},
        ],
    )


def start_storm() -> dict[str, Any]:
    """Tell of ten guests that are switched on at once after a power cut."""
    names = [f"till-{i:02d}" for i in range(1, 11)]
    return plan(
        "The start storm",
        "At 00:10 ten tills are switched on at once. Booting wants every vCPU, so all boot slower than one alone would,"
        " and those with the fewest shares wait until others have given boot memory back.",
        [
            *(guest(name, 400, 900, 0, elastic(4, 1, 4, shares=400 if i < 2 else 100 if i < 7 else 50), power="off",
                    vcpus=4) for i, name in enumerate(names)),
            guest("switchboard", 2600, 2 * GIB, 3 * GIB, thin(4, 2), cpu={"reservation": 2600}, vcpus=2),
        ],
        events=power_on("00:10", *names),
    )  # fmt: skip


def own_limit() -> dict[str, Any]:
    """Tell of limits that hurt on a host with room to spare."""
    return plan(
        "The limit that hurts an idle host",
        "pier-archive pages and crawls although half of the host is idle: its own limits, set long ago, keep it small."
        " At 01:00 they are lifted; watch pace and wait come right, and nobody pay for it.",
        [
            guest("pier-archive", 5200, 7 * GIB, 9 * GIB, thin(12, limit=4 * GIB), cpu={"limit": 1500}, vcpus=4),
            guest("crew-portal", 1200, 3 * GIB, 4 * GIB, thin(6)),
        ],
        events=[
            {"at": "01:00", "do": "set", "target": "pier-archive", "change": {"memory.limit": None, "cpu.limit": None}}
        ],
    )  # fmt: skip


def greedy_database() -> dict[str, Any]:
    """Tell of a database that takes all it sees, and of a ceiling that is raised for it."""
    return plan(
        "The greedy database",
        "catch-db takes whatever memory it sees, so from 00:10 it grows to its ceiling, and after 01:00, when the"
        " ceiling is raised, to the next one. Its elastic neighbours lose their headroom, and it never gives back.",
        [
            guest("catch-db", 2500, 3 * GIB, 0, elastic(4, 2, 10, 10), power="off", vcpus=4, demand={"greedy": True}),
            guest("quay-web", 1800, 5 * GIB, 0, elastic(6, 2, 10, 30), vcpus=2),
            guest("quay-mail", 1200, 5 * GIB, 0, elastic(6, 2, 10, 30), vcpus=2),
        ],
        events=[
            *power_on("00:10", "catch-db"),
            {"at": "01:00", "do": "set", "target": "catch-db", "change": {"memory.ceiling": 18 * GIB}},
        ],
    )


STORIES = {
    "1-squeeze": squeeze, "2-tight-restart": tight_restart, "3-bank": bank, "4-start-storm": start_storm,
    "5-own-limit": own_limit, "6-greedy-database": greedy_database,
}  # fmt: skip


def main(folder: Path) -> None:
    """Write all stories into a folder."""
    from ruvex.plan import plan_from, plan_text

    folder.mkdir(parents=True, exist_ok=True)
    for name, tell in STORIES.items():
        (folder / f"{name}.ruvex.json").write_text(plan_text(plan_from(tell())), encoding="utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "stories")
