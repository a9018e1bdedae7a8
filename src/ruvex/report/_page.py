"""Writing a report: one page of HTML that stands alone, or the same as PDF."""

from __future__ import annotations

import warnings
from collections.abc import Mapping
from importlib.resources import files
from pathlib import Path
from typing import Any, Final

import numpy as np

from ruvex.advise import GROUPS, RemedyEffect
from ruvex.ledger import DayFigures, LookFigures, Owner, OwnersPart
from ruvex.plan import (
    RESOURCES,
    THIN_SPACE,
    PlanFileError,
    format_cpu,
    format_memory,
    format_number,
    format_time,
    isolated,
    replace_file,
)
from ruvex.report._charts import day_chart
from ruvex.report._report import Report
from ruvex.words import amount_text, label_of, summary_facts

REPORT_SUFFIXES: Final = (".html", ".pdf")
_GROUP_WORDS: Final = {"hurts-now": "Hurts now", "will-hurt": "Will hurt", "untidy": "Untidy"}
_MHZ_OF, _MIB_OF = 1000.0, 1024.0
_MOST_NAMED: Final = 4


def write_report(report: Report, path: Path) -> None:
    """Write a report to a file that ends in ``.html`` or ``.pdf``, to a temporary name that is then renamed.

    Raises
    ------
    PlanFileError
        The name ends otherwise, or the file cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in REPORT_SUFFIXES:
        raise PlanFileError(f"{path}: a report goes to a file ending in .html or .pdf")
    page = html_of(report)
    if suffix == ".html":
        replace_file(path, page.encode())
        return
    # It takes longer to load than all else, and only this needs it.
    try:
        with warnings.catch_warnings():
            # Without a library that makes fonts smaller it says that it will need it some day; the PDF is as good.
            warnings.simplefilter("ignore", DeprecationWarning)
            from weasyprint import HTML  # type: ignore[import-untyped]
    except OSError as error:
        raise PlanFileError(f"{path}: PDF needs the library Pango ({error}); write .html, or install it") from None
    replace_file(path, HTML(string=page, url_fetcher=_nothing_from_outside).write_pdf())


def _nothing_from_outside(url: str, **_more: Any) -> dict[str, Any]:
    raise ValueError(f"a report needs nothing from elsewhere: {url}")


def html_of(report: Report) -> str:
    """Give the page; nothing in it comes from outside, and no script runs in it."""
    from jinja2 import Environment, StrictUndefined

    environment = Environment(autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)
    environment.filters |= {
        "cpu": format_cpu,
        "memory": format_memory,
        "percent": _percent,
        "hours": _hours,
        "isolated": isolated,
    }
    text = files("ruvex.report").joinpath("page.html").read_text(encoding="utf-8")
    return environment.from_string(text).render(_facts(report))


def _percent(part: float) -> str:
    return f"{format_number(100 * part, 1)}{THIN_SPACE}%"


def _hours(value: float, unit: float) -> str:
    """Write an amount times hours, a dot for none."""
    return format_number(value / unit, 1) if value / unit >= 0.05 else "·"


def _facts(report: Report) -> dict[str, Any]:
    division, plan = report.division, report.division.site.plan
    recording = report.day.recording
    times = recording.times_s[: recording.rows]
    cpu, memory = division.cpu, division.memory
    sums = {
        name: np.asarray(recording.of_places(name), dtype=np.float64).sum(axis=0)
        for name in ("cpu_supply", "cpu_wanted", "cpu_delivered", "given", "memory_supply")
    }
    figures = DayFigures(report.day)
    need = figures.wanted("memory").sum(axis=0)
    cpu_lacks, memory_lacks = (figures.lacks(of).sum(axis=0) for of in RESOURCES)
    charts = [
        day_chart(times, sums["cpu_wanted"] / _MHZ_OF, sums["cpu_delivered"] / _MHZ_OF, cpu_lacks / _MHZ_OF,
                  ("supply", cpu.supply / _MHZ_OF), "GHz", "CPU over the day"),
        day_chart(times, need / _MIB_OF, sums["given"] / _MIB_OF, memory_lacks / _MIB_OF,
                  ("supply", memory.supply / _MIB_OF), "GiB",
                  "Memory over the day", words=("needed", "backed")),
    ]  # fmt: skip
    return {
        "plan": plan, "at": format_time(division.at_s), "worst": format_time(report.worst_s),
        "on": int(division.site.standing.on.sum()), "up": int(division.site.standing.up.sum()),
        "hosts": _hosts(report), "cpu": cpu, "memory": memory, "overcommit": report.overcommit, "charts": charts,
        "cpu_most": float(sums["cpu_wanted"].max(initial=0.0)), "memory_most": float(need.max(initial=0.0)),
        "owners": [_owner(owner, report, times) for owner in report.owners],
        "banks": LookFigures(division).promises.of_banks, "groups": _findings(report),
        "without": report.without, "reserve": report.reserve,
        "savings": report.savings, "facts": summary_facts(report.summary, plan), "mhz_of": _MHZ_OF, "mib_of": _MIB_OF,
        "label": lambda item: label_of(plan, item),
    }  # fmt: skip


def _hosts(report: Report) -> list[dict[str, Any]]:
    recording, plan, standing = report.day.recording, report.division.site.plan, report.division.site.standing
    found = []
    for number, host in enumerate(plan.hosts):

        def of(name: str, number: int = number) -> np.ndarray:
            return np.asarray(recording.of_places(name)[number], dtype=np.float64)

        guests = int((standing.on & (standing.host == number)).sum())
        found.append({
            "label": host.label, "up": host.up, "cores": host.cores, "guests": guests,
            "cpu": float(of("cpu_supply").max(initial=0.0)), "cpu_wanted": float(of("cpu_wanted").max(initial=0.0)),
            "memory": float(of("memory_supply").max(initial=0.0)), "given": float(of("given").max(initial=0.0)),
        })  # fmt: skip
    return found


def _owner(owner: Owner, report: Report, times: np.ndarray) -> dict[str, Any]:
    plan = report.division.site.plan

    def row(item: str, pair: tuple[OwnersPart, OwnersPart]) -> dict[str, Any]:
        return {"label": label_of(plan, item), "cpu": pair[0], "memory": pair[1]}

    guests = [
        row(item, pair) | {"pool": label_of(plan, plan.guests[plan.guest_index[item]].pool),
                           "vcpus": plan.guests[plan.guest_index[item]].vcpus,
                           "on": report.division.site.is_on(item)}
        for item, pair in owner.guests.items()
    ]  # fmt: skip
    title = isolated(owner.name) or "nobody"
    return {
        "name": isolated(owner.name), "cpu": owner.cpu, "memory": owner.memory, "guests": guests,
        "pools": [row(item, pair) for item, pair in owner.pools.items()],
        "charts": [
            day_chart(times, owner.cpu.wanted_over / _MHZ_OF, owner.cpu.used_over / _MHZ_OF,
                      owner.cpu.lacking_over / _MHZ_OF,
                      ("promised", owner.cpu.promised / _MHZ_OF), "GHz", f"CPU of {title}"),
            day_chart(times, owner.memory.wanted_over / _MIB_OF, owner.memory.used_over / _MIB_OF,
                      owner.memory.lacking_over / _MIB_OF,
                      ("promised", owner.memory.promised / _MIB_OF), "GiB", f"Memory of {title}",
                      words=("needed", "backed")),
        ] if owner.guests else [],
    }  # fmt: skip


def _findings(report: Report) -> list[dict[str, Any]]:
    plan = report.division.site.plan
    labels = plan.labels
    groups = []
    for group in GROUPS:
        its = [
            {"text": one.text, "figures": "; ".join(f"{name} {value}" for name, value in one.figures),
             "remedy": one.remedy.text if one.remedy is not None else "", "effect": _effect(effect, labels)}
            for one, effect in report.findings if one.group == group
        ]  # fmt: skip
        if its:
            groups.append({"title": _GROUP_WORDS[group], "findings": its})
    return groups


def _effect(effect: RemedyEffect | None, labels: Mapping[str, str]) -> str:
    """Say who gains and who pays by a remedy now, the largest first."""
    if effect is None:
        return ""
    parts = []
    for verb, shifts in (("gain", effect.gains), ("pay", effect.losses)):
        named = [
            f"{labels.get(one.guest, one.guest)} {amount_text(abs(one.amount), one.resource)}"
            for one in shifts[:_MOST_NAMED]
        ]
        more = [f"{len(shifts) - _MOST_NAMED} more"] if len(shifts) > _MOST_NAMED else []
        if named:
            parts.append(f"{verb}: {', '.join([*named, *more])}")
    return "; ".join(parts)
