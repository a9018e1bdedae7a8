"""A test case with a real window: offscreen, with its own state folder, and no Qt warning let pass."""

from __future__ import annotations

import gc
import os
import sys
import tempfile
import traceback
import unittest
from pathlib import Path
from unittest.mock import patch

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, Qt, QtMsgType, qInstallMessageHandler
from PyQt6.QtGui import QCursor, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from ruvex.desktop import make_application, make_window
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.setting_field import SettingField
from ruvex.desktop.kit.track import Track
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state import rehearsal
from ruvex.desktop.state.playing import same_to_play
from ruvex.desktop.state.preferences import Preferences
from ruvex.desktop.views.division import DivisionView
from ruvex.desktop.views.timeline import TimelineView
from ruvex.plan import Plan, plan_text
from ruvex.play import Player
from ruvex.site import Site
from tests.demo import DEMO, copy_demo

LEFT = Qt.MouseButton.LeftButton
NONE = Qt.KeyboardModifier.NoModifier


def division_of(window: Window) -> DivisionView:
    """Give the Division view of a window."""
    view = window.views["division"]
    assert isinstance(view, DivisionView)
    return view


def timeline_of(window: Window) -> TimelineView:
    """Give the Timeline view of a window."""
    view = window.views["timeline"]
    assert isinstance(view, TimelineView)
    return view


_MOST_PLAYED, _FEW = 2, 30
_PLAYED: list[Player] = []


def _played(site: Site) -> Player:
    """Give a player of a site: where a day like it was played to its end in this process, a copy of that."""
    for player in _PLAYED:
        if player.is_over and same_to_play(player.site.plan, site.plan) and player.site.traces == site.traces:
            return player.copy()
    player = Player(site)
    if len(_PLAYED) < _MOST_PLAYED and len(site.plan.guests) > _FEW:
        _PLAYED.append(player)
    return player


class WindowCase(unittest.TestCase):
    """Gives each test a window; ``self.path`` is its own copy of the demo plan."""

    def setUp(self) -> None:
        """Make a folder, a copy of the demo and a window."""
        self.addCleanup(self._let_go)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = copy_demo(self.folder)
        self.warnings: list[str] = []
        # An error in a slot ends the program unless somebody takes it.
        self.errors: list[str] = []
        before = sys.excepthook
        sys.excepthook = lambda *error: self.errors.append("".join(traceback.format_exception(*error)))
        self.addCleanup(setattr, sys, "excepthook", before)
        # The demo's day follows whatever a test does with it: as it stands it is played once.
        self.enterContext(patch.object(rehearsal, "Player", _played))
        self.application = make_application()
        # A window that opens under a pointer left there by another test would be told that the pointer entered, and
        # try what lies below it.
        QCursor.setPos(0, 0)
        qInstallMessageHandler(self._on_message)
        self.addCleanup(qInstallMessageHandler, None)
        self.window = make_window(preferences=Preferences(self.folder / "state"), follow_desktop=False)
        self.window.resize(1280, 800)
        self.window.show()
        self.desk = self.window.desk
        self.division, self.timeline = division_of(self.window), timeline_of(self.window)
        self.butterfly = self.division.butterfly
        self.dials = self.window.dials
        self.settle()

    def _let_go(self) -> None:
        """Hold nothing of the window that was closed: what a test keeps of it would go while the next one is made."""
        for name in [name for name in vars(self) if not name.startswith("_")]:
            delattr(self, name)
        gc.collect()  # a window and what it played are few objects of much memory, which Python by itself lets lie

    def _on_message(self, kind: QtMsgType, _context: object, text: str | None) -> None:
        # Without a screen, every window says so that its least size cannot be told to a window manager.
        if kind != QtMsgType.QtDebugMsg and "propagateSizeHints" not in (text or ""):
            self.warnings.append(text or "")

    def tearDown(self) -> None:
        """Close the window and let no Qt warning pass."""
        self.desk.document.undo_stack.setClean()
        self.window.close()
        self.settle()
        self.window.deleteLater()
        # Deleting waits for a return to an event loop, of which there is none here: told so, it is done now, or all
        # windows of all tests would live on beside each other.
        for _ in range(4):  # the second time, what held on to the functions that signals of the window called
            self.application.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            self.application.processEvents()
        self.assertEqual("\n".join(self.errors), "")
        self.assertEqual(self.warnings, [])
        self.assertEqual(list(DEMO.parent.glob(".*.lock")), [], "a test beside this one opens the demo where it lies")

    def settle(self, ms: int = 0) -> None:
        """Let the window catch up."""
        if ms:
            QTest.qWait(ms)
        self.desk.background.wait()
        # A layout asks its parent to lay out anew in the next round of events, and that one its own.
        for _ in range(6):
            self.application.processEvents()

    def open_demo(self) -> None:
        """Open the copy of the demo plan."""
        self.assertTrue(self.window.open_path(self.path))
        self.settle()

    def show_plan(self, plan: Plan) -> Path:
        """Write a plan into the test's folder and open it."""
        path = self.folder / "test.ruvex.json"
        path.write_text(plan_text(plan), encoding="utf-8")
        self.assertTrue(self.window.open_path(path))
        self.settle()
        return path

    def go_to(self, view: str) -> None:
        """Go to a view as its tab does."""
        self.window.view_actions[view].trigger()
        self.settle()

    def run_action(self, name: ActionName) -> None:
        """Trigger an action as its menu entry does."""
        self.window.actions_by_name[name].trigger()
        self.settle()

    def click_row(self, item_id: str) -> None:
        """Click a row beside its bars."""
        place = self.butterfly.row_rect(item_id)
        self.assertFalse(place.isEmpty(), item_id)
        point = QPoint(self.butterfly.columns.names[1] - 20, place.center().y())
        QTest.mouseClick(self.butterfly.viewport(), LEFT, NONE, point)
        self.settle()

    def press_handle(self, track: Track, key: str) -> QPointF:
        """Take a handle of a track; gives where it stands."""
        point = QPointF(track.handle_x(key), 17)
        QTest.mousePress(track, LEFT, NONE, point.toPoint())
        return point

    def drag_handle(self, track: Track, key: str, by: int, *, release: bool = True) -> None:
        """Drag a handle by so many pixels, in steps, as a hand does."""
        start = self.press_handle(track, key)
        end = start
        for part in range(1, 6):
            end = QPointF(start.x() + by * part / 5, start.y())
            QTest.mouseMove(track, end.toPoint())
            self.settle()
        if release:
            QTest.mouseRelease(track, LEFT, NONE, end.toPoint())
            self.settle()

    def type_into(self, field: SettingField, text: str) -> None:
        """Type a value and press Enter."""
        field.line.setFocus()
        field.line.selectAll()
        QTest.keyClicks(field.line, text)
        QTest.keyClick(field.line, Qt.Key.Key_Return)
        self.settle()

    def delivered(self, item_id: str, resource: str = "cpu") -> float:
        """Give what the division on the screen delivers."""
        division = self.desk.look.division
        return float(division.of(resource).delivered[division.position[item_id]])

    def picture(self, widget: QWidget, place: QRect | None = None) -> QImage:
        """Give what a person sees of a widget."""
        pixmap = widget.grab(place) if place is not None else widget.grab()
        return pixmap.toImage()
