"""A row in words, for the pointer that rests on it and for screen readers."""

from __future__ import annotations

import math

from ruvex.desktop.widgets.figures import NAME, figure_with_unit
from ruvex.divide import RESOURCES, Division


def row_story(division: Division, row: int, label: str) -> str:
    """Tell in a few lines what a guest or pool wants, gets and is promised."""
    if not division.on[row]:
        return f"{label} is powered off"
    lines = [label]
    for name in RESOURCES:
        r = getattr(division, name)
        parts = [f"gets {figure_with_unit(float(r.delivered[row]), name)}"]
        parts.append(f"wants {figure_with_unit(float(r.wanted[row]), name)}")
        if r.unmet[row] > 0:
            parts.append(f"lacks {figure_with_unit(float(r.unmet[row]), name)}")
        if r.claim[row] > 0:
            parts.append(f"promised {figure_with_unit(float(r.claim[row]), name)}")
        if math.isfinite(r.limit[row]):
            parts.append(f"limit {figure_with_unit(float(r.limit[row]), name)}")
        parts.append(f"shares {r.shares[row]:g}")
        if r.node_broken[row]:
            parts.append("its members are promised more than it has")
        lines.append(f"{NAME[name]}: " + ", ".join(parts))
    return "\n".join(lines)
