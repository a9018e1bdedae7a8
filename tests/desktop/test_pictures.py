"""Charts on the clipboard, and the report, from the window."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QCursor
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.kit.actions import ActionName
from tests.desktop.base import WindowCase

COPY = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier


class Pictures(WindowCase):
    """Ctrl+Shift+C and the report."""

    def test_every_view_can_be_copied(self) -> None:
        """By key each view, and what lies under the pointer: as an image, and as SVG that can be drawn."""
        self.open_demo()
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        for view in self.window.view_actions:
            self.go_to(view)
            size = self.window.view.size()
            QTest.keyClick(self.window, Qt.Key.Key_C, COPY)
            self.settle()
            data = clipboard.mimeData()
            assert data is not None
            with self.subTest(view):
                self.assertTrue(data.hasImage())
                renderer = QSvgRenderer(data.data("image/svg+xml"))
                self.assertTrue(renderer.isValid())
                self.assertEqual(renderer.viewBox().size(), size)
                self.assertIn("is on the clipboard, as PNG and SVG.", self.window.notice.text)
            self.window.notice.hide()
            self.settle()
        strip = self.window.head.strip
        # The screen that tests have is not as wide as the window.
        QCursor.setPos(strip.mapToGlobal(QPoint(30, strip.height() // 2)))
        self.run_action(ActionName.COPY_CHART)
        data = clipboard.mimeData()
        assert data is not None
        self.assertEqual(QSvgRenderer(data.data("image/svg+xml")).viewBox().size(), strip.size())
        image = clipboard.image()
        self.assertEqual((image.width(), image.height()), (2 * strip.width(), 2 * strip.height()))
        colours = {image.pixel(x, image.height() // 3) for x in range(0, image.width(), 7)}
        self.assertGreater(len(colours), 2)

    def test_a_report(self) -> None:
        """It is written beside the window and can be opened; what cannot be written is told."""
        self.open_demo()
        out = self.folder / "r.html"
        self.window.reporting.ask = lambda _window, _suggestion: out
        self.run_action(ActionName.REPORT)
        self.settle()
        self.assertEqual(self.window.notice.text, "r.html is written.")
        self.assertIn("Orrin Sound Ferries", out.read_text(encoding="utf-8"))
        self.window.reporting.ask = lambda _window, _suggestion: self.folder / "none" / "r.html"
        self.run_action(ActionName.REPORT)
        self.settle()
        self.assertIn("The report was not written.", self.window.notice.text)
