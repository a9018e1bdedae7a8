"""The loss of a host in sentences, as command and report have them."""

from __future__ import annotations

from typing import Final

from ruvex.advise._without import Without
from ruvex.placing import SettledLoss
from ruvex.plan import Plan, format_time
from ruvex.words import counted, label_of, short_span, stays_off_text

_MOST_NAMED: Final = 8


def without_lines(found: Without, plan: Plan) -> list[str]:
    """Say who runs again where and when, who stays off, and who is hurt."""
    labels = plan.labels
    count = len(found.back) + len(found.off) + len(found.booting)
    also = f", while {' and '.join(labels[host] for host in found.down)} is down by the plan" if found.down else ""
    if not count:
        return [f"Without {labels[found.host]}{also}: nobody is on it then"]
    runs = "runs" if len(found.back) == 1 else "run"
    lines = [f"Without {labels[found.host]}{also}: {len(found.back)} of {counted(count, 'guest')} {runs} again"]
    if found.back:
        lines[0] += f", the last after {short_span(found.back[-1].after_s)}"
        by_host: dict[str, list[str]] = {}
        for one in found.back:
            by_host.setdefault(one.host, []).append(f"{labels[one.guest]} {short_span(one.after_s)}")
        for host, guests in by_host.items():
            more = f" and {len(guests) - _MOST_NAMED} more" if len(guests) > _MOST_NAMED else ""
            lines.append(f"  on {labels.get(host, 'no host')}: {', '.join(guests[:_MOST_NAMED])}{more}")
    if found.booting:
        lines.append(f"  still on their way: {', '.join(labels[guest] for guest in found.booting)}")
    if found.off:
        lines.append(f"  stay off: {', '.join(labels[guest] for guest in found.off)}")
    if found.hurt:
        told = [f"{labels[one.guest]} {_hurt_text(one.cpu, one.memory)}" for one in found.hurt[:_MOST_NAMED]]
        more = f" and {len(found.hurt) - _MOST_NAMED} more" if len(found.hurt) > _MOST_NAMED else ""
        lines.append(f"  hurt: {', '.join(told)}{more}")
    else:
        lines.append("  nobody else is hurt")
    return lines


def settled_lines(found: SettledLoss, plan: Plan) -> list[str]:
    """Say what the loss would come to if the host were gone all day."""
    lines = [
        f"  gone all day: {found.after:.1f} guest-hours lacking instead of {found.before:.1f}, most more about"
        f" {format_time(found.worst_at_s)}"
    ]
    if found.hurt:
        told = [f"{label_of(plan, one.guest)} {-one.hours:.1f}" for one in found.hurt[:_MOST_NAMED]]
        lines.append(f"    who lacks more, hours: {', '.join(told)}")
    for one in found.off:
        lines.append(f"    {stays_off_text(one, plan)}")
    return lines


def _hurt_text(cpu: tuple[float, float], memory: tuple[float, float]) -> str:
    parts = [
        f"{name} {100 * now:.0f} % instead of {100 * was:.0f}"
        for name, (was, now) in (("CPU", cpu), ("memory", memory))
        if was - now > 0.005
    ]
    return " and ".join(parts)
