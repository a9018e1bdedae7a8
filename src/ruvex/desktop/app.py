"""Starting the desktop."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from ruvex import __version__
from ruvex.desktop.session import Session
from ruvex.desktop.state import State
from ruvex.desktop.theme import Theme
from ruvex.desktop.window import Window

_SIZE = (1280, 800)


def make_application() -> QApplication:
    """Give the one application object, made on first use."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    application = QApplication(sys.argv[:1])
    application.setApplicationName("ruvex")
    application.setApplicationDisplayName("Ruvex")
    application.setApplicationVersion(__version__)
    application.setDesktopFileName("ruvex")
    application.setStyle("Fusion")
    return application


def make_window(*, state: State | None = None, follow_desktop: bool = True) -> Window:
    """Make the window with an empty plan, looking as it was left."""
    state = state or State()
    theme = Theme(follow_desktop=follow_desktop)
    theme.set_mode(state.theme_mode)
    theme.set_scale(state.text_scale)
    window = Window(Session(), theme, state)
    window.resize(*_SIZE)
    return window


def run_desktop(plan: Path | None) -> int:
    """Open the window, with a plan if one is given, and stay until it is closed; gives the exit status."""
    application = make_application()
    window = make_window()
    if plan is not None:
        window.open_path(plan)
    window.show()
    # Qt's loop hides Ctrl+C from Python; a timer lets it be seen.
    signal.signal(signal.SIGINT, lambda *_: application.quit())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    return application.exec()
