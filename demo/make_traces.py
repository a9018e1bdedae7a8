"""Makes the demand traces of the demo plan: an invented weekday of Orrin Sound Ferries.

Run it without arguments to write them beside the demo plan, or with a folder to write them there. The same seed
gives the same files on every machine.
"""

from __future__ import annotations

import math
import random
import sys
from collections.abc import Callable
from pathlib import Path

SEED = 1907
STEP_MINUTES = 5
DAY_MINUTES = 24 * 60

Shape = Callable[[float], float]


def peak(minute: float, at: str, before_min: float, after_min: float) -> float:
    """Give a smooth peak of height 1 that rises over one stretch of minutes and falls over another."""
    hours, minutes = at.split(":")
    offset = minute - (int(hours) * 60 + int(minutes))
    width = before_min if offset < 0 else after_min
    return math.exp(-((offset / width) ** 2))


def sailings(minute: float) -> float:
    """Two rushes: the morning sailings and, lower and longer, the evening ones."""
    return peak(minute, "08:10", 55, 80) + 0.98 * peak(minute, "17:20", 80, 85)


def booking(minute: float) -> float:
    """Travellers book before they sail, over lunch a little, and after dinner."""
    evening = 0.55 * peak(minute, "20:15", 70, 80)
    return (
        0.95 * peak(minute, "07:55", 65, 95)
        + 0.22 * peak(minute, "12:20", 60, 60)
        + 0.7 * evening
        + (0.95 * peak(minute, "17:15", 75, 80))
    )


def office(minute: float) -> float:
    """A working day that begins all at once, with a dip at noon."""
    morning, afternoon = peak(minute, "08:35", 35, 150), peak(minute, "14:10", 90, 130)
    return max(morning, 0.72 * afternoon) - 0.2 * peak(minute, "12:15", 30, 30)


def slow_growth(minute: float) -> float:
    """Memory that follows the morning rush and ebbs slowly."""
    return max(peak(minute, "08:40", 75, 300), 0.86 * peak(minute, "17:40", 110, 190))


# Column: shape, level at rest, rise at the peak, roughness (part of the level). CPU in MHz, memory in MiB.
CPU_COLUMNS: dict[str, tuple[Shape, float, float, float]] = {
    "berth-planner": (sailings, 700, 5900, 0.05),
    "vessel-tracking": (sailings, 2400, 4300, 0.04),
    "voyage-log-db": (sailings, 1200, 4300, 0.05),
    "gate-north": (sailings, 250, 2700, 0.07),
    "gate-south": (sailings, 250, 2400, 0.07),
    "boarding-screens": (sailings, 400, 1900, 0.04),
    "ticket-db": (booking, 2400, 9600, 0.05),
    "web-front-1": (booking, 700, 4900, 0.06),
    "web-front-2": (booking, 700, 4700, 0.06),
    "web-front-3": (booking, 600, 3900, 0.06),
    "fare-engine": (booking, 500, 4300, 0.05),
    "mail": (office, 600, 5200, 0.05),
    "intranet": (office, 300, 3900, 0.06),
}
MEMORY_COLUMNS: dict[str, tuple[Shape, float, float, float]] = {
    "berth-planner": (slow_growth, 5200, 9800, 0.01),
    "voyage-log-db": (slow_growth, 13500, 11800, 0.008),
    "ticket-db": (slow_growth, 27500, 22500, 0.008),
    "web-front-1": (slow_growth, 2900, 7000, 0.015),
    "web-front-2": (slow_growth, 2900, 6800, 0.015),
    "web-front-3": (slow_growth, 2700, 6100, 0.015),
    "fare-engine": (slow_growth, 2100, 7300, 0.012),
    "crew-roster": (slow_growth, 1300, 4200, 0.012),
    "sediment-batch": (slow_growth, 5400, 6200, 0.012),
    "mail": (slow_growth, 5200, 6400, 0.01),
}


def rows(columns: dict[str, tuple[Shape, float, float, float]], rng: random.Random) -> list[list[str]]:
    """Give the table: a header, then a row each few minutes, with a little noise that wanders."""
    wander = dict.fromkeys(columns, 0.0)
    table = [["time", *columns]]
    for minute in range(0, DAY_MINUTES + 1, STEP_MINUTES):
        cells = [f"{minute // 60:02d}:{minute % 60:02d}"]
        for name, (shape, rest, rise, roughness) in columns.items():
            wander[name] = 0.7 * wander[name] + rng.gauss(0, roughness)
            cells.append(str(max(0, round((rest + rise * shape(minute)) * (1 + wander[name])))))
        table.append(cells)
    return table


def main(folder: Path) -> None:
    """Write both traces."""
    folder.mkdir(parents=True, exist_ok=True)
    rng = random.Random(SEED)
    for name, columns in (("cpu.csv", CPU_COLUMNS), ("working.csv", MEMORY_COLUMNS)):
        text = "".join(",".join(row) + "\n" for row in rows(columns, rng))
        (folder / name).write_text(text, encoding="utf-8")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "traces")
