"""What stands in the menus."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtGui import QAction, QActionGroup
from PyQt6.QtWidgets import QMenu, QWidget

from ruvex.desktop.kit.actions import ActionName as Name

Actions = Mapping[Name, QAction]

LOOKS = (Name.LOOK_DESKTOP, Name.LOOK_LIGHT, Name.LOOK_DARK, Name.LOOK_CONTRAST)


def _add(menu: QMenu, actions: Actions, *names: Name) -> None:
    menu.addActions([actions[name] for name in names])


def _below(menu: QMenu, title: str, actions: Actions, *names: Name) -> QMenu:
    below = QMenu(title, menu)
    _add(below, actions, *names)
    menu.addMenu(below)
    return below


def fill_plan_menu(menu: QMenu, recent: QMenu, stories: QMenu, actions: Actions, window: QWidget) -> None:
    """Put every action into the menu of the plan."""
    _add(menu, actions, Name.NEW, Name.OPEN)
    menu.addMenu(recent)
    _add(menu, actions, Name.DEMO)
    menu.addMenu(stories)
    _add(menu, actions, Name.SAVE, Name.SAVE_AS)
    _below(menu, "In and out", actions, Name.BRING, Name.BRING_HERE, Name.GIVE, Name.REPORT, Name.COPY_CHART)
    _below(menu, "Owners", actions, Name.HAND_OVER, Name.TAKE_BACK)
    menu.addSeparator()
    _add(menu, actions, Name.UNDO, Name.REDO)
    menu.addSeparator()
    _add(menu, actions, Name.FIND)
    _below(menu, "Add", actions, Name.NEW_GUEST, Name.NEW_POOL, Name.NEW_HOST, Name.PASTE)
    fill_row_menu(_below(menu, "Selection", actions), actions)
    _add(menu, actions, Name.PLAN, Name.STORES, Name.RULES, Name.SPLIT, Name.PLACEMENT, Name.EMPTY_HOST)
    menu.addSeparator()
    _below(menu, "Moment", actions, Name.SETTLED, Name.EARLIER, Name.LATER, Name.HOUR_EARLIER, Name.HOUR_LATER)
    rows = (
        Name.FILTER,
        Name.ORDER,
        Name.AXIS,
        Name.BY_HOST,
        Name.CPU_UNIT,
        Name.MEMORY_UNIT,
        Name.FOLD_ALL,
        Name.UNFOLD_ALL,
    )
    _below(menu, "Rows", actions, *rows, Name.DIALS, Name.WHY)
    moves = (
        Name.PLAY,
        Name.PLAY_STEP,
        Name.REPLAY,
        Name.NEXT_TIME,
        Name.RESTART,
        Name.SURGE,
        Name.KEEP_EVENTS,
        Name.EVENTS,
        Name.LOG,
        Name.SUMMARY,
        Name.PROOF,
    )
    _below(menu, "Play", actions, *moves)
    look = _below(menu, "Look", actions, *LOOKS)
    group = QActionGroup(window)
    for name in LOOKS:
        actions[name].setCheckable(True)
        group.addAction(actions[name])
    look.addSeparator()
    _add(look, actions, Name.LARGER, Name.SMALLER)
    menu.addSeparator()
    _add(menu, actions, Name.KEYS, Name.QUIT)


def fill_row_menu(menu: QMenu, actions: Actions) -> None:
    """Put what can be done with the selected rows into a menu."""
    _add(menu, actions, Name.POWER, Name.RENAME, Name.DUPLICATE, Name.MOVE, Name.UPWARD, Name.DOWNWARD)
    menu.addSeparator()
    _add(menu, actions, Name.SETTINGS, Name.WHY, Name.SPLIT, Name.RESTART, Name.SURGE)
    menu.addSeparator()
    _add(menu, actions, Name.NEW_GUEST, Name.NEW_POOL, Name.COPY, Name.PASTE, Name.SELECT_ALL)
    menu.addSeparator()
    _add(menu, actions, Name.DELETE)
