"""Edits: each takes a plan and gives a new one that is valid, or says why it cannot."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from ruvex.plan._check import guest_problems, pool_problems
from ruvex.plan._errors import EditError
from ruvex.plan._model import Guest, Plan, Pool, Rules
from ruvex.plan._problems import problems_of
from ruvex.plan._settings import Part, find_item, with_settings


def change_settings(plan: Plan, target: str, change: Mapping[str, Any]) -> Plan:
    """Give a plan in which some settings of one item have new values.

    Parameters
    ----------
    plan
        The plan; it stays as it is.
    target
        The id of a host, pool or guest, or ``rules``.
    change
        Dotted setting names to new values, such as ``{"cpu.shares": 200}``.

    Raises
    ------
    EditError
        There is no such item or setting, or a value breaks a rule; the text names the setting and the remedy.
    """
    item = find_item(plan, target)
    if item is None:
        raise EditError(f"there is no {target!r} in the plan")
    try:
        new = with_settings(item, change)
    except KeyError as error:
        raise EditError(f"{target!r} has no setting {error.args[0]!r}") from None
    except ValidationError as error:
        problems = problems_of(error, item.model_dump(), type(item))
        raise EditError("\n".join(str(problem) for problem in problems)) from None
    return replace_item(plan, new)


def replace_item(plan: Plan, item: Part) -> Plan:
    """Give a plan with one host, pool or guest (found by its id), or the rules, replaced.

    Raises
    ------
    EditError
        The item is not in the plan, or breaks a rule of its own or towards its host.
    """
    if isinstance(item, Rules):
        return _copy(plan, rules=item)
    if isinstance(item, Guest):
        position = _position(plan.guest_index, item.id)
        problems = guest_problems(item, plan.host_of(item), item.id)
        update: dict[str, Any] = {"guests": _with(plan.guests, position, item)}
    elif isinstance(item, Pool):
        position = _position(plan.pool_index, item.id)
        problems = pool_problems(item, item.id)
        update = {"pools": _with(plan.pools, position, item)}
    else:
        position = _position(plan.host_index, item.id)
        update = {"hosts": _with(plan.hosts, position, item)}
        after = _copy(plan, **update)
        problems = [p for g in plan.guests for p in guest_problems(g, after.host_of(g), g.id)]
    if problems:
        raise EditError("\n".join(str(problem) for problem in problems))
    return _copy(plan, **update)


def move_moment(plan: Plan, moment_s: float) -> Plan:
    """Give a plan whose moment is another one, kept within the day."""
    return _copy(plan, moment=min(max(moment_s, 0.0), plan.day_s))


def _position(index: Mapping[str, int], target: str) -> int:
    if target not in index:
        raise EditError(f"there is no {target!r} in the plan")
    return index[target]


def _with(items: tuple[Any, ...], position: int, item: Any) -> tuple[Any, ...]:
    return (*items[:position], item, *items[position + 1 :])


def _copy(plan: Plan, **update: Any) -> Plan:
    # The copy keeps the indexes that were made already: none of these edits changes an id or its position.
    return plan.model_copy(update=update)
