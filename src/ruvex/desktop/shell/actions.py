"""The window's actions: how each is made of what the registry says of it, and what those run that the parts do."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.panels.day_strip import LONG_STEP_S, STEP_S, DayStrip
from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.shell.exchanging import Exchanging
from ruvex.desktop.shell.finding import Finder
from ruvex.desktop.shell.handing import Handing
from ruvex.desktop.shell.looks import Looks
from ruvex.desktop.shell.plan_files import PlanFiles
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.live_work import LiveWork
from ruvex.desktop.state.units import Units

Runs = Mapping[ActionName, Callable[[], object]]


def make_action(name: ActionName, window: QWidget) -> QAction:
    """Make an action; one of rows is added to those widgets that have rows."""
    spec = name.value
    action = QAction(spec.text, window)
    action.setShortcuts([QKeySequence(keys) for keys in spec.keys])
    action.setToolTip(spec.hint)
    action.setStatusTip(spec.hint)
    action.setShortcutContext(
        Qt.ShortcutContext.WidgetWithChildrenShortcut if spec.in_rows else Qt.ShortcutContext.WindowShortcut
    )
    if not spec.in_rows:
        window.addAction(action)
    return action


def make_view_action(spec: ViewSpec, keys: str, window: QWidget) -> QAction:
    """Make the action that goes to a view."""
    action = QAction(spec.title, window)
    action.setShortcut(QKeySequence(keys))
    action.setToolTip(spec.hint)
    action.setStatusTip(spec.hint)
    action.setCheckable(True)
    window.addAction(action)
    return action


def runs_of_files(files: PlanFiles, exchanging: Exchanging, handing: Handing) -> Runs:
    """Give what is run that is about files."""
    return {
        ActionName.NEW: files.new,
        ActionName.OPEN: files.ask_and_open,
        ActionName.DEMO: files.open_demo,
        ActionName.SAVE: files.save,
        ActionName.SAVE_AS: files.save_as,
        ActionName.BRING: exchanging.ask_and_bring,
        ActionName.BRING_HERE: exchanging.bring_here,
        ActionName.GIVE: exchanging.ask_and_give,
        ActionName.HAND_OVER: handing.show_over,
        ActionName.TAKE_BACK: handing.ask_and_take,
    }


def runs_of_rows(editor: Editor, live: LiveWork, finder: Finder) -> Runs:
    """Give what is run on the selected rows, and what finds some."""
    return {
        ActionName.FIND: finder.find,
        ActionName.MOVE: finder.move,
        ActionName.NEW_GUEST: editor.new_guest,
        ActionName.NEW_POOL: editor.new_pool,
        ActionName.POWER: live.power,
        ActionName.DUPLICATE: editor.duplicate,
        ActionName.DELETE: editor.delete,
        ActionName.UPWARD: lambda: editor.shift(-1),
        ActionName.DOWNWARD: lambda: editor.shift(1),
        ActionName.COPY: editor.copy,
        ActionName.PASTE: editor.paste,
    }


def runs_of_looks(strip: DayStrip, units: Units, looks: Looks) -> Runs:
    """Give what is run to look at another time, in other units, or otherwise."""
    return {
        ActionName.EARLIER: lambda: strip.step(-STEP_S),
        ActionName.LATER: lambda: strip.step(STEP_S),
        ActionName.HOUR_EARLIER: lambda: strip.step(-LONG_STEP_S),
        ActionName.HOUR_LATER: lambda: strip.step(LONG_STEP_S),
        ActionName.CPU_UNIT: lambda: units.next("cpu"),
        ActionName.MEMORY_UNIT: lambda: units.next("memory"),
        ActionName.LOOK_DESKTOP: partial(looks.choose, "desktop"),
        ActionName.LOOK_LIGHT: partial(looks.choose, "light"),
        ActionName.LOOK_DARK: partial(looks.choose, "dark"),
        ActionName.LOOK_CONTRAST: partial(looks.choose, "contrast"),
        ActionName.LARGER: partial(looks.resize_text, 1),
        ActionName.SMALLER: partial(looks.resize_text, -1),
    }
