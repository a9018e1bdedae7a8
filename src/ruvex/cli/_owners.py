"""``ruvex owners``."""

from __future__ import annotations

from pathlib import Path

from ruvex.cli._columns import fitted
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.divide import divide
from ruvex.ledger import LookFigures, Owner, owners_of
from ruvex.plan import THIN_SPACE, PlanFileError, format_cpu, format_memory, format_number
from ruvex.play import Player
from ruvex.report import REPORT_SUFFIXES, report_of, write_report
from ruvex.site import site_of

_NAME = 24
_HEADINGS = ("promised", "used", "at most", "lent", "lacking h", "part")


def print_owners(path: Path, out: Path | None, *, as_json: bool) -> int:
    """Print what each owner has over the day, and write the report if it is asked for; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError
        The plan cannot be used, or the report not be written.
    """
    if out is not None and out.suffix.lower() not in REPORT_SUFFIXES:
        raise PlanFileError(f"{out}: a report goes to a file ending in .html or .pdf")
    file = read_plan(path)
    site = site_of(file.plan, file.traces)
    if out is not None:
        report = report_of(site)
        write_report(report, out)
        division, owners = report.division, report.owners
    else:
        day, division = Player(site), divide(site)
        day.run()
        owners = owners_of(division, day)
    banks = LookFigures(division).promises.of_banks
    if as_json:
        found = [owner.to_json() for owner in owners]
        print_document({"plan": file.plan.name, "owners": found, "banks_mib": banks})
        return 0
    for word in ("CPU", "Memory"):
        print(f"{word:{_NAME}} " + " ".join(f"{heading:>10}" for heading in _HEADINGS))
        for owner in owners:
            print(f"{fitted(owner.name, _NAME)} {_cells(owner, word)}")
    if banks > 0:
        print(f"{'the banks':{_NAME}} {format_memory(banks).replace(THIN_SPACE, ' '):>10}")
    if out is not None:
        print(f"The report is in {out.name}")
    return 0


def _cells(owner: Owner, word: str) -> str:
    one = owner.cpu if word == "CPU" else owner.memory
    write, unit = (format_cpu, 1000.0) if word == "CPU" else (format_memory, 1024.0)
    cells = [write(one.promised), write(one.mean), write(one.most), write(one.lent)]
    cells += [format_number(one.unmet_hours / unit, 1), f"{100 * one.part:.1f} %"]
    return " ".join(f"{cell.replace(THIN_SPACE, ' '):>10}" for cell in cells)
