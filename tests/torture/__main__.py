"""Damages inputs and kills writers for a time, and keeps what it finds: see docs/reliability.md."""

from __future__ import annotations

import argparse
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from ruvex.cores import prepare
from tests.demo import ROOT
from tests.desktop.at_length import hold_window
from tests.laws.hold import hold_laws
from tests.torture.inputs import KINDS
from tests.torture.kills import kill_writers
from tests.torture.session import bases, inputs
from tests.torture.watchdog import Watchdog, shrink

SECONDS_OF_AN_INPUT = 2.0
BYTES_OF_AN_INPUT = 1 << 30
SHRINKING_S = 20.0
KILLS_AT_ONCE = 15
INPUTS_BETWEEN = 400


def main() -> int:
    """Torture until the time is over; gives 1 if something was found."""
    parser = argparse.ArgumentParser(prog="scripts/torture", description=__doc__)
    parser.add_argument("--seconds", type=float, default=600.0, help="how long (600)")
    parser.add_argument("--seed", type=int, default=1, help="another seed, other inputs (1)")
    parser.add_argument("--out", type=Path, default=Path("torture-findings"), help="where findings are written")
    parser.add_argument("--laws", action="store_true", help="hold the laws on whole plans instead")
    parser.add_argument("--window", action="store_true", help="hold instead that the window says what the ledger has")
    options = parser.parse_args()
    prepare()
    if options.window:
        return hold_window(options.seconds, options.seed)
    if options.laws:
        return hold_laws(options.seconds, options.seed)
    bases()
    # The kernels are loaded before the trials are forked off, so that no trial pays for them.
    KINDS["plan"](bases()["plan"][-1])
    end = time.monotonic() + options.seconds
    watchdog = Watchdog(KINDS, seconds=SECONDS_OF_AN_INPUT, more_bytes=BYTES_OF_AN_INPUT)
    tried, kills, marks = Counter[str](), 0, set[str]()
    slowest = 0.0
    for number, (kind, content) in enumerate(inputs(options.seed)):
        if time.monotonic() > end:
            break
        if number % INPUTS_BETWEEN == INPUTS_BETWEEN - 1:
            with tempfile.TemporaryDirectory() as folder:
                kill_writers(Path(folder), ROOT / "demo" / "orrin-sound.ruvex.json", KILLS_AT_ONCE, number)
            kills += KILLS_AT_ONCE
        begun = time.monotonic()
        finding = watchdog.try_input(kind, content)
        slowest = max(slowest, time.monotonic() - begun)
        tried[kind] += 1
        if finding is None or finding.mark in marks:
            continue
        marks.add(finding.mark)
        small = shrink(watchdog, finding, seconds=SHRINKING_S)
        options.out.mkdir(exist_ok=True)
        path = options.out / f"{options.seed}-{number}.{kind}"
        path.write_bytes(small.content)
        print(f"{path}: {small.mark}\n{small.what}\n", flush=True)
    watchdog.close()
    told = ", ".join(f"{count} {kind} ({watchdog.taken[kind]} taken)" for kind, count in sorted(tried.items()))
    print(f"seed {options.seed}: {sum(tried.values())} inputs ({told}), {kills} kills, the longest {slowest:.2f} s")
    print(f"{len(marks)} found" if marks else "nothing found")
    return 1 if marks else 0


if __name__ == "__main__":
    sys.exit(main())
