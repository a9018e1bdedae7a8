"""Editing the events of the plan, each edit one undo entry."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.steps import Step
from ruvex.plan import Event, MoveEvent, Plan, SetEvent, SurgeEvent, format_time, with_events
from ruvex.words import change_text, label_of, span


def deed_text(event: Event, plan: Plan) -> str:
    """Say in a few words what an event does."""
    if isinstance(event, SetEvent):
        return change_text(event.change)
    if isinstance(event, SurgeEvent):
        return f"surge, {event.factor:g} times the demand for {span(event.for_s)}"
    if isinstance(event, MoveEvent):
        return f"move to {label_of(plan, event.host)}"
    return event.do.replace("-", " ")


def event_text(event: Event, plan: Plan) -> str:
    """Say when an event happens, to whom, what it does, and its note."""
    note = f" ({event.note})" if event.note else ""
    return f"{format_time(event.at)}  {label_of(plan, event.target)}: {deed_text(event, plan)}{note}"


class EventEditor(QObject):
    """Adds, changes and removes events of the document's plan. Events are named by their number in it.

    Attributes
    ----------
    selected
        The number of the event that is selected, None where none is.

    Signals
    -------
    selection_changed()
        Another one is selected, or none.
    """

    selection_changed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.selected: int | None = None
        desk.document.edited.connect(self._keep_what_is_there)
        desk.document.opened.connect(lambda: self.select(None))

    @property
    def events(self) -> Sequence[Event]:
        """The events of the plan, in the order of their times."""
        return self._desk.document.plan.events

    def select(self, number: int | None) -> None:
        """Select an event, or none."""
        if number != self.selected:
            self.selected = number
            self.selection_changed.emit()

    def add(self, event: Event) -> bool:
        """Add an event and select it; tells whether it was accepted."""
        plan = self._desk.document.plan
        return self._make(f"add event: {event_text(event, plan)}", [*self.events, event], event)

    def change(self, number: int, event: Event) -> bool:
        """Put another event in the place of one; tells whether it was accepted."""
        events = list(self.events)
        if events[number] == event:
            return True
        events[number] = event
        return self._make(f"event: {event_text(event, self._desk.document.plan)}", events, event)

    def move(self, number: int, at_s: float) -> bool:
        """Let an event happen at another time."""
        at_s = min(max(at_s, 0.0), self._desk.document.plan.day_s)
        return self.change(number, self.events[number].model_copy(update={"at": at_s}))

    def remove(self, number: int) -> bool:
        """Remove an event."""
        events = list(self.events)
        gone = events.pop(number)
        return self._make(f"delete event: {event_text(gone, self._desk.document.plan)}", events, None)

    def _make(self, text: str, events: list[Event], then: Event | None) -> bool:
        if not self._desk.trial.take(Step(text, lambda plan: with_events(plan, events), ())):
            return False
        now = self._desk.document.plan.events
        self.select(next((i for i, event in enumerate(now) if event is then), None) if then is not None else None)
        return True

    def _keep_what_is_there(self, _text: str) -> None:
        if self.selected is not None and self.selected >= len(self.events):
            self.select(None)
