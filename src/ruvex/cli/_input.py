"""Plans as commands get them: from a file, or from standard input."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Final

from ruvex.engine import work_plainly
from ruvex.plan import MAX_PLAN_BYTES, Plan, PlanFile, PlanFileError, parse_plan
from ruvex.plan import read_plan as read_plan_file

STANDARD_INPUT: Final = "-"
_FEW: Final = 200
"""A plan of no more guests is divided a few times in less time than it takes to load what is compiled."""


def read_plan(path: Path) -> PlanFile:
    """Read a plan; ``-`` is standard input, with traces beside where the command runs.

    Raises
    ------
    PlanError, PlanFileError
        It cannot be used.
    """
    if str(path) != STANDARD_INPUT:
        return read_plan_file(path)
    if sys.stdin is None:
        raise PlanFileError("there is no standard input to read a plan from")
    content = sys.stdin.buffer.read(MAX_PLAN_BYTES + 1)
    if len(content) > MAX_PLAN_BYTES:
        raise PlanFileError(f"standard input: more than {MAX_PLAN_BYTES} bytes; it may not have as many")
    return parse_plan(content, "standard input", Path.cwd())


def load_little(plan: Plan) -> None:
    """Do without compiled kernels where a command that divides a few times, and plays nothing, is sooner done so."""
    if len(plan.guests) <= _FEW:
        work_plainly()
