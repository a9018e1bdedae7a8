"""``ruvex bring`` and ``ruvex give``."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Final

from ruvex.exchange import OVF_SUFFIXES, read_ovf, write_ovf
from ruvex.plan import Plan, PlanFile, UnitError, add_items, read_file, read_plan, replace_file, write_plan

FORMATS: Final = ("ovf",)
_MAX_BYTES: Final = 64 * 2**20


def bring(files: Sequence[Path], into: Path | None, out: Path | None) -> int:
    """Bring files into a plan, or make a new one of them; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        A file cannot be used, or nothing says where the plan goes.
    """
    target = out or into
    if target is None:
        raise UnitError("say where the plan goes: --into a plan that is there, or --out a new one")
    file = read_plan(into) if into is not None else PlanFile(Plan())
    plan = file.plan
    for path in files:
        if path.suffix.lower() not in OVF_SUFFIXES:
            raise UnitError(f"{path.name}: what can be brought in ends in {', '.join(OVF_SUFFIXES)}")
        brought = read_ovf(read_file(path, _MAX_BYTES, called=path.name), path.name, plan)
        plan = add_items(plan, [*brought.pools, *brought.guests])
        print(f"{path.name}: {len(brought.guests)} guests and {len(brought.pools)} pools")
        if brought.left_out:
            print(f"  left out: {', '.join(brought.left_out)}")
    write_plan(plan, target, layout=file.layout, traces=file.traces, other_traces="replace")
    print(f"{target.name} has {len(plan.guests)} guests and {len(plan.pools)} pools now")
    return 0


def give(path: Path, form: str, out: Path) -> int:
    """Write a plan in an open format; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan cannot be used, there is no such format, or the file cannot be written.
    """
    if form not in FORMATS:
        raise UnitError(f"--as {form}: there are {', '.join(FORMATS)}")
    plan = read_plan(path).plan
    replace_file(out, write_ovf(plan))
    print(f"{out.name}: {len(plan.guests)} guests and {len(plan.pools)} pools")
    return 0
