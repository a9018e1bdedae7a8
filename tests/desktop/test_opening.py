"""What is seen until the window can compute."""

from __future__ import annotations

from unittest.mock import patch

from ruvex.desktop.shell.opening import Opening
from tests.desktop.base import WindowCase


class OpeningFirst(WindowCase):
    """A window that does not wait."""

    def opening(self, *, is_filled: bool) -> Opening:
        """Give the first window as it is with kernels kept or not."""
        with patch("ruvex.desktop.shell.opening.is_cache_filled", return_value=is_filled):
            opening = Opening(self.window.theme, self.path)
        self.addCleanup(opening.deleteLater)
        # Its bar moves as long as it is seen.
        self.addCleanup(opening.close)
        opening.show()
        return opening

    def test_it_says_what_is_awaited_and_goes_on_by_itself(self) -> None:
        """The first time it tells about the compiler; when all is loaded, the window may come."""
        opening = self.opening(is_filled=False)
        self.assertIn("Compiling", opening.line.text())
        self.assertIn("about a minute", opening.line.text())
        self.assertLessEqual(opening.line.sizeHint().height(), opening.line.height(), "all of it is seen")
        self.assertNotIn("Compiling", self.opening(is_filled=True).line.text())
        ready: list[bool] = []
        opening.ready.connect(lambda: ready.append(True))
        opening.begin()
        self.assertEqual(ready, [], "it does not wait")
        opening._background.wait()
        self.settle()
        self.assertEqual(ready, [True])
        assert opening.read is not None
        self.assertEqual(opening.read[0].plan.name, "Orrin Sound Ferries", "the plan was read meanwhile")

    def test_a_plan_that_cannot_be_used_lets_the_window_come(self) -> None:
        """Its faults are there to be told."""
        self.path.write_text("{", encoding="utf-8")
        opening = self.opening(is_filled=True)
        ready: list[bool] = []
        opening.ready.connect(lambda: ready.append(True))
        opening.begin()
        opening._background.wait()
        self.settle()
        self.assertEqual(ready, [True])
        self.assertIsNone(opening.read)
        self.assertIn("cut off", str(opening.problem))

    def test_closed_meanwhile(self) -> None:
        """Closed before all is ready, no other window comes."""
        opening = self.opening(is_filled=True)
        ready: list[bool] = []
        opening.ready.connect(lambda: ready.append(True))
        opening.begin()
        opening.close()
        opening._background.wait()
        self.settle()
        self.assertEqual(ready, [])
