"""One walk: steps drawn from seeds, each looked at for mishaps; the same steps walk the same way again."""

from __future__ import annotations

import gc
import json
import os
import random
import shutil
import sys
import tempfile
import traceback
from collections.abc import Callable, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any, Final
from unittest.mock import patch

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QEvent, QPoint, Qt, QtMsgType, qInstallMessageHandler
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QFileDialog, QLineEdit, QPushButton, QToolButton, QWidget

from ruvex.desktop import make_application, make_window
from ruvex.desktop.kit import painting
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state.preferences import Preferences
from ruvex.divide import divide
from ruvex.plan import Plan, plan_text
from ruvex.site import site_of
from tests.demo import copy_demo
from tests.laws.whole import CONTENTS, SMALL, Size, whole_plan

LEFT: Final = Qt.MouseButton.LeftButton
NONE: Final = Qt.KeyboardModifier.NoModifier
_TEXTS: Final = (
    "50 %", "2 GHz", "no limit", "3 GiB", "0", "-1", "", "abc", "1e9", "800", "12.5", "08:10", "q 7", "100 % of host",
    "a name", "0-1", "1200 MiB", "none", "=1",
)  # fmt: skip
_KEYS: Final = (
    Qt.Key.Key_Down, Qt.Key.Key_Up, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Return, Qt.Key.Key_Escape,
    Qt.Key.Key_Tab,
    Qt.Key.Key_Space, Qt.Key.Key_Plus, Qt.Key.Key_Minus, Qt.Key.Key_Home, Qt.Key.Key_End, Qt.Key.Key_F2,
    Qt.Key.Key_Delete,
)  # fmt: skip
_LEFT_OUT: Final = {ActionName.PROOF, ActionName.BRING_HERE, ActionName.REPORT}
"""What measures this machine, reads its groups, or writes a document that takes seconds each time."""
_POINTS = 160
_SPACING: Final = 1_000_003


class MishapError(AssertionError):
    """Something that a person would have seen go wrong."""


