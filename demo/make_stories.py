"""Writes the worked stories beside the demo plan: small plans in which one thing is to be seen.

usage: make_stories.py [FOLDER]
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

GIB = 1024
HOST = {
    "id": "slip-2", "name": "slip-2", "sockets": 1, "cores_per_socket": 9, "threads_per_core": 1, "mhz": 2700,
    "memory_mib": 31 * GIB, "overhead_mib": 2304, "numa_nodes": 1,
}  # fmt: skip


def steps(*at: tuple[str, float]) -> dict[str, Any]:
    """Describe a demand that jumps at times of the day."""
    return {"kind": "steps", "at": [list(step) for step in at]}


def guest(name: str, mhz: Any, working: Any, touched: Any, memory: dict[str, Any], **rest: Any) -> dict[str, Any]:
    """Describe a guest of the host of the stories."""
    work = {"cpu": mhz, "working": working, "touched": touched} | rest.pop("demand", {})
    return {"id": name, "name": name, "host": HOST["id"], "demand": work, **rest, "memory": memory}


def elastic(boot: float, floor: float, ceiling: float, headroom: float = 17, **rest: Any) -> dict[str, Any]:
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
    """Describe a plan of two hours, of one host if no other is given."""
    hosts = rest.pop("hosts", None) or [HOST | rest.pop("host", {})]
    head = {"format": "ruvex-plan", "version": 1, "name": name, "notes": notes, "hosts": hosts}
    return head | {"guests": guests, "moment": 0, "day_s": 7200} | rest


def sale() -> dict[str, Any]:
    """Tell of an elastic guest that grows for a sale, and for a second one while it is giving back."""
    return plan(
        "The sale",
        "Watch fare-desk grow within seconds when the sale opens at 00:25, and begin to give back only minutes after"
        " it is over at 00:45. A second, smaller sale at 00:52 falls into the giving back: it is met from the start.",
        [
            guest("fare-desk", steps(("00:00", 900), ("00:25", 6400), ("00:45", 1100), ("00:52", 3900), ("01:10", 950)),
                  steps(("00:00", 1500), ("00:25", 9216), ("00:45", 2100), ("00:52", 6144), ("01:10", 1900)), 0,
                  elastic(5.5, 1.25, 12.5), power="off", vcpus=4),
            guest("berth-board", 1300, 5 * GIB, 7 * GIB, thin(9.5, 2.25)),
            guest("crew-portal", 700, 4 * GIB, 5.5 * GIB, thin(7.5)),
        ],
        events=power_on("00:05", "fare-desk"),
    )  # fmt: skip


def tight_restart() -> dict[str, Any]:
    """Tell of a restart that disk helps through, of a cold start that is refused, and of one that passes."""
    return plan(
        "The tight restart",
        "At 00:20 ramp-control is restarted where part of its boot size is not to be had: disk stands in until the"
        " agent loads. Cold at 00:45 it is refused; at 00:55 tide-board has a lower floor, and at 01:00 it starts.",
        [
            guest("harbour-map", 1500, 10.5 * GIB, 0, elastic(11.75, 11.5, 13.5, 0), vcpus=4),
            guest("tide-board", 1400, 9.5 * GIB, 0, elastic(12.25, 12.25, 14.5, 0), vcpus=4),
            guest("ramp-control", 700, 1800, 0, elastic(8.5, 2.25, 9), vcpus=2),
        ],
        events=[
            {"at": "00:20", "do": "restart", "target": "ramp-control"},
            {"at": "00:40", "do": "power-off", "target": "ramp-control"},
            *power_on("00:45", "ramp-control"),
            {"at": "00:55", "do": "set", "target": "tide-board", "change": {"memory.floor": 7.25 * GIB}},
            *power_on("01:00", "ramp-control"),
        ],
    )


def bank() -> dict[str, Any]:
    """Tell of a bank that is too small, of members that lend, and of a volume that is left over but too small."""
    volumes = [
        {"id": f"bay-{i}", "mib": mib * GIB, "kind": "ssd"} for i, mib in ((1, 6.25), (2, 6.25), (3, 6.5), (4, 4))
    ]
    late = steps(("00:00", 1 * GIB), ("00:30", 5.5 * GIB))
    return plan(
        "The bank",
        "Three kiosks share a bank of 7.5 GiB, and from 00:30 kiosk-1 works with more than is left: the others lend"
        " idle pages, and it pages until the bank is raised at 01:00. The volume left for kiosk-4 is too small.",
        [
            guest("kiosk-1", 1500, late, late, thin(6.25, bank=True)),
            guest("kiosk-2", 600, 1.25 * GIB, 3.75 * GIB, thin(6.25, bank=True)),
            guest("kiosk-3", 500, 1.5 * GIB, 4.25 * GIB, thin(6.25, bank=True), agent=False),
            guest("kiosk-4", 600, 1 * GIB, 2 * GIB, thin(6.25, bank=True), power="off"),
            guest("ledger", 2000, 6 * GIB, 8 * GIB, thin(11.5, 3.75)),
        ],
        host={"bank": {"size_mib": 7.5 * GIB, "max_mib": 16.25 * GIB, "spill_volumes": volumes}},
        events=[
            *power_on("00:10", "kiosk-4"),
            {"at": "01:00", "do": "set", "target": "slip-2", "change": {"bank.size_mib": 13.5 * GIB}},
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
            *(guest(name, 400, 900, 0, elastic(4.25, 1.1, 5, shares=270 if i < 2 else 110 if i < 7 else 70),
                    power="off", vcpus=4) for i, name in enumerate(names)),
            guest("switchboard", 2500, 2 * GIB, 3 * GIB, thin(4.5, 2.25), cpu={"reservation": 2500}, vcpus=2),
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
            guest("pier-archive", 5100, 7.25 * GIB, 9 * GIB, thin(12.5, limit=4.25 * GIB), cpu={"limit": 1400},
                  vcpus=4),
            guest("crew-portal", 1200, 3 * GIB, 4 * GIB, thin(6.5)),
        ],
        events=[
            {"at": "01:00", "do": "set", "target": "pier-archive", "change": {"memory.limit": None, "cpu.limit": None}}
        ],
    )  # fmt: skip


def greedy_database() -> dict[str, Any]:
    """Tell of a database that fills all the memory it is given, and of the headroom that stops it."""
    return plan(
        "The greedy database",
        "catch-db fills all the memory it is given, so from 00:10 it grows to its ceiling, and after 00:50, when that"
        " is raised, on into its neighbours' headroom. With 4 % of its own it would stop: less than what it leaves.",
        [
            guest("catch-db", 2500, 3 * GIB, 0, elastic(4.75, 2.25, 10.5, 18), power="off", vcpus=4,
                  demand={"greedy": True}),
            guest("quay-web", 1800, 5 * GIB, 0, elastic(6.25, 2.25, 9.5, 28), vcpus=2),
            guest("quay-mail", 1200, 5.25 * GIB, 0, elastic(6.5, 2.25, 9.5, 26), vcpus=2),
        ],
        events=[
            *power_on("00:10", "catch-db"),
            {"at": "00:50", "do": "set", "target": "catch-db", "change": {"memory.ceiling": 18.5 * GIB}},
        ],
    )  # fmt: skip


def lost_host() -> dict[str, Any]:
    """Tell of a host that goes down at the rush, of who comes back where, and of an empty host that returns."""
    other = HOST | {"id": "slip-3", "name": "slip-3", "cores_per_socket": 5, "memory_mib": 30 * GIB}
    rush = steps(("00:00", 900), ("00:15", 5200), ("01:15", 1100))

    return plan(
        "The host that goes down",
        "At 00:30, in the rush, slip-3 is lost: 43 seconds later its guests start on slip-2 by their turn, and all"
        " there have less. The archive stays off, one waits for memory until slip-3 comes up at 01:00, empty.",
        [
            guest("gate-desk", rush, 5 * GIB, 6 * GIB, thin(8.5, 6.25), vcpus=4),
            guest("crew-portal", rush, 6 * GIB, 8 * GIB, thin(9.5), vcpus=2),
            guest("tide-board", 1500, 5 * GIB, 0, elastic(6.25, 2.75, 8.5), vcpus=2),
            guest("ticket-desk", rush, 5.5 * GIB, 6 * GIB, thin(8.5, 4.25), vcpus=4)
            | {"host": "slip-3", "comes_back": 1},
            guest("ramp-control", 1300, 3.5 * GIB, 0, elastic(4.75, 2.25, 6.5), vcpus=2)
            | {"host": "slip-3", "comes_back": 2},
            guest("fare-engine", 1700, 12 * GIB, 0, {"mode": "fixed", "size": 13.5 * GIB}, vcpus=4)
            | {"host": "slip-3"},
            guest("pier-archive", 900, 2 * GIB, 3 * GIB, thin(5.5), vcpus=2)
            | {"host": "slip-3", "comes_back": "stays-off"},
        ],
        hosts=[HOST | {"cores_per_socket": 6}, other],
        events=[
            {"at": "00:30", "do": "host-down", "target": "slip-3"}, {"at": "01:00", "do": "host-up", "target": "slip-3"}
        ],
    )  # fmt: skip


STORIES = {
    "1-sale": sale, "2-tight-restart": tight_restart, "3-bank": bank, "4-start-storm": start_storm,
    "5-own-limit": own_limit, "6-greedy-database": greedy_database, "7-lost-host": lost_host,
}  # fmt: skip


def main(folder: Path) -> None:
    """Write all stories into a folder."""
    from ruvex.plan import plan_from, plan_text

    folder.mkdir(parents=True, exist_ok=True)
    for name, tell in STORIES.items():
        (folder / f"{name}.ruvex.json").write_text(plan_text(plan_from(tell())), encoding="utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "stories")
