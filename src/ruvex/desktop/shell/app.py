"""Starting the desktop."""

from __future__ import annotations

import signal
import sys
from pathlib import Path
from types import TracebackType
from typing import Any

from PyQt6.QtCore import QByteArray, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QWidget

from ruvex import __version__
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.shell.opening import Opening
from ruvex.desktop.shell.reading import read_small
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.preferences import Preferences
from ruvex.mishaps import write_report

_SIZE = (1280, 800)
_APP_ID = "app.ruvex.Ruvex"
"""What the desktop entry and the icon are called."""


def make_application() -> QApplication:
    """Give the one application object, made on first use."""
    existing = QApplication.instance()
    if isinstance(existing, QApplication):
        return existing
    application = QApplication(sys.argv[:1])
    application.setApplicationName("ruvex")
    application.setApplicationDisplayName("Ruvex")
    application.setApplicationVersion(__version__)
    application.setDesktopFileName(_APP_ID)
    application.setWindowIcon(QIcon.fromTheme(_APP_ID))
    application.setStyle("Fusion")
    return application


def make_window(*, preferences: Preferences | None = None, follow_desktop: bool = True) -> Window:
    """Make the window with an empty plan, looking as it was left."""
    preferences = preferences or Preferences()
    theme = Theme(follow_desktop=follow_desktop)
    theme.set_mode(preferences.theme_mode)
    theme.set_scale(preferences.text_scale)
    try:
        window = Window(Desk(), theme, preferences)
    except Exception:
        # Whatever is wrong with how the window was left: it opens, as on the first start.
        write_report(*sys.exc_info())
        preferences.forget_layout()
        window = Window(Desk(), theme, preferences)
    restore_place(window, preferences.layout, _SIZE)
    return window


def tell_unexpected(window: Window) -> None:
    """Let an error in Ruvex itself be told in the window and logged, instead of ending the program with the work."""

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        written = write_report(kind, error, trace)
        where = f" What happened is written in {written}." if written is not None else ""
        window.notice.tell(f"Ruvex itself made a mistake: {error}.\nSave your plan.{where}")

    sys.excepthook = tell


def run_desktop(plan: Path | None, *, as_copy: bool = False) -> int:
    """Open the window, with a plan or a copy of it if one is given, and stay until it is closed; gives the exit status.

    What computes is loaded, and the very first time compiled, while a first, empty window says so.

    Raises
    ------
    PlanError, PlanFileError
        The plan cannot be used; what is wrong with a large one is told in the window.
    """
    file = None if plan is None else read_small(plan)
    application = make_application()
    preferences = Preferences()
    theme = Theme(follow_desktop=True)
    theme.set_mode(preferences.theme_mode)
    theme.set_scale(preferences.text_scale)
    opening = Opening(theme, plan, to_read=file is None)
    restore_place(opening, preferences.layout, _SIZE)
    windows: list[Window] = []

    def open_window() -> None:
        window = make_window(preferences=preferences)
        window.desk.keep_collections_short()
        windows.append(window)
        tell_unexpected(window)
        if plan is not None and file is not None:
            window.files.show_read(plan, (file, None), as_copy=as_copy)
        elif plan is not None and opening.read is not None:
            window.files.show_read(plan, opening.read, as_copy=as_copy)
        window.restoreGeometry(opening.saveGeometry())
        window.show()
        opening.close()
        has_asked = window.files.offer_recovery()
        if plan is not None and opening.problem is not None and not has_asked:
            window.files.tell_faults(plan, opening.problem)

    opening.ready.connect(open_window)
    opening.show()
    opening.begin()
    # Qt's loop hides Ctrl+C from Python; a timer lets it be seen.
    signal.signal(signal.SIGINT, lambda *_: application.quit())
    pulse = QTimer()
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    return application.exec()


def restore_place(window: QWidget, layout: dict[str, Any], size: tuple[int, int]) -> None:
    """Put a window where the last one was left; without that, or if it cannot be understood, give it a size."""
    geometry = layout.get("geometry")
    if not isinstance(geometry, str) or not window.restoreGeometry(
        QByteArray.fromBase64(geometry.encode("ascii", "ignore"))
    ):
        window.resize(*size)
