"""``ruvex bring`` and ``ruvex give``."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from ruvex.cli._input import read_plan
from ruvex.exchange import give_out, read_brought, with_brought
from ruvex.plan import Plan, PlanFile, UnitError, check_bounds, write_plan
from ruvex.site import site_of
from ruvex.words import counted


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
    plan, traces = file.plan, dict(file.traces)
    for path in files:
        brought = read_brought(path, plan, traces)
        plan, traces = with_brought(plan, brought), {**traces, **brought.traces}
        print(f"{path.name}: {brought.counted}")
        if brought.left_out:
            print(f"  left out: {', '.join(brought.left_out)}")
        for text in brought.told:
            print(f"  {text}")
    check_bounds(file.plan, plan)
    write_plan(plan, target, layout=file.layout, traces=traces, other_traces="replace")
    print(f"{target.name} has {counted(len(plan.guests), 'guest')} and {counted(len(plan.pools), 'pool')} now")
    return 0


def give(path: Path, form: str, out: Path) -> int:
    """Write a plan in a format that others read; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan cannot be used, there is no such format, or the file or folder cannot be written.
    """
    file = read_plan(path)
    print(give_out(site_of(file.plan, file.traces), form, out))
    return 0
