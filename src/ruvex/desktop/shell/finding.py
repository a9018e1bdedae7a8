"""What the command box offers: rows, stories, views, actions and times to find; pools and hosts to move to."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtGui import QAction

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.command_box import CommandBox, Offer
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.shell.plan_files import PlanFiles
from ruvex.desktop.state.moving import guests_on
from ruvex.plan import UnitError, format_time, parse_time


class Finder:
    """Fills the command box.

    Parameters
    ----------
    box, bench, files
        Where entries show, what they do, and the stories.
    view_actions
        Those that go to the views.
    to_rows
        Gives the keyboard to the view.
    """

    def __init__(
        self, box: CommandBox, bench: Bench, files: PlanFiles, view_actions: Mapping[str, QAction],
        to_rows: Callable[[], None],
    ) -> None:  # fmt: skip
        self._box, self._bench, self._files = box, bench, files
        self._view_actions, self._to_rows = view_actions, to_rows
        # What is offered is of the plan as it was when the box was opened.
        bench.desk.document.opened.connect(self._take_back)
        bench.desk.document.edited.connect(lambda _text: self._take_back())

    def find(self) -> None:
        """Offer all that can be found."""
        plan, select = self._bench.desk.look.plan, self._show_row
        entries = [Offer(pool.label, "pool", partial(select, pool.id)) for pool in plan.pools]
        entries += [Offer(host.label, "host", partial(select, host.id)) for host in plan.hosts]
        entries += [
            Offer(guest.label, " ".join(("guest", *guest.tags)), partial(select, guest.id)) for guest in plan.guests
        ]
        entries += [
            Offer(title, f"story: {notes}", partial(self._files.open_story, path))
            for path, title, notes in self._files.stories()
        ]
        entries += [Offer(action.text(), action.toolTip(), action.trigger) for action in self._view_actions.values()]
        for name, action in self._bench.actions.items():
            if action.isEnabled() and name is not ActionName.FIND:
                entries.append(Offer(action.text(), name.value.hint, action.trigger))
        self._box.open(entries, self._times)

    def move(self) -> None:
        """Offer where what is selected can be moved to."""
        desk, editor = self._bench.desk, self._bench.editor
        plan, selection = desk.look.plan, desk.selection
        entries = []
        if selection.ids:
            entries = [Offer("The top", "beside the pools", partial(editor.move_to, None))]
            entries += [
                Offer(pool.label, "move the selection into this pool", partial(editor.move_to, pool.id))
                for pool in plan.pools
                if pool.id not in selection.ids
            ]
        whole = selection.host
        guests = guests_on(desk, whole.id) if whole is not None else None
        if selection.ids or guests:
            what = "move the selection to this host" if whole is None else f"move all guests of {whole.label} here"
            entries += [
                Offer(host.label, what, partial(self._bench.live.move, host.id, guests))
                for host in plan.hosts
                if len(plan.hosts) > 1 and host is not whole
            ]
        if entries:
            self._box.open(entries, lambda _text: ())

    def _take_back(self) -> None:
        if self._box.isVisible():
            self._box.leave()

    def _show_row(self, item_id: str) -> None:
        self._bench.desk.selection.select(item_id)
        self._to_rows()

    def _times(self, text: str) -> list[Offer]:
        look = self._bench.desk.look
        try:
            at_s = parse_time(text) if ":" in text else -1.0
        except UnitError:
            return []
        if not 0 <= at_s <= look.plan.day_s:
            return []
        return [Offer(format_time(at_s), "move the moment there", lambda: look.set_moment(at_s))]
