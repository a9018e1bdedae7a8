"""The whole story of an hour at work, killed at its end, and what is found again."""

from __future__ import annotations

import signal
import subprocess
import sys

from PyQt6.QtTest import QTest

from ruvex.plan import plan_text
from tests.demo import ROOT
from tests.desktop.base import LEFT, WindowCase


class AnHourAtWork(WindowCase):
    """The story runs in a process of its own, so that it can really be killed."""

    def test_story(self) -> None:
        """From an empty plan to a remedy, why, undo, redo, kill; then recover: the same plan."""
        done = subprocess.run(
            [sys.executable, "-m", "tests.desktop.story", str(self.folder)],
            cwd=ROOT, capture_output=True, text=True, check=False, timeout=120,
        )  # fmt: skip
        self.assertEqual(done.returncode, -signal.SIGKILL, done.stderr)
        self.assertTrue(self.window.files.offer_recovery())
        self.assertIn("had changes that were not saved", self.window.notice.text)
        QTest.mouseClick(self.window.notice.choices[0], LEFT)
        self.settle()
        expected = (self.folder / "expected.json").read_text(encoding="utf-8")
        self.assertEqual(plan_text(self.desk.look.plan), expected)
        self.assertTrue(self.desk.document.is_dirty)
        self.assertEqual(self.window.files.recovery.leftovers(), ([], []))
        self.assertTrue(self.window.files.recovery.copy.exists(), "until it is saved it is kept")
        path = self.folder / "saved.ruvex.json"
        self.assertTrue(self.window.files.write(path))
        self.assertFalse(self.window.files.recovery.copy.exists())
        self.assertEqual(path.read_text(encoding="utf-8"), expected)
