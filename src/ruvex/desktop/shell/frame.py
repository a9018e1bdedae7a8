"""What the parts of the shell know of the window they belong to, so that none of them knows all of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QMainWindow, QMenu, QWidget

from ruvex.desktop.kit.notice import Notice
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.preferences import Preferences

AskPath = Callable[[QWidget, str], Path | None]
"""Asks a person for a path: above which window, and what is proposed."""


class Frame(QMainWindow):
    """The window as seen from its parts.

    Attributes
    ----------
    desk, preferences
        The open plan, and what is remembered.
    notice
        Tells and asks, above everything.
    recent_menu, stories_menu
        Menus that are filled when they open.
    ask_open, ask_save
        How a path is asked for; tests answer in the person's place.
    """

    desk: Desk
    preferences: Preferences
    notice: Notice
    recent_menu: QMenu
    stories_menu: QMenu
    ask_open: AskPath
    ask_save: AskPath

    def open_path(self, path: Path) -> bool:
        """Open a plan, or bring a file in."""
        raise NotImplementedError

    def show_view(self, name: str) -> None:
        """Go to a view."""
        raise NotImplementedError
