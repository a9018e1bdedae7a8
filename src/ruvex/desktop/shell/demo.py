"""Where the demo plan is."""

from __future__ import annotations

import sysconfig
from pathlib import Path
from typing import Final

from ruvex.plan import SUFFIX, PlanFileError

_NAME: Final = "orrin-sound.ruvex.json"
_STORIES: Final = "stories"


def demo_path() -> Path:
    """Give the demo plan: in the checkout, or where it was installed.

    Raises
    ------
    PlanFileError
        It is in neither place.
    """
    checkout = Path(__file__).resolve().parents[4]
    for folder in (checkout / "demo", Path(sysconfig.get_path("data")) / "share" / "ruvex" / "demo"):
        if (folder / _NAME).is_file():
            return folder / _NAME
    raise PlanFileError(f"the demo plan {_NAME} was not installed; run scripts/demo in a checkout of Ruvex")


def story_paths() -> list[Path]:
    """Give the worked stories beside the demo plan, in their order; none where they were not installed."""
    try:
        folder = demo_path().parent / _STORIES
    except PlanFileError:
        return []
    return sorted(folder.glob(f"*{SUFFIX}"))
