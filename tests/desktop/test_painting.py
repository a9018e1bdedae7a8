"""Pictures that fail: the painter is ended, the picture says so, and the mistake is told once."""

from __future__ import annotations

import ast
import unittest
from pathlib import Path
from unittest import mock

from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit import painting
from tests.desktop.base import WindowCase

DESKTOP = Path(__file__).resolve().parents[2] / "src" / "ruvex" / "desktop"


class Guarded(unittest.TestCase):
    """What the code may not do."""

    def test_nobody_else_makes_a_painter(self) -> None:
        """Only ``kit/painting.py`` makes painters, and a cell that Qt gives one is guarded."""
        for path in sorted(DESKTOP.rglob("*.py")):
            if path.name == "painting.py":
                continue
            source = path.read_text(encoding="utf-8")
            calls = [n for n in ast.walk(ast.parse(source)) if isinstance(n, ast.Call)]
            with self.subTest(file=str(path)):
                self.assertNotIn("QPainter", [getattr(call.func, "id", "") for call in calls])
                if "QStyledItemDelegate" in source:
                    self.assertIn("guarded", [getattr(call.func, "id", "") for call in calls])

    def test_a_picture_that_goes_out_fails_whole(self) -> None:
        """What is copied or saved is not written half drawn: whoever asked for it hears of the mistake."""
        image, painters = QImage(40, 20, QImage.Format.Format_RGB32), list[QPainter]()
        with self.assertRaises(ValueError), painting.drawing(image) as painter:
            painters.append(painter)
            raise ValueError
        self.assertFalse(painters[0].isActive())


class _Broken:
    """Colours that nobody can ask for."""

    def __getattr__(self, name: str) -> object:
        raise ZeroDivisionError("broken on purpose")


class BrokenPictures(WindowCase):
    """Every widget of ours that paints, with a mistake of ours in its drawing."""

    def test_a_mistake_stays_one_of_its_picture(self) -> None:
        """Nothing but the mistake is told, once however often it is painted, and the next picture is whole again."""
        self.open_demo()
        self.desk.selection.select("ticket-db")
        for name in self.window.views:
            self.go_to(name)
            with self.subTest(view=name):
                ours = [w for w in self.window.findChildren(QWidget) if w.isVisible() and _paints(w)]
                self.assertGreater(len(ours), 10)
                painting._told.clear()
                with mock.patch.object(self.window.theme, "colours", _Broken()):
                    for _ in range(3):
                        for widget in ours:
                            self.picture(widget)
                told, self.errors[:] = list(self.errors), []
                self.assertTrue(told)
                self.assertEqual(len(told), len(set(told)))
                self.assertTrue(all("broken on purpose" in error for error in told))
                for widget in ours:
                    self.picture(widget)
                self.assertEqual(self.errors, [])


def _paints(widget: QWidget) -> bool:
    return any("paintEvent" in vars(base) and base.__module__.startswith("ruvex.") for base in type(widget).__mro__)