class Walk:
    """A window and what is done with it."""

    def __init__(self, seed: int) -> None:
        self.seed = seed
        self._folder = Path(tempfile.mkdtemp(prefix="walk-"))
        copy_demo(self._folder)
        (self._folder / "traces").mkdir()
        for name, content in CONTENTS.items():
            (self._folder / name).write_bytes(content)
        self.said: list[str] = []
        self._application = make_application()
        self._hook = sys.excepthook
        sys.excepthook = self._on_error
        qInstallMessageHandler(self._on_message)
        painting._told.clear()
        self.window: Window = make_window(preferences=Preferences(self._folder / "state"), follow_desktop=False)
        self.window.resize(1180, 780)
        self.window.show()
        self._start: Plan | None = None
        self._files = 0
        self.window.desk.document.opened.connect(self._on_opened)
        self.did = ""
        none = staticmethod(lambda *_a, **_k: ("", ""))
        self._patches = [patch.object(QFileDialog, name, none) for name in ("getOpenFileName", "getSaveFileName")]
        for one in self._patches:
            one.start()
        self._on_opened()

    def _on_opened(self) -> None:
        self._start = self.window.desk.document.plan

    def _on_error(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        self.said.append("".join(traceback.format_exception(kind, error, trace)))

    def _on_message(self, kind: QtMsgType, _context: object, text: str | None) -> None:
        # Without a screen nothing can be told of least sizes, be brought to the front or hold the keyboard.
        is_of_screen = "This plugin does not support" in (text or "")
        if kind != QtMsgType.QtDebugMsg and not is_of_screen:
            self.said.append(f"Qt: {text}")
        if kind == QtMsgType.QtFatalMsg:
            print(f"seed {self.seed}, after {self.did}: {text}", file=sys.stderr, flush=True)

    def close(self) -> None:
        """Close the window and take everything apart."""
        self.window.desk.document.undo_stack.setClean()
        self.window.close()
        self.window.deleteLater()
        for _ in range(4):
            self._application.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
            self._application.processEvents()
        # Until then wrappers of its scroll bars, which are gone, are taken for whatever comes to lie in their place.
        gc.collect()
        for one in self._patches:
            one.stop()
        qInstallMessageHandler(None)
        sys.excepthook = self._hook
        shutil.rmtree(self._folder, ignore_errors=True)

    # Steps

    def step(self, number: int) -> None:
        """Do one thing, and look at what came of it.

        Raises
        ------
        MishapError
            Something went wrong.
        """
        chance = random.Random(self.seed * _SPACING + number)
        kinds: Sequence[tuple[int, Callable[[random.Random], str]]] = (
            (22, self._act), (14, self._select), (14, self._press), (10, self._type), (8, self._choose),
            (8, self._drag),
            (8, self._key), (6, self._view), (5, self._open), (6, self._undo), (5, self._moment), (2, self._resize),
            (4, self._wait), (2, self._bring), (3, self._edit),
        )  # fmt: skip
        do = chance.choices([kind for _, kind in kinds], [weight for weight, _ in kinds])[0]
        try:
            self.did = do(chance)
            # What a key or a widget's going leaves to the next turn of a loop has happened before anybody presses
            # anything else.
            for what in (QEvent.Type.MetaCall, QEvent.Type.DeferredDelete):
                self._application.sendPostedEvents(None, what.value)
            for _ in range(chance.choice((0, 1, 3, 6))):
                self._application.processEvents()
            self._look()
        except MishapError:
            raise
        except Exception as error:
            raise MishapError(f"{do.__name__}: {traceback.format_exc()}") from error

    def _act(self, chance: random.Random) -> str:
        names = [name for name in self.window.actions_by_name if name not in _LEFT_OUT]
        action = self.window.actions_by_name[chance.choice(names)]
        if action.isEnabled():
            action.trigger()
        return f"action {action.text()}"

    def _select(self, chance: random.Random) -> str:
        plan = self.window.desk.look.plan
        ids = [item.id for item in (*plan.guests, *plan.pools, *plan.hosts, *plan.stores)]
        chosen = chance.choice(ids) if ids and chance.random() < 0.9 else None
        self.window.desk.selection.select(chosen)
        return f"select {chosen}"

    def _widgets(self, kind: type[Any], chance: random.Random) -> list[Any]:
        """Give what of a kind lies under some points of the window, as a hand would find it.

        To ask Qt for all that lies in the window would give a name to every scroll bar and frame that it made itself,
        and such a name is taken for whatever comes to lie where that was.
        """
        high, wide = max(self.window.height(), 1), max(self.window.width(), 1)
        found: list[Any] = []
        for _ in range(_POINTS):
            widget = self.window.childAt(chance.randrange(wide), chance.randrange(high))
            if isinstance(widget, kind) and widget.isEnabled() and not any(widget is other for other in found):
                found.append(widget)
        return found

    def _press(self, chance: random.Random) -> str:
        buttons = self._widgets(QAbstractButton, chance)
        if not buttons:
            return "press nothing"
        button: QAbstractButton = chance.choice(buttons)
        text = button.text() or button.accessibleName()
        QTest.mouseMove(button)
        menu = button.menu() if isinstance(button, QPushButton | QToolButton) else None
        if menu is None:
            button.click()
            return f"press {text}"
        # A menu that is shown waits inside Qt, and holds the interpreter's lock meanwhile.
        actions = [action for action in menu.actions() if action.isEnabled() and action.menu() is None]
        if actions:
            action = chance.choice(actions)
            text = f"{text}: {action.text()}"
            action.trigger()
        return f"press {text}"

    def _type(self, chance: random.Random) -> str:
        lines = [line for line in self._widgets(QLineEdit, chance) if not line.isReadOnly()]
        if not lines:
            return "type nothing"
        line: QLineEdit = chance.choice(lines)
        text, name = chance.choice(_TEXTS), line.accessibleName()
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, text)
        if chance.random() < 0.8 and not sip.isdeleted(line) and line.isVisible():
            QTest.keyClick(line, Qt.Key.Key_Return)
        return f"type {text!r} into {name}"

    def _choose(self, chance: random.Random) -> str:
        boxes = [box for box in self._widgets(QComboBox, chance) if box.count()]
        if not boxes:
            return "choose nothing"
        box: QComboBox = chance.choice(boxes)
        index, name = chance.randrange(box.count()), box.accessibleName()
        box.setCurrentIndex(index)
        box.activated.emit(index)
        return f"choose {index} of {name}"

    def _drag(self, chance: random.Random) -> str:
        # Menus and lists of choices that open wait inside Qt, with the interpreter's lock.
        widgets = [
            w for w in self._widgets(QWidget, chance)
            if w.width() > 20 and w.height() > 12 and not w.childAt(5, 5) and not isinstance(w, QComboBox)
            and not (isinstance(w, QPushButton | QToolButton) and w.menu() is not None)
        ]  # fmt: skip
        if not widgets:
            return "drag on nothing"
        widget: QWidget = chance.choice(widgets)
        name = type(widget).__name__
        points = [QPoint(chance.randrange(widget.width()), chance.randrange(widget.height())) for _ in range(3)]
        QTest.mouseMove(widget, points[0])
        if chance.random() < 0.7:
            QTest.mousePress(widget, LEFT, NONE, points[0])
            for point in points[1:]:
                QTest.mouseMove(widget, point)
            QTest.mouseRelease(widget, LEFT, NONE, points[-1])
        return f"drag on {name}"

    def _key(self, chance: random.Random) -> str:
        focus, key = self._application.focusWidget() or self.window, chance.choice(_KEYS)
        QTest.keyClick(focus, key)
        return f"key {key.name}"

    def _view(self, chance: random.Random) -> str:
        name = chance.choice(list(self.window.views))
        self.window.show_view(name)
        return f"view {name}"

    def _undo(self, chance: random.Random) -> str:
        document, back = self.window.desk.document, chance.random() < 0.6
        for _ in range(chance.choice((1, 1, 3))):
            document.undo() if back else document.redo()
        return "undo" if back else "redo"

    def _moment(self, chance: random.Random) -> str:
        look = self.window.desk.look
        if chance.random() < 0.3:
            look.set_mode(chance.choice(("settled", "played")))
            return f"look {look.mode}"
        look.set_moment(chance.choice((0.0, 29_400.0, 43_200.0, 83_000.0, 86_400.0)))
        return "another moment"

    def _resize(self, chance: random.Random) -> str:
        size = chance.choice(((1280, 800), (1024, 700), (1500, 900)))
        self.window.resize(*size)
        return f"resize to {size}"

    def _wait(self, _chance: random.Random) -> str:
        self.window.desk.background.wait()
        return "wait"

    def _edit(self, chance: random.Random) -> str:
        plan = self.window.desk.document.plan
        if not plan.guests:
            return "edit nothing"
        guest, change = chance.choice(plan.guests).id, chance.choice((
            {"cpu.shares": 333.0}, {"cpu.limit": 900.0}, {"vcpus": 3}, {"power": "off"}, {"power": "on"},
            {"host": None},
        ))  # fmt: skip
        self.window.editor.change("changed", guest, change)
        return f"edit {guest} {change}"

    def _open(self, chance: random.Random) -> str:
        what = chance.choice(("whole", "whole", "whole", "demo", "story", "empty", "broken"))
        files = self.window.files
        if what == "empty":
            self.window.desk.document.new()
        elif what == "demo":
            files.open_path(self._folder / "demo" / "orrin-sound.ruvex.json", as_copy=chance.random() < 0.5)
        elif what == "story":
            files.open_path(chance.choice(sorted((self._folder / "demo" / "stories").glob("*.json"))), as_copy=True)
        else:
            self._files += 1
            path = self._folder / f"plan-{self._files}.ruvex.json"
            text = plan_text(whole_plan(chance.randrange(100_000), chance.choice((SMALL, Size()))))
            path.write_text(text if what == "whole" else text[: len(text) // 2], encoding="utf-8")
            files.open_path(path)
        return f"open {what}"

    def _bring(self, chance: random.Random) -> str:
        what = chance.choice(("table", "load"))
        self._files += 1
        path = self._folder / f"{what}-{self._files}.csv"
        if what == "table":
            path.write_text("name,vCPUs,memory (GiB),power\nshed,2,4,on\nbarn,1,2,off\n", encoding="utf-8")
        else:
            rows = "\n".join(f"{hour:02}:00,{200 + 30 * hour},{900 - 20 * hour}" for hour in range(24))
            path.write_text(f"time,g0,g1\n{rows}\n", encoding="utf-8")
        self.window.open_path(path)
        return f"bring in a {what}"

    # What must hold

    def _look(self) -> None:
        if self.said:
            raise MishapError("\n".join(self.said))
        notice = self.window.notice
        if notice.isVisible() and "made a mistake" in getattr(notice, "text", ""):
            raise MishapError("the window says that it made a mistake")
        self._compare_division()

    def _compare_division(self) -> None:
        desk = self.window.desk
        look = desk.look
        if look.mode != "settled" or desk.trial.step is not None or look.before is not None:
            return
        document = desk.document
        made = divide(site_of(document.plan, document.site.traces), document.plan.moment)
        if look.division.ids != made.ids:
            raise MishapError("the rows that are shown are not those of the plan")
        for resource in ("cpu", "memory"):
            shown, fresh = look.division.of(resource).delivered, made.of(resource).delivered
            if not np.array_equal(shown, fresh):
                raise MishapError(
                    f"{resource} as shown differs from the same plan made anew by {np.abs(shown - fresh).max()}"
                )
        gone = [item for item in desk.selection.ids if item not in made.position]
        if gone:
            raise MishapError(f"{gone} are selected and gone")

    def rest(self) -> None:
        """Let all answers come, undo everything and make it again, and look at each."""
        self.window.desk.trial.give_up()
        for _ in range(200):
            self.window.desk.background.wait()
            for _ in range(4):
                self._application.processEvents()
            if not getattr(self.window.view, "is_behind", False):
                break
            QTest.qWait(2)  # what is drawn a few at a time goes on by timers
        else:
            raise MishapError(f"{type(self.window.view).__name__} is still looking")
        self._look()
        document = self.window.desk.document
        document.resting.emit()
        end, count = document.plan, document.undo_stack.index()
        for _ in range(count):
            document.undo()
        self._same(document.plan, self._start, "undo to the start")
        for _ in range(count):
            document.redo()
        self._same(document.plan, end, "redo to the end")
        self._application.processEvents()
        self._look()

    def _same(self, one: Plan, other: Plan | None, what: str) -> None:
        assert other is not None
        texts = [json.loads(plan_text(plan)) | {"moment": 0} for plan in (one, other)]
        if texts[0] != texts[1]:
            keys = [key for key in texts[0] if texts[0].get(key) != texts[1].get(key)]
            raise MishapError(f"{what}: {', '.join(keys)} differ")


def walk(seed: int, steps: Sequence[int]) -> tuple[int, str, str] | None:
    """Walk some steps; gives at which something went wrong, what was done and what was said, None if nothing did."""
    one, did = Walk(seed), ""
    try:
        for number in steps:
            one.step(number)
            did = one.did
        number = -1
        one.rest()
    except MishapError as mishap:
        return number, one.did or did, str(mishap)
    except Exception:
        return number, one.did or did, traceback.format_exc()
    finally:
        one.close()
    return None


def shrunk(seed: int, steps: Sequence[int], said: str, *, most: int = 60) -> list[int]:
    """Leave out steps as long as the same thing goes wrong."""
    last = said.strip().splitlines()[-1]
    kept, size, tried = list(steps), max(1, len(steps) // 2), 0
    while size and tried < most:
        at = 0
        while at < len(kept) and tried < most:
            less = kept[:at] + kept[at + size :]
            tried += 1
            found = walk(seed, less)
            if found is not None and found[2].strip().splitlines()[-1] == last:
                kept = less
            else:
                at += size
        size //= 2
    return kept


__all__ = ["MishapError", "Walk", "shrunk", "walk"]
