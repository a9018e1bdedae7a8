"""What refusing costs: files of nearly 10 MiB that are wrong in every way, each read in a process of its own."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from ruvex.plan import Plan, plan_text, write_plan

SIZE = int(9.9 * 2**20)
HEAD = '{"format":"ruvex-plan","version":1,'
READING = """
import resource, sys, time
from pathlib import Path
from ruvex.plan import RuvexError, read_plan
begun = time.perf_counter()
try:
    read_plan(Path(sys.argv[1]))
    print("taken")
except RuvexError:
    print(time.perf_counter() - begun, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)
"""


def _listed(key: str, one: Callable[[int], Any]) -> str:
    """Give a document with as many entries of a list as fit."""
    size = len(json.dumps(one(100_000), separators=(",", ":"))) + 1
    entries = [one(i) for i in range((SIZE - 100) // size)]
    return HEAD + f'"{key}":' + json.dumps(entries, separators=(",", ":")) + "}"


def _cases() -> Mapping[str, str]:
    bad, steps = {f"k{i}": 1 for i in range(900)}, {"kind": "steps", "at": [["x", -1]] * 900}
    return {
        "wrong values": _listed("guests", lambda i: {"id": f"g{i}", "vcpus": -1}),
        "unknown keys": _listed("guests", lambda i: {"id": f"g{i}", f"colour{i}": 1}),
        "900 unknown keys each": _listed("guests", lambda i: {"id": f"g{i}", **bad}),
        "ids taken": _listed("guests", lambda _i: {"id": "a"}),
        "pools that are not there": _listed("guests", lambda i: {"id": f"g{i}", "pool": "x"}),
        "events of nothing": _listed("events", lambda i: {"at": i, "do": "restart", "target": "x"}),
        "tags that cannot be": _listed("guests", lambda i: {"id": f"g{i}", "tags": ["\x07"] * 900}),
        "steps that are none": _listed("guests", lambda i: {"id": f"g{i}", "demand": {"cpu": steps}}),
        "brackets": HEAD + '"notes":' + "[" * (SIZE // 2) + "]" * (SIZE // 2) + "}",
        "brackets side by side": HEAD + '"notes":[' + "[]," * (SIZE // 3) + "[]]}",
        "one long key": HEAD + '"' + "x" * SIZE + '":1}',
        "cut off": _listed("guests", lambda i: {"id": f"g{i}", "name": "a guest", "vcpus": 2})[:-9],
        "digits": HEAD + '"seed":' + "9" * SIZE + "}",
        "quotation marks": '"' * SIZE,
    }  # fmt: skip


def bench_refusals(plan: Plan) -> list[str]:
    """Measure how long each is refused and with how much memory; and what reading back adds to saving a plan."""
    lines, worst = [], ("", 0.0, 0.0)
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "a.ruvex.json"
        for case, text in _cases().items():
            path.write_text(text, encoding="utf-8")
            done = subprocess.run(
                [sys.executable, "-c", READING, str(path)], check=True, capture_output=True, text=True
            ).stdout.split()
            seconds, mib = map(float, done)
            worst = max(worst, (case, seconds, mib), key=lambda found: found[1])
            lines.append(f"refused, {case}: {seconds:.2f} s, {mib:.0f} MiB   [under 1 s and 512 MiB]")
        begun = time.perf_counter()
        json.dumps(json.loads(plan_text(plan)))
        plain = time.perf_counter() - begun
        begun = time.perf_counter()
        write_plan(plan, path)
        saving = time.perf_counter() - begun
    lines.append(f"the slowest of them: {worst[0]}, {worst[1]:.2f} s")
    lines.append(
        f"saving {len(plan.guests)} guests, read back: {saving:.2f} s = {saving / plain:.1f} × json.loads and dumps"
    )
    return lines
