"""What is done to guests while the plan is played: it happens there, and goes into the plan only if it is kept."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.state.steps import Step
from ruvex.plan import Guest, MoveEvent, PowerEvent, SurgeEvent, add_events, pools_above
from ruvex.play import PHASES

SURGE_FACTOR: Final = 2.0
SURGE_S: Final = 600.0
_OFF: Final = (PHASES.index("off"), PHASES.index("queued"))


class LiveWork:
    """Power, restart and surge of what is selected, in the play that is under way."""

    def __init__(self, desk: Desk, playing: Playing, editor: Editor) -> None:
        self._desk, self._playing, self._editor = desk, playing, editor

    @property
    def _guests(self) -> list[Guest]:
        plan, chosen = self._desk.document.plan, set(self._desk.selection.ids)
        return [g for g in plan.guests if g.id in chosen or chosen & {pool.id for pool in pools_above(plan, g)}]

    def power(self) -> None:
        """Switch the selected guests on or off: in the play, or, where none is under way, in the plan."""
        if not self._playing.is_live:
            self._editor.power()
            return
        recording = self._playing.recording
        assert recording is not None
        phases = recording.series("phase")[:, -1]
        sleeping = {guest for guest, phase in zip(recording.guest_ids, phases.tolist(), strict=True) if phase in _OFF}
        guests = [guest.id for guest in self._guests]
        to_start = [guest for guest in guests if guest in sleeping]
        for guest in to_start or guests:
            do = "power-on" if to_start else "power-off"
            self._playing.insert(PowerEvent.model_validate({"at": self._playing.now_s, "do": do, "target": guest}))
        self._go_on()

    def move(self, host: str, guests: Sequence[str] | None = None) -> None:
        """Move guests to a host, what is selected where none are named: in the play, or else in the plan."""
        chosen = list(guests) if guests is not None else [guest.id for guest in self._guests]
        if not self._playing.is_live:
            self._editor.move_to_host(host, chosen)
        elif chosen:
            for guest in chosen:
                self._playing.insert(MoveEvent(at=self._playing.now_s, do="move", target=guest, host=host))
            self._go_on()

    def restart(self) -> None:
        """Restart the selected guests in the play."""
        if self._is_live():
            for guest in self._guests:
                event = {"at": self._playing.now_s, "do": "restart", "target": guest.id}
                self._playing.insert(PowerEvent.model_validate(event))
            self._go_on()

    def surge(self) -> None:
        """Double the demand of what is selected for ten minutes, in the play."""
        if self._is_live():
            for target in self._desk.selection.ids:
                event = SurgeEvent(
                    at=self._playing.now_s, do="surge", target=target, factor=SURGE_FACTOR, for_s=SURGE_S
                )
                self._playing.insert(event)
            self._go_on()

    def keep(self) -> None:
        """Write the events that were put in while playing into the plan, as one step that can be undone."""
        events = self._playing.kept
        if events:
            text = f"keep {len(events)} event{'s' if len(events) > 1 else ''}"
            if self._desk.trial.take(Step(text, lambda plan: add_events(plan, events), ())):
                self._playing.events_kept(self._desk.document.plan)

    def _is_live(self) -> bool:
        if not self._playing.is_live:
            self._editor.told.emit("This happens while the plan is played: play it at 1×, 10× or 60×, or pause it.")
        return self._playing.is_live and bool(self._desk.selection.ids)

    def _go_on(self) -> None:
        """Show at once what was done, where the play stands still."""
        if not self._playing.is_running:
            self._playing.step()
