"""What a view is to the window: how it is called, how it is made, and what it takes and tells.

The window knows no view by name. A new one is a package under ``views`` with a ``ViewSpec``, and an entry in
``shell.views``.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.events import EventEditor
from ruvex.desktop.state.live_work import LiveWork
from ruvex.desktop.state.look import Mode

Actions = Mapping[ActionName, QAction]


@dataclass(frozen=True, slots=True)
class Bench:
    """What a view is made with.

    Attributes
    ----------
    desk
        The state it shows.
    editor, live, events
        What can be done with selected rows, in the plan and in a play that is under way; and with events.
    theme
        How things look.
    actions
        Every action of the window; a view binds those that are its own.
    """

    desk: Desk
    editor: Editor
    live: LiveWork
    events: EventEditor
    theme: Theme
    actions: Actions


class View(QWidget):
    """One view; this is all the window asks of it.

    Signals
    -------
    told(text)
        Something to be said in the window.
    menu_asked(place)
        The menu of the selected rows is wanted there.
    dials_asked()
        The dials are to be gone to.
    asked()
        An action of this view was run while another one shows: it is to be shown.
    legend_changed()
        It draws other things now than its ``legend`` had before.
    """

    told = pyqtSignal(str)
    menu_asked = pyqtSignal(QPoint)
    dials_asked = pyqtSignal()
    asked = pyqtSignal()
    legend_changed = pyqtSignal()

    def bind_here(self, actions: Actions, runs: Mapping[ActionName, Callable[[], object]]) -> None:
        """Let actions run what this view has for them, while it is the one that shows."""
        for name, run in runs.items():
            actions[name].triggered.connect(lambda _checked=False, r=run: r() if self.isVisible() else None)

    @property
    def legend(self) -> Sequence[str]:
        """What it draws, as the legend names it, the most needed first."""
        return ()

    @property
    def is_behind(self) -> bool:
        """Whether it is still drawing what is to be seen."""
        return False

    def arrangement(self) -> dict[str, Any]:
        """Give how it is arranged, to be kept for the next start."""
        return {}

    def arrange(self, kept: Mapping[str, Any]) -> None:
        """Arrange it as it was left; what cannot be understood is passed over."""


@dataclass(frozen=True, slots=True)
class ViewSpec:
    """A view as the window registers it.

    Attributes
    ----------
    name, title, hint
        How code, people and tips call it.
    mode
        The look it needs; None where the person chooses between settled and played.
    make
        Makes it.
    """

    name: str
    title: str
    hint: str
    mode: Mode | None
    make: Callable[[Bench, QWidget], View]


def bind(actions: Actions, runs: Mapping[ActionName, Callable[[], object]]) -> None:
    """Let actions run what a view or panel has for them."""
    for name, run in runs.items():
        actions[name].triggered.connect(lambda _checked=False, r=run: r())
