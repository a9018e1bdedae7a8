"""An hour at work in the real window, from an empty plan on; run as a program, it ends by being killed."""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from ruvex.desktop import make_application, make_window
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets.plan_page import PlanPage
from ruvex.desktop.sheets.split_page import SplitPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.state.preferences import Preferences
from ruvex.divide import ladder_of
from ruvex.plan import Guest, find_item, plan_text
from tests.desktop.base import division_of

LEFT, NONE = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier
CELLS = "name\tvCPUs\tmemory (GiB)\tCPU demand (GHz)\tworking set (GiB)\ttouched (GiB)\ttags\n" + "".join(
    f"ferry-{i}\t{2 + i % 3}\t{4 + i % 4}\t{2.5 + i / 4:g}\t3\t{3 + i % 4}\tsea\n" for i in range(1, 11)
)


class Story:
    """Drives a window as a person does, and looks at what that person sees."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.application = make_application()
        self.window = make_window(preferences=Preferences(folder / "state"), follow_desktop=False)
        self.window.resize(1280, 800)
        self.window.show()
        self.desk = self.window.desk
        self.division = division_of(self.window)
        self.rows = self.division.butterfly
        self.settle()

    def settle(self) -> None:
        """Let the window catch up."""
        for _ in range(3):
            self.desk.background.wait()
            self.application.processEvents()

    def press(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE, widget: QWidget | None = None) -> None:
        """Press a key where the focus is."""
        QTest.keyClick(widget or QApplication.focusWidget() or self.window, key, modifiers)
        self.settle()

    def write(self, text: str) -> None:
        """Type a text and Enter where the focus is."""
        focus = QApplication.focusWidget()
        assert focus is not None
        QTest.keyClicks(focus, text)
        self.press(Qt.Key.Key_Return)

    def click(self, widget: QWidget) -> None:
        """Click a widget."""
        QTest.mouseClick(widget, LEFT)
        self.settle()

    def name_of(self, item_id: str) -> QPoint:
        """Give where the name of a row stands."""
        place = self.rows.row_rect(item_id)
        assert not place.isEmpty(), item_id
        return QPoint(self.rows.columns.names[0] + 60, place.center().y())

    def drag_onto(self, item_id: str, pool: str) -> None:
        """Drag a name onto a pool."""
        view, start, end = self.rows.viewport(), self.name_of(item_id), self.name_of(pool)
        QTest.mousePress(view, LEFT, NONE, start)
        for part in range(1, 6):
            QTest.mouseMove(view, start + (end - start) * part / 5)
            self.settle()
        QTest.mouseRelease(view, LEFT, NONE, end)
        self.settle()

    def type_setting(self, item_id: str, key: str, text: str) -> None:
        """Select a row and type one of its dials."""
        QTest.mouseClick(self.rows.viewport(), LEFT, NONE, self.name_of(item_id))
        self.settle()
        line = self.window.dials.dials[key.split(".")[0]].fields[key].line
        line.setFocus()
        line.selectAll()
        self.write(text)

    def guest(self, item_id: str) -> Guest:
        """Give a guest of the plan as it is."""
        item = find_item(self.desk.look.plan, item_id)
        assert isinstance(item, Guest)
        return item

    # The chapters

    def build(self) -> None:
        """One host, ten pasted guests, three pools by 50/30/20, guests dragged in."""
        window = self.window
        assert division_of(window).empty.isVisible()
        self.click(division_of(window).empty.buttons[0])
        assert window.sheet.isVisible() and len(self.desk.look.plan.hosts) == 1
        line = window.pages.get(PlanPage).forms[0].fields["memory_mib"].line
        line.setFocus()
        line.selectAll()
        self.write("64 GiB")
        assert self.desk.look.plan.hosts[0].memory_mib == 65536
        self.click(window.sheet.close_button)

        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(CELLS)
        self.press(Qt.Key.Key_V, CTRL, window)
        assert len(self.desk.look.plan.guests) == 10, window.notice.text
        assert division_of(window).butterfly.isVisible()
        assert self.guest("ferry-3").memory.size == 7168

        for name in ("Sailing", "Booking", "Office"):
            self.rows.setFocus()
            self.press(Qt.Key.Key_Escape, widget=self.rows)
            self.press(Qt.Key.Key_N, CTRL | SHIFT, window)
            self.write(name)
        assert [pool.name for pool in self.desk.look.plan.pools] == ["Sailing", "Booking", "Office"]

        self.press(Qt.Key.Key_P, CTRL | SHIFT, window)
        page = window.sheet.page
        assert isinstance(page, SplitPage)
        for field, part in zip(page.parts.values(), ("50", "30", "20"), strict=True):
            field.line.setFocus()
            field.line.selectAll()
            QTest.keyClicks(field.line, part)
        self.settle()
        assert page.sum_label.text().startswith("Sum: 100 %")
        self.click(page.apply_button)
        self.click(window.sheet.close_button)
        self.pools = [pool.id for pool in self.desk.look.plan.pools]
        amounts = [pool.cpu.reservation for pool in self.desk.look.plan.pools]
        assert amounts == [20_800, 12_480, 8_320], amounts
        assert "0.00 free" in self.free_text(), self.free_text()

        for i in range(1, 11):
            self.drag_onto(f"ferry-{i}", self.pools[0 if i <= 5 else 1 if i <= 8 else 2])
        assert self.guest("ferry-9").pool == self.pools[2]

    def free_text(self) -> str:
        """Give what the supply row says is free of promises."""
        r = self.desk.look.division.cpu
        return f"{r.free / 1000:.2f} free"

    def refuse_and_remedy(self) -> None:
        """Reserve until a power-on is refused, and take one of the remedies."""
        window = self.window
        self.type_setting("ferry-10", "cpu.reservation", "1 GHz")
        self.rows.setFocus()
        self.press(Qt.Key.Key_Space, widget=self.rows)
        assert not self.guest("ferry-10").is_powered
        self.type_setting("ferry-9", "cpu.reservation", "5 GHz")
        self.drag_onto("ferry-8", self.pools[2])
        self.type_setting("ferry-8", "cpu.reservation", "3 GHz")
        QTest.mouseClick(self.rows.viewport(), LEFT, NONE, self.name_of("ferry-10"))
        self.rows.setFocus()
        self.press(Qt.Key.Key_Space, widget=self.rows)
        assert not self.guest("ferry-10").is_powered
        told = window.refusal.text
        for words in (
            "Not accepted: power ferry-10 on",
            "The supply is short of CPU promises by 680",
            "drawn from above",
        ):
            assert words in told, told
        offers = {offer.text(): offer for offer in window.refusal.offers}
        chosen = next(text for text in offers if "that nobody claims from Sailing" in text)
        self.click(offers[chosen])
        assert self.guest("ferry-10").is_powered and not window.refusal.isVisible()

    def ask_why(self) -> None:
        """Ask why a guest gets what it gets."""
        window = self.window
        QTest.mouseClick(self.rows.viewport(), LEFT, NONE, self.name_of("ferry-9"))
        self.press(Qt.Key.Key_F7, widget=window)
        why = window.pages[ActionName.WHY]
        assert isinstance(why, WhyPage)
        texts = [line.text for line in why.sides["cpu"].ladder.lines]
        assert texts[0] == "promised" and "delivered" in texts, texts
        ladder = ladder_of(self.desk.look.division, "ferry-9", "cpu")
        assert abs(sum(rung.amount for rung in ladder.rungs) - ladder.delivered) < 1e-9

    def undo_and_redo(self) -> None:
        """Undo to the start and redo to the end; each way ends where it should."""
        end = self.desk.look.plan
        for _ in range(200):
            if not self.desk.document.undo_stack.canUndo():
                break
            self.press(Qt.Key.Key_Z, CTRL, self.window)
        assert not self.desk.look.plan.hosts and not self.desk.look.plan.guests
        assert self.division.empty.isVisible()
        for _ in range(200):
            if not self.desk.document.undo_stack.canRedo():
                break
            self.press(Qt.Key.Key_Z, CTRL | SHIFT, self.window)
        assert plan_text(self.desk.look.plan) == plan_text(end)

    def be_killed(self) -> None:
        """Wait for the recovery copy as time passes, and be killed."""
        QTest.qWait(1200)
        self.settle()
        assert self.window.files.recovery.copy.exists()
        (self.folder / "expected.json").write_text(plan_text(self.desk.look.plan), encoding="utf-8")
        os.kill(os.getpid(), signal.SIGKILL)


def main() -> None:
    """Live the story in a folder, to its end."""
    story = Story(Path(sys.argv[1]))
    story.build()
    story.refuse_and_remedy()
    story.ask_why()
    story.undo_and_redo()
    story.be_killed()


if __name__ == "__main__":
    main()
