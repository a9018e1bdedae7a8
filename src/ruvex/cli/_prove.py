"""``ruvex prove``."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from ruvex.cli._boundary import InterruptError
from ruvex.cli._columns import fitted
from ruvex.cli._divide import time_in_day
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.cli._progress import bar_of, interruptible
from ruvex.divide import divide
from ruvex.plan import Plan, StoppedError, find_item, format_cpu, format_time
from ruvex.proof import Proof, ProofRow, processors_here, prove, scaled_to
from ruvex.site import site_of

_NAME = 26


def print_proof(
    path: Path,
    at: str | None,
    host: str | None,
    pool: str | None,
    processors: int | None,
    seconds: float,
    runs: int,
    within: float,
    *,
    as_json: bool,
) -> int:
    """Print what Ruvex delivers beside what the kernel does; gives 1 where they are farther apart than ``within`` %.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError, NoGroupsError
        The plan cannot be used or scaled, or this machine does not let us make groups.
    """
    file = read_plan(path)
    plan = file.plan
    at_s = plan.moment if at is None else time_in_day(at, plan)
    division = divide(site_of(plan, file.traces), at_s)
    scaled = scaled_to(division, processors or processors_here(), host=host, pool=pool)
    with interruptible() as asked, bar_of("The kernel") as bar:
        task = bar.add_task("", total=1.0, now="")

        def tell(_what: str, part: float) -> None:
            bar.update(task, completed=part, now=f"{part:.0%}")
            if asked:
                raise StoppedError("stopped")

        try:
            proof = prove(scaled, seconds=seconds, runs=runs, tell=tell)
        except StoppedError:
            raise InterruptError from None
    apart = abs(proof.farthest.mean - proof.farthest.party.expected) / scaled.processors * 100
    if as_json:
        print_document(_document(plan, at_s, proof, apart))
    else:
        _print(plan, at_s, proof, apart)
    return 0 if apart <= within else 1


def _label(plan: Plan, item: str) -> str:
    return str(getattr(find_item(plan, item), "label", item))


def _print(plan: Plan, at_s: float, proof: Proof, apart: float) -> None:
    scaled = proof.scaled
    print(
        f"{plan.name or 'The plan'} at {format_time(at_s)}, on {scaled.processors} processor"
        f"{'s' if scaled.processors != 1 else ''} of this machine, each for {format_cpu(scaled.mhz)};"
        f" {proof.runs} runs of {proof.seconds:g} s"
    )
    print(f"{'':{_NAME}} {'wanted':>10} {'Ruvex':>10} {'kernel':>10} {'apart':>10} {'noise':>10}")
    parents = {row.party.item: row.party.parent for row in proof.rows}
    for row in proof.rows:
        depth, at = 0, row.party.parent
        while at is not None:
            depth, at = depth + 1, parents[at]
        name = fitted("  " * depth + _label(plan, row.party.item), _NAME)
        cells = (row.party.wants, row.party.expected, row.mean, row.mean - row.party.expected, row.noise)
        print(f"{name} " + " ".join(f"{format_cpu(cell * scaled.mhz):>10}" for cell in cells))
    far = proof.farthest
    print(f"Farthest apart: {_label(plan, far.party.item)}, by {apart:.1f} % of the machine.")
    for text in proof.told:
        print(text)


def _document(plan: Plan, at_s: float, proof: Proof, apart: float) -> dict[str, Any]:
    mhz = proof.scaled.mhz

    def row_of(row: ProofRow) -> dict[str, Any]:
        return {
            "id": row.party.item, "kind": "pool" if row.party.is_pool else "guest", "parent": row.party.parent,
            "wanted": row.party.wants * mhz, "delivered": row.party.expected * mhz,
            "measured": [value * mhz for value in row.measured],
        }  # fmt: skip

    return {
        "plan": plan.name, "at": format_time(at_s), "processors": proof.scaled.processors, "processor_mhz": mhz,
        "seconds": proof.seconds, "runs": proof.runs, "part_had": proof.part_had, "apart_percent": apart,
        "told": list(proof.told), "rows": [row_of(row) for row in proof.rows],
    }  # fmt: skip
