"""Holds the laws on one whole plan after the other, for a time."""

from __future__ import annotations

import time
import traceback
from collections import Counter

from tests.laws.case import Case
from tests.laws.laws import LAWS
from tests.laws.whole import whole_plan


def hold_laws(seconds: float, seed: int) -> int:
    """Draw plans from a seed on until the time is over, and tell what each law found; gives 1 if one was broken."""
    end, tried, broken = time.monotonic() + seconds, Counter[str](), Counter[str]()
    while time.monotonic() < end:
        case = Case(whole_plan(seed), seed)
        for name, law in LAWS.items():
            try:
                found = list(law(case))
            except Exception:  # a question that dies is a broken law as well, and the others go on
                found = [traceback.format_exc()]
            tried[name] += 1
            if found:
                broken[name] += 1
                print(f"{name}, seed {seed}: {found[0]}", flush=True)
        seed += 1
    for name in LAWS:
        print(f"{name}: {broken[name]} of {tried[name]} plans break it", flush=True)
    return 1 if broken else 0
