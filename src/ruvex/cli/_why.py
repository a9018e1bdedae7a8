"""``ruvex divide --why``."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict
from pathlib import Path
from typing import Any, Final

from ruvex.advise import Amount, HelpfulMove, ladder_lines, moves_for
from ruvex.cli._document import print_document
from ruvex.divide import Division, Ladder, Shifts, divide, ladder_of, site_shares, who_has_it
from ruvex.plan import RESOURCES, EditError, Plan, PlanFile, format_cpu, format_memory, format_time
from ruvex.site import site_of
from ruvex.words import flow_lines

_NAMES: Final = {"cpu": "CPU", "memory": "Memory"}
_WRITE: Final[Mapping[str, Amount]] = {"cpu": format_cpu, "memory": format_memory}
_MOST: Final = 5


def print_why(file: PlanFile, path: Path, at_s: float, item: str, *, as_json: bool) -> None:
    """Print why a guest or pool gets what it gets, who has what it lacks and what would help.

    Raises
    ------
    EditError
        The plan has no such guest or pool, or it is off.
    """
    plan = file.plan
    if item not in plan.guest_index and item not in plan.pool_index:
        raise EditError(f"there is no guest or pool {item!r} in the plan; ids are what the plan file calls them")
    site = site_of(plan, file.traces)
    division = divide(site, at_s)
    if not division.on[division.position[item]]:
        raise EditError(f"{item!r} is powered off and takes no part; try: ruvex admit {path} {item}")
    having = who_has_it(site, division, item)
    moves = moves_for(site, division, item)
    ladders = {name: ladder_of(division, item, name) for name in RESOURCES}
    if as_json:
        document: dict[str, Any] = {"plan": plan.name, "at": division.at_s, "id": item}
        for name in RESOURCES:
            document[name] = _to_json(division, ladders[name], having.get(name), moves[name])
        taps = [tap.to_json() for tap in division.flowing.of(item)]
        document |= {"flows": taps} if taps else {}
        print_document(document)
        return
    print(f"{_label(plan, item)} at {format_time(division.at_s)}")
    for name in RESOURCES:
        part = float(site_shares(division, division.of(name))[division.position[item]])
        print("\n".join(_lines(plan, division, ladders[name], having.get(name), moves[name], part)))
    flows = flow_lines(division, item)
    if flows:
        print("\n".join(["", "Disks and network:", *(f"  {line}" for line in flows)]))


def _label(plan: Plan, item: str) -> str:
    return plan.labels[item]


def _lines(
    plan: Plan, division: Division, ladder: Ladder, having: Shifts | None, moves: list[HelpfulMove], part: float
) -> list[str]:
    write = _WRITE[ladder.resource]
    lines = ["", f"{_NAMES[ladder.resource]}: {write(ladder.delivered)} of {write(ladder.wanted)} wanted"]
    lines[-1] += f", {100 * part:.3g} % of the site when all want all"
    lines += [f"{figure:>12}  {text}" for figure, text in ladder_lines(ladder, plan, write)]
    if having is not None:
        named = zip(having.rows[:_MOST].tolist(), having.amounts[:_MOST].tolist(), strict=True)
        held = ", ".join(f"{_label(plan, division.ids[row])} {write(-amount)}" for row, amount in named)
        more = having.rows.size - _MOST
        lines.append(f"  Who has it: {held}{f' and {more} more' if more > 0 else ''}")
    if moves:
        lines.append("  What would help:")
        for move in moves:
            paying = ", ".join(f"{_label(plan, guest)} {write(amount)}" for guest, amount in move.losses[:2])
            more = len(move.losses) - 2
            paid = f", paid by {paying}{f' and {more} more' if more > 0 else ''}" if paying else ", nobody pays"
            lines.append(f"{'+' + write(move.gain):>12}  {move.text}{paid}")
    return lines


def _to_json(division: Division, ladder: Ladder, having: Shifts | None, moves: list[HelpfulMove]) -> dict[str, Any]:
    document = asdict(ladder)
    del document["item"], document["resource"]
    document["level"] = ladder.level if math.isfinite(ladder.level) else None
    document["path"] = [{"id": i, "delivered": delivered, "wanted": wanted} for i, delivered, wanted in ladder.path]
    rows = [] if having is None else zip(having.rows.tolist(), having.amounts.tolist(), strict=True)
    document["who_has_it"] = [{"id": division.ids[row], "amount": -amount} for row, amount in rows]
    document["would_help"] = [
        {"text": move.text, "changes": dict(move.changes), "gain": move.gain, "losses": dict(move.losses)}
        for move in moves
    ]
    return document
