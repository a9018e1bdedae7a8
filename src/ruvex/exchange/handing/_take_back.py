"""A plan that was handed over, taken back: what changed there, what changed here, and where both did."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal

from pydantic import ValidationError

from ruvex.exchange._traces_in import free_trace_name, renamed_traces, traces_of
from ruvex.plan import (
    EditError,
    Event,
    Guest,
    Namer,
    Plan,
    Pool,
    Traces,
    TraceTable,
    add_items,
    change_settings,
    differing,
    digest_of_base,
    find_item,
    get_setting,
    outside_bounds,
    remove_items,
    setting_word,
    with_events,
    with_handed_over,
)
from ruvex.words import setting_text

Way = Literal["here", "there"]
GONE: Final = ""
"""In place of a setting: whether the item is there at all."""


@dataclass(frozen=True, slots=True)
class Conflict:
    """A setting that was changed on both sides, each to something else.

    Attributes
    ----------
    item, setting
        The id of the guest or pool, and the dotted name of the setting; no name where one side removed it.
    label, what
        What both are called.
    base, here, there
        What it was when it was handed over, and what it is now on each side; None for what was removed.
    """

    item: str
    setting: str
    label: str
    what: str
    base: Any
    here: Any
    there: Any

    @property
    def text(self) -> str:
        """Say what both did."""
        if not self.setting:
            gone, other = ("there", "here") if self.there is None else ("here", "there")
            return f"{self.label} was removed {gone} and changed {other}"
        base, here, there = (setting_text(self.setting, value) for value in (self.base, self.here, self.there))
        return f"{self.label}, {self.what}: it was {base}, here it is {here}, there {there}"


@dataclass(frozen=True, slots=True)
class TakenBack:
    """What became of it.

    Attributes
    ----------
    plan
        The plan with what was changed there; what both changed is as it was chosen, else as it is here.
    changed
        The guests and pools that are others by it.
    started
        The guests among them that are powered on by it.
    conflicts
        What both changed and nobody has chosen yet.
    told
        What was changed there, a line each.
    traces
        Traces that are new here.
    """

    plan: Plan
    changed: tuple[str, ...]
    started: tuple[str, ...]
    conflicts: tuple[Conflict, ...]
    told: tuple[str, ...]
    traces: Traces


def take_back(
    plan: Plan, traces: Traces, back: Plan, back_traces: Traces, choose: Mapping[tuple[str, str], Way]
) -> TakenBack:
    """Take a plan back that was handed over.

    Parameters
    ----------
    plan, traces
        The plan it is from, as it is now.
    back, back_traces
        What its owner made of it.
    choose
        For what both changed, by item and setting, which side counts.

    Raises
    ------
    EditError
        It was not handed over from this plan, is not the last that was, was changed outside its bounds, or does not
        fit any more.
    """
    base = _checked(plan, back)
    merge = _Merge(plan, base, *_with_own_traces(base, back, traces, back_traces), choose)
    return merge.taken()


def _checked(plan: Plan, back: Plan) -> Plan:
    """Give the plan as it was handed over, once all of it is seen to be from here and within its bounds."""
    handed = back.handed
    if handed is None:
        raise EditError("this plan was not handed over; nothing tells what it is from")
    record = next((one for one in plan.handed_over if one.pool == handed.pool), None)
    if record is None or handed.pool not in plan.pool_index:
        raise EditError(
            f"no pool {handed.pool!r} of this plan is handed over; it is from another plan, or was taken back"
        )
    label = plan.labels[handed.pool]
    if record.digest != handed.digest:
        raise EditError(f"{label} was handed over anew since, or this is from another plan; take the last one back")
    if digest_of_base(handed.base) != handed.digest or tuple(handed.may) != record.may:
        raise EditError(f"what says how {label} was handed over was changed; ask for the file as Ruvex wrote it")
    try:
        base = Plan.model_validate(handed.base)
    except ValidationError:
        raise EditError(f"what says how {label} was handed over cannot be read; hand it over anew") from None
    base = base.model_copy(update={"handed": handed})
    reason = outside_bounds(base, back)
    if reason is not None:
        raise EditError(f"it was changed outside its bounds. {reason}")
    return base


def _with_own_traces(base: Plan, back: Plan, traces: Traces, back_traces: Traces) -> tuple[Plan, dict[str, TraceTable]]:
    """Give what its owner made with traces by names that are free here, and those that are new here."""
    names: dict[str, str] = {}
    new: dict[str, TraceTable] = {}
    for name in sorted(traces_of((*back.guests, *back.events))):
        if name not in back_traces or (name in traces and traces[name].content == back_traces[name].content):
            continue
        names[name] = name if name not in traces else free_trace_name(name, {*traces, *names.values()})
        new[names[name]] = back_traces[name]
    known = {guest.id: guest for guest in base.guests}
    guests = tuple(
        guest if guest.id in known and known[guest.id].demand == guest.demand else renamed_traces(guest, names)
        for guest in back.guests
    )
    events = tuple(event if event in base.events else renamed_traces(event, names) for event in back.events)
    return back.model_copy(update={"guests": guests, "events": events}), new


class _Merge:
    """Merges item by item and setting by setting."""

    def __init__(
        self, plan: Plan, base: Plan, back: Plan, new_traces: Traces, choose: Mapping[tuple[str, str], Way]
    ) -> None:
        self._here, self._plan, self._base, self._back = plan, plan, base, back
        self._choose, self._new_traces = choose, new_traces
        assert base.handed is not None
        self._root = base.handed.pool
        self._ids: dict[str, str] = {}
        self._conflicts: list[Conflict] = []
        self._told: list[str] = []
        self._changed: dict[str, None] = {}

    def taken(self) -> TakenBack:
        """Merge, and give what became of it."""
        self._add(self._back.pools, self._base.pools)
        self._add(self._back.guests, self._base.guests)
        for there, base in ((self._back.pools, self._base.pools), (self._back.guests, self._base.guests)):
            self._change(there, base)
        self._remove()
        self._merge_events()
        left = [record for record in self._here.handed_over if record.pool != self._root]
        plan = with_handed_over(self._plan, left)
        here = self._here

        def is_powered(plan: Plan, item: str) -> bool:
            return item in plan.guest_index and plan.guests[plan.guest_index[item]].is_powered

        started = [item for item in self._changed if is_powered(plan, item) and not is_powered(here, item)]
        changed = tuple(item for item in self._changed if find_item(plan, item) is not None)
        return TakenBack(plan, changed, tuple(started), tuple(self._conflicts), tuple(self._told), self._new_traces)

    def _id(self, item: str | None) -> str | None:
        return self._ids.get(item, item) if item is not None else None

    def _add(self, there: Sequence[Pool | Guest], base: Sequence[Pool | Guest]) -> None:
        known = {item.id for item in base}
        namer = Namer(self._plan)
        for item in there:
            if item.id in known:
                continue
            name = namer.name_like(item.called)
            self._ids[item.id] = namer.id_for(item.id, "guest")
            above = {"pool": self._id(item.pool)} if isinstance(item, Guest) else {"parent": self._id(item.parent)}
            new = item.model_copy(update={"id": self._ids[item.id], "name": name} | above)
            self._plan = add_items(self._plan, [new])
            self._changed[new.id] = None
            self._told.append(f"{new.label} is new")

    def _change(self, there: Sequence[Pool | Guest], base: Sequence[Pool | Guest]) -> None:
        was = {item.id: item for item in base}
        for item in there:
            old = was.get(item.id)
            if old is None or old == item or item.id == self._root:
                continue
            here = find_item(self._plan, item.id)
            for setting in differing(old, item):
                before, after = (self._value(one, setting) for one in (old, item))
                if not isinstance(here, Pool | Guest):
                    self._conflict(item, GONE, old, None, item)
                    break
                now = _value_or_none(here, setting)
                if now == after:
                    continue
                if now != before and not self._conflict(item, setting, before, now, after):
                    continue
                self._set(item, setting, now, after)

    def _value(self, item: Pool | Guest, setting: str) -> Any:
        value = get_setting(item, setting)
        return self._id(value) if setting in ("pool", "parent") else value

    def _set(self, item: Pool | Guest, setting: str, now: Any, value: Any) -> None:
        self._plan = change_settings(self._plan, item.id, {setting: value})
        self._changed[item.id] = None
        was, will = setting_text(setting, now), setting_text(setting, value)
        self._told.append(f"{item.label}: {setting_word(setting)} {was} → {will}")

    def _conflict(self, item: Pool | Guest, setting: str, base: Any, here: Any, there: Any) -> bool:
        """Whether what was done there counts; asked for where nobody has chosen."""
        way = self._choose.get((item.id, setting))
        if way is None:
            what = setting_word(setting) if setting else "whether it is there"
            self._conflicts.append(Conflict(item.id, setting, item.label, what, base, here, there))
        if way == "there" and setting == GONE and here is None:
            pool = {"pool": item.pool} if isinstance(item, Guest) else {}
            known = self._plan.pool_index
            if isinstance(item, Guest) and item.pool not in known:
                pool = {"pool": self._root}
            self._plan = add_items(self._plan, [item.model_copy(update=pool)])
            self._changed[item.id] = None
            self._told.append(f"{item.label} is back")
        return way == "there"

    def _remove(self) -> None:
        for base, there in ((self._base.guests, self._back.guests), (self._base.pools, self._back.pools)):
            staying = {item.id for item in there}
            for item in base:
                here = find_item(self._plan, item.id)
                if item.id in staying or not isinstance(here, Pool | Guest):
                    continue
                if here != item and not self._conflict(item, GONE, item, here, None):
                    continue
                self._plan = remove_items(self._plan, [item.id])
                self._told.append(f"{item.label} is gone")

    def _merge_events(self) -> None:
        base, there = list(self._base.events), list(self._back.events)
        gone = [event for event in base if event not in there]
        new = [self._moved(event) for event in there if event not in base]
        if not (gone or new):
            return
        kept = [event for event in self._plan.events if event not in gone]
        self._plan = with_events(self._plan, [*kept, *_not_in(new, kept)])
        self._told += [f"{len(new)} new events"] if new else []
        self._told += [f"{len(gone)} events are gone"] if gone else []

    def _moved(self, event: Event) -> Event:
        return event.model_copy(update={"target": self._id(event.target)})


def _not_in(events: Iterable[Event], others: Sequence[Event]) -> list[Event]:
    return [event for event in events if event not in others]


def _value_or_none(item: Pool | Guest, setting: str) -> Any:
    try:
        return get_setting(item, setting)
    except KeyError:
        return None
