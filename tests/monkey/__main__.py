"""Walks over the window for a time, and tells what it met, shrunk to few steps."""

from __future__ import annotations

import argparse
import sys
import time

from ruvex.cores import prepare
from tests.monkey.walk import shrunk, walk


def main() -> int:
    """Walk until the time is over; gives 1 if something went wrong."""
    parser = argparse.ArgumentParser(prog="scripts/monkey", description=__doc__)
    parser.add_argument("--seconds", type=float, default=600.0, help="how long (600)")
    parser.add_argument("--seed", type=int, default=1, help="the first seed (1)")
    parser.add_argument("--steps", type=int, default=150, help="steps of a walk (150)")
    parser.add_argument("--keep", action="store_true", help="go on after a mishap, and do not shrink it")
    options = parser.parse_args()
    prepare()
    end, seed, steps, met = time.monotonic() + options.seconds, options.seed, 0, 0
    while time.monotonic() < end:
        found = walk(seed, range(options.steps))
        steps += options.steps if found is None or found[0] < 0 else found[0] + 1
        if found is not None:
            met += 1
            number, did, said = found
            print(f"seed {seed}, step {number} ({did}):\n{said[-1800:]}", flush=True)
            if not options.keep:
                few = shrunk(seed, range(number + 1 if number >= 0 else options.steps), said)
                print(f"the same by steps {few} of seed {seed}", flush=True)
        seed += 1
    print(f"{seed - options.seed} walks, {steps} steps, {met} mishaps", flush=True)
    return 1 if met else 0


if __name__ == "__main__":
    sys.exit(main())
