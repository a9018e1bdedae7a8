"""A window that is worked in without a rest, until it is killed: ``python -m tests.torture.window_kills FOLDER SEED``.

It tells on standard output what a recovery copy or a save has for certain: each number once it is on the disk.
"""

from __future__ import annotations

import os
import random
import sys
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtTest import QTest

from ruvex.desktop import make_application, make_window
from ruvex.desktop.state.preferences import Preferences
from ruvex.desktop.state.recovery_copy import read_copy
from ruvex.plan import Plan, read_plan

GUEST = "mail"


def number_in(plan: Plan) -> int:
    """Give the number of the edit that a plan has last."""
    return int(plan.guests[plan.guest_index[GUEST]].cpu.shares)


def work(folder: Path, seed: int) -> None:
    """Edit, undo, save and look, without end."""
    chance = random.Random(seed)
    application = make_application()
    window = make_window(preferences=Preferences(folder / "state"), follow_desktop=False)
    window.show()
    path = folder / "plan.ruvex.json"
    assert window.open_path(path)
    told, number, recovery = 0, 1000, window.files.recovery
    while application is not None:
        number += 1
        window.desk.trial.change(GUEST, {"cpu.shares": number}, "more")
        if chance.random() < 0.1:
            window.desk.document.undo()
            window.desk.document.redo()
        if chance.random() < 0.03:
            window.show_view(chance.choice(list(window.views)))
        if chance.random() < 0.03:
            assert window.files.save()
            kept = number_in(read_plan(path).plan)
        else:
            QTest.qWait(chance.choice((1, 5, 60)))
            kept = number_in(read_copy(recovery.copy).plan) if recovery.copy.exists() else told
        if kept > told:
            told = kept
            print(told, flush=True)


if __name__ == "__main__":
    work(Path(sys.argv[1]), int(sys.argv[2]))
