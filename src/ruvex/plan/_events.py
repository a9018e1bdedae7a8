"""Trying what the events of a plan set, so that nothing is read which a play could not do."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, Final

from pydantic import ValidationError

from ruvex.plan._errors import Problem
from ruvex.plan._model import Plan, SetEvent
from ruvex.plan._problems import problems_of
from ruvex.plan._settings import Part, find_item, with_settings

NAMED_BY_KEYS: Final = "name one by its keys, such as cpu.shares"


def changed_items(plan: Plan, part: str = "") -> Iterator[tuple[int, Part]]:
    """Give what comes of the items that events change, with the number of the event.

    Parameters
    ----------
    plan
        A plan whose events have been checked.
    part
        Only events that change something in this part of an item, such as ``demand``.
    """
    for i, event in enumerate(plan.events):
        if isinstance(event, SetEvent) and any(name.partition(".")[0] == part for name in event.change):
            item = find_item(plan, event.target)
            if item is not None:
                yield i, with_settings(item, event.change)


class Trying:
    """Changes items as a play would, one event after the other, and tells what cannot be done."""

    def __init__(self, plan: Plan) -> None:
        self._plan = plan
        self._now: dict[str, Part] = {}

    def problems(self, event: SetEvent, path: str) -> Iterator[Problem]:
        """Try an event's change; gives what is wrong with it.

        An earlier event may have made the item another one, or may be refused when it is played: a change that can be
        made to either is right.
        """
        clash = _clash(event.change)
        if clash is not None:
            parent, child = clash
            what = f"both {parent!r} and {child!r}, which is part of it, are set"
            yield Problem(path, what, "set one of them")
            return
        first: list[Problem] = []
        planned = find_item(self._plan, event.target)
        for item in (self._now.get(event.target), planned):
            if item is None:
                continue
            try:
                self._now[event.target] = with_settings(item, event.change)
            except KeyError as error:
                first = first or [Problem(path, f"{event.target!r} has no setting {error.args[0]!r}", NAMED_BY_KEYS)]
            except ValidationError as error:
                first = first or problems_of(error, dict(event.change), type(item), path)
            else:
                return
        yield from first


def _clash(change: Mapping[str, Any]) -> tuple[str, str] | None:
    """Find two settings of which one is part of the other."""
    for name in change:
        for other in change:
            if other.startswith(f"{name}."):
                return name, other
    return None
