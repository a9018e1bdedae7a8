"""Starting the desktop."""

from __future__ import annotations

import contextlib
import signal
import sys
import traceback
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication

from ruvex import __version__
from ruvex.desktop.open_plan import OpenPlan
from ruvex.desktop.state import State, state_folder
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
    window = Window(OpenPlan(), theme, state)
    if "geometry" not in state.layout:
        window.resize(*_SIZE)
    return window


def tell_unexpected(window: Window) -> None:
    """Let an error in Ruvex itself be told in the window and logged, instead of ending the program with the work."""
    log = state_folder() / "errors.log"

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        with contextlib.suppress(OSError):
            log.parent.mkdir(parents=True, exist_ok=True)
            with log.open("a", encoding="utf-8") as stream:
                stream.write("".join(traceback.format_exception(kind, error, trace)) + "\n")
        window.notice.tell(f"Ruvex itself made a mistake: {error}.\nSave your plan. What happened is written in {log}.")

    sys.excepthook = tell


def run_desktop(plan: Path | None) -> int:
    """Open the window, with a plan if one is given, and stay until it is closed; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError
        The plan cannot be used.
    """
    application = make_application()
    window = make_window()
    tell_unexpected(window)
    if plan is not None:
        window.open_plan.open(plan)
        window.state.add_recent(plan)
    window.show()
    window.files.offer_recovery()
    # Qt's loop hides Ctrl+C from Python; a timer lets it be seen.
    signal.signal(signal.SIGINT, lambda *_: application.quit())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    return application.exec()
