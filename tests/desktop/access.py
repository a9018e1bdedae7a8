"""Drives the window by its keys under a real display, and reads it through the accessibility bus after each step.

Run under ``dbus-run-session`` and ``xvfb-run``; what was read is written as JSON to the file named, by step.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

os.environ["QT_LINUX_ACCESSIBILITY_ALWAYS_ON"] = "1"
os.environ["QT_QPA_PLATFORM"] = "xcb"

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from ruvex.desktop import make_application, make_window
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state.preferences import Preferences
from tests.demo import ROOT, copy_demo
from tests.desktop.bus_client import Bus


class Reading:
    """A window, and what a screen reader finds in it."""

    def __init__(self, folder: Path) -> None:
        self.application = make_application()
        self.window: Window = make_window(preferences=Preferences(folder), follow_desktop=False)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.activateWindow()
        self.window.open_path(copy_demo(folder))
        self.window.desk.look.set_moment(29_400.0)
        self.settle()

    def settle(self) -> None:
        """Let the window catch up."""
        self.window.desk.background.wait()
        for _ in range(8):
            self.application.processEvents()

    def read(self) -> list[dict[str, Any]]:
        """Read the window from outside, answering meanwhile."""
        client = subprocess.Popen(
            [sys.executable, "-m", "tests.desktop.bus_client", "ruvex"], cwd=ROOT, stdout=subprocess.PIPE, text=True
        )
        answer: list[str] = []
        reader = threading.Thread(target=lambda: answer.append(client.stdout.read() if client.stdout else ""))
        reader.start()
        end = time.monotonic() + 60
        while reader.is_alive() and time.monotonic() < end:
            self.application.processEvents()
            time.sleep(0.0005)
        client.kill()
        reader.join()
        return list(json.loads(answer[0] or "[]"))

    def press(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key where the focus is."""
        focus = self.application.focusWidget() or self.window
        QTest.keyClick(focus, key, modifiers)
        self.settle()


def main() -> None:
    """Go through the window."""
    # The bus starts when it is first asked for; a program that starts before it would not find it.
    Bus()
    with tempfile.TemporaryDirectory() as folder:
        reading = Reading(Path(folder))
        window, found = reading.window, {}
        window.views["division"].setFocus()
        reading.press(Qt.Key.Key_Down)
        reading.press(Qt.Key.Key_Down)
        reading.press(Qt.Key.Key_Down)
        found["division"] = reading.read()
        found["selected"] = [{"id": window.desk.selection.current}]
        window.actions_by_name[ActionName.WHY].trigger()
        reading.settle()
        found["why"] = reading.read()
        window.sheet.close_sheet()
        window.desk.selection.select("lagoon-sim")
        window.editor.change("more for sailing", "sailing", {"cpu.reservation": 90_000.0})
        window.notice.tell("Nothing was pasted.")
        reading.settle()
        found["told"] = reading.read()
        window.notice.hide()
        window.show_view("timeline")
        for _ in range(4000):
            if window.playing.is_over:
                break
            QTest.qWait(5)
        reading.settle()
        reading.press(Qt.Key.Key_Down)
        found["timeline"] = reading.read()
        window.show_view("list")
        reading.settle()
        found["list"] = reading.read()
        window.desk.document.undo_stack.setClean()
        window.close()
        Path(sys.argv[1]).write_text(json.dumps(found), encoding="utf-8")


if __name__ == "__main__":
    main()
