"""A proof asked for in the window."""

from __future__ import annotations

import time
from unittest.mock import patch

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets import proof_page
from ruvex.desktop.sheets.proof_page import ProofPage
from tests.desktop.base import LEFT, WindowCase
from tests.proof.test_proof import burners, own_groups


class ProofInTheWindow(WindowCase):
    """The page, by mouse."""

    def test_a_pool_is_put_to_the_kernel(self) -> None:
        """Asked for, stopped, and asked for again: each guest has a line with both, and nothing stays."""
        self.open_demo()
        self.desk.selection.select("booking")
        self.run_action(ActionName.PROOF)
        page = self.window.pages[ActionName.PROOF]
        assert isinstance(page, ProofPage)
        self.assertEqual(page.what.currentText(), "Booking, what it gets")
        with patch.object(proof_page, "_SECONDS", 20.0):
            QTest.mouseClick(page.start_button, LEFT)
        while not burners() and self.desk.many.running:
            time.sleep(0.02)
        self.application.processEvents()
        if self.desk.many.running:
            self.assertEqual((page.start_button.text(), page.told.text()), ("Stop", "The kernel is at work…"))
        QTest.mouseClick(page.start_button, LEFT)
        self.settle()
        if "control group" in page.told.text() or "CPU" in page.told.text():
            self.assertIn("Delegate=yes", page.told.text())
            self.skipTest(page.told.text())
        self.assertEqual((page.told.text(), own_groups(), burners()), ("stopped", [], []))
        page.on.setFocus()
        QTest.keyClick(page.on, Qt.Key.Key_End)
        self.assertEqual(page.on.currentText(), "on one processor")
        with patch.object(proof_page, "_SECONDS", 0.5):
            QTest.mouseClick(page.start_button, LEFT)
        self.settle()
        self.assertGreater(len(page.picture.texts), 2)
        self.assertTrue(any(text.startswith("fare-engine: ") for text in page.picture.texts), page.picture.texts)
        self.assertIn("Farthest apart is", page.told.text())
        self.assertEqual((own_groups(), burners()), ([], []))
