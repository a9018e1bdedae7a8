"""The demo plan for tests: where it lies, and a copy of it for whoever opens it in a window."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Final

ROOT: Final = Path(__file__).resolve().parents[1]
DEMO: Final = ROOT / "demo" / "orrin-sound.ruvex.json"


def copy_demo(folder: Path) -> Path:
    """Copy the demo into a folder and give the copy's plan.

    A window puts a lock beside the plan that it opens. Tests run beside each other: a plan that two of them open at
    its own place is open twice, which the window says, so each opens a copy, and copies no lock.
    """
    return Path(shutil.copytree(DEMO.parent, folder / "demo", ignore=shutil.ignore_patterns(".*"))) / DEMO.name
